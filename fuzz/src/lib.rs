//! What each fuzz target does with its input. `formats/tests/files/hurt.rs` runs the same bodies over the seeds and what
//! becomes of them when they are damaged, without the fuzzer's instrumentation.

use std::io::Write;
use vistazo_formats::{
    Extent, ReadOptions, canonical, control, plan, read_images, read_source, working_cloud, xyz_preview,
};

/// Scan files: E57, LAS, LAZ, PLY and text, whatever the first bytes say.
pub fn source(data: &[u8]) {
    let mut bytes = data.to_vec();
    if bytes.starts_with(b"ASTM-E57") {
        sum_pages(&mut bytes);
    }
    let mut file = tempfile::NamedTempFile::new().unwrap();
    file.write_all(&bytes).unwrap();
    let _ = read_source(file.path(), &ReadOptions::default(), &|_| true, &mut |s| {
        assert_eq!(s.scan.points.len(), s.scan.intensity.len());
        assert!(s.scan.colour.is_empty() || s.scan.colour.len() == s.scan.points.len());
        assert!(s.scan.points.iter().flatten().all(|v| v.is_finite()));
        Ok(())
    });
    if bytes.starts_with(b"ASTM-E57") {
        let _ = read_images(file.path(), 0);
    }
}

/// What we store ourselves: canonical scans, working clouds, names of extents.
pub fn stored(data: &[u8]) {
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
}

/// Text that people paste or drop: control, plans, the start of a cloud.
pub fn text(data: &[u8]) {
    let text = String::from_utf8_lossy(data);
    let _ = control::read(&text, None);
    let _ = plan::read_geojson(&text);
    let _ = xyz_preview(&text);
}

/// E57 sums every page of 1024 bytes; without right sums nothing behind them would be reached.
fn sum_pages(bytes: &mut [u8]) {
    for page in bytes.chunks_exact_mut(1024) {
        let mut crc = !0_u32;
        for b in &page[..1020] {
            crc ^= u32::from(*b);
            for _ in 0..8 {
                crc = crc >> 1 ^ (0x82f6_3b78 & (crc & 1).wrapping_neg());
            }
        }
        page[1020..].copy_from_slice(&(!crc).to_be_bytes());
    }
}
