use super::{Input, Registration, register};

/// What scans are brought together by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum School {
    /// Targets, and set-ups over marks.
    Targets,
    /// What the scans show of the same surfaces.
    Clouds,
    /// Both, each by its covariance.
    Both,
}

/// What a registration by one of them gives.
#[derive(Clone, Debug, PartialEq)]
pub struct Outcome {
    /// By what.
    pub by: School,
    /// Scans that have a place.
    pub placed: usize,
    /// Largest 3-D 95 % among them, metres, and its scan.
    pub worst: Option<(f64, usize)>,
    /// Findings that ask for a decision.
    pub to_decide: usize,
    /// Chance of residuals this large when nothing is wrong.
    pub p: Option<f64>,
}

/// What to register a site by, and why.
#[derive(Clone, Debug, PartialEq)]
pub struct Advice {
    /// The one to take.
    pub take: School,
    /// Why, the weightiest first.
    pub why: Vec<Why>,
    /// What each gives.
    pub outcomes: Vec<Outcome>,
}

/// A reason for or against.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Why {
    /// It leaves so many scans without a place.
    Leaves(School, usize),
    /// It holds every scan, the worst within the requirement.
    Does(School, f64),
    /// It holds every scan, but its worst is beyond the requirement: metres, and the limit.
    Beyond(School, f64, f64),
    /// So many ties by clouds have a second place nearly as good: what the scans show repeats.
    Repeats(usize, usize),
    /// So many ties by clouds are held by nothing in one direction.
    Slides(usize, usize),
    /// With both the worst station is known so much better than with targets alone: metres.
    Better(f64, f64),
    /// Coordinates are given to targets: without them the block cannot be put on the grid.
    ControlNeedsTargets,
    /// The clouds were not compared yet: find ties by clouds first.
    NotCompared,
}

/// What is known of the ties by clouds that were looked for.
#[derive(Clone, Copy, Debug, Default)]
pub struct Compared {
    /// All that share something.
    pub ties: usize,
    /// Those with a second place nearly as good.
    pub repeating: usize,
    /// Those that slide.
    pub sliding: usize,
}

/// Better by less than this is not worth the second school.
const WORTH: f64 = 0.75;

/// Registers by targets, by clouds and by both, and says which to take.
///
/// `limit` is the requirement in space, 95 %, metres; `control` tells whether coordinates are given to targets.
pub fn advise(input: &Input, compared: Compared, limit: Option<f64>, control: bool) -> Advice {
    let outcomes: Vec<Outcome> = [School::Targets, School::Clouds, School::Both].map(|s| outcome(input, s)).into();
    let scans = input.scans.len();
    let of = |s: School| outcomes.iter().find(|o| o.by == s);
    let whole = |o: &Outcome| o.placed == scans && scans > 1;
    let worst = |s: School| of(s).filter(|o| whole(o)).and_then(|o| o.worst).map(|w| w.0);
    let does = |s: School| worst(s).filter(|w| limit.is_none_or(|l| *w <= l));
    let repeats = compared.repeating > 0;
    let take = if does(School::Clouds).is_some() && !repeats && !control {
        School::Clouds
    } else if let Some(t) = does(School::Targets) {
        if does(School::Both).is_some_and(|b| b < WORTH * t) { School::Both } else { School::Targets }
    } else {
        School::Both
    };
    let mut why = Vec::new();
    if compared.ties == 0 {
        why.push(Why::NotCompared);
    }
    for o in &outcomes {
        match (whole(o), o.worst, limit) {
            (false, ..) => why.push(Why::Leaves(o.by, scans - o.placed)),
            (true, Some((w, _)), Some(l)) if w > l => why.push(Why::Beyond(o.by, w, l)),
            (true, Some((w, _)), _) => why.push(Why::Does(o.by, w)),
            _ => {}
        }
    }
    if control {
        why.push(Why::ControlNeedsTargets);
    }
    if repeats {
        why.push(Why::Repeats(compared.repeating, compared.ties));
    }
    if compared.sliding > 0 {
        why.push(Why::Slides(compared.sliding, compared.ties));
    }
    if let (School::Both, Some(t), Some(b)) = (take, worst(School::Targets), worst(School::Both)) {
        why.push(Why::Better(t, b));
    }
    Advice { take, why, outcomes }
}

fn outcome(input: &Input, by: School) -> Outcome {
    let mut only = input.clone();
    if by == School::Targets {
        only.cloud_ties.clear();
    }
    if by == School::Clouds {
        for s in &mut only.scans {
            s.targets.clear();
            s.excluded.clear();
            s.set_up = None;
        }
    }
    let r: Registration = register(&only);
    let Ok(block) = &r.block else {
        return Outcome { by, placed: 0, worst: None, to_decide: r.findings.len(), p: None };
    };
    let worst = (0..r.placed.scans.len())
        .map(|k| (block.solution.station_error(k).spatial, r.placed.scans[k]))
        .max_by(|a, b| a.0.total_cmp(&b.0));
    Outcome { by, placed: r.placed.scans.len(), worst, to_decide: r.findings.len(), p: Some(block.solution.global_p) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::{Mat3, Pose, Vec3};
    use crate::registration::{CloudTieInput, Observed, ScanInput};
    use crate::targets::TargetKind;
    use crate::tie::{Grade, SharedInTie};
    use nalgebra::Matrix6;

    /// Three scans: the first two share targets, the third hangs on a tie by clouds.
    fn site(targets: bool) -> Input {
        let places = [(1.0, 6.0, 1.2), (8.0, 2.0, 1.5), (3.0, -4.0, 0.8), (9.0, 9.0, 1.9)];
        let at = |k: usize| Pose::levelled(0.4 * k as f64, Vec3::new(5.0 * k as f64, 1.0, 0.0));
        let scan = |k: usize| ScanInput {
            name: format!("S{k}"),
            compensator: Some(1.5e-5),
            targets: (0..if targets && k < 2 { 4 } else { 0 })
                .map(|id| Observed {
                    id: 10 * k + id,
                    kind: TargetKind::Sphere,
                    group: 0,
                    centre: at(k).inverse().apply(&Vec3::new(places[id].0, places[id].1, places[id].2)),
                    covariance: Mat3::identity() * 1e-6,
                })
                .collect(),
            ..ScanInput::default()
        };
        let tie = |id: usize, scans: (usize, usize)| CloudTieInput {
            id: 100 + id,
            scans,
            relative: at(scans.0).inverse().compose(&at(scans.1)),
            covariance: Matrix6::identity() * 1e-7,
            shared: SharedInTie::default(),
            grade: Grade::Sound,
        };
        let cloud_ties = vec![tie(0, (0, 1)), tie(1, (1, 2)), tie(2, (0, 2))];
        Input { scans: (0..3).map(scan).collect(), cloud_ties, ..Input::default() }
    }

    #[test]
    fn clouds_are_taken_where_they_do_and_nothing_repeats() {
        let seen = Compared { ties: 3, ..Compared::default() };
        let a = advise(&site(true), seen, Some(0.006), false);
        assert_eq!(a.take, School::Clouds, "{a:?}");
        assert!(a.why.contains(&Why::Leaves(School::Targets, 1)), "{a:?}");
        let placed: Vec<usize> = a.outcomes.iter().map(|o| o.placed).collect();
        assert_eq!(placed, [2, 3, 3]);
    }

    #[test]
    fn what_repeats_or_goes_onto_a_grid_needs_targets_too() {
        let repeats = Compared { ties: 3, repeating: 2, sliding: 0 };
        let a = advise(&site(true), repeats, Some(0.006), false);
        assert_eq!(a.take, School::Both);
        assert!(a.why.contains(&Why::Repeats(2, 3)));
        let a = advise(&site(true), Compared { ties: 3, ..Compared::default() }, Some(0.006), true);
        assert_eq!((a.take, a.why.contains(&Why::ControlNeedsTargets)), (School::Both, true));
        // nobody compared the clouds yet
        let mut bare = site(true);
        bare.cloud_ties.clear();
        let a = advise(&bare, Compared::default(), Some(0.006), false);
        assert_eq!(a.why[0], Why::NotCompared);
    }
}
