#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::{Error95Dto, PoseDto};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Where the tiles of a scan stand, and what surrounds them.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct TilesDto {
    /// Name of this building of them; a rebuilt scan has another.
    pub build: Uuid,
    /// Name of the first tileset document.
    pub root: String,
    /// Box of all points, scanner frame, metres: middle and half extents.
    pub middle: [f64; 3],
    pub half: [f64; 3],
    /// Number of tiles, and of voxels of the working cloud.
    pub tiles: usize,
    pub voxels: usize,
    /// Direction that most of the walls lie along or across, radians from the x axis.
    #[serde(default)]
    pub walls: Option<f64>,
}

/// A scan as it is shown.
#[derive(Serialize, ToSchema)]
pub struct CloudScanDto {
    pub id: Uuid,
    pub name: String,
    /// Scanner frame to shown frame, about the origin.
    pub pose: PoseDto,
    pub points: i64,
    pub coloured: bool,
    pub tiles: Option<TilesDto>,
    pub grade: crate::record::GradeWord,
    /// Largest residual of its targets against the bound of the outlier test (0.1 % risk); 1 is the bound.
    pub residual: Option<f64>,
    /// Covariance of the pose by left increments (shift, turn), row by row, m² and rad²; empty when not known.
    pub covariance: Vec<f64>,
    /// A pass of a mobile unit: what is known of its places differs along the way.
    pub walked: bool,
}

/// All scans in one frame.
#[derive(Serialize, ToSchema)]
pub struct CloudDto {
    /// `grid`, `block`, `as delivered` (the poses that came with the files) or `scan` (one alone).
    pub frame: String,
    /// Shown positions are about this point of the frame, metres.
    pub origin: [f64; 3],
    /// The poses are out of date.
    pub stale: bool,
    /// Changes whenever what is shown changes.
    pub revision: String,
    pub scans: Vec<CloudScanDto>,
}

/// A point of a scan, in the scanner frame, metres.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct PickDto {
    pub scan: Uuid,
    pub at: [f64; 3],
}

/// Points to measure between, in order.
#[derive(Deserialize, ToSchema)]
pub struct MeasureRequest {
    pub points: Vec<PickDto>,
}

/// A measured point.
#[derive(Serialize, ToSchema)]
pub struct MeasuredDto {
    pub scan: String,
    /// Position in the frame, metres.
    pub position: [f64; 3],
    pub error: Error95Dto,
}

/// Between two successive points, metres, with 95 % half-widths.
#[derive(Serialize, ToSchema)]
pub struct SpanDto {
    pub slope: [f64; 2],
    pub horizontal: [f64; 2],
    pub vertical: [f64; 2],
}

#[derive(Serialize, ToSchema)]
pub struct MeasureDto {
    /// `grid`, `block`, `as delivered` or `scan`.
    pub frame: String,
    pub points: Vec<MeasuredDto>,
    pub spans: Vec<SpanDto>,
}
