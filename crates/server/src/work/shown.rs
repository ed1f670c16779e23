//! What the scans show of the required surfaces: how it is worked out, kept and sent.

use super::planning::{self, Plan};
use super::verdict::State;
use crate::dto::{Brief, FillingDto, HoleDto, ShownDto, ShownSurfaceDto, StoodDto};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::check::{Hole, Shown, holes};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Cover, Surface, Wish, fill};
use vistazo_store::views;

/// A place that is tried is free for a tripod on a floor that a scan was taken from.
const TRIED: f64 = 1.0;
/// Heights that differ by less are of one floor, metres.
const ONE_FLOOR: f64 = 0.8;

/// Everything that is said of it, from what was counted.
pub(crate) fn judge(plan: &Plan, brief: &Brief, stood: &[(String, Vec3)], counted: &Shown) -> ShownDto {
    let instrument = Instrument::from(&brief.instrument);
    let cover = plan.cover(&instrument);
    let planned: Vec<bool> = (0..cover.samples.len()).map(|i| cover.count(i) > 0).collect();
    let (found, small) = holes(&cover.samples, counted, &planned);
    let parts: Vec<Vec<usize>> = found.iter().map(|h| h.pieces.clone()).collect();
    let places: Vec<Vec3> = stood.iter().map(|s| s.1).collect();
    let wish = Wish {
        floors: floors(&places),
        instrument_height: planning::INSTRUMENT_HEIGHT,
        candidate_grid: TRIED,
        ..Wish::default()
    };
    let (fillings, beyond) = fill(&plan.site, &cover.samples, &instrument, &parts, &places, &wish);
    let name = |k: usize| stood.get(k).map_or_else(|| format!("+{}", k + 1 - stood.len()), |s| s.0.clone());
    let surfaces = surfaces(plan, &cover, counted, &planned);
    ShownDto {
        stale: false,
        within: counted.within,
        total: counted.total,
        planned: surfaces.iter().map(|s| s.planned).sum(),
        surfaces,
        holes: found.iter().map(|h| hole(plan, h)).collect(),
        small,
        fillings: fillings
            .into_iter()
            .map(|f| FillingDto {
                position: f.position.into(),
                area: f.area,
                holes: f.parts,
                beside: f.beside.map(|b| name(b.0)),
                overlap: f.beside.map_or(0.0, |b| b.1),
            })
            .collect(),
        beyond,
        stations: stood.iter().map(|s| StoodDto { name: s.0.clone(), position: s.1.into() }).collect(),
    }
}

/// The floors that scans were taken from: a tripod's height under them.
fn floors(stood: &[Vec3]) -> Vec<f64> {
    let mut heights: Vec<f64> = stood.iter().map(|p| p.z - planning::INSTRUMENT_HEIGHT).collect();
    heights.sort_by(f64::total_cmp);
    heights.chunk_by(|a, b| b - a < ONE_FLOOR).map(|c| c[c.len() / 2]).collect()
}

fn hole(plan: &Plan, h: &Hole) -> HoleDto {
    let (item, surface) = plan.surface(h.surface).clone();
    HoleDto {
        item,
        surface,
        at: h.at.into(),
        along: h.along,
        heights: h.heights,
        area: h.area,
        lacks: h.lacks,
        beside: h.beside,
        planned: h.planned,
    }
}

fn surfaces(plan: &Plan, cover: &Cover, counted: &Shown, planned: &[bool]) -> Vec<ShownSurfaceDto> {
    let mut out: Vec<ShownSurfaceDto> = Vec::new();
    let mut last: Option<Surface> = None;
    for p in &counted.pieces {
        let Some(s) = cover.samples.get(p.sample) else { continue };
        let Some(demand) = s.demand else { continue };
        if last.replace(s.surface) != Some(s.surface) {
            let (item, name) = plan.surface(s.surface).clone();
            let (kind, length, base, top) = plan.face(s.surface);
            let kind = kind.into();
            let required = demand.spacing;
            let (area, within, planned) = (0.0, 0.0, 0.0);
            let cells = Vec::new();
            out.push(ShownSurfaceDto { item, name, kind, required, length, base, top, area, within, planned, cells });
        }
        let Some(of) = out.last_mut() else { continue };
        of.area += s.area();
        of.within += if p.spacing.is_some_and(|v| v <= demand.spacing) { s.area() } else { 0.0 };
        of.planned += if planned[p.sample] { s.area() } else { 0.0 };
        let f = |v: f64| v as f32;
        of.cells.push([
            f(s.position.x),
            f(s.position.y),
            f(s.position.z),
            f(s.along),
            f(s.size[0]),
            f(s.size[1]),
            p.spacing.map_or(0.0, f),
            p.beside.map_or(0.0, f),
            f32::from(u8::from(planned[p.sample])),
        ]);
    }
    out
}

/// Keeps it with what it was made from.
pub(crate) async fn keep(app: &App, job: Uuid, inputs: &str, shown: &ShownDto) -> Result<(), ApiError> {
    let kept = serde_json::json!({ "inputs": inputs, "shown": shown });
    Ok(views::keep(&app.db, job, "shown", "last", &kept).await?)
}

/// As it was last worked out, and whether it is of what is there.
pub(crate) async fn last(app: &App, job: Uuid) -> Result<Option<ShownDto>, ApiError> {
    let Some(kept) = views::computed(&app.db, job, "shown", "last").await? else { return Ok(None) };
    let mut shown: ShownDto = crate::record::read("what scans show of the surfaces", kept["shown"].clone())?;
    let now = State::load(app, job).await?.spacing_inputs();
    shown.stale = now.is_none() || kept["inputs"].as_str() != now.as_deref();
    Ok(Some(shown))
}
