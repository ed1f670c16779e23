use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;

/// Rays expected on a sphere's usable cap at `range` metres: `π (0.82 r)² / (R δ)²`.
pub fn predicted_hits(radius: f64, range: f64, instrument: &Instrument) -> f64 {
    std::f64::consts::PI * (0.82 * radius / (range * instrument.step)).powi(2)
}

/// Longest distance at which a sphere of `radius` metres still gets `hits` usable points.
pub fn usable_distance(radius: f64, hits: f64, instrument: &Instrument) -> f64 {
    let r = (std::f64::consts::PI / hits).sqrt() * 0.82 * radius / instrument.step;
    r.min(instrument.max_range)
}

/// Covariance of a sphere's centre, m², predicted for a sphere at `p` (scanner frame, metres):
/// the normal matrix of the rays that would hit it, laid out on the instrument's grid.
///
/// `None` when fewer than 14 rays would hit, or the sphere is out of range.
pub fn predicted_sphere_covariance(p: &Vec3, radius: f64, instrument: &Instrument) -> Option<Mat3> {
    let range = p.norm();
    if range < instrument.min_range || range > instrument.max_range || predicted_hits(radius, range, instrument) < 14.0
    {
        return None;
    }
    let ray = p / range;
    let side = ray.cross(&Vec3::z()).try_normalize(1e-9).unwrap_or_else(Vec3::x);
    let up = side.cross(&ray);
    let spacing = range * instrument.step;
    let reach = 0.82 * radius;
    let cells = (reach / spacing).floor() as i64;
    let mut normal_matrix = Mat3::zeros();
    for i in -cells..=cells {
        for j in -cells..=cells {
            let (a, b) = (i as f64 * spacing, j as f64 * spacing);
            let miss = a.hypot(b);
            if miss > reach {
                continue;
            }
            let normal = (side * a + up * b - ray * (radius * radius - miss * miss).sqrt()) / radius;
            let hit = p + normal * radius;
            let cos_incidence = -normal.dot(&(hit / hit.norm()));
            let variance = (normal.transpose() * instrument.point_covariance(&hit, cos_incidence) * normal)[0];
            normal_matrix += normal * normal.transpose() / variance;
        }
    }
    normal_matrix.try_inverse()
}
