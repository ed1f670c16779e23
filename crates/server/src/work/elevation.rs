//! Elevations: planes that are looked at square on, and the pictures that were made of them.

use super::drawing;
use super::stands::{Standing, Stands};
use crate::dto::{Brief, CutLine, DrawnData, PictureDto, SectionDto};
use crate::{ApiError, App};
use nalgebra::Vector2;
use uuid::Uuid;
use vistazo_core::draw::{Facing, FloorPlan};
use vistazo_store::field::ScanRow;
use vistazo_store::jobs::{self, PlanEdit, PlanItem};

/// An elevation with its picture, as it is written.
pub(crate) struct Elevation {
    pub data: DrawnData,
    pub picture: PictureDto,
    /// PNG.
    pub png: Vec<u8>,
    pub brief: Brief,
    pub job: String,
    pub simulated: bool,
    pub stale: bool,
    pub reference: String,
}

/// The elevation of this identifier.
pub(crate) async fn row(app: &App, job: Uuid, id: Uuid) -> Result<Option<(PlanItem, DrawnData)>, ApiError> {
    Ok(drawing::rows(app, job).await?.into_iter().find(|(i, _)| i.id == id && i.kind == "elevation"))
}

/// The plane, on the grid.
pub(crate) fn facing(d: &DrawnData) -> Option<Facing> {
    let [a, b] = d.line[..] else { return None };
    let ends = [a, b].map(|[e, n]| Vector2::new(e, n));
    Some(Facing::new(ends, d.heights?, d.depth?, d.pixel?))
}

/// Changes when scans, their places or the plane do; none off the grid.
pub(crate) fn inputs(d: &DrawnData, stands: &Stands, scans: &[ScanRow]) -> Option<String> {
    let sum = stands.sum(scans)?;
    Some(super::fingerprint(&(sum, &d.line, d.heights, d.depth, d.pixel)))
}

/// Puts a picture to its elevation, unless somebody changed that meanwhile.
pub(crate) async fn put(
    app: &App,
    job: Uuid,
    (row, data): (PlanItem, DrawnData),
    (picture, section): (PictureDto, Option<SectionDto>),
) -> Result<(), ApiError> {
    let data = DrawnData { picture: Some(picture), section, ..data };
    let edit = PlanEdit {
        id: row.id,
        kind: row.kind,
        data: serde_json::json!(data),
        version: Some(row.version),
        deleted: false,
    };
    jobs::edit_drawing(&app.db, job, &[edit]).await?;
    Ok(())
}

/// What a plane cuts, as it is kept; none where it cuts nothing straight.
pub(crate) fn section(plan: &FloorPlan, low: f64, thickness: f64) -> Option<SectionDto> {
    let to_mm = |v: f64| (v * 1e5).round() / 1e5;
    let place = |p: Vector2<f64>| [to_mm(p.x), to_mm(p.y + low)];
    let mut lines = Vec::new();
    for (k, f) in plan.faces.iter().enumerate() {
        let d = f.ends[1] - f.ends[0];
        let long = d.norm();
        for part in drawing::parts(plan, k, long) {
            lines.push(CutLine {
                ends: part.map(|t| place(f.ends[0] + d * (t / long))),
                error95: part.map(|t| f.error95[0] + (f.error95[1] - f.error95[0]) * t / long),
                scatter: f.rms,
                points: f.points,
            });
        }
    }
    let of = |w: &vistazo_core::draw::Wall| {
        let [a, b] = w.faces.map(|k| &plan.faces[k]);
        let here = a.ends[0] + (a.ends[1] - a.ends[0]).normalize() * f64::midpoint(w.along[0], w.along[1]);
        let across = b.normal.dot(&(b.ends[0] - here));
        let [x, y] = place(here + b.normal * (across / 2.0));
        [x, y, w.thickness[0], w.thickness[1]]
    };
    let thicknesses = plan.walls.iter().map(of).collect();
    (!lines.is_empty()).then_some(SectionDto { lines, thicknesses, thickness })
}

/// Elevations that a picture was made of; all, or one.
pub(crate) async fn made(app: &App, job: Uuid, one: Option<Uuid>) -> Result<Vec<Elevation>, ApiError> {
    let standing = Standing::load(app, job).await?;
    let about = jobs::get(&app.db, job).await?;
    let reference = super::grid::reference_words(standing.brief.epsg);
    let mut out = Vec::new();
    for (row, data) in drawing::rows(app, job).await? {
        if row.kind != "elevation" || one.is_some_and(|id| id != row.id) {
            continue;
        }
        let Some(picture) = data.picture.clone().filter(|p| is_own(job, &p.key)) else { continue };
        let now = inputs(&data, &standing.stands, &standing.scans);
        out.push(Elevation {
            png: app.objects.bytes(&picture.key).await?.to_vec(),
            stale: now.as_ref() != Some(&picture.inputs),
            data,
            picture,
            brief: standing.brief.clone(),
            job: about.name.clone(),
            simulated: about.simulated.is_some(),
            reference: reference.clone(),
        });
    }
    Ok(out)
}

/// Whether a key is that of a picture of this job: elevations are edited by people, and come back as they were sent.
fn is_own(job: Uuid, key: &str) -> bool {
    let prefix = format!("jobs/{job}/pictures/");
    key.strip_prefix(prefix.as_str()).is_some_and(|name| !name.contains(['/', '.']))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn nothing_but_pictures_of_the_job_is_read() {
        let (mine, other) = (Uuid::from_u128(1), Uuid::from_u128(2));
        assert!(is_own(mine, &format!("jobs/{mine}/pictures/a-1")));
        assert!(!is_own(mine, &format!("jobs/{other}/pictures/a-1")));
        assert!(!is_own(mine, &format!("jobs/{mine}/uploads/a-1")));
        assert!(!is_own(mine, &format!("jobs/{mine}/pictures/../uploads/a-1")));
    }
}
