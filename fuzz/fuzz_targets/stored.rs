//! What we store ourselves: canonical scans and working clouds.
#![no_main]

use libfuzzer_sys::fuzz_target;
use vistazo_formats::{Extent, canonical, working_cloud};

fuzz_target!(|data: &[u8]| {
    if let Ok(scan) = canonical::read(&mut &data[..], data.len() as u64) {
        let mut again = Vec::new();
        canonical::write(&scan, &mut again).unwrap();
        assert_eq!(again.len(), data.len());
    }
    if let Ok(cloud) = working_cloud::read(data) {
        assert_eq!(working_cloud::write(&cloud), data);
    }
    if let Ok(name) = std::str::from_utf8(data)
        && let Some((extent, points)) = Extent::parse(name)
    {
        let _ = extent.name(if points { "glb" } else { "json" });
    }
});
