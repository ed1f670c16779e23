//! Text that people paste or drop.
#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| vistazo_fuzz::text(data));
