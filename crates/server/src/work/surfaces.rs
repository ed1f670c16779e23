//! Surfaces that somebody else made, to reckon volumes to: corners and triangles are kept as they were read, in metres on the grid.

use crate::dto::{NewSurfaceDto, OtherSurfaceDto, SurfaceChangeDto};
use crate::{ApiError, App};
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::draw::ground::{Height, Triangles};
use vistazo_formats::landxml::{self, LandSurface};
use vistazo_store::surfaces::{self, NewSurface, SurfaceRow};
use vistazo_store::{jobs, new_id};

/// One of them, ready to be asked.
pub(crate) struct Other {
    pub row: SurfaceRow,
    triangles: Arc<Triangles>,
}

impl Other {
    /// Its height at a place, with what is said of it: all of it shared.
    pub(crate) fn height(&self, p: &nalgebra::Vector2<f64>) -> Option<Height> {
        let (height, error95) = (self.triangles.height(p)?, self.row.error95);
        Some(Height { height, error95, common95: error95 })
    }

    pub(crate) fn to_dto(&self) -> OtherSurfaceDto {
        let r = &self.row;
        OtherSurfaceDto {
            id: r.id,
            name: r.name.clone(),
            error95: r.error95,
            corners: r.corners,
            triangles: r.triangles,
            by: r.by.clone(),
            at: r.made_at,
            version: r.version,
        }
    }
}

/// All of a job.
pub(crate) async fn load(app: &App, job: Uuid) -> Result<Vec<Other>, ApiError> {
    let mut out = Vec::new();
    for row in surfaces::surfaces(&app.db, job).await? {
        let triangles = match app.kept.surface(&row.key) {
            Some(there) => there,
            None => {
                let bytes = app.objects.bytes(&row.key).await?;
                let read = super::blocking(move || read(&bytes).and_then(|(c, f)| Triangles::new(&c, &f))).await?;
                let broken =
                    || ApiError::conflict(format!("the surface “{}” cannot be read: bring it again", row.name));
                app.kept.put_surface(&row.key, read.ok_or_else(broken)?)
            }
        };
        out.push(Other { row, triangles });
    }
    Ok(out)
}

/// Keeps every surface of a file, all or none.
pub(crate) async fn bring(app: &App, job: Uuid, author: Uuid, new: NewSurfaceDto) -> Result<(), ApiError> {
    let NewSurfaceDto { name, text, error95 } = new;
    let found = super::blocking(move || landxml::surfaces(&text)).await?;
    let found = found.map_err(|e| ApiError::field("text", e.to_string()))?;
    let several = found.len() > 1;
    let mut rows = Vec::new();
    for s in &found {
        let own = if several { format!("{name}: {}", s.name) } else { name.clone() };
        let id = new_id();
        let key = format!("jobs/{job}/surfaces/{id}");
        app.objects.put(&key, written(s)).await?;
        let (corners, triangles) = (s.corners.len(), s.faces.len());
        rows.push(NewSurface { id, name: own.chars().take(80).collect(), error95, key, corners, triangles });
    }
    if let Err(e) = surfaces::add_surfaces(&app.db, job, author, &rows).await {
        for r in &rows {
            app.objects.remove(&r.key).await.ok();
        }
        return Err(e.into());
    }
    let triangles: usize = rows.iter().map(|r| r.triangles).sum();
    let said = format!("brought the surface “{name}” of {triangles} triangles");
    Ok(jobs::note(&app.db, job, Some(author), &said).await?)
}

/// Changes what is said of one.
pub(crate) async fn change(
    app: &App,
    job: Uuid,
    author: Uuid,
    id: Uuid,
    to: &SurfaceChangeDto,
) -> Result<(), ApiError> {
    surfaces::change_surface(&app.db, job, id, to.version, (&to.name, to.error95)).await?;
    Ok(jobs::note(&app.db, job, Some(author), &format!("changed what is said of the surface “{}”", to.name)).await?)
}

/// Takes one out, with its triangles.
pub(crate) async fn remove(app: &App, job: Uuid, author: Uuid, id: Uuid, version: i32) -> Result<(), ApiError> {
    let there = surfaces::surfaces(&app.db, job).await?.into_iter().find(|s| s.id == id);
    let row = there.ok_or_else(ApiError::not_found)?;
    surfaces::remove_surface(&app.db, job, id, version).await?;
    app.objects.remove(&row.key).await.ok();
    Ok(jobs::note(&app.db, job, Some(author), &format!("took the surface “{}” out", row.name)).await?)
}

/// How many corners, then the corners, then the faces.
fn written(s: &LandSurface) -> Vec<u8> {
    let mut out = Vec::with_capacity(8 + 24 * s.corners.len() + 12 * s.faces.len());
    out.extend((s.corners.len() as u64).to_le_bytes());
    s.corners.iter().flatten().for_each(|v| out.extend(v.to_le_bytes()));
    s.faces.iter().flatten().for_each(|k| out.extend(k.to_le_bytes()));
    out
}

/// Corners and faces.
type Kept = (Vec<[f64; 3]>, Vec<[u32; 3]>);

fn read(bytes: &[u8]) -> Option<Kept> {
    let (count, rest) = bytes.split_first_chunk::<8>()?;
    let cut = usize::try_from(u64::from_le_bytes(*count)).ok()?.checked_mul(24)?;
    let (corners, faces) = rest.split_at_checked(cut)?;
    let number = |c: &[u8; 24], k: usize| Some(f64::from_le_bytes(*c[8 * k..].first_chunk()?));
    let corner = |c: &[u8; 24]| Some([number(c, 0)?, number(c, 1)?, number(c, 2)?]);
    let index = |f: &[u8; 12], k: usize| Some(u32::from_le_bytes(*f[4 * k..].first_chunk()?));
    let face = |f: &[u8; 12]| Some([index(f, 0)?, index(f, 1)?, index(f, 2)?]);
    let (faces, over) = faces.as_chunks::<12>();
    if !over.is_empty() {
        return None;
    }
    Some((corners.as_chunks::<24>().0.iter().filter_map(corner).collect(), faces.iter().filter_map(face).collect()))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_kept_is_what_was_read() {
        let corners =
            vec![[412_350.125, 5_604_820.0, 87.3], [412_351.0, 5_604_820.0, -2.0], [412_350.0, 5_604_821.5, 88.0]];
        let s = LandSurface { name: "Yard".into(), corners: corners.clone(), faces: vec![[0, 1, 2], [2, 1, 0]] };
        let bytes = written(&s);
        assert_eq!(read(&bytes).unwrap(), (corners, s.faces.clone()));
        // half a file is none
        assert!(read(&bytes[..bytes.len() - 1]).is_none() && read(&bytes[..30]).is_none() && read(&[]).is_none());
    }
}
