//! Spheres that a pass came by, whose places scans or control know: each visit of one is a place of the path that is known.

use super::{Correction, TimedPoint, Trajectory, Unit};
use crate::geometry::{Mat3, Vec3};
use crate::stats::median;
use nalgebra::Matrix3;
use rayon::prelude::*;

/// A sphere whose place is known.
#[derive(Clone, Debug, PartialEq)]
pub struct KnownSphere {
    /// Its centre, in the frame that the pass was brought into, metres.
    pub at: Vec3,
    /// m².
    pub covariance: Mat3,
    /// Metres.
    pub radius: f64,
}

/// A visit of one.
#[derive(Clone, Debug, PartialEq)]
pub struct SeenSphere {
    /// Which.
    pub sphere: usize,
    /// Its centre in the frame of the path, metres about its origin.
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

/// A sphere is looked at from so near, metres, and looked for so far from where it should be.
const NEAR: f64 = 8.0;
const OFF: f64 = 0.15;
/// Visits are so far apart in time, seconds.
const VISIT: f64 = 8.0;
/// Fewest points, and the share of those about its surface that must lie on it.
const FEWEST: usize = 40;
const SHARE: f64 = 0.6;
/// Beams that pass its middle farther away (of its radius) graze it.
const GRAZES: f64 = 0.85;
/// So many times noisier than the unit is, it is no sphere.
const NOISY: f64 = 2.5;
/// Neighbours share their noise: one in so many says something of its own; and what all have in common, 1σ, metres.
const SHARED: f64 = 4.0;
const COMMON: f64 = 0.002;
/// Known worse than this it says nothing, metres.
const WORST: f64 = 0.012;
const ROUNDS: usize = 20;

/// Finds spheres in the points of a pass (in the order of time) near where they should be along its corrected path.
pub fn spheres_seen(
    points: &[TimedPoint],
    path: &Trajectory,
    c: &Correction,
    unit: &Unit,
    spheres: &[KnownSphere],
) -> Vec<SeenSphere> {
    const LOT: usize = 1 << 16;
    let about = |lot: &[TimedPoint]| {
        let (Some(first), Some(last)) = (lot.first(), lot.last()) else { return Vec::new() };
        // where the unit was meanwhile, and so which of them can be in it
        let way = [first, last].map(|p| c.apply(p.time, &path.place(p.time)));
        let walked = path.walked(last.time) - path.walked(first.time);
        let near: Vec<usize> =
            (0..spheres.len()).filter(|s| way.iter().any(|w| (w - spheres[*s].at).norm() < NEAR + walked)).collect();
        let mut out = Vec::new();
        for p in lot.iter().filter(|_| !near.is_empty()) {
            let at = c.apply(p.time, &p.place());
            for &s in &near {
                if (at - spheres[s].at).norm_squared() < (spheres[s].radius + OFF).powi(2) {
                    out.push((s, p.time, p.place()));
                }
            }
        }
        out
    };
    let mut all: Vec<(usize, f64, Vec3)> = points.par_chunks(LOT).flat_map_iter(about).collect();
    all.sort_by(|a, b| a.0.cmp(&b.0).then(a.1.total_cmp(&b.1)));
    let visits: Vec<&[(usize, f64, Vec3)]> =
        all.chunk_by(|a, b| a.0 == b.0 && b.1 - a.1 < VISIT).filter(|v| v.len() >= FEWEST).collect();
    visits.into_par_iter().filter_map(|v| visit(v, path, c, unit, &spheres[v[0].0])).collect()
}

fn visit(
    of: &[(usize, f64, Vec3)],
    path: &Trajectory,
    c: &Correction,
    unit: &Unit,
    known: &KnownSphere,
) -> Option<SeenSphere> {
    let time = of[of.len() / 2].1;
    let k = c.times.partition_point(|t| *t < time).min(c.times.len() - 1);
    let mut centre = c.places[k] + c.poses[k].inverse().apply(&known.at);
    let start = centre;
    let noise = of.iter().map(|p| unit.point_variance((p.2 - path.place(p.1)).norm()).sqrt()).fold(0.0, f64::max);
    let mut scale = 0.05_f64;
    let mut kept: Vec<(Vec3, f64)> = Vec::new();
    for _ in 0..ROUNDS {
        let near = |(_, t, p): &(usize, f64, Vec3)| {
            let from = path.place(*t);
            let ray = (p - from).try_normalize(1e-6)?;
            let to = centre - from;
            let miss = (to - ray * ray.dot(&to)).norm();
            let out = (p - centre).try_normalize(1e-6)?;
            let off = (p - centre).norm() - known.radius;
            (miss < GRAZES * known.radius && out.dot(&ray) < 0.0 && off.abs() < 3.0 * scale).then_some((out, off))
        };
        kept = of.iter().filter_map(near).collect();
        if kept.len() < FEWEST {
            return None;
        }
        let mut normal = Matrix3::identity() * 1e-9;
        let mut right = Vec3::zeros();
        for (out, off) in &kept {
            normal += out * out.transpose();
            right += out * *off;
        }
        let step = normal.cholesky()?.solve(&right);
        centre += step;
        let mut sizes: Vec<f64> = kept.iter().map(|k| k.1.abs()).collect();
        scale = (1.4826 * median(&mut sizes)?).clamp(0.5 * noise, scale);
        if step.norm() < 1e-5 {
            break;
        }
    }
    let rms = (kept.iter().map(|k| k.1 * k.1).sum::<f64>() / kept.len() as f64).sqrt();
    let about = of.iter().filter(|p| ((p.2 - centre).norm() - known.radius).abs() < 0.6 * known.radius).count();
    if rms > NOISY * noise || (kept.len() as f64) < SHARE * about as f64 || (centre - start).norm() > OFF {
        return None;
    }
    let normal: Matrix3<f64> = kept.iter().map(|(out, _)| out * out.transpose()).sum();
    let covariance =
        normal.try_inverse()? * (rms.max(0.5 * noise).powi(2) * SHARED) + Matrix3::identity() * COMMON.powi(2);
    if covariance.symmetric_eigenvalues().max().sqrt() > WORST {
        return None;
    }
    Some(SeenSphere { sphere: of[0].0, at: centre, covariance, points: kept.len(), rms, time })
}
