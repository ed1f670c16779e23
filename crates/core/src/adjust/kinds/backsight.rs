use crate::adjust::observation::padded;
use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use crate::geometry::{Mat3, Vec3, skew};
use nalgebra::{Matrix3x6, Matrix6};

/// A reflector or target over a mark, sighted from a scan: direction, distance and height.
///
/// Rows: the reflector in the scanner frame across the line of sight horizontally, along it, and up,
/// metres. What was not measured is left out by its σ: [`Backsight::FREE`].
#[derive(Clone, Debug)]
pub struct Backsight {
    /// Index of the scan.
    pub scan: usize,
    /// Index of the mark among the targets.
    pub target: usize,
    /// Measured place of the reflector in the scanner frame, metres.
    pub reflector: Vec3,
    /// Height of the reflector over its mark, metres.
    pub height: f64,
    /// Standard deviations across, along and up, metres: the sighting and the plumbing together.
    pub sigma: Vec3,
}

impl Backsight {
    /// σ of a row that was not measured, metres.
    pub const FREE: f64 = 1e4;
}

impl Measurement for Backsight {
    fn group(&self) -> Group {
        Group::SetUp
    }

    fn linearise(&self, net: &Network) -> Linearised {
        let pose = &net.scans[self.scan].pose;
        let rt = pose.matrix().transpose();
        let mark = net.targets[self.target].position;
        let w = mark + net.plumb.up(&mark) * self.height - pose.translation;
        let along = self.reflector.normalize();
        let across = Vec3::z().cross(&along).try_normalize(1e-9).unwrap_or_else(Vec3::x);
        // rows of the line of sight in the scanner frame
        let sight = Mat3::from_rows(&[across.transpose(), along.transpose(), along.cross(&across).transpose()]);
        let mut by_scan = Matrix3x6::zeros();
        by_scan.fixed_view_mut::<3, 3>(0, 0).copy_from(&-(sight * rt));
        by_scan.fixed_view_mut::<3, 3>(0, 3).copy_from(&(sight * rt * skew(&w)));
        Linearised::new(sight * (self.reflector - rt * w))
            .by(Unknown::Scan(self.scan), by_scan)
            .by(Unknown::Target(self.target), sight * rt)
    }

    fn covariance(&self) -> Matrix6<f64> {
        padded(&Mat3::from_diagonal(&self.sigma.component_mul(&self.sigma)))
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Scan(self.scan)), Some(Unknown::Target(self.target))]
    }

    fn retarget(&mut self, to: &dyn Fn(usize) -> usize) {
        self.target = to(self.target);
    }
}
