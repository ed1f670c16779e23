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
mod las_check;
mod las_read;
mod las_write;
mod options;
pub mod plan;
pub mod plan_dxf;
mod ply_read;
mod source;
mod tiles_write;
pub mod working_cloud;
mod xyz_read;

pub use e57_read::read_images;
pub use e57_write::E57Writer;
pub use error::FormatError;
pub use las_write::LazWriter;
pub use options::{Columns, ReadOptions, UpAxis};
pub use source::{GoOn, SourceImage, SourceKind, SourceScan, read_source};
pub use tiles_write::{Extent, TilePack, bounding};
pub use xyz_read::{XyzPreview, xyz_preview};
