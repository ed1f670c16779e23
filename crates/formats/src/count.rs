//! How many points a file holds by its own header: what a manifest states is counted from what was written.

use crate::error::FormatError;
use std::path::Path;

/// Points of a LAS, LAZ or E57 file, all its scans together; `None` of a file of another kind (by its name).
///
/// # Errors
/// [`FormatError`] when the file is damaged.
pub fn count_points(path: &Path) -> Result<Option<u64>, FormatError> {
    let ending = path.extension().map(|e| e.to_string_lossy().to_lowercase());
    Ok(match ending.as_deref() {
        Some("las" | "laz") => Some(las::Reader::from_path(path)?.header().number_of_points()),
        Some("e57") => Some(e57::E57Reader::from_file(path)?.pointclouds().iter().map(|c| c.records).sum()),
        _ => None,
    })
}
