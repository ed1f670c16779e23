use super::cloud_tie::relative;
use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use crate::geometry::Pose;
use nalgebra::Matrix6;

/// How the instrument says it was carried from one station to the next.
///
/// Rows as of [`super::CloudTie`]. Lost at power-down: only stations of one power-up are related.
#[derive(Clone, Debug)]
pub struct TrackedPose {
    /// The earlier scan.
    pub from: usize,
    /// The later scan.
    pub to: usize,
    /// Pose of `to` in the scanner frame of `from`.
    pub relative: Pose,
    /// Its covariance by left increments, m² and rad².
    pub covariance: Matrix6<f64>,
}

impl Measurement for TrackedPose {
    fn group(&self) -> Group {
        Group::Tracking
    }

    fn linearise(&self, net: &Network) -> Linearised {
        relative(net, self.from, self.to, &self.relative)
    }

    fn retarget(&mut self, _: &dyn Fn(usize) -> usize) {}

    fn covariance(&self) -> Matrix6<f64> {
        self.covariance
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Scan(self.from)), Some(Unknown::Scan(self.to))]
    }
}
