//! Features on coded layers as files.

use super::csv as table;
use crate::ApiError;
use crate::work::features::Coded;
use vistazo_formats::feature_files::{geojson, landxml, write_dxf};
use vistazo_formats::ground_files::About;

/// A kind of file that features are written as.
pub(crate) struct Kind {
    pub name: &'static str,
    pub media_type: &'static str,
    pub write: fn(&Coded) -> Result<Vec<u8>, ApiError>,
}

/// All of them.
pub(crate) const KINDS: [Kind; 4] = [
    Kind { name: "features.dxf", media_type: "image/vnd.dxf", write: dxf },
    Kind { name: "features.geojson", media_type: "application/geo+json", write: json },
    Kind { name: "features.xml", media_type: "application/xml", write: xml },
    Kind { name: "features.csv", media_type: "text/csv", write: csv },
];

fn about(of: &Coded) -> About<'_> {
    let unit = of.brief.unit();
    let note = if of.simulated { "TRAINING JOB, its scans are simulated" } else { "" };
    let at = ["%Y-%m-%d", "%H:%M:%S"].map(|f| of.at.format(f).to_string());
    About { name: &of.job, epsg: of.brief.epsg, unit: (unit.code(), unit.metres()), note, at }
}

fn dxf(of: &Coded) -> Result<Vec<u8>, ApiError> {
    write_dxf(&about(of), &of.codes, &of.features).map_err(|e| ApiError::conflict(e.to_string()))
}

fn json(of: &Coded) -> Result<Vec<u8>, ApiError> {
    Ok(geojson(&about(of), &of.codes, &of.features))
}

fn xml(of: &Coded) -> Result<Vec<u8>, ApiError> {
    Ok(landxml(&about(of), &of.features).into_bytes())
}

/// Every corner as a row, in the unit of the job.
fn csv(of: &Coded) -> Result<Vec<u8>, ApiError> {
    let unit = of.brief.unit();
    let (u, m) = (unit.code(), unit.metres());
    let lengths = ["easting", "northing", "height", "plan_error95", "height_error95"].map(|h| format!("{h}_{u}"));
    let head = ["name", "code", "corner"].map(str::to_owned).into_iter().chain(lengths).chain(["measured".to_owned()]);
    let rows = of.features.iter().flat_map(|f| {
        f.corners.iter().zip(&f.error95).enumerate().map(move |(k, (p, e))| {
            let errors = e.map_or_else(
                || [String::new(), String::new()],
                |e| e.map(|v| if v > 0.0 { format!("{:.4}", v / m) } else { String::new() }),
            );
            let place = p.map(|v| format!("{:.4}", v / m));
            let first = [f.name.clone(), f.code.clone(), (k + 1).to_string()];
            first.into_iter().chain(place).chain(errors).chain([f.says.clone()]).collect::<Vec<_>>()
        })
    });
    table(std::iter::once(head.collect()).chain(rows))
}
