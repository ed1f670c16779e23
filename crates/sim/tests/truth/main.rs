//! What the core states against what the simulator knows, over seeds.
#![allow(clippy::expect_used, clippy::panic, clippy::unwrap_used, dead_code)]

mod alike;
mod both;
mod clean;
mod cloud_ties;
mod colour;
mod compare;
mod cover;
mod features;
mod floor_plan;
mod ground;
mod hidden;
mod honest;
mod marks;
mod papers;
mod planned_walks;
mod predicted;
mod section;
mod sites;
mod solids;
mod ties;
mod walked_plan;
mod walked_targets;
mod walks;
mod walks_alone;
