use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use crate::geometry::Vec3;
use nalgebra::{Matrix2x6, Matrix6, Vector2};

/// The dual-axis compensator: the scanner's z axis stands along the plumb line of its place.
///
/// Rows: the x and y components of the tilt, radians. With the scanner's axis `u` and the plumb line
/// `n`, `du = ω × u`, so `du_x = ω_y u_z − ω_z u_y` and so on. The turn about the vertical is left out: it
/// turns the tilt without changing its size, so the sum of squares does not depend on it and its
/// gradient is nil; kept, it would let a tilt pretend to know the heading.
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
        let u = pose.rotation * Vec3::z();
        let plumb = net.plumb.up(&pose.translation);
        let mut by = Matrix2x6::zeros();
        by.fixed_view_mut::<2, 3>(0, 3).copy_from(&nalgebra::Matrix2x3::new(0.0, u.z, 0.0, -u.z, 0.0, 0.0));
        Linearised::new(Vector2::new(plumb.x - u.x, plumb.y - u.y)).by(Unknown::Scan(self.scan), by)
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
