use super::{Correction, Trajectory};
use crate::geometry::Vec3;

/// Where a walk was at a time.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stop {
    /// Seconds, by the clock of the path.
    pub time: f64,
    /// In the frame that the pass was brought into, metres.
    pub at: Vec3,
}

/// Places of a walk to look round from: the first that is so far from all that are `taken`, metres, and so on along it. They
/// are taken then, so that what is walked twice has them once.
///
/// ```
/// use nalgebra::Matrix6;
/// use vistazo_core::geometry::{Pose, Vec3};
/// use vistazo_core::mobile::*;
/// // twenty metres there and the same way back
/// let place = |k: i32| Vec3::new(f64::from(20 - (k - 20).abs()), 0.0, 1.4);
/// let sample = |k: i32| Sample { time: f64::from(k), place: place(k), turn: None };
/// let path = Trajectory::new((0..=40).map(sample).collect()).unwrap();
/// let straight = Correction {
///     times: vec![0.0],
///     places: vec![path.place(0.0)],
///     poses: vec![Pose { translation: place(0), ..Pose::identity() }],
///     covariances: vec![Matrix6::identity() * 1e-6],
///     cross: vec![],
///     walked: vec![0.0],
///     drift: units()[0].drift,
/// };
/// // a scan stands at its far end
/// let found = stops(&path, &straight, 5.0, &mut vec![Vec3::new(21.0, 0.0, 1.5)]);
/// assert_eq!(found.iter().map(|s| s.at.x).collect::<Vec<_>>(), [0.0, 5.0, 10.0, 15.0]);
/// ```
pub fn stops(path: &Trajectory, correction: &Correction, apart: f64, taken: &mut Vec<Vec3>) -> Vec<Stop> {
    let mut out = Vec::new();
    for s in path.samples() {
        let at = correction.apply(s.time, &s.place);
        if taken.iter().all(|t| (t - at).norm() >= apart) {
            taken.push(at);
            out.push(Stop { time: s.time, at });
        }
    }
    out
}
