//! What the field sheet shows.
#![allow(missing_docs)] // fields carry the names of the job

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What the field sheet shows.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct FieldNowDto {
    /// The one thing to do; none when all is taken.
    pub next: Option<NextDto>,
    /// Stations in the order planned.
    pub stations: Vec<FieldStationDto>,
    pub pace: PaceDto,
    pub checklist: Vec<CheckItemDto>,
    /// What is missing before the site is left, what costs most to come back for first.
    pub missing: Vec<MissingDto>,
    /// Hazards of the plan and of the notes.
    pub hazards: Vec<String>,
    /// Why a check of the instrument is due, by its policy.
    pub check_due: Option<String>,
    /// What was not spent by hand, by the job's own figures.
    pub saved: Option<String>,
    /// What photographs cost and give, with a camera built in and one put on top, at one exposure and at three.
    pub cameras: Vec<CameraCostDto>,
}

/// The way to the next station.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct NextDto {
    pub station: Uuid,
    pub name: String,
    pub because: String,
    /// When it begins by the days that were planned; none when none were.
    pub planned: Option<chrono::DateTime<chrono::Utc>>,
    /// Metres on the ground.
    pub distance: Option<f64>,
    /// Radians clockwise from plan north.
    pub bearing: Option<f64>,
    /// Targets to set up for it.
    pub set_up: Vec<String>,
    /// Targets that stand and must not be touched.
    pub keep: Vec<String>,
    /// Targets that nothing needs any more.
    pub free: Vec<String>,
}

/// Where a station is in the day.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum StationState {
    Planned,
    /// Noted in the field, and no scan is there yet.
    Noted,
    Scanned,
}

/// A planned station in the field.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct FieldStationDto {
    pub id: Uuid,
    pub name: String,
    pub position: [f64; 3],
    pub state: StationState,
    /// Entries about it that stand; two or more contradict one another.
    pub entries: Vec<Uuid>,
    /// The mark it stands over, by plan.
    pub over: Option<String>,
    /// Marks to sight, by plan.
    pub sights: Vec<String>,
    /// Targets it is to see.
    pub sees: Vec<String>,
    pub step: f64,
    pub repeats: u32,
    pub photographs: bool,
    /// Seconds of one set of photographs.
    pub photograph_seconds: f64,
    /// Seconds of its scan, with photographs.
    pub seconds: f64,
    pub bytes: f64,
    /// Time it took, seconds; none when it was not noted.
    pub took: Option<f64>,
    /// How its scan ties to the others.
    pub tie: Option<QuickTieDto>,
    /// Where its scan stands by the control that it shows.
    pub stands: Option<OwnStationDto>,
}

/// Where a scan stands by the control that it shows by itself, grid, metres.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct OwnStationDto {
    /// The axis of the scanner; none where control does not say.
    pub position: Option<[f64; 3]>,
    pub error: Option<super::Error95Dto>,
    pub by: Vec<ControlLeftDto>,
    /// Nothing speaks against it.
    pub sound: bool,
    pub said: Vec<String>,
}

/// What is left at a control point: E, N, H, metres.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct ControlLeftDto {
    pub name: String,
    pub residual: [f64; 3],
}

/// The best tie of a scan that came in.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct QuickTieDto {
    pub to: String,
    pub grade: crate::record::GradeWord,
    /// 95 % in the weakest direction, metres.
    pub weakest95: f64,
    /// Share that both show, the better way round.
    pub overlap: f64,
    /// Metres between both, as planned.
    pub distance: Option<f64>,
    /// In words: what it rests on.
    pub said: Vec<String>,
    /// What would mend it, where it does not hold.
    pub mend: Option<String>,
}

/// What photographs of one station cost and give.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct CameraCostDto {
    /// On top of the instrument, not in it.
    pub added: bool,
    pub exposures: u32,
    pub seconds: f64,
    /// Width of a pixel at 10 m, metres.
    pub pixel: f64,
    /// Radius of the floor round the tripod that gets no colour, metres.
    pub uncoloured: f64,
    /// How far its eye is from that of the laser, metres.
    pub beside: f64,
}

/// The day against the plan.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct PaceDto {
    pub taken: usize,
    pub of: usize,
    /// What the stations left take by plan, seconds.
    pub left: f64,
    /// Seconds behind the plan (negative: ahead), from the stations noted with their times; none before.
    pub behind: Option<f64>,
}

/// An item of the checklist before the first scan.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CheckItemDto {
    pub item: String,
    pub said: String,
    /// What goes wrong when it is not so.
    pub otherwise: String,
    /// Open, done, or noted as not so.
    pub done: Option<bool>,
    pub by: Option<String>,
}

/// Something missing.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct MissingDto {
    pub what: String,
    pub said: String,
}
