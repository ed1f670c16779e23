//! Two scans brought together: matching without names, clouds laid on one another, and the grade
//! of what came out.

mod clique;
mod clouds;
mod grade;
mod matching;

pub use clouds::{CloudFit, tie_clouds};
pub use grade::{Grade, Reason, SharedTarget, Tie, TieInput, grade_ties};
pub use matching::{Match, MatchOptions, Matched, match_points};
