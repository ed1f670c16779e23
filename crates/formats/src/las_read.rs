use crate::collector::Collector;
use crate::error::FormatError;
use crate::las_reference;
use crate::options::ReadOptions;
use crate::source::{GoOn, MOST_POINTS, SourceScan};
use std::path::Path;

/// Reads LAS or LAZ, 1.0 to 1.4, and COPC, which is LAZ with an index. Compressed chunks are
/// decoded by all cores. Where the file says what unit it is in, that counts.
pub(crate) fn read(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<SourceScan, FormatError> {
    let size = std::fs::metadata(path)?.len();
    crate::las_check::check(&mut std::fs::File::open(path)?, size)?;
    let mut reader = las::Reader::from_path(path)?;
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
    let coloured = reader.header().point_format().has_color;
    let said = las_reference::of(reader.header());
    let mut options = *options;
    if let Some(said) = &said {
        options.unit = said.unit.unwrap_or(options.unit);
        options.height_unit = said.height_unit.or(options.height_unit);
    }
    let mut got = Collector::new(&options, go_on);
    // false counts in small files must not reserve memory
    got.reserve(announced.min(size) as usize, coloured);
    // some 64 MB at a time, however long a record is
    let batch = (64 << 20) / u64::from(reader.header().point_format().len().max(20));
    let mut shift = None;
    loop {
        let data = reader.read_points(batch)?;
        if data.is_empty() {
            break;
        }
        if !go_on(got.len() as u64) {
            return Err(FormatError::Stopped);
        }
        let places = data.x().zip(data.y()).zip(data.z().zip(data.intensity()));
        let Some(rgb) = data.rgb() else {
            for ((x, y), (z, i)) in places {
                got.push([x, y, z], f64::from(i) / 65_535.0, None);
            }
            continue;
        };
        // some programs write 8-bit colours into the 16 bits
        let shift = *shift.get_or_insert_with(|| {
            if data.rgb().is_some_and(|mut c| c.all(|c| c.0.max(c.1).max(c.2) < 256)) { 0 } else { 8 }
        });
        for (((x, y), (z, i)), (r, g, b)) in places.zip(rgb) {
            got.push([x, y, z], f64::from(i) / 65_535.0, Some([r, g, b].map(|v| (v >> shift) as u8)));
        }
    }
    let found = got.seen();
    if found < announced {
        return Err(FormatError::Damaged(format!("{announced} points are announced, {found} could be read")));
    }
    Ok(SourceScan { reference: said.map(|s| s.words), ..got.into_unordered()? })
}
