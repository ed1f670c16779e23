//! From the adjusted block to the grid: control paired with targets, the block fitted to it freely (the
//! test) and with control in the adjustment (the result), check points that are never used.
//!
//! Coordinates of control are grid coordinates. [`GridMap`] takes them to a local frame of true metres
//! and back, so that scale of the grid and curvature of the earth are in every coordinate and nowhere
//! in the adjustment.

mod checks;
mod constrained;
mod control;
mod diagnose;
mod free_fit;
mod georeference;
mod grid_map;
mod matching;

pub use checks::{CheckPoint, CheckReport, USUAL_CHECKS, check_points};
pub use constrained::constrained;
pub use control::{ControlPoint, GeorefError, PointResidual};
pub use diagnose::{Mistake, Weakness, diagnose};
pub use free_fit::{FreeFit, free_fit};
pub use georeference::{Failure, Georeferenced, Input, Source, georeference};
pub use grid_map::{GridFactors, GridMap, Output};
pub use matching::{Candidate, ControlMatch, Pairing, match_control};
