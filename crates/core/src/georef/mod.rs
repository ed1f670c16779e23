//! Putting an adjusted block on the grid.

mod diagnose;
mod match_control;
mod transform;

pub use diagnose::diagnose;
pub use match_control::{ControlMatch, match_control};
pub use transform::{ControlPoint, GeorefError, Georeferenced, PointResidual, georeference};
