//! Simple solids.
#![allow(missing_docs)] // fields carry the names of the job

use super::DrawnData;
use crate::ApiError;
use crate::record::mirror;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What a solid is.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum SolidShape {
    /// Between two faces of a plan.
    Wall,
    /// Within an outline: a pillar, or what stands about.
    #[default]
    Pillar,
    /// Round: a column or a pipe.
    Cylinder,
}

mirror!(
    /// What a block ends at: the floor, a ceiling, a level surface of its own, or an edge with nothing level seen there.
    LimitWord = vistazo_core::draw::solid::Limit { Floor, Ceiling, Top, Edge }
);

/// What is known of a solid. Its outline and the 95 % of its heights, or of its axis at both ends and its radius, stand
/// beside it in what is drawn.
#[derive(Clone, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct SolidDto {
    pub shape: SolidShape,
    /// Cylinders: both ends of the axis, easting, northing and height, metres.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub axis: Vec<[f64; 3]>,
    /// Cylinders: how far round they were seen, degrees.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub arc: Option<f64>,
    /// What the lower and the upper end are.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub limits: Vec<LimitWord>,
    /// One face of a wall was seen: what lies behind it is not known, and it is drawn thin.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub one_face: bool,
    /// It hangs over an opening: it does not stand on the floor.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    pub over_opening: bool,
    /// Points by how far they lie off its surface, from -50 mm up in steps of 2 mm; nothing where it was not measured yet.
    #[serde(skip_serializing_if = "Vec::is_empty")]
    pub spread: Vec<u32>,
}

/// Solids that are looked for.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct SolidsRequest {
    /// The floor plan whose walls and outlines are drawn up.
    pub sheet: Uuid,
    /// How far above its floor anything is looked for, metres.
    pub up: f64,
}

impl SolidsRequest {
    /// # Errors
    /// Names the field, what was found and what is expected.
    pub fn checked(self) -> Result<Self, ApiError> {
        if (1.0..=60.0).contains(&self.up) {
            return Ok(self);
        }
        Err(ApiError::field("up", format!("found {} m, expected 1 to 60 m above the floor", self.up)))
    }
}

/// Corners of an outline at most.
const CORNERS: usize = 60;

impl DrawnData {
    /// What a solid needs.
    pub(super) fn solid(&self) -> Result<(), ApiError> {
        let Some(s) = &self.solid else { return Err(ApiError::field("solid", "expected what shape it has")) };
        let bad = |v: &f64| !v.is_finite() || v.abs() > 1e8;
        if self.heights.iter().flatten().chain(s.axis.iter().flatten()).chain(&s.arc).any(bad) {
            return Err(ApiError::field("solid", "expected finite coordinates within 100 000 km"));
        }
        if s.spread.len() > 50 || s.limits.len() > 2 {
            return Err(ApiError::field("solid", "expected at most 50 steps of distance and two ends"));
        }
        if s.shape == SolidShape::Cylinder {
            if s.axis.len() != 2 || s.axis[0] == s.axis[1] {
                let says = format!("found {} ends of the axis, expected two that differ", s.axis.len());
                return Err(ApiError::field("solid.axis", says));
            }
            if !self.radius.is_some_and(|r| (0.005..20.0).contains(&r)) {
                return Err(ApiError::field("radius", "expected 5 mm to 20 m"));
            }
        } else if !(3..=CORNERS).contains(&self.line.len()) {
            let says = format!("found {} corners, expected 3 to {CORNERS}", self.line.len());
            return Err(ApiError::field("line", says));
        }
        // a pipe may lie level
        let level = s.shape == SolidShape::Cylinder;
        if let Some([low, high]) = self.heights
            && (high < low || high == low && !level)
        {
            return Err(ApiError::field("heights", format!("found {low} to {high} m, expected the lower one first")));
        }
        Ok(())
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use serde_json::json;

    #[test]
    fn a_level_pipe_is_a_solid_and_a_wall_without_height_is_none() {
        let pipe = json!({ "radius": 0.05, "heights": [90.0, 90.0],
            "solid": { "shape": "cylinder", "axis": [[0.0, 0.0, 90.0], [4.0, 0.0, 90.0]] } });
        assert!(
            DrawnData::parse("solid", &pipe).is_err_and(|e| e.to_string().contains("sheet")),
            "only its sheet is missing"
        );
        let mut on = pipe;
        on["sheet"] = json!(Uuid::nil());
        assert_eq!(DrawnData::parse("solid", &on).unwrap().heights, Some([90.0; 2]));
        let wall = json!({ "sheet": Uuid::nil(), "line": [[0.0, 0.0], [1.0, 0.0], [1.0, 1.0]], "heights": [90.0, 90.0],
            "solid": { "shape": "wall" } });
        assert!(DrawnData::parse("solid", &wall).is_err());
    }
}
