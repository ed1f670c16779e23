//! Readers and writers of open formats: bytes in, core types out, and back.
//!
//! Every error names the file or the line, what was found and what was expected. Readers check
//! counts against the size of the file before they reserve memory.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

pub mod canonical;
pub mod control;
pub mod crs;
mod e57_read;
mod e57_write;
mod error;
mod las_read;
mod las_write;
pub mod plan;
mod source;
mod xyz_read;

pub use e57_write::E57Writer;
pub use error::FormatError;
pub use las_write::LazWriter;
pub use source::{SourceKind, SourceScan, read_source};
