use super::roughness::roughness;
use super::{SizeVerdict, sphere_shape};
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::scan::Scan;
use nalgebra::{Matrix4, Vector4};

/// Rays that pass the centre farther away than this share of the radius are left out: incidence
/// beyond 55°, where mixed pixels and range bias begin.
const USED_SHARE: f64 = 0.82;
/// Fewest hits a sphere is accepted with.
const LEAST_HITS: usize = 14;
/// What lies within this share of the radius of the surface is told apart by shape; what is farther before
/// it only covers it.
const NEAR: f64 = 0.6;
/// A ray that ends this share of the radius off the surface does not end on it, whatever the noise.
const CONTRARY: f64 = 0.2;
/// So many of these for each point on the surface, and it is no sphere.
const MOST_CONTRARY: f64 = 0.12;
/// A sphere is rougher than the surface that fits its points best by less than this: the profile does not count, it
/// may be wrong.
const MOST_NOISE: f64 = 1.5;
/// What range bias by incidence and reflectivity may do to a radius, metres.
const RADIUS_BIAS: f64 = 0.002;

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

/// What the rays say that must hit a sphere if there is one.
#[derive(Default)]
struct Hits {
    /// Points on the surface, within the gate.
    points: Vec<Vec3>,
    /// Points within reach of the surface, on it or not: what a shape is told from.
    about: Vec<Vec3>,
    /// Rays that end where no sphere lets them: behind it, or just before its surface.
    contrary: usize,
    /// Rays that something well before it stops.
    covered: usize,
    /// Rays there should be.
    expected: usize,
    cap: f64,
    cell: Option<(i64, i64)>,
}

impl Hits {
    /// Share of the rays that could hit it and did, 0..1.
    fn fill(&self) -> f64 {
        self.points.len() as f64 / self.expected.saturating_sub(self.covered).max(self.points.len()).max(1) as f64
    }
}

/// Points whose rays pass within `share · radius` of `centre` and that lie near the surface.
///
/// The choice looks at the direction of the ray, not at the measured range, so range noise does
/// not choose its own points and the centre stays unbiased.
fn gather(scan: &Scan, centre: &Vec3, radius: f64, gate: f64, hint: Option<(i64, i64)>) -> Hits {
    let distance = centre.norm();
    let direction = centre / distance;
    let alpha = (radius / distance).min(0.99).asin();
    let mut hits = Hits { cell: super::detect::locate(scan, &direction, hint), ..Hits::default() };
    let Some((row, col)) = hits.cell else { return hits };
    let col_step = scan.col_step * direction.x.hypot(direction.y).max(0.05);
    let (nr, nc) = ((alpha / scan.row_step).ceil() as i64 + 2, (alpha / col_step).ceil() as i64 + 2);
    let reach = USED_SHARE * radius;
    for r in row - nr..=row + nr {
        for c in col - nc..=col + nc {
            let Some(p) = scan.point(r, c) else { continue };
            let range = p.norm();
            let ray = p / range;
            let along = ray.dot(centre);
            let miss = (centre - ray * along).norm();
            if miss > reach {
                continue;
            }
            hits.expected += 1;
            let off = (p - centre).norm() - radius;
            let surface = along - (radius * radius - miss * miss).sqrt();
            if off.abs() < gate {
                hits.cap = hits.cap.max((miss / radius).asin());
                hits.points.push(p);
            } else if range < surface - NEAR * radius {
                hits.covered += 1;
            } else if (range - surface).abs() > CONTRARY * radius {
                hits.contrary += 1;
            }
            if off.abs() < NEAR * radius {
                hits.about.push(p);
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
/// the sphere is of that size, and a third, with the two curvatures free, whether it is one: a pipe, a column,
/// an elbow or an edge bends one way more than the other. What is hidden by something in front does not count
/// against it; a ray that goes on behind its surface does. Returns `None` when what is there is not a sphere.
pub fn fit_sphere(scan: &Scan, instrument: &Instrument, start: &Vec3, radius: f64) -> Option<SphereFit> {
    fit(scan, instrument, start, radius, roughness(scan, instrument), None)
}

/// The same, where the [`roughness`] of the scan is at hand and a cell that looks nearly there.
pub(super) fn fit(
    scan: &Scan,
    instrument: &Instrument,
    start: &Vec3,
    radius: f64,
    rough: f64,
    hint: Option<(i64, i64)>,
) -> Option<SphereFit> {
    let sigma0 = instrument.range_noise(start.norm(), 0.8) * rough;
    let mut centre = *start;
    let mut hits = Hits { cell: hint, ..Hits::default() };
    // two passes with a wide gate settle the centre, then the gate closes to the noise
    for gate in [0.5 * radius, 0.3 * radius, (6.0 * sigma0).max(0.05 * radius), (4.5 * sigma0).max(0.03 * radius)] {
        hits = gather(scan, &centre, radius, gate, hits.cell);
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
    // not much rougher than what the smooth things of the scan are
    let too_rough = s0 > 1.7 * rough;
    if too_rough || hits.fill() < 0.6 || hits.contrary as f64 > MOST_CONTRARY * n as f64 || hits.cap < 0.5 {
        return None;
    }
    let (free_radius, free_sigma) = free_radius(&hits.points, instrument, centre, radius)?;
    let shape = sphere_shape::shape(&hits.about, instrument, centre, radius)?;
    // rougher than the same points are about a surface that bends as it likes: another surface
    if !shape.is_round() || s0 > MOST_NOISE * shape.noise.max(1.0) {
        return None;
    }
    let free_radius_sigma = free_sigma * shape.noise.max(1.0).min(s0.max(1.0));
    let off = (free_radius - radius).abs();
    let size =
        if off <= radius_tolerance(free_radius_sigma, radius) { SizeVerdict::Agrees } else { SizeVerdict::WrongSize };
    Some(SphereFit {
        centre,
        covariance: normal.try_inverse()? * (s0 * s0),
        hits: n,
        free_radius,
        free_radius_sigma,
        rms,
        cap: hits.cap,
        fill: hits.fill(),
        s0,
        size,
    })
}

/// How far a free radius with this standard deviation may be from the sphere's own, metres.
pub(super) fn radius_tolerance(sigma: f64, radius: f64) -> f64 {
    (3.5 * sigma).hypot(0.02 * radius).hypot(RADIUS_BIAS)
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
pub(super) fn residual(p: &Vec3, centre: &Vec3, radius: f64, instrument: &Instrument) -> (Vec3, f64, f64) {
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
