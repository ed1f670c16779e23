//! Targets that a pass came by, whose places scans or control know: each visit of one is a place of the path that is known.

use super::{Correction, TimedPoint, Trajectory, Unit};
use super::{seen_board, seen_sphere};
use crate::geometry::{Mat3, Vec3};
use rayon::prelude::*;

/// A target whose place is known.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct KnownTarget {
    /// Its centre or crossing, in the frame that the pass was brought into, metres.
    pub at: Vec3,
    /// What is looked for there.
    pub size: TargetSize,
}

/// What a target is, by how large it is, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum TargetSize {
    /// Radius of a sphere.
    Sphere(f64),
    /// Half-side of a checker.
    Board(f64),
}

/// A visit of one.
#[derive(Clone, Debug, PartialEq)]
pub struct Sighting {
    /// Which.
    pub target: usize,
    /// Where it is in the frame of the path, metres about its origin.
    pub at: Vec3,
    /// Of that, m².
    pub covariance: Mat3,
    /// Points on it.
    pub points: usize,
    /// Their scatter about its surface, metres.
    pub rms: f64,
    /// When, seconds.
    pub time: f64,
}

/// A point near a target, in the frame of the path.
#[derive(Clone, Copy, Debug)]
pub(super) struct Near {
    pub time: f64,
    /// Metres about the origin of the path.
    pub at: Vec3,
    /// Intensity, 0..1.
    pub level: f64,
}

/// A visit, and what is known of what was visited.
pub(super) struct Visit<'a> {
    pub target: usize,
    pub points: &'a [Near],
    /// Where it should be, in the frame of the path.
    pub about: Vec3,
    pub path: &'a Trajectory,
    /// 1σ of a point, at the farthest of them, metres.
    pub noise: f64,
}

/// A target is looked at from so near, metres, and looked for so far from where it should be.
const NEAR: f64 = 8.0;
pub(super) const OFF: f64 = 0.15;
/// Visits are so far apart in time, seconds.
const VISIT: f64 = 8.0;
/// Fewest points.
pub(super) const FEWEST: usize = 40;
/// So many times noisier than the unit is, it is none.
pub(super) const NOISY: f64 = 2.5;
/// Neighbours share their noise: one in so many says something of its own; and what all have in common, 1σ, metres.
pub(super) const SHARED: f64 = 4.0;
pub(super) const COMMON: f64 = 0.002;
/// Known worse than this it says nothing, metres.
const WORST: f64 = 0.012;

/// Finds targets in the points of a pass (in the order of time, with their intensities, 0..65535) near where they should be along
/// its corrected path.
pub fn targets_seen(
    points: &[TimedPoint],
    intensity: &[u16],
    path: &Trajectory,
    c: &Correction,
    unit: &Unit,
    targets: &[KnownTarget],
) -> Vec<Sighting> {
    const LOT: usize = 1 << 16;
    let reach = |t: &KnownTarget| match t.size {
        TargetSize::Sphere(radius) => radius + OFF,
        // to its corner
        TargetSize::Board(half) => half * std::f64::consts::SQRT_2 + OFF,
    };
    let about = |(n, lot): (usize, &[TimedPoint])| {
        let (Some(first), Some(last)) = (lot.first(), lot.last()) else { return Vec::new() };
        // where the unit was meanwhile, and so which of them can be in it
        let way = [first, last].map(|p| c.apply(p.time, &path.place(p.time)));
        let walked = path.walked(last.time) - path.walked(first.time);
        let near: Vec<usize> =
            (0..targets.len()).filter(|s| way.iter().any(|w| (w - targets[*s].at).norm() < NEAR + walked)).collect();
        let mut out = Vec::new();
        for (k, p) in lot.iter().enumerate().filter(|_| !near.is_empty()) {
            let at = c.apply(p.time, &p.place());
            for &s in near.iter().filter(|s| (at - targets[**s].at).norm_squared() < reach(&targets[**s]).powi(2)) {
                let level = f64::from(intensity.get(n * LOT + k).copied().unwrap_or_default()) / 65_535.0;
                out.push((s, Near { time: p.time, at: p.place(), level }));
            }
        }
        out
    };
    let mut all: Vec<(usize, Near)> = points.par_chunks(LOT).enumerate().flat_map_iter(about).collect();
    all.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.time.total_cmp(&b.1.time)));
    let (targets_of, near): (Vec<usize>, Vec<Near>) = all.into_iter().unzip();
    let mut visits = Vec::new();
    let mut from = 0;
    for k in 1..=near.len() {
        let ends = k == near.len() || targets_of[k] != targets_of[k - 1] || near[k].time - near[k - 1].time >= VISIT;
        if ends {
            visits.push((targets_of[from], &near[from..k]));
            from = k;
        }
    }
    let seen = |(target, points): (usize, &[Near])| {
        let known = &targets[target];
        let time = points[points.len() / 2].time;
        let k = c.times.partition_point(|t| *t < time).min(c.times.len() - 1);
        let about = c.places[k] + c.poses[k].inverse().apply(&known.at);
        let noise = |p: &Near| unit.point_variance((p.at - path.place(p.time)).norm()).sqrt();
        let noise = points.iter().map(noise).fold(0.0, f64::max);
        let visit = Visit { target, points, about, path, noise };
        let found = match known.size {
            TargetSize::Sphere(radius) => seen_sphere::fit(&visit, radius),
            TargetSize::Board(half) => seen_board::fit(&visit, half),
        }?;
        (found.covariance.symmetric_eigenvalues().max().sqrt() <= WORST).then_some(found)
    };
    visits.into_par_iter().filter(|v| v.1.len() >= FEWEST).filter_map(seen).collect()
}
