//! Instruments, and what one measured point is worth.

mod check;
mod library;
mod policy;
mod systematic;

pub use check::{
    Advice, Conditions, Doubt, ErrorFound, InstrumentCheck, KnownDistance, SAME_TEMPERATURE, TwoFaces, check_instrument,
};
pub use library::{Setting, library};
pub use policy::{CheckPolicy, Due, check_due};
pub use systematic::Systematic;

use crate::geometry::{Mat3, Vec3};

/// What a scanner can do and how well. Lengths in metres, angles in radians, times in seconds.
#[derive(Clone, Debug, PartialEq)]
pub struct Instrument {
    /// Name of the profile.
    pub name: String,
    /// Constant part of the range noise, 1σ.
    pub range_sigma: f64,
    /// Part of the range noise growing with range, 1σ per metre.
    pub range_sigma_per_m: f64,
    /// Angular noise of each of the two axes, 1σ.
    pub angular_sigma: f64,
    /// Beam diameter at the exit.
    pub beam_exit: f64,
    /// Full divergence of the beam.
    pub beam_divergence: f64,
    /// Error left by the dual-axis compensator, 1σ per axis; `None` without one.
    pub compensator_sigma: Option<f64>,
    /// Error of plumbing the instrument or a reflector over a mark, 1σ per horizontal axis.
    pub centring_sigma: f64,
    /// Error of a measured height of instrument or reflector, 1σ.
    pub height_sigma: f64,
    /// Error of each of the two directions to a reflector that is sighted, 1σ; `None` when the
    /// instrument cannot sight.
    pub sighting_sigma: Option<f64>,
    /// Errors that many points share.
    pub systematic: Systematic,
    /// Shortest range measured.
    pub min_range: f64,
    /// Longest range measured.
    pub max_range: f64,
    /// Lowest elevation scanned, negative below the horizon: the blind cone lies under it.
    pub elevation_min: f64,
    /// Highest elevation scanned.
    pub elevation_max: f64,
    /// Angle between neighbouring points at the setting used.
    pub step: f64,
    /// Time from power-on until measurements are stable.
    pub warm_up: f64,
    /// Time of one scan at the setting used.
    pub scan_time: f64,
    /// Time of a set of photographs all round.
    pub photograph_time: f64,
    /// How long a battery runs; 0 when it is fed from outside.
    pub battery_time: f64,
    /// Bytes a point takes as the instrument stores it.
    pub bytes_per_point: f64,
}

impl Instrument {
    /// The invented mid-range profile of the demo job: 1.2 mm + 20 ppm, 4″, compensator 3″.
    pub fn mid_range() -> Self {
        let arc_second = std::f64::consts::PI / 648_000.0;
        Self {
            name: "Mid-range".into(),
            range_sigma: 0.0012,
            range_sigma_per_m: 20e-6,
            angular_sigma: 4.0 * arc_second,
            beam_exit: 0.004,
            beam_divergence: 0.0003,
            compensator_sigma: Some(3.0 * arc_second),
            centring_sigma: 0.001,
            height_sigma: 0.0015,
            sighting_sigma: None,
            systematic: Systematic::sober(0.0012, 4.0 * arc_second),
            min_range: 0.6,
            max_range: 120.0,
            elevation_min: (-52.0_f64).to_radians(),
            elevation_max: 38.0_f64.to_radians(),
            step: 0.0016,
            warm_up: 300.0,
            scan_time: 190.0,
            photograph_time: 180.0,
            battery_time: 10_800.0,
            bytes_per_point: 12.0,
        }
    }

    /// Range noise, 1σ in metres, at `range` metres on a surface met with incidence cosine
    /// `cos_incidence`: grows with range and as the surface turns away.
    pub fn range_noise(&self, range: f64, cos_incidence: f64) -> f64 {
        (self.range_sigma + self.range_sigma_per_m * range) / cos_incidence.clamp(0.1, 1.0).sqrt()
    }

    /// Standard deviation of the beam's footprint across the ray at `range`, metres: a quarter
    /// of the diameter, taken as the width that holds 95 % of a Gaussian beam.
    pub fn footprint_sigma(&self, range: f64) -> f64 {
        (self.beam_exit + self.beam_divergence * range) / 4.0
    }

    /// Covariance of one point in the scanner frame, m²: `σr²` along the ray and `(R σa)²`
    /// across it. `p` is the point in the scanner frame, metres.
    pub fn point_covariance(&self, p: &Vec3, cos_incidence: f64) -> Mat3 {
        let range = p.norm().max(1e-6);
        let along = self.range_noise(range, cos_incidence).powi(2);
        let across = (range * self.angular_sigma).powi(2);
        let ray = p / range;
        Mat3::identity() * across + (ray * ray.transpose()) * (along - across)
    }

    /// Covariance of a sighted reflector in the scanner frame, m²: the sighting, and how well the
    /// reflector is plumbed over its mark at its height. `None` when the instrument cannot sight that far.
    pub fn sighting_covariance(&self, p: &Vec3) -> Option<Mat3> {
        let range = p.norm();
        if range < self.min_range || range > self.max_range {
            return None;
        }
        let across = (range * self.sighting_sigma?).powi(2);
        let along = self.range_noise(range, 1.0).powi(2);
        let ray = p / range;
        Some(Mat3::identity() * across + (ray * ray.transpose()) * (along - across) + self.plumbing())
    }

    /// Standard deviations of a sighted reflector across the line of sight, along it and up, metres: the
    /// sighting and the plumbing of the reflector together.
    pub fn sighting_sigmas(&self, range: f64) -> Vec3 {
        let across = range * self.sighting_sigma.unwrap_or(0.0);
        Vec3::new(
            across.hypot(self.centring_sigma),
            self.range_noise(range, 1.0).hypot(self.centring_sigma),
            across.hypot(self.height_sigma),
        )
    }

    /// Covariance of the instrument's centre over a mark, or of a reflector's, m².
    pub fn plumbing(&self) -> Mat3 {
        let (c, h) = (self.centring_sigma.powi(2), self.height_sigma.powi(2));
        Mat3::from_diagonal(&Vec3::new(c, c, h))
    }

    /// Distance between neighbouring points on a surface, metres, in the worse direction:
    /// `R δ / cos θ`.
    pub fn spacing(&self, range: f64, cos_incidence: f64) -> f64 {
        range * self.step / cos_incidence.max(1e-3)
    }
}
