//! Scans and what was made from them, out of the object store.

use crate::{ApiError, App};
use vistazo_core::scan::Scan;
use vistazo_formats::{FormatError, canonical};
use vistazo_store::field::ScanRow;

/// Reads a canonical scan. Its bytes are held once: a scan of fifty million points takes a gigabyte.
pub(crate) async fn scan(app: &App, row: &ScanRow) -> Result<Scan, ApiError> {
    let (file, size) = app.objects.file(&format!("{}/scan", row.key)).await?;
    super::blocking(move || {
        let mut reader = std::io::BufReader::with_capacity(1 << 20, file);
        canonical::read(&mut reader, size)
    })
    .await?
    .map_err(|e: FormatError| ApiError::bad(e.to_string()))
}
