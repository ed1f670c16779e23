//! From targets in separate scans to one block: matching without names, first poses, ties.

mod block;
mod clique;
mod cloud_tie;
mod matching;
mod tie;

pub use block::{Block, Observed, ScanTargets, Unplaced, assemble};
pub use cloud_tie::{CloudFit, tie_clouds};
pub use matching::{Match, MatchOptions, Matched, match_points};
pub use tie::{Grade, Tie, TieInput, grade_ties};
