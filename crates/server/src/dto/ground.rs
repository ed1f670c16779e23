//! The ground.
#![allow(missing_docs)] // fields carry the names of the job

use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// How the ground is looked for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct GroundRequest {
    /// Side of a cell, metres.
    pub cell: f64,
    /// Points farther from their scanner are left out, metres.
    pub reach: f64,
    /// Largest thing that stands on it, metres: what is wider is ground.
    pub widest: f64,
    /// Steepest that it may be, rise over run.
    pub slope: f64,
    /// Triangles lie within this of every cell, metres.
    pub tolerance: f64,
    /// Longer triangles bridge what nobody saw and are left out, metres.
    pub longest: f64,
}

impl GroundRequest {
    /// # Errors
    /// Names the field that is out of range.
    pub fn validate(&self) -> Result<(), ApiError> {
        for (field, v, low, high) in [
            ("cell", self.cell, 0.05, 5.0),
            ("reach", self.reach, 2.0, 500.0),
            ("widest", self.widest, 0.5, 100.0),
            ("slope", self.slope, 0.02, 3.0),
            ("tolerance", self.tolerance, 0.002, 1.0),
            ("longest", self.longest, 0.2, 200.0),
        ] {
            if !(low..=high).contains(&v) {
                return Err(ApiError::field(field, format!("found {v}, expected {low} to {high}")));
            }
        }
        Ok(())
    }
}

/// The ground as it was found last, with the lines, areas and spots drawn on it.
#[derive(Clone, Debug, Default, Serialize, ToSchema)]
pub struct GroundDto {
    /// The scans stand on the grid: it can be looked for.
    pub on_grid: bool,
    /// Nothing before it was looked for.
    pub found: Option<FoundGroundDto>,
    /// Heights of the spots that lie on it.
    pub spots: Vec<SpotHeightDto>,
    /// Volumes over and under the levels of areas.
    pub volumes: Vec<VolumeDto>,
    /// Surfaces that somebody else made.
    pub surfaces: Vec<OtherSurfaceDto>,
    /// Volumes over and under those within each area.
    pub between: Vec<BetweenDto>,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct FoundGroundDto {
    pub request: GroundRequest,
    pub at: chrono::DateTime<chrono::Utc>,
    /// Scans or their places changed since.
    pub stale: bool,
    /// Points that are ground, and all within reach.
    pub points: [u64; 2],
    /// Cells that show it, and the area of these on the ground, m².
    pub cells: usize,
    pub area: f64,
    /// Lowest and highest, on the grid, metres.
    pub heights: [f64; 2],
    /// 95 % of the height of a cell: of the middle one of all, and of the worst, metres.
    pub error95: [f64; 2],
    pub corners: usize,
    pub triangles: usize,
    /// Height between contours, metres.
    pub apart: f64,
    /// Height, and easting and northing along each line, metres.
    pub contours: Vec<(f64, Vec<[f64; 2]>)>,
}

/// The height of a spot, metres, with its 95 %; none where nobody saw the ground.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct SpotHeightDto {
    pub id: Uuid,
    pub height: f64,
    pub error95: f64,
}

/// What lies over and under the level of an area, m³, and the area of it that the ground is known of, m²: lengths of the
/// ground, whatever the scale of the grid.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct VolumeDto {
    pub id: Uuid,
    /// Metres.
    pub level: f64,
    pub above: f64,
    pub below: f64,
    /// 95 % of the difference of both.
    pub error95: f64,
    pub area: f64,
    /// Of the outline itself, m².
    pub whole: f64,
}

/// A surface that somebody else made.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OtherSurfaceDto {
    pub id: Uuid,
    pub name: String,
    /// 95 % of its heights as it is said, metres.
    pub error95: f64,
    pub corners: i32,
    pub triangles: i32,
    pub by: String,
    pub at: chrono::DateTime<chrono::Utc>,
    pub version: i32,
}

/// What lies over and under another surface within an area, m³, and what of the area both are known of, m²: lengths of the ground.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct BetweenDto {
    pub area: Uuid,
    pub surface: Uuid,
    pub above: f64,
    pub below: f64,
    /// 95 % of the difference of both.
    pub error95: f64,
    pub known: f64,
    /// Of the outline itself, m².
    pub whole: f64,
}

/// A file with surfaces.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewSurfaceDto {
    pub name: String,
    /// LandXML: every surface of triangles in it, on the grid of the job.
    pub text: String,
    /// 95 % of its heights, metres.
    pub error95: f64,
}

impl NewSurfaceDto {
    /// The same with its name trimmed.
    ///
    /// # Errors
    /// Names the field that is out of range.
    pub(crate) fn checked(mut self) -> Result<Self, ApiError> {
        self.name = said(&self.name, self.error95)?;
        Ok(self)
    }
}

/// What is said of a surface that is there, as it was seen.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SurfaceChangeDto {
    pub name: String,
    pub error95: f64,
    pub version: i32,
}

impl SurfaceChangeDto {
    /// The same with its name trimmed.
    ///
    /// # Errors
    /// Names the field that is out of range.
    pub(crate) fn checked(mut self) -> Result<Self, ApiError> {
        self.name = said(&self.name, self.error95)?;
        Ok(self)
    }
}

fn said(name: &str, error95: f64) -> Result<String, ApiError> {
    let name = name.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(ApiError::field("name", "expected a name of 1 to 80 characters"));
    }
    if !(0.0..=5.0).contains(&error95) {
        return Err(ApiError::field("error95", format!("found {error95} m, expected 0 to 5 m")));
    }
    Ok(name.to_owned())
}
