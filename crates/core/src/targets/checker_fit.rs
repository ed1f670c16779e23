use super::checker_error::{Blur, repeated};
use super::checker_picture::{Flat, Parameters, Picture, Sample, cost, settle};
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::scan::Scan;
use nalgebra::{Matrix2, Vector2};

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

/// What scatters more about its plane, in shares of the half-side, is no board: dark quarters may scatter five times
/// as far as the profile says.
const FLAT: f64 = 0.08;
/// Most of the variance of the intensities that the pattern may leave.
const UNEXPLAINED: f64 = 0.25;
/// What goes on round a board on its plane may vary by such a share of half its own contrast: on gravel, brick and
/// tiles four patches that look like quarters are found now and then, and the surface round them looks the same.
const ROUND: f64 = 0.6;
/// Points round a board that tell.
const ROUND_POINTS: usize = 40;
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
    fit(scan, instrument, start, half, None)
}

/// The same, with a cell that looks nearly there.
pub(super) fn fit(
    scan: &Scan,
    instrument: &Instrument,
    start: &Vec3,
    half: f64,
    hint: Option<(i64, i64)>,
) -> Option<CheckerFit> {
    let points = gather(scan, start, half * 0.92, hint);
    if points.len() < 40 {
        return None;
    }
    let plane = fit_plane(&points, instrument)?;
    if plane.rms > FLAT * half {
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
fn gather(scan: &Scan, start: &Vec3, reach: f64, hint: Option<(i64, i64)>) -> Vec<(Vec3, f64)> {
    let range = start.norm();
    let mut out = Vec::new();
    let Some((row, col)) = super::detect::locate(scan, &(start / range), hint) else { return out };
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

/// Whether what is found stands out from the surface that goes on round it, or stands free.
pub(super) fn stands_out(scan: &Scan, found: &CheckerFit, half: f64, cell: (i64, i64)) -> bool {
    let on_plane = |d: Vec3| d.norm() > 1.5 * half && found.normal.dot(&d).abs() < FLAT * half;
    let round: Vec<f64> = gather(scan, &found.centre, 2.2 * half, Some(cell))
        .iter()
        .filter(|(p, _)| on_plane(p - found.centre))
        .map(|p| p.1)
        .collect();
    let n = round.len() as f64;
    let mean = round.iter().sum::<f64>() / n;
    let spread = (round.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / n).sqrt();
    round.len() < ROUND_POINTS || spread < ROUND * found.contrast
}

/// Robust plane by principal axes. Light and dark points count by their own scatter: a range on black paper may be
/// several times as noisy as one on white.
fn fit_plane(points: &[(Vec3, f64)], instrument: &Instrument) -> Option<Plane> {
    let (low, high) = points.iter().fold((f64::MAX, f64::MIN), |(l, h), p| (l.min(p.1), h.max(p.1)));
    let dark = |level: f64| usize::from(level < f64::midpoint(low, high));
    let mut weights = [1.0; 2];
    let mut used: Vec<&(Vec3, f64)> = points.iter().collect();
    let mut plane = None;
    for _ in 0..4 {
        let n = used.len();
        if n < 30 {
            return None;
        }
        let total: f64 = used.iter().map(|p| weights[dark(p.1)]).sum();
        let origin = used.iter().map(|p| p.0 * weights[dark(p.1)]).sum::<Vec3>() / total;
        let scatter: Mat3 = used.iter().map(|p| (p.0 - origin) * (p.0 - origin).transpose() * weights[dark(p.1)]).sum();
        let eigen = scatter.symmetric_eigen();
        let normal: Vec3 = eigen.eigenvectors.column(eigen.eigenvalues.imin()).into();
        let cos_incidence = (normal.dot(&origin) / origin.norm()).abs();
        let sigma = instrument.range_noise(origin.norm(), cos_incidence) * cos_incidence;
        let (mut sum, mut count) = ([0.0; 2], [0.0; 2]);
        for p in &used {
            sum[dark(p.1)] += normal.dot(&(p.0 - origin)).powi(2);
            count[dark(p.1)] += 1.0;
        }
        // the profile counts as ten points of each
        let variance: [f64; 2] = std::array::from_fn(|k| (10.0 * sigma * sigma + sum[k]) / (10.0 + count[k]));
        weights = variance.map(f64::recip);
        let rms = ((sum[0] + sum[1]) / n as f64).sqrt();
        let s0 = ((10.0 + (sum[0] + sum[1]) / sigma.powi(2)) / (10.0 + (n - 3) as f64)).sqrt();
        let precision = count[0] / variance[0] + count[1] / variance[1];
        plane = Some(Plane { origin, normal, variance: precision.recip(), rms, s0 });
        used.retain(|p| normal.dot(&(p.0 - origin)).powi(2) < 12.25 * variance[dark(p.1)]);
    }
    plane
}

/// The strip along one of the two edges that no point tells about: its middle beside the fitted edge, and its width,
/// metres. Where rows and columns run along the edges of a board that hangs plumb, an edge may lie anywhere between
/// two of them; on a board that is turned, some point is always near. A point whose light is between light and dark
/// lies on the edge, and there is no such strip.
fn free_of_points(
    samples: &[Sample],
    picture: &Picture<'_>,
    q: &Parameters,
    first: bool,
    (spacing, half): (f64, f64),
) -> (f64, f64) {
    let (mut low, mut high) = (-spacing, spacing);
    for p in samples {
        let (a, b) = picture.edge_distances(p.0, p.1);
        let (across, along) = if first { (a, b) } else { (b, a) };
        // neither at the crossing nor at the rim, where what is behind begins
        if along.abs() < 0.5 * spacing || along.abs() > 0.8 * half || across.abs() > spacing {
            continue;
        }
        let side = (p.2 - q[3]) / q[4] * along.signum();
        if side.abs() < 0.6 {
            return (0.0, 0.0);
        }
        if side > 0.0 { high = high.min(across) } else { low = low.max(across) }
    }
    // points on both sides disagree by the jitter of the beam: the fit weighs them
    if high > low { (f64::midpoint(low, high), high - low) } else { (0.0, 0.0) }
}

pub(super) struct Edges {
    pub centre: (f64, f64),
    pub covariance: Matrix2<f64>,
    contrast: f64,
}

/// The picture model is fitted, started from eight turns. The width of the edges is held at the
/// beam's, but not below half the spacing of the points: a sharper picture has no gradient to follow.
pub(super) fn fit_edges(samples: &[Sample], start: (f64, f64), half: f64, blur: Blur) -> Option<Edges> {
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
    if q[0].hypot(q[1]) > half || best > UNEXPLAINED * total {
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
    let mut covariance = repeated(samples, &q, w, blur, noise, spacing, REPEATS)?;
    let mut centre = Vector2::new(q[0], q[1]);
    let (sin, cos) = q[2].sin_cos();
    for (first, normal) in [(true, Vector2::new(cos, sin)), (false, Vector2::new(-sin, cos))] {
        let (middle, gap) = free_of_points(samples, &picture, &q, first, (spacing, half));
        // a point nearer than the beam is wide tells something of the edge
        let strip = (gap - 2.0 * blur.beam).max(0.0).powi(2) / 12.0;
        let stated = (normal.transpose() * covariance * normal)[0];
        if strip > stated {
            centre += normal * middle;
            covariance += normal * normal.transpose() * (strip - stated);
        }
    }
    Some(Edges { centre: (centre.x, centre.y), covariance, contrast: q[4] })
}
