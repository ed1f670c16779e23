//! What the scans show of the required surfaces.
#![allow(missing_docs)] // fields carry the names of the job

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What the scans show of the required surfaces, and what would fill the holes. Plan coordinates, metres.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct ShownDto {
    /// Scans, walls or what is asked of them changed since.
    #[serde(default)]
    pub stale: bool,
    /// Area with the required spacing, and asked for, m².
    pub within: f64,
    pub total: f64,
    /// Area that the plan said its stations cover, m².
    pub planned: f64,
    pub surfaces: Vec<ShownSurfaceDto>,
    /// The largest first.
    pub holes: Vec<HoleDto>,
    /// Area of those that are too small to be listed, m².
    pub small: f64,
    /// Stations that would fill them, the one that brings most first.
    pub fillings: Vec<FillingDto>,
    /// Area of the holes that no free place on the plan sees as it is asked for, m².
    pub beyond: f64,
    /// Where scans were taken.
    pub stations: Vec<StoodDto>,
}

#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct StoodDto {
    pub name: String,
    pub position: [f64; 3],
}

/// A required surface piece by piece.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct ShownSurfaceDto {
    pub item: Uuid,
    pub name: String,
    /// `wall` or `floor`.
    pub kind: String,
    /// Required spacing, metres.
    pub required: f64,
    /// Length along the wall and heights.
    pub length: f64,
    pub base: f64,
    pub top: f64,
    /// Area asked for, with the spacing, and that the plan said is covered, m².
    pub area: f64,
    pub within: f64,
    pub planned: f64,
    /// Of each piece: x, y, z, distance along the wall, width, height, spacing of the points on it (0: none), how far
    /// beside it a surface lies instead (0: none), and 1 where the plan said it is covered.
    pub cells: Vec<[f32; 9]>,
}

/// Pieces of one surface that hang together and fall short.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct HoleDto {
    pub item: Uuid,
    pub surface: String,
    pub at: [f64; 3],
    /// From where to where along the wall, and in height, metres.
    pub along: [f64; 2],
    pub heights: [f64; 2],
    pub area: f64,
    /// Area without points, with too few, and with a surface beside it instead, m².
    pub lacks: [f64; 3],
    /// How far beside, metres, where that is the most of it.
    pub beside: Option<f64>,
    /// Share of it that the plan said is covered.
    pub planned: f64,
}

/// One more station.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct FillingDto {
    pub position: [f64; 3],
    /// What it brings, m².
    pub area: f64,
    /// Holes of which it covers at least half, by their place in the list.
    pub holes: Vec<usize>,
    /// The scan, or the proposed station, that it shares most with, and the smaller of the two overlaps.
    pub beside: Option<String>,
    pub overlap: f64,
}
