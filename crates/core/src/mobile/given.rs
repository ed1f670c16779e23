use super::{Correction, Doubled, Piece, Trajectory, Unit};
use crate::geometry::{Mat3, Pose, Vec3};
use crate::tie::Shown;
use nalgebra::Matrix6;

/// A scan that stands, which passes are tied to.
#[derive(Clone, Debug)]
pub struct Anchor<'a> {
    /// What it shows.
    pub shown: &'a Shown,
    /// Its pose, in the frame that everything comes into.
    pub pose: Pose,
    /// By left increments, m² and rad².
    pub covariance: Matrix6<f64>,
}

/// A moment at which the unit stood on a point that is known.
#[derive(Clone, Debug, PartialEq)]
pub struct Mark {
    /// Seconds, by the clock of the path.
    pub time: f64,
    /// Where the unit was then, in the frame that everything comes into, metres.
    pub at: Vec3,
    /// Of that and of setting it down there, m².
    pub covariance: Mat3,
}

/// A pass as it is handed in.
#[derive(Clone, Debug)]
pub struct PassIn<'a> {
    /// Its path.
    pub path: &'a Trajectory,
    /// Cut by [`super::pieces`].
    pub pieces: &'a [Piece],
    /// What it was walked with.
    pub unit: &'a Unit,
    /// Where the frame of the path (about its origin) roughly lies, where somebody says it: right to half a metre and some
    /// degrees.
    pub start: Option<Pose>,
    /// Points it stood on.
    pub marks: &'a [Mark],
}

/// Why a pass has no place.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum Refused {
    /// Nothing of it was measured near its path.
    #[error("no point of the cloud lies near the path at its time")]
    Empty,
    /// No place in the block agrees with what it shows, or several do.
    #[error("what it shows agrees with no place, or with several alike")]
    NoPlace,
}

/// A pass that has its place.
#[derive(Clone, Debug)]
pub struct PassOut {
    /// What takes its points there.
    pub correction: Correction,
    /// The one placement of the whole, turned about the vertical and shifted, that comes nearest.
    pub rigid: Pose,
    /// How far the path bends away from that: root mean square and most, metres.
    pub bends: [f64; 2],
    /// Surfaces that lie double before and after, over all that were seen twice.
    pub doubled: [Doubled; 2],
}

/// An anchor, or a pass and its piece.
pub type Which = Result<usize, (usize, usize)>;

/// A tie that was found.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct TieOut {
    /// The pass and its piece.
    pub of: (usize, usize),
    /// What it was tied to: an anchor, or a piece of a pass.
    pub to: Which,
    /// Robust scatter of the surfaces, metres.
    pub rms: f64,
    /// Share of the surfaces of the piece that lie on the other's.
    pub overlap: f64,
    /// Its residual in the place, metres.
    pub off: f64,
    /// Contradicts all others, and does not count.
    pub left_out: bool,
}

/// What came of passes.
#[derive(Clone, Debug)]
pub struct Registered {
    /// Each pass, in the order given.
    pub passes: Vec<Result<PassOut, Refused>>,
    /// All ties.
    pub ties: Vec<TieOut>,
    /// By how much the units lost their way more than their profile says (of σ), ties to stations scatter more, and ties
    /// of passes with themselves and one another.
    pub factors: [f64; 3],
    /// Marks that contradict the rest: pass and mark.
    pub wrong_marks: Vec<(usize, usize)>,
}
