//! Which known points a walk came by: as somebody says, or as the distances between them say.

use super::{LEANS, Trajectory, Unit};
use crate::geometry::{Mat3, Vec3};
use rayon::prelude::*;

/// Something that was marked on a walk.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Marked {
    /// Seconds, by the clock of the path.
    pub time: f64,
    /// Where it is in the frame of the path, metres about its origin.
    pub at: Vec3,
    /// Of marking it, each way, m².
    pub variance: f64,
}

/// A point that is known.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct KnownPoint {
    /// Metres.
    pub at: Vec3,
    /// m².
    pub covariance: Mat3,
}

/// What distances say of an order.
#[derive(Clone, Debug, PartialEq)]
pub struct Ordered {
    /// Marks that contradict the others as they were named.
    pub wrong: Vec<usize>,
    /// What distances between the others are off, and between all, at most, metres.
    pub off: [f64; 2],
    /// Which known point each mark is, where that is not what was said, and as many agree as in no other way.
    pub found: Option<Vec<Option<usize>>>,
    /// Something else fits as well: distances alone do not say.
    pub alike: bool,
}

/// Distances may differ by so many σ, and by what grids do to them.
const SIGMAS: f64 = 4.0;
const SCALE: f64 = 5e-4;
/// Nearer marks say nothing of a direction, metres; and so many neighbours are begun with at most.
const APART: f64 = 1.0;
const SEEDS: usize = 24;
/// Fewer than this that agree are chance, and so is less than this share.
const FEWEST: usize = 3;
const SHARE: f64 = 0.6;

/// What is between two marks, as the walk says, with variances.
#[derive(Clone, Copy)]
struct Between {
    plan: f64,
    rise: f64,
    of_plan: f64,
    of_rise: f64,
}

struct Search<'a> {
    known: &'a [KnownPoint],
    marks: &'a [Marked],
    between: Vec<Between>,
}

/// Checks which known point each mark is said to be (index into `known`, or nothing) by how far they lie apart along the
/// walk, which drifts as its unit does, and finds what fits where that does not. Two visits of one point are two marks of it.
pub fn in_order(
    path: &Trajectory,
    unit: &Unit,
    marks: &[Marked],
    known: &[KnownPoint],
    said: &[Option<usize>],
) -> Ordered {
    let s = Search::new(path, unit, marks, known);
    let named: Vec<(usize, usize)> = said.iter().enumerate().filter_map(|(m, k)| Some((m, (*k)?))).collect();
    let mut agree = named.clone();
    let mut wrong = Vec::new();
    // the one that contradicts most goes, until nothing does
    loop {
        let against = |p: &(usize, usize)| agree.iter().filter(|q| !s.fit(*p, **q)).count();
        let Some((worst, at)) = (0..agree.len()).map(|k| (against(&agree[k]), k)).max() else { break };
        if worst == 0 {
            break;
        }
        wrong.push(agree.remove(at).0);
    }
    wrong.sort_unstable();
    // of two that contradict one another nobody knows which is wrong
    if agree.len() < 2 && named.len() > 1 {
        wrong = named.iter().map(|n| n.0).collect();
    }
    let most = |of: &[(usize, usize)]| {
        let pairs = of.iter().enumerate().flat_map(|(k, p)| of[k + 1..].iter().map(move |q| (*p, *q)));
        pairs.map(|(p, q)| s.off(p, q)).fold(0.0, f64::max)
    };
    let off = [most(&agree), most(&named)];
    if wrong.is_empty() && named.len() == marks.len() {
        return Ordered { wrong, off, found: None, alike: false };
    }
    let (found, alike) = s.best(if wrong.is_empty() { named.len() } else { named.len() - wrong.len() });
    Ordered { wrong, off, found, alike }
}

impl<'a> Search<'a> {
    fn new(path: &Trajectory, unit: &Unit, marks: &'a [Marked], known: &'a [KnownPoint]) -> Self {
        let of = |a: &Marked, b: &Marked| {
            let step = b.at - a.at;
            let [from, to] = [a.time.min(b.time), a.time.max(b.time)];
            let walked = path.walked(to) - path.walked(from);
            let c = unit.open(&step, walked, to - from, path.turned(from, to));
            let plan = step.xy().norm();
            // drift turns a way more than it stretches it, and distances feel the stretch alone; where it bends, both
            let along = step.xy().try_normalize(1e-6).map_or(0.0, |d| {
                let d = d.push(0.0);
                d.dot(&(c.fixed_view::<3, 3>(0, 0) * d))
            });
            let seconds = to - from;
            let heading = unit.drift.heading.powi(2) * seconds + (unit.habits.rate[0] * seconds).powi(2);
            let bent = heading * (walked - plan).max(0.0).powi(2) / 4.0;
            let marked = a.variance + b.variance;
            Between {
                plan,
                rise: step.z,
                of_plan: along + bent + marked,
                of_rise: c[(2, 2)] + marked + (LEANS * plan).powi(2),
            }
        };
        let between = marks.iter().flat_map(|a| marks.iter().map(move |b| of(a, b))).collect();
        Self { known, marks, between }
    }

    fn between(&self, a: usize, b: usize) -> &Between {
        &self.between[a * self.marks.len() + b]
    }

    /// Whether two marks may be two known points by how far they lie apart.
    fn fit(&self, (m, k): (usize, usize), (n, l): (usize, usize)) -> bool {
        if m == n {
            return true;
        }
        let b = self.between(m, n);
        let (p, q) = (&self.known[k], &self.known[l]);
        let d = q.at - p.at;
        let (plan, c) = (d.xy().norm(), p.covariance + q.covariance);
        let may = |variance: f64| SIGMAS * variance.sqrt();
        (plan - b.plan).abs() <= may(b.of_plan + c[(0, 0)].max(c[(1, 1)])) + SCALE * plan
            && (d.z - b.rise).abs() <= may(b.of_rise + c[(2, 2)])
    }

    /// By how much distance and rise are off, metres.
    fn off(&self, (m, k): (usize, usize), (n, l): (usize, usize)) -> f64 {
        let (b, d) = (self.between(m, n), self.known[l].at - self.known[k].at);
        (d.xy().norm() - b.plan).hypot(d.z - b.rise)
    }

    /// Whether three turn the same way round on the walk and on the ground, where they turn at all.
    fn turns_alike(&self, of: [(usize, usize); 3]) -> bool {
        let side = |p: [Vec3; 3]| {
            let (a, b) = ((p[1] - p[0]).xy(), (p[2] - p[0]).xy());
            a.perp(&b) / a.norm().max(b.norm()).max(1e-9)
        };
        let (walked, there) = (side(of.map(|o| self.marks[o.0].at)), side(of.map(|o| self.known[o.1].at)));
        walked.abs().min(there.abs()) < APART || (walked > 0.0) == (there > 0.0)
    }

    /// The assignment that most marks agree with, if more than `beaten` do; and whether another has as many.
    fn best(&self, beaten: usize) -> (Option<Vec<Option<usize>>>, bool) {
        let n = self.marks.len();
        let mut seeds: Vec<(usize, usize)> = (0..n)
            .flat_map(|a| (a + 1..n).map(move |b| (a, b)))
            .filter(|p| self.between(p.0, p.1).plan > APART)
            .collect();
        // what is far apart for how well it is known says most
        let sharp = |p: &(usize, usize)| {
            let b = self.between(p.0, p.1);
            b.plan / b.of_plan.sqrt()
        };
        seeds.sort_by(|a, b| sharp(b).total_cmp(&sharp(a)));
        seeds.truncate(SEEDS);
        let points = self.known.len();
        let starts: Vec<[(usize, usize); 2]> = seeds
            .iter()
            .flat_map(|&(a, b)| (0..points * points).map(move |k| [(a, k / points), (b, k % points)]))
            .filter(|[p, q]| p.1 != q.1 && self.fit(*p, *q))
            .collect();
        let mut grown: Vec<(usize, usize, Vec<Option<usize>>)> = starts
            .into_par_iter()
            .map(|start| {
                let of = self.grown(start);
                let count = of.iter().flatten().count();
                // of those that fit alike the one that follows the list
                let follows = of.iter().flatten().collect::<Vec<_>>().windows(2).filter(|w| w[0] <= w[1]).count();
                (count, follows, of)
            })
            .collect();
        grown.sort_by(|a, b| (b.0, b.1).cmp(&(a.0, a.1)).then_with(|| a.2.cmp(&b.2)));
        grown.dedup_by(|a, b| a.2 == b.2);
        let Some((count, follows, best)) = grown.first().cloned() else { return (None, false) };
        if count < FEWEST || (count as f64) < SHARE * n as f64 || count <= beaten {
            return (None, false);
        }
        // what differs only in that it leaves some out is the same
        let other = |o: &(usize, usize, Vec<Option<usize>>)| {
            (o.0, o.1) == (count, follows) && o.2.iter().zip(&best).any(|(x, y)| x.is_some() && y.is_some() && x != y)
        };
        let alike = grown.iter().any(other);
        (Some(best), alike)
    }

    /// All marks that agree with two.
    fn grown(&self, start: [(usize, usize); 2]) -> Vec<Option<usize>> {
        let mut out = vec![None; self.marks.len()];
        let mut taken: Vec<(usize, usize)> = start.to_vec();
        for (m, k) in start {
            out[m] = Some(k);
        }
        for m in (0..self.marks.len()).filter(|m| start.iter().all(|s| s.0 != *m)) {
            let fits = |k: &usize| {
                taken.iter().all(|t| self.fit(*t, (m, *k))) && self.turns_alike([start[0], start[1], (m, *k)])
            };
            let off = |k: &usize| taken.iter().map(|t| self.off(*t, (m, *k))).sum::<f64>();
            let near = (0..self.known.len()).filter(fits).min_by(|a, b| off(a).total_cmp(&off(b)));
            if let Some(k) = near {
                out[m] = Some(k);
                taken.push((m, k));
            }
        }
        out
    }
}
