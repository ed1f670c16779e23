//! Scan files, whatever the first bytes say.
#![no_main]

// a decoder that stumbles is caught and reported as damage: only what is not caught counts here
libfuzzer_sys::fuzz_target!(init: std::panic::set_hook(Box::new(|_| ())), |data: &[u8]| vistazo_fuzz::source(data));
