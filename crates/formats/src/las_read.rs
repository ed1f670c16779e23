use crate::collector::{Collector, ReadPoint};
use crate::error::FormatError;
use crate::las_reference;
use crate::options::ReadOptions;
use crate::source::{GoOn, MOST_POINTS, SourceScan};
use las::PointDataBuilder;
use std::path::Path;

/// Opens LAS or LAZ, with the options as the file has them and what it says of its coordinates.
pub(crate) fn open(
    path: &Path,
    options: &ReadOptions,
) -> Result<(las::Reader, ReadOptions, Option<las_reference::Said>), FormatError> {
    let size = std::fs::metadata(path)?.len();
    crate::las_check::check(&mut std::fs::File::open(path)?, size)?;
    let reader = las::Reader::from_path(path)?;
    let announced = reader.header().number_of_points();
    if let Ok(vlr) = reader.header().laz_vlr() {
        crate::las_check::chunk_table(path, size, &vlr, reader.header().point_format().len())?;
    }
    if announced > MOST_POINTS {
        return Err(FormatError::TooLarge { found: announced, limit: MOST_POINTS });
    }
    // the best compression of scans known leaves more than a bit a point
    if announced / 16 > size {
        return Err(FormatError::Damaged(format!("{announced} points are announced in a file of {size} bytes")));
    }
    let said = las_reference::of(reader.header());
    let mut options = *options;
    if let Some(said) = &said {
        options.unit = said.unit.unwrap_or(options.unit);
        options.height_unit = said.height_unit.or(options.height_unit);
    }
    Ok((reader, options, said))
}

/// Reads LAS or LAZ, 1.0 to 1.4, and COPC, which is LAZ with an index. Compressed chunks are
/// decoded by all cores. Where the file says what unit it is in, that counts.
pub(crate) fn read(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<SourceScan, FormatError> {
    let (mut reader, options, said) = open(path, options)?;
    let announced = reader.header().number_of_points();
    let coloured = reader.header().point_format().has_color;
    let size = std::fs::metadata(path)?.len();
    let mut got = Collector::new(&options, go_on);
    // false counts in small files must not reserve memory
    got.reserve(announced.min(size) as usize, coloured);
    // some 64 MB at a time, however long a record is
    let batch = (64 << 20) / u64::from(reader.header().point_format().len().max(20));
    let colour_at = colour_at(reader.header().point_format());
    let mut data = PointDataBuilder::new().for_header(reader.header()).build();
    let mut shift = None;
    while reader.fill_points(batch, &mut data)? > 0 {
        if !go_on(got.len() as u64) {
            return Err(FormatError::Stopped);
        }
        // some programs write 8-bit colours into the 16 bits
        let shift = *shift.get_or_insert_with(|| {
            if data.rgb().is_some_and(|mut c| c.all(|c| c.0.max(c.1).max(c.2) < 256)) { 0 } else { 8 }
        });
        let (record, bytes, t) = (data.record_len(), data.raw_bytes(), data.transforms());
        got.extend(data.len(), |k| {
            let own = &bytes[k * record..][..record];
            let whole = |at: usize| i32::from_le_bytes([own[at], own[at + 1], own[at + 2], own[at + 3]]);
            let half = |at: usize| u16::from_le_bytes([own[at], own[at + 1]]);
            ReadPoint {
                at: [t.x.direct(whole(0)), t.y.direct(whole(4)), t.z.direct(whole(8))],
                intensity: f64::from(half(12)) / 65_535.0,
                colour: colour_at.map(|at| [0, 2, 4].map(|c| (half(at + c) >> shift) as u8)),
                cell: None,
            }
        });
    }
    let found = got.seen();
    if found < announced {
        return Err(FormatError::Damaged(format!("{announced} points are announced, {found} could be read")));
    }
    Ok(SourceScan { reference: said.map(|s| s.words), ..got.into_unordered()? })
}

/// First byte of the colours in a record (LAS 1.4 R15, tables 7 to 16).
pub(crate) fn colour_at(format: &las::point::Format) -> Option<usize> {
    format.has_color.then_some(match (format.is_extended, format.has_gps_time) {
        (true, _) => 30,
        (false, true) => 28,
        (false, false) => 20,
    })
}
