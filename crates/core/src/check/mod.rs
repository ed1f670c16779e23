//! Comparing what came out with what was asked for.

mod spacing;
mod verdict;

pub use spacing::{SpacingCounter, SpacingResult};
pub use verdict::{Requirement, Verdict, VerdictRow, check_point_row, limit_row, spacing_row};
