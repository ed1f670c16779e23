use super::seen::{COMMON, NOISY, Near, OFF, SHARED, Sighting, Visit};
use crate::geometry::{Mat3, Vec3};
use crate::targets::crossing;

/// Points so many times as far from the plane as they scatter are not on it, and rounds of saying so.
const ASIDE: f64 = 3.0;
const ROUNDS: usize = 8;
/// Beams of a unit fall on a board within so much of their middle, 1σ, metres, and more by so much a metre of range: they are wide,
/// and the unit goes on meanwhile.
const BEAM: [f64; 2] = [0.005, 0.0008];
/// Steps of incidence whose light is set to one mean.
const SLOPES: usize = 12;

struct Plane {
    origin: Vec3,
    normal: Vec3,
    rms: f64,
    points: usize,
}

/// The plane that most of what lies near a place is on: of a board, or of the wall that it hangs on.
fn plane(points: &[Near], about: &Vec3, half: f64, noise: f64) -> Option<Plane> {
    let mut scale = 0.05_f64;
    let mut used: Vec<Vec3> = points.iter().map(|p| p.at).filter(|p| (p - about).norm() < half + OFF / 2.0).collect();
    let all = used.clone();
    let mut found = None;
    for _ in 0..ROUNDS {
        let n = used.len() as f64;
        if n < 30.0 {
            return None;
        }
        let origin = used.iter().sum::<Vec3>() / n;
        let scatter: Mat3 = used.iter().map(|p| (p - origin) * (p - origin).transpose()).sum::<Mat3>() / n;
        let eigen = scatter.symmetric_eigen();
        let normal: Vec3 = eigen.eigenvectors.column(eigen.eigenvalues.imin()).into();
        let rms = eigen.eigenvalues.min().max(0.0).sqrt();
        found = Some(Plane { origin, normal, rms, points: used.len() });
        scale = (scale / 2.0).max(ASIDE * noise);
        used = all.iter().copied().filter(|p| normal.dot(&(p - origin)).abs() < scale).collect();
    }
    found
}

/// Samples with the cosine of their incidence, as if all were lit alike: whichever way a board is looked at, as much of it is light.
fn even_light(samples: Vec<(f64, (f64, f64, f64))>) -> Vec<(f64, f64, f64)> {
    let step = |slope: f64| ((slope * SLOPES as f64) as usize).min(SLOPES - 1);
    let mut sums = [[0.0, 0.0]; SLOPES];
    for (slope, s) in &samples {
        sums[step(*slope)][0] += s.2;
        sums[step(*slope)][1] += 1.0;
    }
    let all = samples.iter().map(|s| s.1.2).sum::<f64>() / samples.len().max(1) as f64;
    let lit = |(slope, (a, b, level)): (f64, (f64, f64, f64))| {
        let [sum, n] = sums[step(slope)];
        (a, b, level * all * n / sum.max(1e-9))
    };
    samples.into_iter().map(lit).collect()
}

/// Finds the crossing of a board of a half-side, metres, in a visit.
///
/// Points are slid along their rays onto the plane they lie on, so that the noise of ranges does not blur the picture. Where on it the
/// pattern is, is tried first all over where it may be.
pub(super) fn fit(of: &Visit<'_>, half: f64) -> Option<Sighting> {
    let Visit { points, about, path, noise, .. } = *of;
    let plane = plane(points, &about, half, noise)?;
    if plane.rms > NOISY * noise {
        return None;
    }
    let u = plane.normal.cross(&Vec3::z()).try_normalize(1e-3).unwrap_or_else(Vec3::x);
    let v = plane.normal.cross(&u);
    let (mut range, mut oblique) = (0.0, 0.0);
    let mut flat = |p: &Near| {
        let (from, off) = (path.place(p.time), plane.normal.dot(&(p.at - plane.origin)));
        let ray = (p.at - from).try_normalize(1e-6)?;
        let slope = plane.normal.dot(&ray);
        if slope.abs() < 0.35 || off.abs() > ASIDE * noise.max(plane.rms) {
            return None;
        }
        range += (p.at - from).norm();
        oblique += slope.abs();
        let q = p.at - ray * (off / slope) - plane.origin;
        Some((slope.abs(), (q.dot(&u), q.dot(&v), p.level)))
    };
    let samples = even_light(points.iter().filter_map(&mut flat).collect());
    let n = samples.len().max(1) as f64;
    let (range, oblique) = (range / n, (oblique / n).max(0.35));
    let beam = BEAM[0] + BEAM[1] * range;
    let jitter = noise / 4.0;
    let start = about - plane.origin;
    let found = crossing(&samples, [start.dot(&u), start.dot(&v)], OFF, half, beam, [jitter / oblique, jitter])?;
    let [a, b] = found.at;
    let centre = plane.origin + u * a + v * b;
    let along = plane.rms.max(0.5 * noise).powi(2) * SHARED / plane.points as f64;
    let c = found.covariance;
    let covariance = u * u.transpose() * c[(0, 0)]
        + v * v.transpose() * c[(1, 1)]
        + (u * v.transpose() + v * u.transpose()) * c[(0, 1)]
        + plane.normal * plane.normal.transpose() * along
        + Mat3::identity() * COMMON.powi(2);
    let time = points[points.len() / 2].time;
    let near = (centre - about).norm() < OFF;
    near.then_some(Sighting { target: of.target, at: centre, covariance, points: found.points, rms: plane.rms, time })
}
