//! The ground: its raster is kept beside the scans, its triangles, contours, heights and volumes follow from that and the
//! lines that are drawn on it.

use super::drawing;
use super::passes::Walked;
use super::stands::Stands;
use super::surfaces::{self, Other};
use crate::dto::{BetweenDto, Brief, DrawnData, FoundGroundDto, GroundDto, GroundRequest, SpotHeightDto, VolumeDto};
use crate::{ApiError, App};
use nalgebra::Vector2;
use serde::{Deserialize, Serialize};
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::draw::ground::{
    Breakline, Ground, GroundCell, Height, Surface, Volume, contours, volume_between, volume_to,
};
use vistazo_core::stats::{K95_1D, median};
use vistazo_store::jobs::PlanItem;
use vistazo_store::{jobs, views};

/// Contours are so far apart that about so many cross the site; the heights that they may be apart by, metres.
const CONTOURS: f64 = 25.0;
const APART: [f64; 8] = [0.05, 0.1, 0.2, 0.25, 0.5, 1.0, 2.0, 5.0];
/// Cells of a raster at most.
pub(crate) const MOST: f64 = 4e6;

/// What a raster was found with and from, and where it is kept.
#[derive(Clone, Serialize, Deserialize)]
struct Kept {
    inputs: String,
    key: String,
    at: chrono::DateTime<chrono::Utc>,
    request: GroundRequest,
    /// Metres of the ground in one of the grid.
    factor: f64,
}

/// The head of a raster as it is stored; cells follow, row by row from the south.
#[derive(Serialize, Deserialize)]
struct Head {
    corner: [f64; 2],
    cell: f64,
    size: [usize; 2],
    points: [u64; 2],
}

/// The ground with its triangles.
pub(crate) struct Lying {
    pub surface: Surface,
    /// Height between contours, metres, and the contours.
    pub apart: f64,
    pub contours: Vec<(f64, Vec<Vector2<f64>>)>,
}

/// A line, an area or a spot that is drawn on the ground.
pub(crate) enum OnIt {
    Breakline(Breakline),
    Area { outline: Vec<Vector2<f64>>, level: Option<f64> },
    Spot(Vector2<f64>),
}

/// The ground of a job with everything drawn on it.
pub(crate) struct Site {
    pub lying: Arc<Lying>,
    pub drawn: Vec<(Uuid, String, OnIt)>,
    /// Surfaces that somebody else made.
    pub others: Vec<Other>,
    pub request: GroundRequest,
    pub at: chrono::DateTime<chrono::Utc>,
    pub stale: bool,
    pub brief: Brief,
    pub job: String,
    pub simulated: bool,
    factor: f64,
}

impl Site {
    /// None before the ground was looked for.
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Option<Self>, ApiError> {
        Self::of(app, job, &Walked::load(app, job).await?).await
    }

    async fn of(app: &App, job: Uuid, walked: &Walked) -> Result<Option<Self>, ApiError> {
        let Some(kept) = kept(app, job).await? else { return Ok(None) };
        let drawn: Vec<_> = drawing::rows(app, job).await?.into_iter().filter_map(on_it).collect();
        let lines: Vec<Breakline> =
            drawn.iter().filter_map(|d| if let OnIt::Breakline(l) = &d.2 { Some(l.clone()) } else { None }).collect();
        let row = jobs::get(&app.db, job).await?;
        let inputs = walked.sum();
        Ok(Some(Self {
            lying: lying(app, &kept, lines).await?,
            drawn,
            others: surfaces::load(app, job).await?,
            stale: inputs.as_ref() != Some(&kept.inputs),
            request: kept.request,
            at: kept.at,
            factor: kept.factor,
            brief: walked.brief().clone(),
            job: row.name,
            simulated: row.simulated.is_some(),
        }))
    }

    /// Spots that lie on the ground: what they are called, where, and how high.
    pub(crate) fn spots(&self) -> impl Iterator<Item = (Uuid, &str, Vector2<f64>, Height)> {
        self.drawn.iter().filter_map(|(id, name, d)| match d {
            OnIt::Spot(p) => Some((*id, name.as_str(), *p, self.lying.surface.height(p)?)),
            _ => None,
        })
    }

    /// Areas with a level: what they are called, the level, what lies over and under it, and the area of the outline, m².
    pub(crate) fn volumes(&self) -> impl Iterator<Item = (Uuid, &str, f64, Volume, f64)> {
        self.drawn.iter().filter_map(|(id, name, d)| match d {
            OnIt::Area { outline, level: Some(level) } => {
                let v = self.on_ground(volume_to(&self.lying.surface, *level, outline));
                Some((*id, name.as_str(), *level, v, self.factor.powi(2) * surrounded(outline)))
            }
            _ => None,
        })
    }

    /// The same to every surface that somebody else made: the area, what it is called, the surface.
    pub(crate) fn between(&self) -> impl Iterator<Item = (Uuid, &str, &Other, Volume, f64)> {
        let areas = self.drawn.iter().filter_map(|(id, name, d)| match d {
            OnIt::Area { outline, .. } => Some((*id, name.as_str(), outline)),
            _ => None,
        });
        areas.flat_map(move |(id, name, outline)| {
            self.others.iter().map(move |other| {
                let v = volume_between(&self.lying.surface, &|p| other.height(p), outline);
                (id, name, other, self.on_ground(v), self.factor.powi(2) * surrounded(outline))
            })
        })
    }

    /// Of lengths of the grid in lengths of the ground; heights are those already.
    fn on_ground(&self, v: Volume) -> Volume {
        let f = self.factor.powi(2);
        Volume { above: v.above * f, below: v.below * f, error95: v.error95 * f, area: v.area * f }
    }

    fn to_dto(&self) -> Option<FoundGroundDto> {
        let Lying { surface, apart, contours } = &*self.lying;
        let ground = surface.ground();
        let there: Vec<&GroundCell> = ground.cells.iter().flatten().collect();
        let mut errors: Vec<f64> = there.iter().map(|c| K95_1D * (c.own + c.common).sqrt()).collect();
        let worst = errors.iter().copied().fold(0.0, f64::max);
        let (corners, triangles) = surface.triangles();
        let mm = |p: &Vector2<f64>| [p.x, p.y].map(|v| (v * 1e3).round() / 1e3);
        Some(FoundGroundDto {
            request: self.request,
            at: self.at,
            stale: self.stale,
            points: ground.points,
            cells: there.len(),
            area: there.len() as f64 * (ground.cell * self.factor).powi(2),
            heights: heights(ground),
            error95: [median(&mut errors)?, worst],
            corners: corners.len(),
            triangles: triangles.len(),
            apart: *apart,
            contours: contours.iter().map(|(h, line)| (*h, line.iter().map(mm).collect())).collect(),
        })
    }
}

pub(crate) async fn to_dto(app: &App, job: Uuid) -> Result<GroundDto, ApiError> {
    let walked = Walked::load(app, job).await?;
    let standing = &walked.standing;
    let on_grid = standing.stands.is_on_grid();
    let Some(site) = Site::of(app, job, &walked).await? else {
        let others = surfaces::load(app, job).await?;
        let surfaces = others.iter().map(Other::to_dto).collect();
        return Ok(GroundDto { on_grid, surfaces, ..GroundDto::default() });
    };
    super::blocking(move || GroundDto {
        on_grid,
        found: site.to_dto(),
        spots: site.spots().map(|(id, _, _, h)| SpotHeightDto { id, height: h.height, error95: h.error95 }).collect(),
        volumes: site
            .volumes()
            .map(|(id, _, level, v, whole)| VolumeDto {
                id,
                level,
                above: v.above,
                below: v.below,
                error95: v.error95,
                area: v.area,
                whole,
            })
            .collect(),
        surfaces: site.others.iter().map(Other::to_dto).collect(),
        between: site
            .between()
            .map(|(area, _, other, v, whole)| BetweenDto {
                area,
                surface: other.row.id,
                above: v.above,
                below: v.below,
                error95: v.error95,
                known: v.area,
                whole,
            })
            .collect(),
    })
    .await
}

fn on_it((row, d): (PlanItem, DrawnData)) -> Option<(Uuid, String, OnIt)> {
    let line = || d.line.iter().map(|p| Vector2::from(*p)).collect();
    let of = match row.kind.as_str() {
        "breakline" => OnIt::Breakline(line()),
        "area" => OnIt::Area { outline: line(), level: d.height },
        "spot" => OnIt::Spot(d.position?.into()),
        _ => return None,
    };
    Some((row.id, d.name, of))
}

fn surrounded(outline: &[Vector2<f64>]) -> f64 {
    let next = outline.iter().cycle().skip(1);
    // about the first corner: coordinates are large
    let at = |p: &Vector2<f64>| p - outline[0];
    0.5 * outline.iter().zip(next).map(|(a, b)| at(a).perp(&at(b))).sum::<f64>().abs()
}

fn heights(ground: &Ground) -> [f64; 2] {
    let z = || ground.cells.iter().flatten().map(|c| c.height);
    [z().fold(f64::MAX, f64::min), z().fold(f64::MIN, f64::max)]
}

async fn kept(app: &App, job: Uuid) -> Result<Option<Kept>, ApiError> {
    let value = views::computed(&app.db, job, "ground", "last").await?;
    Ok(value.and_then(|v| serde_json::from_value(v).ok()))
}

/// Where the ground of a job is kept, which changes each time that it is found, and what it was found in.
pub(crate) async fn key(app: &App, job: Uuid) -> Result<Option<(String, String)>, ApiError> {
    Ok(kept(app, job).await?.map(|k| (k.key, k.inputs)))
}

async fn lying(app: &App, kept: &Kept, lines: Vec<Breakline>) -> Result<Arc<Lying>, ApiError> {
    let of: Vec<Vec<[f64; 2]>> = lines.iter().map(|l| l.iter().map(|p| (*p).into()).collect()).collect();
    let key = format!("{} {}", kept.key, super::fingerprint(&of));
    if let Some(there) = app.kept.ground(&key) {
        return Ok(there);
    }
    let bytes = app.objects.bytes(&kept.key).await?;
    let request = kept.request;
    let found = super::blocking(move || {
        let ground = read(&bytes)?;
        let [low, high] = heights(&ground);
        let surface = Surface::new(ground, &lines, request.tolerance, request.longest)?;
        let apart = APART.into_iter().find(|a| (high - low) / a < CONTOURS).unwrap_or(10.0);
        let contours = contours(&surface, apart);
        Some(Lying { surface, apart, contours })
    })
    .await?;
    let found = found.ok_or_else(|| ApiError::conflict("the ground that was found cannot be read: find it again"))?;
    Ok(app.kept.put_ground(key, found))
}

/// Keeps what was found in place of what was there.
pub(crate) async fn keep(
    app: &App,
    (job, task): (Uuid, String),
    stands: &Stands,
    inputs: String,
    request: GroundRequest,
    ground: &Ground,
) -> Result<(), ApiError> {
    let old = kept(app, job).await?;
    let key = format!("jobs/{job}/ground/{task}");
    app.objects.put(&key, written(ground)).await?;
    let now = Kept { inputs, key, at: chrono::Utc::now(), request, factor: stands.ground_in_grid() };
    views::keep(&app.db, job, "ground", "last", &serde_json::json!(now)).await?;
    if let Some(old) = old.filter(|o| o.key != now.key) {
        app.objects.remove(&old.key).await.ok();
    }
    Ok(())
}

fn written(g: &Ground) -> Vec<u8> {
    let head = Head { corner: g.corner.into(), cell: g.cell, size: g.size, points: g.points };
    let mut out = serde_json::to_vec(&head).unwrap_or_default();
    out.push(b'\n');
    for c in &g.cells {
        // where nobody saw it there is no height
        let (h, own, common, n) = c.map_or((f64::NAN, 0.0, 0.0, 0), |c| (c.height, c.own, c.common, c.points));
        out.extend(h.to_le_bytes());
        out.extend((own as f32).to_le_bytes());
        out.extend((common as f32).to_le_bytes());
        out.extend(n.to_le_bytes());
    }
    out
}

fn read(bytes: &[u8]) -> Option<Ground> {
    let end = bytes.iter().position(|b| *b == b'\n')?;
    let head: Head = serde_json::from_slice(&bytes[..end]).ok()?;
    let cell = |b: &[u8; 20]| {
        let (h, rest) = b.split_first_chunk::<8>()?;
        let (own, rest) = rest.split_first_chunk::<4>()?;
        let (common, rest) = rest.split_first_chunk::<4>()?;
        let points = u32::from_le_bytes(rest.try_into().ok()?);
        let (own, common) = (f64::from(f32::from_le_bytes(*own)), f64::from(f32::from_le_bytes(*common)));
        let height = f64::from_le_bytes(*h);
        height.is_finite().then_some(GroundCell { height, own, common, points })
    };
    let (cells, rest) = bytes[end + 1..].as_chunks::<20>();
    let whole = rest.is_empty() && cells.len() == head.size[0].checked_mul(head.size[1])?;
    whole.then(|| Ground {
        corner: head.corner.into(),
        cell: head.cell,
        size: head.size,
        cells: cells.iter().map(cell).collect(),
        points: head.points,
    })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_kept_is_what_was_found() {
        let cell = |height: f64| Some(GroundCell { height, own: 1e-6, common: 4e-6, points: 7 });
        let g = Ground {
            corner: Vector2::new(412_350.0, 5_604_820.25),
            cell: 0.25,
            size: [2, 2],
            cells: vec![cell(87.125), None, cell(-3.5), cell(0.0)],
            points: [21, 40],
        };
        let back = read(&written(&g)).unwrap();
        assert_eq!((back.corner, back.size, back.points), (g.corner, g.size, g.points));
        for (a, b) in back.cells.iter().zip(&g.cells) {
            assert_eq!(a.map(|c| (c.height, c.points)), b.map(|c| (c.height, c.points)));
            assert!(a.is_none_or(|c| (c.own - 1e-6).abs() < 1e-12 && (c.common - 4e-6).abs() < 1e-12));
        }
        // half a file is no ground
        let bytes = written(&g);
        assert!(read(&bytes[..bytes.len() - 1]).is_none() && read(b"{}").is_none());
    }

    #[test]
    fn outlines_far_from_the_origin_have_their_area() {
        let at = |x: f64, y: f64| Vector2::new(412_350.0 + x, 5_604_820.0 + y);
        let l = [at(0.0, 0.0), at(3.0, 0.0), at(3.0, 1.0), at(1.0, 1.0), at(1.0, 2.0), at(0.0, 2.0)];
        assert!((surrounded(&l) - 4.0).abs() < 1e-9);
    }
}
