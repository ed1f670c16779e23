use super::Mat3;
use crate::stats::{K95_1D, K95_2D, K95_3D};

/// The 95 % regions of one position, from its covariance.
///
/// Horizontal and 3-D figures are the longest semi-axis of the 95 % ellipse and ellipsoid:
/// no direction is worse than the figure says.
#[derive(Clone, Copy, Debug, PartialEq, Default)]
pub struct Error95 {
    /// Semi-major axis of the horizontal 95 % ellipse, metres.
    pub horizontal: f64,
    /// Semi-minor axis of the horizontal 95 % ellipse, metres.
    pub horizontal_minor: f64,
    /// Direction of the semi-major axis, radians clockwise from north (the y axis), in 0..π.
    pub bearing: f64,
    /// Half-width of the vertical 95 % interval, metres.
    pub vertical: f64,
    /// Longest semi-axis of the 95 % ellipsoid, metres.
    pub spatial: f64,
}

impl Error95 {
    /// In plan (longest semi-axis) and in height, without the rest: for the points of a cloud.
    ///
    /// ```
    /// use vistazo_core::geometry::{Error95, Mat3, Vec3};
    /// let c = Mat3::new(4e-6, 1e-6, 0.0, 1e-6, 2e-6, 0.0, 0.0, 0.0, 9e-6);
    /// let all = Error95::from_covariance(&c);
    /// assert_eq!(Error95::plan_and_height(&c), [all.horizontal, all.vertical]);
    /// ```
    pub fn plan_and_height(c: &Mat3) -> [f64; 2] {
        let mean = f64::midpoint(c[(0, 0)], c[(1, 1)]);
        let root = ((c[(0, 0)] - c[(1, 1)]) / 2.0).hypot(c[(0, 1)]);
        [(mean + root).max(0.0).sqrt() * K95_2D, c[(2, 2)].max(0.0).sqrt() * K95_1D]
    }

    /// The regions belonging to a covariance in m².
    ///
    /// ```
    /// use vistazo_core::geometry::{Error95, Mat3, Vec3};
    /// let e = Error95::from_covariance(&Mat3::from_diagonal(&Vec3::new(4e-6, 1e-6, 1e-6)));
    /// assert!((e.horizontal - 2.0e-3 * 2.4477).abs() < 1e-6);
    /// assert!((e.bearing - std::f64::consts::FRAC_PI_2).abs() < 1e-9); // east-west
    /// ```
    pub fn from_covariance(c: &Mat3) -> Self {
        let (a, b, h) = (c[(0, 0)], c[(1, 1)], c[(0, 1)]);
        let mean = f64::midpoint(a, b);
        let root = ((a - b) / 2.0).hypot(h);
        // angle of the major axis from the x axis, anticlockwise
        let angle = 0.5 * (2.0 * h).atan2(a - b);
        let largest = c.symmetric_eigenvalues().max().max(0.0);
        Self {
            horizontal: (mean + root).max(0.0).sqrt() * K95_2D,
            horizontal_minor: (mean - root).max(0.0).sqrt() * K95_2D,
            bearing: (std::f64::consts::FRAC_PI_2 - angle).rem_euclid(std::f64::consts::PI),
            vertical: c[(2, 2)].max(0.0).sqrt() * K95_1D,
            spatial: largest.sqrt() * K95_3D,
        }
    }
}
