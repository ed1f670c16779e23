//! Benchmarks that print what they measured.
