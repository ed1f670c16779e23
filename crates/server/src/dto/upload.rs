#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::PassPart;
use crate::ApiError;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::geometry::Vec3;
use vistazo_core::units::LengthUnit;
use vistazo_formats::{Columns, ReadOptions, UpAxis};

/// What an uploaded file does not say by itself.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct UploadOptions {
    /// The planned station it was taken from.
    pub station: Option<Uuid>,
    /// The compensator was on.
    pub levelled: bool,
    /// Unit of the file's coordinates: `m`, `ft` or `ftUS`. E57 is metres by the standard.
    pub unit: String,
    /// Axis that points up: `z` or `y`.
    pub up: String,
    /// Text files: columns of x, y, z, intensity, red from 0, −1 for none; empty to let them be guessed.
    pub columns: Vec<i32>,
    /// Where the scanner stood in the file's coordinates, metres.
    pub scanner: [f64; 3],
    /// The pass that it is a file of, and which.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub pass: Option<Uuid>,
    #[serde(skip_serializing_if = "Option::is_none")]
    pub part: Option<PassPart>,
}

impl Default for UploadOptions {
    fn default() -> Self {
        Self {
            station: None,
            levelled: true,
            unit: "m".into(),
            up: "z".into(),
            columns: vec![],
            scanner: [0.0; 3],
            pass: None,
            part: None,
        }
    }
}

impl UploadOptions {
    /// From the metadata of an upload; what is not there is the default.
    ///
    /// # Errors
    /// Names the field, what was found and what is expected.
    pub fn from_metadata(meta: &HashMap<String, String>) -> Result<Self, ApiError> {
        let mut o = Self::default();
        let get = |k: &str| meta.get(k).map(String::as_str).filter(|v| !v.is_empty());
        if let Some(v) = get("station") {
            o.station = Some(
                v.parse()
                    .map_err(|_| ApiError::field("station", format!("found “{v}”, expected the id of a station")))?,
            );
        }
        if let Some(v) = get("pass") {
            let found = || format!("found “{v}”, expected the id of a pass");
            o.pass = Some(v.parse().map_err(|_| ApiError::field("pass", found()))?);
            o.part = Some(match get("part") {
                Some("cloud") => PassPart::Cloud,
                Some("path") => PassPart::Path,
                other => {
                    let found = other.unwrap_or("nothing");
                    return Err(ApiError::field("part", format!("found “{found}”, expected cloud or path")));
                }
            });
        }
        if let Some(v) = get("levelled") {
            o.levelled = v == "true";
        }
        if let Some(v) = get("unit") {
            v.clone_into(&mut o.unit);
        }
        if let Some(v) = get("up") {
            v.clone_into(&mut o.up);
        }
        if let Some(v) = get("columns") {
            o.columns = v
                .split(' ')
                .map(|c| c.parse().map_err(|_| ApiError::field("columns", format!("found “{c}”, expected a number"))))
                .collect::<Result<_, _>>()?;
        }
        for (k, axis) in ["x", "y", "z"].iter().enumerate() {
            if let Some(v) = get(axis) {
                o.scanner[k] = v.parse().ok().filter(|n: &f64| n.is_finite()).ok_or_else(|| {
                    ApiError::field(axis, format!("found “{v}”, expected a finite coordinate of the scanner"))
                })?;
            }
        }
        o.read()?;
        Ok(o)
    }

    /// As the readers take it.
    ///
    /// # Errors
    /// Names the field, what was found and what is expected.
    pub fn read(&self) -> Result<ReadOptions, ApiError> {
        let unit = LengthUnit::from_code(&self.unit)
            .ok_or_else(|| ApiError::field("unit", format!("found “{}”, expected m, ft or ftUS", self.unit)))?;
        let up = match self.up.as_str() {
            "z" => UpAxis::Z,
            "y" => UpAxis::Y,
            other => return Err(ApiError::field("up", format!("found “{other}”, expected z or y"))),
        };
        let column = |k: usize| self.columns.get(k).and_then(|c| usize::try_from(*c).ok());
        let columns = if self.columns.is_empty() {
            None
        } else {
            let (Some(x), Some(y), Some(z)) = (column(0), column(1), column(2)) else {
                return Err(ApiError::field("columns", "expected at least the columns of x, y and z"));
            };
            Some(Columns { xyz: [x, y, z], intensity: column(3), rgb: column(4) })
        };
        let (scanner, unit) = (Vec3::from(self.scanner), unit.metres());
        Ok(ReadOptions { scanner, unit, up, columns, ..ReadOptions::default() })
    }
}
