use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use crate::geometry::{Vec3, skew};
use nalgebra::{Matrix2x6, Matrix6};

/// The dual-axis compensator: the scanner's z axis stands along the plumb line of its place.
///
/// Rows: the x and y components of the plumb line in the scanner frame, radians, where the compensator reads
/// them. With the plumb line `n`, `d(Rᵀn) = Rᵀ (n × ω)`: a turn about it changes nothing, so that no tilt
/// pretends to know the heading.
#[derive(Clone, Debug)]
pub struct Level {
    /// Index of the scan.
    pub scan: usize,
    /// Standard deviation of the compensator per axis, radians.
    pub sigma: f64,
}

impl Measurement for Level {
    fn group(&self) -> Group {
        Group::Levelling
    }

    fn linearise(&self, net: &Network) -> Linearised {
        let pose = &net.scans[self.scan].pose;
        let rt = pose.matrix().transpose();
        let plumb = net.plumb.up(&pose.translation);
        // the plumb line in the scanner frame, where the compensator reads it: the heading of the block does
        // not come into it
        let computed = (rt * plumb).xy();
        // about the vertical of the block: that of the place differs by a millionth, and would let the way
        // the earth curves pretend to know where the block is
        let by_turn = rt * skew(&Vec3::z());
        let mut by = Matrix2x6::zeros();
        by.fixed_view_mut::<2, 3>(0, 3).copy_from(&by_turn.fixed_rows::<2>(0));
        Linearised::new(-computed).by(Unknown::Scan(self.scan), by)
    }

    fn retarget(&mut self, _: &dyn Fn(usize) -> usize) {}

    fn covariance(&self) -> Matrix6<f64> {
        let v = self.sigma * self.sigma;
        Matrix6::from_diagonal(&nalgebra::Vector6::new(v, v, 0.0, 0.0, 0.0, 0.0))
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Scan(self.scan)), None]
    }

    fn angular(&self) -> bool {
        true
    }
}
