//! In the field: which file is which station.

mod propose;

pub use propose::{Proposal, propose};
