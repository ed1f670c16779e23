//! The plan: what stands on the site, what each station will see, what error will come out.

mod advise;
mod bvh;
mod choose;
mod cloud_ties;
mod cover;
mod day;
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

pub use advise::{Advice, Change, advise};
pub use bvh::Bvh;
pub use cloud_ties::{SURFACE_SIGMA, cloud_ties};
pub use cover::{Cover, NotCovered, Sample, Seen, StationCover, Surface, USUAL_INCIDENCE, cover, look_round, sample};
pub use day::{Day, SET_UP, SWAP, Stop, WALK, day};
pub use graph::{Doorway, LEAST_MARKS, LEAST_OVERLAP, LEAST_TARGETS, Link, StationGraph, doorways, station_graph};
pub use leapfrog::{LeapfrogError, Move, leapfrog};
pub use predict::{
    Design, Kit, Means, PlannedDistance, PlannedKind, PlannedTarget, Prediction, Sighting, carried, predict,
};
pub use propose::{Proposal, ProposeError, Wish, candidates, propose};
pub use propose_control::{Control, propose_control};
pub use propose_targets::propose_targets;
pub use site::{Column, Demand, Edge, NoGo, Obstacle, Opening, Site, Slab, Station, Wall, inside};
pub use traps::{Trap, surface_error, traps};
