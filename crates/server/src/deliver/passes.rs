//! Passes in what is handed over: their paths as tables, their figures for the report.

use super::{Package, csv};
use crate::work::passes::{self, Walked};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::geometry::{Error95, Vec3};
use vistazo_core::mobile::{Stop, stops as along};

/// The corrected path of a pass, in the unit of the job; none where it has no place.
pub(crate) async fn path(app: &App, all: &Walked, pass: Uuid) -> Result<Option<Vec<u8>>, ApiError> {
    let Some((row, place)) = all.placed().find(|(r, _)| r.id == pass) else { return Ok(None) };
    let path = passes::path(app, row.key.as_deref().unwrap_or_default()).await?;
    let c = place.correction();
    let unit = all.brief().unit();
    let (u, m) = (unit.code(), unit.metres());
    let head = ["time_s".to_owned()].into_iter().chain(
        ["easting", "northing", "height", "plan_error95", "height_error95", "walked"].map(|n| format!("{n}_{u}")),
    );
    let rows = path.samples().iter().map(|s| {
        let at = c.apply(s.time, &s.place);
        let [e, n, h] = all.standing.stands.position(&at);
        let [plan, height] = Error95::plan_and_height(&c.covariance(s.time, &at));
        let lengths = [e, n, h, plan, height, path.walked(s.time)].map(|v| format!("{:.4}", v / m));
        std::iter::once(format!("{:.6}", s.time)).chain(lengths).collect::<Vec<_>>()
    });
    csv(std::iter::once(head.collect()).chain(rows)).map(Some)
}

/// Places of walks that one looks round from are this far from one another and from scans, metres, and so many of a job at most.
const APART: f64 = 4.0;
const MOST: usize = 150;

/// How many there are at most where so many metres were walked.
pub(crate) fn most_stops(metres: f64) -> usize {
    ((metres / APART).ceil() as usize).min(MOST)
}

/// Places of each pass to look round from, where no scan stands and no other pass has one.
pub(crate) async fn stops(app: &App, package: &Package) -> Result<Vec<Vec<Stop>>, ApiError> {
    let mut walks = Vec::new();
    for (row, place) in package.passes.placed() {
        walks.push((passes::path(app, row.key.as_deref().unwrap_or_default()).await?, place.correction()));
    }
    let scans: Vec<Vec3> = package.scans.iter().map(|s| s.1.translation).collect();
    let mut apart = APART;
    loop {
        let mut taken = scans.clone();
        let found: Vec<Vec<Stop>> = walks.iter().map(|(path, c)| along(path, c, apart, &mut taken)).collect();
        if taken.len() <= scans.len() + MOST {
            return Ok(found);
        }
        apart *= 1.3;
    }
}
