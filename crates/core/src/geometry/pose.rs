use super::Vec3;
use nalgebra::{Matrix3, Rotation3, UnitQuaternion, Vector6};

/// A rigid transform from a scanner frame into a block or grid frame: `x' = R x + t`.
///
/// Small changes are *left* increments `(ρ, ω)`: `t ← t + ρ`, `R ← exp([ω]×) R`, both in the
/// axes of the outer frame. A 6 × 6 covariance of a pose is always in these, in that order,
/// m² and rad², so the first block is the covariance of the scanner's position.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pose {
    /// Rotation from the scanner frame to the outer frame.
    pub rotation: UnitQuaternion<f64>,
    /// Position of the scanner in the outer frame, metres.
    pub translation: Vec3,
}

impl Pose {
    /// The transform that changes nothing.
    pub fn identity() -> Self {
        Self { rotation: UnitQuaternion::identity(), translation: Vec3::zeros() }
    }

    /// A levelled set-up: turned by `yaw` about the vertical, radians anticlockwise from above.
    pub fn levelled(yaw: f64, translation: Vec3) -> Self {
        Self { rotation: UnitQuaternion::from_axis_angle(&Vec3::z_axis(), yaw), translation }
    }

    /// From a rotation matrix and a translation.
    pub fn from_matrix(rotation: Matrix3<f64>, translation: Vec3) -> Self {
        Self {
            rotation: UnitQuaternion::from_rotation_matrix(&Rotation3::from_matrix_unchecked(rotation)),
            translation,
        }
    }

    /// Takes a point from the scanner frame to the outer frame.
    ///
    /// ```
    /// use vistazo_core::geometry::{Pose, Vec3};
    /// let pose = Pose::levelled(std::f64::consts::FRAC_PI_2, Vec3::new(10.0, 0.0, 1.6));
    /// let p = pose.apply(&Vec3::new(2.0, 0.0, 0.0));
    /// assert!((p - Vec3::new(10.0, 2.0, 1.6)).norm() < 1e-12);
    /// ```
    pub fn apply(&self, p: &Vec3) -> Vec3 {
        self.rotation * p + self.translation
    }

    /// The transform that undoes this one.
    #[must_use]
    pub fn inverse(&self) -> Self {
        let rotation = self.rotation.inverse();
        Self { rotation, translation: -(rotation * self.translation) }
    }

    /// First `inner`, then this one.
    #[must_use]
    pub fn compose(&self, inner: &Self) -> Self {
        Self { rotation: self.rotation * inner.rotation, translation: self.apply(&inner.translation) }
    }

    /// The pose moved by a left increment `(ρ, ω)`.
    #[must_use]
    pub fn moved(&self, d: &Vector6<f64>) -> Self {
        let rho = Vec3::new(d[0], d[1], d[2]);
        let omega = Vec3::new(d[3], d[4], d[5]);
        Self { rotation: UnitQuaternion::from_scaled_axis(omega) * self.rotation, translation: self.translation + rho }
    }

    /// The left increment that leads from `self` to `other`.
    pub fn difference(&self, other: &Self) -> Vector6<f64> {
        let rho = other.translation - self.translation;
        let omega = (other.rotation * self.rotation.inverse()).scaled_axis();
        Vector6::new(rho.x, rho.y, rho.z, omega.x, omega.y, omega.z)
    }

    /// The rotation as a matrix.
    pub fn matrix(&self) -> Matrix3<f64> {
        self.rotation.to_rotation_matrix().into_inner()
    }
}
