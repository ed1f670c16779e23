use crate::geometry::{Mat3, Vec3};
use crate::targets::TargetKind;

/// Errors of a healthy instrument and its targets that many points share, all 1σ: they do not average out,
/// however many points a target has.
///
/// Those of the instrument and of a set-up become unknowns of the adjustment with these as their priors
/// ([`crate::adjust::SystematicUnknown`]); what belongs to one sighting ([`Self::of_sighting`]) is added to its
/// covariance. Zero leaves an error out.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Systematic {
    /// Zero offset of the ranges, metres.
    pub range_offset: f64,
    /// By how much ranges differ between black and white surfaces, metres.
    pub reflectivity: f64,
    /// Scale of the ranges, metres per metre.
    pub range_scale: f64,
    /// The line of sight is not square to the tilting axis, radians.
    pub collimation: f64,
    /// The tilting axis is not square to the standing axis, radians.
    pub trunnion: f64,
    /// Zero of the elevations, radians.
    pub index: f64,
    /// What of that is new at every set-up, radians.
    pub index_at_set_up: f64,
    /// By how much the tripod settles during a scan, metres.
    pub settling: f64,
    /// By how much it turns during a scan, radians.
    pub turning: f64,
    /// Roundness of a sphere and centring of its stem, metres, per sighting direction.
    pub roundness: f64,
    /// Flatness of a board, metres along the line of sight.
    pub flatness: f64,
}

impl Systematic {
    /// A sober assumption for an instrument in calibration whose range noise and angular noise are as given
    /// (metres, radians): what makers call its accuracy is of that size, and does not average out.
    pub fn sober(range_sigma: f64, angular_sigma: f64) -> Self {
        Self {
            range_offset: 0.8 * range_sigma,
            reflectivity: 1.2 * range_sigma,
            range_scale: 10e-6,
            collimation: 2.0 * angular_sigma,
            trunnion: 1.5 * angular_sigma,
            index: 2.0 * angular_sigma,
            index_at_set_up: angular_sigma,
            settling: 0.0003,
            turning: angular_sigma,
            roundness: 0.0001,
            flatness: 0.0002,
        }
    }

    /// What a cloud keeps of these along the rays when its scan is in place, at a point `p` of it (scanner frame,
    /// metres): zero offset, scale, and half of what black differs by from white. Covariance, m². What turns or lifts
    /// all of a scan alike is in its pose.
    pub fn of_range(&self, p: &Vec3) -> Mat3 {
        let squared = p.norm_squared().max(1e-9);
        let along = self.common_range(squared.sqrt()).powi(2) + (0.5 * self.reflectivity).powi(2);
        p * p.transpose() * (along / squared)
    }

    /// σ of what all points at a range have in common, metres.
    pub fn common_range(&self, range: f64) -> f64 {
        self.range_offset.hypot(self.range_scale * range)
    }

    /// What of these belongs to one sighting of a target at `p` (scanner frame, metres): covariance, m².
    pub fn of_sighting(&self, p: &Vec3, by: TargetKind) -> Mat3 {
        match by {
            TargetKind::Sphere => Mat3::identity() * self.roundness.powi(2),
            // how uneven its surfaces are is in the covariance of what was picked
            TargetKind::Corner | TargetKind::Point => Mat3::zeros(),
            TargetKind::Checker => p * p.transpose() * (self.flatness.powi(2) / p.norm_squared().max(1e-9)),
        }
    }
}
