//! The plan: what stands on the site, what each station will see, what error will come out.

mod bvh;
mod cover;
mod predict;
mod site;

pub use bvh::Bvh;
pub use cover::{Cover, NotCovered, Sample, StationCover, cover};
pub use predict::{PlannedTarget, Prediction, predict};
pub use site::{Obstacle, Site, Station, Wall};
