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
    /// It shows in the cloud, metres about the origin of the path; and when it was measured there, where that is known: a place
    /// that was come back to shows twice.
    Shown(Vec3, Option<f64>),
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
            Self::Shown(at, _) => at,
        }
    }

    /// The piece that knows most of it, and where it lies in the frame of that.
    pub fn within(&self, path: &Trajectory, pieces: &[Piece]) -> Option<(usize, Vec3)> {
        let at = self.place(path);
        if let Self::Stood(time) | Self::Shown(_, Some(time)) = *self {
            let off = |k: usize| (pieces[k].time - time).abs();
            let nearest = (0..pieces.len()).min_by(|a, b| off(*a).total_cmp(&off(*b)))?;
            return Some((nearest, at - pieces[nearest].place));
        }
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

/// Where a known point of a walk came to lie, by the path alone: metres and m².
///
/// [`Noted::within`] says which piece speaks for it. None where the pass has no piece.
///
/// ```
/// use nalgebra::Matrix6;
/// use vistazo_core::geometry::{Pose, Vec3};
/// use vistazo_core::mobile::*;
/// let sample = |t: f64| Sample { time: t, place: Vec3::new(t, 0.0, 0.0), turn: None };
/// let path = Trajectory::new((0..20).map(|k| sample(f64::from(k))).collect()).unwrap();
/// let moved = Pose { translation: Vec3::new(100.0, 5.0, 0.0), ..Pose::identity() };
/// let correction = Correction {
///     times: vec![4.0],
///     places: vec![path.place(4.0)],
///     poses: vec![Pose { translation: moved.apply(&path.place(4.0)), ..moved }],
///     covariances: vec![Matrix6::identity() * 1e-6],
///     cross: vec![],
///     walked: vec![4.0],
///     drift: units()[0].drift,
/// };
/// let (at, known) = stood(&Noted::Stood(4.0), &path, &[], &correction).unwrap();
/// assert!((at - moved.apply(&path.place(4.0))).norm() < 1e-9);
/// assert!((known.trace() - 3e-6).abs() < 1e-9);
/// ```
pub fn stood(noted: &Noted, path: &Trajectory, pieces: &[Piece], c: &Correction) -> Option<(Vec3, Mat3)> {
    let time = match noted {
        Noted::Stood(time) | Noted::Shown(_, Some(time)) => *time,
        Noted::Shown(_, None) => pieces.get(noted.within(path, pieces)?.0)?.time,
    };
    let at = c.apply(time, &noted.place(path));
    Some((at, c.covariance(time, &at)))
}

/// What is seen at a place of the finished cloud (metres, in the frame that everything came into), as a point that shows in the
/// pass: of the piece that walked nearest by. None where the pass has no piece.
pub fn picked(at: &Vec3, c: &Correction) -> Option<Noted> {
    let off = |k: usize| (c.poses[k].translation - at).norm();
    let k = (0..c.times.len()).min_by(|a, b| off(*a).total_cmp(&off(*b)))?;
    Some(Noted::Shown(c.places[k] + c.poses[k].inverse().apply(at), Some(c.times[k])))
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
    /// No scan stands and no pass was held by known points yet: two at least, three metres apart, say where it lies.
    #[error("too few known points to say where it lies")]
    FewMarks,
}

/// A pass that has its place.
#[derive(Clone, Debug)]
pub struct PassOut {
    /// What takes its points there.
    pub correction: Correction,
    /// The one placement of the whole, turned about the vertical and shifted, that comes nearest.
    pub rigid: Pose,
    /// So many times what its profile says the unit lost its way, of σ.
    pub drifted: f64,
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
    /// By how much ties to stations scatter more than they say, and ties of passes with themselves and one another, of σ.
    pub factors: [f64; 2],
    /// Marks that contradict the rest: pass and mark.
    pub wrong_marks: Vec<(usize, usize)>,
}
