//! The verdict, and what is taken out of the clouds.

use super::sent::Sent;
use crate::auth::{Access, Deliver, Edit, Read};
use crate::dto::{CleanDto, CleaningDto, ShownDto, VerdictDto};
use crate::tasks::{self, Work};
use crate::work::cleaning::Cleaning;
use crate::work::seen;
use crate::work::verdict::State as JobState;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::response::{IntoResponse, Response};
use uuid::Uuid;
use vistazo_store::tasks::Task;
use vistazo_store::{cleaning, jobs};

/// One row for each requirement.
#[utoipa::path(get, path = "/api/jobs/{job}/verdicts", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = [VerdictDto])))]
pub async fn verdicts(State(app): State<App>, access: Access<Deliver>) -> Result<Response, ApiError> {
    if let Some(signed) = seen::part(&app, &access, "verdicts").await? {
        return Ok(Json(signed).into_response());
    }
    Ok(Json(JobState::load(&app, access.job).await?.verdicts()).into_response())
}

/// Measure the point spacing achieved on required surfaces, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/spacing", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = Task), (status = 409, body = crate::error::ErrorBody)))]
pub async fn spacing(State(app): State<App>, access: Access<Edit>) -> Result<Json<Task>, ApiError> {
    if JobState::load(&app, access.job).await?.spacing_inputs().is_none() {
        return Err(ApiError::conflict("the block is not on the grid, or out of date: georeference it first"));
    }
    Ok(Json(tasks::queue(&app, access.job, &Work::Spacing {}, Some(access.user.id)).await?))
}

/// What the scans show of the required surfaces piece by piece, and the stations that would fill the holes; none before it
/// was measured.
#[utoipa::path(get, path = "/api/jobs/{job}/shown", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = Option<ShownDto>)))]
pub async fn shown(State(app): State<App>, access: Access<Read>) -> Result<Json<Option<ShownDto>>, ApiError> {
    Ok(Json(crate::work::shown::last(&app, access.job).await?))
}

/// A step of cleaning turned off or on again.
#[derive(serde::Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TurnStep {
    active: bool,
    version: i32,
}

/// What is taken out of the clouds, by whom, and how many points it is.
#[utoipa::path(get, path = "/api/jobs/{job}/cleaning", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = CleaningDto)))]
pub async fn cleaning(State(app): State<App>, access: Access<Read>) -> Result<Json<CleaningDto>, ApiError> {
    Ok(Json(Cleaning::load(&app, access.job).await?.to_dto()))
}

/// Look for something that does not belong, in the background. Nothing is taken away: points get a class.
#[utoipa::path(post, path = "/api/jobs/{job}/cleaning", tag = "check", params(("job" = Uuid, Path)), request_body = CleanDto, responses((status = 200, body = Task), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn clean(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<CleanDto>,
) -> Result<Json<Task>, ApiError> {
    asked.validate()?;
    let now = Cleaning::load(&app, access.job).await?;
    if asked == (CleanDto::Moved {}) && now.scans.iter().all(|s| now.others(s.id).is_empty()) {
        return Err(ApiError::conflict("what moved is seen by comparing scans: register at least two of them first"));
    }
    // asked for once more it is looked for in what came since; only a box is another one each time
    if !now.looks_for(&asked) {
        let row = serde_json::json!(asked);
        let what = row["what"].as_str().unwrap_or_default();
        cleaning::add_cleaning(&app.db, access.job, access.user.id, what, &row["options"]).await?;
        jobs::note(&app.db, access.job, Some(access.user.id), said(what)).await?;
    }
    Ok(Json(tasks::queue(&app, access.job, &Work::Clean {}, Some(access.user.id)).await?))
}

/// Turn a step of cleaning off, or on again.
#[utoipa::path(put, path = "/api/jobs/{job}/cleaning/{step}", tag = "check", params(("job" = Uuid, Path), ("step" = Uuid, Path)), request_body = TurnStep, responses((status = 200, body = Task), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn turn_step(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, step)): Path<(Uuid, Uuid)>,
    Sent(to): Sent<TurnStep>,
) -> Result<Json<Task>, ApiError> {
    let what = cleaning::turn_cleaning(&app.db, access.job, step, to.version, to.active).await?;
    let how = if to.active { "again: " } else { "undone: " };
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("{how}{}", said(&what))).await?;
    Ok(Json(tasks::queue(&app, access.job, &Work::Clean {}, Some(access.user.id)).await?))
}

fn said(what: &str) -> &'static str {
    match what {
        "stray" => "single points and points at edges taken out of the clouds",
        "moved" => "what moved taken out of the clouds",
        _ => "what is in a box taken out of the clouds",
    }
}
