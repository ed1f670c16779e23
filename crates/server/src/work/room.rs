//! Whether there is room for what is about to be made, asked before anything is begun.

use crate::App;

/// What is made from a scan file, as a multiple of the file: the canonical scan, the working cloud
/// and the tiles are larger than a compressed file.
pub(crate) fn growth(file_name: &str) -> u64 {
    if file_name.to_lowercase().ends_with("laz") { 9 } else { 5 }
}

/// Says what is missing when `needed` more bytes would leave less than the setting keeps free. A
/// store that does not tell how much is free is taken to have enough.
pub(crate) fn check(app: &App, what: &str, needed: u64) -> Result<(), String> {
    let Some(free) = app.objects.free() else { return Ok(()) };
    let free = free.saturating_sub(app.settings.keep_free);
    if free >= needed {
        return Ok(());
    }
    Err(format!(
        "{what}: about {:.1} GB are needed, with what is made from it, and {:.1} GB are free; make room first",
        needed as f64 / 1e9,
        free as f64 / 1e9
    ))
}
