use super::polar::Reading;
use crate::geometry::{Mat3, Vec3};
use nalgebra::SymmetricEigen;

/// A point of a small dense window: direction (clockwise) and zenith angle, radians, slope distance, metres, and how much
/// light came back, in any unit.
pub type WindowPoint = [f64; 4];

/// A disc found in a window.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct FinePoint {
    /// Its centre, as if it had been read, with its own σ.
    pub reading: Reading,
    /// Its radius, metres.
    pub radius: f64,
    /// Points on it.
    pub points: usize,
}

/// Why a window shows no disc.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FineError {
    /// Fewer points than [`FEWEST_FINE`].
    TooFew(usize),
    /// Nothing in it is brighter than the rest.
    Plain,
    /// What is bright reaches the rim of the window.
    CutOff,
    /// What is bright is not round.
    NotRound,
    /// The window is not flat: it spans an edge, or something stands before it.
    NotFlat,
}

/// Fewest points of a window.
pub const FEWEST_FINE: usize = 60;
/// Fewest points on a disc.
const ON_DISC: usize = 12;
/// A disc is so much brighter than what is round it, in standard deviations of both.
const BRIGHTER: f64 = 3.0;
/// Longest over shortest extent of what still passes for round.
const ROUND: f64 = 1.25;
/// Points of a wall scatter by less, metres.
const FLAT: f64 = 0.006;

/// Finds the centre of a bright disc on a flat wall in a small dense window. The wall gives the distance, the disc the
/// direction; σ come from the scatter on the wall and from how finely the rim of the disc is sampled.
///
/// # Errors
/// [`FineError`] when there is not one whole round disc on one flat wall.
pub fn fine_point(window: &[WindowPoint]) -> Result<FinePoint, FineError> {
    let n = window.len();
    if n < FEWEST_FINE || window.iter().flatten().any(|v| !v.is_finite()) {
        return Err(FineError::TooFew(n));
    }
    let bright = split(window)?;
    let xyz: Vec<Vec3> = window.iter().map(|[d, z, s, _]| *s * ray(*d, *z)).collect();
    let mean = xyz.iter().sum::<Vec3>() / n as f64;
    let spread: Mat3 = xyz.iter().map(|p| (p - mean) * (p - mean).transpose()).sum::<Mat3>() / n as f64;
    let eigen = SymmetricEigen::new(spread);
    let least = (0..3).min_by(|&a, &b| eigen.eigenvalues[a].total_cmp(&eigen.eigenvalues[b])).unwrap_or(2);
    let normal: Vec3 = eigen.eigenvectors.column(least).into_owned();
    let scatter = eigen.eigenvalues[least].max(0.0).sqrt();
    if scatter > FLAT {
        return Err(FineError::NotFlat);
    }
    // each ray where it meets the wall: the noise of its distance does not move it
    let on = |p: &Vec3| p * (mean.dot(&normal) / p.dot(&normal));
    let aside = if normal.z.abs() < 0.9 { Vec3::z() } else { Vec3::x() };
    let u = normal.cross(&aside).normalize();
    let v = normal.cross(&u);
    let flat: Vec<[f64; 2]> = xyz.iter().map(|p| on(p) - mean).map(|p| [p.dot(&u), p.dot(&v)]).collect();
    let disc: Vec<[f64; 2]> = flat.iter().zip(&bright).filter(|b| *b.1).map(|b| *b.0).collect();
    let m = disc.len() as f64;
    let centre = [0, 1].map(|a| disc.iter().map(|p| p[a]).sum::<f64>() / m);
    let moment = |a: usize, b: usize| disc.iter().map(|p| (p[a] - centre[a]) * (p[b] - centre[b])).sum::<f64>() / m;
    let shape = SymmetricEigen::new(nalgebra::Matrix2::new(moment(0, 0), moment(0, 1), moment(0, 1), moment(1, 1)));
    let (long, short) = (shape.eigenvalues.max(), shape.eigenvalues.min());
    let extent = |a: usize| flat.iter().fold((f64::MAX, f64::MIN), |(low, high), p| (low.min(p[a]), high.max(p[a])));
    let area = (extent(0).1 - extent(0).0) * (extent(1).1 - extent(1).0);
    let spacing = (area / n as f64).sqrt();
    let radius = (long + short).sqrt() * 2.0_f64.sqrt();
    let near_rim = |a: usize| {
        let (low, high) = extent(a);
        centre[a] - radius - spacing < low || centre[a] + radius + spacing > high
    };
    if near_rim(0) || near_rim(1) {
        return Err(FineError::CutOff);
    }
    // of a round disc of this size, so many of the points lie on it
    let filled = m * spacing * spacing / (std::f64::consts::PI * radius * radius);
    if long > ROUND * ROUND * short || !(0.75..1.3).contains(&filled) {
        return Err(FineError::NotRound);
    }
    let at = mean + centre[0] * u + centre[1] * v;
    let distance = at.norm();
    // each cell of the rim is on the disc or not: 1/√12 of a cell, over all of them, moves the centre by so much
    let rim = std::f64::consts::TAU * radius / spacing;
    let by_rim =
        spacing * spacing * radius * (rim / 2.0).sqrt() / 12.0_f64.sqrt() / (std::f64::consts::PI * radius * radius);
    // and the window is as much off as its rays are wide apart, over all of them
    let across = by_rim.hypot(0.3 * spacing / m.sqrt()) / distance;
    let slant = (at.dot(&normal) / distance).abs().max(0.2);
    let along = (scatter / slant / (n as f64).sqrt()).hypot(across * distance * (1.0 - slant * slant).sqrt() / slant);
    let zenith = (at.z / distance).acos();
    Ok(FinePoint {
        reading: Reading {
            direction: at.x.atan2(at.y).rem_euclid(std::f64::consts::TAU),
            zenith,
            distance: Some(distance),
            height: 0.0,
            sigma: Some([across / zenith.sin().max(0.05), across, along]),
        },
        radius,
        points: disc.len(),
    })
}

fn ray(direction: f64, zenith: f64) -> Vec3 {
    let ((sd, cd), (sz, cz)) = (direction.sin_cos(), zenith.sin_cos());
    Vec3::new(sz * sd, sz * cd, cz)
}

/// Which points are bright, by the threshold that leaves the least scatter within both classes (Otsu 1979).
fn split(window: &[WindowPoint]) -> Result<Vec<bool>, FineError> {
    let mut light: Vec<f64> = window.iter().map(|p| p[3]).collect();
    light.sort_by(f64::total_cmp);
    let n = light.len();
    let total: f64 = light.iter().sum();
    let (mut best, mut from, mut below) = (0.0, n, 0.0);
    for k in 1..n {
        below += light[k - 1];
        if light[k] <= light[k - 1] {
            continue;
        }
        let (a, b) = (k as f64, (n - k) as f64);
        let gap = (total - below) / b - below / a;
        if a * b * gap * gap > best {
            (best, from) = (a * b * gap * gap, k);
        }
    }
    let on = n - from;
    if on < ON_DISC || 2 * on > n {
        return Err(FineError::Plain);
    }
    let of = |s: &[f64]| {
        let mean = s.iter().sum::<f64>() / s.len() as f64;
        (mean, (s.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / s.len() as f64).sqrt())
    };
    let ((dark, sd), (bright, sb)) = (of(&light[..from]), of(&light[from..]));
    if bright - dark < BRIGHTER * (sd + sb) {
        return Err(FineError::Plain);
    }
    Ok(window.iter().map(|p| p[3] >= light[from]).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rand::{Rng, SeedableRng};
    use rand_chacha::ChaCha8Rng;
    use rand_distr::StandardNormal;

    /// Rays against a wall, cast by hand.
    fn window(
        rng: &mut ChaCha8Rng,
        turned: f64,
        step: f64,
        half: f64,
        radius: f64,
        flatten: f64,
    ) -> (Vec<WindowPoint>, Vec3) {
        let centre = Vec3::new(6.0, 18.0, 2.0) + Vec3::from_fn(|_, _| rng.random::<f64>() * 0.01);
        let normal = Vec3::new(turned.sin(), -turned.cos(), 0.1).normalize();
        let along = normal.cross(&Vec3::z()).normalize();
        let d0 = centre.x.atan2(centre.y);
        let z0 = (centre.z / centre.norm()).acos();
        let a = step / centre.norm();
        let k = (half / step) as i32;
        let mut out = Vec::new();
        for i in -k..=k {
            for j in -k..=k {
                let (d, z) = (d0 + f64::from(i) * a + 1e-5, z0 + f64::from(j) * a);
                let ray = Vec3::new(z.sin() * d.sin(), z.sin() * d.cos(), z.cos());
                let s = centre.dot(&normal) / ray.dot(&normal);
                let off = s * ray - centre;
                let bright = off.dot(&along).hypot(off.dot(&along.cross(&normal)) * flatten) < radius;
                let mut n = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
                let light = if bright { 200.0 } else { 40.0 } + n(8.0);
                out.push([d + n(1e-6), z + n(1e-6), s + n(0.0012), light]);
            }
        }
        (out, centre)
    }

    #[test]
    fn a_disc_is_found_within_what_is_stated_and_nothing_else_passes_for_one() {
        let mut rng = ChaCha8Rng::seed_from_u64(8);
        let (mut inside, mut all, mut worst) = (0, 0, 0.0_f64);
        for round in 0..200 {
            let turned = -0.3 + 0.9 * rng.random::<f64>();
            let step = 0.003 + 0.004 * rng.random::<f64>();
            let (w, centre) = window(&mut rng, turned, step, 0.09, 0.03, 1.0);
            let p = fine_point(&w).unwrap_or_else(|e| panic!("{round}: {e:?}"));
            let [sd, sz, ss] = p.reading.sigma.unwrap();
            let off = [
                (p.reading.direction - centre.x.atan2(centre.y)) / sd,
                (p.reading.zenith - (centre.z / centre.norm()).acos()) / sz,
                (p.reading.distance.unwrap() - centre.norm()) / ss,
            ];
            inside += off.iter().filter(|o| o.abs() < 1.96).count();
            all += 3;
            worst = worst.max(off.iter().fold(0.0, |m: f64, o| m.max(o.abs())));
            assert!((p.radius - 0.03).abs() < 0.004, "{} m", p.radius);
        }
        assert!(inside * 100 >= all * 92 && worst < 5.0, "{inside} of {all} within 95 %, worst {worst} σ");
        // a stripe, half a disc, no disc, and an edge
        assert_eq!(fine_point(&window(&mut rng, 0.0, 0.004, 0.09, 0.03, 2.2).0), Err(FineError::NotRound));
        assert_eq!(fine_point(&window(&mut rng, 0.0, 0.004, 0.028, 0.03, 1.0).0).unwrap_err(), FineError::Plain);
        let mut cut = window(&mut rng, 0.0, 0.004, 0.09, 0.03, 1.0).0;
        let first = cut[0][0];
        cut.retain(|p| p[0] - first > 0.0036);
        assert!(matches!(fine_point(&cut), Err(FineError::CutOff | FineError::NotRound)));
        let plain: Vec<WindowPoint> = window(&mut rng, 0.0, 0.004, 0.09, 0.0, 1.0).0;
        assert_eq!(fine_point(&plain), Err(FineError::Plain));
        let mut edge = window(&mut rng, 0.0, 0.004, 0.09, 0.03, 1.0).0;
        for p in edge.iter_mut().take(700) {
            p[2] += 0.1;
        }
        assert_eq!(fine_point(&edge), Err(FineError::NotFlat));
    }
}
