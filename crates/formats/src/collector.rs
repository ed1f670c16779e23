use crate::error::FormatError;
use crate::options::ReadOptions;
use crate::source::{GoOn, SourceScan};
use rayon::prelude::*;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::{Scan, ScanError};
use vistazo_core::stats::median;

/// Points by which it is told where a file lies.
const LOOK: usize = 4096;
/// A file whose middle is farther than this from the origin is not about its scanner, metres: no scanner of the
/// field sees as far, and single precision ends there.
const FAR: f64 = 2000.0;
/// Nearer to its scanner or farther from it than this is no measurement, metres.
const OF_SCANNER: std::ops::Range<f64> = 0.01..1e4;
/// Nor is a place this far from the middle of a cloud: one stray point would make everything about it coarse.
const OF_CLOUD: f64 = 1e5;

/// Row and column of a point, where it came with them.
pub(crate) type Cell = (i32, i32);

/// A point as it is read: coordinates of the file, intensity 0..1.
#[derive(Clone, Copy, Default)]
pub(crate) struct ReadPoint {
    pub at: [f64; 3],
    pub intensity: f64,
    pub colour: Option<[u8; 3]>,
    pub cell: Option<Cell>,
}

/// A point as it is kept.
type Kept = ([f32; 3], u16, Option<[u8; 3]>, Option<Cell>);

/// Points that one thread makes of records at a time.
const PIECE: usize = 1 << 15;

/// What one thread makes of some points.
#[derive(Default)]
struct Piece {
    points: Vec<[f32; 3]>,
    intensity: Vec<u16>,
    colour: Vec<[u8; 3]>,
    cells: Vec<Cell>,
}

impl Piece {
    fn add(&mut self, (point, intensity, colour, cell): Kept) {
        self.points.push(point);
        self.intensity.push(intensity);
        self.colour.extend(colour);
        self.cells.extend(cell);
    }
}

/// Collects points, leaving out those that cannot be. Coordinates far from the origin are kept about a middle of
/// their own, so that single precision is enough for them.
pub(crate) struct Collector<'a> {
    options: ReadOptions,
    go_on: &'a GoOn<'a>,
    /// What is taken off the coordinates, metres; `None` until enough points have come.
    shift: Option<[f64; 3]>,
    waiting: Vec<ReadPoint>,
    pub points: Vec<[f32; 3]>,
    pub intensity: Vec<u16>,
    pub colour: Vec<[u8; 3]>,
    /// Of each point, when all came with one.
    pub cells: Vec<Cell>,
    pub skipped: u64,
}

impl<'a> Collector<'a> {
    pub(crate) fn new(options: &ReadOptions, go_on: &'a GoOn<'a>) -> Self {
        Self {
            options: *options,
            go_on,
            shift: None,
            waiting: Vec::new(),
            points: Vec::new(),
            intensity: Vec::new(),
            colour: Vec::new(),
            cells: Vec::new(),
            skipped: 0,
        }
    }

    /// Reserves room for so many points.
    pub(crate) fn reserve(&mut self, points: usize, coloured: bool) {
        self.points.reserve_exact(points);
        self.intensity.reserve_exact(points);
        if coloured {
            self.colour.reserve_exact(points);
        }
    }

    /// Points taken and left out so far.
    pub(crate) fn seen(&self) -> u64 {
        self.len() as u64 + self.skipped
    }

    /// Points taken so far.
    pub(crate) fn len(&self) -> usize {
        self.points.len() + self.waiting.len()
    }

    /// Adds a point of the file.
    pub(crate) fn push(&mut self, read: ReadPoint) {
        let Some(shift) = self.shift else {
            // what came back from nowhere says nothing of where a file lies
            if place(&self.options, &read.at).is_none() {
                self.skipped += 1;
                return;
            }
            self.waiting.push(read);
            if self.waiting.len() >= LOOK {
                self.settle();
            }
            return;
        };
        match keep(&self.options, &shift, &read) {
            Some(kept) => self.take(kept),
            None => self.skipped += 1,
        }
    }

    /// Adds `n` points, by all cores: `each` gives the one with a number; all have a colour or none has.
    pub(crate) fn extend(&mut self, n: usize, each: impl Fn(usize) -> ReadPoint + Sync) {
        let mut from = 0;
        while from < n && self.shift.is_none() {
            self.push(each(from));
            from += 1;
        }
        let Some(shift) = self.shift else { return };
        let options = self.options;
        let pieces: Vec<Piece> = (from..n)
            .step_by(PIECE)
            .collect::<Vec<_>>()
            .into_par_iter()
            .map(|start| {
                let kept = (start..n.min(start + PIECE)).filter_map(|k| keep(&options, &shift, &each(k)));
                let mut piece = Piece::default();
                kept.for_each(|k| piece.add(k));
                piece
            })
            .collect();
        let kept: usize = pieces.iter().map(|p| p.points.len()).sum();
        self.skipped += (n - from - kept) as u64;
        for piece in pieces {
            if !piece.colour.is_empty() || !self.colour.is_empty() {
                self.colour.resize(self.points.len(), [0; 3]);
            }
            self.points.extend_from_slice(&piece.points);
            self.intensity.extend_from_slice(&piece.intensity);
            self.colour.extend_from_slice(&piece.colour);
            self.cells.extend_from_slice(&piece.cells);
        }
    }

    fn take(&mut self, (point, intensity, colour, cell): Kept) {
        if let Some(c) = colour {
            // the first coloured point: those before it are black
            if self.colour.len() < self.points.len() {
                self.colour.resize(self.points.len(), [0; 3]);
            }
            self.colour.push(c);
        } else if !self.colour.is_empty() {
            self.colour.push([0; 3]);
        }
        self.points.push(point);
        self.intensity.push(intensity);
        self.cells.extend(cell);
    }

    /// Decides where the middle is, from the points that wait, and takes them.
    fn settle(&mut self) {
        let middle: [f64; 3] = std::array::from_fn(|k| {
            let places = self.waiting.iter().filter_map(|w| place(&self.options, &w.at));
            let mut all: Vec<f64> = places.map(|p| p[k]).collect();
            median(&mut all).unwrap_or(0.0)
        });
        let far = middle.iter().map(|v| v * v).sum::<f64>() > FAR * FAR;
        // whole decametres, so that coordinates stay easy to compare
        self.shift = Some(middle.map(|v| if far { (v / 10.0).round() * 10.0 } else { 0.0 }));
        std::mem::take(&mut self.waiting).into_iter().for_each(|read| self.push(read));
    }

    /// Asks whether to go on, once in a quarter of a million points.
    pub(crate) fn check(&self) -> Result<(), FormatError> {
        let n = self.seen();
        if n.is_multiple_of(1 << 18) && !(self.go_on)(n) { Err(FormatError::Stopped) } else { Ok(()) }
    }

    /// The scan of a source; `grid` makes it where rows and columns came along.
    pub(crate) fn finish(
        mut self,
        grid: impl FnOnce(&mut Self) -> Option<Result<Scan, ScanError>>,
    ) -> Result<SourceScan, FormatError> {
        if self.shift.is_none() {
            self.settle();
        }
        let shift = Vec3::from(self.shift.unwrap_or_default());
        let colour = std::mem::take(&mut self.colour);
        lighten(&mut self.intensity, &colour);
        let far = shift != Vec3::zeros();
        // a grid of what lies far away is of another frame than its scanner's
        let gridded = if far { None } else { grid(&mut self) };
        let (mut scan, gridded) = match gridded {
            Some(scan) => (scan?, true),
            None => (Scan::from_unordered(self.points, self.intensity)?, false),
        };
        if far {
            (scan.rows, scan.cols, scan.grid) = (0, 0, Vec::new());
        }
        scan.colour = colour;
        let given = self.options.scanner;
        if given != Vec3::zeros() && !scan.has_scanner() {
            let mut ranges: Vec<f64> =
                scan.points.iter().step_by(97).map(|p| Vec3::from(p.map(f64::from)).norm()).collect();
            return Err(ScanError::NotAroundScanner {
                place: format!("{:.1}, {:.1}, {:.1}", given.x, given.y, given.z),
                distance: median(&mut ranges).unwrap_or(0.0) + shift.norm(),
            }
            .into());
        }
        let pose = (!scan.has_scanner()).then(|| Pose { translation: shift, ..Pose::identity() });
        Ok(SourceScan { name: None, scan, pose, reference: None, gridded, skipped: self.skipped, images: 0 })
    }

    /// The scan of a source without rows and columns.
    pub(crate) fn into_unordered(self) -> Result<SourceScan, FormatError> {
        self.finish(|_| None)
    }
}

/// Where a point of the file lies, metres from the scanner; `None` where nothing came back.
fn place(options: &ReadOptions, p: &[f64; 3]) -> Option<[f64; 3]> {
    // the origin of the file, exactly, is how files say so
    (*p != [0.0; 3] && p.iter().all(|v| v.is_finite())).then(|| options.place(*p))
}

/// What is kept of a point; `None` when it cannot be one.
fn keep(options: &ReadOptions, shift: &[f64; 3], read: &ReadPoint) -> Option<Kept> {
    let at = place(options, &read.at)?;
    let [x, y, z]: [f64; 3] = std::array::from_fn(|k| at[k] - shift[k]);
    let range = (x * x + y * y + z * z).sqrt();
    let sensible = if *shift == [0.0; 3] { OF_SCANNER.contains(&range) } else { range < OF_CLOUD };
    let intensity = (read.intensity.clamp(0.0, 1.0) * 65_535.0) as u16;
    sensible.then_some(([x as f32, y as f32, z as f32], intensity, read.colour, read.cell))
}

/// Brings light to the whole range where a file leaves it empty: where it has colours only, their lightness (ITU-R
/// BT.709) stands for it; values of 8 and of 12 bits are multiplied, so that nothing of them is lost.
fn lighten(intensity: &mut [u16], colour: &[[u8; 3]]) {
    match intensity.iter().max() {
        Some(0) if colour.len() == intensity.len() => {
            let of = |c: &[u8; 3]| 0.2126 * f64::from(c[0]) + 0.7152 * f64::from(c[1]) + 0.0722 * f64::from(c[2]);
            intensity.iter_mut().zip(colour).for_each(|(i, c)| *i = (257.0 * of(c)) as u16);
        }
        Some(1..=255) => intensity.iter_mut().for_each(|i| *i *= 257),
        Some(256..=4095) => intensity.iter_mut().for_each(|i| *i *= 16),
        _ => {}
    }
}
