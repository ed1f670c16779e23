//! Passes of a mobile unit: clouds whose points have times, the paths they were taken along, and how both are kept.

mod kept;
mod path_text;
mod timed;
mod timed_e57;

pub use kept::{KeptPath, KeptPieces, TimedCloud};
pub use path_text::{PathColumns, PathOptions, PathRead, Turns, read_path};
pub use timed::{ClockShift, clock_shift, read_timed};
