//! What is drawn for the client.
#![allow(missing_docs)] // fields carry the names of the job

use super::SolidDto;
use crate::ApiError;
use crate::record::mirror;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Kinds of what is drawn.
pub const DRAWN: [&str; 13] = [
    "sheet",
    "line",
    "opening",
    "unseen",
    "column",
    "thickness",
    "breakline",
    "area",
    "spot",
    "elevation",
    "feature",
    "code",
    "solid",
];
/// Those that belong to no sheet.
pub const OF_NO_SHEET: [&str; 5] = ["breakline", "area", "spot", "feature", "code"];
/// Pixels of an elevation at most.
const MOST_PIXELS: f64 = 16e6;
/// Corners of a line on the ground at most.
const LONGEST: usize = 2000;

/// The data of something drawn; which fields are used depends on its kind. Easting and northing on the grid, metres.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct DrawnData {
    /// Sheets, elevations, areas and spots: their name.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub name: String,
    /// Sheets: height of the floor on the grid, how far above it the plan is cut, and thickness of the slab.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub level: Option<[f64; 3]>,
    /// Sheets: what it was drawn from last, and when.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub drawn: Option<DrawnFrom>,
    /// Elevations and solids: lowest and highest, metres on the grid.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub heights: Option<[f64; 2]>,
    /// Elevations: what is taken before the plane and behind it, metres.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub depth: Option<[f64; 2]>,
    /// Elevations: side of a pixel, metres.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pixel: Option<f64>,
    /// Elevations: the picture that was made of them last.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub picture: Option<PictureDto>,
    /// Elevations: what their plane cuts.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub section: Option<SectionDto>,
    /// Areas: height of the level that volumes are to, metres; none: no volume.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub height: Option<f64>,
    /// What stands on a sheet: which.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub sheet: Option<Uuid>,
    /// Lines, openings, what nobody saw: both ends; elevations: the left and the right end as they are seen; lines on the ground, outlines of areas and of solids: their corners.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub line: Vec<[f64; 2]>,
    /// Lines: `wall`, or `low` for what does not reach up.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub layer: Option<String>,
    /// Columns: the axis; thicknesses and heights: where they are said.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub position: Option<[f64; 2]>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub radius: Option<f64>,
    /// Thicknesses.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub thickness: Option<f64>,
    /// 95 %: of lines across at both ends, of openings along at both, of columns axis and radius, of thicknesses, of solids
    /// both heights or axis at both ends and radius. Nothing where it was drawn by hand.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub error95: Vec<f64>,
    /// Openings: they reach down to the floor.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub to_the_floor: Option<bool>,
    /// Lines: single points scatter about them by this, 1σ; how many points, and the scans that show it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub scatter: Option<f64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub points: Option<u64>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub scans: Vec<String>,
    /// Lines: they were made square with others, and which; lines of one number are square to one another.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub square: Option<u32>,
    /// The program found it and nobody has said yet that it is right.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub found: bool,
    /// Features: what they are drawn by; codes: as files have it.
    #[serde(skip_serializing_if = "String::is_empty")]
    pub code: String,
    /// Features and codes: what of the ground is meant.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub snap: Option<SnapWord>,
    /// Features: what was measured of each corner; nothing where the cloud shows too little.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub shots: Vec<Option<CornerDto>>,
    /// Codes: lines are drawn by them, and points otherwise.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub is_line: Option<bool>,
    /// Floor levels: the opening that they belong to.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub of: Option<Uuid>,
    /// Solids: what shape they have, and what is known of it.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub solid: Option<SolidDto>,
}

mirror!(
    /// What of a profile across the ground is meant.
    SnapWord = vistazo_core::draw::Snap { Ground, Top, Foot, Ridge }
);

/// What was measured of a corner of a feature.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CornerDto {
    /// Height on the grid, metres.
    pub height: f64,
    /// 95 % across in plan (nothing where the place was given) and in height, metres.
    pub error95: [f64; 2],
    /// Single points scatter about the surface by this, 1σ, metres.
    pub scatter: f64,
    pub points: u32,
    /// The scans that show it.
    pub scans: Vec<String>,
}

/// A code that features are drawn by: the table of every job, and what was added to it.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CodeDto {
    pub code: String,
    pub name: String,
    pub snap: SnapWord,
    /// Lines are drawn by it, and points otherwise.
    pub is_line: bool,
    /// The thing drawn that added it; none for those of every job.
    pub id: Option<Uuid>,
}

/// Places that are to be measured; nothing is stored.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CornersRequest {
    /// Corners of a line, or one place: easting and northing, metres.
    pub corners: Vec<[f64; 2]>,
    pub snap: SnapWord,
    /// About how high the ground is there, metres; none: by the ground that was found, or by the floor under the nearest scanner.
    #[serde(default)]
    pub height: Option<f64>,
    /// Bearing of the profile through a single place, degrees from north; none: east.
    #[serde(default)]
    pub bearing: Option<f64>,
}

/// What was measured: a place for each corner, and what the cloud shows there.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CornersDto {
    /// Easting and northing; as it was asked where nothing was found.
    pub corners: Vec<[f64; 2]>,
    pub shots: Vec<Option<CornerDto>>,
    /// What they were measured in.
    pub drawn: DrawnFrom,
}

/// What a sheet was drawn from.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DrawnFrom {
    /// Changes when scans or their places do.
    pub inputs: String,
    pub at: chrono::DateTime<chrono::Utc>,
    /// Directions that lines are square to: degrees from north, its 95 % and by how much an end moved at most, metres.
    pub squared: Vec<[f64; 3]>,
}

/// A picture of an elevation.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct PictureDto {
    /// Changes when scans, their places or the elevation do.
    pub inputs: String,
    pub at: chrono::DateTime<chrono::Utc>,
    /// Where it is kept.
    pub key: String,
    /// Pixels across and down.
    pub size: [u32; 2],
    /// Share of it that shows something.
    pub share: f64,
    /// Places in it lie within this of where they were, 95 % in the direction that is known worst, metres; of the scan that
    /// is known worst.
    pub error95: f64,
    /// Scans that it shows.
    pub scans: Vec<String>,
}

/// What the plane of an elevation cuts, as lines: metres from its left end, and heights on the grid.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct SectionDto {
    pub lines: Vec<CutLine>,
    /// Of what is cut between two lines: where, how thick, 95 %, metres.
    pub thicknesses: Vec<[f64; 4]>,
    /// What was cut is so thick, metres.
    pub thickness: f64,
}

/// A line of a section.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct CutLine {
    pub ends: [[f64; 2]; 2],
    /// Across, at both ends, 95 %, metres.
    pub error95: [f64; 2],
    /// Single points scatter about it by this, 1σ, metres.
    pub scatter: f64,
    pub points: u64,
}

impl DrawnData {
    /// Reads it and checks what its kind needs.
    ///
    /// # Errors
    /// Names the field, what was found and what is expected.
    pub fn parse(kind: &str, data: &serde_json::Value) -> Result<Self, ApiError> {
        let d: Self = serde_path_to_error::deserialize(data)
            .map_err(|e| ApiError::field(&format!("data.{}", e.path()), e.inner().to_string()))?;
        let far = |v: &f64| !v.is_finite() || v.abs() > 1e8;
        if d.line.iter().flatten().chain(d.position.iter().flatten()).any(far) {
            return Err(ApiError::field("line", "expected finite coordinates within 100 000 km"));
        }
        let ends = matches!(kind, "line" | "opening" | "unseen" | "elevation");
        if ends && (d.line.len() != 2 || d.line[0] == d.line[1]) {
            return Err(ApiError::field("line", format!("found {} ends, expected two that differ", d.line.len())));
        }
        if kind == "column" && !d.radius.is_some_and(|r| (0.005..20.0).contains(&r)) {
            return Err(ApiError::field("radius", "expected 5 mm to 20 m"));
        }
        let least = if kind == "area" { 3 } else { 2 };
        if matches!(kind, "breakline" | "area") && !(least..=LONGEST).contains(&d.line.len()) {
            let says = format!("found {} corners, expected {least} to {LONGEST}", d.line.len());
            return Err(ApiError::field("line", says));
        }
        if d.name.chars().count() > 60 {
            let says = format!("found {} characters, expected at most 60", d.name.chars().count());
            return Err(ApiError::field("name", says));
        }
        if d.height.is_some_and(|h| !h.is_finite() || h.abs() > 1e5) {
            return Err(ApiError::field("height", "expected a height within 100 km"));
        }
        if matches!(kind, "column" | "thickness" | "spot") && d.position.is_none() {
            return Err(ApiError::field("position", "expected easting and northing"));
        }
        if kind == "solid" {
            d.solid()?;
        }
        if matches!(kind, "feature" | "code") {
            d.coded(kind)?;
        }
        match (kind, &d.level) {
            ("sheet", Some([floor, cut, thick])) => {
                let name = d.name.trim().chars().count();
                if !(1..=60).contains(&name) {
                    return Err(ApiError::field("name", format!("found {name} characters, expected 1 to 60")));
                }
                if !floor.is_finite() || floor.abs() > 1e5 {
                    return Err(ApiError::field("level", "expected the height of a floor within 100 km"));
                }
                if !(0.4..=20.0).contains(cut) || !(0.02..=0.5).contains(thick) {
                    let says = format!(
                        "found {cut} m above the floor and {thick} m thick, expected 0.4 to 20 m and 20 to 500 mm"
                    );
                    return Err(ApiError::field("level", says));
                }
            }
            ("sheet", None) => return Err(ApiError::field("level", "expected floor, cut and thickness")),
            ("elevation", _) => d.elevation()?,
            _ if OF_NO_SHEET.contains(&kind) => {}
            _ if d.sheet.is_none() => return Err(ApiError::field("sheet", "expected the sheet that it stands on")),
            _ => {}
        }
        Ok(d)
    }

    /// What features and codes need.
    fn coded(&self, kind: &str) -> Result<(), ApiError> {
        let is_code = |c: char| c.is_ascii_uppercase() || c.is_ascii_digit() || c == '_';
        if !(1..=24).contains(&self.code.len()) || !self.code.chars().all(is_code) {
            let says = format!("found “{}”, expected 1 to 24 capitals, digits and underscores", self.code);
            return Err(ApiError::field("code", says));
        }
        if kind == "code" {
            let name = self.name.trim().chars().count();
            return if name > 0 {
                Ok(())
            } else {
                Err(ApiError::field("name", "found nothing, expected 1 to 60 characters"))
            };
        }
        if !(1..=LONGEST).contains(&self.line.len()) {
            return Err(ApiError::field("line", format!("found {} corners, expected 1 to {LONGEST}", self.line.len())));
        }
        if !self.shots.is_empty() && self.shots.len() != self.line.len() {
            let says = format!("found {} for {} corners, expected one for each", self.shots.len(), self.line.len());
            return Err(ApiError::field("shots", says));
        }
        let bad = |s: &CornerDto| {
            [s.height, s.error95[0], s.error95[1], s.scatter].iter().any(|v| !v.is_finite() || v.abs() > 1e5)
        };
        if self.shots.iter().flatten().any(bad) {
            return Err(ApiError::field("shots", "expected heights and errors within 100 km"));
        }
        Ok(())
    }

    /// What an elevation needs.
    fn elevation(&self) -> Result<(), ApiError> {
        let name = self.name.trim().chars().count();
        if !(1..=60).contains(&name) {
            return Err(ApiError::field("name", format!("found {name} characters, expected 1 to 60")));
        }
        let (Some([low, high]), Some(depth), Some(pixel)) = (self.heights, self.depth, self.pixel) else {
            return Err(ApiError::field("heights", "expected heights, depth and the side of a pixel"));
        };
        if !(0.1..=500.0).contains(&(high - low)) || low.abs() > 1e5 {
            return Err(ApiError::field(
                "heights",
                format!("found {low} to {high} m, expected 0.1 to 500 m of height"),
            ));
        }
        if depth.iter().any(|v| !(0.01..=100.0).contains(v)) {
            return Err(ApiError::field("depth", format!("found {depth:?} m, expected 10 mm to 100 m")));
        }
        let long = (self.line[1][0] - self.line[0][0]).hypot(self.line[1][1] - self.line[0][1]);
        let pixels = long * (high - low) / (pixel * pixel);
        if !(0.001..=0.2).contains(&pixel) || pixels > MOST_PIXELS {
            let side = (long * (high - low) / MOST_PIXELS).sqrt().max(0.001);
            let says = format!(
                "found {:.1} mm: {:.1} million pixels; expected 1 to 200 mm and at most {:.0} million: {:.1} mm or more",
                pixel * 1e3,
                pixels / 1e6,
                MOST_PIXELS / 1e6,
                side * 1e3
            );
            return Err(ApiError::field("pixel", says));
        }
        Ok(())
    }
}

/// Something drawn, as it is stored.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DrawnItem {
    pub id: Uuid,
    /// `sheet`, `line`, `opening`, `unseen`, `column`, `thickness`, `elevation`, `solid`; on the ground `breakline`, `area` or `spot`.
    pub kind: String,
    pub data: DrawnData,
    pub version: i32,
    pub deleted: bool,
}

/// Everything that is drawn, and where the floors are.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DrawingDto {
    pub items: Vec<DrawnItem>,
    /// Sheets, and elevations with a picture, whose scans, or their places, changed since they were drawn.
    pub stale: Vec<Uuid>,
    /// Heights of floors that scans stand on, on the grid, metres, with how many scans do.
    pub floors: Vec<(f64, usize)>,
    /// The scans stand on the grid: something can be drawn.
    pub on_grid: bool,
    /// Codes that features are drawn by.
    pub codes: Vec<CodeDto>,
    /// Openings that reach down to the floor and have no floor level yet.
    pub without_level: Vec<Uuid>,
    /// Lines of one code that run beside one another: one thing may be drawn twice.
    pub twice: Vec<[Uuid; 2]>,
}

/// A line that is to be fitted to what the scans show along it.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct FitRequest {
    /// The sheet that it stands on.
    pub sheet: Uuid,
    /// Both ends, easting and northing, metres.
    pub line: [[f64; 2]; 2],
}

/// A floor plan that is asked for: a new sheet, or one that is drawn once more.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DrawRequest {
    /// The sheet to draw once more; what the program found there and nobody agreed with is drawn anew.
    #[serde(default)]
    pub sheet: Option<Uuid>,
    /// Its name, for a new one.
    #[serde(default)]
    pub name: String,
    /// Height of the floor on the grid, metres.
    pub floor: f64,
    /// How far above it the plan is cut, metres.
    pub cut: f64,
    /// Thickness of the slab, metres.
    pub thickness: f64,
}
