//! The ground under what stands on it: found in what all scans show ([`ground`]), as a raster with what each cell is
//! uncertain by, and as a surface of triangles ([`Surface`]) with contours, heights and volumes.

mod contours;
mod filter;
mod raster;
mod surface;
mod triangles;
mod volume;

pub use contours::contours;
pub use raster::{Column, Ground, GroundCell, GroundScan, ground};
pub(super) use raster::{joined, shared};
pub use surface::{Breakline, Height, Surface};
pub use triangles::Triangles;
pub use volume::{Volume, volume_between, volume_to};
