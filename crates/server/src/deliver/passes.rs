//! Passes in what is handed over: their paths as tables, their figures for the report.

use super::csv;
use crate::work::passes::{self, Walked};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::geometry::Error95;

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
