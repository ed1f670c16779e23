//! The least-squares adjustment of a block, and its statistics.
//!
//! [`Network`] holds unknowns and observations of any [`kinds`], [`solve`] finds the poses and targets
//! with their covariance, [`Solution`] carries the tests. Planned networks go through the same code:
//! see [`crate::plan`]; there [`precision`] takes the place of [`solve`].
//!
//! ```
//! use vistazo_core::adjust::{Network, Observation, Scaling, solve};
//! use vistazo_core::geometry::{Mat3, Pose, Vec3};
//!
//! let places = [(0.0, 6.0, 1.2), (8.0, 2.0, 1.5), (3.0, -4.0, 0.8), (9.0, 9.0, 1.9)];
//! let truth = [Pose::identity(), Pose::levelled(0.7, Vec3::new(5.0, 1.0, 0.1))];
//! let mut net = Network::default();
//! for (k, pose) in truth.iter().enumerate() {
//!     let scan = net.add_scan(&format!("S{k}"), *pose);
//!     net.observe(Observation::level(scan, 1e-5));
//! }
//! for p in places {
//!     let p = Vec3::new(p.0, p.1, p.2);
//!     let target = net.add_target("T", p);
//!     for (scan, pose) in truth.iter().enumerate() {
//!         let centre = pose.inverse().apply(&p);
//!         net.observe(Observation::target(scan, target, centre, Mat3::identity() * 1e-6));
//!     }
//! }
//! let solution = solve(net, Scaling::Stated).unwrap();
//! assert!((solution.poses[1].translation - solution.poses[0].translation).norm() - 5.1 < 1e-3);
//! ```

mod budget;
mod defect;
mod dense;
pub mod kinds;
mod network;
mod normal;
mod observation;
mod reliability;
mod snooping;
mod solve;
mod systematic;
mod tripod;
mod variance;

pub use budget::{ErrorBudget, Group};
pub use defect::{Defect, Hold};
pub use kinds::Kind;
pub use network::{EARTH_RADIUS, Network, Plumb, ScanUnknown, TargetUnknown};
pub use observation::{Linearised, Measurement, Observation, Unknown};
pub use reliability::{Unnoticed, external_reliability, unnoticed};
pub use snooping::{EVEN, Hypothesis, Moved, POWER, Residual, SINGLE_RISK, Suspicion};
pub use solve::{AdjustError, Solution, converge, grossly_wrong, precision, solve};
pub use systematic::{Parameter, Shared, SystematicUnknown};
pub use tripod::TripodMoved;
pub(crate) use variance::PRIOR_DOF;
pub use variance::{Component, ENOUGH, Scaling, VarianceFactor, profile_as_found, variance_components};
