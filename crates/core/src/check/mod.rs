//! Comparing what came out with what was asked for.

mod evidence;
mod shown;
mod verdict;

pub use evidence::{
    Agreement, AreaLimits, Asked, Check, Checks, Designed, Evidence, Ground, Judged, Misfit, PlaceKind, Requirement,
    Surveyed, Verdict, VerdictRow,
};
pub use shown::{Hole, Lack, Shown, ShownPiece, SurfaceCounter, holes};
pub use verdict::verdict;
