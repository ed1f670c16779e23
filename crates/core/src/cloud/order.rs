use crate::scan::Scan;
use rayon::prelude::*;

/// Size of a voxel of the working cloud, metres.
pub const VOXEL: f64 = 0.05;
/// Levels of halving between the cube and the finest cell.
pub(super) const LEVELS: u32 = 12;
const INDEX_BITS: u32 = 28;

/// The points of a scan in Morton order (Morton 1966) within a cube about the scanner.
///
/// Points of the same cell, at any of the twelve levels, are neighbours in this order. Eight bytes
/// a point: 36 bits of key over 28 bits of index.
#[derive(Debug)]
pub struct Order {
    /// Half the side of the cube, metres: a power of two times [`VOXEL`], large enough for all points.
    pub half: f64,
    entries: Vec<u64>,
}

impl Order {
    /// Sorts the points of a scan.
    ///
    /// # Panics
    /// Never for scans of fewer than 268 million points, which the readers guarantee.
    pub fn of(scan: &Scan) -> Self {
        let reach = scan
            .points
            .par_chunks(1 << 16)
            .map(|c| c.iter().flatten().fold(0.0_f32, |m, v| m.max(v.abs())))
            .reduce(|| 0.0, f32::max);
        let mut half = VOXEL * f64::from(1 << (LEVELS - 1));
        while half > 0.8 && half / 2.0 > f64::from(reach) * 1.000_001 {
            half /= 2.0;
        }
        while half <= f64::from(reach) * 1.000_001 {
            half *= 2.0;
        }
        let scale = f64::from(1_u32 << LEVELS) / (2.0 * half);
        let cell = |v: f32| (((f64::from(v) + half) * scale) as u64).min((1 << LEVELS) - 1);
        let mut entries: Vec<u64> = Vec::with_capacity(scan.points.len());
        scan.points
            .par_iter()
            .enumerate()
            .map(|(i, p)| {
                let key = spread(cell(p[0])) << 2 | spread(cell(p[1])) << 1 | spread(cell(p[2]));
                key << INDEX_BITS | i as u64
            })
            .collect_into_vec(&mut entries);
        entries.par_sort_unstable();
        Self { half, entries }
    }

    /// Number of points.
    pub fn len(&self) -> usize {
        self.entries.len()
    }

    /// Whether there are none.
    pub fn is_empty(&self) -> bool {
        self.entries.is_empty()
    }

    /// Index into the scan's points of the point at a place in the order.
    pub fn index(&self, place: usize) -> usize {
        (self.entries[place] & ((1 << INDEX_BITS) - 1)) as usize
    }

    /// The cell of a point at a level (0 is the whole cube), as the first bits of its key.
    pub(super) fn cell(&self, place: usize, level: u32) -> u64 {
        self.entries[place] >> (INDEX_BITS + 3 * (LEVELS - level.min(LEVELS)))
    }

    /// Side of a cell at a level, metres.
    pub(super) fn side(&self, level: u32) -> f64 {
        2.0 * self.half / f64::from(1_u32 << level.min(LEVELS))
    }

    /// The end of the run that starts at `from` and shares its cell at `level`, not beyond `end`.
    pub(super) fn run_end(&self, from: usize, end: usize, level: u32) -> usize {
        let cell = self.cell(from, level);
        // runs are short in fine cells: look ahead by doubling before searching by halves
        let mut step = 8;
        let mut at = from + 1;
        while at + step < end && self.cell(at + step, level) == cell {
            at += step;
            step *= 2;
        }
        let upper = (at + step).min(end);
        at + self.entries[at..upper].partition_point(|e| e >> (INDEX_BITS + 3 * (LEVELS - level.min(LEVELS))) == cell)
    }
}

/// Spreads the lower 12 bits so that two free bits lie between neighbours.
fn spread(v: u64) -> u64 {
    let mut x = v & 0xfff;
    x = (x | x << 16) & 0x001f_0000_ff00_00ff;
    x = (x | x << 8) & 0x100f_00f0_0f00_f00f;
    x = (x | x << 4) & 0x10c3_0c30_c30c_30c3;
    (x | x << 2) & 0x1249_2492_4924_9249
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn spreading_keeps_every_bit() {
        for v in 0..4096_u64 {
            let expected: u64 = (0..12).map(|b| (v >> b & 1) << (3 * b)).sum();
            assert_eq!(spread(v), expected, "{v:b}");
        }
    }
}
