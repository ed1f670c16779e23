//! Frames, rigid transforms and the fits between them.

mod error95;
mod fit;
mod pose;

pub use error95::Error95;
pub use fit::{Fit, FitModel, fit};
pub use pose::Pose;

/// A point or vector in space, metres.
pub type Vec3 = nalgebra::Vector3<f64>;
/// A 3 × 3 matrix; as a covariance in m².
pub type Mat3 = nalgebra::Matrix3<f64>;

/// The matrix `[v]×` with `[v]× u = v × u`.
pub fn skew(v: &Vec3) -> Mat3 {
    v.cross_matrix()
}
