//! How far residuals on surfaces hang together.

use super::cloud_index::{Pair, Spread, key, packed};
use std::collections::HashMap;

/// Ways of facing that are told apart: four headings, and level.
pub(super) const FACINGS: usize = 5;
/// Sides of the cells whose means are compared, metres: the second is that of the pieces of a sandwich estimator.
const SIDES: [f64; 2] = [0.5, PIECE];
/// Side of the pieces whose residuals are taken as dependent, metres.
pub(super) const PIECE: f64 = 1.0;
/// Beyond this nothing is taken to hang together, metres.
const FARTHEST: f64 = 4.0;
/// Fewest cells of a way of facing that say something of it.
const LEAST: usize = 12;

/// Weights, and weights times residuals, by packed cell. The hash is the same each time: sums over them, and with these ties and
/// poses, come out alike to the last digit.
type Cells = HashMap<u64, [f64; 2], Spread>;

/// Level, or one of four headings.
pub(super) fn facing(p: &Pair) -> usize {
    if p.normal.z.abs() > 0.7 {
        return FACINGS - 1;
    }
    let quarter = p.normal.y.atan2(p.normal.x) / std::f64::consts::FRAC_PI_4;
    quarter.rem_euclid(4.0) as usize % 4
}

/// Means of residuals in cells of several sizes.
///
/// Where residuals are noise, the mean of a cell of four times the area varies a quarter as much; where walls bulge and
/// paint is bright over metres it varies as much as before. A fit cannot show that itself: what is alike all over a wall it
/// takes for the pose. So how fast the means settle from half a metre to a metre is taken to go on to some metres.
#[derive(Default)]
pub(super) struct Likeness {
    cells: [[Cells; 3]; FACINGS],
}

impl Likeness {
    /// Adds a pair by its weight.
    pub(super) fn add(&mut self, p: &Pair, weight: f64) {
        for (cells, side) in self.cells[facing(p)].iter_mut().zip([SIDES[0], SIDES[1], FARTHEST]) {
            let cell = cells.entry(packed(key(&p.at, side))).or_default();
            cell[0] += weight;
            cell[1] += weight * p.residual;
        }
    }

    /// How much more sums over whole surfaces vary than the pieces say that take part in them, by the way of facing.
    pub(super) fn factors(&self) -> [f64; FACINGS] {
        std::array::from_fn(|k| {
            let [half, one, far] = &self.cells[k];
            if one.len() < LEAST {
                return 1.0;
            }
            let (fine, coarse) = (variance(half), variance(one));
            let cells = (half.len() as f64 / one.len() as f64).ln();
            // 1 for noise, 0 where all hangs together
            let settles =
                if coarse > 0.0 && cells > 0.0 { ((fine / coarse).ln() / cells).clamp(0.0, 1.0) } else { 1.0 };
            (one.len() as f64 / far.len() as f64).powf(1.0 - settles)
        })
    }
}

/// Mean square of the means, by the weights of their cells.
fn variance(cells: &Cells) -> f64 {
    let (all, sum) = cells.values().fold((0.0, 0.0), |(w, s), c| (w + c[0], s + c[1] * c[1] / c[0].max(1e-12)));
    sum / f64::max(all, 1e-12)
}
