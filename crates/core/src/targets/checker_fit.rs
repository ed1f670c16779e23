use super::checker_error::{Blur, repeated};
use super::checker_picture::{Flat, Parameters, Picture, Sample, cost, settle};
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::scan::Scan;
use nalgebra::Matrix2;

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

/// Repetitions of the bootstrap that states a crossing's error.
const REPEATS: usize = 32;

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
    let samples: Vec<Sample> = points
        .iter()
        .filter_map(|(p, i)| {
            let along = plane.normal.dot(&plane.origin) / plane.normal.dot(p);
            let q = p * along - plane.origin;
            let (a, b) = (q.dot(&u), q.dot(&v));
            (a.abs().max(b.abs()) < half).then_some((a, b, *i))
        })
        .collect();
    let start_plane = start * (plane.normal.dot(&plane.origin) / plane.normal.dot(start)) - plane.origin;
    let across = plane.origin.norm() * instrument.angular_sigma;
    let blur = Blur { beam: instrument.footprint_sigma(plane.origin.norm()), jitter: [across / cos_incidence, across] };
    let edge = fit_edges(&samples, (start_plane.dot(&u), start_plane.dot(&v)), half, blur)?;
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

/// The picture model is fitted, started from eight turns. The width of the edges is held at the
/// beam's, but not below half the spacing of the points: a sharper picture has no gradient to follow.
fn fit_edges(samples: &[Sample], start: (f64, f64), half: f64, blur: Blur) -> Option<Edges> {
    let n = samples.len();
    if n < 40 {
        return None;
    }
    let spacing = (2.6 * half * half / n as f64).sqrt();
    let w = blur.beam.max(0.5 * spacing);
    let mean = samples.iter().map(|s| s.2).sum::<f64>() / n as f64;
    let total: f64 = samples.iter().map(|s| (s.2 - mean).powi(2)).sum();
    let spread = (total / n as f64).sqrt();
    let first = (0..8)
        .map(|k| Parameters::new(start.0, start.1, f64::from(k) * std::f64::consts::FRAC_PI_8, mean, spread))
        .min_by(|a, b| cost(samples, w, a).total_cmp(&cost(samples, w, b)))?;
    let (q, best) = settle(samples, &Flat::default(), w, first, 1e-10)?;
    if q[0].hypot(q[1]) > half {
        return None;
    }
    // noise of the intensities: where no edge is near
    let picture = Picture::new(&q, w);
    let plain: Vec<f64> = samples
        .iter()
        .filter(|p| {
            let (a, b) = picture.edge_distances(p.0, p.1);
            a.abs().min(b.abs()) > 2.5 * w
        })
        .map(|p| (p.2 - picture.at(p.0, p.1)).powi(2))
        .collect();
    let noise = if plain.len() < 8 {
        (best / n as f64).sqrt()
    } else {
        (plain.iter().sum::<f64>() / plain.len() as f64).sqrt()
    };
    let covariance = repeated(samples, &q, w, blur, noise, spacing, REPEATS)?;
    Some(Edges { centre: (q[0], q[1]), covariance, contrast: q[4], explained: 1.0 - best / total })
}
