use crate::error::FormatError;
use crate::{e57_read, las_read, xyz_read};
use std::io::{Read, Seek};
use std::path::Path;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::Scan;

/// Most points accepted in one scan: what fits in memory here.
pub(crate) const MOST_POINTS: u64 = 60_000_000;

/// What kind of file it is, told by its first bytes and not by its name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SourceKind {
    /// ASTM E2807, one scan or several.
    E57,
    /// LAS or LAZ.
    Las,
    /// Lines of x, y, z and perhaps intensity.
    Xyz,
}

/// One scan read from a file.
#[derive(Debug)]
pub struct SourceScan {
    /// Name from the file, when it has one.
    pub name: Option<String>,
    /// Points about the scanner.
    pub scan: Scan,
    /// The pose that came with it, as a starting value.
    pub pose: Option<Pose>,
    /// Came with rows and columns.
    pub gridded: bool,
    /// Points that were left out because a coordinate was not finite or absurd.
    pub skipped: u64,
}

impl SourceKind {
    /// Looks at the start of a file.
    ///
    /// # Errors
    /// [`FormatError::Empty`] or [`FormatError::UnknownKind`] with what was found.
    pub fn of(path: &Path) -> Result<Self, FormatError> {
        let mut head = [0u8; 512];
        let mut file = std::fs::File::open(path)?;
        let n = file.read(&mut head)?;
        file.rewind()?;
        let head = &head[..n];
        if n == 0 {
            return Err(FormatError::Empty);
        }
        if head.starts_with(b"ASTM-E57") {
            return Ok(Self::E57);
        }
        if head.starts_with(b"LASF") {
            return Ok(Self::Las);
        }
        if head.iter().all(|b| b.is_ascii_graphic() || b.is_ascii_whitespace()) && head.iter().any(u8::is_ascii_digit) {
            return Ok(Self::Xyz);
        }
        let start: String = head.iter().take(16).map(|b| format!("{b:02x} ")).collect();
        Err(FormatError::UnknownKind(format!("it starts with {}", start.trim_end())))
    }
}

/// Reads every scan of a file, one at a time; `each` takes them in order and may stop the reading.
///
/// LAS and text carry no scanner position: `scanner` says where it stood in the file's
/// coordinates, metres (the origin when the file is in the scanner's own frame).
///
/// # Errors
/// [`FormatError`]; scans already handed over stay handed over.
pub fn read_source(
    path: &Path,
    scanner: Vec3,
    each: &mut dyn FnMut(SourceScan) -> Result<(), FormatError>,
) -> Result<(), FormatError> {
    match SourceKind::of(path)? {
        SourceKind::E57 => e57_read::read(path, each),
        SourceKind::Las => each(las_read::read(path, scanner)?),
        SourceKind::Xyz => each(xyz_read::read(path, scanner)?),
    }
}

/// Collects points, leaving out those that cannot be.
#[derive(Default)]
pub(crate) struct Collector {
    pub points: Vec<[f32; 3]>,
    pub intensity: Vec<f32>,
    pub skipped: u64,
}

impl Collector {
    /// Adds a point in the scanner frame, metres. Returns whether it was taken.
    pub(crate) fn push(&mut self, x: f64, y: f64, z: f64, intensity: f32) -> bool {
        let r2 = x * x + y * y + z * z;
        // nearer than a centimetre or farther than ten kilometres is no measurement
        if !r2.is_finite() || !(1e-4..1e8).contains(&r2) {
            self.skipped += 1;
            return false;
        }
        self.points.push([x as f32, y as f32, z as f32]);
        self.intensity.push(if intensity.is_finite() { intensity.clamp(0.0, 1.0) } else { 0.0 });
        true
    }
}
