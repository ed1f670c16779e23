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

/// How a known point was noted on a walk.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum Noted {
    /// The unit stood there, seconds by the clock of the path.
    Stood(f64),
    /// It shows in the cloud, metres about the origin of the path.
    Shown(Vec3),
}

/// A point of a walk that is known.
#[derive(Clone, Debug, PartialEq)]
pub struct Mark {
    /// How it was noted.
    pub noted: Noted,
    /// Where the unit was then, or where what is shown is, in the frame that everything comes into, metres.
    pub at: Vec3,
    /// Of that and of noting it, m².
    pub covariance: Mat3,
}

/// A point shows in pieces that have surfaces so near to it, metres.
const SHOWS: f64 = 0.15;

impl Noted {
    /// Where it is in the frame of the path, metres about its origin.
    pub fn place(&self, path: &Trajectory) -> Vec3 {
        match *self {
            Self::Stood(time) => path.place(time),
            Self::Shown(at) => at,
        }
    }

    /// The piece that knows most of it, and where it lies in the frame of that.
    pub fn within(&self, path: &Trajectory, pieces: &[Piece]) -> Option<(usize, Vec3)> {
        let at = match *self {
            Self::Stood(time) => {
                let off = |k: usize| (pieces[k].time - time).abs();
                let nearest = (0..pieces.len()).min_by(|a, b| off(*a).total_cmp(&off(*b)))?;
                return Some((nearest, path.place(time) - pieces[nearest].place));
            }
            Self::Shown(at) => at,
        };
        let shows = |p: &Piece| {
            let own = (at - p.place).map(|v| v as f32);
            let off = |q: &[f32; 3]| (0..3).map(|k| (q[k] - own[k]).powi(2)).sum::<f32>().sqrt();
            p.cloud.points.iter().filter(|q| f64::from(off(q)) < SHOWS).count()
        };
        let most = pieces.iter().map(shows).enumerate().max_by_key(|(k, n)| (*n, std::cmp::Reverse(*k)))?;
        // what no surface lies at was picked beside it: the piece that was nearest by
        let off = |k: usize| (pieces[k].place - at).norm();
        let nearest = (0..pieces.len()).min_by(|a, b| off(*a).total_cmp(&off(*b)))?;
        let k = if most.1 > 0 { most.0 } else { nearest };
        Some((k, at - pieces[k].place))
    }
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
