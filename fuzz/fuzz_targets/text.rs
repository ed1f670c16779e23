//! Text that people paste or drop: control, plans, the start of a cloud.
#![no_main]

use libfuzzer_sys::fuzz_target;
use vistazo_formats::{control, plan, xyz_preview};

fuzz_target!(|data: &[u8]| {
    let text = String::from_utf8_lossy(data);
    let _ = control::read(&text, None);
    let _ = plan::read_geojson(&text);
    let _ = xyz_preview(&text);
});
