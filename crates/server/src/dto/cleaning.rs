//! What is taken out of the clouds.
#![allow(missing_docs)] // fields carry the names of the job

use crate::ApiError;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What is looked for.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "what", content = "options", rename_all = "snake_case")]
pub enum CleanDto {
    /// Single points, and ranges mixed at edges.
    Stray {},
    /// What other scans saw through.
    Moved {},
    /// Everything in a box that somebody drew.
    Box(CleanBoxDto),
}

/// A box in a frame of the clouds.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CleanBoxDto {
    /// `grid` or `block`.
    pub frame: String,
    /// Its middle, metres, in that frame.
    pub middle: [f64; 3],
    /// Half its extents, metres.
    pub half: [f64; 3],
    /// Turn about the vertical, radians.
    pub turn: f64,
}

impl CleanDto {
    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        let Self::Box(b) = self else { return Ok(()) };
        let expect =
            |good: bool, field: &str, what: &str| if good { Ok(()) } else { Err(ApiError::field(field, what)) };
        expect(["grid", "block"].contains(&b.frame.as_str()), "options.frame", "expected grid or block")?;
        let finite = b.middle.iter().chain([&b.turn]).all(|v| v.is_finite() && v.abs() < 1e8);
        expect(finite, "options.middle", "expected finite coordinates")?;
        let sides = b.half.iter().all(|v| (0.001..=5000.0).contains(v));
        expect(sides, "options.half", "expected half extents of 1 mm to 5000 m")
    }
}

/// All that is taken out of a job's clouds.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CleaningDto {
    pub steps: Vec<CleaningStepDto>,
    pub scans: Vec<CleanedScanDto>,
    /// Something changed since the classes were made.
    pub stale: bool,
}

/// Something that was asked for.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CleaningStepDto {
    pub id: Uuid,
    pub asked: CleanDto,
    pub active: bool,
    pub version: i32,
    pub by: String,
    pub at: DateTime<Utc>,
}

/// Points of a scan by what they are taken for.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CleanedScanDto {
    pub id: Uuid,
    pub name: String,
    pub points: i64,
    /// Single points in the air.
    pub single: u64,
    /// Ranges mixed at edges.
    pub edge: u64,
    /// What other scans saw through.
    pub moved: u64,
    /// What somebody chose.
    pub chosen: u64,
    /// It was not looked at as things are now.
    pub stale: bool,
}
