//! The plan: what stands on the site, what each station will see, what error will come out.
//!
//! ```
//! use vistazo_core::geometry::Vec3;
//! use vistazo_core::instrument::Instrument;
//! use vistazo_core::plan::{Design, Kit, PlannedKind, PlannedTarget, Site, Station, predict};
//!
//! let stations = [(0.0, 0.0), (12.0, 3.0)].map(|(x, y)| Station::at("S", Vec3::new(x, y, 1.7)));
//! let targets = [(3.0, 5.0, 1.2), (8.0, -3.0, 0.9), (6.0, 8.0, 2.0), (10.0, 7.0, 1.5)].map(|(x, y, z)| PlannedTarget {
//!     name: "T".into(),
//!     position: Vec3::new(x, y, z),
//!     kind: PlannedKind::Sphere,
//!     control_sigma: None,
//!     check: false,
//! });
//! let (site, instrument) = (Site::default(), Instrument::mid_range());
//! let plan = Design::new(&site, &instrument, Kit::default(), &stations, &targets);
//! let p = predict(&plan);
//! assert_eq!(p.used.len(), 4);
//! // in space, 95 %, metres
//! assert!(p.target_error(0).unwrap().spatial < 0.005);
//! ```

mod advise;
mod bvh;
mod choose;
mod cloud_ties;
mod cover;
mod day;
mod fill;
mod graph;
mod leapfrog;
mod lower_bound;
mod predict;
mod propose;
mod propose_control;
mod propose_targets;
mod site;
mod together;
mod traps;
mod views;
mod ways;

pub use advise::{Advice, Change, advise};
pub use bvh::Bvh;
pub use cloud_ties::{SURFACE_SIGMA, cloud_ties};
pub use cover::{Cover, NotCovered, Sample, Seen, StationCover, Surface, USUAL_INCIDENCE, cover, look_round, sample};
pub use day::{Day, SET_UP, SWAP, Stop, WALK, day};
pub use fill::{Filling, fill};
pub use graph::{
    Doorway, LEAST_MARKS, LEAST_OVERLAP, LEAST_TARGETS, Link, StationGraph, doorways, shares, station_graph,
};
pub use leapfrog::{LeapfrogError, Move, leapfrog};
pub use predict::{
    Design, Kit, Means, PlannedDistance, PlannedKind, PlannedTarget, Prediction, Sighting, carried, predict,
};
pub use propose::{Proposal, ProposeError, Wish, candidates, propose};
pub use propose_control::{Control, propose_control};
pub use propose_targets::propose_targets;
pub use site::{Column, Demand, Edge, NoGo, Obstacle, Opening, Site, Slab, Station, Wall, inside};
pub use traps::{Trap, surface_error, traps};
pub use ways::{Floor, Ways, WaysFrom, length, ways};
