use crate::adjust::observation::padded;
use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use crate::geometry::{Mat3, Vec3};
use nalgebra::{Matrix3x6, Matrix6};

/// A scanner plumbed over a mark, its height measured.
///
/// Rows: scanner minus mark, along the axes of the block, metres: `t − X = h n`, with the plumb
/// line `n` of the place and the instrument height `h`.
#[derive(Clone, Debug)]
pub struct OccupiedMark {
    /// Index of the scan.
    pub scan: usize,
    /// Index of the mark among the targets.
    pub target: usize,
    /// Instrument height over the mark, metres.
    pub height: f64,
    /// Standard deviation of the centring per horizontal axis, metres.
    pub centring_sigma: f64,
    /// Standard deviation of the height, metres.
    pub height_sigma: f64,
}

impl Measurement for OccupiedMark {
    fn group(&self) -> Group {
        Group::SetUp
    }

    fn linearise(&self, net: &Network) -> Linearised {
        let t = net.scans[self.scan].pose.translation;
        let mark = net.targets[self.target].position;
        let mut by_scan = Matrix3x6::zeros();
        by_scan.fixed_view_mut::<3, 3>(0, 0).copy_from(&Mat3::identity());
        Linearised::new(net.plumb.up(&t) * self.height - (t - mark))
            .by(Unknown::Scan(self.scan), by_scan)
            .by(Unknown::Target(self.target), -Mat3::identity())
    }

    fn covariance(&self) -> Matrix6<f64> {
        let (c, h) = (self.centring_sigma.powi(2), self.height_sigma.powi(2));
        padded(&Mat3::from_diagonal(&Vec3::new(c, c, h)))
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Scan(self.scan)), Some(Unknown::Target(self.target))]
    }

    fn retarget(&mut self, to: &dyn Fn(usize) -> usize) {
        self.target = to(self.target);
    }
}
