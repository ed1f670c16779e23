//! Simulated sites and a simulated scanner.
//!
//! The scanner ray-casts a [`Scene`] with the noise of an [`vistazo_core::instrument::Instrument`]
//! and gives what a real one gives: a gridded scan in its own frame. [`Truth`] is a value of its
//! own, and nothing that judges data ever receives it.

#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

mod camera;
mod cast;
mod check_field;
mod material;
mod photograph;
mod rooms;
mod roundhouse;
mod scanner;
mod scene;
mod shapes;
mod walk;
mod wing;

pub use camera::Eye;
pub use cast::{Aim, RawScan, Really, scan, scan_towards};
pub use check_field::{CheckField, DISTANCE_SIGMA};
pub use photograph::photograph;
pub use rooms::{SmallJob, set_up_near, small_job};
pub use roundhouse::{Roundhouse, roundhouse};
pub use scanner::Scanner;
pub use scene::{Board, Passer, Scene, Sphere, Standing, Truth};
pub use walk::{Walk, WalkPoint, Walker, walk};
