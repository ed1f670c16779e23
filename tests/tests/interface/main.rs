//! What people do in the interface: a real browser on a real server. One program, so that it is built and linked once, and
//! no test waits for another file of them.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod building;
mod clean;
mod colours;
mod compare;
mod cover;
mod day;
mod deliver;
mod demo;
mod desk;
mod drawing;
mod elevation;
mod features;
mod hand;
mod instruments;
mod passes;
mod planned_walks;
mod planning;
mod set_ups;
mod site;
mod solids;
mod survey;
mod view;
mod walk;
