use crate::geometry::{Mat3, Pose, Vec3, skew};
use crate::instrument::Instrument;
use crate::stats::K95_1D;
use nalgebra::{Matrix3x6, Matrix6};

/// A point of a scan on the grid, with what is known about it.
#[derive(Clone, Copy, Debug)]
pub struct Measured {
    /// Position on the grid, metres.
    pub position: Vec3,
    /// Covariance of the position, m²: pose of the scan, noise of the point and what its range keeps.
    pub covariance: Mat3,
    /// Along the ray, 1σ of what all ranges of the instrument have in common (part of the covariance), metres.
    pub common: Vec3,
}

/// What lies between two points, metres, with 95 % half-widths.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Span {
    /// Straight distance.
    pub slope: f64,
    /// Its 95 % half-width.
    pub slope95: f64,
    /// Horizontal distance.
    pub horizontal: f64,
    /// Its 95 % half-width.
    pub horizontal95: f64,
    /// Second height minus first.
    pub vertical: f64,
    /// Its 95 % half-width.
    pub vertical95: f64,
}

impl Measured {
    /// A point `p` of a scan (scanner frame, metres) by its pose on the grid. Covariance: `J Σ Jᵀ + R C Rᵀ` with
    /// `J = [I, −[w]×]`, `w = R p`, `Σ` the covariance of the pose by left increments and `C` the noise of a single
    /// point in the scanner frame, at an incidence of 45° (the cloud does not say), with what the instrument does to
    /// all ranges alike.
    pub fn of(pose: &Pose, pose_covariance: &Matrix6<f64>, p: &Vec3, instrument: &Instrument) -> Self {
        let w = pose.rotation * p;
        let mut j = Matrix3x6::zeros();
        j.fixed_view_mut::<3, 3>(0, 0).copy_from(&Mat3::identity());
        j.fixed_view_mut::<3, 3>(0, 3).copy_from(&-skew(&w));
        let r = pose.matrix();
        let own = instrument.point_covariance(p, std::f64::consts::FRAC_1_SQRT_2) + instrument.systematic.of_range(p);
        let ray = w.try_normalize(1e-9).unwrap_or_else(Vec3::zeros);
        Self {
            position: pose.apply(p),
            covariance: j * pose_covariance * j.transpose() + r * own * r.transpose(),
            common: ray * instrument.systematic.common_range(p.norm()),
        }
    }
}

/// The distances between two points. But for what the instrument does to all ranges, their errors are taken as
/// independent: what two scans have in common cancels in a distance, so the half-widths are rather too large than too
/// small. Two points
/// of one scan share its pose: give them with the noise of a single point only, then.
///
/// ```
/// use vistazo_core::cloud::{Measured, span};
/// use vistazo_core::geometry::{Mat3, Vec3};
/// let at = |x, z| Measured {
///     position: Vec3::new(x, 0.0, z),
///     covariance: Mat3::identity() * 1e-6,
///     common: Vec3::zeros(),
/// };
/// let s = span(&at(0.0, 0.0), &at(3.0, 4.0));
/// assert!((s.slope - 5.0).abs() < 1e-12 && s.horizontal == 3.0 && s.vertical == 4.0);
/// assert!((s.vertical95 - 1.96e-3 * 2.0_f64.sqrt()).abs() < 1e-6);
/// ```
pub fn span(a: &Measured, b: &Measured) -> Span {
    let d = b.position - a.position;
    let c = a.covariance + b.covariance - a.common * b.common.transpose() - b.common * a.common.transpose();
    let along = |u: Vec3| u.try_normalize(1e-12).map_or(0.0, |u| (u.transpose() * c * u)[0].max(0.0).sqrt() * K95_1D);
    let flat = Vec3::new(d.x, d.y, 0.0);
    Span {
        slope: d.norm(),
        slope95: along(d),
        horizontal: flat.norm(),
        horizontal95: along(flat),
        vertical: d.z,
        vertical95: c[(2, 2)].max(0.0).sqrt() * K95_1D,
    }
}
