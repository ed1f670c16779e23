//! From the adjusted block to the grid: control paired with targets, the block fitted to it freely (the
//! test) and with control in the adjustment (the result), check points that are never used.
//!
//! Coordinates of control are grid coordinates. [`GridMap`] takes them to a local frame of true metres
//! and back, so that scale of the grid and curvature of the earth are in every coordinate and nowhere
//! in the adjustment.
//!
//! ```
//! use vistazo_core::adjust::{Network, Observation, Scaling, solve};
//! use vistazo_core::geometry::{Mat3, Pose, Vec3};
//! use vistazo_core::georef::{ControlPoint, GridMap, Input, Source, georeference};
//! use vistazo_core::geometry::FitModel;
//!
//! // a block of two levelled scans that see five targets, turned and far from the grid's coordinates
//! let places = [(0.0, 6.0, 1.2), (8.0, 2.0, 1.5), (3.0, -4.0, 0.8), (9.0, 9.0, 1.9), (-3.0, 2.0, 1.1)];
//! let truth = [Pose::identity(), Pose::levelled(0.7, Vec3::new(5.0, 1.0, 0.1))];
//! let mut net = Network::default();
//! for (k, pose) in truth.iter().enumerate() {
//!     let scan = net.add_scan(&format!("S{k}"), *pose);
//!     net.observe(Observation::level(scan, 1e-5));
//! }
//! for (k, p) in places.iter().enumerate() {
//!     let p = Vec3::new(p.0, p.1, p.2);
//!     let target = net.add_target(&format!("T{k}"), p);
//!     for (scan, pose) in truth.iter().enumerate() {
//!         net.observe(Observation::target(scan, target, pose.inverse().apply(&p), Mat3::identity() * 1e-6));
//!     }
//! }
//! let block = solve(net.clone(), Scaling::Stated).unwrap();
//! let on_grid = Pose::levelled(0.3, Vec3::new(512_000.0, 5_204_000.0, 411.0));
//! let control = (0..4).map(|k| ControlPoint {
//!     name: format!("C{k}"),
//!     position: on_grid.apply(&block.targets[k]),
//!     sigma: Vec3::repeat(0.002),
//!     check: k == 3,
//!     target: None,
//! });
//! let names: Vec<String> = net.targets.iter().map(|t| t.name.clone()).collect();
//! let input = Input {
//!     network: &net,
//!     block: &block,
//!     names: &names,
//!     control: control.collect(),
//!     model: FitModel::Levelled,
//!     levelled: true,
//!     map_at: &|place| GridMap::local(*place),
//! };
//! let g = georeference(&input).unwrap();
//! assert_eq!(g.source, Source::Constrained);
//! let fifth = g.map.apply(&g.targets[4]);
//! assert!((fifth - on_grid.apply(&block.targets[4])).norm() < 1e-4);
//! ```

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
