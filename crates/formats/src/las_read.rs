use crate::error::FormatError;
use crate::source::{Collector, MOST_POINTS, SourceScan};
use std::path::Path;
use vistazo_core::geometry::Vec3;
use vistazo_core::scan::Scan;

pub(crate) fn read(path: &Path, scanner: Vec3) -> Result<SourceScan, FormatError> {
    let mut reader = las::Reader::from_path(path)?;
    let announced = reader.header().number_of_points();
    if announced > MOST_POINTS {
        return Err(FormatError::TooLarge { found: announced, limit: MOST_POINTS });
    }
    let mut got = Collector::default();
    loop {
        let data = reader.read_points(500_000)?;
        if data.is_empty() {
            break;
        }
        for ((x, y), (z, i)) in data.x().zip(data.y()).zip(data.z().zip(data.intensity())) {
            got.push(x - scanner.x, y - scanner.y, z - scanner.z, f32::from(i) / 65535.0);
        }
    }
    let found = got.points.len() as u64 + got.skipped;
    if found < announced {
        return Err(FormatError::Damaged(format!("{announced} points are announced, {found} could be read")));
    }
    let skipped = got.skipped;
    Ok(SourceScan {
        name: None,
        scan: Scan::from_unordered(got.points, got.intensity)?,
        pose: None,
        gridded: false,
        skipped,
    })
}
