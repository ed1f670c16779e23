use super::{Mat3, Pose, Vec3};

/// How much a closed-form fit may change.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum FitModel {
    /// Turn about the vertical and shift: 4 parameters, for levelled data.
    Levelled,
    /// Turn and shift: 6 parameters.
    Rigid,
    /// Turn, shift and one scale: 7 parameters.
    Similarity,
}

impl FitModel {
    /// Number of parameters.
    pub const fn parameters(self) -> usize {
        match self {
            Self::Levelled => 4,
            Self::Rigid => 6,
            Self::Similarity => 7,
        }
    }
}

/// A closed-form fit `y ≈ scale · R x + t`.
#[derive(Clone, Copy, Debug)]
pub struct Fit {
    /// Rotation and shift.
    pub pose: Pose,
    /// Scale; 1 unless the model has one.
    pub scale: f64,
    /// Root mean square of the residual vectors' lengths, metres, unweighted.
    pub rms: f64,
}

impl Fit {
    /// Takes a source point to the destination frame.
    pub fn apply(&self, p: &Vec3) -> Vec3 {
        self.pose.rotation * (p * self.scale) + self.pose.translation
    }
}

/// Absolute orientation from corresponding points, least squares in closed form
/// (Horn 1987 for the levelled yaw; Umeyama 1991 by singular values for the others).
///
/// `source` and `destination` have the same length; two points suffice for the levelled model,
/// three not in line for the others. Returns `None` for fewer, or when they coincide.
///
/// ```
/// use vistazo_core::geometry::{FitModel, Pose, Vec3, fit};
/// let truth = Pose::levelled(0.3, Vec3::new(5.0, -2.0, 1.0));
/// let a = [Vec3::new(0.0, 0.0, 0.0), Vec3::new(8.0, 0.0, 1.0), Vec3::new(0.0, 6.0, 2.0)];
/// let b: Vec<_> = a.iter().map(|p| truth.apply(p)).collect();
/// let f = fit(FitModel::Rigid, &a, &b).unwrap();
/// assert!(f.rms < 1e-12 && truth.difference(&f.pose).norm() < 1e-9);
/// ```
pub fn fit(model: FitModel, source: &[Vec3], destination: &[Vec3]) -> Option<Fit> {
    let n = source.len();
    let least = if model == FitModel::Levelled { 2 } else { 3 };
    if n < least || destination.len() != n {
        return None;
    }
    let mean = |s: &[Vec3]| s.iter().sum::<Vec3>() / n as f64;
    let (cs, cd) = (mean(source), mean(destination));
    let mut cross = Mat3::zeros();
    let mut spread = 0.0;
    for (s, d) in source.iter().zip(destination) {
        cross += (d - cd) * (s - cs).transpose();
        spread += (s - cs).norm_squared();
    }
    if spread < 1e-12 {
        return None;
    }
    let (rotation, scale) = if model == FitModel::Levelled {
        let yaw = (cross[(1, 0)] - cross[(0, 1)]).atan2(cross[(0, 0)] + cross[(1, 1)]);
        (*nalgebra::Rotation3::from_axis_angle(&Vec3::z_axis(), yaw).matrix(), 1.0)
    } else {
        let svd = cross.svd(true, true);
        let (u, vt) = (svd.u?, svd.v_t?);
        let mut sign = Vec3::new(1.0, 1.0, 1.0);
        if u.determinant() * vt.determinant() < 0.0 {
            sign.z = -1.0;
        }
        let r = u * Mat3::from_diagonal(&sign) * vt;
        let scale =
            if model == FitModel::Similarity { svd.singular_values.component_mul(&sign).sum() / spread } else { 1.0 };
        (r, scale)
    };
    let pose = Pose::from_matrix(rotation, cd - rotation * cs * scale);
    let mut f = Fit { pose, scale, rms: 0.0 };
    let sum: f64 = source.iter().zip(destination).map(|(s, d)| (d - f.apply(s)).norm_squared()).sum();
    f.rms = (sum / n as f64).sqrt();
    Some(f)
}
