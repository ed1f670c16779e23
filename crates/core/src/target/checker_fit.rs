use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::scan::Scan;
use nalgebra::{Matrix2, Matrix5, Vector5};
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

/// Points on a board below which the search misses one in ten or more (measured on simulated boards).
const SEARCHED_HITS: usize = 60;

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

/// In-plane coordinates of a point, metres, and its intensity.
type Sample = (f64, f64, f64);

/// What moves the samples of a picture: standard deviations, metres.
#[derive(Clone, Copy)]
struct Blur {
    /// Of the beam's footprint.
    beam: f64,
    /// Of the ray's direction on the board, along the horizontal and upward.
    jitter: [f64; 2],
}

/// Levenberg–Marquardt on the five parameters; returns them and the sum of squares.
fn settle(samples: &[Sample], w: f64, mut q: Parameters) -> Option<(Parameters, f64)> {
    let cost = |q: &Parameters| samples.iter().map(|s| (s.2 - model(q, w, s.0, s.1).0).powi(2)).sum::<f64>();
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
        let trial = q + nm.cholesky()?.solve(&b);
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
    Some((q, best))
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
    let cost = |q: &Parameters| samples.iter().map(|s| (s.2 - model(q, w, s.0, s.1).0).powi(2)).sum::<f64>();
    let first = (0..8)
        .map(|k| Parameters::new(start.0, start.1, f64::from(k) * std::f64::consts::FRAC_PI_8, mean, spread))
        .min_by(|a, b| cost(a).total_cmp(&cost(b)))?;
    let (q, best) = settle(samples, w, first)?;
    if q[0].hypot(q[1]) > half {
        return None;
    }
    // noise of the intensities: where no edge is near
    let (s, c) = q[2].sin_cos();
    let plain: Vec<f64> = samples
        .iter()
        .filter(|p| {
            let (dx, dy) = (p.0 - q[0], p.1 - q[1]);
            (c * dx + s * dy).abs().min((c * dy - s * dx).abs()) > 2.5 * w
        })
        .map(|p| (p.2 - model(&q, w, p.0, p.1).0).powi(2))
        .collect();
    let noise = if plain.len() < 8 {
        (best / n as f64).sqrt()
    } else {
        (plain.iter().sum::<f64>() / plain.len() as f64).sqrt()
    };
    let covariance = repeated(samples, &q, w, blur, noise, spacing, 20)?;
    Some(Edges { centre: (q[0], q[1]), covariance, contrast: q[4], explained: 1.0 - best / total })
}

/// Numbers that fill 0..1 evenly, so that the same board gives the same answer.
fn even(k: usize, by: f64) -> f64 {
    (0.5 + k as f64 * by).fract()
}

/// Covariance of the crossing by a parametric bootstrap (Efron 1979): the board as found, moved a
/// little so that the grid of points falls on it anew, is pictured at the same points with the
/// noise found, and measured by the same fit.
///
/// Sharp edges seen by points that lie wide apart make errors that no residual shows: how large they
/// are depends on how the grid crosses the edges. Where an edge runs along the grid, nothing says
/// where between two rows it lies; turned by some 20°, boards are measured many times better.
fn repeated(
    samples: &[Sample],
    q: &Parameters,
    w: f64,
    blur: Blur,
    noise: f64,
    spacing: f64,
    times: usize,
) -> Option<Matrix2<f64>> {
    let normal = |k: usize, by: f64| crate::stats::normal_quantile(even(k, by).clamp(1e-4, 1.0 - 1e-4));
    let soft = |t: f64| erf(t / (std::f64::consts::SQRT_2 * blur.beam));
    let (mut sum, mut used) = (Matrix2::zeros(), 0.0);
    for time in 0..times {
        let mut truth = *q;
        truth[0] += (even(time, 0.754_877_666) - 0.5) * spacing;
        truth[1] += (even(time, 0.569_840_291) - 0.5) * spacing;
        let (s, c) = truth[2].sin_cos();
        let picture: Vec<Sample> = samples
            .iter()
            .enumerate()
            .map(|(i, p)| {
                let k = i + 977 * time;
                let dx = p.0 - truth[0] + normal(k, 0.618_033_989) * blur.jitter[0];
                let dy = p.1 - truth[1] + normal(k, 0.414_213_562) * blur.jitter[1];
                let pattern = soft(c * dx + s * dy) * soft(c * dy - s * dx);
                (p.0, p.1, truth[3] + truth[4] * pattern + noise * normal(k, 0.732_050_808))
            })
            .collect();
        let Some((found, _)) = settle(&picture, w, truth) else { continue };
        let e = nalgebra::Vector2::new(found[0] - truth[0], found[1] - truth[1]);
        if e.norm() < 3.0 * spacing {
            sum += e * e.transpose();
            used += 1.0;
        }
    }
    // never regular by chance
    let floor = Matrix2::identity() * (0.002 * spacing).powi(2);
    (used * 2.0 > times as f64).then(|| sum / used + floor)
}

/// In-plane covariance (along the horizontal, upward; m²) that [`fit_checker`] is expected to state
/// for a board of half-side `half` at `range` metres met with incidence cosine `cos_incidence`, and
/// the points on it: the same fit on samples laid out as the instrument's grid would put them. The
/// board hangs turned by about 20°, and the intensity noise is 3 % of the contrast's half.
pub(super) fn expected_edges(
    half: f64,
    range: f64,
    cos_incidence: f64,
    instrument: &Instrument,
) -> Option<(Matrix2<f64>, usize)> {
    let (su, sv) = (range * instrument.step / cos_incidence, range * instrument.step);
    let reach = half * 0.92;
    let jitter = [range * instrument.angular_sigma / cos_incidence, range * instrument.angular_sigma];
    let blur = Blur { beam: instrument.footprint_sigma(range), jitter };
    if 0.5 * half / su < 2.5 {
        return None;
    }
    let (nu, nv) = ((reach / su).ceil() as i64, (reach / sv).ceil() as i64);
    // the grid falls on the board in one way or another, and nobody hangs it to a degree: some turns
    // and spacings happen to go well together, and must not be counted on
    const GRIDS: usize = 16;
    let (mut sum, mut hits) = (Matrix2::zeros(), 0);
    for k in 0..GRIDS {
        let (pu, pv) = (even(k, 0.754_877_666), even(k, 0.569_840_291));
        let turn = 20.0 + 2.0 * (2.0 * even(k, 0.618_033_989) - 1.0);
        let stretch = 1.0 + 0.02 * (2.0 * even(k, 0.414_213_562) - 1.0);
        let (su, sv) = (su * stretch, sv / stretch);
        let samples: Vec<Sample> = (-nu..=nu)
            .flat_map(|i| (-nv..=nv).map(move |j| ((i as f64 + pu) * su, (j as f64 + pv) * sv, 0.0)))
            .filter(|p| p.0.hypot(p.1) < reach)
            .collect();
        if samples.len() < SEARCHED_HITS {
            return None;
        }
        let spacing = (2.6 * half * half / samples.len() as f64).sqrt();
        let q = Parameters::new(0.0, 0.0, f64::to_radians(turn), 0.0, 1.0);
        sum += repeated(&samples, &q, blur.beam.max(0.5 * spacing), blur, 0.03, spacing, 5)?;
        hits += samples.len();
    }
    Some((sum / GRIDS as f64, hits / GRIDS))
}
