//! What is said of passes.

use crate::dto::Brief;
use crate::record::passes::{RefusedWord, StoredDoubled};
use vistazo_core::mobile::Ordered;

/// What came of a pass, as far as it is spoken of.
pub(crate) struct Came<'a> {
    pub brief: &'a Brief,
    pub bends: [f64; 2],
    /// It is laid down as one piece.
    pub whole: bool,
    pub doubled: &'a [StoredDoubled; 2],
    pub point95: [f64; 2],
    /// 95 % of a place of its path, at most, metres.
    pub place95: f64,
    /// 95 % of a point at each piece, metres.
    pub points: &'a [f64],
    pub ties: (usize, usize),
    pub drifted: f64,
    /// Tied to no scan.
    pub alone: bool,
    /// Share of it that nothing ties.
    pub loose: f64,
    pub wrong_marks: usize,
    /// Its marks say nothing before the block is on the grid.
    pub waits: bool,
    /// Marks that hold it.
    pub held: usize,
    /// Check points that it stood on and was not held by: how far off in plan and in height, and what was to be expected of each
    /// (95 %), metres.
    pub checks: &'a [(&'a str, [f64; 2], [f64; 2])],
    /// Targets that it saw on its way, and whether they contradict the rest.
    pub seen: &'a [(&'a str, bool)],
}

/// Its marks count once the block is on the grid.
const WAITS: &str = "It stood on control points: fit the block to control, and tie the passes again.";

/// Why a pass has no place; `waits` where its marks say nothing before the block is on the grid.
pub(crate) fn refused(why: RefusedWord, scans: bool, waits: bool) -> String {
    let says = match why {
        RefusedWord::Empty => {
            "no point of the cloud was measured while the unit walked its path: cloud and path are of two walks, or of two clocks"
        }
        RefusedWord::NoPlace if scans => {
            "what it shows agrees with no place in the block, or with several alike: let it begin or end where a scan stands, or \
             say where it stood on control points"
        }
        RefusedWord::NoPlace => "what it shows agrees with no other pass: let passes overlap by a room",
        RefusedWord::FewMarks => {
            "it is held by fewer than two control points three metres apart, and no scan or pass that stands shows where it is: \
             say where it stood, or make check points control"
        }
    };
    if waits { format!("{says}. {WAITS}") } else { says.into() }
}

/// What a pass is fit for, and what speaks against it. Whether it is within what the brief asks for; none where it asks nothing.
pub(crate) fn says(c: &Came<'_>) -> (Option<bool>, Vec<String>) {
    let long = |m: f64| c.brief.length(m);
    let mut out = Vec::new();
    let r = c.brief.requirement;
    let asked = r.spatial95.or(r.horizontal95).or(r.vertical95);
    let fit = asked.map(|a| c.point95[1] <= a);
    if let Some(a) = asked {
        let within = c.points.iter().filter(|p| **p <= a).count() as f64 / c.points.len().max(1) as f64;
        out.push(match fit {
            Some(true) => format!(
                "Fit for what the brief asks: a single point has 95 % of {} at most, asked is {}.",
                long(c.point95[1]),
                long(a)
            ),
            _ if within > 0.0 => format!(
                "Fit for information: {:.0} % of the way is within the {} that the brief asks, the rest is up to {}.",
                100.0 * within,
                long(a),
                long(c.point95[1])
            ),
            _ => format!(
                "Fit for information only: a single point has 95 % of {}, the brief asks {}. Design on the scans.",
                long(c.point95[0]),
                long(a)
            ),
        });
    }
    out.push(format!(
        "Places of its path are known to {} (95 %); the rest of a point is its own noise, which a surface fitted to many loses.",
        long(c.place95)
    ));
    let how = if c.whole {
        "Laid down as one piece, as somebody chose, its path is"
    } else {
        "Placed as one piece its path would be"
    };
    out.push(format!("{how} up to {} off, {} root mean square.", long(c.bends[1]), long(c.bends[0])));
    let [before, after] = c.doubled;
    let share = |d: &StoredDoubled| 100.0 * d.double as f64 / d.compared.max(1) as f64;
    if before.compared > 0 {
        out.push(format!(
            "Of {} places seen twice, {:.0} % lie double as one piece and {:.0} % once its path is corrected; surfaces come back to {} (root mean square).",
            after.compared, share(before), share(after), long(after.rms)
        ));
    } else {
        out.push("No surface was seen twice: nothing but its ties says how far it drifted.".into());
    }
    if c.alone {
        out.push(match c.held {
            0 => "No scan and no mark holds it: its form is that of its loops and of what it shares with other passes."
                .into(),
            1 => "No scan holds it: one mark does, its loops, and what it shares with other passes.".into(),
            n => format!("No scan holds it: {n} marks do, its loops, and what it shares with other passes."),
        });
    }
    if c.loose > 0.2 {
        out.push(format!("{:.0} % of the way is held by the unit's own reckoning alone: a scan, a loop or a control point there would help.", 100.0 * c.loose));
    }
    if c.drifted > 1.5 {
        out.push(format!(
            "The unit lost its way {:.1} times as fast as its profile says: its own figure was used.",
            c.drifted
        ));
    }
    if c.ties.1 > 0 {
        out.push(format!("{} of {} ties contradict the others and do not count.", c.ties.1, c.ties.0 + c.ties.1));
    }
    if c.wrong_marks > 0 {
        out.push(format!(
            "{} of its marks contradict the rest: another point, another moment, or the height over it.",
            c.wrong_marks
        ));
    }
    if c.waits {
        out.push(WAITS.into());
    }
    for (name, [plan, height], [plan95, height95]) in c.checks {
        let off = match plan > plan95 || height > height95 {
            true => "more than is stated of it",
            false => "within what is stated of it",
        };
        out.push(format!(
            "At {name}, which was held back as a check, it is {} off in plan and {} in height, {off} ({} and {} at 95 %).",
            long(*plan),
            long(*height),
            long(*plan95),
            long(*height95)
        ));
    }
    if !c.seen.is_empty() {
        let named = |wrong: bool| {
            let mut names: Vec<&str> = c.seen.iter().filter(|s| s.1 == wrong).map(|s| s.0).collect();
            names.sort_unstable();
            names.dedup();
            names.join(", ")
        };
        let (held, wrong) = (named(false), named(true));
        if !held.is_empty() {
            out.push(format!("Targets that it saw on its way hold it: {held}."));
        }
        if !wrong.is_empty() {
            out.push(format!("Targets that it saw elsewhere than the scans, and which do not count: {wrong}."));
        }
    }
    (fit, out)
}

/// A mark as it is named.
pub(crate) fn mark(time: f64, shown: bool) -> String {
    if shown { "a point that shows in its cloud".into() } else { format!("the mark at {time:.1} s") }
}

/// What distances along a walk say of the order of its marks.
pub(crate) fn order(brief: &Brief, out: &Ordered, said: &[Option<usize>], names: &[&str]) -> Vec<String> {
    let name = |k: Option<usize>| k.map_or("none of the list", |k| names[k]);
    let listed =
        |of: &[usize]| of.iter().map(|m| format!("{} ({})", m + 1, name(said[*m]))).collect::<Vec<_>>().join(", ");
    let [agree, all] = out.off.map(|m| brief.length(m));
    let beyond = said.iter().filter(|s| s.is_none()).count();
    if out.wrong.is_empty() && out.found.is_none() && beyond == 0 {
        return vec![format!("The order agrees: distances along the walk and on the list differ by {agree} at most.")];
    }
    let mut says = Vec::new();
    if !out.wrong.is_empty() {
        says.push(format!(
            "Distances are off by up to {all} in this order. Marks that contradict the others: {}.",
            listed(&out.wrong)
        ));
    }
    if beyond > 0 {
        says.push(format!("There are {beyond} more marks than points on the list."));
    }
    match &out.found {
        Some(found) => {
            let numbers: Vec<usize> = found.iter().flatten().copied().collect();
            if numbers.windows(2).all(|w| w[1] < w[0]) {
                says.push("They fit the list from its end to its beginning.".into());
            }
            let (first, last) = (numbers.iter().min(), numbers.iter().max());
            if let (Some(first), Some(last)) = (first, last) {
                let passed: Vec<&str> = (*first..=*last).filter(|k| !numbers.contains(k)).map(|k| names[k]).collect();
                if !passed.is_empty() {
                    says.push(format!("Passed over: {}.", passed.join(", ")));
                }
            }
            let new = found.iter().zip(said).enumerate().filter(|(_, (f, s))| f != s);
            let new: Vec<String> = new.map(|(m, (f, _))| format!("{} is {}", m + 1, name(*f))).collect();
            if !new.is_empty() {
                says.push(format!("What fits: {}.", new.join(", ")));
            }
            if out.alike {
                says.push("Something else fits as well, distances alone do not decide: look at where it was.".into());
            }
        }
        None => {
            says.push("No order of the list fits better: is it the list of this place, and its unit of length?".into())
        }
    }
    says
}
