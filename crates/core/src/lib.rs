//! The rules and the mathematics of the job, without input, output or interface.
//!
//! The folders follow the surveyor's work: [`instrument`] says what one measured point is
//! worth, [`plan`] what a station will see, [`day`] what happens when, [`targets`] finds spheres and checkers in a scan,
//! [`tie`] brings two scans together, [`registration`] makes one block of all, [`adjust`] is the
//! least squares under it, [`georef`] puts it on the grid [`check`] compares the result with the requirement, and [`clean`]
//! says which points do not belong, [`compare`] how far the surfaces of scans lie apart, [`slice`] shows it; [`draw`] makes a floor plan
//! of it. [`mobile`] does the same for passes of a unit that is carried, which [`walks`] plans. [`cloud`] holds what every cloud needs at full size, whatever the step.
//!
//! Everything inside is SI (metre, radian, second) in `f64`; [`units`] converts at the edge.
//! Dependencies point one way, in the order of the list above.

#![warn(clippy::pedantic)]
#![allow(
    clippy::cast_precision_loss,
    clippy::cast_possible_truncation,
    clippy::cast_sign_loss,
    clippy::cast_possible_wrap,
    clippy::many_single_char_names,
    clippy::similar_names,
    clippy::must_use_candidate,
    clippy::module_name_repetitions,
    clippy::items_after_statements,
    clippy::too_many_lines,
    clippy::needless_range_loop
)]
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

pub mod adjust;
pub mod check;
pub mod clean;
pub mod cloud;
pub mod colour;
pub mod compare;
pub mod day;
pub mod deliver;
pub mod draw;
pub mod field;
pub mod geometry;
pub mod georef;
pub mod instrument;
pub mod mobile;
pub mod plan;
pub mod registration;
pub mod scan;
pub mod slice;
pub mod stats;
pub mod targets;
pub mod tie;
pub mod units;
pub mod walks;
