//! A check of an instrument in the field, and what came of it.
#![allow(missing_docs)] // fields carry the names of the job

use crate::ApiError;
use crate::record::Parameter;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::instrument::{Conditions, InstrumentCheck, KnownDistance, TwoFaces};

/// A target in two faces: direction (anticlockwise) and elevation of each, radians.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TwoFacesDto {
    pub first: [f64; 2],
    pub second: [f64; 2],
}

/// A known distance, metres.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KnownDistanceDto {
    pub known: f64,
    pub sigma: f64,
    pub measured: f64,
}

/// What was read, and under what conditions.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct InstrumentCheckDto {
    pub id: Uuid,
    /// Name or number of the instrument: its checks are one history over all jobs.
    pub instrument: String,
    pub faces: Vec<TwoFacesDto>,
    pub distances: Vec<KnownDistanceDto>,
    /// How long it had been on, seconds.
    pub on_for: f64,
    /// Temperature, °C.
    pub temperature: f64,
    /// That of the job, °C.
    #[serde(default)]
    pub job_temperature: Option<f64>,
    /// What was decided, and why.
    #[serde(default)]
    pub decision: String,
    /// Read by a simulated instrument.
    #[serde(default)]
    pub simulated: bool,
}

/// What to do with an error that was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum AdviceWord {
    Leave,
    Apply,
    Repeat,
    SendIn,
}

/// One error of the instrument, in the unit of its parameter: metres, metres per metre, radians.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ErrorFoundDto {
    pub parameter: Parameter,
    pub value: f64,
    pub sigma: f64,
    /// σ of a healthy instrument of the profile.
    pub usual: f64,
    pub significant: bool,
    pub advice: AdviceWord,
    /// In words: value with its 95 %, and what keeps the check from deciding.
    pub said: Vec<String>,
}

/// An earlier check of the same instrument.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct EarlierCheckDto {
    pub job: String,
    pub at: chrono::DateTime<chrono::Utc>,
    pub by: String,
    pub decision: String,
    pub temperature: f64,
    pub found: Vec<ErrorFoundDto>,
}

/// Take what a check found into the profile of the instrument.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TakeCheckDto {
    pub entry: Uuid,
    /// The errors were corrected in the instrument: their σ remain. Otherwise the profile has to cover them.
    pub corrected: bool,
}

impl InstrumentCheckDto {
    pub(super) fn validate(&self) -> Result<(), ApiError> {
        let expect =
            |good: bool, field: &str, what: String| if good { Ok(()) } else { Err(ApiError::field(field, what)) };
        let name = self.instrument.trim();
        expect(!name.is_empty(), "instrument", "expected the name or number of the instrument".into())?;
        let n = self.faces.len() + self.distances.len();
        expect((1..=200).contains(&n), "faces", format!("found {n} readings, expected 1 to 200"))?;
        let angles = |f: &TwoFacesDto| [f.first, f.second].iter().all(|a| a[0].abs() < 13.0 && a[1].abs() < 1.5);
        if let Some(k) = self.faces.iter().position(|f| !angles(f)) {
            expect(false, &format!("faces.{k}"), "expected directions in radians, and elevations within 86°".into())?;
        }
        let distance = |d: &KnownDistanceDto| {
            (0.1..=2000.0).contains(&d.known) && (0.1..=2000.0).contains(&d.measured) && (1e-5..=0.1).contains(&d.sigma)
        };
        if let Some(k) = self.distances.iter().position(|d| !distance(d)) {
            expect(false, &format!("distances.{k}"), "expected 0.1 m to 2 km, known to 0.01 mm to 0.1 m".into())?;
        }
        expect((0.0..=1e6).contains(&self.on_for), "on_for", format!("found {} s, expected 0 or more", self.on_for))?;
        let degrees = |t: f64| (-60.0..=70.0).contains(&t);
        expect(degrees(self.temperature), "temperature", format!("found {} °C, expected −60 to 70", self.temperature))?;
        let job = self.job_temperature.unwrap_or(0.0);
        expect(degrees(job), "job_temperature", format!("found {job} °C, expected −60 to 70"))
    }

    pub(crate) fn to_core(&self) -> InstrumentCheck {
        let faces = self.faces.iter().map(|f| TwoFaces { first: f.first, second: f.second });
        let distance = |d: &KnownDistanceDto| KnownDistance { known: d.known, sigma: d.sigma, measured: d.measured };
        InstrumentCheck {
            faces: faces.collect(),
            distances: self.distances.iter().map(distance).collect(),
            conditions: Conditions {
                on_for: self.on_for,
                temperature: self.temperature,
                job_temperature: self.job_temperature,
            },
        }
    }
}
