//! Scans set against one another.

use super::sent::Sent;
use crate::auth::{Access, Edit, Read, Vouch};
use crate::dto::{ComparedPlacesDto, ComparisonsDto, LookAtDto};
use crate::tasks::{self, Work};
use crate::work::compare::{self, Compared, NOT_REGISTERED};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use uuid::Uuid;
use vistazo_store::jobs;
use vistazo_store::tasks::Task;

/// Longest note of who looked at something.
const LONGEST: usize = 400;

/// Pairs of scans that were compared, and what changed between them.
#[utoipa::path(get, path = "/api/jobs/{job}/comparison", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = ComparisonsDto)))]
pub async fn comparison(State(app): State<App>, access: Access<Read>) -> Result<Json<ComparisonsDto>, ApiError> {
    Ok(Json(Compared::load(&app, access.job).await?.to_dto()?))
}

/// Set the scans against one another, in the background: each against those that stand nearest.
#[utoipa::path(post, path = "/api/jobs/{job}/comparison", tag = "check", operation_id = "compare", params(("job" = Uuid, Path)), responses((status = 200, body = Task), (status = 409, body = crate::error::ErrorBody)))]
pub async fn run(State(app): State<App>, access: Access<Edit>) -> Result<Json<Task>, ApiError> {
    if Compared::load(&app, access.job).await?.pairs().is_empty() {
        return Err(ApiError::conflict(NOT_REGISTERED));
    }
    Ok(Json(tasks::queue(&app, access.job, &Work::Compare {}, Some(access.user.id)).await?))
}

/// The places of one pair, for its map.
#[utoipa::path(get, path = "/api/jobs/{job}/comparison/pairs/{pair}", tag = "check", operation_id = "compared_places", params(("job" = Uuid, Path), ("pair" = Uuid, Path)), responses((status = 200, body = ComparedPlacesDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn places(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, pair)): Path<(Uuid, Uuid)>,
) -> Result<Json<ComparedPlacesDto>, ApiError> {
    Ok(Json(compare::places(&app, access.job, pair).await?))
}

/// Put one's name to a thing that changed, with what it was; or take that back.
#[utoipa::path(put, path = "/api/jobs/{job}/comparison/things", tag = "check", operation_id = "look_at", params(("job" = Uuid, Path)), request_body = LookAtDto, responses((status = 200, body = ComparisonsDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn look(
    State(app): State<App>,
    access: Access<Vouch>,
    Sent(at): Sent<LookAtDto>,
) -> Result<Json<ComparisonsDto>, ApiError> {
    if at.note.chars().count() > LONGEST {
        return Err(ApiError::field("note", format!("expected at most {LONGEST} characters")));
    }
    let now = Compared::load(&app, access.job).await?;
    let said = now.look(&app, (access.job, access.user.id), &at.key, at.looked.then_some(at.note.trim())).await?;
    let how = if at.looked { "looked at" } else { "not looked at any more" };
    let note = if at.note.is_empty() { String::new() } else { format!(" ({})", at.note.trim()) };
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("{how}: {said}{note}")).await?;
    Ok(Json(Compared::load(&app, access.job).await?.to_dto()?))
}
