//! Readers and writers of open formats: bytes in, core types out, and back.
//!
//! Every error names the file or the line, what was found and what was expected. Readers check
//! counts against the size of the file before they reserve memory.
//!
//! ```
//! use vistazo_formats::{ReadOptions, SourceKind, read_source};
//!
//! // a wall 5 m before the scanner, as a text of x, y, z and intensity
//! let lines: Vec<String> =
//!     (0..400).map(|k| format!("{:.3} 5.000 {:.3} 0.5", f64::from(k % 20) * 0.1 - 1.0, f64::from(k / 20) * 0.1)).collect();
//! let file = tempfile::NamedTempFile::new().unwrap();
//! std::fs::write(file.path(), lines.join("\n")).unwrap();
//!
//! assert_eq!(SourceKind::of(file.path()).unwrap(), SourceKind::Xyz);
//! let mut points = 0;
//! read_source(file.path(), &ReadOptions::default(), &|_| true, &mut |source| {
//!     points += source.scan.points.len();
//!     Ok(())
//! })
//! .unwrap();
//! assert_eq!(points, 400);
//! ```

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

pub mod canonical;
mod clouds;
mod collector;
pub mod control;
mod count;
pub mod crs;
pub mod design;
pub mod drawing_dxf;
pub mod dxf_points;
mod e57_read;
mod e57_write;
mod error;
pub mod feature_files;
pub mod geotiff;
pub mod ground_files;
pub mod landxml;
mod las_check;
mod las_read;
mod las_reference;
mod options;
pub mod passes;
pub mod plan;
pub mod plan_dxf;
mod ply_read;
pub mod solid_files;
mod source;
mod tiles_read;
mod tiles_write;
pub mod working_cloud;
mod xyz_read;

pub use clouds::{
    CloudFormat, CloudLayout, CloudPoint, CloudWriter, CopcWriter, LazWriter, PlyWriter, TilesWriter, XyzWriter,
};
pub use count::count_points;
pub use e57_read::read_images;
pub use e57_write::E57Writer;
pub use error::FormatError;
pub use options::{Columns, ReadOptions, UpAxis};
pub use source::{GoOn, SourceImage, SourceKind, SourceScan, read_source};
pub use tiles_read::{Tile, tile_document, tile_points};
pub use tiles_write::{Extent, TilePack, bounding};
pub use xyz_read::{XyzPreview, xyz_preview};
