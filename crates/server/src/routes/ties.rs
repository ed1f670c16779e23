//! Ties by clouds: looking for them, and deciding about them.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{CloudTieDto, TieCardDto, TieDecisionDto};
use crate::tasks::{Work, queue};
use crate::work::ties as work;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use uuid::Uuid;
use vistazo_store::tasks::{self, Task};
use vistazo_store::ties::{TieDecision, decide_ties};
use vistazo_store::{field, jobs, results};

/// Ties that were found, each with what speaks for and against it.
#[utoipa::path(get, path = "/api/jobs/{job}/cloud-ties", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = [CloudTieDto])))]
pub async fn cloud_ties(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<CloudTieDto>>, ApiError> {
    Ok(Json(work::list(&app, access.job).await?))
}

/// Which place of the second scan is looked at.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct CardQuery {
    /// The next best place, not the one chosen.
    #[serde(default)]
    rival: bool,
}

/// Slices through a tie, distances between the surfaces, and what another decision about it would change.
#[utoipa::path(get, path = "/api/jobs/{job}/cloud-ties/{tie}/card", tag = "register", params(("job" = Uuid, Path), ("tie" = Uuid, Path), CardQuery), responses((status = 200, body = TieCardDto), (status = 404, body = crate::error::ErrorBody)))]
pub async fn tie_card(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, tie)): Path<(Uuid, Uuid)>,
    Query(query): Query<CardQuery>,
) -> Result<Json<TieCardDto>, ApiError> {
    Ok(Json(work::card(&app, access.job, tie, query.rival).await?))
}

/// Look for ties by clouds, then adjust, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/cloud-ties", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = Task), (status = 409, body = crate::error::ErrorBody)))]
pub async fn find_ties(State(app): State<App>, access: Access<Edit>) -> Result<Json<Task>, ApiError> {
    unlocked(&app, access.job).await?;
    let scans = field::scans(&app.db, access.job).await?;
    let able = scans.iter().filter(|s| work::can_be_tied(s)).count();
    if able < 2 {
        return Err(ApiError::conflict(format!(
            "found {able} scan(s) that a scanner took, expected at least 2: ties by clouds ask what a scanner saw through"
        )));
    }
    if tasks::is_active(&app.db, access.job, "tie").await? {
        return Err(ApiError::conflict("ties are being looked for already"));
    }
    if tasks::is_active(&app.db, access.job, "register").await? {
        return Err(ApiError::conflict("the job is being registered; look for ties when that is done"));
    }
    Ok(Json(queue(&app, access.job, &Work::Tie {}, Some(access.user.id)).await?))
}

/// Accept ties, reject them, or leave them to their grade. Kept in the log with name and reason.
#[utoipa::path(patch, path = "/api/jobs/{job}/cloud-ties", tag = "register", params(("job" = Uuid, Path)), request_body = Vec<TieDecisionDto>, responses((status = 200, body = [CloudTieDto]), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn judge(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(list): Sent<Vec<TieDecisionDto>>,
) -> Result<Json<Vec<CloudTieDto>>, ApiError> {
    unlocked(&app, access.job).await?;
    if let Some(wrong) = list.iter().find(|d| !["", "accepted", "rejected"].contains(&d.decision.as_str())) {
        return Err(ApiError::field(
            "decision",
            format!("found “{}”, expected accepted, rejected, or nothing", wrong.decision),
        ));
    }
    let decisions: Vec<TieDecision<'_>> = list
        .iter()
        .map(|d| TieDecision { id: d.id, version: d.version, decision: &d.decision, reason: d.reason.trim() })
        .collect();
    decide_ties(&app.db, access.job, access.user.id, &decisions).await?;
    let ties = work::list(&app, access.job).await?;
    for d in &list {
        let name = ties.iter().find(|t| t.id == d.id).map_or_else(String::new, |t| format!("{}–{}", t.a, t.b));
        let what = if d.decision.is_empty() { "left to its grade" } else { &d.decision };
        let why = if d.reason.trim().is_empty() { String::new() } else { format!(" ({})", d.reason.trim()) };
        jobs::note(&app.db, access.job, Some(access.user.id), &format!("tie by clouds {name} {what}{why}")).await?;
    }
    Ok(Json(ties))
}

pub(super) async fn unlocked(app: &App, job: Uuid) -> Result<(), ApiError> {
    if results::adjustment(&app.db, job).await?.is_some_and(|a| a.locked_at.is_some()) {
        return Err(ApiError::conflict("the registration is locked; unlock it to change its ties"));
    }
    Ok(())
}
