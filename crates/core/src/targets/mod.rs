//! Finding targets in a scan: spheres of known diameter and flat checkers.
//!
//! Each has two files: the search proposes places in the grid of directions, the fit measures
//! one place and decides whether it is a target at all. Checkers have two more: the picture that is
//! fitted, and the error of what comes out, found or expected.

mod checker_error;
mod checker_fit;
mod checker_picture;
mod checker_search;
mod configuration;
mod detect;
mod predict;
mod sphere_fit;
mod sphere_search;

pub use checker_fit::{CheckerFit, fit_checker};
pub use configuration::{Configuration, Fault, SAME_DISTANCE, configuration};
pub use detect::{Detection, Search, detect};
pub use predict::{CheckerTable, DEPENDABLE_HITS, predicted_hits, predicted_sphere_covariance, usable_distance};
pub use sphere_fit::{SphereFit, fit_sphere};

/// What kind of target it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum TargetKind {
    /// A sphere; its position is the centre.
    Sphere,
    /// A flat board of four alternating dark and light quarters; its position is the crossing.
    Checker,
}

/// What the size of a sphere says about it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum SizeVerdict {
    /// Agrees with the nominal radius within its uncertainty.
    Agrees,
    /// About half or double the nominal: diameter entered for radius, or the other way round.
    DiameterRadiusMixUp,
    /// Some other size: not one of the job's spheres.
    WrongSize,
}
