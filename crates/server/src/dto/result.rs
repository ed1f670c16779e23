#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::CloudTieResidualDto;
use crate::record::georeference::{GridOutput, Model, Pairing, Source};
use crate::record::registration::TargetKind;
use crate::record::{GradeWord, Group, Parameter};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::geometry::{Error95, Pose, Vec3};

/// 95 % regions, metres; the bearing of the major axis is in radians clockwise from north.
#[derive(Clone, Copy, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct Error95Dto {
    pub horizontal: f64,
    pub horizontal_minor: f64,
    pub bearing: f64,
    pub vertical: f64,
    pub spatial: f64,
}

impl From<Error95> for Error95Dto {
    fn from(e: Error95) -> Self {
        Self {
            horizontal: e.horizontal,
            horizontal_minor: e.horizontal_minor,
            bearing: e.bearing,
            vertical: e.vertical,
            spatial: e.spatial,
        }
    }
}

/// A rigid transform: unit quaternion (w, x, y, z) and translation, metres.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
pub struct PoseDto {
    pub rotation: [f64; 4],
    pub translation: [f64; 3],
}

impl From<&Pose> for PoseDto {
    fn from(p: &Pose) -> Self {
        let q = p.rotation;
        Self { rotation: [q.w, q.i, q.j, q.k], translation: p.translation.into() }
    }
}

impl From<&PoseDto> for Pose {
    fn from(p: &PoseDto) -> Self {
        let [w, x, y, z] = p.rotation;
        Self {
            rotation: nalgebra::UnitQuaternion::from_quaternion(nalgebra::Quaternion::new(w, x, y, z)),
            translation: Vec3::from(p.translation),
        }
    }
}

/// A named position with its error.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct PointDto {
    pub name: String,
    pub position: [f64; 3],
    pub error: Error95Dto,
}

/// A measured target in one scan.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct DetectionData {
    /// Centre in the scanner frame.
    pub centre: [f64; 3],
    /// Covariance, m², row by row.
    pub covariance: [f64; 9],
    pub hits: usize,
    pub rms: f64,
    pub s0: f64,
    pub range: f64,
    /// Spheres: radius found and its σ.
    pub free_radius: Option<[f64; 2]>,
    /// Spheres: half-angle of the cap used, radians.
    pub cap: Option<f64>,
    /// `agrees`, `diameter_radius_mix_up` or `wrong_size`.
    pub size: String,
}

/// A detection with its standing.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DetectionDto {
    pub id: Uuid,
    pub scan: Uuid,
    pub kind: String,
    pub usable: bool,
    pub excluded: bool,
    pub part: i32,
    pub version: i32,
    /// Somebody pointed at it.
    pub by_hand: bool,
    pub data: DetectionData,
}

/// A decision about observations.
#[derive(Debug, Deserialize, ToSchema)]
pub struct DecisionDto {
    pub id: Uuid,
    pub version: i32,
    pub excluded: bool,
    /// 1 makes it another target from here on (it moved); 0 is the first place.
    #[serde(default)]
    pub part: i32,
}

/// What the adjustment says about one observation.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct ObservationDto {
    /// The detection it came from; none for what was noted on site.
    pub detection: Option<Uuid>,
    /// `sphere`, `checker`, `occupied point`, `backsight`.
    pub kind: String,
    pub scan: String,
    pub target: String,
    pub range: f64,
    /// Observed minus adjusted, block axes.
    pub residual: [f64; 3],
    pub length: f64,
    /// 95 % half-length that the observation's own noise explains.
    pub expected: f64,
    pub statistic: f64,
    pub dof: usize,
    pub p_value: f64,
    pub redundancy: f64,
    /// Minimal detectable bias: found with 80 % power at 0.1 % risk; none when not checked.
    pub detectable: Option<f64>,
    /// External reliability: what that bias does to the station it harms most, metres.
    pub reliability: Option<f64>,
    pub active: bool,
    pub suspect: bool,
}

/// What the adjustment says about the level of a scan, radians.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct LevelDto {
    pub scan: String,
    /// Tilt found against the compensator, two axes of the block.
    pub residual: [f64; 2],
    pub sigma: f64,
    pub p_value: f64,
    pub redundancy: f64,
    pub detectable: Option<f64>,
    /// Metres.
    pub reliability: Option<f64>,
    pub active: bool,
    pub suspect: bool,
}

/// How far a loop of ties misses itself, each tie taken alone.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct LoopDto {
    pub name: String,
    /// Metres, and its 95 % bound when nothing is wrong.
    pub shift: f64,
    pub shift95: f64,
    /// Radians, and its 95 % bound.
    pub turn: f64,
    pub turn95: f64,
    pub p_value: f64,
}

/// A target that was reached on two ways round and joined.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct JoinDto {
    pub target: String,
    /// Misclosure, block axes, metres.
    pub gap: [f64; 3],
    pub gap95: f64,
    pub p_value: f64,
}

/// The variance of one group of observations against what was stated.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct ComponentDto {
    pub group: Group,
    pub factor: f64,
    pub redundancy: f64,
}

/// A target after the adjustment.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct TargetDto {
    pub name: String,
    pub kind: TargetKind,
    pub position: [f64; 3],
    pub error: Error95Dto,
    pub scans: usize,
    /// Another scan, the plan or control knows it too: only then it counts for a verdict.
    pub used: bool,
    /// On the grid: with control in the adjustment minus fitted freely (E, N, H), metres.
    pub difference: Option<[f64; 3]>,
    /// Share of the variance (trace) by source: name and m².
    pub sources: Vec<SourceDto>,
}

/// One part of an error budget.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct SourceDto {
    pub name: String,
    pub group: Group,
    /// Share of the variance, 0..1.
    pub share: f64,
}

/// A station after the adjustment.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct StationDto {
    pub scan: Uuid,
    pub name: String,
    pub pose: PoseDto,
    pub error: Error95Dto,
    /// 95 % of the heading, radians.
    pub heading95: f64,
    pub targets: usize,
    /// Covariance of the pose by left increments (shift, turn), row by row, m² and rad².
    #[serde(default)]
    pub covariance: Vec<f64>,
}

/// A tie between two scans.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct TieDto {
    pub a: String,
    pub b: String,
    pub shared: Vec<String>,
    pub rms: f64,
    pub worst: f64,
    pub spread: f64,
    pub breadth: f64,
    pub grade: GradeWord,
    pub reasons: Vec<String>,
}

/// What a finding is about.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum FindingKind {
    Moved,
    Tripod,
    Outlier,
    Instrument,
    NotLevel,
    Unplaced,
    Size,
}

/// Something that asks for a decision.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct FindingDto {
    /// Stays the same while it is about the same thing.
    pub key: String,
    /// Kept as it is, by decision.
    pub kept: bool,
    pub kind: FindingKind,
    pub title: String,
    pub evidence: Vec<String>,
    pub meaning: String,
    /// Detections before and after, for a moved target or tripod; the suspect, for an outlier.
    pub before: Vec<Uuid>,
    pub after: Vec<Uuid>,
    pub target: Option<String>,
}

/// How a scan stands in the block.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct StandingDto {
    pub scan: Uuid,
    /// Weakest grade among its judged ties; not judged without one.
    pub grade: GradeWord,
    /// Largest residual of its targets against the bound of the outlier test (0.1 % risk).
    pub residual: Option<f64>,
}

/// Keeps a finding as it is.
#[derive(Debug, Deserialize, ToSchema)]
pub struct KeepFinding {
    pub key: String,
    /// Why.
    #[serde(default)]
    pub note: String,
}

/// An adjusted block.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct AdjustmentResult {
    pub refused: Option<String>,
    pub stations: Vec<StationDto>,
    /// What ties scans, or has a name.
    pub targets: Vec<TargetDto>,
    /// What one scan alone shows and nothing names: no tie, no part in a verdict.
    pub candidates: Vec<TargetDto>,
    pub observations: Vec<ObservationDto>,
    pub levels: Vec<LevelDto>,
    /// What the block says of the ties by clouds that take part.
    pub cloud_ties: Vec<CloudTieResidualDto>,
    pub ties: Vec<TieDto>,
    pub loops: Vec<LoopDto>,
    pub joins: Vec<JoinDto>,
    pub standings: Vec<StandingDto>,
    pub findings: Vec<FindingDto>,
    pub sum: f64,
    pub dof: usize,
    pub global_p: f64,
    /// What all variances were multiplied by: the stated noise and the residuals together, widened because
    /// it is itself an estimate.
    pub variance_factor: f64,
    /// Sum over degrees of freedom.
    pub variance_estimate: f64,
    /// Its 95 % interval.
    pub variance_interval: [f64; 2],
    pub iterations: usize,
    pub components: Vec<ComponentDto>,
    /// Errors that many sightings share, as they came out.
    pub systematic: Vec<SystematicDto>,
}

/// An error that many sightings share, in the unit of the parameter: metres, radians, or metres per metre.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct SystematicDto {
    pub parameter: Parameter,
    pub name: String,
    /// The scan, where it is of a set-up.
    pub scan: Option<String>,
    pub value: f64,
    /// Its 95 % half-width.
    pub half95: f64,
    /// σ that the profile gave it.
    pub stated: f64,
}

/// The last adjustment with its standing.
#[derive(Debug, Serialize, ToSchema)]
pub struct AdjustmentDto {
    pub id: Uuid,
    pub revision: i32,
    /// The inputs changed since.
    pub stale: bool,
    pub locked: bool,
    pub created_at: chrono::DateTime<chrono::Utc>,
    pub result: AdjustmentResult,
}

/// How a control or check point fits.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct ControlResidualDto {
    pub control: Uuid,
    pub name: String,
    pub target: String,
    pub pairing: Pairing,
    /// Block minus control: E, N, H; 0 where the point has no coordinate.
    pub residual: [f64; 3],
    /// 95 % half-widths when nothing is wrong.
    pub expected: [f64; 3],
    pub p_value: f64,
    /// The same over all points looked at.
    pub p_family: f64,
    /// Minimal detectable bias, metres; none when not checked.
    pub detectable: Option<f64>,
    /// Check points: distance to the nearest control, metres.
    pub from_control: Option<f64>,
    pub by_name: bool,
}

/// What the check points show together, metres.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct CheckSummaryDto {
    /// Root mean square: E, N, H.
    pub rmse: [f64; 3],
    pub horizontal: f64,
    pub spatial: f64,
    /// Its 95 % upper bound in space.
    pub bound: f64,
    /// Mean residual, and its 95 % half-width when there is no bias.
    pub bias: [f64; 3],
    pub bias95: [f64; 3],
    pub quadrants: usize,
    /// Chance of residuals like these, all together, when everything stated is true.
    pub p_value: f64,
    /// Check points that fit no target.
    pub missing: Vec<String>,
}

/// What the grid does to lengths.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct GridDto {
    /// Place the map is about: E, N, H, metres.
    pub origin: [f64; 3],
    pub point_scale: Option<f64>,
    pub height_factor: Option<f64>,
    pub combined: Option<f64>,
    /// Radians, from true north to grid north, clockwise.
    pub convergence: Option<f64>,
    pub output: GridOutput,
    /// Reference in words: plan and heights.
    pub reference: String,
    pub vertical: String,
}

/// A required surface and the worst error on it, metres.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct SurfaceErrorDto {
    pub name: String,
    /// Horizontal, vertical, in space at 95 %; none where no placed scan shows it.
    pub error: Option<[f64; 3]>,
}

/// A block on the grid.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct GeorefResult {
    pub model: Model,
    /// Control in the adjustment, or the block keeping its shape.
    pub source: Source,
    pub grid: GridDto,
    pub scale: f64,
    pub scale_sigma: f64,
    /// σ of shift E, N, H (metres), turns (radians) and scale of the free fit; 0 where held.
    pub parameter_sigma: [f64; 7],
    pub stations: Vec<StationDto>,
    pub targets: Vec<TargetDto>,
    pub residuals: Vec<ControlResidualDto>,
    pub checks: Vec<ControlResidualDto>,
    pub check_summary: CheckSummaryDto,
    pub unmatched: Vec<String>,
    pub surfaces: Vec<SurfaceErrorDto>,
    pub sum: f64,
    pub dof: usize,
    pub global_p: f64,
    pub variance_factor: f64,
    pub variance_estimate: f64,
    pub warnings: Vec<String>,
}

/// The last georeferencing with its standing.
#[derive(Debug, Serialize, ToSchema)]
pub struct GeorefDto {
    pub stale: bool,
    pub result: GeorefResult,
}

/// The title block and the state of the sheets.
#[derive(Debug, Serialize, ToSchema)]
pub struct SummaryDto {
    pub requirement: String,
    pub required: Option<f64>,
    pub predicted: Option<f64>,
    pub achieved: Option<f64>,
    pub on_grid: bool,
    /// Some scans are simulated: nothing here was measured.
    pub simulated: bool,
    /// There are passes and no scan.
    pub walked: bool,
    pub weakest: Option<String>,
    pub sources: Vec<SourceDto>,
    pub revision: Option<i32>,
    pub prepared: Option<String>,
    pub checked: Option<String>,
    /// For each sheet, what is open on it.
    pub sheets: Vec<SheetDto>,
}

/// A sheet and what is open on it.
#[derive(Debug, Serialize, ToSchema)]
pub struct SheetDto {
    pub sheet: String,
    /// `done`, `open`, `attention` or `waiting`.
    pub state: String,
    pub note: String,
}
