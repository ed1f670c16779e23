//! What a registration says.

use super::{chance, parameter, plural, turn};
use crate::dto::{Brief, FindingDto, FindingKind};
use crate::record::Parameter;
use crate::record::registration::{Detail, Finding, Reason, Refusal, Registration, Rival, SizeFault, Unplaced, What};
use vistazo_core::stats::K95_1D;

/// Why there is no block.
pub(crate) fn refusal(r: &Refusal) -> String {
    match r {
        Refusal::TooFewScans { found } => format!(
            "there {} {found} scan{}; at least 2 that share 3 targets are needed",
            if *found == 1 { "is" } else { "are" },
            plural(*found)
        ),
        Refusal::NoTargets { other_size, waiting } => {
            let more = if *other_size > 0 {
                format!(" ({other_size} of another size were found: see below)")
            } else {
                String::new()
            };
            let clouds = if *waiting > 0 {
                undecided(*waiting)
            } else {
                "or find ties by clouds, from what the scans themselves show".to_owned()
            };
            format!(
                "no targets were found in any scan{more}: check the sphere diameter and checkerboard size in the brief, and that the targets stand within range; {clouds}"
            )
        }
        Refusal::NothingTied { waiting } => {
            let more = if *waiting > 0 { format!("; {}", undecided(*waiting)) } else { String::new() };
            format!(
                "no two scans have 3 targets in common, nor set-ups over the same marks, nor a sound tie by clouds: nothing ties them together{more}"
            )
        }
        Refusal::Loose { scans } => {
            let all: Vec<String> = scans.iter().map(|(scan, hangs, line)| loose(scan, hangs, *line)).collect();
            format!("the block is not determined: {}", all.join("; "))
        }
        Refusal::Diverged { iterations } => format!(
            "the adjustment did not converge in {iterations} iterations: the approximate poses are too far off, or an observation is grossly wrong"
        ),
        Refusal::Other { reason } => reason.clone(),
    }
}

/// Ties by clouds that nobody has decided about.
fn undecided(waiting: usize) -> String {
    if waiting == 1 {
        "1 tie by clouds is doubtful and waits for you: look at its slices, and accept or reject it".into()
    } else {
        format!(
            "{waiting} ties by clouds are doubtful and wait for you: look at their slices, and accept or reject them"
        )
    }
}

/// By what a scan hangs that is not held.
pub(crate) fn loose(scan: &str, hangs: &[String], line: bool) -> String {
    match hangs {
        _ if line => format!(
            "{scan} shares {}, which do not hold it: they lie in a line; one more target off that line is needed",
            hangs.join(", ")
        ),
        [] => format!("{scan} shares no target with another scan: nothing holds it; 3 shared targets are needed"),
        [a] => format!(
            "{scan} hangs on {a} only: it can turn about that point in any direction; 2 more shared targets are needed"
        ),
        [a, b, ..] => format!(
            "{scan} hangs on {a} and {b} only: it can turn about the line through them; one more shared target off that line is needed"
        ),
    }
}

/// Why a tie has its grade.
pub(crate) fn reason(brief: &Brief, record: &Registration, r: &Reason) -> String {
    let length = |v: f64| brief.length(v);
    match r {
        Reason::TooFew { count } => {
            format!("{count} shared target{}: too few to stand alone, supports the block only", plural(*count))
        }
        Reason::Apart { gap } => {
            format!("the two scans put a shared target {} apart, more than their noise explains", length(*gap))
        }
        Reason::Suspect { targets } => {
            let names: Vec<&str> = targets.iter().map(|&t| record.targets[t].name.as_str()).collect();
            format!("the tests point at {}", names.join(", "))
        }
        Reason::InLine { count, breadth } => format!(
            "the {count} shared targets lie almost in a line (breadth {:.0} % of length): the tie can turn about it",
            breadth * 100.0
        ),
        Reason::OnlyThree => "3 shared targets: nothing left over to check them with".into(),
        Reason::AmbiguousAlone => {
            "alone, the shared targets would fit in more than one way; the rest of the block decides".into()
        }
        Reason::WellSpread { count, spread, gap } => {
            format!("{count} shared targets over {}, well spread, largest gap {}", length(*spread), length(*gap))
        }
    }
}

/// What asks for a decision: what was found, the evidence, what it means.
pub(crate) fn finding(brief: &Brief, record: &Registration, f: &Finding, kept: bool) -> FindingDto {
    let blank = FindingDto {
        key: f.key.clone(),
        kind: FindingKind::Outlier,
        title: String::new(),
        evidence: Vec::new(),
        meaning: String::new(),
        before: Vec::new(),
        after: Vec::new(),
        target: None,
        kept,
    };
    match &f.what {
        What::Moved { target, before, after, .. } => FindingDto {
            kind: FindingKind::Moved,
            title: moved_title(&f.what),
            evidence: moved_evidence(brief, record, &f.what),
            meaning: format!(
                "Left in, it bends the block: the residuals scatter {:.1} times as far as the stated noise explains, and all errors are stated accordingly. Leaving out one side, or treating it as two targets, mends it.",
                record.statistics.variance[0].sqrt()
            ),
            before: before.clone(),
            after: after.clone(),
            target: Some(target.clone()),
            ..blank
        },
        What::Outlier { observation, target, left_out, .. } => FindingDto {
            title: outlier_title(&f.what),
            evidence: outlier_evidence(brief, &f.what),
            meaning: if *left_out {
                "It is so far off that nothing could be adjusted with it: it was left out. Correct the log or exclude the observation, and run again.".into()
            } else {
                "Leave it out and run again, or keep it with a note why.".into()
            },
            after: observation.iter().copied().collect(),
            target: target.clone(),
            ..blank
        },
        What::Tripod { scan, before, after, .. } => FindingDto {
            kind: FindingKind::Tripod,
            title: format!("The tripod of {scan} was knocked while it scanned"),
            evidence: tripod_evidence(brief, &f.what),
            meaning: "What it shows after the knock lies beside what it shows before, the cloud too. Scan it again if you can. Leaving out the sightings of one part mends the targets; only the other part of its cloud is then right.".into(),
            before: before.clone(),
            after: after.clone(),
            ..blank
        },
        What::Instrument { scan, estimate, p_family, others, rivals } => FindingDto {
            kind: FindingKind::Instrument,
            title: match scan {
                Some(s) => format!("In {s} the instrument's {} is outside its profile", parameter(estimate.parameter)),
                None => format!("The instrument's {} is outside its profile", parameter(estimate.parameter)),
            },
            evidence: [format!(
                "it comes out at {} ± {} (95 %) where the profile states {} (1σ); {} that any of the tests comes out like this by chance",
                amount(brief, estimate.parameter, estimate.value),
                amount(brief, estimate.parameter, estimate.sigma * K95_1D),
                amount(brief, estimate.parameter, estimate.stated),
                chance(*p_family)
            )]
            .into_iter()
            .chain(beside(rivals, *others))
            .collect(),
            meaning: "The block solves for it, so it is taken into account in targets and stations; it bends every cloud alike. Have the instrument checked, or widen its figure in the brief if it is known.".into(),
            ..blank
        },
        What::NotLevel { scan, tilt, sigma } => FindingDto {
            kind: FindingKind::NotLevel,
            title: format!("{scan} is not level, though it is said to be"),
            evidence: vec![
                format!("its axis leans {} from the plumb line", turn(*tilt)),
                format!("a levelled scan of this instrument leans {} (1σ)", turn(*sigma)),
            ],
            meaning: "It was placed by its targets alone and its level was not used. Correct “levelled” in its log, or find out what happened on site.".into(),
            ..blank
        },
        What::Unplaced { scan, why } => FindingDto {
            kind: FindingKind::Unplaced,
            title: format!("{scan} has no place in the block"),
            evidence: vec![unplaced(scan, *why)],
            meaning: "The other scans are adjusted without it. Its points are not delivered until it is tied in.".into(),
            ..blank
        },
        What::Size { fault, count, agreeing, typical } => {
            let nominal = brief.length(brief.sphere_diameter.unwrap_or(0.0));
            let (title, evidence, meaning) = match fault {
                SizeFault::MixUp => (
                    "Sphere diameter and radius are mixed up in the brief",
                    format!("{count} spheres measure {} across; the brief says {nominal}", brief.length(*typical)),
                    "Correct the sphere diameter in the brief and run again; the centres then follow.",
                ),
                SizeFault::Other => (
                    "Most spheres are of another size than the brief says",
                    format!("{count} of another size, {} across as a rule; {agreeing} of {nominal}", brief.length(*typical)),
                    "Check the sphere diameter in the brief.",
                ),
            };
            FindingDto {
                kind: FindingKind::Size,
                title: title.into(),
                evidence: vec![evidence],
                meaning: meaning.into(),
                ..blank
            }
        }
    }
}

/// A value of a parameter in the unit it is read in.
pub(crate) fn amount(brief: &Brief, p: Parameter, v: f64) -> String {
    let sign = if v < 0.0 { "−" } else { "" };
    match p {
        Parameter::RangeOffset | Parameter::BoardOffset | Parameter::Settling => brief.length(v),
        Parameter::RangeScale => format!("{sign}{:.0} ppm", 1e6 * v.abs()),
        Parameter::Collimation | Parameter::Trunnion | Parameter::Index | Parameter::Turning => {
            format!("{sign}{}", turn(v))
        }
    }
}

fn moved_title(what: &What) -> String {
    let What::Moved { target, before_scan, after_scan, .. } = what else { return String::new() };
    format!("{target} was moved between {before_scan} and {after_scan}")
}

fn moved_evidence(brief: &Brief, record: &Registration, what: &What) -> Vec<String> {
    let What::Moved { shift, sigma, statistic, dof, p_family, single_sided, others, rivals, .. } = what else {
        return Vec::new();
    };
    let [x, y, z] = *shift;
    let mut out = vec![
        format!(
            "shift {} ± {} (95 %), {} horizontally, {} up",
            brief.length(x.hypot(y).hypot(z)),
            brief.length(sigma * K95_1D),
            brief.length(x.hypot(y)),
            brief.length(z)
        ),
        format!(
            "test value {statistic:.0} with {dof} degrees of freedom; {} that any of the tests comes out like this by chance; global test of the block {}",
            chance(*p_family),
            chance(record.statistics.global_p)
        ),
    ];
    if *single_sided {
        out.push("one side rests on a single scan: a wrong measurement there would explain the same".into());
    }
    out.extend(beside(rivals, *others));
    out
}

/// What else explains it as well, and what is weaker.
fn beside(rivals: &[Rival], others: usize) -> Vec<String> {
    let mut out = Vec::new();
    if !rivals.is_empty() {
        let all: Vec<String> = rivals.iter().map(rival).collect();
        out.push(format!(
            "the observations cannot tell it from this: {}; look on site before deciding",
            all.join(", or ")
        ));
    }
    if others > 0 {
        out.push(format!("{others} weaker suspicion{} may be its shadow: run again after deciding", plural(others)));
    }
    out
}

fn rival(r: &Rival) -> String {
    match r {
        Rival::Moved { target, before_scan, after_scan } => {
            format!("{target} was moved between {before_scan} and {after_scan}")
        }
        Rival::Tripod { scan } => format!("the tripod of {scan} was knocked while it scanned"),
        Rival::Outlier { kind, target, scan } => {
            lower(&disagrees(kind, target.as_deref().unwrap_or("?"), scan.as_deref().unwrap_or("?")))
        }
        Rival::Instrument { scan: Some(s), parameter: p } => {
            format!("in {s} the instrument’s {} is outside its profile", parameter(*p))
        }
        Rival::Instrument { scan: None, parameter: p } => {
            format!("the instrument’s {} is outside its profile", parameter(*p))
        }
    }
}

/// A sentence that begins with an article, within another.
fn lower(sentence: &str) -> String {
    match sentence.strip_prefix("The ").or(sentence.strip_prefix("A ")) {
        Some(rest) if sentence.starts_with("The ") => format!("the {rest}"),
        Some(rest) => format!("a {rest}"),
        None => sentence.to_owned(),
    }
}

fn tripod_evidence(brief: &Brief, what: &What) -> Vec<String> {
    let What::Tripod {
        between,
        shift,
        sigma,
        turn: by,
        turn_sigma,
        statistic,
        dof,
        p_family,
        others,
        rivals,
        before,
        after,
        ..
    } = what
    else {
        return Vec::new();
    };
    let [x, y, z] = *shift;
    let mut out = vec![
        format!(
            "it moved {} ± {} (95 %), {} up, and turned {} ± {}",
            brief.length(x.hypot(y).hypot(z)),
            brief.length(sigma * K95_1D),
            brief.length(z),
            turn(*by),
            turn(turn_sigma * K95_1D)
        ),
        format!(
            "between {:.0}° and {:.0}° of its turn: {} targets before, {} after",
            between[0].to_degrees(),
            between[1].to_degrees(),
            before.len(),
            after.len()
        ),
        format!(
            "statistic {statistic:.0} with {dof} degrees of freedom; {} that any of the tests comes out like this by chance",
            chance(*p_family)
        ),
    ];
    out.extend(beside(rivals, *others));
    out
}

fn outlier_title(what: &What) -> String {
    let What::Outlier { kind, target, scan, .. } = what else { return String::new() };
    disagrees(kind, target.as_deref().unwrap_or("?"), scan.as_deref().unwrap_or("?"))
}

fn disagrees(kind: &str, target: &str, scan: &str) -> String {
    match kind {
        "Level" => format!("The level of {scan} does not agree with its targets"),
        "OccupiedMark" => {
            format!("The set-up of {scan} over {target} does not agree with the rest: height, centring or mark")
        }
        "Backsight" => {
            format!("The backsight from {scan} to {target} does not agree with the rest: height, point or reading")
        }
        "Distance" => format!("The distance measured from {target} does not agree with the scans"),
        "CloudTie" => format!("A tie by clouds of {scan} does not agree with the rest"),
        "Held" => format!(
            "The held shape of {scan} does not agree with the rest: let the group go, or look at what came later"
        ),
        "TrackedPose" => format!("The tracked pose of {scan} does not agree with the rest"),
        _ => format!("{target} as measured in {scan} does not agree with the other scans"),
    }
}

fn outlier_evidence(brief: &Brief, what: &What) -> Vec<String> {
    let What::Outlier { residual, angular, statistic, dof, p_family, detectable, others, rivals, .. } = what else {
        return Vec::new();
    };
    let size = |v: f64| if *angular { turn(v) } else { brief.length(v) };
    let mut out = vec![
        format!(
            "residual {}, test value {statistic:.0} with {dof} degree{} of freedom; {} that any of the tests comes out like this by chance",
            size(*residual),
            plural(*dof),
            chance(*p_family)
        ),
        format!("minimal detectable bias here: {}", detectable.map_or_else(|| "none, it is not checked".into(), size)),
    ];
    out.extend(beside(rivals, *others));
    out
}

fn unplaced(name: &str, why: Unplaced) -> String {
    match why {
        Unplaced::NoTargets => {
            format!(
                "no targets were found in {name}, and no sound tie by clouds holds it: check the sphere diameter and that targets stand within range, or find ties by clouds"
            )
        }
        Unplaced::Few(n) => format!("{name} shows {n} target{}; 3 shared with other scans are needed", plural(n)),
        Unplaced::Ambiguous(_) => format!(
            "the targets of {name} fit the block in two ways equally well (symmetrical or repeating layout); one more target off the pattern would decide"
        ),
        Unplaced::NoLayout(n) => format!(
            "{name} shows {n} targets, but no 3 of them lie as any 3 of the other scans do: it shares too little, targets moved, or it is of another place"
        ),
        Unplaced::Apart => format!("{name} was set apart with its group; take the group in again to join it"),
    }
}

/// A loop of ties, by name.
pub(crate) fn ring(record: &Registration, d: &Detail, k: usize) -> String {
    let names: Vec<&str> = d.loops[k].scans.iter().map(|&s| record.scans[s].name.as_str()).collect();
    format!("{}–{}", names.join("–"), names.first().copied().unwrap_or(""))
}
