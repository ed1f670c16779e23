//! Passes as what plans are drawn from: in stretches, each as if it was one scan.

use super::Stand;
use crate::geometry::{Error95, Pose};
use crate::mobile::Correction;
use nalgebra::Matrix6;

/// As much of a pass as one place and one error speak for.
#[derive(Clone, Debug)]
pub struct Stretch {
    /// Where it stands: its middle, with the axes of the frame, known as its worst piece is.
    pub stand: Stand,
    /// From when to when, seconds; the first begins, and the last ends, with time itself.
    pub span: [f64; 2],
    /// 95 % of its place, in plan or in height, metres.
    pub known95: f64,
}

/// Cuts a pass along its corrected path into stretches of so many pieces.
pub fn stretches(c: &Correction, pieces: usize) -> Vec<Stretch> {
    let n = c.times.len();
    let edge = |k: usize| match k {
        0 => f64::MIN,
        k if k == n => f64::MAX,
        k => f64::midpoint(c.times[k - 1], c.times[k]),
    };
    let of = |from: usize| {
        let to = (from + pieces).min(n);
        let spread = |k: usize| c.covariances[k].fixed_view::<3, 3>(0, 0).trace();
        let worst = (from..to).max_by(|a, b| spread(*a).total_cmp(&spread(*b)))?;
        let at = c.poses[usize::midpoint(from, to - 1)].translation;
        let [plan, height] = Error95::plan_and_height(&c.covariance(c.times[worst], &c.poses[worst].translation));
        let pose = Pose { translation: at, ..Pose::identity() };
        let stand = Stand { pose, covariance: c.covariances[worst] };
        Some(Stretch { stand, span: [edge(from), edge(to)], known95: plan.max(height) })
    };
    (0..n).step_by(pieces.max(1)).filter_map(of).collect()
}

/// How well the second is known in the frame of the first, where one of them or both (`walked`) are stretches. What stretches
/// have in common with one another and with the scans they were tied to is not counted off: together they are never better
/// than the one that shows most.
pub fn stretch_beside([first, second]: [&Stand; 2], walked: [bool; 2]) -> Matrix6<f64> {
    let own = |s: &Stand, walked: bool| if walked { s.covariance } else { Matrix6::zeros() };
    let turn = first.pose.rotation.inverse().to_rotation_matrix();
    let mut r = Matrix6::zeros();
    r.fixed_view_mut::<3, 3>(0, 0).copy_from(turn.matrix());
    r.fixed_view_mut::<3, 3>(3, 3).copy_from(turn.matrix());
    r * (own(first, walked[0]) + own(second, walked[1])) * r.transpose()
}
