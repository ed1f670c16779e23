//! Benchmarks of Vistazo: `cargo bench -p vistazo-benches`.
