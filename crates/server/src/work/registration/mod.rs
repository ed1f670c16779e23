//! Rows into a registration of the core, and its record into what is sent.

mod inputs;
mod sent;

pub(crate) use inputs::{Inputs, data};
pub(crate) use sent::{sources, to_dto};

use super::planning;
use crate::dto::Brief;
use crate::record::Group;
use crate::record::registration::{Detail, Registration};
use crate::record::stored::{Ids, store};
use crate::{ApiError, App, words};
use bytes::Bytes;
use inputs::{inputs, state};
use std::collections::HashSet;
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::adjust::Component;
use vistazo_core::registration::register;
use vistazo_store::field::{self, ScanRow};
use vistazo_store::{results, views};

/// Matches, adjusts and judges. What cannot be adjusted comes back as a record that says why.
///
/// # Errors
/// When a stored detection cannot be read.
pub(crate) fn compute(inputs: &Inputs) -> Result<(Registration, Detail), ApiError> {
    let (input, rows) = inputs.to_core()?;
    let scans: Vec<(Uuid, String)> = inputs.of_scanners().map(|s| (s.id, s.name.clone())).collect();
    Ok(store(&register(&input), &Ids { scans: &scans, rows: &rows }))
}

/// The last registration, and whether it is still of what is there.
pub(crate) struct Current {
    pub row: results::Adjustment,
    pub stale: bool,
    pub record: Arc<Registration>,
    pub kept: HashSet<String>,
}

impl Current {
    /// Findings that ask for a decision.
    pub(crate) fn open(&self) -> usize {
        self.record.findings.iter().filter(|f| !self.kept.contains(&f.key)).count()
    }
}

pub(crate) async fn current(app: &App, job: Uuid) -> Result<Option<Current>, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    current_of(app, job, &brief).await
}

/// The same where the brief is at hand.
pub(crate) async fn current_of(app: &App, job: Uuid, brief: &Brief) -> Result<Option<Current>, ApiError> {
    let (plan, scans) = (planning::load(app, job).await?, field::scans(&app.db, job).await?);
    current_at(app, job, brief, &plan, &scans).await
}

/// The same where the plan and the scans are at hand too.
pub(crate) async fn current_at(
    app: &App,
    job: Uuid,
    brief: &Brief,
    plan: &planning::Plan,
    scans: &[ScanRow],
) -> Result<Option<Current>, ApiError> {
    let Some(row) = results::adjustment(&app.db, job).await? else { return Ok(None) };
    let Some(record) = record_of(app, row.id).await? else { return Ok(None) };
    let now = inputs(brief, scans, &state(app, job).await?, plan);
    let kept = results::kept_findings(&app.db, job).await?.into_iter().collect();
    Ok(Some(Current { stale: row.inputs != now, row, record, kept }))
}

/// Its variance components, as the core takes them.
pub(crate) fn components(r: &Registration) -> Vec<Component> {
    let one = |c: &(Group, f64, f64)| Component { group: c.0.into(), factor: c.1, redundancy: c.2 };
    r.statistics.components.iter().map(one).collect()
}

async fn record_of(app: &App, id: Uuid) -> Result<Option<Arc<Registration>>, ApiError> {
    if let Some(kept) = app.kept.registration(id) {
        return Ok(Some(kept));
    }
    let record = crate::record::registration(results::adjustment_result(&app.db, id).await?)?;
    Ok(record.map(|r| app.kept.put_registration(id, r)))
}

/// The long part of a registration.
pub(crate) async fn detail(app: &App, id: Uuid) -> Result<Detail, ApiError> {
    crate::record::detail(results::network(&app.db, id).await?)
}

/// The whole registration as JSON text, for the page. It is long for many scans: once written it is kept
/// until the registration, the unit or a decision changes.
pub(crate) async fn text(app: &App, job: Uuid) -> Result<Bytes, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let Some(c) = current_of(app, job, &brief).await? else { return Ok("null".into()) };
    let mut kept: Vec<&String> = c.kept.iter().collect();
    kept.sort_unstable();
    let inputs = super::fingerprint(&(2, c.row.id, c.stale, c.row.locked_at, &brief.unit, kept));
    if let Some(text) = app.kept.text(job, "adjustment", &inputs) {
        return Ok(text);
    }
    if let Some(text) = views::computed_text(&app.db, job, "adjustment", &inputs).await? {
        return Ok(app.kept.put_text(job, "adjustment", &inputs, text));
    }
    let d = detail(app, c.row.id).await?;
    let dto = super::blocking(move || serde_json::json!(to_dto(&brief, &c, Some(&d)))).await?;
    views::keep(&app.db, job, "adjustment", &inputs, &dto).await?;
    Ok(app.kept.put_text(job, "adjustment", &inputs, dto.to_string()))
}

/// The title of a finding of the last registration.
pub(crate) async fn title(app: &App, job: Uuid, key: &str) -> Result<Option<String>, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let c = current_of(app, job, &brief).await?;
    let found = c.as_ref().and_then(|c| Some((c, c.record.findings.iter().find(|f| f.key == key)?)));
    Ok(found.map(|(c, f)| words::registration::finding(&brief, &c.record, f, false).title))
}
