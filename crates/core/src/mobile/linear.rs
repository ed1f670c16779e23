//! What is known of a graph, linearised at the poses as they are taken to be.

use super::graph::Fact;
use crate::adjust::kinds::by_poses;
use crate::geometry::{Mat3, Pose};
use nalgebra::{Matrix3x6, Matrix6, Vector6};

/// A fact linearised: misclosure and derivatives, weighted by the root of its information, so that their squares add up.
pub(super) struct Row {
    pub rows: usize,
    pub misclosure: Vector6<f64>,
    /// By unknowns: poses, then habits.
    pub parts: [Option<(usize, Matrix6<f64>)>; 3],
}

impl Row {
    /// Pairs of unknowns that it relates.
    pub(super) fn pairs(&self) -> impl Iterator<Item = (usize, usize)> {
        let of: Vec<usize> = self.parts.iter().flatten().map(|p| p.0).collect();
        (0..of.len()).flat_map(move |i| {
            let of = of.clone();
            (i + 1..of.len()).map(move |j| (of[i], of[j]))
        })
    }
}

/// The root of the inverse: `W` with `Wᵀ W = C⁻¹`.
fn root(c: &Matrix6<f64>) -> Matrix6<f64> {
    held_root(c, &Matrix6::zeros()).0
}

/// The same over what is held alone, and how many directions those are: in the range of `unheld` nothing is said, and the rows of
/// it are nil. A wide σ there would do it for one fact; of dozens it would add up to something.
fn held_root(c: &Matrix6<f64>, unheld: &Matrix6<f64>) -> (Matrix6<f64>, usize) {
    // metres and radians differ by orders of magnitude
    let scale = Vector6::from_fn(|k, _| c[(k, k)].max(1e-18).sqrt());
    let scaled = |c: &Matrix6<f64>| Matrix6::from_fn(|i, j| c[(i, j)] / (scale[i] * scale[j]));
    let mut whole = scaled(c) + Matrix6::identity() * 1e-9;
    let (mut turned, mut nil) = (Matrix6::identity(), [false; 6]);
    if unheld.trace() > 0.0 {
        let eigen = scaled(unheld).symmetric_eigen();
        turned = eigen.eigenvectors.transpose();
        nil = std::array::from_fn(|k| eigen.eigenvalues[k] > 1e-6);
        whole = turned * whole * turned.transpose();
        for k in (0..6).filter(|k| nil[*k]) {
            whole.row_mut(k).fill(0.0);
            whole.column_mut(k).fill(0.0);
            whole[(k, k)] = 1.0;
        }
    }
    let lower = whole.cholesky().map_or_else(Matrix6::identity, |l| l.l());
    let mut inverse = lower.try_inverse().unwrap_or_else(Matrix6::identity);
    for k in (0..6).filter(|k| nil[*k]) {
        inverse.row_mut(k).fill(0.0);
    }
    let held = nil.iter().filter(|n| !**n).count();
    (inverse * turned * Matrix6::from_diagonal(&scale.map(|s| 1.0 / s)), held)
}

impl Fact {
    pub(super) fn row(&self, poses: &[Pose], habits: &[Vector6<f64>]) -> Row {
        match self {
            Self::Known { of, pose, covariance } => {
                let w = root(covariance);
                Row { rows: 6, misclosure: w * poses[*of].difference(pose), parts: [Some((*of, w)), None, None] }
            }
            Self::Relative { from, to, pose, covariance, unheld, habit, .. } => {
                let (w, rows) = held_root(covariance, unheld);
                let (a, b) = (&poses[*from], &poses[*to]);
                let [by_a, by_b] = by_poses(a, b);
                let mut off = a.inverse().compose(b).difference(pose);
                let by_habit = habit.as_ref().map(|(h, by)| {
                    off -= by * habits[*h];
                    (poses.len() + h, w * by)
                });
                Row { rows, misclosure: w * off, parts: [Some((*from, w * by_a)), Some((*to, w * by_b)), by_habit] }
            }
            Self::Steady { of, before, sigma } => {
                let w = Matrix6::from_diagonal(&sigma.map(|s| 1.0 / s));
                let was = before.map_or_else(Vector6::zeros, |b| habits[b]);
                let before = before.map(|b| (poses.len() + b, -w));
                Row { rows: 6, misclosure: w * (was - habits[*of]), parts: [Some((poses.len() + of, w)), before, None] }
            }
            Self::Point { of, local, at, covariance } => {
                let mut wide = Matrix6::identity();
                wide.fixed_view_mut::<3, 3>(0, 0).copy_from(covariance);
                let w: Mat3 = root(&wide).fixed_view::<3, 3>(0, 0).into_owned();
                let arm = poses[*of].rotation * local;
                let mut by = Matrix3x6::zeros();
                by.fixed_view_mut::<3, 3>(0, 0).copy_from(&Mat3::identity());
                by.fixed_view_mut::<3, 3>(0, 3).copy_from(&-arm.cross_matrix());
                let off = w * (at - (poses[*of].translation + arm));
                let mut full = Matrix6::zeros();
                full.fixed_view_mut::<3, 6>(0, 0).copy_from(&(w * by));
                Row {
                    rows: 3,
                    misclosure: Vector6::new(off.x, off.y, off.z, 0.0, 0.0, 0.0),
                    parts: [Some((*of, full)), None, None],
                }
            }
        }
    }
}
