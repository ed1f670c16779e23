//! The clouds of a job as they are looked at: poses, tiles, and what is known about each.

use super::passes::{self, Walked};
use super::stands::Standing;
use super::{grid, planning, registration};
use crate::dto::{CloudDto, CloudScanDto, MeasureDto, MeasuredDto, PickDto, PoseDto, SpanDto, TilesDto};
use crate::record::GradeWord;
use crate::{ApiError, App};
use nalgebra::Matrix6;
use serde_json::{Value, json};
use uuid::Uuid;
use vistazo_core::cloud::{Measured, span};
use vistazo_core::geometry::{Error95, Pose, Vec3};
use vistazo_core::georef::GridMap;
use vistazo_core::instrument::Instrument;
use vistazo_store::field;

/// What a scan's place is taken from.
struct Place {
    scan: Uuid,
    pose: PoseDto,
    covariance: Vec<f64>,
}

/// All scans that have a place, in the best frame there is: on the grid, else in the block, else as
/// the files say. `wanted` asks for one of these, or for the last scan alone (`scan`). On the grid the scans stand as they do on site, in true
/// metres about the place the grid is mapped from: distances are those on site, and coordinates of points
/// that are asked for go through the map.
pub(crate) async fn cloud(app: &App, job: Uuid, wanted: Option<&str>) -> Result<CloudDto, ApiError> {
    let rows = field::scans(&app.db, job).await?;
    if rows.is_empty() {
        return of_passes(app, job, wanted).await;
    }
    let tiles = tiles(app, job, &rows).await?;
    let (_, brief) = super::brief(app, job).await?;
    let plan = planning::load(app, job).await?;
    let block = registration::current_at(app, job, &brief, &plan, &rows).await?;
    let georef = grid::current_of(app, job, &brief, block.as_ref()).await?;
    let adjusted = block.filter(|a| a.record.refused.is_none());
    let pick = |frame: &str| wanted.is_none_or(|w| w == frame);
    let (frame, stale, stations): (&str, bool, Vec<Place>) = match (georef, &adjusted) {
        _ if wanted == Some("scan") => ("scan", false, rows.last().map(alone).into_iter().collect()),
        (Some(g), _) if pick("grid") => {
            let origin = Vec3::from(g.record.map.origin);
            let place = |s: &crate::record::georeference::Station| {
                let mut pose = Pose::from(&s.local);
                pose.translation += origin;
                Place { scan: s.scan, pose: (&pose).into(), covariance: s.covariance.clone() }
            };
            ("grid", g.stale, g.record.stations.iter().map(place).collect())
        }
        (_, Some(a)) if pick("block") => {
            let place = |s: &crate::record::registration::Scan| Place {
                scan: s.id,
                pose: (&Pose::from(&s.pose)).into(),
                covariance: s.covariance.clone(),
            };
            ("block", a.stale, a.record.scans.iter().map(place).collect())
        }
        _ => ("as delivered", false, rows.iter().filter_map(delivered).collect()),
    };
    let stations = with_clouds(stations, frame, &rows);
    let n = stations.len().max(1) as f64;
    let middle = stations.iter().map(|s| Vec3::from(s.pose.translation)).sum::<Vec3>() / n;
    let origin = middle.map(f64::round);
    let mut scans: Vec<CloudScanDto> = rows
        .iter()
        .filter_map(|row| {
            let station = stations.iter().find(|s| s.scan == row.id)?;
            let mut pose = station.pose;
            pose.translation = (Vec3::from(pose.translation) - origin).into();
            let standing = adjusted.as_ref().and_then(|a| a.record.scans.iter().find(|s| s.id == row.id));
            Some(CloudScanDto {
                id: row.id,
                name: row.name.clone(),
                pose,
                points: row.points,
                coloured: row.coloured,
                tiles: tiles.iter().find(|t| t.0 == row.id).map(|t| t.1.clone()),
                grade: standing.map_or(GradeWord::NotJudged, |s| s.grade),
                residual: standing.and_then(|s| s.residual),
                covariance: station.covariance.clone(),
                walked: false,
            })
        })
        .collect();
    scans.extend(walked(app, job, frame, &origin).await?);
    Ok(CloudDto { frame: frame.into(), origin: origin.into(), stale, revision: revision(&scans), scans })
}

fn revision(scans: &[CloudScanDto]) -> String {
    let of = |s: &CloudScanDto| (s.id, s.pose, s.grade, s.tiles.as_ref().map(|t| t.build));
    super::fingerprint(&scans.iter().map(of).collect::<Vec<_>>())
}

/// Where no scan is: the passes, in the frame that they hold one another in, or in the one that control gives them.
async fn of_passes(app: &App, job: Uuid, wanted: Option<&str>) -> Result<CloudDto, ApiError> {
    let all = Walked::load(app, job).await?;
    let stands = &all.standing.stands;
    let frame = wanted.filter(|w| *w == "scan").unwrap_or(stands.frame);
    let origin = stands.map().map_or_else(Vec3::zeros, |m| m.origin.map(f64::round));
    let scans = walked(app, job, frame, &origin).await?;
    let stale = all.record.as_ref().is_some_and(|r| r.inputs != all.inputs);
    Ok(CloudDto { frame: frame.into(), origin: origin.into(), stale, revision: revision(&scans), scans })
}

/// The tiles of scans: those that have the colours of photographs and know what is taken out, where there are such.
pub(crate) async fn tiles(app: &App, job: Uuid, rows: &[field::ScanRow]) -> Result<Vec<(Uuid, TilesDto)>, ApiError> {
    let classed = vistazo_store::cleaning::scan_classes(&app.db, job).await?;
    let coloured = vistazo_store::photos::scan_colours(&app.db, job).await?;
    let of = |row: &field::ScanRow| {
        let with_classes = classed.iter().find(|c| c.scan_id == row.id);
        let classes = with_classes.map_or("", |c| c.inputs.as_str());
        // colours that were laid over other classes would show what is taken out
        let with_colours = coloured.iter().find(|c| c.scan_id == row.id && c.classes == classes);
        let chosen = with_colours.map(|c| &c.tiles).or(with_classes.map(|c| &c.tiles));
        let made = chosen.and_then(|t| serde_json::from_value(t.clone()).ok());
        Some((row.id, made.or_else(|| serde_json::from_value(row.derived.clone()).ok())?))
    };
    Ok(rows.iter().filter_map(of).collect())
}

/// Passes that have their place, in the frame that scans are shown in.
async fn walked(app: &App, job: Uuid, frame: &str, origin: &Vec3) -> Result<Vec<CloudScanDto>, ApiError> {
    if vistazo_store::passes::passes(&app.db, job).await?.iter().all(|p| p.tiles.is_none()) {
        return Ok(Vec::new());
    }
    let all = Walked::load(app, job).await?;
    if all.standing.stands.frame != frame {
        return Ok(Vec::new());
    }
    let from = all.standing.stands.map().map_or_else(Vec3::zeros, |m| m.origin) - origin;
    let of = |(l, _): (passes::Looked, _)| CloudScanDto {
        id: l.id,
        name: l.name,
        pose: (&Pose { translation: Vec3::from(l.made.origin) + from, ..Pose::identity() }).into(),
        points: l.points,
        coloured: false,
        tiles: Some(l.made.tiles),
        grade: GradeWord::NotJudged,
        residual: None,
        covariance: Vec::new(),
        walked: true,
    };
    Ok(all.looked_at().into_iter().map(of).collect())
}

/// A cloud without a scanner farther than this from all scans is of another frame, metres.
const SAME_SITE: f64 = 20_000.0;

/// Adds the clouds without a scanner whose own coordinates are of the grid: taken as they are, since nothing
/// checks them.
fn with_clouds(mut stations: Vec<Place>, frame: &str, rows: &[field::ScanRow]) -> Vec<Place> {
    if frame != "grid" {
        return stations;
    }
    let at = |p: &Place| Vec3::from(p.pose.translation);
    let near = |c: &Place| stations.iter().any(|s| (at(s) - at(c)).norm() < SAME_SITE);
    let clouds: Vec<Place> = rows.iter().filter(|r| !r.has_scanner).filter_map(delivered).filter(near).collect();
    stations.extend(clouds);
    stations
}

/// A scan by itself, as its scanner sees it: what lies within it is known before anything is registered.
fn alone(row: &field::ScanRow) -> Place {
    Place { scan: row.id, pose: (&Pose::identity()).into(), covariance: vec![0.0; 36] }
}

/// Where the file says that the scan was; nothing is known about how good that is.
fn delivered(row: &field::ScanRow) -> Option<Place> {
    Some(Place { scan: row.id, pose: serde_json::from_value(row.pose.clone()?).ok()?, covariance: Vec::new() })
}

/// The tileset of all scans: each scan's own tileset under its pose. Nothing on disk moves when a
/// scan gets a new pose.
pub(crate) fn tileset(cloud: &CloudDto, job: Uuid) -> Value {
    let (mut lo, mut hi) = (Vec3::repeat(-1.0), Vec3::repeat(1.0));
    let children: Vec<Value> = cloud
        .scans
        .iter()
        .filter_map(|s| {
            let t = s.tiles.as_ref()?;
            let pose = Pose::from(&s.pose);
            let r = pose.matrix();
            let p = pose.translation;
            let middle = pose.apply(&Vec3::from(t.middle));
            let reach = Vec3::repeat(Vec3::from(t.half).norm());
            lo = lo.inf(&(middle - reach));
            hi = hi.sup(&(middle + reach));
            let ([x, y, z], [a, b, c]) = (t.middle, t.half);
            Some(json!({
                "transform": [
                    r[(0, 0)], r[(1, 0)], r[(2, 0)], 0.0, r[(0, 1)], r[(1, 1)], r[(2, 1)], 0.0,
                    r[(0, 2)], r[(1, 2)], r[(2, 2)], 0.0, p.x, p.y, p.z, 1.0,
                ],
                "boundingVolume": { "box": [x, y, z, a, 0.0, 0.0, 0.0, b, 0.0, 0.0, 0.0, c] },
                "geometricError": 1e4,
                "content": { "uri": format!("/api/jobs/{job}/scans/{}/tiles/{}/{}", s.id, t.build, t.root) },
            }))
        })
        .collect();
    let (m, h) = ((lo + hi) / 2.0, (hi - lo) / 2.0);
    json!({
        "asset": { "version": "1.1", "extras": { "origin": cloud.origin, "frame": cloud.frame } },
        "geometricError": 1e5,
        "root": {
            "boundingVolume": { "box": [m.x, m.y, m.z, h.x, 0.0, 0.0, 0.0, h.y, 0.0, 0.0, 0.0, h.z] },
            "geometricError": 1e5,
            "refine": "ADD",
            "children": children,
        },
    })
}

/// Coordinates of picked points and what lies between them, with their uncertainty.
pub(crate) async fn measure(
    app: &App,
    job: Uuid,
    picks: &[PickDto],
    wanted: Option<&str>,
) -> Result<MeasureDto, ApiError> {
    if picks.is_empty() || picks.len() > 100 {
        return Err(ApiError::field("points", format!("found {} points, expected 1 to 100", picks.len())));
    }
    let (_, brief) = super::brief(app, job).await?;
    let instrument = Instrument::from(&brief.instrument);
    let cloud = cloud(app, job, wanted).await?;
    let origin = Vec3::from(cloud.origin);
    let mut points: Vec<(Uuid, String, Measured, Measured)> = Vec::new();
    for pick in picks {
        let scan = cloud
            .scans
            .iter()
            .find(|s| s.id == pick.scan)
            .ok_or_else(|| ApiError::field("points", "a point is of a scan that has no place in this frame"))?;
        if !pick.at.iter().all(|v| v.is_finite()) {
            return Err(ApiError::field("points", "expected finite coordinates"));
        }
        let mut pose = Pose::from(&scan.pose);
        pose.translation += origin;
        let at = Vec3::from(pick.at);
        if scan.walked {
            let m = passes::measured(app, job, pick.scan, &at).await?.ok_or_else(ApiError::not_found)?;
            points.push((scan.id, scan.name.clone(), Measured { position: pose.apply(&at), ..m }, m));
            continue;
        }
        let known =
            if scan.covariance.len() == 36 { Matrix6::from_row_slice(&scan.covariance) } else { Matrix6::zeros() };
        let of = |c: &Matrix6<f64>| Measured::of(&pose, c, &at, &instrument);
        points.push((scan.id, scan.name.clone(), of(&known), of(&Matrix6::zeros())));
    }
    let spans = points
        .windows(2)
        .map(|w| {
            // two points of one scan share its pose, and its error drops out
            let s = if w[0].0 == w[1].0 { span(&w[0].3, &w[1].3) } else { span(&w[0].2, &w[1].2) };
            SpanDto {
                slope: [s.slope, s.slope95],
                horizontal: [s.horizontal, s.horizontal95],
                vertical: [s.vertical, s.vertical95],
            }
        })
        .collect();
    let map = match cloud.frame.as_str() {
        "grid" if cloud.scans.iter().all(|s| s.walked) => Standing::load(app, job).await?.stands.map(),
        "grid" => grid::current(app, job).await?.map(|g| GridMap::from(&g.record.map)),
        _ => None,
    };
    let points = points
        .into_iter()
        .map(|(_, scan, m, _)| MeasuredDto {
            scan,
            position: map.as_ref().map_or(m.position, |g| g.apply(&(m.position - g.origin))).into(),
            error: Error95::from_covariance(&m.covariance).into(),
        })
        .collect();
    Ok(MeasureDto { frame: cloud.frame, points, spans })
}
