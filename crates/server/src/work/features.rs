//! Features: points and lines on coded layers, measured in profiles through the clouds; floor levels at openings.

use super::drawing;
use super::ground::Site;
use super::planning::INSTRUMENT_HEIGHT;
use super::slices::Sliced;
use super::stands::{Standing, Stands};
use crate::dto::{Brief, CodeDto, CornerDto, CornersDto, CornersRequest, DrawnData, DrawnFrom};
use crate::{ApiError, App};
use nalgebra::Vector2;
use std::f64::consts::FRAC_PI_2;
use uuid::Uuid;
use vistazo_core::draw::{CODES, FLOOR, Profile, Shot, Snap, Stand, twice};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::slice::Cut;
use vistazo_formats::feature_files::{Code, Feature};
use vistazo_store::jobs::{self, PlanItem};

/// Corners measured at once at most.
pub(crate) const MOST: usize = 200;
/// Length of a profile, and how far it reaches up and down together, metres.
const ALONG: f64 = 1.2;
const TALL: f64 = 2.4;
/// Thickness of a profile: a surface is told better by more of it, a rim by less, metres.
const FOR_SURFACES: f64 = 0.2;
const FOR_RIMS: f64 = 0.06;

/// Everything coded of a job, for files.
pub(crate) struct Coded {
    pub job: String,
    pub brief: Brief,
    pub simulated: bool,
    pub at: chrono::DateTime<chrono::Utc>,
    pub codes: Vec<Code>,
    /// Those of which every corner is known.
    pub features: Vec<Feature>,
}

/// The codes of a job: those of every job, and what was added; of one code what was added counts.
pub(crate) fn codes(rows: &[(PlanItem, DrawnData)]) -> Vec<CodeDto> {
    let added: Vec<CodeDto> = (rows.iter().filter(|(i, _)| i.kind == "code"))
        .map(|(i, d)| CodeDto {
            code: d.code.clone(),
            name: d.name.clone(),
            snap: d.snap.unwrap_or(Snap::Ground.into()),
            is_line: d.is_line.unwrap_or(true),
            id: Some(i.id),
        })
        .collect();
    let usual = CODES.iter().filter(|c| added.iter().all(|a| a.code != c.code)).map(|c| CodeDto {
        code: c.code.into(),
        name: c.name.into(),
        snap: c.snap.into(),
        is_line: c.is_line,
        id: None,
    });
    usual.chain(added.iter().cloned()).collect()
}

/// Openings that reach down to the floor and have no floor level.
pub(crate) fn without_level(rows: &[(PlanItem, DrawnData)]) -> Vec<Uuid> {
    let has = |id: Uuid| rows.iter().any(|(i, d)| i.kind == "feature" && d.code == FLOOR && d.of == Some(id));
    let openings = rows.iter().filter(|(i, d)| i.kind == "opening" && d.to_the_floor == Some(true));
    openings.filter(|(i, _)| !has(i.id)).map(|(i, _)| i.id).collect()
}

/// Lines of one code that may be one thing drawn twice.
pub(crate) fn drawn_twice(rows: &[(PlanItem, DrawnData)]) -> Vec<[Uuid; 2]> {
    let lines: Vec<_> = rows.iter().filter(|(i, d)| i.kind == "feature" && d.line.len() > 1).collect();
    let mut names: Vec<&str> = lines.iter().map(|l| l.1.code.as_str()).collect();
    names.sort_unstable();
    names.dedup();
    names
        .into_iter()
        .flat_map(|code| {
            let of: Vec<_> = lines.iter().filter(|l| l.1.code == code).collect();
            let places: Vec<Vec<Vector2<f64>>> =
                of.iter().map(|l| l.1.line.iter().map(|p| Vector2::from(*p)).collect()).collect();
            twice(&places).into_iter().map(|(a, b)| [of[a].0.id, of[b].0.id]).collect::<Vec<_>>()
        })
        .collect()
}

/// Measures places in the clouds; nothing is stored.
pub(crate) async fn measure(app: &App, job: Uuid, asked: &CornersRequest) -> Result<CornersDto, ApiError> {
    let n = asked.corners.len();
    if !(1..=MOST).contains(&n) {
        return Err(ApiError::field("corners", format!("found {n}, expected 1 to {MOST}")));
    }
    let far = |v: &f64| !v.is_finite() || v.abs() > 1e8;
    if asked.corners.iter().flatten().chain(&asked.height).chain(&asked.bearing).any(far) {
        return Err(ApiError::field("corners", "expected finite coordinates within 100 000 km"));
    }
    let sliced = Sliced::load(app, job).await?;
    let stands = &sliced.all.stands;
    let Some(inputs) = stands.sum(&sliced.all.scans) else {
        return Err(ApiError::conflict("the block is not on the grid, or out of date: georeference it first"));
    };
    let ground = if asked.height.is_none() { Site::load(app, job).await? } else { None };
    let snap = Snap::from(asked.snap);
    let instrument = Instrument::from(&sliced.all.brief.instrument);
    let (mut corners, mut shots) = (Vec::new(), Vec::new());
    for (k, &[e, north]) in asked.corners.iter().enumerate() {
        let found = ground.as_ref().and_then(|g| g.lying.surface.height(&Vector2::new(e, north)));
        let about = asked.height.or(found.map(|h| h.height)).or_else(|| floor(stands, &sliced, [e, north]));
        let about = about.ok_or_else(|| ApiError::conflict("no scan stands on the grid"))?;
        let at = stands.inverse(&Vec3::new(e, north, about));
        let thickness = if snap == Snap::Ground { FOR_SURFACES } else { FOR_RIMS };
        let cut = Cut::new(at, bearing(asked, k, stands, about), FRAC_PI_2, [ALONG, TALL], thickness);
        let shot = shot(app, &sliced, &cut, snap, &instrument).await?;
        let place = shot.as_ref().map_or([e, north, about], |(s, _)| stands.position(&s.at));
        // where the place was given, or nothing was found, it stays what was given
        let given = snap == Snap::Ground || shot.is_none();
        let plan = if given { [e, north] } else { [place[0], place[1]].map(|v| (v * 1e4).round() / 1e4) };
        corners.push(plan);
        shots.push(shot.map(|(s, scans)| CornerDto {
            height: (place[2] * 1e4).round() / 1e4,
            error95: s.error95,
            scatter: s.scatter,
            points: s.points,
            scans,
        }));
    }
    let drawn = DrawnFrom { inputs, at: chrono::Utc::now(), squared: Vec::new() };
    Ok(CornersDto { corners, shots, drawn })
}

/// The bearing of the profile through a corner in the frame of the scans, radians: across the line there.
fn bearing(asked: &CornersRequest, k: usize, stands: &Stands, height: f64) -> f64 {
    let at = |[e, n]: [f64; 2]| stands.inverse(&Vec3::new(e, n, height));
    let of = |a: [f64; 2], b: [f64; 2]| {
        let d = at(b) - at(a);
        d.x.atan2(d.y)
    };
    let c = &asked.corners;
    if c.len() < 2 {
        let b = asked.bearing.unwrap_or(90.0).to_radians();
        let [e, n] = c[k];
        return of([e, n], [e + b.sin(), n + b.cos()]);
    }
    let (before, after) = (c[k.saturating_sub(1)], c[(k + 1).min(c.len() - 1)]);
    of(before, after) + FRAC_PI_2
}

/// The floor under the nearest scanner.
fn floor(stands: &Stands, sliced: &Sliced, [e, n]: [f64; 2]) -> Option<f64> {
    let placed = sliced.all.scans.iter().filter(|s| s.has_scanner).filter_map(|s| stands.pose(s.id));
    let away = |p: &[f64; 3]| (p[0] - e).hypot(p[1] - n);
    let nearest = placed.map(|p| stands.position(&p.1.translation)).min_by(|a, b| away(a).total_cmp(&away(b)))?;
    Some(nearest[2] - INSTRUMENT_HEIGHT)
}

async fn shot(
    app: &App,
    sliced: &Sliced,
    cut: &Cut,
    snap: Snap,
    instrument: &Instrument,
) -> Result<Option<(Shot, Vec<String>)>, ApiError> {
    let (mut scans, mut stands, mut names) = (Vec::new(), Vec::new(), Vec::new());
    for (scan, points) in sliced.points(app, cut).await? {
        let Some((_, pose, covariance)) = sliced.all.stands.of_scan(scan) else { continue };
        scans.push(points);
        stands.push(Stand { pose, covariance });
        names.push(sliced.all.name(scan));
    }
    let (cut, instrument) = (*cut, instrument.clone());
    let found = super::blocking(move || {
        Profile { cut: &cut, scans: &scans, stands: &stands, instrument: &instrument }.shot(snap)
    })
    .await?;
    Ok(found.map(|s| {
        let of = s.scans.iter().filter_map(|k| names.get(*k).cloned()).collect();
        (s, of)
    }))
}

/// What of a job is coded and known; none where nothing is.
pub(crate) async fn coded(app: &App, job: Uuid) -> Result<Option<Coded>, ApiError> {
    let rows = drawing::rows(app, job).await?;
    let features: Vec<Feature> =
        rows.iter().filter(|(i, _)| i.kind == "feature").filter_map(|(_, d)| feature(d)).collect();
    if features.is_empty() {
        return Ok(None);
    }
    let standing = Standing::load(app, job).await?;
    let row = jobs::get(&app.db, job).await?;
    let drawn = rows.iter().filter(|(i, _)| i.kind == "feature").filter_map(|(_, d)| d.drawn.as_ref().map(|f| f.at));
    Ok(Some(Coded {
        job: row.name,
        brief: standing.brief.clone(),
        simulated: row.simulated.is_some(),
        at: drawn.max().unwrap_or_else(chrono::Utc::now),
        codes: codes(&rows).into_iter().map(|c| Code { code: c.code, name: c.name }).collect(),
        features,
    }))
}

/// A feature as it is written; none where the height of a corner is not known.
fn feature(d: &DrawnData) -> Option<Feature> {
    let shots: Option<Vec<&CornerDto>> = d.shots.iter().map(Option::as_ref).collect();
    let shots = shots.filter(|s| s.len() == d.line.len() && !s.is_empty())?;
    let scans: std::collections::BTreeSet<&str> =
        shots.iter().flat_map(|s| s.scans.iter().map(String::as_str)).collect();
    let corners = d.line.iter().zip(&shots).map(|(&[e, n], s)| [e, n, s.height]).collect();
    Some(Feature {
        name: d.name.clone(),
        code: d.code.clone(),
        corners,
        error95: shots.iter().map(|s| Some(s.error95)).collect(),
        says: format!("measured in the clouds of {}", scans.into_iter().collect::<Vec<_>>().join(" ")),
    })
}
