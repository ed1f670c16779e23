//! What the field sheet says.

use super::plural;
use crate::dto::{Brief, CheckItemDto, MissingDto};
use vistazo_core::field::{
    Because, COLOURS_FIT, CameraDoubt, FEWEST, FEWEST_FINE, FineError, HeightRemark, MarkRemark, Missing, OFTEN,
    OccupationError, Occupied, Saved, SetUpError, SetUpRemark,
};
use vistazo_core::geometry::{Error95, Vec3};
use vistazo_core::instrument::{Advice, Doubt, Due, ErrorFound, SAME_TEMPERATURE};
use vistazo_core::stats::{K95_1D, K95_2D};

/// What a height draws attention to.
pub(crate) fn height(brief: &Brief, r: &HeightRemark) -> String {
    match r {
        HeightRemark::Forgotten => {
            "a point is occupied and no height over it was noted: the set-up says nothing of heights, and less of the rest".into()
        }
        HeightRemark::Unusual => "no tripod stands so: look at the tape, and at its unit".into(),
        HeightRemark::Changed(off) => format!(
            "{} {} than noted before at this station: was the tripod touched, or is one of the two a slip?",
            brief.length(off.abs()),
            if *off > 0.0 { "more" } else { "less" }
        ),
        HeightRemark::Repeated => "just the height of the station before: measured, or carried over?".into(),
    }
}

/// A scan that found its place by control.
pub(crate) fn own_station(brief: &Brief, by: &[&str], e: &Error95) -> String {
    format!(
        "stands by {}: {} in plan, {} in height (95 %)",
        by.join(", "),
        brief.length(e.horizontal),
        brief.length(e.vertical)
    )
}

/// Control fits what a scan shows in more than one way.
pub(crate) fn own_station_in_two_ways() -> String {
    "the control that it shows fits in more than one way: add a target that breaks the symmetry, or name them".into()
}

/// A control point that does not fit what a scan shows.
pub(crate) fn own_station_off(brief: &Brief, name: &str, off: f64) -> String {
    format!("{name} does not fit the others, by {}: was it touched, or is its coordinate wrong?", brief.length(off))
}

/// Control as a whole does not fit what a scan shows.
pub(crate) fn own_station_torn() -> String {
    "what it shows does not fit control, and no single point explains it: is the instrument level, and which list is this control from?".into()
}

/// The control that a scan shows lies in a line.
pub(crate) fn own_station_in_line() -> String {
    "the control that it shows lies almost in a line: across it, it holds badly. One more to the side mends it".into()
}

/// Just as much control as is needed.
pub(crate) fn own_station_unchecked() -> String {
    "nothing checks it: one more control point in view would".into()
}

/// What a scanner over a mark draws attention to.
pub(crate) fn over_mark(brief: &Brief, mark: &str, r: &MarkRemark) -> String {
    match r {
        MarkRemark::Beside(off) => format!(
            "by the other control it stands {} beside {mark}: look at the plummet, and whether it is that mark",
            brief.length(*off)
        ),
        MarkRemark::Height { found, noted } => format!(
            "by control its axis is {} over {mark}, and {} was noted: read the tape again before the tripod is folded",
            brief.length(*found),
            brief.length(*noted)
        ),
    }
}

/// A scan far from where its station was planned.
pub(crate) fn astray(brief: &Brief, station: &str, off: f64, other: Option<&str>) -> String {
    let asked = other.map_or_else(
        || "was the station moved? The cover of the plan is of the other place".to_owned(),
        |o| format!("is it the scan of {o}?"),
    );
    format!("it stands {} from where {station} is planned: {asked}", brief.length(off))
}

/// What an occupation came out at.
pub(crate) fn occupied(brief: &Brief, found: &Result<Occupied, OccupationError>) -> String {
    match found {
        Ok(o) => format!(
            "{} of {} epochs, worth {:.0} that are independent; 95 % {} in plan, {} in height",
            o.used,
            o.of,
            o.independent,
            brief.length(2.45 * o.sigma.x.max(o.sigma.y)),
            brief.length(1.96 * o.sigma.z)
        ),
        Err(OccupationError::TooFew { found }) => {
            format!(
                "found {found} epochs with solved ambiguities, expected at least {FEWEST}: wait, or move away from what hides the sky"
            )
        }
        Err(OccupationError::TwoSolutions) => {
            "the epochs lie in two places: the receiver solved differently on the way. Begin again, and occupy twice"
                .into()
        }
    }
}

/// Why a station is the next.
pub(crate) fn because(b: Because) -> String {
    match b {
        Because::First => "the first of the plan".into(),
        Because::Order => "the next of the plan".into(),
        Because::PassedBy(n) => format!("passed by: {n} later one{} taken already, and it is near", plural(n)),
    }
}

/// After the power was lost.
pub(crate) const TIES_BACK: &str = "The power was lost: what the instrument tracked of its position is gone. The next scan hangs on what it shows in common: three targets of those before, or a good third of what the scan before shows";

/// What is missing before a site is left.
pub(crate) fn missing(m: &Missing) -> MissingDto {
    let list = |v: &[String]| v.join(", ");
    let (what, said) = match m {
        Missing::Apart(parts, smallest) => (
            "apart",
            format!(
                "the scans hang together in {parts} parts only: nothing ties {} to the others. Take one more between them",
                list(smallest)
            ),
        ),
        Missing::Stations(names) => ("stations", format!("not taken: {}", list(names))),
        Missing::Surface(name, share) => {
            ("surface", format!("{name}: {:.0} % of what is asked for is shown by what was taken", 100.0 * share))
        }
        Missing::SeenSeldom(seen) => {
            let each: Vec<String> = seen.iter().map(|(name, n)| format!("{name} by {n}")).collect();
            (
                "targets",
                format!("seen by fewer than {OFTEN} stations, so that a knock cannot be told: {}", each.join(", ")),
            )
        }
        Missing::Doubtful(ties) => {
            let each: Vec<String> = ties.iter().map(|(a, b)| format!("{a}–{b}")).collect();
            ("doubtful", format!("ties that are doubtful: {}. One more scan between would decide", each.join(", ")))
        }
        Missing::Touched(names) => (
            "touched",
            format!(
                "moved or knocked: {}. Scans before and after must not share it: note when it happened",
                list(names)
            ),
        ),
        Missing::Control(names) => ("control", format!("control that was not measured here: {}", list(names))),
        Missing::Contradictions(n) => (
            "contradictions",
            format!(
                "{n} entr{} of which two versions stand: decide which one holds",
                if *n == 1 { "y" } else { "ies" }
            ),
        ),
        Missing::Open(items) => {
            let each: Vec<String> =
                items.iter().map(|i| item(i).map_or_else(|| i.clone(), |x| x.0.to_owned())).collect();
            ("checklist", format!("not checked: {}", list(&each)))
        }
    };
    MissingDto { what: what.into(), said }
}

/// Items of the checklist before the first scan: key, what to see to, what goes wrong otherwise.
const CHECKLIST: [(&str, &str, &str); 9] = [
    (
        "site",
        "Site rules read, permission there, people on site know",
        "somebody walks into the beam, or sends you home",
    ),
    ("eyes", "Laser class known, nobody with optics in view", "an eye is hurt"),
    ("lens", "Glass clean and dry", "dark stripes and noise in every scan of the day"),
    ("warm", "Instrument outside and on for its warm-up", "angles and ranges drift through the first scans"),
    ("level", "Compensator on, bubble in", "heights tilt over the site, and nothing shows it"),
    ("battery", "Batteries for the day, and one more", "the tracked position is lost with the power"),
    ("storage", "Room on the card for the day", "the last stations do not fit"),
    ("settings", "Step, repeats and photographs as planned", "too coarse where it matters, or twice the time"),
    ("clock", "Clock of the instrument right", "notes and scans do not find one another"),
];

fn item(key: &str) -> Option<(&'static str, &'static str)> {
    CHECKLIST.iter().find(|c| c.0 == key).map(|c| (c.1, c.2))
}

/// The checklist, with what was noted of each item: done or not, and by whom; the day in figures where it helps.
pub(crate) fn checklist(
    ticked: impl Fn(&str) -> Option<(bool, String)>,
    batteries: usize,
    gigabytes: f64,
    warm_up: f64,
) -> Vec<CheckItemDto> {
    let one = |&(key, said, otherwise): &(&str, &str, &str)| {
        let figure = match key {
            "battery" => format!(": {batteries} by plan"),
            "storage" => format!(": {gigabytes:.1} GB by plan"),
            "warm" => format!(": {:.0} min", warm_up / 60.0),
            _ => String::new(),
        };
        let found = ticked(key);
        CheckItemDto {
            item: key.into(),
            said: format!("{said}{figure}"),
            otherwise: otherwise.into(),
            done: found.as_ref().map(|f| f.0),
            by: found.map(|f| f.1),
        }
    };
    CHECKLIST.iter().map(one).collect()
}

/// What to do with an error of the instrument.
pub(crate) fn advice(a: Advice) -> &'static str {
    match a {
        Advice::Leave => "leave it: no more than the check can tell, or than the profile counts",
        Advice::Apply => "correct it in the instrument, or let the profile cover it",
        Advice::Repeat => "repeat the check: it does not decide",
        Advice::SendIn => "send the instrument in: no healthy one of this profile is so far off",
    }
}

/// An error of the instrument: value with its 95 %, advice, and what keeps the check from deciding.
pub(crate) fn error_found(brief: &Brief, f: &ErrorFound) -> Vec<String> {
    let amount = |v: f64| super::registration::amount(brief, f.parameter.into(), v);
    let mut out = vec![
        format!("{} ± {} (95 %); a healthy one has {}", amount(f.value), amount(K95_1D * f.sigma), amount(f.usual)),
        advice(f.advice).to_owned(),
    ];
    out.extend(f.doubts.iter().map(|d| match d {
        Doubt::Readings(p) => format!(
            "the readings do not fit one another ({}): a target moved, or somebody walked on the floor",
            super::chance(*p)
        ),
        Doubt::NotWarm(s) => format!("it was not on long enough: {:.0} min are missing of its warm-up", (s / 60.0).ceil()),
        Doubt::Temperature(t) => format!(
            "it was {:.0} °C {} than the job is; a check holds within {SAME_TEMPERATURE:.0} °C",
            t.abs(),
            if *t > 0.0 { "warmer" } else { "colder" }
        ),
        Doubt::Layout(times) => format!(
            "the layout does not tell it: its σ is {times:.1} times that of a healthy instrument. Add targets high and low, or distances near and far"
        ),
    }));
    out
}

/// Where a total station stands.
pub(crate) fn set_up_stands(brief: &Brief, sigma: &Vec3, orientation: f64) -> String {
    format!(
        "stands to {} in plan and {} in height (95 %), turned to {:.0}″",
        brief.length(K95_2D * sigma.x.max(sigma.y)),
        brief.length(K95_1D * sigma.z),
        (K95_1D * orientation).to_degrees() * 3600.0
    )
}

/// What a set-up of a total station draws attention to.
pub(crate) fn set_up_remark(brief: &Brief, r: &SetUpRemark) -> String {
    match r {
        SetUpRemark::Unlike(name, off) => format!(
            "{name} does not fit the others, by {}: is it that point, and is the height of its reflector right?",
            brief.length(*off)
        ),
        SetUpRemark::Torn(off) => format!(
            "the sights do not fit one another, by {}, and which one is wrong cannot be told: read them again, with one known point more",
            brief.length(*off)
        ),
        SetUpRemark::Narrow(angle) => format!(
            "all known points lie within {:.0}°: across them it holds badly. Take one to the side",
            angle.to_degrees()
        ),
        SetUpRemark::Thin(_) => "two known points: a slip shows, and not which of them it is".into(),
        SetUpRemark::Unchecked => "nothing checks it: read one known point more, or the distance too".into(),
        SetUpRemark::Short(reach) => {
            format!(
                "farther than {} from it: beyond one and a half times the farthest known point",
                brief.length(*reach)
            )
        }
    }
}

/// Why a set-up of a total station gives no place.
pub(crate) fn set_up_error(e: SetUpError) -> String {
    match e {
        SetUpError::TooFew(found, needed) => {
            format!("found {found} known point{} with a distance, expected at least {needed}", plural(found))
        }
        SetUpError::OnePlace => {
            "the known points lie at one place, or under the instrument: they do not say how it is turned".into()
        }
        SetUpError::NoPlace => "the sights contradict one another: no place fits them. Look at the names".into(),
    }
}

/// Marks that nobody knows.
pub(crate) fn unknown_marks(names: &[String]) -> String {
    format!(
        "no control has the name {}, with all three coordinates: store it, or mark it as a new point",
        names.join(", ")
    )
}

/// A point without a distance.
pub(crate) fn no_distance(name: &str) -> String {
    format!("{name}: only angles were read, which gives no point")
}

/// A new point.
pub(crate) fn polar_point(brief: &Brief, sigma: &Vec3, fine: bool, beyond: Option<f64>) -> String {
    let how = if fine { ", from the disc in its window" } else { "" };
    let far = beyond.map_or_else(String::new, |r| format!("; {}", set_up_remark(brief, &SetUpRemark::Short(r))));
    format!(
        "{} in plan, {} in height (95 %){how}{far}",
        brief.length(K95_2D * sigma.x.max(sigma.y)),
        brief.length(K95_1D * sigma.z)
    )
}

/// Why a window gives no point.
pub(crate) fn window(name: &str, e: FineError) -> String {
    let why = match e {
        FineError::TooFew(n) => format!("found {n} points, expected at least {FEWEST_FINE}"),
        FineError::Plain => "nothing in it is brighter than the rest".into(),
        FineError::CutOff => "the disc reaches its rim: make it wider".into(),
        FineError::NotRound => "what is bright is not round: half hidden, or no disc".into(),
        FineError::NotFlat => "it spans an edge, or something stands before the wall".into(),
    };
    format!("the window of {name} gives no point: {why}")
}

/// Why a check of the instrument is due.
pub(crate) fn due(d: Due) -> String {
    match d {
        Due::InThisJob => "The instrument is to be checked in each job, and was not in this one".into(),
        Due::Never => "The instrument was never checked".into(),
        Due::Old(weeks) => format!("The instrument was checked {weeks:.0} weeks ago, longer than its policy allows"),
    }
}

/// What was not spent by hand.
pub(crate) fn saved(s: &Saved) -> String {
    format!(
        "{:.0} min not spent by hand: {} length{} picked instead of taped, {} tie{} found instead of made",
        s.seconds / 60.0,
        s.lengths,
        plural(s.lengths),
        s.ties,
        plural(s.ties)
    )
}

/// What keeps a check of a camera from being valid.
pub(crate) fn camera_doubt(d: &CameraDoubt) -> String {
    match d {
        CameraDoubt::Open => "the room was open: what is far and what is near cannot be told".into(),
        CameraDoubt::Bare => "the walls were bare: nothing to find again in the pictures".into(),
        CameraDoubt::Moving => "something moved".into(),
        CameraDoubt::Somebody => "somebody was in the room".into(),
        CameraDoubt::NotLooked => {
            "nobody looked at it yet: process one scan first, look at an edge, then process all".into()
        }
        CameraDoubt::Off(off) => format!(
            "colours lie {off:.1} pixels beside their edges, more than {COLOURS_FIT:.0}: check it again, mounted as it is used"
        ),
    }
}

/// What would mend a tie that does not hold.
pub(crate) fn mend(overlap: f64, distance: Option<f64>, brief: &Brief) -> String {
    let between = distance.map_or_else(String::new, |d| format!(", {} from either", brief.length(d / 2.0)));
    if overlap < 0.3 {
        format!("one more scan between them{between}, or three targets that both see")
    } else {
        "three targets that both see: what they share does not hold them in every direction".into()
    }
}
