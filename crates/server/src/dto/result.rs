#![allow(missing_docs)] // the fields are named as the surveyor names them

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
    pub detection: Uuid,
    pub scan: String,
    pub target: String,
    pub range: f64,
    /// Observed minus adjusted, block axes.
    pub residual: [f64; 3],
    pub length: f64,
    /// 95 % half-length that the observation's own noise explains.
    pub expected: f64,
    pub statistic: f64,
    pub p_value: f64,
    pub redundancy: f64,
    /// Smallest error found with 80 % power; none when not checked.
    pub detectable: Option<f64>,
    pub active: bool,
    pub suspect: bool,
}

/// A target after the adjustment.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct TargetDto {
    pub name: String,
    pub kind: String,
    pub position: [f64; 3],
    pub error: Error95Dto,
    pub scans: usize,
    /// Share of the variance (trace) by source: name and m².
    pub sources: Vec<SourceDto>,
}

/// One part of an error budget.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct SourceDto {
    pub name: String,
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
    /// `sound`, `doubtful`, `failed` or `not judged`.
    pub grade: String,
    pub reasons: Vec<String>,
}

/// Something that asks for a decision.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct FindingDto {
    /// `moved`, `outlier`, `unplaced` or `size`.
    pub kind: String,
    pub title: String,
    pub evidence: Vec<String>,
    pub meaning: String,
    /// Detections before and after, for a moved target; the suspect, for an outlier.
    pub before: Vec<Uuid>,
    pub after: Vec<Uuid>,
    pub target: Option<String>,
}

/// How a scan stands in the block.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct StandingDto {
    pub scan: Uuid,
    /// Weakest grade among its judged ties; `not judged` without one.
    pub grade: String,
    /// Largest residual of its targets against the bound of the outlier test (0.1 % risk).
    pub residual: Option<f64>,
}

/// An adjusted block.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct AdjustmentResult {
    pub refused: Option<String>,
    pub stations: Vec<StationDto>,
    pub targets: Vec<TargetDto>,
    #[serde(default)]
    pub observations: Vec<ObservationDto>,
    #[serde(default)]
    pub ties: Vec<TieDto>,
    #[serde(default)]
    pub standings: Vec<StandingDto>,
    pub findings: Vec<FindingDto>,
    pub sum: f64,
    pub dof: usize,
    pub global_p: f64,
    pub variance_factor: f64,
    pub iterations: usize,
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
    /// Block minus control: E, N, H.
    pub residual: [f64; 3],
    /// 95 % half-widths when nothing is wrong.
    pub expected: [f64; 3],
    pub p_value: f64,
    pub by_name: bool,
}

/// A block on the grid.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct GeorefResult {
    /// `levelled`, `rigid` or `similarity`.
    pub model: String,
    pub scale: f64,
    pub scale_sigma: f64,
    pub transform: PoseDto,
    pub stations: Vec<StationDto>,
    pub targets: Vec<TargetDto>,
    pub residuals: Vec<ControlResidualDto>,
    pub checks: Vec<ControlResidualDto>,
    pub unmatched: Vec<String>,
    pub sum: f64,
    pub dof: usize,
    pub global_p: f64,
    pub variance_factor: f64,
    pub warnings: Vec<String>,
}

/// The last georeferencing with its standing.
#[derive(Debug, Serialize, ToSchema)]
pub struct GeorefDto {
    pub stale: bool,
    pub result: GeorefResult,
}

/// One row of the verdict.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct VerdictDto {
    pub requirement: String,
    pub required: f64,
    pub predicted: Option<f64>,
    pub achieved: Option<f64>,
    pub bound: Option<f64>,
    pub evidence: String,
    /// `met`, `not met` or `not shown`.
    pub verdict: String,
}

/// The title block and the state of the sheets.
#[derive(Debug, Serialize, ToSchema)]
pub struct SummaryDto {
    pub requirement: String,
    pub required: Option<f64>,
    pub predicted: Option<f64>,
    pub achieved: Option<f64>,
    pub on_grid: bool,
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
