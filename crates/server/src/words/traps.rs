//! The traps of a plan in the surveyor's words and the job's units.

use crate::dto::{Brief, TrapDto};
use crate::work::planning::Plan;
use vistazo_core::plan::{LEAST_OVERLAP, Prediction, Trap, inside};
use vistazo_core::targets::{Configuration, Fault};

pub(crate) fn fault(f: Fault) -> &'static str {
    match f {
        Fault::TooFew => "fewer than three",
        Fault::InLine => "nearly in a line",
        Fault::Bunched => "close together",
        Fault::Ambiguous => "a pattern that fits on itself",
    }
}

/// Every trap, and the hazards that stations stand in.
pub(crate) fn all(plan: &Plan, brief: &Brief, found: &[Trap], p: &Prediction) -> Vec<TrapDto> {
    let mut out: Vec<TrapDto> = found.iter().map(|t| one(plan, brief, t)).collect();
    for (_, s) in &plan.stations {
        if let Some((name, _)) = plan.hazards.iter().find(|h| inside(&h.1, &s.position.xy())) {
            out.push(TrapDto {
                grade: "doubtful".into(),
                title: format!("{} stands in a hazard: {name}", s.name),
                text: "Follow the site's rules there, or move it out; the field copy repeats the caution.".into(),
                about: vec![s.name.clone()],
                at: Some([s.position.x, s.position.y]),
                mend: None,
            });
        }
    }
    // the one that comes farthest beyond the limit of where it is
    let beyond = (0..p.used.len()).filter_map(|k| {
        let t = p.used[k];
        let (worst, limit) = (p.target_error(k)?.spatial, plan.limit_at(brief, &plan.targets[t].1.position)?);
        (worst > limit).then_some((t, worst, limit))
    });
    let beyond = beyond.max_by(|a, b| (a.1 / a.2).total_cmp(&(b.1 / b.2)));
    if let (Some((t, worst, limit)), true) = (beyond, p.on_grid.is_some()) {
        let target = &plan.targets[t].1;
        out.insert(
            0,
            TrapDto {
                grade: "failed".into(),
                title: format!(
                    "{} would come out at {}, against {}",
                    target.name,
                    brief.length(worst),
                    brief.length(limit)
                ),
                text: "3-D, 95 %. The budget says what it is made of, and the advice which one change helps most."
                    .into(),
                about: vec![target.name.clone()],
                at: Some([target.position.x, target.position.y]),
                mend: None,
            },
        );
    }
    out.sort_by_key(|t| t.grade != "failed");
    out
}

fn one(plan: &Plan, brief: &Brief, trap: &Trap) -> TrapDto {
    let st = |s: usize| plan.stations[s].1.name.clone();
    let place = |s: usize| Some([plan.stations[s].1.position.x, plan.stations[s].1.position.y]);
    let percent = |v: f64| format!("{:.0} %", 100.0 * v);
    let limit = percent(LEAST_OVERLAP);
    let (grade, title, text, about, at) = match trap {
        Trap::Apart(groups) => {
            let rest: Vec<String> = groups[1..].iter().flatten().map(|&s| st(s)).collect();
            (
                "failed",
                format!("The stations fall into {} groups", groups.len()),
                format!(
                    "Nothing ties {} to the others: less than {limit} overlap and fewer than 3 shared targets. Unrelated groups must not be forced together; a station or targets between them are needed.",
                    rest.join(", ")
                ),
                rest.clone(),
                place(groups[1][0]),
            )
        }
        Trap::OneTie([a, b], overlap, targets) => (
            "doubtful",
            format!("Two parts hang together by {}–{} only", st(*a), st(*b)),
            format!(
                "{} overlap, {targets} shared targets. If that tie is wrong, nothing tells; one more link between the two parts checks it.",
                percent(*overlap)
            ),
            vec![st(*a), st(*b)],
            place(*b),
        ),
        Trap::ThinOverlap([a, b], overlap) => (
            "doubtful",
            format!("{} and {} follow one another and share {}", st(*a), st(*b), percent(*overlap)),
            format!("Under {limit} is trouble, 35 % is the aim, or 3 well-placed targets that both see."),
            vec![st(*a), st(*b)],
            place(*b),
        ),
        Trap::WeakTargets([a, b], targets, c) => {
            let names: Vec<String> = targets.iter().map(|&t| plan.targets[t].1.name.clone()).collect();
            let words: Vec<&str> = c.faults.iter().map(|f| fault(*f)).collect();
            (
                "doubtful",
                format!("The targets that {} and {} share are {}", st(*a), st(*b), words.join(" and ")),
                weak(brief, &names, c),
                [vec![st(*a), st(*b)], names].concat(),
                place(*a),
            )
        }
        Trap::Repeating([a, b], alike) => (
            "doubtful",
            format!("Only look-alike surfaces tie {} to {}", st(*a), st(*b)),
            format!(
                "{alike} stretches of wall are alike: a match one bay off fits as well. Give the two 3 shared targets."
            ),
            vec![st(*a), st(*b)],
            place(*b),
        ),
        Trap::Slides([a, b], along, direction) => (
            "doubtful",
            format!("The clouds of {} and {} slide on each other", st(*a), st(*b)),
            format!(
                "What both see leaves one direction open, {}: {} at 95 %. Give the two 3 shared targets, or a station that sees something across.",
                if direction.z.abs() > 0.7 {
                    "up and down".to_owned()
                } else {
                    let bearing = direction.x.atan2(direction.y).to_degrees().rem_euclid(180.0);
                    format!("along {bearing:.0}°")
                },
                brief.length(*along)
            ),
            vec![st(*a), st(*b)],
            place(*b),
        ),
        Trap::Doorway(d) => (
            "doubtful",
            format!("{} needs a station in the doorway", d.name),
            format!(
                "{} and {} stand on its two sides and no link goes through it.",
                st(d.between[0]),
                st(d.between[1])
            ),
            vec![st(d.between[0]), st(d.between[1])],
            Some([d.at.x, d.at.y]),
        ),
        Trap::FewControl(n) => (
            "doubtful",
            if *n == 0 {
                "No target is control".to_owned()
            } else {
                format!("Only {n} target{} will be control", if *n == 1 { "" } else { "s" })
            },
            "At least 3, spread round the whole site, put the block on the grid; 4 or more show when one is wrong."
                .into(),
            vec![],
            None,
        ),
        Trap::ControlInCorner(share) => (
            "doubtful",
            "All control lies in one part of the site".into(),
            format!(
                "It spans {} of the site. Errors grow with the distance from the control; spread it round everything that has to come out right.",
                percent(*share)
            ),
            vec![],
            None,
        ),
        Trap::ControlInLine(off) => (
            "failed",
            "The control lies nearly in a line".into(),
            format!("None is farther than {} from it: the block could turn about that line.", brief.length(*off)),
            vec![],
            None,
        ),
        Trap::NoCheck(n) => (
            "doubtful",
            "All known points are used to fit, none to check".into(),
            format!(
                "With all {n} in the fit nothing independent shows how good it is. Hold some back as check points."
            ),
            vec![],
            None,
        ),
        Trap::Unmeasured(t, n) => {
            let t = &plan.targets[*t].1;
            let who = if *n == 0 { "No station" } else { "Only one station" };
            let mark = t.kind == vistazo_core::plan::PlannedKind::Mark;
            let why = if mark { "A mark is measured by the stations that stand over it or sight it; one that is not known ties what two stations measure." } else { "It is too far for the density, hidden, or seen too obliquely; a target ties only what two stations measure." };
            ("doubtful", format!("{who} will measure {}", t.name), why.into(), vec![t.name.clone()], Some([t.position.x, t.position.y]))
        }
        Trap::CannotSight(s, t) => (
            "failed",
            format!("{} cannot sight {}", st(*s), plan.targets[*t].1.name),
            match brief.instrument.sighting_sigma {
                None => "The instrument of the brief sights no reflectors: give the station scanned targets, or take one that does.".to_owned(),
                Some(_) => format!("It sights from {} to {}.", brief.length(brief.instrument.min_range), brief.length(brief.instrument.max_range)),
            },
            vec![st(*s), plan.targets[*t].1.name.clone()],
            place(*s),
        ),
        Trap::SightBlocked(s, t) => (
            "failed",
            format!("{} does not see {}", st(*s), plan.targets[*t].1.name),
            "Something stands in the line to a reflector 1.5 m over the mark. Move the station, or sight another mark.".into(),
            vec![st(*s), plan.targets[*t].1.name.clone()],
            place(*s),
        ),
        Trap::ShortBacksight(s, back, far) => (
            "doubtful",
            format!("The backsight of {} is short: {}", st(*s), brief.length(*back)),
            format!(
                "It turns what the station measures up to {} away: 1 mm at the backsight becomes {} there. Sight a mark at least a third as far as what is measured.",
                brief.length(*far),
                brief.length(0.001 * far / back)
            ),
            vec![st(*s)],
            place(*s),
        ),
        Trap::NoBacksight(s) => (
            "failed",
            format!("Nothing tells the heading of {}", st(*s)),
            "It stands over a mark and measures no other: give it a backsight, or targets that its scan shows.".into(),
            vec![st(*s)],
            place(*s),
        ),
        Trap::NoGo(s) => (
            "failed",
            format!("{} stands where no instrument may", st(*s)),
            "Move it out of the no-go area.".into(),
            vec![st(*s)],
            place(*s),
        ),
        Trap::NearEdge(s, away, drop) => (
            "failed",
            format!("{} stands {} from an edge", st(*s), brief.length(*away)),
            format!("The ground falls by {} there. Keep a metre away with people and tripod, or more where the site says so.", brief.length(*drop)),
            vec![st(*s)],
            place(*s),
        ),
        Trap::NoFloor(s) => (
            "failed",
            format!("{} stands where its storey has no floor", st(*s)),
            "The floor drawn below it does not reach there. Move it, or draw the floor; keep away from openings in floors.".into(),
            vec![st(*s)],
            place(*s),
        ),
        Trap::Blocked(s) => (
            "failed",
            format!("{} stands in or against something", st(*s)),
            "A tripod needs some 0.35 m round it.".into(),
            vec![st(*s)],
            place(*s),
        ),
        Trap::Inaccurate(surface, worst, limit) => {
            let name = plan.surface(*surface).1.clone();
            (
                "failed",
                format!("{name} would come out at {}, against {}", brief.length(*worst), brief.length(*limit)),
                "3-D, 95 %, at its weakest piece that is covered; the map of the predicted error shows where.".into(),
                vec![name],
                None,
            )
        }
        Trap::Uncovered(surface, share) => {
            let name = plan.surface(*surface).1.clone();
            (
                "doubtful",
                format!("{} of {name} is covered", percent(*share)),
                "The map shows where, and why not: hidden, too far, too oblique or too coarse.".into(),
                vec![name],
                None,
            )
        }
    };
    let control =
        matches!(trap, Trap::FewControl(_) | Trap::ControlInCorner(_) | Trap::ControlInLine(_) | Trap::NoCheck(_));
    TrapDto { grade: grade.into(), title, text, about, at, mend: control.then(|| "control".into()) }
}

fn weak(brief: &Brief, names: &[String], c: &Configuration) -> String {
    let mut text = format!("{}: spread {}", names.join(", "), brief.length(c.spread));
    if c.faults.contains(&Fault::InLine) {
        text += &format!(
            "; none is farther than {} from one line, so the scan can turn about it",
            brief.length(c.off_line)
        );
    }
    if c.faults.contains(&Fault::Ambiguous) {
        let pairs: Vec<String> = c.mistaken.iter().map(|(i, j)| format!("{} for {}", names[*i], names[*j])).collect();
        text += &format!("; taking {} changes no distance by more than {}", pairs.join(", "), brief.length(c.distinct));
    }
    if c.faults.contains(&Fault::Bunched) {
        text += "; small against the distance between the stations, so the heading is weak";
    }
    text + "."
}
