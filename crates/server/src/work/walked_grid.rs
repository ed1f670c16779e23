//! A job of passes alone on the grid: held by the control they stood on, compared with the check points they stood on.

use super::pass_marks;
use super::passes::{self, Walked};
use crate::dto::Brief;
use crate::record::georeference::{Georeferencing, Weakness};
use crate::record::passes::{MarkRole, StoredMark};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::geometry::{Mat3, Vec3};
use vistazo_core::georef::{CheckReport, ControlPoint, GridMap, check_points};
use vistazo_store::field;
use vistazo_store::results::{self, ControlRow};

/// Residuals less likely than this, over all of them, are named.
const UNLIKELY: f64 = 0.01;

/// No scan is there, and some pass is.
pub(super) async fn is_for(app: &App, job: Uuid) -> Result<bool, ApiError> {
    let scans = field::scans(&app.db, job).await?;
    Ok(scans.is_empty() && !vistazo_store::passes::passes(&app.db, job).await?.is_empty())
}

/// What it depends on. It is asked for by what passes stand in, so it asks for none of that itself.
pub(super) async fn fingerprint(app: &App, job: Uuid, brief: &Brief) -> Result<String, ApiError> {
    let rows = vistazo_store::passes::passes(&app.db, job).await?;
    let rows: Vec<_> = rows.iter().map(|r| (r.id, &r.key, &r.unit, &r.marks, r.whole)).collect();
    let came = passes::last(app, job).await?.map(|r| r.at);
    let control = results::control(&app.db, job).await?;
    let control: Vec<_> =
        control.iter().map(|c| (&c.name, [c.e, c.n, c.h], [c.sigma_e, c.sigma_n, c.sigma_v], c.is_check)).collect();
    Ok(super::fingerprint(&("walked", rows, came, control, brief.epsg, brief.undulation, brief.output)))
}

/// A mark of a pass with its control point.
struct Compared<'a> {
    mark: &'a StoredMark,
    pass: &'a str,
    control: &'a ControlRow,
    known: ControlPoint,
    at: Vec3,
    /// Of where the pass is, on the grid, m².
    covariance: Mat3,
}

/// Says how passes lie at control and at check points.
///
/// # Errors
/// When they are not corrected as they are now, or none of them is held by control.
pub(super) async fn hold(app: &App, job: Uuid) -> Result<(String, Georeferencing), ApiError> {
    let walked = Walked::load(app, job).await?;
    let brief = walked.brief();
    let inputs = fingerprint(app, job, brief).await?;
    let Some(record) = walked.current() else {
        return Err(ApiError::conflict(
            "the passes are not corrected as they are now: tie and correct them first (Register, Passes)",
        ));
    };
    let Some(map) = walked.standing.stands.map() else {
        return Err(ApiError::conflict(
            "no pass has a mark on control: say at which moments it stood on which points (Register, Passes)",
        ));
    };
    let control = results::control(&app.db, job).await?;
    let mut compared: Vec<Compared<'_>> = Vec::new();
    for pass in record.passes.iter().filter(|p| p.placed.is_ok()) {
        let name = walked.rows.iter().find(|r| r.id == pass.id).map_or("", |r| r.name.as_str());
        for mark in pass.marks.iter().flatten() {
            compared.extend(compare(&map, mark, name, &control));
        }
    }
    if compared.iter().all(|c| c.mark.role != MarkRole::Holds) {
        return Err(ApiError::conflict(
            "no pass found its place by control: two points three metres apart say where a pass lies",
        ));
    }
    let roles: Vec<MarkRole> = compared.iter().map(|c| c.mark.role).collect();
    let missing = control.iter().filter(|c| c.is_check && compared.iter().all(|m| m.control.id != c.id));
    let missing: Vec<&ControlRow> = missing.collect();
    let held = report(&compared, &[], |k| roles[k] != MarkRole::Check);
    let checks = report(&compared, &missing, |k| roles[k] == MarkRole::Check);
    let mut weaknesses = weaknesses(&compared, &missing, [&held, &checks]);
    if brief.epsg.is_some() && map.factors.is_none() {
        weaknesses.push(Weakness::NoFactor);
    }
    let point = |k: usize| match compared.get(k) {
        Some(c) => (c.control.id, c.control.name.clone(), c.pass.to_owned()),
        None => (missing[k - compared.len()].id, missing[k - compared.len()].name.clone(), String::new()),
    };
    Ok((inputs, Georeferencing::of_walks(&map, brief.epsg, [&held, &checks], &point, weaknesses)))
}

fn compare<'a>(map: &GridMap, mark: &'a StoredMark, pass: &'a str, control: &'a [ControlRow]) -> Option<Compared<'a>> {
    let row = pass_marks::named(control, &mark.point)?;
    let at = Vec3::from(mark.at);
    let position = Vec3::new(row.e?, row.n?, row.h?) + Vec3::z() * mark.height;
    let sigma = Vec3::new(row.sigma_e, row.sigma_n, row.sigma_v).map(|s| s.hypot(mark.noted));
    Some(Compared {
        known: ControlPoint { name: row.name.clone(), position, sigma, check: false, target: None },
        at: map.apply(&at),
        covariance: map.covariance(&at, &Mat3::from_row_slice(&mark.covariance)),
        control: row,
        mark,
        pass,
    })
}

/// Those that are asked about are compared as check points are. What holds a pass draws it near: its residual is less than what is
/// expected of it. Marks of one pass are taken for independent.
fn report(all: &[Compared<'_>], missing: &[&ControlRow], asked: impl Fn(usize) -> bool) -> CheckReport {
    let of = |(k, c): (usize, &Compared<'_>)| ControlPoint { check: asked(k), target: Some(k), ..c.known.clone() };
    let never = |c: &&ControlRow| {
        let position = Vec3::new(c.e.unwrap_or_default(), c.n.unwrap_or_default(), c.h.unwrap_or_default());
        ControlPoint { name: c.name.clone(), position, sigma: Vec3::repeat(1.0), check: true, target: None }
    };
    let points: Vec<ControlPoint> = all.iter().enumerate().map(of).chain(missing.iter().map(never)).collect();
    let places: Vec<Vec3> = all.iter().map(|c| c.at).collect();
    let covariance = |a: usize, b: usize| if a == b { all[a].covariance } else { Mat3::zeros() };
    check_points(&points, &places, &covariance)
}

fn weaknesses(all: &[Compared<'_>], missing: &[&ControlRow], [held, checks]: [&CheckReport; 2]) -> Vec<Weakness> {
    let fits = |report: &CheckReport| report.points.iter().filter_map(|p| p.fit.clone()).collect::<Vec<_>>();
    let mut out = Vec::new();
    for fit in fits(held) {
        let c = &all[fit.control];
        if c.mark.role == MarkRole::Wrong {
            let point = format!("{} ({})", c.control.name, c.pass);
            out.push(Weakness::MarkOff { point, off: fit.residual.norm(), p: fit.p_family });
        }
    }
    let compared = fits(checks);
    for fit in compared.iter().filter(|f| f.p_family < UNLIKELY) {
        let point = all[fit.control].control.name.clone();
        out.push(Weakness::CheckOff { point, off: fit.residual.norm(), p: fit.p_family });
    }
    out.extend(missing.iter().map(|c| Weakness::NotStoodOn { point: c.name.clone() }));
    if compared.is_empty() && missing.is_empty() {
        out.push(Weakness::NoChecks);
    }
    out
}
