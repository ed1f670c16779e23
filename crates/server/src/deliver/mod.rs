//! What is handed over. Clouds are written scan by scan ([`clouds`]); every document is a row of
//! [`DOCUMENTS`]: a name and what it writes.

pub(crate) mod clouds;
mod control;
mod coordinates;
pub(crate) mod days;
pub(crate) mod drawing;
pub(crate) mod elevation;
pub(crate) mod features;
pub(crate) mod ground;
mod ground_sheet;
mod paper;
pub(crate) mod passes;
pub(crate) mod plan;
mod report;
mod sketch;
mod slice_picture;
pub(crate) mod solids;
#[cfg(test)]
mod tests;
mod transforms;
pub(crate) mod walk;

use crate::ApiError;
use crate::dto::{AdjustmentDto, GeorefResult, VerdictDto};
use crate::record::georeference::GridOutput;
use crate::tasks::Stop;
use crate::work::verdict::State;
use nalgebra::Matrix6;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::geometry::Pose;
use vistazo_core::georef::GridMap;
use vistazo_formats::crs::Reference;
use vistazo_store::field::ScanRow;
use vistazo_store::jobs::{LogEntry, Member};

/// Everything a package is made from.
pub(crate) struct Package {
    pub name: String,
    pub revision: i32,
    pub state: State,
    /// Of the scans; none where passes alone are handed over.
    pub adjustment: Option<AdjustmentDto>,
    pub grid: GeorefResult,
    pub map: GridMap,
    /// Scans with their pose in the local frame.
    pub scans: Vec<(ScanRow, Pose)>,
    /// Covariances of these poses on the grid, by scan.
    pub covariances: HashMap<Uuid, Matrix6<f64>>,
    pub reference: Option<Reference>,
    pub members: Vec<Member>,
    pub log: Vec<LogEntry>,
    /// Notes from site that are to be in it: when, who, where, what.
    pub notes: Vec<[String; 4]>,
    pub verdicts: Vec<VerdictDto>,
    /// What was drawn.
    pub drawings: Vec<crate::work::drawing::Drawing>,
    pub elevations: Vec<crate::work::elevation::Elevation>,
    pub ground: Option<crate::work::ground::Site>,
    pub features: Option<crate::work::features::Coded>,
    pub solids: Option<crate::work::solids::Solids>,
    /// Passes of mobile units, with their places.
    pub passes: crate::work::passes::Walked,
    pub letterhead: vistazo_report::Letterhead,
    /// Slices that somebody put their name to.
    pub slices: Vec<crate::work::slices::Figure>,
}

impl Package {
    /// What is known of the pose of a scan.
    pub(crate) fn pose_covariance(&self, scan: Uuid) -> Matrix6<f64> {
        self.covariances.get(&scan).copied().unwrap_or_else(Matrix6::zeros)
    }

    /// The coordinate reference in words.
    pub(crate) fn reference_words(&self) -> String {
        self.grid.grid.reference.clone()
    }

    /// What the coordinates mean: grid or ground, with the factors.
    pub(crate) fn grid_words(&self) -> String {
        let g = &self.grid.grid;
        let Some(combined) = g.combined else { return "local grid: lengths are those on site".into() };
        let factors = format!(
            "combined factor {combined:.8} (point scale {:.8}, height factor {:.8}) at E {:.0}, N {:.0}",
            g.point_scale.unwrap_or(1.0),
            g.height_factor.unwrap_or(1.0),
            g.origin[0] / self.state.brief.unit().metres(),
            g.origin[1] / self.state.brief.unit().metres(),
        );
        match g.output {
            GridOutput::Grid => {
                format!("grid: lengths are those on site times the {factors}")
            }
            GridOutput::Ground => format!(
                "ground: lengths are those on site; grid coordinates stretched about that place by the inverse of the {factors}"
            ),
        }
    }
}

/// A file of the package.
pub(crate) trait Document: Sync {
    /// Its name.
    fn name(&self) -> &'static str;
    /// Its bytes.
    fn write(&self, package: &Package) -> Result<Vec<u8>, Stop>;
}

/// The documents of a package, in the order they are written.
pub(crate) const DOCUMENTS: &[&dyn Document] =
    &[&coordinates::Coordinates, &transforms::Transforms, &control::Control, &report::Registration, &report::Short];

/// Lines of a table for spreadsheets: fields that could be taken for something else are quoted.
pub(crate) fn csv(rows: impl IntoIterator<Item = Vec<String>>) -> Result<Vec<u8>, ApiError> {
    let mut out = csv::Writer::from_writer(Vec::new());
    for row in rows {
        out.write_record(row.iter().map(|f| safe(f))).map_err(|e| ApiError::conflict(e.to_string()))?;
    }
    out.into_inner().map_err(|e| ApiError::conflict(e.to_string()))
}

/// A text that a spreadsheet would run as a formula is told to be text.
fn safe(field: &str) -> String {
    let formula =
        field.starts_with(['=', '@', '\t', '\r']) || (field.starts_with(['+', '-']) && field.parse::<f64>().is_err());
    if formula { format!("'{field}") } else { field.to_owned() }
}
