//! Clouds as they are handed over: one point at a time, into as many formats as were asked for.
//!
//! Every format says the same of a point ([`CloudPoint`]). LAZ and COPC share their records ([`las_file`]); COPC and 3D Tiles
//! share their tree ([`octree`]), which is built on disk, so that the size of a job is not the size of the memory.

mod copc;
mod las_file;
mod laz;
mod octree;
mod ply;
mod tiles;
mod xyz;

pub use copc::CopcWriter;
pub use laz::LazWriter;
pub use ply::PlyWriter;
pub use tiles::TilesWriter;
pub use xyz::XyzWriter;

use crate::error::FormatError;
use std::path::{Path, PathBuf};
use vistazo_core::geometry::Vec3;

/// What a cloud says of one of its points.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct CloudPoint {
    /// Easting, northing, height, in the unit of the file.
    pub at: Vec3,
    /// 0 to 65,535.
    pub intensity: u16,
    /// Red, green, blue; black where no picture saw it.
    pub colour: [u8; 3],
    /// Number of its scan, from 1.
    pub scan: u16,
    /// Class by the codes of LAS 1.4 (R15, table 17).
    pub class: u8,
    /// 95 % in plan (longest semi-axis) and in height, in the unit of the file.
    pub error95: [f64; 2],
}

/// What all points of a file have in common.
#[derive(Clone, Debug)]
pub struct CloudLayout {
    /// A place near the points, in the unit of the file: coordinates are stored about it.
    pub offset: Vec3,
    /// The coordinate reference as WKT.
    pub wkt: Option<String>,
    /// Points have colours.
    pub coloured: bool,
    /// Points say their 95 %.
    pub errors: bool,
    /// What wrote the file (32 characters).
    pub software: String,
    /// Metres in the unit of the file.
    pub unit: f64,
}

impl CloudLayout {
    /// Metres about an offset, without reference, colours or errors.
    pub fn plain(offset: Vec3) -> Self {
        Self { offset, wkt: None, coloured: false, errors: false, software: "Vistazo".into(), unit: 1.0 }
    }
}

/// Takes the points of a file one by one.
pub trait CloudWriter: Send {
    /// Adds a point.
    ///
    /// # Errors
    /// When it lies too far from the offset, or writing fails.
    fn put(&mut self, p: &CloudPoint) -> Result<(), FormatError>;

    /// Ends the file; without this it cannot be read.
    ///
    /// # Errors
    /// When writing fails.
    fn end(self: Box<Self>) -> Result<(), FormatError>;
}

/// A format that clouds are written in, point by point.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum CloudFormat {
    /// LAZ 1.4, in the order of the scans.
    Laz,
    /// LAZ 1.4 as an octree with an index (COPC 1.0).
    Copc,
    /// PLY, binary.
    Ply,
    /// Text, a line a point.
    Xyz,
    /// OGC 3D Tiles 1.1 with glTF 2.0 points, a folder.
    Tiles,
}

impl CloudFormat {
    /// The name of a file of this format, from its name without ending.
    ///
    /// ```
    /// use vistazo_formats::CloudFormat;
    /// assert_eq!(CloudFormat::Copc.file("hall"), "hall.copc.laz");
    /// ```
    pub fn file(self, stem: &str) -> String {
        match self {
            Self::Laz => format!("{stem}.laz"),
            Self::Copc => format!("{stem}.copc.laz"),
            Self::Ply => format!("{stem}.ply"),
            Self::Xyz => format!("{stem}.xyz"),
            Self::Tiles => format!("{stem}-tiles"),
        }
    }

    /// Starts a file in `folder`; what does not fit into memory lies in `scratch` until the file ends.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn create(
        self,
        folder: &Path,
        stem: &str,
        layout: &CloudLayout,
        scratch: &Path,
    ) -> Result<Box<dyn CloudWriter>, FormatError> {
        let path: PathBuf = folder.join(self.file(stem));
        Ok(match self {
            Self::Laz => Box::new(LazWriter::with(&path, layout)?),
            Self::Copc => Box::new(CopcWriter::create(&path, layout, scratch)?),
            Self::Ply => Box::new(PlyWriter::create(&path, layout)?),
            Self::Xyz => Box::new(XyzWriter::create(&path, layout)?),
            Self::Tiles => Box::new(TilesWriter::create(&path, layout, scratch)?),
        })
    }
}
