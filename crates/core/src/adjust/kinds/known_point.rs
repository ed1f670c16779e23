use crate::adjust::observation::padded;
use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use crate::geometry::{Mat3, Vec3};
use nalgebra::Matrix6;

/// Coordinates of a target that were measured otherwise: control, a receiver's point, a benchmark.
///
/// Rows: the position in the frame of the block, metres. A coordinate that is not known has a large
/// variance: [`KnownPoint::FREE`].
#[derive(Clone, Debug)]
pub struct KnownPoint {
    /// Index of the target.
    pub target: usize,
    /// Its position, metres.
    pub position: Vec3,
    /// Its covariance, m².
    pub covariance: Mat3,
}

impl KnownPoint {
    /// σ of a coordinate that is not known (plan-only and height-only points), metres.
    pub const FREE: f64 = 1e4;
}

impl Measurement for KnownPoint {
    fn group(&self) -> Group {
        Group::Control
    }

    fn linearise(&self, net: &Network) -> Linearised {
        Linearised::new(self.position - net.targets[self.target].position)
            .by(Unknown::Target(self.target), Mat3::identity())
    }

    fn covariance(&self) -> Matrix6<f64> {
        padded(&self.covariance)
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Target(self.target)), None]
    }

    fn retarget(&mut self, to: &dyn Fn(usize) -> usize) {
        self.target = to(self.target);
    }
}
