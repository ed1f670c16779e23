//! Photographs that colour the clouds.
#![allow(missing_docs)] // fields carry the names of the job

use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// All photographs, and what is coloured by them.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PhotosDto {
    pub photos: Vec<PhotoDto>,
    pub scans: Vec<ColouredScanDto>,
    /// Scans that are not coloured as things stand.
    pub to_do: usize,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PhotoDto {
    pub id: Uuid,
    pub name: String,
    /// Pixels.
    pub width: i32,
    pub height: i32,
    pub picks: Vec<PickedDto>,
    /// Parts that colour nothing: left, top, right, bottom, pixels.
    pub masks: Vec<[f64; 4]>,
    /// It takes part.
    pub used: bool,
    pub version: i32,
    pub by: String,
    pub at: DateTime<Utc>,
    pub fit: Option<CameraFitDto>,
    /// Why there is none.
    pub refused: Option<String>,
}

/// The same thing in a photograph and in a scan.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PickedDto {
    /// Pixels to the right and down.
    pub pixel: [f64; 2],
    pub scan: Uuid,
    /// In the frame of the scanner, metres.
    pub at: [f64; 3],
}

/// Where a photograph was taken from.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CameraFitDto {
    /// In the frame that the scans stand in, and 95 % of it along each axis, metres.
    pub position: [f64; 3],
    pub position95: [f64; 3],
    /// Focal length, pixels.
    pub focal: f64,
    /// 1σ of a pick, and 95 % of where things are drawn at worst, pixels.
    pub sigma: f64,
    pub drawn95: f64,
    /// Of each pick, in its order; drawn less picked, pixels, and how likely one as large is by chance.
    pub residuals: Vec<[f64; 2]>,
    pub p_family: Vec<f64>,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ColouredScanDto {
    pub scan: Uuid,
    pub name: String,
    pub coloured: i64,
    /// Points that no photograph saw: they stay, uncoloured.
    pub unseen: i64,
    pub stale: bool,
}

/// What is known of a photograph.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PhotoChangeDto {
    pub version: i32,
    pub picks: Vec<PickedDto>,
    pub masks: Vec<[f64; 4]>,
    pub used: bool,
}

/// Which scans are coloured.
#[derive(Clone, Copy, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PaintDto {
    /// One to be tried first; all when left out.
    #[serde(default)]
    pub scan: Option<Uuid>,
}

/// The name of a file.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct PhotoQuery {
    pub name: String,
}
