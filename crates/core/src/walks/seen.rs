use super::course::Course;
use crate::mobile::Unit;
use crate::plan::{Bvh, NotCovered, Sample, Surface, USUAL_INCIDENCE};
use rayon::prelude::*;

/// What walks show of one piece of surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Seen {
    /// Distance between neighbouring points, by all walks together, metres; infinite where nothing is seen.
    pub spacing: f64,
    /// Seconds it is looked at.
    pub seconds: f64,
    /// Visits: times it is looked at again after [`OFTEN`] metres elsewhere, or on another walk.
    pub visits: u32,
    /// Why it is not covered as asked, as for a station.
    pub why: Option<NotCovered>,
}

/// A stretch that is passed faster than what is wanted there allows.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Slow {
    /// Of which walk.
    pub walk: usize,
    /// Spots from and to.
    pub spots: [usize; 2],
    /// What is too coarse there, m².
    pub area: f64,
    /// The pace at which nine tenths of it would be dense enough, metres a second.
    pub pace: f64,
}

/// Metres walked elsewhere after which a second look is another visit.
pub const OFTEN: f64 = 12.0;
/// Least of what is too coarse at a stretch that is named, m².
const NAMED: f64 = 0.5;

/// Share of the pace below which going slower is no remedy.
const CRAWL: f64 = 0.25;

/// What one sample gets from one spot.
struct Look {
    walk: usize,
    spot: usize,
    density: f64,
}

/// What some walks, each with its unit, show of the samples of a site; and the stretches that are too fast.
///
/// A unit throws its points evenly over what it looks at (solid angle Ω); a surface at range `r`, met at an angle of
/// incidence θ, gets `n cos θ / (r² Ω)` of `n` points on a square metre. Spots are as far apart as [`Course`] has them.
pub fn seen(bvh: &Bvh, samples: &[Sample], walks: &[(&Course, &Unit)]) -> (Vec<Seen>, Vec<Slow>) {
    let solid = |u: &Unit| std::f64::consts::TAU * (u.handling.looks[1].sin() - u.handling.looks[0].sin());
    let of = |sample: &Sample| {
        let mut out = Seen { spacing: f64::INFINITY, seconds: 0.0, visits: 0, why: Some(NotCovered::Hidden) };
        let (mut density, mut nearest): (f64, Option<Look>) = (0.0, None);
        let limit = sample.demand.map_or(USUAL_INCIDENCE, |d| d.incidence).cos();
        let mut missed = NotCovered::Hidden;
        for (w, (course, unit)) in walks.iter().enumerate() {
            let mut last: Option<f64> = None;
            for (k, spot) in course.spots.iter().enumerate() {
                let d = sample.position - spot.at;
                let range = d.norm();
                let facing = -sample.normal.dot(&d) / range;
                let cos = if matches!(sample.surface, Surface::Slab(_)) { facing } else { facing.abs() };
                let rise = (d.z / range).asin();
                let why = match () {
                    () if !(0.3..=unit.max_range).contains(&range) => Some(NotCovered::Range),
                    () if rise < unit.handling.looks[0] || rise > unit.handling.looks[1] => Some(NotCovered::BlindCone),
                    () if cos < limit => Some(NotCovered::Oblique),
                    () if bvh.blocked(&spot.at, &sample.position) => Some(NotCovered::Hidden),
                    () => None,
                };
                if let Some(why) = why {
                    missed = missed.max(why);
                    continue;
                }
                let until = course.spots.get(k + 1).map_or(0.0, |n| n.time - spot.time);
                let own = unit.handling.points * until * cos / (range * range * solid(unit));
                density += own;
                out.seconds += until;
                if last.is_none_or(|l| spot.walked - l > OFTEN) {
                    out.visits += 1;
                }
                last = Some(spot.walked);
                if nearest.as_ref().is_none_or(|n| own > n.density) {
                    nearest = Some(Look { walk: w, spot: k, density: own });
                }
            }
        }
        out.why = Some(missed);
        if density > 0.0 {
            out.spacing = density.powf(-0.5);
            let enough = sample.demand.is_none_or(|d| out.spacing <= d.spacing);
            out.why = (!enough).then_some(NotCovered::Coarse);
        }
        (out, nearest)
    };
    let all: Vec<(Seen, Option<Look>)> = samples.par_iter().with_min_len(64).map(of).collect();
    let slow = slow(samples, &all, walks);
    (all.into_iter().map(|s| s.0).collect(), slow)
}

/// Puts what is too coarse to where it is looked at best, and neighbouring spots together.
fn slow(samples: &[Sample], all: &[(Seen, Option<Look>)], walks: &[(&Course, &Unit)]) -> Vec<Slow> {
    // of each spot: what is too coarse, and by how much too fast it is passed
    let mut at: Vec<Vec<Vec<(f64, f64)>>> = walks.iter().map(|w| vec![Vec::new(); w.0.spots.len()]).collect();
    for (sample, (seen, look)) in samples.iter().zip(all) {
        if let (Some(NotCovered::Coarse), Some(look), Some(d)) = (seen.why, look, sample.demand) {
            // what only a crawl would show is not passed too fast, but too far away
            let share = (d.spacing / seen.spacing).powi(2);
            if share > CRAWL {
                at[look.walk][look.spot].push((sample.area(), share));
            }
        }
    }
    let mut out: Vec<Slow> = Vec::new();
    for (walk, spots) in at.into_iter().enumerate() {
        let mut from = 0;
        while from < spots.len() {
            // what lies within a few steps is one stretch
            let mut to = from;
            let mut found: Vec<(f64, f64)> = Vec::new();
            let mut gap = 0;
            while to < spots.len() && gap < 4 {
                gap = if spots[to].is_empty() { gap + 1 } else { 0 };
                found.extend(&spots[to]);
                to += 1;
            }
            let area = found.iter().map(|f| f.0).sum::<f64>() + 0.0;
            if area > NAMED {
                found.sort_by(|a, b| a.1.total_cmp(&b.1));
                let spots = [from, (to - gap).max(from + 1) - 1];
                let course = walks[walk].0;
                let of = |k: usize| course.spots[k.min(course.spots.len() - 1)];
                let (a, b) = (of(spots[0]), of(spots[1] + 1));
                let now = (b.walked - a.walked) / (b.time - a.time).max(1e-9);
                out.push(Slow { walk, spots, area, pace: now * found[found.len() / 10].1 });
            }
            from = to;
        }
    }
    out
}
