//! The verdict.

use crate::auth::{Access, Deliver, Edit};
use crate::dto::VerdictDto;
use crate::tasks::{self, Work};
use crate::work::seen;
use crate::work::verdict::State as JobState;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::State;
use axum::response::{IntoResponse, Response};
use vistazo_store::tasks::Task;

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
