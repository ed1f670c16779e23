//! What is taken out of the clouds.
#![allow(missing_docs)] // fields carry the names of the job

use super::CutDto;
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
    /// What is seen in mirrors.
    Mirror {},
    /// Everything in a box that somebody drew.
    Box(CleanBoxDto),
    /// What lies in an outline drawn in a slice, or outside it, within the slice's thickness.
    Outline(CleanOutlineDto),
    /// Everything behind a slice.
    Behind(CleanBehindDto),
    /// Ranges and intensities outside limits.
    Gate(CleanGateDto),
}

/// An outline in a slice.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CleanOutlineDto {
    /// `grid` or `block`.
    pub frame: String,
    pub cut: CutDto,
    /// Corners, right and up from its middle, metres.
    pub line: Vec<[f64; 2]>,
    pub outside: bool,
}

/// What lies behind a slice, from who looks at it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CleanBehindDto {
    /// `grid` or `block`.
    pub frame: String,
    pub cut: CutDto,
}

/// What stays.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CleanGateDto {
    /// Nearest and farthest range, metres.
    pub range: [f64; 2],
    /// Faintest and brightest intensity, shares of the brightest that the instrument can tell.
    pub intensity: [f64; 2],
}

/// Corners of an outline at most.
const CORNERS: usize = 2000;

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
        match self {
            Self::Stray {} | Self::Moved {} | Self::Mirror {} => Ok(()),
            Self::Box(b) => b.validate(),
            Self::Outline(o) => o.validate(),
            Self::Behind(b) => of_slice(&b.frame, &b.cut),
            Self::Gate(g) => g.validate(),
        }
    }

    /// The frame that it was drawn in.
    pub(crate) fn frame(&self) -> Option<&str> {
        match self {
            Self::Box(b) => Some(&b.frame),
            Self::Outline(o) => Some(&o.frame),
            Self::Behind(b) => Some(&b.frame),
            _ => None,
        }
    }
}

fn of_slice(frame: &str, cut: &CutDto) -> Result<(), ApiError> {
    if !["grid", "block"].contains(&frame) {
        return Err(ApiError::field("options.frame", "expected grid or block"));
    }
    cut.to_core(vistazo_core::geometry::Vec3::zeros()).map(|_| ())
}

impl CleanOutlineDto {
    fn validate(&self) -> Result<(), ApiError> {
        of_slice(&self.frame, &self.cut)?;
        let sound = self.line.iter().flatten().all(|v| v.is_finite() && v.abs() < 1e5);
        if !sound || !(3..=CORNERS).contains(&self.line.len()) {
            return Err(ApiError::field("options.line", format!("expected 3 to {CORNERS} corners")));
        }
        Ok(())
    }
}

impl CleanGateDto {
    fn validate(&self) -> Result<(), ApiError> {
        let rises = |v: &[f64; 2], most: f64| v[0] >= 0.0 && v[0] < v[1] && v[1] <= most;
        if !rises(&self.range, 1e5) {
            return Err(ApiError::field("options.range", "expected the nearest and the farthest range, 0 m to 100 km"));
        }
        if !rises(&self.intensity, 1.0) {
            return Err(ApiError::field(
                "options.intensity",
                "expected the faintest and the brightest intensity, 0 to 1",
            ));
        }
        Ok(())
    }
}

impl CleanBoxDto {
    fn validate(&self) -> Result<(), ApiError> {
        let b = self;
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
    /// What was seen in mirrors.
    pub ghost: u64,
    /// It was not looked at as things are now.
    pub stale: bool,
}
