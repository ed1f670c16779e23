//! What we store ourselves.
#![no_main]

libfuzzer_sys::fuzz_target!(|data: &[u8]| vistazo_fuzz::stored(data));
