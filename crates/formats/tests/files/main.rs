//! Files as others write them, and files of ours as others read them.
#![allow(clippy::expect_used, clippy::panic, clippy::unwrap_used, missing_docs)]

mod clouds;
mod far;
mod grid;
mod hurt;
mod kinds;
mod odd_e57;
mod passes;
mod round_trips;
