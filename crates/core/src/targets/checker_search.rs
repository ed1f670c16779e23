use super::sphere_search::RangeImage;
use crate::geometry::Vec3;
use crate::scan::Scan;
use rayon::prelude::*;

/// A place where the crossing of a checker may be.
#[derive(Clone, Copy, Debug)]
pub(super) struct Candidate {
    /// The point nearest to the crossing, scanner frame, metres.
    pub point: Vec3,
    /// Its cell.
    pub cell: (i64, i64),
    /// Strength of the four-quarter pattern, 0..1.
    pub score: f64,
}

const RING: usize = 16;
/// Sine and cosine of every place on the ring.
type Ring = [(f64, f64); RING];
/// Least difference between light and dark, in shares of their mean: units and steps of the intensity do not count.
const LEAST_CONTRAST: f64 = 0.25;

/// Intensities by cell, 0..1, beside the ranges.
struct Image<'a> {
    ranges: &'a RangeImage,
    /// NaN where there is no point.
    levels: Vec<f32>,
}

impl Image<'_> {
    fn level(&self, row: i64, col: i64) -> Option<f64> {
        let v = self.levels[self.ranges.index(row, col)?];
        (!v.is_nan()).then(|| f64::from(v))
    }
}

/// Proposes crossings of four-quarter boards with half-side `half` metres.
///
/// On a ring round the crossing the intensity changes sign four times, whatever the turn of the
/// board: the second harmonic is strong, the first (an edge) is not, and the range is flat.
pub(super) fn search(scan: &Scan, ranges: &RangeImage, half: f64) -> Vec<Candidate> {
    let ring: Ring = std::array::from_fn(|k| (k as f64 / RING as f64 * std::f64::consts::TAU).sin_cos());
    let level = |i: &u32| scan.intensity.get(*i as usize).map_or(f32::NAN, |v| f32::from(*v) / 65_535.0);
    let image = Image { ranges, levels: scan.grid.par_iter().map(level).collect() };
    let mut found: Vec<Candidate> = (0..ranges.rows)
        .into_par_iter()
        .flat_map_iter(|row| {
            let (ring, image) = (&ring, &image);
            (0..ranges.cols).filter_map(move |col| {
                let score = probe(image, row, col, half, ring)?;
                Some(Candidate { point: scan.point(row, col)?, cell: (row, col), score })
            })
        })
        .collect();
    found.sort_by(|a, b| b.score.total_cmp(&a.score));
    let mut kept: Vec<Candidate> = Vec::new();
    for c in found {
        if kept.iter().all(|k| (k.point - c.point).norm() > half) {
            kept.push(c);
        }
    }
    kept
}

/// The ring as a board shows it that faces the scanner, and one that turns away by some 55°.
const ASPECTS: [f64; 2] = [1.0, 0.55];

fn probe(image: &Image<'_>, row: i64, col: i64, half: f64, ring: &Ring) -> Option<f64> {
    let range = image.ranges.at(row, col);
    if range <= 0.0 {
        return None;
    }
    let angle = 0.5 * half / range;
    let (kr, kc) = (angle / image.ranges.row_step, angle / image.ranges.col_steps[row as usize]);
    if 2.0 * kc > image.ranges.cols as f64 {
        return None;
    }
    ASPECTS.iter().find_map(|aspect| {
        let kc = kc * aspect;
        if kr < 2.0 || kc < 2.0 {
            return None;
        }
        let at = |k: usize, scale: f64| {
            let (s, c) = ring[k];
            (row + (s * kr * scale).round() as i64, col + (c * kc * scale).round() as i64)
        };
        pattern(image, ring, &at, range, half)
    })
}

/// How strong the pattern is on the ring whose cells `at` gives by number and scale; `None` where there is none.
fn pattern(
    image: &Image<'_>,
    ring: &Ring,
    at: &impl Fn(usize, f64) -> (i64, i64),
    range: f64,
    half: f64,
) -> Option<f64> {
    let value = |k: usize| {
        let (row, col) = at(k, 1.0);
        image.level(row, col)
    };
    // cheap refusal: opposite points alike, points a quarter apart not, on one of two diagonals
    let quick = |k: usize| -> Option<bool> {
        let (a, b) = (value(k)?, value(k + 8)?);
        let (c, d) = (value(k + 4)?, value(k + 12)?);
        let (contrast, mean) = ((a + b - c - d).abs() / 2.0, (a + b + c + d) / 4.0);
        Some(contrast > LEAST_CONTRAST * mean && (a - b).abs() + (c - d).abs() < contrast)
    };
    if !quick(2)? && !quick(0)? {
        return None;
    }
    let (strength, inner) = harmonics(image, ring, at, 1.0)?;
    let (outer_strength, outer) = harmonics(image, ring, at, 1.5)?;
    let turn = (inner - outer).sin().atan2((inner - outer).cos()).abs();
    if turn > 0.6 {
        return None;
    }
    // flat: opposite ranges average to the middle one
    let flat = [0, 4].into_iter().all(|k| {
        let [a, b] = [k, k + 8].map(|k| {
            let (row, col) = at(k, 1.4);
            image.ranges.at(row, col)
        });
        a > 0.0 && b > 0.0 && (f64::midpoint(a, b) - range).abs() < 0.02 + 0.04 * half
    });
    flat.then_some(strength + outer_strength)
}

/// Strength of the second harmonic over the mean and its phase; `None` where it does not stand out. Points
/// that lie on an edge say one thing or the other by chance, four of sixteen on a board that hangs plumb.
fn harmonics(image: &Image<'_>, ring: &Ring, at: &impl Fn(usize, f64) -> (i64, i64), scale: f64) -> Option<(f64, f64)> {
    let (mut re2, mut im2, mut re1, mut im1, mut sum, mut square) = (0.0, 0.0, 0.0, 0.0, 0.0, 0.0);
    for (k, (s1, c1)) in ring.iter().enumerate() {
        let (row, col) = at(k, scale);
        let v = image.level(row, col)?;
        re2 += v * (c1 * c1 - s1 * s1);
        im2 += v * 2.0 * s1 * c1;
        re1 += v * c1;
        im1 += v * s1;
        sum += v;
        square += v * v;
    }
    let n = RING as f64;
    let mean = sum / n;
    let spread = (square / n - mean * mean).max(0.0).sqrt();
    let (second, first) = (re2.hypot(im2) / n * 2.0, re1.hypot(im1) / n * 2.0);
    (spread > LEAST_CONTRAST * 0.5 * mean && second > 0.8 * spread && second > 2.0 * first)
        .then(|| (second / mean.max(1e-6), im2.atan2(re2)))
}
