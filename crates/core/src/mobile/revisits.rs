use crate::cloud::WorkingCloud;
use crate::geometry::{Pose, Vec3};
use crate::tie::{CloudFit, Prepared};
use std::collections::HashSet;

/// Side of the cells that tell whether two clouds may show the same, metres.
const CELL: f64 = 0.7;
/// Places of each that are looked up.
const SAMPLE: usize = 250;

/// Where a cloud has surfaces, coarsely.
#[derive(Debug)]
pub(super) struct Footprint {
    cells: HashSet<[i32; 3]>,
    sample: Vec<Vec3>,
}

fn cell(p: &Vec3) -> [i32; 3] {
    [p.x, p.y, p.z].map(|v| (v / CELL).round() as i32)
}

impl Footprint {
    pub(super) fn of(cloud: &WorkingCloud) -> Self {
        let known = || cloud.points.iter().zip(&cloud.normals).filter(|(_, n)| **n != [0; 3]);
        let place = |p: &[f32; 3]| Vec3::from(p.map(f64::from));
        let step = (known().count() / SAMPLE).max(1);
        Self {
            cells: known().map(|(p, _)| cell(&place(p))).collect(),
            sample: known().step_by(step).map(|(p, _)| place(p)).collect(),
        }
    }

    /// Share of the other's places that lie where this one has surfaces, in a pose of the other in its frame.
    pub(super) fn shared(&self, other: &Self, pose: &Pose) -> f64 {
        let met = other.sample.iter().filter(|p| self.cells.contains(&cell(&pose.apply(p)))).count();
        met as f64 / other.sample.len().max(1) as f64
    }
}

/// A tie found is farther from where it was looked for than this, and than what was not known of it: it is another place.
const AWAY: f64 = 0.25;
/// Least share of the second's surfaces that lie on the first's.
const LEAST: f64 = 0.3;
/// Scatter beyond which two clouds do not show the same surfaces, metres.
const LOOSE: f64 = 0.05;
/// Starts round the one expected, when that is not good to decimetres, metres.
const ROUND: f64 = 0.7;
/// Good enough to look no farther.
const GOOD: f64 = 0.55;

/// Ties the second to the first about a pose that is right to within so many metres.
pub(super) fn tie(first: &Prepared, second: &Prepared, start: &Pose, within: f64) -> Option<CloudFit> {
    let sound = |f: &CloudFit| {
        let off = start.difference(&f.relative).fixed_rows::<3>(0).norm();
        f.overlap > LEAST && f.rms < LOOSE && off < within + AWAY && f.covariance.iter().all(|v| v.is_finite())
    };
    if within < AWAY / 2.0 {
        return first.tie(second, start).filter(sound);
    }
    let from = |there: &Pose| first.tie(second, there).filter(sound);
    let straight = first.approach(second, start).and_then(|there| from(&there));
    if within < ROUND / 2.0 || straight.as_ref().is_some_and(|f| f.overlap > GOOD) {
        return straight;
    }
    let rings = (within / ROUND).ceil().min(2.0) as i32;
    let round = (-rings..=rings).flat_map(|x| (-rings..=rings).map(move |y| (x, y))).filter(|s| *s != (0, 0));
    let shift = |(x, y): (i32, i32)| Vec3::new(f64::from(x) * ROUND, f64::from(y) * ROUND, 0.0);
    let starts = round.map(|s| Pose { translation: start.translation + shift(s), ..*start });
    let others = first.approaches(second, starts).into_iter().filter_map(|there| from(&there));
    straight.into_iter().chain(others).max_by(|a, b| (a.overlap - 4.0 * a.rms).total_cmp(&(b.overlap - 4.0 * b.rms)))
}
