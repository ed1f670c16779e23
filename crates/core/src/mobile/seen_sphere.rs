use super::seen::{COMMON, FEWEST, NOISY, Near, OFF, SHARED, Sighting, Visit};
use crate::geometry::Vec3;
use crate::stats::median;
use nalgebra::Matrix3;

/// Share of the points about its surface that must lie on it.
const SHARE: f64 = 0.6;
/// Beams that pass its middle farther away (of its radius) graze it.
const GRAZES: f64 = 0.85;
const ROUNDS: usize = 20;

/// Fits a sphere of a radius, metres, to a visit: what looks towards the unit, and is not grazed.
pub(super) fn fit(of: &Visit<'_>, radius: f64) -> Option<Sighting> {
    let Visit { points, about: start, path, noise, .. } = *of;
    let mut centre = start;
    let mut scale = 0.05_f64;
    let mut kept: Vec<(Vec3, f64)> = Vec::new();
    for _ in 0..ROUNDS {
        let near = |p: &Near| {
            let from = path.place(p.time);
            let ray = (p.at - from).try_normalize(1e-6)?;
            let to = centre - from;
            let miss = (to - ray * ray.dot(&to)).norm();
            let out = (p.at - centre).try_normalize(1e-6)?;
            let off = (p.at - centre).norm() - radius;
            (miss < GRAZES * radius && out.dot(&ray) < 0.0 && off.abs() < 3.0 * scale).then_some((out, off))
        };
        kept = points.iter().filter_map(near).collect();
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
    let about = points.iter().filter(|p| ((p.at - centre).norm() - radius).abs() < 0.6 * radius).count();
    if rms > NOISY * noise || (kept.len() as f64) < SHARE * about as f64 || (centre - start).norm() > OFF {
        return None;
    }
    let normal: Matrix3<f64> = kept.iter().map(|(out, _)| out * out.transpose()).sum();
    let covariance =
        normal.try_inverse()? * (rms.max(0.5 * noise).powi(2) * SHARED) + Matrix3::identity() * COMMON.powi(2);
    let time = points[points.len() / 2].time;
    Some(Sighting { target: of.target, at: centre, covariance, points: kept.len(), rms, time })
}
