#![allow(missing_docs)] // the fields are named as the surveyor names them

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vistazo_core::geometry::Vec3;

/// A set-up over a mark, as it is noted in the log of a scan.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct SetUpDto {
    /// Name of the occupied point; empty for none.
    pub mark: String,
    /// Instrument height over it, metres.
    pub height: f64,
    pub sights: Vec<SightDto>,
}

impl SetUpDto {
    /// Checks every field.
    ///
    /// # Errors
    /// The first that cannot be, with what was found and what is expected.
    pub fn validate(&self) -> Result<(), crate::ApiError> {
        let within = |field: &str, v: f64, low: f64, high: f64| {
            if (low..=high).contains(&v) {
                return Ok(());
            }
            Err(crate::ApiError::field(field, format!("found {v}, expected {low} to {high}")))
        };
        if self.mark.trim().is_empty() {
            return Ok(());
        }
        within("set_up.height", self.height, 0.0, 20.0)?;
        for s in &self.sights {
            if s.mark.trim().is_empty() || s.mark.trim().eq_ignore_ascii_case(self.mark.trim()) {
                return Err(crate::ApiError::field("set_up.sights", "expected the name of another mark"));
            }
            within("set_up.sights.height", s.height, 0.0, 20.0)?;
            within("set_up.sights.direction", s.direction, -7.0, 7.0)?;
            within("set_up.sights.elevation", s.elevation, -1.56, 1.56)?;
            within("set_up.sights.distance", s.distance.unwrap_or(1.0), 0.1, 2000.0)?;
        }
        Ok(())
    }
}

/// A backsight.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct SightDto {
    /// Name of the mark.
    pub mark: String,
    /// Height of the reflector over it, metres.
    pub height: f64,
    /// Horizontal direction in the scanner frame, anticlockwise from its x axis, radians.
    pub direction: f64,
    /// Elevation above the horizon, radians.
    pub elevation: f64,
    /// Slope distance, metres; none when only the direction was read.
    pub distance: Option<f64>,
}

impl SightDto {
    /// As the core takes it.
    pub fn to_core(&self, instrument: &vistazo_core::instrument::Instrument) -> vistazo_core::registration::Sight {
        use vistazo_core::adjust::kinds::Backsight;
        // without a distance the reflector is put on the line of sight and left free along it and in height
        let distance = self.distance.unwrap_or(50.0);
        let ((se, ce), (sd, cd)) = (self.elevation.sin_cos(), self.direction.sin_cos());
        let mut sigma = instrument.sighting_sigmas(distance);
        if instrument.sighting_sigma.is_none() {
            // read by hand: a minute of arc
            sigma.x = sigma.x.hypot(distance * 2.9e-4);
            sigma.z = sigma.z.hypot(distance * 2.9e-4);
        }
        if self.distance.is_none() {
            (sigma.y, sigma.z) = (Backsight::FREE, Backsight::FREE);
        }
        vistazo_core::registration::Sight {
            mark: self.mark.clone(),
            reflector: Vec3::new(ce * cd, ce * sd, se) * distance,
            height: self.height,
            sigma,
        }
    }
}
