//! Clouds at full size: the order that everything derived from a scan is built on.
//!
//! A scan of tens of millions of points is sorted once along a space-filling curve ([`Order`]).
//! The working cloud ([`working`]) and the view tiles ([`tiles`]) are then linear passes over
//! that order, so that neither needs a tree in memory.

mod clip;
mod coarse;
mod measure;
mod order;
mod panorama;
mod pick;
mod thin;
mod tiles;
mod working;

pub use clip::ClipBox;
pub use coarse::Coarse;
pub use measure::{Measured, Span, span};
pub use order::{Order, VOXEL};
pub use panorama::{Panorama, panorama};
pub use pick::{Feature, Picked, pick};
pub use thin::Thinner;
pub use tiles::{TileNode, TilePoints, tiles};
pub use working::{WorkingCloud, working, working_from};
