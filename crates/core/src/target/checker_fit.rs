use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::scan::Scan;
use nalgebra::{Matrix2, Matrix5, Vector2, Vector5};
use statrs::function::erf::erf;

/// A measured checker.
#[derive(Clone, Debug)]
pub struct CheckerFit {
    /// The crossing of the quarters, scanner frame, metres.
    pub centre: Vec3,
    /// Its covariance, m².
    pub covariance: Mat3,
    /// Unit normal of the board, towards the scanner.
    pub normal: Vec3,
    /// Points used.
    pub hits: usize,
    /// Root mean square distance from the plane, metres.
    pub rms: f64,
    /// Half the difference between light and dark, in intensity (0..1).
    pub contrast: f64,
    /// Square root of the variance of unit weight of the plane: 1 when the noise is as profiled.
    pub s0: f64,
}

/// Variance of the crossing as seen over 650 simulated boards, against the plain sandwich.
const GRID_AVERAGING: f64 = 0.35;

struct Plane {
    origin: Vec3,
    normal: Vec3,
    /// Variance along the normal of the plane at its origin, m², and of its tilt, rad² per axis.
    variance: f64,
    rms: f64,
    s0: f64,
}

/// Measures a checker of half-side `half` metres near `start` (scanner frame, metres).
///
/// A plane is fitted to the board; each point is slid along its own ray onto that plane, so range
/// noise does not blur the picture; then the intensities are fitted by the product of two
/// perpendicular blurred edges. `None` when it is not a checker.
pub fn fit_checker(scan: &Scan, instrument: &Instrument, start: &Vec3, half: f64) -> Option<CheckerFit> {
    let points = gather(scan, start, half * 0.92);
    if points.len() < 40 {
        return None;
    }
    let plane = fit_plane(&points, instrument)?;
    if plane.rms > 0.006 || plane.s0 > 3.0 {
        return None;
    }
    let ray = plane.origin / plane.origin.norm();
    let cos_incidence = plane.normal.dot(&ray).abs();
    if cos_incidence < 0.35 {
        return None;
    }
    let u = plane.normal.cross(&Vec3::z()).try_normalize(1e-6).unwrap_or_else(Vec3::x);
    let v = plane.normal.cross(&u);
    // each sample: in-plane coordinates and intensity
    let samples: Vec<(f64, f64, f64)> = points
        .iter()
        .filter_map(|(p, i)| {
            let along = plane.normal.dot(&plane.origin) / plane.normal.dot(p);
            let q = p * along - plane.origin;
            let (a, b) = (q.dot(&u), q.dot(&v));
            (a.abs().max(b.abs()) < half).then_some((a, b, *i))
        })
        .collect();
    let start_plane = start * (plane.normal.dot(&plane.origin) / plane.normal.dot(start)) - plane.origin;
    let across = plane.origin.norm() * instrument.angular_sigma / cos_incidence.sqrt();
    let blur = instrument.footprint_sigma(plane.origin.norm());
    let edge = fit_edges(&samples, (start_plane.dot(&u), start_plane.dot(&v)), half, across, blur)?;
    if edge.contrast.abs() < 0.1 || edge.explained < 0.75 {
        return None;
    }
    let centre = plane.origin + u * edge.centre.0 + v * edge.centre.1;
    let cov = u * u.transpose() * edge.covariance[(0, 0)]
        + v * v.transpose() * edge.covariance[(1, 1)]
        + (u * v.transpose() + v * u.transpose()) * edge.covariance[(0, 1)]
        + plane.normal * plane.normal.transpose() * plane.variance;
    Some(CheckerFit {
        centre,
        covariance: cov,
        normal: if plane.normal.dot(&ray) > 0.0 { -plane.normal } else { plane.normal },
        hits: samples.len(),
        rms: plane.rms,
        contrast: edge.contrast.abs(),
        s0: plane.s0,
    })
}

/// Points within `reach` of `start`, with their intensities.
fn gather(scan: &Scan, start: &Vec3, reach: f64) -> Vec<(Vec3, f64)> {
    let range = start.norm();
    let mut out = Vec::new();
    let Some((row, col)) = super::detect::locate(scan, &(start / range)) else { return out };
    let col_step = scan.col_step * (start.x.hypot(start.y) / range).max(0.05);
    let (nr, nc) = ((reach / range / scan.row_step).ceil() as i64, (reach / range / col_step).ceil() as i64);
    for r in row - nr..=row + nr {
        for c in col - nc..=col + nc {
            if let Some(i) = scan.cell(r, c) {
                let p = scan.at(i);
                if (p - start).norm() < reach {
                    out.push((p, scan.level(i)));
                }
            }
        }
    }
    out
}

/// Robust plane by principal axes, points beyond 3.5σ of the profile left out once.
fn fit_plane(points: &[(Vec3, f64)], instrument: &Instrument) -> Option<Plane> {
    let mut used: Vec<Vec3> = points.iter().map(|p| p.0).collect();
    let mut plane = None;
    for _ in 0..4 {
        let n = used.len();
        if n < 30 {
            return None;
        }
        let origin = used.iter().sum::<Vec3>() / n as f64;
        let scatter: Mat3 = used.iter().map(|p| (p - origin) * (p - origin).transpose()).sum();
        let eigen = scatter.symmetric_eigen();
        let least = eigen.eigenvalues.imin();
        let normal: Vec3 = eigen.eigenvectors.column(least).into();
        let cos_incidence = (normal.dot(&origin) / origin.norm()).abs();
        let sigma = instrument.range_noise(origin.norm(), cos_incidence) * cos_incidence;
        let sum: f64 = used.iter().map(|p| normal.dot(&(p - origin)).powi(2)).sum();
        let s0 = ((10.0 + sum / sigma.powi(2)) / (10.0 + (n - 3) as f64)).sqrt();
        plane =
            Some(Plane { origin, normal, variance: (sigma * s0).powi(2) / n as f64, rms: (sum / n as f64).sqrt(), s0 });
        let gate = 3.5 * sigma.max((sum / n as f64).sqrt());
        used.retain(|p| normal.dot(&(p - origin)).abs() < gate);
    }
    plane
}

struct Edges {
    centre: (f64, f64),
    covariance: Matrix2<f64>,
    contrast: f64,
    /// Share of the variance of the intensities that the pattern explains.
    explained: f64,
}

type Parameters = Vector5<f64>;

/// The picture model and its gradient by crossing, turn, mean and contrast:
/// `m + a·E(x')·E(y')` with `E(x) = erf(x / (√2 w))`.
fn model(q: &Parameters, w: f64, x: f64, y: f64) -> (f64, Parameters) {
    let (s, c) = q[2].sin_cos();
    let (dx, dy) = (x - q[0], y - q[1]);
    let (a, b) = (c * dx + s * dy, -s * dx + c * dy);
    let e = |t: f64| erf(t / (std::f64::consts::SQRT_2 * w));
    let d = |t: f64| (2.0 / std::f64::consts::PI).sqrt() / w * (-t * t / (2.0 * w * w)).exp();
    let (ea, eb, da, db) = (e(a), e(b), d(a), d(b));
    let (ga, gb) = (q[4] * da * eb, q[4] * ea * db);
    (q[3] + q[4] * ea * eb, Parameters::new(-(ga * c - gb * s), -(ga * s + gb * c), ga * b - gb * a, 1.0, ea * eb))
}

/// Levenberg–Marquardt on the five parameters, started from eight turns.
///
/// The width of the edges is held at the beam's, but not below half the spacing of the points: a
/// sharper picture has no gradient to follow. What the points near the edges then miss the model
/// by is not noise of one size, so the covariance is the sandwich of White (1980). The sandwich
/// takes those misses as independent; a regular grid crossing a slanted edge averages them better,
/// by [`GRID_AVERAGING`]. Where a whole
/// edge runs along the grid, all its points have the same phase and the gap they leave open is
/// added as a uniform error: boards should hang turned by some 20°.
fn fit_edges(samples: &[(f64, f64, f64)], start: (f64, f64), half: f64, across: f64, beam: f64) -> Option<Edges> {
    let n = samples.len();
    if n < 40 {
        return None;
    }
    let spacing = (2.6 * half * half / n as f64).sqrt();
    let w = beam.max(0.5 * spacing);
    let mean = samples.iter().map(|s| s.2).sum::<f64>() / n as f64;
    let total: f64 = samples.iter().map(|s| (s.2 - mean).powi(2)).sum();
    let spread = (total / n as f64).sqrt();
    let cost = |q: &Parameters| samples.iter().map(|s| (s.2 - model(q, w, s.0, s.1).0).powi(2)).sum::<f64>();
    let mut q = (0..8)
        .map(|k| Parameters::new(start.0, start.1, f64::from(k) * std::f64::consts::FRAC_PI_8, mean, spread))
        .min_by(|a, b| cost(a).total_cmp(&cost(b)))?;
    let (mut lambda, mut best) = (1e-3, cost(&q));
    for _ in 0..60 {
        let (mut nm, mut b) = (Matrix5::zeros(), Parameters::zeros());
        for s in samples {
            let (value, g) = model(&q, w, s.0, s.1);
            nm += g * g.transpose();
            b += g * (s.2 - value);
        }
        for k in 0..5 {
            nm[(k, k)] *= 1.0 + lambda;
        }
        let step = nm.cholesky()?.solve(&b);
        let trial = q + step;
        let after = cost(&trial);
        if after <= best {
            let settled = best - after < 1e-10 * best;
            (q, best) = (trial, after);
            lambda *= 0.3;
            if settled {
                break;
            }
        } else {
            lambda *= 5.0;
            if lambda > 1e8 {
                break;
            }
        }
    }
    if q[0].hypot(q[1]) > half {
        return None;
    }
    let (mut nm, mut meat) = (Matrix5::zeros(), Matrix5::zeros());
    for s in samples {
        let (value, g) = model(&q, w, s.0, s.1);
        nm += g * g.transpose();
        // the angular noise moves a sample over the true, sharper edge; it is in the residuals
        meat += g * g.transpose() * (s.2 - value).powi(2);
    }
    let inverse = nm.try_inverse()?;
    let sandwich = inverse * meat * inverse * (GRID_AVERAGING * n as f64 / (n as f64 - 5.0));
    let mut covariance: Matrix2<f64> = sandwich.fixed_view::<2, 2>(0, 0).into_owned();
    let (s, c) = q[2].sin_cos();
    for (normal, along) in [(Vector2::new(c, s), Vector2::new(-s, c)), (Vector2::new(-s, c), Vector2::new(c, s))] {
        let gap = gap(samples, &q, &normal, &along, spacing) - 2.0 * beam.max(across);
        covariance += normal * normal.transpose() * (gap.max(0.0).powi(2) / 12.0);
    }
    Some(Edges { centre: (q[0], q[1]), covariance, contrast: q[4], explained: 1.0 - best / total })
}

/// Width of the empty strip along one edge of the pattern: from the nearest sample on one side to
/// the nearest on the other, away from the crossing.
fn gap(samples: &[(f64, f64, f64)], q: &Parameters, normal: &Vector2<f64>, along: &Vector2<f64>, spacing: f64) -> f64 {
    let (mut below, mut above) = (spacing, spacing);
    for s in samples {
        let d = Vector2::new(s.0 - q[0], s.1 - q[1]);
        if d.dot(along).abs() > spacing {
            let t = d.dot(normal);
            if t >= 0.0 {
                above = above.min(t);
            } else {
                below = below.min(-t);
            }
        }
    }
    above + below
}
