//! What does not belong into a cloud: single points in the air, points between an edge and what lies behind it, and what
//! moved while the others were scanned. Nothing is taken away: every point gets a class.

mod behind;
mod chosen;
mod mirror;
mod moved;
mod stray;

pub use behind::{Surfaces, behind};
pub use chosen::Chosen;
pub use mirror::{Mirror, in_mirrors, mirrors};
pub use moved::{Other, moved};
pub use stray::stray;

use crate::scan::Scan;

/// What a point is taken for.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, PartialOrd, Ord)]
#[repr(u8)]
pub enum Class {
    /// It stays.
    #[default]
    Kept = 0,
    /// A few points by themselves, with nothing near them.
    Single = 1,
    /// The beam met an edge and what lies behind it: the range is of neither.
    Edge = 2,
    /// Other scans saw through the place where it is.
    Moved = 3,
    /// Somebody chose it.
    Chosen = 4,
    /// It was seen in a mirror, or lies where a beam cannot have come to.
    Ghost = 5,
}

/// All but [`Class::Kept`].
pub const TAKEN_OUT: [Class; 5] = [Class::Single, Class::Edge, Class::Moved, Class::Chosen, Class::Ghost];

impl Class {
    /// By its number; anything else stays.
    pub fn from_u8(v: u8) -> Self {
        TAKEN_OUT.into_iter().find(|c| *c as u8 == v).unwrap_or_default()
    }

    /// Its code in LAS 1.4 R15, table 17: unclassified, low point (noise), high noise, temporal exclusion; what somebody chose has one
    /// of the codes that are free for users.
    pub fn las(self) -> u8 {
        match self {
            Self::Kept => 1,
            Self::Single | Self::Edge => 7,
            Self::Moved => 22,
            Self::Chosen => 64,
            Self::Ghost => 18,
        }
    }
}

/// Points of each class, by its number.
pub fn count(classes: &[Class]) -> [u64; 6] {
    classes.iter().fold([0; 6], |mut n, c| {
        n[*c as usize] += 1;
        n
    })
}

/// Puts one layer of classes on another: what either takes out is out, by the first that says so.
pub fn over(below: &mut [Class], layer: &[Class]) {
    for (b, l) in below.iter_mut().zip(layer) {
        if *b == Class::Kept {
            *b = *l;
        }
    }
}

/// The grid of a scan with the range of every cell, metres; 0 where nothing came back.
struct Ranges {
    rows: usize,
    cols: usize,
    range: Vec<f32>,
    /// Columns go all the way round.
    round: bool,
}

impl Ranges {
    fn of(scan: &Scan) -> Self {
        use rayon::prelude::*;
        let range = (scan.grid.par_iter())
            .map(|i| scan.points.get(*i as usize).map_or(0.0, |p| (p[0] * p[0] + p[1] * p[1] + p[2] * p[2]).sqrt()))
            .collect();
        let round = (f64::from(scan.cols) * scan.col_step - std::f64::consts::TAU).abs() < 2.5 * scan.col_step;
        Self { rows: scan.rows as usize, cols: scan.cols as usize, range, round }
    }

    /// The cell so many rows down and columns on; none beyond the rim.
    fn beside(&self, cell: usize, down: isize, on: isize) -> Option<usize> {
        let (row, col) = ((cell / self.cols) as isize + down, (cell % self.cols) as isize + on);
        let (rows, cols) = (self.rows as isize, self.cols as isize);
        let col = if self.round { col.rem_euclid(cols) } else { col };
        ((0..rows).contains(&row) && (0..cols).contains(&col)).then(|| (row * cols + col) as usize)
    }

    /// Its range, where there is one.
    fn at(&self, cell: Option<usize>) -> Option<f32> {
        cell.map(|c| self.range[c]).filter(|r| *r > 0.0)
    }
}

/// Directions to the eight cells round one, the four that make a line with their opposites first.
const ROUND: [(isize, isize); 8] = [(0, 1), (1, 0), (1, 1), (1, -1), (0, -1), (-1, 0), (-1, -1), (-1, 1)];

/// Cells that hang together, each with the number of its part; `u32::MAX` for cells that are in none. `hangs` says whether
/// two cells beside each other do.
fn parts(r: &Ranges, takes_part: &dyn Fn(usize) -> bool, hangs: &dyn Fn(usize, usize) -> bool) -> (Vec<u32>, Vec<u32>) {
    let mut part = vec![u32::MAX; r.range.len()];
    let mut sizes: Vec<u32> = Vec::new();
    let mut open: Vec<usize> = Vec::new();
    for first in 0..part.len() {
        if part[first] != u32::MAX || !takes_part(first) {
            continue;
        }
        let own = sizes.len() as u32;
        part[first] = own;
        sizes.push(0);
        open.push(first);
        while let Some(cell) = open.pop() {
            sizes[own as usize] += 1;
            for (down, on) in ROUND {
                if let Some(next) = r.beside(cell, down, on)
                    && part[next] == u32::MAX
                    && takes_part(next)
                    && hangs(cell, next)
                {
                    part[next] = own;
                    open.push(next);
                }
            }
        }
    }
    (part, sizes)
}
