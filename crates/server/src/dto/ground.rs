//! The ground.
#![allow(missing_docs)] // fields carry the names of the job

use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// How the ground is looked for.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct GroundRequest {
    /// Side of a cell, metres.
    pub cell: f64,
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

/// The ground as it was found last.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct GroundDto {
    pub request: GroundRequest,
    /// Scans or their places changed since.
    #[serde(default)]
    pub stale: bool,
    /// Points that are ground, and all.
    pub points: [u64; 2],
    /// Cells that show it, and the area of these, m².
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

/// Places whose height is asked for: easting, northing, metres.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct HeightsRequest {
    pub places: Vec<[f64; 2]>,
}

/// A height of the ground with its 95 %, metres.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct GroundHeightDto {
    pub height: f64,
    pub error95: f64,
}

/// What lies over and under a level within an outline.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct VolumeRequest {
    /// Height on the grid, metres.
    pub level: f64,
    /// Easting and northing of its corners, metres; none: all of the ground.
    #[serde(default)]
    pub outline: Vec<[f64; 2]>,
}

/// Volumes, m³, and the area that they are of, m².
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct VolumeDto {
    pub above: f64,
    pub below: f64,
    /// 95 % of the difference of both.
    pub error95: f64,
    pub area: f64,
}
