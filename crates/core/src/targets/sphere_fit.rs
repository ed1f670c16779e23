use super::SizeVerdict;
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::scan::Scan;
use nalgebra::{Matrix4, Vector4};

/// Rays that pass the centre farther away than this share of the radius are left out: incidence
/// beyond 55°, where mixed pixels and range bias begin.
const USED_SHARE: f64 = 0.82;
/// Fewest hits a sphere is accepted with.
const LEAST_HITS: usize = 14;

/// A measured sphere.
#[derive(Clone, Debug)]
pub struct SphereFit {
    /// Centre in the scanner frame, metres.
    pub centre: Vec3,
    /// Covariance of the centre, m².
    pub covariance: Mat3,
    /// Points used.
    pub hits: usize,
    /// Radius found when it is not held fixed, metres.
    pub free_radius: f64,
    /// Its standard deviation, metres.
    pub free_radius_sigma: f64,
    /// Root mean square of the distances to the fitted surface, metres.
    pub rms: f64,
    /// Half-angle of the cap of the surface that was seen and used, radians.
    pub cap: f64,
    /// Share of the rays expected on the sphere that did hit it, 0..1.
    pub fill: f64,
    /// Square root of the variance of unit weight: 1 when the noise is what the profile says.
    pub s0: f64,
    /// What the free radius says.
    pub size: SizeVerdict,
}

struct Hits {
    points: Vec<Vec3>,
    expected: usize,
    cap: f64,
}

/// Points whose rays pass within `share · radius` of `centre` and that lie near the surface.
///
/// The choice looks at the direction of the ray, not at the measured range, so range noise does
/// not choose its own points and the centre stays unbiased.
fn gather(scan: &Scan, centre: &Vec3, radius: f64, gate: f64) -> Hits {
    let distance = centre.norm();
    let direction = centre / distance;
    let alpha = (radius / distance).min(0.99).asin();
    let mut hits = Hits { points: Vec::new(), expected: 0, cap: 0.0 };
    let Some((row, col)) = super::detect::locate(scan, &direction) else { return hits };
    let col_step = scan.col_step * direction.x.hypot(direction.y).max(0.05);
    let (nr, nc) = ((alpha / scan.row_step).ceil() as i64 + 2, (alpha / col_step).ceil() as i64 + 2);
    let reach = USED_SHARE * radius;
    for r in row - nr..=row + nr {
        for c in col - nc..=col + nc {
            let Some(p) = scan.point(r, c) else { continue };
            let ray = p / p.norm();
            let along = ray.dot(centre);
            let miss = (centre - ray * along).norm();
            if miss > reach {
                continue;
            }
            hits.expected += 1;
            if ((p - centre).norm() - radius).abs() < gate {
                hits.cap = hits.cap.max((miss / radius).asin());
                hits.points.push(p);
            }
        }
    }
    // rays without any return are expected hits as well
    let solid = std::f64::consts::PI * (reach / distance).powi(2) / (scan.row_step * col_step);
    hits.expected = hits.expected.max((0.9 * solid) as usize);
    hits
}

/// Measures a sphere of nominal `radius` (metres) near `start` by a robust orthogonal-distance
/// fit, each point weighted by its own covariance along the surface normal.
///
/// The centre is computed with the radius held; a second fit with the radius free tells whether
/// the sphere is of that size. Returns `None` when what is there is not a sphere: too few hits,
/// too little of the disc filled, or distances several times what the noise explains.
pub fn fit_sphere(scan: &Scan, instrument: &Instrument, start: &Vec3, radius: f64) -> Option<SphereFit> {
    let sigma0 = instrument.range_noise(start.norm(), 0.8);
    let mut centre = *start;
    let mut hits = gather(scan, &centre, radius, 0.5 * radius);
    // two passes with a wide gate settle the centre, then the gate closes to the noise
    for gate in [0.5 * radius, 0.3 * radius, (6.0 * sigma0).max(0.05 * radius), (4.5 * sigma0).max(0.03 * radius)] {
        hits = gather(scan, &centre, radius, gate);
        if hits.points.len() < LEAST_HITS {
            return None;
        }
        centre = held_radius(&hits.points, instrument, centre, radius)?.0;
        if (centre - start).norm() > radius {
            return None;
        }
    }
    let (centre, normal, sum, rms) = held_radius(&hits.points, instrument, centre, radius)?;
    let n = hits.points.len();
    let dof = (n - 3) as f64;
    // the profile's noise and the noise seen, the profile counting as ten observations
    let s0 = ((10.0 + sum) / (10.0 + dof)).sqrt();
    let fill = n as f64 / hits.expected.max(1) as f64;
    let (free_radius, free_sigma) = free_radius(&hits.points, instrument, centre, radius)?;
    if fill < 0.6 || s0 > 2.0 || hits.cap < 0.5 {
        return None;
    }
    let free_radius_sigma = free_sigma * s0;
    let off = (free_radius - radius).abs();
    let size =
        if off <= (3.5 * free_radius_sigma).max(0.02 * radius) { SizeVerdict::Agrees } else { SizeVerdict::WrongSize };
    Some(SphereFit {
        centre,
        covariance: normal.try_inverse()? * (s0 * s0),
        hits: n,
        free_radius,
        free_radius_sigma,
        rms,
        cap: hits.cap,
        fill,
        s0,
        size,
    })
}

/// Gauss–Newton on the centre; returns it with the normal matrix, the weighted sum of squares
/// and the root mean square distance.
fn held_radius(points: &[Vec3], instrument: &Instrument, start: Vec3, radius: f64) -> Option<(Vec3, Mat3, f64, f64)> {
    let mut centre = start;
    for _ in 0..12 {
        let (mut n, mut b) = (Mat3::zeros(), Vec3::zeros());
        for p in points {
            let (normal, v, weight) = residual(p, &centre, radius, instrument);
            // Huber beyond 2.5σ, so that a stray point cannot pull
            let t = v.abs() * weight.sqrt();
            let w = if t > 2.5 { weight * 2.5 / t } else { weight };
            n += normal * normal.transpose() * w;
            b += normal * (w * v);
        }
        let step = n.cholesky()?.solve(&b);
        centre += step;
        if step.norm() < 1e-8 {
            break;
        }
    }
    let (mut n, mut sum, mut square) = (Mat3::zeros(), 0.0, 0.0);
    for p in points {
        let (normal, v, weight) = residual(p, &centre, radius, instrument);
        n += normal * normal.transpose() * weight;
        sum += weight * v * v;
        square += v * v;
    }
    Some((centre, n, sum, (square / points.len() as f64).sqrt()))
}

/// Outward normal at the point, its distance from the surface, and its weight 1/σ².
fn residual(p: &Vec3, centre: &Vec3, radius: f64, instrument: &Instrument) -> (Vec3, f64, f64) {
    let d = p - centre;
    let length = d.norm().max(1e-9);
    let normal = d / length;
    let cos_incidence = -normal.dot(&(p / p.norm()));
    let variance = (normal.transpose() * instrument.point_covariance(p, cos_incidence) * normal)[0];
    (normal, length - radius, 1.0 / variance)
}

/// Radius and its standard deviation (profile noise) from a fit of centre and radius together.
fn free_radius(points: &[Vec3], instrument: &Instrument, start: Vec3, radius: f64) -> Option<(f64, f64)> {
    let (mut centre, mut r) = (start, radius);
    let mut variance = f64::INFINITY;
    for _ in 0..15 {
        let (mut n, mut b) = (Matrix4::zeros(), Vector4::zeros());
        for p in points {
            let (normal, v, w) = residual(p, &centre, r, instrument);
            let row = Vector4::new(normal.x, normal.y, normal.z, 1.0);
            n += row * row.transpose() * w;
            b += row * (w * v);
        }
        let c = n.cholesky()?;
        let step = c.solve(&b);
        variance = c.inverse()[(3, 3)];
        centre += step.xyz();
        r += step.w;
        if step.norm() < 1e-8 {
            break;
        }
    }
    (r > 0.0).then(|| (r, variance.sqrt()))
}
