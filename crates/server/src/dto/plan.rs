#![allow(missing_docs)] // the fields are named as the surveyor names them

use crate::ApiError;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// The data of a plan item; which fields are used depends on its kind. Plan coordinates, metres.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct PlanData {
    pub name: String,
    /// Walls and obstacles: vertices.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub line: Vec<[f64; 2]>,
    /// Walls and obstacles: foot and top.
    #[serde(default)]
    pub base: f64,
    #[serde(default)]
    pub top: f64,
    /// Walls: point spacing asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub required_spacing: Option<f64>,
    /// Stations (centre of the instrument) and targets (centre).
    #[serde(default)]
    pub position: [f64; 3],
    /// Targets: `sphere` or `checker`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub target: Option<String>,
    /// Targets that will be control: σ horizontal and vertical.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub control_sigma: Option<[f64; 2]>,
}

impl PlanData {
    /// Reads and checks the data of an item.
    ///
    /// # Errors
    /// Names the field, what was found and what is expected.
    pub fn parse(kind: &str, value: &serde_json::Value) -> Result<Self, ApiError> {
        let d: Self = serde_json::from_value(value.clone())
            .map_err(|e| ApiError::field("data", format!("a {kind} cannot be read: {e}")))?;
        if d.name.trim().is_empty() || d.name.len() > 80 {
            return Err(ApiError::field("name", format!("a {kind} needs a name of 1 to 80 characters")));
        }
        let finite =
            d.line.iter().flatten().chain(&d.position).chain([&d.base, &d.top]).all(|v| v.is_finite() && v.abs() < 1e6);
        if !finite {
            return Err(ApiError::field(
                "position",
                format!("{}: expected finite plan coordinates within 1000 km", d.name),
            ));
        }
        let least = match kind {
            "wall" => 2,
            "obstacle" => 3,
            _ => 0,
        };
        if d.line.len() < least {
            return Err(ApiError::field(
                "line",
                format!("{}: found {} vertices, expected at least {least}", d.name, d.line.len()),
            ));
        }
        if least > 0 && d.top <= d.base {
            return Err(ApiError::field(
                "top",
                format!("{}: the top ({} m) must be above the base ({} m)", d.name, d.top, d.base),
            ));
        }
        if d.required_spacing.is_some_and(|s| !(0.001..=1.0).contains(&s)) {
            return Err(ApiError::field("required_spacing", format!("{}: expected 1 mm to 1 m", d.name)));
        }
        if d.control_sigma.is_some_and(|s| s.iter().any(|v| !(1e-5..=10.0).contains(v))) {
            return Err(ApiError::field(
                "control_sigma",
                format!("{}: expected standard deviations of 0.01 mm to 10 m", d.name),
            ));
        }
        Ok(d)
    }
}

/// What a station covers.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct StationCoverDto {
    pub station: Uuid,
    pub name: String,
    /// Area covered, m².
    pub area: f64,
    /// Targets it sees well enough to measure.
    pub targets: Vec<Uuid>,
    /// Area not covered by reason, m².
    pub missing: HashMap<String, f64>,
    /// Stretches of wall that it covers, seen from above: x1, y1, x2, y2, and the share of the
    /// height covered.
    pub seen: Vec<[f64; 5]>,
}

/// What the plan covers.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct CoverDto {
    pub stations: Vec<StationCoverDto>,
    /// `overlap[a][b]`: share of what `b` covers that `a` covers too.
    pub overlap: Vec<Vec<f64>>,
    /// Share of required area covered once and twice.
    pub once: Option<f64>,
    pub twice: Option<f64>,
    pub prediction: PredictionDto,
}

/// What error the plan will come out at.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct PredictionDto {
    /// Why there is none.
    pub refused: Option<String>,
    /// On control (true), or within the block only.
    pub on_grid: bool,
    pub targets: Vec<super::PointDto>,
    pub stations: Vec<super::PointDto>,
}
