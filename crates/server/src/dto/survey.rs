//! Points measured by other means, and what the clouds have there.
#![allow(missing_docs)] // fields carry the names of the job

use super::VerdictWord;
use crate::ApiError;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What the data is to be fit for: the 95 % error that each use allows, metres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SurveyLimitsDto {
    /// To look at and to count.
    pub information: f64,
    /// To plan with.
    pub planning: f64,
    /// To build from.
    pub design: f64,
}

impl Default for SurveyLimitsDto {
    fn default() -> Self {
        Self { information: 0.05, planning: 0.02, design: 0.006 }
    }
}

impl SurveyLimitsDto {
    pub(crate) fn uses(&self) -> [(&'static str, f64); 3] {
        [("information", self.information), ("planning", self.planning), ("design", self.design)]
    }

    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        for (name, v) in self.uses() {
            if !(1e-5..=100.0).contains(&v) {
                return Err(ApiError::field(
                    &format!("limits.{name}"),
                    format!("found {v} m, expected 0.01 mm to 100 m"),
                ));
            }
        }
        Ok(())
    }
}

/// Other limits for the uses of a survey.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SurveyChangeDto {
    pub limits: SurveyLimitsDto,
    pub version: i32,
}

/// An independent survey.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SurveyDto {
    pub id: Uuid,
    pub name: String,
    pub by: String,
    pub at: DateTime<Utc>,
    pub version: i32,
    pub limits: SurveyLimitsDto,
    /// Scans or poses changed since the clouds were set against it.
    pub stale: bool,
    pub result: Option<SurveyResultDto>,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SurveyResultDto {
    pub all: AlongDto,
    /// On walls: in plan.
    pub horizontal: AlongDto,
    /// On floors and ceilings: in height.
    pub vertical: AlongDto,
    /// Where surfaces that face along an axis say so.
    pub bias: Vec<BiasDto>,
    pub uses: Vec<UseDto>,
    pub points: Vec<SurveyedPointDto>,
}

/// Distances of the clouds before the survey, metres.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct AlongDto {
    pub count: usize,
    pub mean: f64,
    /// 95 % of the mean; none of a single point.
    pub mean95: Option<f64>,
    /// 95 % of the distances are within this.
    pub error95: f64,
    /// Upper end of a 95 % statement on that.
    pub bound: f64,
}

/// By how much the clouds lie beside the survey along an axis, metres.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct BiasDto {
    /// `E`, `N` or `H`.
    pub axis: String,
    pub shift: f64,
    pub shift95: f64,
}

/// Whether the data is fit for a use.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct UseDto {
    /// `information`, `planning` or `design`.
    pub name: String,
    /// Metres.
    pub limit: f64,
    pub verdict: VerdictWord,
    /// Points whose distance is beyond the limit: where it is not.
    pub beyond: Vec<String>,
}

/// A point of the survey, metres.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SurveyedPointDto {
    pub name: String,
    pub position: [f64; 3],
    /// `wall`, `floor`, `slope`, or `nothing` where no scan shows its surface.
    pub on: String,
    /// The scan that has its surface best, and how many have it.
    pub scan: Option<String>,
    pub scans: usize,
    pub distance: Option<f64>,
    /// 95 % that everything stated explains.
    pub expected: Option<f64>,
    /// Chance of a distance as large, over all points.
    pub p_family: Option<f64>,
    /// From the nearest control that was used.
    pub from_control: Option<f64>,
}
