//! What the server does: over its API, its command line and its store. One program, so that it is built and linked once.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod clouds;
mod contract;
mod day;
mod demo;
mod faults;
mod full_size;
mod grid_jobs;
mod hostile;
mod licences;
mod package;
mod page;
mod roles;
mod soak;
mod store;
mod unsynced;
mod walked_alone;
mod walks;
