#![allow(missing_docs)] // the fields are named as the surveyor names them

use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::mobile::Unit;
use vistazo_store::passes::SaidOfPass;

/// Which file of a pass an upload is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PassPart {
    Cloud,
    Path,
}

/// A control point of a pass: the unit stood on it, or it shows in the cloud.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct PassMarkDto {
    /// Seconds, by the clock of the path; where it shows in the cloud, when it was measured there, or 0 where that is not known.
    #[serde(default)]
    pub time: f64,
    /// Where it shows in the cloud of the pass, as the file has it, metres.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub place: Option<[f64; 3]>,
    /// Name of the control point.
    pub point: String,
    /// The unit stood, or what shows lies, so high over it, metres.
    pub height: f64,
}

/// The same before it is said which control point it is.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct NotedMarkDto {
    #[serde(default)]
    pub time: f64,
    #[serde(default)]
    pub place: Option<[f64; 3]>,
    /// In the cloud of the pass as it is looked at, metres about the origin of that; instead of time and place.
    #[serde(default)]
    pub picked: Option<[f64; 3]>,
    /// Name of the control point; none takes the next one of the list.
    #[serde(default)]
    pub point: Option<String>,
    #[serde(default)]
    pub height: f64,
}

/// Marks in the order in which they were come by.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct MarkOrderRequest {
    pub marks: Vec<NotedMarkDto>,
}

/// Which control points they are.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct MarkOrderDto {
    /// As they were named, or in the order of the list, they agree with the walk.
    pub agrees: bool,
    /// With the names that agree; without names where none do.
    pub marks: Vec<PassMarkDto>,
    pub says: Vec<String>,
}

fn drawn() -> bool {
    true
}

/// What is said of a pass.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct PassRequest {
    pub name: String,
    /// Name of a profile.
    pub unit: String,
    #[serde(default)]
    pub marks: Vec<PassMarkDto>,
    /// Laid down as one piece, its path uncorrected: its bend then is part of its error.
    #[serde(default)]
    pub whole: bool,
    /// Plans, ground and solids are drawn from it too.
    #[serde(default = "drawn")]
    pub drawn: bool,
}

/// The same of one that is there, as it was seen.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct PassChange {
    pub version: i32,
    #[serde(flatten)]
    pub to: PassRequest,
}

/// Marks of one pass at most, and seconds that a clock may count.
const MOST: usize = 200;
const CLOCK: f64 = 1e11;
/// Coordinates beyond this are none, metres.
const FARTHEST: f64 = 1e8;

impl PassRequest {
    /// As it is stored, its marks as JSON beside it.
    pub(crate) fn said<'a>(&'a self, marks: &'a serde_json::Value) -> SaidOfPass<'a> {
        SaidOfPass { name: &self.name, unit: &self.unit, marks, whole: self.whole, drawn: self.drawn }
    }

    /// The same with the name trimmed.
    ///
    /// # Errors
    /// The first field that cannot be, with what was found and what is expected.
    pub(crate) fn checked(mut self) -> Result<Self, ApiError> {
        self.name = self.name.trim().to_owned();
        if self.name.is_empty() || self.name.chars().count() > 60 {
            return Err(ApiError::field("name", "expected a name of 1 to 60 characters"));
        }
        let units = vistazo_core::mobile::units();
        if !units.iter().any(|u| u.name == self.unit) {
            let names: Vec<&str> = units.iter().map(|u| u.name.as_str()).collect();
            return Err(ApiError::field(
                "unit",
                format!("found “{}”, expected one of {}", self.unit, names.join(", ")),
            ));
        }
        if self.marks.len() > MOST {
            return Err(ApiError::field("marks", format!("found {}, expected at most {MOST}", self.marks.len())));
        }
        for (k, m) in self.marks.iter().enumerate() {
            noted(k, m.time, m.place, m.height)?;
            if m.point.trim().is_empty() || m.point.chars().count() > 60 {
                return Err(ApiError::field(&format!("marks.{k}.point"), "expected the name of a control point"));
            }
        }
        Ok(self)
    }
}

impl MarkOrderRequest {
    /// The same, found possible.
    ///
    /// # Errors
    /// The first field that cannot be, with what was found and what is expected.
    pub(crate) fn checked(self) -> Result<Vec<NotedMarkDto>, ApiError> {
        if !(2..=MOST).contains(&self.marks.len()) {
            return Err(ApiError::field("marks", format!("found {}, expected 2 to {MOST}", self.marks.len())));
        }
        for (k, m) in self.marks.iter().enumerate() {
            noted(k, m.time, m.place.or(m.picked), m.height)?;
        }
        Ok(self.marks)
    }
}

/// What is noted of a mark can be.
fn noted(k: usize, time: f64, place: Option<[f64; 3]>, height: f64) -> Result<(), ApiError> {
    let field = |f: &str| format!("marks.{k}.{f}");
    if !time.is_finite() || time.abs() > CLOCK {
        return Err(ApiError::field(&field("time"), "expected seconds by the clock of the path"));
    }
    if place.iter().flatten().any(|v| !v.is_finite() || v.abs() > FARTHEST) {
        return Err(ApiError::field(&field("place"), "expected finite coordinates within 100 000 km"));
    }
    if !(-1.0..=4.0).contains(&height) {
        return Err(ApiError::field(&field("height"), format!("found {height} m, expected −1 to 4 m")));
    }
    Ok(())
}

/// A profile of a mobile unit: 1σ, metres, radians, seconds.
#[derive(Serialize, ToSchema)]
pub struct UnitDto {
    pub name: String,
    pub range_sigma: f64,
    pub max_range: f64,
    /// What it loses its way by in 100 m walked straight on within two minutes, across, 95 %, metres.
    pub loses95: f64,
}

impl From<&Unit> for UnitDto {
    fn from(u: &Unit) -> Self {
        let way = vistazo_core::geometry::Vec3::new(100.0, 0.0, 0.0);
        let across = u.open(&way, 100.0, 120.0, 0.0)[(1, 1)].sqrt();
        Self {
            name: u.name.clone(),
            range_sigma: u.range_sigma,
            max_range: u.max_range,
            loses95: across * vistazo_core::stats::K95_1D,
        }
    }
}

/// What was read of the files of a pass.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct PassFacts {
    pub points: u64,
    pub skipped: u64,
    /// Points that were measured before the path begins or after it ends.
    pub beside: u64,
    /// First and last time of the path, seconds.
    pub span: [f64; 2],
    pub metres: f64,
    pub lines: usize,
    pub pieces: usize,
    /// Seconds put on the clock of the cloud so that it is that of the path.
    pub clock: f64,
    /// `none`, `quaternion`, `angles in degrees` or `angles in radians`.
    pub turns: String,
    /// Median distance of points from the unit, metres.
    pub range: f64,
}

/// A place along a pass.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct AlongPassDto {
    /// Metres walked.
    pub walked: f64,
    pub time: f64,
    /// On the grid, or in the block where there is none, metres.
    pub at: [f64; 3],
    /// By what it was moved against one placement of the whole, metres.
    pub moved: [f64; 3],
    /// 95 % of the place, plan and height, metres.
    pub error95: [f64; 2],
    /// Ties that hold it there.
    pub ties: usize,
}

/// A surface that was seen twice and lies double.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct TwiceDto {
    pub at: [f64; 3],
    /// How far apart, metres, and its 95 %.
    pub apart: f64,
    pub error95: f64,
    /// Earlier and later, seconds.
    pub times: [f64; 2],
    /// Metres walked then.
    pub walked: [f64; 2],
}

/// Surfaces seen twice: squares of a metre that were compared, how many lie double, root mean square of all offsets (metres).
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DoubledDto {
    pub compared: usize,
    pub double: usize,
    pub rms: f64,
    pub worst: Vec<TwiceDto>,
}

/// Where a pass came to lie.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PlacedPassDto {
    /// Why it has no place.
    pub refused: Option<String>,
    pub along: Vec<AlongPassDto>,
    /// How far the path bends away from one placement of the whole: root mean square and most, metres.
    pub bends: [f64; 2],
    /// As one piece, and corrected.
    pub doubled: Vec<DoubledDto>,
    /// 95 % of a point that it measured, in space: middle and most along the way, metres.
    pub point95: [f64; 2],
    pub ties: usize,
    pub left_out: usize,
    /// What it is fit for, and what speaks against it.
    pub says: Vec<String>,
    /// Within what the brief asks for, all along.
    pub fit: Option<bool>,
}

#[derive(Serialize, ToSchema)]
pub struct PassDto {
    pub id: Uuid,
    pub name: String,
    pub unit: String,
    pub cloud_file: Option<String>,
    pub path_file: Option<String>,
    /// Once both files were read.
    pub facts: Option<PassFacts>,
    pub marks: Vec<PassMarkDto>,
    pub simulated: bool,
    /// Laid down as one piece.
    pub whole: bool,
    /// Plans, ground and solids are drawn from it too.
    pub drawn: bool,
    /// Points that lie where no beam can have come to, once they were looked for.
    pub ghosts: Option<u64>,
    pub version: i32,
    pub by: Option<String>,
    pub placed: Option<PlacedPassDto>,
}

/// What came of all passes together.
#[derive(Serialize, ToSchema)]
pub struct WalkedDto {
    pub at: chrono::DateTime<chrono::Utc>,
    /// Files, scans or control changed since.
    pub stale: bool,
    /// `grid` or `block`.
    pub frame: String,
    /// So many times what their profiles say the units lost their way, at most.
    pub drifted: f64,
}

#[derive(Serialize, ToSchema)]
pub struct PassesDto {
    pub units: Vec<UnitDto>,
    pub passes: Vec<PassDto>,
    pub walked: Option<WalkedDto>,
}

/// What was understood of the start of a path.
#[derive(Serialize, ToSchema)]
pub struct PathPreviewDto {
    pub heading: Option<Vec<String>>,
    pub rows: Vec<Vec<String>>,
    /// Columns from 0.
    pub time: usize,
    pub xyz: [usize; 3],
    /// `none`, `quaternion`, `angles in degrees` or `angles in radians`.
    pub turns: String,
    /// Seconds in one unit of its times.
    pub tick: f64,
    /// Of what was looked at: seconds and metres.
    pub seconds: f64,
    pub metres: f64,
}
