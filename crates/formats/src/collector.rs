use crate::error::FormatError;
use crate::options::ReadOptions;
use crate::source::{GoOn, SourceScan};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::{Scan, ScanError};
use vistazo_core::stats::median;

/// Points by which it is told where a file lies.
const LOOK: usize = 4096;
/// A file whose middle is farther than this from the origin is not about its scanner, metres: no scanner of the
/// field sees as far, and single precision ends there.
const FAR: f64 = 2000.0;
/// Beyond this from the middle of the file a coordinate is no place, metres.
const ABSURD: f64 = 1e7;

type Waiting = ([f64; 3], f64, Option<[u8; 3]>);

/// Collects points, leaving out those that cannot be. Coordinates far from the origin are kept about a middle of
/// their own, so that single precision is enough for them.
pub(crate) struct Collector<'a> {
    options: ReadOptions,
    go_on: &'a GoOn<'a>,
    /// What is taken off the coordinates, metres; `None` until enough points have come.
    shift: Option<[f64; 3]>,
    waiting: Vec<Waiting>,
    pub points: Vec<[f32; 3]>,
    pub intensity: Vec<u16>,
    pub colour: Vec<[u8; 3]>,
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

    /// Adds a point of the file, intensity 0..1. Returns whether it was taken.
    pub(crate) fn push(&mut self, p: [f64; 3], intensity: f64, colour: Option<[u8; 3]>) -> bool {
        let p = self.options.place(p);
        let Some(shift) = self.shift else {
            // the origin itself, exactly, is how files say that nothing came back
            if !p.iter().all(|v| v.is_finite()) || p == self.options.place([0.0; 3]) {
                self.skipped += 1;
                return false;
            }
            self.waiting.push((p, intensity, colour));
            if self.waiting.len() >= LOOK {
                self.settle();
            }
            return true;
        };
        let [x, y, z] = [p[0] - shift[0], p[1] - shift[1], p[2] - shift[2]];
        let r2 = x * x + y * y + z * z;
        if r2.is_nan() || r2 > ABSURD * ABSURD || p == self.options.place([0.0; 3]) {
            self.skipped += 1;
            return false;
        }
        if let Some(c) = colour {
            // the first coloured point: those before it are black
            if self.colour.len() < self.points.len() {
                self.colour.resize(self.points.len(), [0; 3]);
            }
            self.colour.push(c);
        } else if !self.colour.is_empty() {
            self.colour.push([0; 3]);
        }
        self.points.push([x as f32, y as f32, z as f32]);
        self.intensity.push((intensity.clamp(0.0, 1.0) * 65_535.0) as u16);
        true
    }

    /// Decides where the middle is, from the points that wait, and takes them.
    fn settle(&mut self) {
        let middle: [f64; 3] = std::array::from_fn(|k| {
            let mut all: Vec<f64> = self.waiting.iter().map(|w| w.0[k]).collect();
            median(&mut all).unwrap_or(0.0)
        });
        let far = middle.iter().map(|v| v * v).sum::<f64>() > FAR * FAR;
        // whole decametres, so that coordinates stay easy to compare
        self.shift = Some(middle.map(|v| if far { (v / 10.0).round() * 10.0 } else { 0.0 }));
        for (p, intensity, colour) in std::mem::take(&mut self.waiting) {
            // as it was placed already
            let options = std::mem::take(&mut self.options);
            self.push(p, intensity, colour);
            self.options = options;
        }
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
