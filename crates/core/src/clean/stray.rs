use super::{Class, ROUND, Ranges, parts};
use crate::scan::Scan;
use rayon::prelude::*;

/// Parts of fewer points than this, with nothing near them, are taken for strays.
const FEW: u32 = 8;
/// Cells hang together where their ranges differ by less than a surface does that is met at 3°, radians.
const GRAZED: f64 = 0.052;
/// What a surface says of a range is off by less than so many standard deviations.
const FITS: f64 = 5.0;
/// And by less than this in any case, metres: no instrument is smoother.
const LEAST: f64 = 0.004;
/// A point between two surfaces has them in front of it and behind it by more than this, metres.
const BETWEEN: f64 = 0.02;
/// Ranges whose noise is measured together reach up to so many metres.
const BANDS: [f32; 6] = [2.0, 5.0, 10.0, 20.0, 40.0, f32::INFINITY];

/// Finds single points and points at edges whose range is mixed from what lies before and behind (the beam has a width, and
/// what comes back is averaged: Lichti, Gordon and Tipdecho 2005), by the grid of directions of a scan.
///
/// A point of a surface lies where a straight line through two neighbours in some direction has it, along the row, the
/// column or a diagonal: on a plane the inverse of the range is linear in the direction. A mixed point lies on no such
/// line, and between its neighbours in range. How well ranges fit is measured in the scan itself, by range. Points that the
/// grid does not hold stay as they are. The result has a class for each point of the scan.
pub fn stray(scan: &Scan) -> Vec<Class> {
    let mut out = vec![Class::Kept; scan.points.len()];
    if !scan.has_scanner() {
        return out;
    }
    let r = Ranges::of(scan);
    let noise = noise(&r);
    let sigma = |range: f32| noise[BANDS.iter().position(|b| range < *b).unwrap_or(0)];
    let edges: Vec<bool> = (0..r.range.len()).into_par_iter().map(|cell| is_mixed(&r, cell, &sigma)).collect();
    let step = scan.row_step.max(scan.col_step);
    let hangs = |a: usize, b: usize| {
        let (p, q) = (f64::from(r.range[a]), f64::from(r.range[b]));
        (p - q).abs() < (step * p.min(q) / GRAZED.tan()).max(FITS * sigma(r.range[a]))
    };
    let (part, sizes) = parts(&r, &|c| r.range[c] > 0.0 && !edges[c], &hangs);
    for (cell, point) in scan.grid.iter().enumerate() {
        let Some(class) = out.get_mut(*point as usize) else { continue };
        if edges[cell] {
            *class = Class::Edge;
        } else if part[cell] != u32::MAX && sizes[part[cell] as usize] < FEW {
            *class = Class::Single;
        }
    }
    out
}

/// How far apart a range and the middle of its neighbours lie, 1σ, by bands of range: the median of what is measured, of
/// which edges are a small part.
fn noise(r: &Ranges) -> [f64; BANDS.len()] {
    let stride = (r.range.len() / 200_000).max(1);
    let mut off: [Vec<f64>; BANDS.len()] = std::array::from_fn(|_| Vec::new());
    for cell in (0..r.range.len()).step_by(stride) {
        let own = r.range[cell];
        if own <= 0.0 {
            continue;
        }
        let best = ROUND[..4].iter().filter_map(|(down, on)| {
            let (a, b) = (r.at(r.beside(cell, *down, *on))?, r.at(r.beside(cell, -down, -on))?);
            Some(f64::from((own - 2.0 / (1.0 / a + 1.0 / b)).abs()))
        });
        // of one line, always the same: the best of four would be smaller than the noise
        if let Some(v) = best.into_iter().next() {
            off[BANDS.iter().position(|b| own < *b).unwrap_or(0)].push(v);
        }
    }
    // σ of a point less the mean of two is √1.5 of its own
    off.map(|mut v| {
        crate::stats::median(&mut v).map_or(LEAST / FITS, |m| (1.4826 * m / 1.5_f64.sqrt()).max(LEAST / FITS))
    })
}

/// Whether the range of a cell is of neither what lies before it nor what lies behind.
fn is_mixed(r: &Ranges, cell: usize, sigma: &dyn Fn(f32) -> f64) -> bool {
    let own = r.range[cell];
    if own <= 0.0 {
        return false;
    }
    let s = sigma(own);
    let inverse = |v: f32| 1.0 / f64::from(v);
    // what a surface says of it: through two that it lies between, or beyond two
    let fits = |predicted: f64, worth: f64| (f64::from(own) - predicted).abs() < FITS * s * worth;
    let (mut before, mut behind) = (f32::INFINITY, 0.0_f32);
    for (k, &(down, on)) in ROUND.iter().enumerate() {
        let Some(near) = r.at(r.beside(cell, down, on)) else { continue };
        (before, behind) = (before.min(near), behind.max(near));
        if k < 4
            && let Some(other) = r.at(r.beside(cell, -down, -on))
            && (near - other).abs() < 0.5 * near.min(other)
            && fits(2.0 / (inverse(near) + inverse(other)), 1.23)
            // two far apart have something between them by chance
            && (f64::from((near - own).abs()) < BETWEEN || f64::from((near - other).abs()) < 20.0 * FITS * s)
        {
            return false;
        }
        if let Some(far) = r.at(r.beside(cell, 2 * down, 2 * on)) {
            let predicted = 2.0 * inverse(near) - inverse(far);
            if predicted > 0.0 && fits(1.0 / predicted, 2.45) && f64::from((near - far).abs()) < 20.0 * FITS * s {
                return false;
            }
        }
    }
    let gap = BETWEEN.max(2.0 * FITS * s) as f32;
    before < own - gap && behind > own + gap
}
