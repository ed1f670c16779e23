use crate::geometry::Vec3;
use crate::scan::Scan;
use rayon::prelude::*;

/// A place where the crossing of a checker may be.
#[derive(Clone, Copy, Debug)]
pub(super) struct Candidate {
    /// The point nearest to the crossing, scanner frame, metres.
    pub point: Vec3,
    /// Strength of the four-quarter pattern, 0..1.
    pub score: f64,
}

const RING: usize = 16;

/// Proposes crossings of four-quarter boards with half-side `half` metres.
///
/// On a ring round the crossing the intensity changes sign four times, whatever the turn of the
/// board: the second harmonic is strong, the first (an edge) is not, and the range is flat.
pub(super) fn search(scan: &Scan, half: f64) -> Vec<Candidate> {
    let ring: Vec<(f64, f64)> = (0..RING).map(|k| (k as f64 / RING as f64 * std::f64::consts::TAU).sin_cos()).collect();
    let mut found: Vec<Candidate> = (0..i64::from(scan.rows))
        .into_par_iter()
        .flat_map_iter(|row| {
            let ring = &ring;
            (0..i64::from(scan.cols)).filter_map(move |col| probe(scan, row, col, half, ring))
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

fn probe(scan: &Scan, row: i64, col: i64, half: f64, ring: &[(f64, f64)]) -> Option<Candidate> {
    let p = scan.point(row, col)?;
    let range = p.norm();
    let col_step = scan.col_step * (p.x.hypot(p.y) / range).max(0.05);
    let angle = 0.5 * half / range;
    let (kr, kc) = (angle / scan.row_step, angle / col_step);
    if kr < 2.0 || kc < 2.0 {
        return None;
    }
    let at = |k: usize, scale: f64| {
        let (s, c) = ring[k];
        scan.cell(row + (s * kr * scale).round() as i64, col + (c * kc * scale).round() as i64)
    };
    let value = |k: usize| at(k, 1.0).map(|i| scan.level(i));
    // cheap refusal: opposite points alike, points a quarter apart not, on one of two diagonals
    let quick = |k: usize| -> Option<bool> {
        let (a, b, c, d) = (value(k)?, value(k + 8)?, value(k + 4)?, value(k + 12)?);
        let contrast = (a + b - c - d).abs() / 2.0;
        Some(contrast > 0.12 && (a - b).abs() + (c - d).abs() < contrast)
    };
    if !quick(0)? && !quick(2)? {
        return None;
    }
    let phase = |scale: f64| -> Option<(f64, f64, f64)> {
        let (mut re2, mut im2, mut re1, mut im1, mut lo, mut hi) = (0.0, 0.0, 0.0, 0.0, f64::MAX, f64::MIN);
        for k in 0..RING {
            let v = scan.level(at(k, scale)?);
            let (s1, c1) = ring[k];
            let (s2, c2) = ring[2 * k % RING];
            re2 += v * c2;
            im2 += v * s2;
            re1 += v * c1;
            im1 += v * s1;
            lo = lo.min(v);
            hi = hi.max(v);
        }
        let second = re2.hypot(im2) / RING as f64 * 2.0;
        let first = re1.hypot(im1) / RING as f64 * 2.0;
        (second > 0.35 * (hi - lo) && second > 3.0 * first).then(|| (second, im2.atan2(re2), hi - lo))
    };
    let (strength, inner, contrast) = phase(1.0)?;
    let (outer_strength, outer, _) = phase(1.5)?;
    let turn = (inner - outer).sin().atan2((inner - outer).cos()).abs();
    if turn > 0.6 || contrast < 0.2 {
        return None;
    }
    // flat: opposite ranges average to the middle one
    let flat = [0, 4].into_iter().all(|k| match (at(k, 1.4), at(k + 8, 1.4)) {
        (Some(a), Some(b)) => {
            let mean = f64::midpoint(scan.at(a).norm(), scan.at(b).norm());
            (mean - range).abs() < 0.012 + 0.02 * half
        }
        _ => false,
    });
    flat.then_some(Candidate { point: p, score: strength + outer_strength })
}
