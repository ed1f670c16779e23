use crate::error::FormatError;
use crate::options::ReadOptions;
use crate::{e57_read, las_read, ply_read, xyz_read};
use std::io::{Read, Seek};
use std::path::Path;
use vistazo_core::geometry::Pose;
use vistazo_core::scan::Scan;

/// Most points accepted in one scan: some 2.5 GiB in memory.
pub(crate) const MOST_POINTS: u64 = 120_000_000;

/// What kind of file it is, told by its first bytes and not by its name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SourceKind {
    /// ASTM E2807, one scan or several.
    E57,
    /// LAS or LAZ, COPC among them.
    Las,
    /// PLY, ascii or binary.
    Ply,
    /// Lines of x, y, z and perhaps intensity and colour.
    Xyz,
}

/// One scan read from a file.
#[derive(Debug)]
pub struct SourceScan {
    /// Name from the file, when it has one.
    pub name: Option<String>,
    /// Points about the scanner, or about a middle of their own where there is none.
    pub scan: Scan,
    /// The pose that came with it, as a starting value; of a cloud without a scanner, where its middle is in
    /// the coordinates of the file (metres).
    pub pose: Option<Pose>,
    /// What the file says of its coordinates: reference and unit.
    pub reference: Option<String>,
    /// Came with rows and columns.
    pub gridded: bool,
    /// Points that were left out because a coordinate was not finite, or all were zero: no return.
    pub skipped: u64,
    /// Pictures that belong to the scan; [`crate::read_images`] reads them.
    pub images: usize,
}

/// A picture that came with a scan: its description, and the encoded picture itself.
#[derive(Clone, Debug)]
pub struct SourceImage {
    /// The encoded picture, JPEG or PNG.
    pub bytes: Vec<u8>,
    /// Name, projection, camera.
    pub image: e57::Image,
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
        if head.starts_with(b"ply\n") || head.starts_with(b"ply\r\n") {
            return Ok(Self::Ply);
        }
        // letters beyond ASCII may stand in a heading
        let text = |b: &u8| b.is_ascii_graphic() || b.is_ascii_whitespace() || *b >= 0x80;
        if head.iter().all(text) && head.iter().any(u8::is_ascii_digit) {
            return Ok(Self::Xyz);
        }
        let start: String = head.iter().take(16).map(|b| format!("{b:02x} ")).collect();
        Err(FormatError::UnknownKind(format!("it starts with {}", start.trim_end())))
    }
}

/// Hears now and then how many points were read, and says whether to go on.
pub type GoOn<'a> = dyn Fn(u64) -> bool + Sync + 'a;

/// Reads every scan of a file, one at a time; `each` takes them in order and may stop the reading.
///
/// # Errors
/// [`FormatError`]; scans already handed over stay handed over.
pub fn read_source(
    path: &Path,
    options: &ReadOptions,
    go_on: &GoOn,
    each: &mut dyn FnMut(SourceScan) -> Result<(), FormatError>,
) -> Result<(), FormatError> {
    let kind = SourceKind::of(path)?;
    // the decoders of E57 and LAZ are written for sound files: what makes one of them stumble is damage
    let read = std::panic::AssertUnwindSafe(|| match kind {
        SourceKind::E57 => e57_read::read(path, go_on, each),
        SourceKind::Las => each(las_read::read(path, options, go_on)?),
        SourceKind::Ply => each(ply_read::read(path, options, go_on)?),
        SourceKind::Xyz => each(xyz_read::read(path, options, go_on)?),
    });
    std::panic::catch_unwind(read)
        .unwrap_or_else(|_| Err(FormatError::Damaged("its decoder cannot make sense of it".into())))
}
