use crate::adjust::{Group, Linearised, Measurement, Network, SystematicUnknown, Unknown};
use crate::geometry::{Pose, skew};
use nalgebra::{Matrix6, Vector6};

/// A measured relation between two scans, from what both show of the same surfaces.
///
/// Rows: shift (m) and turn (rad) in the scanner frame of `from`. With `w = t_b − t_a` the relative
/// pose changes by `Rₐᵀ (ρ_b − ρ_a + [w]× ω_a)` and `Rₐᵀ (ω_b − ω_a)`.
#[derive(Clone, Debug)]
pub struct CloudTie {
    /// Index of the scan in whose frame the other is measured.
    pub from: usize,
    /// Index of the other.
    pub to: usize,
    /// Pose of `to` in the scanner frame of `from`.
    pub relative: Pose,
    /// Its covariance by left increments, m² and rad².
    pub covariance: Matrix6<f64>,
    /// Errors that it shares with others: their unknowns, and what one unit of each does to it.
    pub shared: Vec<(usize, Matrix6<f64>)>,
}

impl CloudTie {
    /// The relation without what is known of the errors it shares.
    pub fn corrected(&self, systematic: &[SystematicUnknown]) -> Pose {
        let wrong: Vector6<f64> = self.shared.iter().map(|(k, by)| by * systematic[*k].values).sum();
        self.relative.moved(&-wrong)
    }
}

impl Measurement for CloudTie {
    fn group(&self) -> Group {
        Group::Clouds
    }

    fn linearise(&self, net: &Network) -> Linearised {
        let own = relative(net, self.from, self.to, &self.corrected(&net.systematic));
        self.shared.iter().fold(own, |l, (k, by)| l.by(Unknown::Systematic(*k), *by))
    }

    fn retarget(&mut self, _: &dyn Fn(usize) -> usize) {}

    fn covariance(&self) -> Matrix6<f64> {
        self.covariance
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Scan(self.from)), Some(Unknown::Scan(self.to))]
    }
}

/// What left increments of either pose do to that of the second in the frame of the first.
pub(crate) fn by_poses(a: &Pose, b: &Pose) -> [Matrix6<f64>; 2] {
    let rt = a.matrix().transpose();
    let w = b.translation - a.translation;
    let mut by_b = Matrix6::zeros();
    by_b.fixed_view_mut::<3, 3>(0, 0).copy_from(&rt);
    by_b.fixed_view_mut::<3, 3>(3, 3).copy_from(&rt);
    let mut by_a = -by_b;
    by_a.fixed_view_mut::<3, 3>(0, 3).copy_from(&(rt * skew(&w)));
    [by_a, by_b]
}

/// The linearised relation between two poses, shared with [`super::TrackedPose`] and [`super::Held`].
pub(super) fn relative(net: &Network, from: usize, to: usize, measured: &Pose) -> Linearised {
    let (a, b) = (&net.scans[from].pose, &net.scans[to].pose);
    let [by_a, by_b] = by_poses(a, b);
    Linearised::new(a.inverse().compose(b).difference(measured))
        .by(Unknown::Scan(from), by_a)
        .by(Unknown::Scan(to), by_b)
}
