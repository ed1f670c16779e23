#![allow(missing_docs)] // the fields are named as the surveyor names them

use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::instrument::{Instrument, Systematic};

/// Errors that many points share, all 1σ: what does not average out.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct SystematicErrorsDto {
    /// Zero offset of the ranges, metres.
    pub range_offset: f64,
    /// By how much ranges differ between black and white surfaces, metres.
    pub reflectivity: f64,
    /// Scale of the ranges, metres per metre.
    pub range_scale: f64,
    /// Line of sight against tilting axis, radians.
    pub collimation: f64,
    /// Tilting axis against standing axis, radians.
    pub trunnion: f64,
    /// Zero of the elevations, radians.
    pub index: f64,
    /// What of that is new at every set-up, radians.
    pub index_at_set_up: f64,
    /// How far the tripod settles during a scan, metres.
    pub settling: f64,
    /// How far it turns during a scan, radians.
    pub turning: f64,
    /// Roundness and centring of a sphere, metres.
    pub roundness: f64,
    /// Flatness of a board, metres.
    pub flatness: f64,
}

impl Default for SystematicErrorsDto {
    /// Of a mid-range instrument: what profiles had before these were asked for.
    fn default() -> Self {
        Self::from(&Instrument::mid_range().systematic)
    }
}

impl From<&Systematic> for SystematicErrorsDto {
    fn from(s: &Systematic) -> Self {
        Self {
            range_offset: s.range_offset,
            reflectivity: s.reflectivity,
            range_scale: s.range_scale,
            collimation: s.collimation,
            trunnion: s.trunnion,
            index: s.index,
            index_at_set_up: s.index_at_set_up,
            settling: s.settling,
            turning: s.turning,
            roundness: s.roundness,
            flatness: s.flatness,
        }
    }
}

impl From<&SystematicErrorsDto> for Systematic {
    fn from(s: &SystematicErrorsDto) -> Self {
        Self {
            range_offset: s.range_offset,
            reflectivity: s.reflectivity,
            range_scale: s.range_scale,
            collimation: s.collimation,
            trunnion: s.trunnion,
            index: s.index,
            index_at_set_up: s.index_at_set_up,
            settling: s.settling,
            turning: s.turning,
            roundness: s.roundness,
            flatness: s.flatness,
        }
    }
}

impl SystematicErrorsDto {
    /// Checks every field.
    fn validate(&self, prefix: &str) -> Result<(), ApiError> {
        let lengths = [
            ("range_offset", self.range_offset),
            ("reflectivity", self.reflectivity),
            ("settling", self.settling),
            ("roundness", self.roundness),
            ("flatness", self.flatness),
        ];
        let turns = [
            ("range_scale", self.range_scale),
            ("collimation", self.collimation),
            ("trunnion", self.trunnion),
            ("index", self.index),
            ("index_at_set_up", self.index_at_set_up),
            ("turning", self.turning),
        ];
        let wrong = |most: f64| move |p: &&(&str, f64)| !(0.0..=most).contains(&p.1);
        if let Some((name, v)) = lengths.iter().find(wrong(0.1)) {
            return Err(ApiError::field(&format!("{prefix}{name}"), format!("found {v} m, expected 0 to 0.1 m")));
        }
        if let Some((name, v)) = turns.iter().find(wrong(0.01)) {
            return Err(ApiError::field(&format!("{prefix}{name}"), format!("found {v}, expected 0 to 0.01")));
        }
        Ok(())
    }
}

/// The scanner's profile.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct InstrumentDto {
    pub name: String,
    pub range_sigma: f64,
    pub range_sigma_per_m: f64,
    pub angular_sigma: f64,
    pub beam_exit: f64,
    pub beam_divergence: f64,
    pub compensator_sigma: Option<f64>,
    /// Plumbing over a mark, 1σ per horizontal axis.
    #[serde(default = "centring")]
    pub centring_sigma: f64,
    /// Measured heights of instrument and reflector, 1σ.
    #[serde(default = "height")]
    pub height_sigma: f64,
    /// Directions to a sighted reflector, 1σ, radians; none when it cannot sight.
    #[serde(default)]
    pub sighting_sigma: Option<f64>,
    /// Errors that many points share.
    #[serde(default)]
    pub systematic: SystematicErrorsDto,
    pub min_range: f64,
    pub max_range: f64,
    pub elevation_min: f64,
    pub elevation_max: f64,
    pub step: f64,
    pub warm_up: f64,
    pub scan_time: f64,
    #[serde(default = "photograph_time")]
    pub photograph_time: f64,
    /// How long a battery runs, seconds; 0 when fed from outside.
    #[serde(default = "battery_time")]
    pub battery_time: f64,
    #[serde(default = "bytes_per_point")]
    pub bytes_per_point: f64,
}

fn photograph_time() -> f64 {
    Instrument::mid_range().photograph_time
}

fn battery_time() -> f64 {
    Instrument::mid_range().battery_time
}

fn bytes_per_point() -> f64 {
    Instrument::mid_range().bytes_per_point
}

// profiles stored before set-ups over marks were planned
fn centring() -> f64 {
    Instrument::mid_range().centring_sigma
}

fn height() -> f64 {
    Instrument::mid_range().height_sigma
}

impl From<&InstrumentDto> for Instrument {
    fn from(d: &InstrumentDto) -> Self {
        Self {
            systematic: (&d.systematic).into(),
            name: d.name.clone(),
            range_sigma: d.range_sigma,
            range_sigma_per_m: d.range_sigma_per_m,
            angular_sigma: d.angular_sigma,
            beam_exit: d.beam_exit,
            beam_divergence: d.beam_divergence,
            compensator_sigma: d.compensator_sigma,
            centring_sigma: d.centring_sigma,
            height_sigma: d.height_sigma,
            sighting_sigma: d.sighting_sigma,
            min_range: d.min_range,
            max_range: d.max_range,
            elevation_min: d.elevation_min,
            elevation_max: d.elevation_max,
            step: d.step,
            warm_up: d.warm_up,
            scan_time: d.scan_time,
            photograph_time: d.photograph_time,
            battery_time: d.battery_time,
            bytes_per_point: d.bytes_per_point,
        }
    }
}

impl From<&Instrument> for InstrumentDto {
    fn from(d: &Instrument) -> Self {
        Self {
            systematic: (&d.systematic).into(),
            name: d.name.clone(),
            range_sigma: d.range_sigma,
            range_sigma_per_m: d.range_sigma_per_m,
            angular_sigma: d.angular_sigma,
            beam_exit: d.beam_exit,
            beam_divergence: d.beam_divergence,
            compensator_sigma: d.compensator_sigma,
            centring_sigma: d.centring_sigma,
            height_sigma: d.height_sigma,
            sighting_sigma: d.sighting_sigma,
            min_range: d.min_range,
            max_range: d.max_range,
            elevation_min: d.elevation_min,
            elevation_max: d.elevation_max,
            step: d.step,
            warm_up: d.warm_up,
            scan_time: d.scan_time,
            photograph_time: d.photograph_time,
            battery_time: d.battery_time,
            bytes_per_point: d.bytes_per_point,
        }
    }
}

/// What an instrument takes for one thing at most, seconds.
const LONGEST: f64 = 86_400.0;

impl InstrumentDto {
    /// Angles between points that can be scanned with, radians: a smaller one asks for more than sixty million points.
    pub(crate) const STEPS: std::ops::RangeInclusive<f64> = 2e-4..=0.1;

    /// Checks every field; `prefix` goes before the names of fields in errors.
    ///
    /// # Errors
    /// The first field that cannot be, with what was found and what is expected.
    pub fn validate(&self, prefix: &str) -> Result<(), ApiError> {
        if self.name.trim().is_empty() || self.name.len() > 80 {
            return Err(ApiError::field(&format!("{prefix}name"), "expected a name of 1 to 80 characters"));
        }
        // beyond these it is a slip of the unit
        let positive = [
            ("range_sigma", self.range_sigma, 1.0, "m"),
            ("angular_sigma", self.angular_sigma, 0.1, "rad"),
            ("step", self.step, *Self::STEPS.end(), "rad"),
            ("max_range", self.max_range, 1e4, "m"),
            ("centring_sigma", self.centring_sigma, 1.0, "m"),
            ("height_sigma", self.height_sigma, 1.0, "m"),
            ("sighting_sigma", self.sighting_sigma.unwrap_or(1.0), 1.0, "m"),
        ];
        if let Some((name, v, most, unit)) = positive.iter().find(|p| p.1 <= 0.0 || !(..=p.2).contains(&p.1)) {
            return Err(ApiError::field(
                &format!("{prefix}{name}"),
                format!("found {v} {unit}, expected more than 0 and at most {most} {unit}"),
            ));
        }
        let some = [
            ("range_sigma_per_m", self.range_sigma_per_m, 0.1, "m/m"),
            ("beam_exit", self.beam_exit, 1.0, "m"),
            ("beam_divergence", self.beam_divergence, 0.1, "rad"),
            ("compensator_sigma", self.compensator_sigma.unwrap_or(0.0), 0.1, "rad"),
            ("min_range", self.min_range, 1e3, "m"),
            ("warm_up", self.warm_up, LONGEST, "s"),
            ("scan_time", self.scan_time, LONGEST, "s"),
            ("photograph_time", self.photograph_time, LONGEST, "s"),
            ("battery_time", self.battery_time, 30.0 * LONGEST, "s"),
            ("bytes_per_point", self.bytes_per_point, 1e4, "bytes"),
        ];
        if let Some((name, v, most, unit)) = some.iter().find(|p| !(0.0..=p.2).contains(&p.1)) {
            let limit = if *v < 0.0 { "at least 0".to_owned() } else { format!("at most {most}") };
            return Err(ApiError::field(
                &format!("{prefix}{name}"),
                format!("found {v} {unit}, expected {limit} {unit}"),
            ));
        }
        self.systematic.validate(&format!("{prefix}systematic."))?;
        if self.min_range >= self.max_range {
            return Err(ApiError::field(
                &format!("{prefix}max_range"),
                format!("found {} m, expected more than the shortest range of {} m", self.max_range, self.min_range),
            ));
        }
        let quarter = std::f64::consts::FRAC_PI_2 + 1e-9;
        if self.step < *Self::STEPS.start()
            || [self.elevation_min, self.elevation_max].iter().any(|e| !(-quarter..=quarter).contains(e))
            || self.elevation_max <= self.elevation_min
            || self.elevation_max - self.elevation_min > std::f64::consts::PI
        {
            return Err(ApiError::field(
                &format!("{prefix}step"),
                "expected a step of at least 0.2 mrad and a field of view between 0 and 180°",
            ));
        }
        Ok(())
    }
}

/// A profile to choose from.
#[derive(Serialize, ToSchema)]
pub struct InstrumentEntry {
    /// None for those that come along, which cannot be changed.
    pub id: Option<Uuid>,
    pub version: i32,
    pub instrument: InstrumentDto,
}

/// A profile to keep.
#[derive(Deserialize, ToSchema)]
pub struct KeepInstrument {
    /// The one to change and the version it was read at; none keeps a new one.
    pub id: Option<Uuid>,
    pub version: Option<i32>,
    pub instrument: InstrumentDto,
}
