//! Passes of mobile units: what was read of them, where they came to lie, what they are fit for.

use super::stands::Standing;
use crate::dto::{
    AlongPassDto, Brief, DoubledDto, PassDto, PassFacts, PassesDto, PlacedPassDto, TilesDto, TwiceDto, WalkedDto,
};
use crate::record::passes::{MarkRole, Passes, StoredDoubled, StoredMark, StoredPass, StoredPlace};
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::check::{Judged, PlaceKind};
use vistazo_core::clean::{Class, Surfaces, behind};
use vistazo_core::cloud::Measured;
use vistazo_core::geometry::{Error95, Mat3, Pose, Vec3};
use vistazo_core::mobile::{Correction, Piece, Trajectory, Unit, units};
use vistazo_core::scan::Scan;
use vistazo_formats::passes::{KeptPath, TimedCloud};
use vistazo_store::passes::{self, PassRow};
use vistazo_store::results::ControlRow;
use vistazo_store::{results, views};

/// The result of all passes of a job is kept under this name.
const KIND: &str = "passes";
const LAST: &str = "last";

/// The passes of a job, and where they came to lie.
pub(crate) struct Walked {
    pub rows: Vec<PassRow>,
    pub standing: Standing,
    pub record: Option<Passes>,
    /// What a result would be made from now.
    pub inputs: String,
    /// What marks are on, where there are any.
    control: Vec<ControlRow>,
}

impl Walked {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let rows = passes::passes(&app.db, job).await?;
        let standing = Standing::load(app, job).await?;
        let marked: Vec<_> = rows.iter().map(|r| (r.id, &r.key, &r.unit, &r.marks, r.whole)).collect();
        let control = match rows.iter().any(|r| r.marks != serde_json::json!([])) {
            true => results::control(&app.db, job).await?,
            false => Vec::new(),
        };
        let known: Vec<_> =
            control.iter().map(|c| (&c.name, c.e, c.n, c.h, c.sigma_e, c.sigma_v, c.is_check)).collect();
        let inputs = super::fingerprint(&(2, marked, known, standing.stands.state(&standing.scans)));
        let record = last(app, job).await?;
        Ok(Self { rows, standing, record, inputs, control })
    }

    /// What came of them, where that is of what they are now.
    pub(crate) fn current(&self) -> Option<&Passes> {
        self.record.as_ref().filter(|r| r.inputs == self.inputs)
    }

    /// Those that have their place, as things are now.
    pub(crate) fn placed(&self) -> impl Iterator<Item = (&PassRow, &StoredPlace)> {
        let of = self.current().map_or(&[][..], |r| &r.passes);
        of.iter().filter_map(|p| Some((self.rows.iter().find(|r| r.id == p.id)?, p.placed.as_ref().ok()?)))
    }

    pub(crate) fn to_dto(&self) -> Result<PassesDto, ApiError> {
        let pass = |row: &PassRow| {
            let facts: Option<PassFacts> =
                row.facts.clone().map(|v| crate::record::read(&format!("pass “{}”", row.name), v)).transpose()?;
            let at = self.record.as_ref().and_then(|r| r.passes.iter().position(|p| p.id == row.id));
            let placed = at.zip(self.record.as_ref()).map(|(k, r)| self.placed_dto(row, r, k));
            Ok(PassDto {
                id: row.id,
                name: row.name.clone(),
                unit: row.unit.clone(),
                cloud_file: row.cloud_file.clone(),
                path_file: row.path_file.clone(),
                facts,
                marks: super::pass_marks::marks(row)?,
                ghosts: made(row).filter(|_| row.made_from.as_deref() == Some(&self.inputs)).and_then(|m| m.ghosts),
                simulated: row.simulated,
                whole: row.whole,
                drawn: row.drawn,
                version: row.version,
                by: row.by.clone(),
                placed,
            })
        };
        Ok(PassesDto {
            units: units().iter().map(Into::into).collect(),
            passes: self.rows.iter().map(pass).collect::<Result<_, ApiError>>()?,
            walked: self.record.as_ref().map(|r| WalkedDto {
                at: r.at,
                stale: r.inputs != self.inputs,
                frame: r.frame.clone(),
                drifted: r.factors[0],
            }),
        })
    }

    fn placed_dto(&self, row: &PassRow, record: &Passes, k: usize) -> PlacedPassDto {
        let StoredPass { placed, .. } = &record.passes[k];
        let mine = || record.ties.iter().filter(move |t| t.of.0 == k || t.to.err().is_some_and(|o| o.0 == k));
        let left_out = mine().filter(|t| t.left_out).count();
        let ties = mine().count() - left_out;
        let waits = super::pass_marks::wait(&self.standing) && row.marks.as_array().is_some_and(|m| !m.is_empty());
        let place = match placed {
            Ok(p) => p,
            Err(why) => {
                let says = words::passes::refused(*why, !self.standing.scans.is_empty(), waits);
                return PlacedPassDto {
                    refused: Some(says),
                    along: Vec::new(),
                    bends: [0.0; 2],
                    doubled: Vec::new(),
                    point95: [0.0; 2],
                    ties,
                    left_out,
                    says: Vec::new(),
                    fit: None,
                };
            }
        };
        let (c, corrected) = (place.correction(), place.corrected());
        let rigid = place.rigid();
        let unit = unit(row);
        let held = |i: usize| {
            let of = |t: &&crate::record::passes::StoredTie| t.of == (k, i) || t.to == Err((k, i));
            mine().filter(|t| !t.left_out).filter(of).count()
        };
        let along: Vec<AlongPassDto> = (0..c.times.len())
            .map(|i| {
                let at = c.poses[i].translation;
                let known = c.covariance(c.times[i], &at);
                AlongPassDto {
                    walked: c.walked[i],
                    time: c.times[i],
                    at: self.standing.stands.position(&at),
                    moved: corrected.moved_against(&rigid, i).into(),
                    error95: Error95::plan_and_height(&known),
                    ties: held(i),
                }
            })
            .collect();
        let mut points = points95(&c, &unit);
        let most = points.iter().copied().fold(0.0, f64::max);
        let point95 = [vistazo_core::stats::median(&mut points).unwrap_or_default(), most];
        let doubled: Vec<DoubledDto> = place.doubled.iter().map(|d| self.doubled(d, &c)).collect();
        // targets that it saw are counted on after its marks
        let noted = match &record.passes[k].marks {
            Some(marks) => marks.iter().filter(|m| m.role != MarkRole::Check).count(),
            None => super::pass_marks::marks(row).map_or(0, |m| m.len()),
        };
        let seen: Vec<(&str, bool)> = (record.passes[k].seen.iter().enumerate())
            .map(|(n, t)| (t.name.as_str(), record.wrong_marks.contains(&(k, noted + n))))
            .collect();
        let wrong_marks = record.wrong_marks.iter().filter(|m| m.0 == k && m.1 < noted).count();
        let checks: Vec<_> = (record.passes[k].marks.iter().flatten())
            .filter(|m| m.role == MarkRole::Check)
            .filter_map(|m| self.checked(m))
            .collect();
        let (fit, says) = words::passes::says(&words::passes::Came {
            brief: &self.standing.brief,
            bends: place.bends,
            whole: place.whole,
            doubled: &place.doubled,
            point95,
            place95: along.iter().flat_map(|a| a.error95).fold(0.0, f64::max),
            points: &points,
            ties: (ties, left_out),
            drifted: place.drifted.unwrap_or(record.factors[0]),
            alone: self.standing.scans.is_empty() || !mine().any(|t| t.to.is_ok()),
            loose: along.iter().filter(|a| a.ties == 0).count() as f64 / along.len().max(1) as f64,
            wrong_marks,
            waits,
            held: noted - wrong_marks,
            checks: &checks,
            seen: &seen,
        });
        PlacedPassDto { refused: None, along, bends: place.bends, doubled, point95, ties, left_out, says, fit }
    }

    /// How far from a check point the pass came to lie, in plan and height, and what was to be expected (95 %), metres.
    fn checked<'a>(&self, m: &'a StoredMark) -> Option<(&'a str, [f64; 2], [f64; 2])> {
        let point = super::pass_marks::named(&self.control, &m.point)?;
        let known = Vec3::new(point.e?, point.n?, point.h?) + Vec3::z() * m.height;
        let off = Vec3::from(m.at) - self.standing.stands.inverse(&known);
        let sigma = Vec3::new(point.sigma_e, point.sigma_n, point.sigma_v).map(|s| s * s + m.noted * m.noted);
        let expected = Mat3::from_row_slice(&m.covariance) + Mat3::from_diagonal(&sigma);
        Some((&m.point, [off.xy().norm(), off.z.abs()], Error95::plan_and_height(&expected)))
    }

    fn doubled(&self, d: &StoredDoubled, c: &Correction) -> DoubledDto {
        let walked = |t: f64| {
            let k = c.times.partition_point(|x| *x <= t).clamp(1, c.times.len().max(2) - 1);
            c.walked.get(k).copied().unwrap_or_default()
        };
        let sheet = |s: &crate::record::passes::StoredSheet| TwiceDto {
            at: self.standing.stands.position(&Vec3::from(s.at)),
            apart: Vec3::from(s.offset).norm(),
            error95: s.sigma * vistazo_core::stats::K95_1D,
            times: s.times,
            walked: s.times.map(walked),
        };
        DoubledDto { compared: d.compared, double: d.double, rms: d.rms, worst: d.worst.iter().map(sheet).collect() }
    }
}

/// 95 % in space of a point that was measured in the middle of what the unit reaches, at each piece, metres.
fn points95(c: &Correction, unit: &Unit) -> Vec<f64> {
    (0..c.times.len()).map(|i| point95(c, unit, i).spatial).collect()
}

/// The same at one piece, of the worst of four ways.
fn point95(c: &Correction, unit: &Unit, i: usize) -> Error95 {
    let arm = (unit.max_range / 4.0).min(8.0);
    let from = c.poses[i].translation;
    let at = |w: Vec3| {
        let known = c.covariance(c.times[i], &(from + w * arm)) + Mat3::identity() * unit.point_variance(arm);
        Error95::from_covariance(&known)
    };
    let ways = [Vec3::x(), -Vec3::x(), Vec3::y(), -Vec3::y()].map(at);
    ways.into_iter().max_by(|a, b| a.spatial.total_cmp(&b.spatial)).unwrap_or_default()
}

/// Points of a pass that were measured along its path.
pub(super) fn points(row: &PassRow) -> Option<u64> {
    let facts: PassFacts = serde_json::from_value(row.facts.clone()?).ok()?;
    Some(facts.points.saturating_sub(facts.beside))
}

/// The profile of the unit that a pass was walked with.
pub(crate) fn unit(row: &PassRow) -> Unit {
    let mut all = units();
    let at = all.iter().position(|u| u.name == row.unit).unwrap_or(0);
    all.swap_remove(at)
}

/// What came of all passes when they were corrected last.
pub(super) async fn last(app: &App, job: Uuid) -> Result<Option<Passes>, ApiError> {
    let record = views::computed(&app.db, job, KIND, LAST).await?;
    let record: Option<Passes> = record.map(|v| crate::record::read("result of the passes", v)).transpose()?;
    Ok(record.filter(|r| r.version == crate::record::passes::VERSION))
}

/// Keeps what came of all passes.
pub(crate) async fn keep(app: &App, job: Uuid, record: &Passes) -> Result<(), ApiError> {
    Ok(views::keep(&app.db, job, KIND, LAST, &serde_json::json!(record)).await?)
}

/// The path of a pass as it was read.
pub(crate) async fn path(app: &App, key: &str) -> Result<Trajectory, ApiError> {
    let bytes = app.objects.bytes(&format!("{key}/path")).await?;
    let path = KeptPath::from_bytes(&bytes).ok_or_else(|| ApiError::bad("the kept path of a pass is damaged"))?;
    Trajectory::new(path.0).map_err(|e| ApiError::bad(e.to_string()))
}

/// The cloud of a pass as it was read.
pub(crate) async fn cloud(app: &App, key: &str) -> Result<TimedCloud, ApiError> {
    let (file, size) = app.objects.file(&format!("{key}/points")).await?;
    super::blocking(move || TimedCloud::read(&mut std::io::BufReader::with_capacity(1 << 20, file), size))
        .await?
        .map_err(|e| ApiError::bad(e.to_string()))
}

/// A pass along its corrected path: points about an origin in the frame that scans stand in, and the time of each.
pub(crate) struct Corrected {
    pub scan: Scan,
    pub origin: Vec3,
    pub times: Vec<f64>,
}

/// Which points of a pass lie behind surfaces that it saw itself, by its pieces; none where it is spread too widely, or when it
/// was stopped.
pub(crate) fn ghosts(
    all: &Corrected,
    pieces: &[Piece],
    (path, c): (&Trajectory, &Correction),
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Option<Vec<Class>> {
    let placed = |(piece, pose): (&Piece, &Pose)| {
        let about = |(p, n): (Vec3, Vec3)| (p - all.origin, n);
        piece.cloud.placed(pose).map(about).collect::<Vec<_>>()
    };
    let surfaces: Vec<(Vec3, Vec3)> = pieces.iter().zip(&c.poses).flat_map(placed).collect();
    let surfaces = Surfaces::of(&surfaces)?;
    let beam = |k: usize| {
        let time = all.times[k];
        (c.apply(time, &path.place(time)) - all.origin, all.scan.at(k))
    };
    let found = behind(&surfaces, all.scan.points.len(), beam, go_on)?;
    Some(found.into_iter().map(|b| if b { Class::Ghost } else { Class::Kept }).collect())
}

fn made(row: &PassRow) -> Option<Made> {
    serde_json::from_value(row.tiles.clone()?).ok()
}

/// The classes of the points of a pass that has its place, in the order of time; empty where nothing is left out.
pub(crate) async fn classes(app: &App, row: &PassRow) -> Result<Vec<Class>, ApiError> {
    match (made(row).and_then(|m| m.ghosts), &row.made_key) {
        (Some(1..), Some(key)) => {
            let bytes = app.objects.bytes(&format!("{key}/classes")).await?;
            Ok(bytes.iter().map(|b| Class::from_u8(*b)).collect())
        }
        _ => Ok(Vec::new()),
    }
}

/// Takes the points of a pass along its corrected path; what was measured beside the path in time is left out.
pub(crate) fn corrected(cloud: &TimedCloud, path: &Trajectory, c: &Correction, clock: f64) -> Corrected {
    use rayon::prelude::*;
    let origin = c.poses[c.poses.len() / 2].translation.map(f64::round);
    let [from, to] = path.span();
    let (a, b) = (cloud.times.partition_point(|t| t + clock < from), cloud.times.partition_point(|t| t + clock <= to));
    let shift = Vec3::from(cloud.origin) - path.origin();
    let place = |k: usize| {
        let p = Vec3::from(cloud.points[k].map(f64::from)) + shift;
        (c.apply(cloud.times[k] + clock, &p) - origin).map(|v| v as f32).into()
    };
    let points = (a..b).into_par_iter().map(place).collect();
    let colour = if cloud.colour.len() == cloud.points.len() { cloud.colour[a..b].to_vec() } else { Vec::new() };
    let scan = Scan { points, intensity: cloud.intensity[a..b].to_vec(), colour, ..Scan::default() };
    Corrected { scan, origin, times: cloud.times[a..b].iter().map(|t| t + clock).collect() }
}

impl Corrected {
    /// What of it lies within reach of a place (in the frame that scans stand in), metres, as if it was seen from there.
    pub(crate) fn seen_from(&self, at: &Vec3, reach: f64, taken: &[bool]) -> Scan {
        let from: [f32; 3] = (at - self.origin).map(|v| v as f32).into();
        let mut out = Scan::default();
        for (k, p) in self.scan.points.iter().enumerate().filter(|p| taken[p.0]) {
            let off: [f32; 3] = std::array::from_fn(|i| p[i] - from[i]);
            if off.iter().map(|v| v * v).sum::<f32>() < (reach * reach) as f32 {
                out.points.push(off);
                out.intensity.push(self.scan.intensity[k]);
                out.colour.extend(self.scan.colour.get(k));
            }
        }
        out
    }
}

/// The cloud of a pass as it is kept to be looked at.
#[derive(serde::Serialize, serde::Deserialize)]
pub(crate) struct Made {
    /// In the frame that scans stand in, metres.
    pub origin: [f64; 3],
    pub tiles: TilesDto,
    /// Points that lie where no beam can have come to, where they were looked for; their classes lie beside the tiles.
    #[serde(default)]
    pub ghosts: Option<u64>,
}

/// A pass as it is looked at.
pub(crate) struct Looked {
    pub id: Uuid,
    pub name: String,
    pub points: i64,
    pub made: Made,
    /// What its cloud is kept under.
    pub key: String,
}

/// What a point of a pass is worth that was picked in its cloud (metres about the origin of that): as of the piece that walked
/// nearest by. None where the pass has no place.
pub(crate) async fn measured(app: &App, job: Uuid, pass: Uuid, at: &Vec3) -> Result<Option<Measured>, ApiError> {
    let all = Walked::load(app, job).await?;
    let Some((looked, c)) = all.looked_at().into_iter().find(|l| l.0.id == pass) else { return Ok(None) };
    let Some(row) = all.rows.iter().find(|r| r.id == pass) else { return Ok(None) };
    let at = Vec3::from(looked.made.origin) + at;
    let off = |k: usize| (c.poses[k].translation - at).norm();
    let nearest = (0..c.times.len()).min_by(|a, b| off(*a).total_cmp(&off(*b)));
    Ok(nearest.map(|k| Measured {
        position: at,
        covariance: c.covariance(c.times[k], &at) + Mat3::identity() * unit(row).point_variance(off(k)),
        // what all ranges have in common is drawn out by its ties
        common: Vec3::zeros(),
    }))
}

impl Walked {
    /// Clouds that can be looked at, as things are now.
    pub(crate) fn looked_at(&self) -> Vec<(Looked, Correction)> {
        self.placed()
            .filter(|(row, _)| row.made_from.as_deref() == Some(&self.inputs))
            .filter_map(|(row, place)| {
                let made = made(row)?;
                let points = points(row)? as i64;
                let key = row.made_key.clone()?;
                let looked = Looked { id: row.id, name: row.name.clone(), points, made, key };
                Some((looked, place.correction()))
            })
            .collect()
    }

    /// Heights of the floors it walked on, in the unit's own height under it at each piece, metres.
    pub(crate) fn floors(&self) -> Vec<f64> {
        let of = |(row, place): (&PassRow, &StoredPlace)| {
            let under = Vec3::z() * unit(row).handling.height;
            let at = |p: &Pose| self.standing.stands.position(&(p.translation - under))[2];
            place.correction().poses.iter().map(at).collect::<Vec<_>>()
        };
        self.placed().flat_map(of).collect()
    }

    /// The worst that a single point of each pass is known by, in each area with limits of its own and outside of them.
    pub(crate) fn judged(&self) -> Vec<Judged> {
        let mut out: Vec<Judged> = Vec::new();
        for (row, place) in self.placed() {
            let (c, unit) = (place.correction(), unit(row));
            for i in 0..c.times.len() {
                let at = Vec3::from(self.standing.stands.position(&c.poses[i].translation));
                let area = self.standing.plan.area_at(&(at - self.standing.brief.origin()));
                let error = point95(&c, &unit, i);
                match out.iter_mut().find(|j| j.name == row.name && j.area == area) {
                    Some(j) => {
                        j.error.horizontal = j.error.horizontal.max(error.horizontal);
                        j.error.vertical = j.error.vertical.max(error.vertical);
                        j.error.spatial = j.error.spatial.max(error.spatial);
                    }
                    None => out.push(Judged { kind: PlaceKind::Pass, name: row.name.clone(), error, area }),
                }
            }
        }
        out
    }

    /// What the brief asks for, where nothing else does.
    pub(crate) fn brief(&self) -> &Brief {
        &self.standing.brief
    }
}
