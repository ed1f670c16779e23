//! Comparing what came out with what was asked for.

mod spacing;
mod verdict;

pub use spacing::{SpacingCounter, SpacingResult};
pub use verdict::{
    Agreement, Asked, Check, Checks, Evidence, Ground, Judged, PlaceKind, Requirement, Surveyed, Verdict, VerdictRow,
    verdict,
};
