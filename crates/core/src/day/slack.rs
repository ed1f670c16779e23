//! What breaks first.

use super::problem::{Order, Problem};
use super::simulate::timetable;
use super::timetable::{Start, Timetable};

/// Something that may take longer than planned.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Part {
    /// Setting up.
    SetUp,
    /// Scanning.
    Scan,
    /// Photographs.
    Photographs,
    /// Walking.
    Walk,
    /// Putting targets up and taking them down.
    Targets,
    /// Occupations and walks with a mobile unit.
    Errands,
    /// Arriving, induction, checking, packing.
    Around,
    /// Batteries that run shorter.
    Battery,
}

impl Part {
    /// All of them.
    pub const ALL: [Self; 8] = [
        Self::SetUp,
        Self::Scan,
        Self::Photographs,
        Self::Walk,
        Self::Targets,
        Self::Errands,
        Self::Around,
        Self::Battery,
    ];
}

/// How much longer a part may take.
#[derive(Clone, Debug, PartialEq)]
pub struct Give {
    /// Which.
    pub part: Part,
    /// Share it may take longer (of batteries: run shorter) before something falls out; `None` when it may take
    /// twice as long (run half as long).
    pub share: Option<f64>,
    /// The stop that falls out first then.
    pub stop: Option<usize>,
    /// Seconds by which the last day ends later when it takes a fifth longer; nothing falls out of it by then.
    pub later: Option<f64>,
}

/// A fifth longer.
const FIFTH: f64 = 0.2;

/// How much longer each part may take before a stop or an errand no longer fits, what gives least first. Found by
/// making the timetable again: a part that takes longer may move a rest or a window, so that more of it is not always worse,
/// and what is stated is where it breaks first along a grid of 5 %, made finer to 1 %.
pub fn breaks_first(problem: &Problem, order: &Order, start: Option<&Start>) -> Vec<Give> {
    let base = timetable(problem, order, start);
    let fallen = |t: &Timetable| {
        let was: Vec<usize> = base.left.iter().map(|l| l.0).collect();
        let stop = t.left.iter().map(|l| l.0).find(|k| !was.contains(k));
        (t.left.len() + t.errands_left.len() > base.left.len() + base.errands_left.len()).then_some(stop)
    };
    let end = |t: &Timetable| t.ends.iter().flatten().copied().fold(0.0, f64::max);
    let mut out: Vec<Give> = Vec::new();
    for part in Part::ALL.into_iter().filter(|p| matters(problem, *p)) {
        let at = |share: f64| timetable(&longer(problem, part, share), order, start);
        let coarse = (1..=20).map(|i| f64::from(i) * 0.05).find(|s| fallen(&at(*s)).is_some());
        let share = coarse.map(|s| {
            let finer = (1..5).map(|i| s - 0.05 + f64::from(i) * 0.01);
            finer.into_iter().find(|f| fallen(&at(*f)).is_some()).unwrap_or(s)
        });
        let fifth = at(FIFTH);
        out.push(Give {
            part,
            share,
            stop: share.and_then(|s| fallen(&at(s)).flatten()),
            later: fallen(&fifth).is_none().then(|| end(&fifth) - end(&base)),
        });
    }
    out.sort_by(|a, b| a.share.unwrap_or(9.0).total_cmp(&b.share.unwrap_or(9.0)));
    out
}

fn matters(p: &Problem, part: Part) -> bool {
    match part {
        Part::Photographs => p.stops.iter().any(|s| s.photographs > 0.0),
        Part::Targets => p.stops.iter().any(|s| !s.targets.is_empty()),
        Part::Errands => !p.errands.is_empty(),
        Part::Battery => p.units.iter().any(|u| u.battery > 0.0),
        _ => true,
    }
}

fn longer(problem: &Problem, part: Part, share: f64) -> Problem {
    let mut p = problem.clone();
    let by = 1.0 + share;
    match part {
        Part::SetUp => p.pace.set_up *= by,
        Part::Scan => p.stops.iter_mut().for_each(|s| s.scan *= by),
        Part::Photographs => p.stops.iter_mut().for_each(|s| s.photographs *= by),
        Part::Walk => p.walk.iter_mut().flatten().for_each(|w| *w *= by),
        Part::Targets => {
            p.pace.target_up *= by;
            p.pace.target_down *= by;
        }
        Part::Errands => p.errands.iter_mut().for_each(|e| e.seconds *= by),
        Part::Around => {
            for v in [&mut p.pace.arrive, &mut p.pace.induction, &mut p.pace.check, &mut p.pace.pack] {
                *v *= by;
            }
        }
        Part::Battery => p.units.iter_mut().for_each(|u| u.battery /= by),
    }
    p
}
