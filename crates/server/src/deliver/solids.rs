//! Simple solids as files.

use super::csv as table;
use crate::ApiError;
use crate::work::solids::{Solids, word};
use vistazo_formats::ground_files::About;
use vistazo_formats::solid_files::{glb, obj, write_dxf};

/// A kind of file that solids are written as.
pub(crate) struct Kind {
    pub name: &'static str,
    pub media_type: &'static str,
    pub write: fn(&Solids) -> Result<Vec<u8>, ApiError>,
}

/// All of them.
pub(crate) const KINDS: [Kind; 4] = [
    Kind { name: "solids.dxf", media_type: "image/vnd.dxf", write: dxf },
    Kind { name: "solids.obj", media_type: "model/obj", write: text },
    Kind { name: "solids.glb", media_type: "model/gltf-binary", write: binary },
    Kind { name: "solids.csv", media_type: "text/csv", write: csv },
];

fn about(of: &Solids) -> About<'_> {
    let unit = of.brief.unit();
    let note = if of.simulated { "TRAINING JOB, its scans are simulated" } else { "" };
    let at = ["%Y-%m-%d", "%H:%M:%S"].map(|f| of.at.format(f).to_string());
    About { name: &of.job, epsg: of.brief.epsg, unit: (unit.code(), unit.metres()), note, at }
}

fn dxf(of: &Solids) -> Result<Vec<u8>, ApiError> {
    write_dxf(&about(of), &of.meshes()).map_err(|e| ApiError::conflict(e.to_string()))
}

fn text(of: &Solids) -> Result<Vec<u8>, ApiError> {
    Ok(obj(&about(of), &of.meshes()).into_bytes())
}

fn binary(of: &Solids) -> Result<Vec<u8>, ApiError> {
    Ok(glb(&about(of), &of.meshes()))
}

/// Every solid as a row, in the unit of the job: what it measures, its 95 %, how far points lie off it.
fn csv(of: &Solids) -> Result<Vec<u8>, ApiError> {
    let unit = of.brief.unit();
    let (u, m) = (unit.code(), unit.metres());
    let lengths =
        ["easting", "northing", "base", "top", "radius", "first_error95", "second_error95", "radius_error95", "rms"]
            .map(|h| format!("{h}_{u}"));
    let head = ["name", "shape", "standing"].map(str::to_owned).into_iter().chain(lengths).chain(["points".to_owned()]);
    let of_length = |v: Option<f64>| v.map_or_else(String::new, |v| format!("{:.4}", v / m));
    let rows = of.solids.iter().map(|(name, d)| {
        let heights = d.heights.map_or([None; 2], |h| h.map(Some));
        let place = d.position.map_or([None; 2], |p| p.map(Some));
        let errors = (0..3).map(|k| d.error95.get(k).copied());
        let lengths = place.into_iter().chain(heights).chain([d.radius]).chain(errors).chain([d.scatter]);
        let first = [name.clone(), word(d).to_lowercase(), if d.found { "found" } else { "agreed" }.into()];
        let points = d.points.unwrap_or_default().to_string();
        first.into_iter().chain(lengths.map(of_length)).chain([points]).collect::<Vec<_>>()
    });
    table(std::iter::once(head.collect()).chain(rows))
}
