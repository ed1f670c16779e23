#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::TrapDto;
use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What planning has to know of a mobile unit.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CarriedUnitDto {
    pub name: String,
    /// Metres a second where it is tight, in rooms, in the open.
    pub pace: [f64; 3],
    /// Of the unit above the floor, metres.
    pub height: f64,
    pub max_range: f64,
    /// Longest pass, and what a battery lasts, seconds.
    pub longest: f64,
    pub battery: f64,
    /// A battery can be changed without sending the unit in.
    pub swappable: bool,
    /// Working through takes so many times as long as walking: on the unit, where it can, and at the office.
    pub device: Option<f64>,
    pub office: f64,
    /// How far apart known points may be where nothing else holds the walk, metres; none where none are close enough.
    pub apart: Option<f64>,
}

/// What holds a place of a walk.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HeldWord {
    Mark,
    Scan,
    Visit,
    Nothing,
}

/// A place of a walk, and how far off it will be.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct WalkPlaceDto {
    pub at: [f64; 2],
    /// Metres walked, and seconds since it began.
    pub metres: f64,
    pub seconds: f64,
    /// 95 % in space after correction, and when the walk is laid down whole, metres.
    pub error95: f64,
    pub rigid95: f64,
    /// What is allowed there, metres.
    pub limit: Option<f64>,
    pub held: HeldWord,
}

/// A walk of the plan, and what will come out of it.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PlannedWalkDto {
    pub item: Uuid,
    pub name: String,
    pub unit: String,
    pub metres: f64,
    pub seconds: f64,
    /// Seconds of it where it is tight, in rooms, in the open.
    pub spaces: [f64; 3],
    /// It takes longer than the unit's pass: passes it has to be cut into.
    pub passes: usize,
    /// Bytes recorded, seconds of handing them over, of working them through at the office.
    pub bytes: f64,
    pub transfer: f64,
    pub office: f64,
    /// Known marks it stands on, by name.
    pub marks: Vec<String>,
    pub places: Vec<WalkPlaceDto>,
}

/// Where a known point would help, in the order in which they do.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct WalkHelpDto {
    pub walk: String,
    pub at: [f64; 3],
    /// Largest 95 % error of a place with it and those before it, metres.
    pub then: f64,
}

/// Which ways of scanning are set beside one another.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum ScanWayWord {
    Tripod,
    Mobile,
    Both,
}

/// A way of scanning the site, as the plan has it.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ScanWayDto {
    pub way: ScanWayWord,
    /// Seconds on site, metres of carrying, seconds at the office, scans or passes to register.
    pub site: f64,
    pub carried: f64,
    pub office: f64,
    pub scans: usize,
    /// Share of what is required that is shown as asked.
    pub once: Option<f64>,
    /// Largest 95 % error in space, metres: of targets, of places of walks.
    pub error: Option<f64>,
}

/// Walks of the plan.
#[derive(Serialize, ToSchema)]
pub struct PlannedWalksDto {
    pub units: Vec<CarriedUnitDto>,
    pub walks: Vec<PlannedWalkDto>,
    /// Share of what is required that walks show as asked, and from two visits.
    pub once: Option<f64>,
    pub twice: Option<f64>,
    /// Scans or marks hold them; else errors are seen from where the first walk begins.
    pub framed: bool,
    /// Largest error allowed in space, 95 %, metres.
    pub limit: Option<f64>,
    pub findings: Vec<TrapDto>,
    pub helps: Vec<WalkHelpDto>,
    pub ways: Vec<ScanWayDto>,
    /// Why there is no prediction.
    pub refused: Option<String>,
}

/// What walks to propose.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ProposeWalksRequest {
    /// Name of the unit.
    pub unit: String,
    /// Where each walk begins and ends, plan coordinates, metres.
    pub start: [f64; 2],
    /// Height of the floor, metres.
    #[serde(default)]
    pub floor: f64,
    /// An area or floor of the plan that is swept in strips; without, rooms are walked.
    #[serde(default)]
    pub sweep: Option<Uuid>,
    /// Width of a strip, metres, and what two of them have in common, 0..0.8.
    #[serde(default)]
    pub swath: Option<f64>,
    #[serde(default)]
    pub overlap: Option<f64>,
}

/// Lines of walks that are proposed; nothing is stored.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct WalkLinesDto {
    pub lines: Vec<Vec<[f64; 2]>>,
    /// Seconds of each.
    pub seconds: Vec<f64>,
    pub said: String,
}

impl ProposeWalksRequest {
    /// Checks every field.
    ///
    /// # Errors
    /// The first field that cannot be.
    pub fn validate(&self) -> Result<(), ApiError> {
        if self.start.iter().chain([&self.floor]).any(|v| !v.is_finite() || v.abs() > 1e6) {
            return Err(ApiError::field("start", "expected finite plan coordinates within 1000 km"));
        }
        if let Some(s) = self.swath.filter(|s| !(0.5..=100.0).contains(s)) {
            return Err(ApiError::field("swath", format!("found {s} m, expected 0.5 to 100 m")));
        }
        if let Some(o) = self.overlap.filter(|o| !(0.0..=0.8).contains(o)) {
            return Err(ApiError::field("overlap", format!("found {o}, expected 0 to 0.8")));
        }
        Ok(())
    }
}
