use super::las_file::{HEADER, Place, Records, Tally};
use super::{CloudLayout, CloudPoint, CloudWriter};
use crate::error::FormatError;
use laz::ParLasZipCompressor;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;
use vistazo_core::geometry::Vec3;

/// Points that are compressed at a time: some for each core.
const BATCH: usize = 400_000;

/// Writes one LAZ 1.4 file (point format 6, or 7 with colours) point by point; all cores compress.
///
/// ```
/// use vistazo_core::geometry::Vec3;
/// use vistazo_formats::{LazWriter, count_points};
///
/// let folder = tempfile::tempdir().unwrap();
/// let path = folder.path().join("wall.laz");
/// let mut laz = LazWriter::create(&path, Vec3::new(4000.0, 8000.0, 0.0), None, false).unwrap();
/// laz.add(&Vec3::new(4001.25, 8003.5, 101.0), 900, None, 1, 0).unwrap();
/// laz.finish().unwrap();
/// assert_eq!(count_points(&path).unwrap(), Some(1));
/// ```
pub struct LazWriter {
    records: Records,
    packed: ParLasZipCompressor<BufWriter<File>>,
    waiting: Vec<u8>,
    tally: Tally,
    place: Place,
}

impl LazWriter {
    /// Starts a file. Coordinates are stored to 0.1 mm (of the unit given) about `offset`, which
    /// should lie near the points; `wkt` is the coordinate reference, when there is one.
    ///
    /// # Errors
    /// When the file cannot be made.
    pub fn create(path: &Path, offset: Vec3, wkt: Option<&str>, coloured: bool) -> Result<Self, FormatError> {
        Self::with(path, &CloudLayout { wkt: wkt.map(Into::into), coloured, ..CloudLayout::plain(offset) })
    }

    /// Starts a file by a layout.
    ///
    /// # Errors
    /// When the file cannot be made.
    pub fn with(path: &Path, layout: &CloudLayout) -> Result<Self, FormatError> {
        let records = Records::new(layout);
        let vlr = records.compression()?.build();
        let before = records.records(Vec::new(), &vlr)?;
        let mut file = BufWriter::with_capacity(1 << 20, File::create(path)?);
        let place = begin(&mut file, &before)?;
        let packed = ParLasZipCompressor::new(file, vlr).map_err(packing)?;
        Ok(Self { records, packed, waiting: Vec::new(), tally: Tally::default(), place })
    }

    /// Adds a point: grid coordinates, intensity, colour, the number of its scan (point source), and its class by the codes of
    /// the standard.
    ///
    /// # Errors
    /// When the point lies farther than 214 km from the offset, or writing fails.
    pub fn add(
        &mut self,
        p: &Vec3,
        intensity: u16,
        colour: Option<[u8; 3]>,
        scan: u16,
        class: u8,
    ) -> Result<(), FormatError> {
        let colour = colour.unwrap_or_default();
        self.put(&CloudPoint { at: *p, intensity, colour, scan, class, error95: [0.0; 2] })
    }

    /// Finishes the file.
    ///
    /// # Errors
    /// When writing fails.
    pub fn finish(mut self) -> Result<(), FormatError> {
        self.packed.compress_many(&self.waiting)?;
        self.packed.done().map_err(packing)?;
        let mut file = self.packed.into_inner();
        self.records.write_header(&mut file, &self.tally, &self.place)?;
        file.flush()?;
        Ok(())
    }
}

impl CloudWriter for LazWriter {
    fn put(&mut self, p: &CloudPoint) -> Result<(), FormatError> {
        let stored = self.records.stored(p)?;
        self.tally.add(stored);
        self.records.push(p, stored, &mut self.waiting);
        if self.waiting.len() >= BATCH * self.records.len() {
            self.packed.compress_many(&self.waiting)?;
            self.waiting.clear();
        }
        Ok(())
    }

    fn end(self: Box<Self>) -> Result<(), FormatError> {
        self.finish()
    }
}

/// Leaves room for the header and writes the records that follow it.
pub(super) fn begin<W: Write>(file: &mut W, before: &[Vec<u8>]) -> Result<Place, FormatError> {
    file.write_all(&[0; HEADER as usize])?;
    let mut points = HEADER;
    for r in before {
        file.write_all(r)?;
        points += r.len() as u64;
    }
    Ok(Place { points, records: before.len(), extended: None })
}

pub(super) fn packing(e: laz::LasZipError) -> FormatError {
    FormatError::Damaged(e.to_string())
}
