//! The least-squares adjustment of a block, and its statistics.
//!
//! [`Network`] holds unknowns and observations, [`solve`] finds the poses and targets with their
//! covariance, [`Solution`] carries the tests. Planned networks go through the same code: see
//! [`crate::plan`].

mod defect;
mod dense;
mod network;
mod normal;
mod solve;
mod tests_of_hypotheses;
mod unnoticed;

pub use defect::Defect;
pub use network::{CloudTie, Network, Observation, ScanUnknown, TargetUnknown};
pub use solve::{AdjustError, Residual, Solution, TieResidual, solve};
pub use tests_of_hypotheses::Moved;
pub use unnoticed::{Unnoticed, unnoticed};
