//! Two scans brought together: matching without names, clouds laid on one another, and the grade
//! of what came out.

mod by_pairs;
mod by_targets;
mod card;
mod clique;
mod cloud_grade;
mod cloud_index;
mod clouds;
mod correlate;
mod grade;
mod in_block;
mod information;
mod likeness;
mod matching;
mod mend;
mod pairs;
mod plan_view;
mod search;
mod shown;
mod sight;
mod upright;

pub use by_pairs::{ByPairs, FEWEST_PAIRS, PickedPair, by_pairs};
pub use by_targets::Mark;
pub use card::{Cut, TieCard, TieSlice};
pub use cloud_grade::{CloudGrade, CloudReason, PLACES};
pub(crate) use cloud_index::{Index, key};
pub(crate) use clouds::Prepared;
pub use clouds::{CloudFit, SharedInTie, tie_clouds};
pub use grade::{Grade, Reason, SharedTarget, Tie, TieInput, grade_ties};
pub(crate) use in_block::place_bent_in_block;
pub use in_block::{PlaceInBlock, place_in_block};
pub use matching::{Match, MatchOptions, Matched, match_points};
pub use mend::{Mend, one_more};
pub use pairs::{NextPair, NextStep, Pairs};
pub use plan_view::{PlanView, Start};
pub use search::{Against, CloudTieFound, Expected, Rival, tie_by_clouds, tie_by_hand};
pub use shown::{Compared, Shown};
pub use sight::{Seen, Sight};
