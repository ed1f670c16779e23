//! Walks with a mobile unit, before they are walked: how long they take, what they will show, how far they may be off, where a
//! known point helps most; and walks that are proposed.
//!
//! A walk drifts between what holds it. What holds it is known before: the scans that show the same surfaces, the places it
//! comes back to, the marks it stands on. [`predict`] puts these into the same graph that [`crate::mobile`] corrects walks
//! with, and reads off what will be left of the drift; [`seen`] says what is looked at from where, how densely, how
//! often; [`propose`] finds walks that show what is wanted and come back to where they began.

mod course;
mod helps;
mod predict;
mod propose;
mod seen;
mod split;
mod strips;
mod ties;

pub use course::{Course, Space, Spot, course};
pub use helps::{Help, apart, half_way, helps};
pub use predict::{Held, Node, Predicted, predict};
pub use propose::{Proposed, WalkError, WalkWish, propose};
pub use seen::{OFTEN, Seen, Slow, seen};
pub use split::{OVERLAP, split};
pub use strips::strips;
