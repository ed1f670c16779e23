//! Scan files: E57, LAS, LAZ, PLY and text, whatever the first bytes say.
#![no_main]

use libfuzzer_sys::fuzz_target;
use std::io::Write;
use vistazo_formats::{ReadOptions, read_images, read_source};

// a decoder that stumbles is caught and reported as damage: only what is not caught counts here
fuzz_target!(init: std::panic::set_hook(Box::new(|_| ())), |data: &[u8]| {
    let mut bytes = data.to_vec();
    if bytes.starts_with(b"ASTM-E57") {
        sum_pages(&mut bytes);
    }
    let mut file = tempfile::NamedTempFile::new().unwrap();
    file.write_all(&bytes).unwrap();
    let mut points = 0;
    let _ = read_source(file.path(), &ReadOptions::default(), &|_| true, &mut |s| {
        points += s.scan.points.len();
        assert_eq!(s.scan.points.len(), s.scan.intensity.len());
        assert!(s.scan.colour.is_empty() || s.scan.colour.len() == s.scan.points.len());
        assert!(s.scan.points.iter().flatten().all(|v| v.is_finite()));
        Ok(())
    });
    if bytes.starts_with(b"ASTM-E57") {
        let _ = read_images(file.path(), 0);
    }
});

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
