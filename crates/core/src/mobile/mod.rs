//! Passes: walks of a mobile unit, which drift, and what takes the drift out of them.
//!
//! A pass is a cloud whose points have times, and the path that the unit says it went. Both lie in a frame of the
//! unit's own, and that frame bends as the unit walks. The pass is cut into [`Piece`]s short enough to be rigid; what
//! pieces show of the same surfaces as stations, or as other pieces, ties them; how the unit says it went from one
//! to the next holds them together where nothing else does ([`Unit`]). All of it is one least-squares solution
//! ([`register`]), and the cloud follows by time ([`Correction`]).
//!
//! Nothing here asks how the unit was held: points come in the frame of the path, and corrections are told about places
//! of it. A path without angles, or with angles in another order than was said, is corrected alike.

mod correction;
mod doubled;
mod given;
mod graph;
mod grow;
mod inverse;
mod linear;
mod order;
mod pieces;
mod place;
mod ready;
mod register;
mod revisits;
mod rivals;
mod seen;
mod seen_board;
mod seen_sphere;
mod solve;
mod stops;
mod trajectory;
mod unit;

pub use correction::Correction;
pub use doubled::{Doubled, Sheet, doubled};
pub use given::{Anchor, Mark, Noted, PassIn, PassOut, Refused, Registered, TieOut, Which, picked, stood};
pub use graph::{Fact, Graph, GraphError, Said, Settled};
pub use grow::{BESIDE, STATIONS, VISIT, VISITS};
pub use order::{KnownPoint, Marked, Ordered, in_order};
pub use pieces::{LONGEST, Piece, pieces};
pub use register::register;
pub use seen::{KnownTarget, Sighting, TargetSize, targets_seen};
pub use stops::{Stop, stops};
pub use trajectory::{Sample, Trajectory, TrajectoryError};
pub use unit::{Drift, Habits, Handling, LEANS, STEADY, Unit, units};

use crate::geometry::Vec3;

/// A point of a pass: when, and where in the frame of its path, seconds and metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TimedPoint {
    /// Seconds, by the clock of the path.
    pub time: f64,
    /// Metres, about [`crate::mobile::Trajectory::origin`].
    pub at: [f32; 3],
}

impl TimedPoint {
    /// The place in doubles, metres about the origin of the path.
    pub fn place(&self) -> Vec3 {
        Vec3::from(self.at.map(f64::from))
    }
}
