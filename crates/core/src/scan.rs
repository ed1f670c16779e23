//! One scan in memory: points in the scanner frame and the grid of directions they came in.

use rayon::prelude::*;
use std::f64::consts::{PI, TAU};

/// Marks a grid cell without a return.
pub const NO_POINT: u32 = u32::MAX;

/// What is wrong with the points of a scan.
#[derive(Debug, thiserror::Error, PartialEq)]
pub enum ScanError {
    /// There is nothing in it.
    #[error("the file holds no points: all its coordinates are zero or not finite; at least {0} expected")]
    Empty(usize),
    /// A scanner is said to have stood where none can have seen these points.
    #[error(
        "no scanner at the place given ({place}) can have seen these points: they lie behind one another, or {distance:.0} m away; leave the place out and the file comes in as a cloud without a scanner"
    )]
    NotAroundScanner {
        /// The place as it was given, metres.
        place: String,
        /// How far the middle of the points is from there, metres.
        distance: f64,
    },
}

/// A scan: points in the scanner frame (z up, right-handed, metres; `f32` is exact to some
/// micrometres at scanning ranges), intensities, perhaps colours, and a grid of directions.
///
/// `grid[row * cols + col]` is an index into `points`, or [`NO_POINT`]. Points that fell into
/// a taken cell (unordered sources) stay in `points` and are exported, only the grid skips them.
#[derive(Clone, Debug, Default)]
pub struct Scan {
    /// Coordinates, metres.
    pub points: Vec<[f32; 3]>,
    /// Intensity of each point, 65 535 for 1.
    pub intensity: Vec<u16>,
    /// Red, green, blue of each point; empty when the source has no colours.
    pub colour: Vec<[u8; 3]>,
    /// Number of rows of the grid.
    pub rows: u32,
    /// Number of columns of the grid.
    pub cols: u32,
    /// Cell to point.
    pub grid: Vec<u32>,
    /// Angle between rows, radians.
    pub row_step: f64,
    /// Angle between columns at the horizon, radians.
    pub col_step: f64,
}

impl Scan {
    /// From points with their row and column. Steps are estimated from neighbouring points.
    ///
    /// # Errors
    /// [`ScanError::Empty`] when there is no point.
    pub fn from_grid(
        rows: u32,
        cols: u32,
        cells: impl Iterator<Item = (u32, u32)>,
        points: Vec<[f32; 3]>,
        intensity: Vec<u16>,
    ) -> Result<Self, ScanError> {
        if points.len() < 100 {
            return Self::from_unordered(points, intensity);
        }
        let mut grid = vec![NO_POINT; rows as usize * cols as usize];
        for (i, (r, c)) in cells.enumerate() {
            if r < rows && c < cols {
                grid[r as usize * cols as usize + c as usize] = i as u32;
            }
        }
        let mut scan = Self { points, intensity, rows, cols, grid, ..Self::default() };
        if scan.is_transposed() {
            scan = scan.transposed();
        }
        let (row_step, col_step) = scan.estimate_steps();
        scan.row_step = row_step;
        scan.col_step = col_step;
        if row_step <= 0.0 || col_step <= 0.0 {
            return Self::from_unordered(scan.points, scan.intensity);
        }
        Ok(scan)
    }

    /// From points without structure. When they can be what a scanner at the origin saw, their directions are
    /// binned at the mean angular spacing; else they are a cloud without a scanner: no rows, no columns.
    ///
    /// # Errors
    /// [`ScanError::Empty`] when there is no point.
    pub fn from_unordered(points: Vec<[f32; 3]>, intensity: Vec<u16>) -> Result<Self, ScanError> {
        if points.is_empty() {
            return Err(ScanError::Empty(1));
        }
        let directions = Directions::of(&points).unwrap_or_default();
        let Directions { rows, cols, grid, step } = directions;
        Ok(Self { points, intensity, rows, cols, grid, row_step: step, col_step: step, ..Self::default() })
    }

    /// Whether a scanner stood at the origin. A cloud that was merged, cut or taken on a walk has none: it has
    /// no directions, so that nothing can be looked for in its picture.
    pub fn has_scanner(&self) -> bool {
        self.rows > 0 && self.cols > 0
    }

    /// Intensity of the point with an index, 0..1.
    pub fn level(&self, index: usize) -> f64 {
        f64::from(self.intensity[index]) / 65_535.0
    }

    /// The point index in a cell. Columns wrap round the full circle; rows do not.
    pub fn cell(&self, row: i64, col: i64) -> Option<usize> {
        if row < 0 || row >= i64::from(self.rows) {
            return None;
        }
        let col = col.rem_euclid(i64::from(self.cols));
        let i = self.grid[row as usize * self.cols as usize + col as usize];
        (i != NO_POINT).then_some(i as usize)
    }

    /// The point in a cell, scanner frame, metres.
    pub fn point(&self, row: i64, col: i64) -> Option<crate::geometry::Vec3> {
        self.cell(row, col).map(|i| self.at(i))
    }

    /// The point with an index, scanner frame, metres.
    pub fn at(&self, index: usize) -> crate::geometry::Vec3 {
        let p = self.points[index];
        crate::geometry::Vec3::new(f64::from(p[0]), f64::from(p[1]), f64::from(p[2]))
    }

    /// Whether it is the rows that go round and the columns that go up: some writers call them so.
    fn is_transposed(&self) -> bool {
        let (mut upright, mut turned) = (0_u32, 0_u32);
        let stride = (self.grid.len() / 20_000).max(1);
        for cell in (0..self.grid.len()).step_by(stride) {
            let (r, c) = ((cell / self.cols as usize) as i64, (cell % self.cols as usize) as i64);
            let (Some(p), Some(q)) = (self.point(r, c), self.point(r + 1, c)) else { continue };
            let (p, q) = (p.normalize(), q.normalize());
            let round = (p.x * q.y - p.y * q.x).abs();
            let up = (q.z - p.z).abs();
            if up > 2.0 * round {
                upright += 1;
            } else if round > 2.0 * up {
                turned += 1;
            }
        }
        turned > 2 * upright
    }

    /// The same with rows for columns.
    fn transposed(self) -> Self {
        let (rows, cols) = (self.rows as usize, self.cols as usize);
        let mut grid = vec![NO_POINT; self.grid.len()];
        for (r, row) in self.grid.chunks(cols).enumerate() {
            row.iter().enumerate().for_each(|(c, i)| grid[c * rows + r] = *i);
        }
        Self { rows: self.cols, cols: self.rows, grid, ..self }
    }

    /// Median angle between neighbours along columns and along rows, from a sample of cells.
    fn estimate_steps(&self) -> (f64, f64) {
        let (mut rows, mut cols) = (Vec::new(), Vec::new());
        let stride = (self.grid.len() / 40_000).max(1);
        for cell in (0..self.grid.len()).step_by(stride) {
            let (r, c) = ((cell / self.cols as usize) as i64, (cell % self.cols as usize) as i64);
            let Some(p) = self.point(r, c) else { continue };
            let horizontal = p.x.hypot(p.y);
            if horizontal < 0.3 * p.norm() {
                continue;
            }
            if let Some(q) = self.point(r + 1, c) {
                rows.push((q.z.atan2(q.x.hypot(q.y)) - p.z.atan2(horizontal)).abs());
            }
            if c + 1 < i64::from(self.cols)
                && let Some(q) = self.point(r, c + 1)
            {
                let d = q.y.atan2(q.x) - p.y.atan2(p.x);
                cols.push(d.sin().atan2(d.cos()).abs());
            }
        }
        (crate::stats::median(&mut rows).unwrap_or(0.0), crate::stats::median(&mut cols).unwrap_or(0.0))
    }
}

/// Points binned by their direction from the origin.
#[derive(Default)]
struct Directions {
    rows: u32,
    cols: u32,
    grid: Vec<u32>,
    step: f64,
}

/// Of a scan, few points lie behind others: where the beam met an edge, and in second returns; measured, less
/// than 5 in 1000 of those that share a direction with another. Of two stations in one cloud, looked at from
/// the one, half share a direction and 3 to 10 % of these lie behind, of three up to 20 %. An empty convex room
/// merged from two stations cannot be told from one scan of it.
const MOST_HIDDEN: f64 = 0.02;
/// Points of a scan that share a direction: none on its own grid, a third where directions are at random.
const MOST_SHARED: f64 = 0.4;

/// Bins of azimuth.
const BINS: usize = 720;
/// Empty columns between the end of a window and its beginning, which lie side by side.
const SEAM: u32 = 8;
/// Cells a point at most, for points that lie far apart.
const MOST_CELLS: f64 = 16.0;

/// Where the azimuths in use begin and how far they reach, radians from -π: round the circle but for the widest gap,
/// all of it when there is none worth speaking of.
fn window(used: &[bool]) -> (f64, f64) {
    let bin = TAU / used.len() as f64;
    let (mut widest, mut gap) = ((0, 0), 0);
    for k in 0..2 * used.len() {
        gap = if used[k % used.len()] { 0 } else { (gap + 1).min(used.len()) };
        if gap > widest.0 {
            widest = (gap, k + 1);
        }
    }
    if widest.0 < 20 { (0.0, TAU) } else { ((widest.1 % used.len()) as f64 * bin, TAU - widest.0 as f64 * bin) }
}

impl Directions {
    /// `None` when no scanner at the origin can have seen these points.
    fn of(points: &[[f32; 3]]) -> Option<Self> {
        if points.len() < 100 {
            return None;
        }
        // in single precision, a hundredth of the finest step: it takes half the time
        let angles = |p: &[f32; 3]| {
            let [x, y, z] = *p;
            (f64::from(y.atan2(x)), f64::from(z.atan2((x * x + y * y).sqrt())))
        };
        // a sample is enough for the extent; the 0.1 % tails would let one stray point set it
        let sample: Vec<(f64, f64)> = points.iter().step_by((points.len() / 200_000).max(1)).map(angles).collect();
        let mut up: Vec<f64> = sample.iter().map(|a| a.1).collect();
        up.sort_unstable_by(f64::total_cmp);
        let lo = up[up.len() / 1000];
        let hi = up[up.len() - 1 - up.len() / 1000];
        if hi - lo < 0.01 {
            return None;
        }
        // share of azimuths in use, in half-degree bins
        let mut used = vec![false; BINS];
        for a in &sample {
            used[(((a.0 + PI) / TAU * BINS as f64) as usize).min(BINS - 1)] = true;
        }
        let span = used.iter().filter(|u| **u).count() as f64 / BINS as f64 * TAU;
        // a window has columns for its own width only: the full circle at its step might be gigabytes
        let (from, width) = window(&used);
        let step = (span * (hi - lo) / points.len() as f64).sqrt().max(2e-5);
        let step = step.max((width * (hi - lo) / (MOST_CELLS * points.len() as f64)).sqrt());
        let cols = ((width / step).ceil() as u32).max(1) + if width < TAU { SEAM } else { 0 };
        let rows = (((hi - lo) / step).ceil() as u32).max(1);
        let mut grid = vec![NO_POINT; rows as usize * cols as usize];
        let range = |i: usize| points[i].iter().map(|v| v * v).sum::<f32>();
        let (mut shared, mut hidden) = (0_usize, 0_usize);
        // directions by all cores, a million at a time; then each cell takes its nearest point
        let mut cells: Vec<u32> = Vec::new();
        for (part, block) in points.chunks(1 << 20).enumerate() {
            block
                .par_iter()
                .map(|p| {
                    let (az, el) = angles(p);
                    let row = ((hi - el) / step) as i64;
                    if row < 0 || row >= i64::from(rows) {
                        return NO_POINT;
                    }
                    let along = (az + PI - from).rem_euclid(TAU);
                    if along > width {
                        return NO_POINT;
                    }
                    row as u32 * cols + ((along / step) as u32).min(cols - 1)
                })
                .collect_into_vec(&mut cells);
            for (k, &at) in cells.iter().enumerate().filter(|c| *c.1 != NO_POINT) {
                let i = (part << 20) + k;
                let cell = &mut grid[at as usize];
                if *cell == NO_POINT {
                    *cell = i as u32;
                    continue;
                }
                shared += 1;
                let (here, there) = (range(i), range(*cell as usize));
                // squares of ranges: a fifth farther
                hidden += usize::from(here.max(there) > 1.44 * here.min(there));
                if here < there {
                    *cell = i as u32;
                }
            }
        }
        let (shared, hidden, all) = (shared as f64, hidden as f64, points.len() as f64);
        let merged = shared > MOST_SHARED * all && hidden > MOST_HIDDEN * shared;
        (!merged && hidden < 0.15 * all).then_some(Self { rows, cols, grid, step })
    }
}
