//! Walks with a mobile unit: what will come out of those that are planned, walks that are proposed or split.

use super::sent::Sent;
use crate::auth::{Access, Read};
use crate::dto::{PlannedWalksDto, ProposeWalksRequest, WalkLinesDto};
use crate::work::{planned_walks, planning};
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use uuid::Uuid;

/// The walks of the plan: minutes, cover, the error along each, what goes wrong, where a known point helps, tripod and mobile
/// beside one another.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/walks", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = PlannedWalksDto)))]
pub async fn planned_walks(State(app): State<App>, access: Access<Read>) -> Result<impl IntoResponse, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    let text = planned_walks::text(&app, access.job, plan, brief).await?;
    Ok(([(header::CONTENT_TYPE, "application/json")], text))
}

/// Propose walks from a start and back to it, through rooms or over an area in strips. Nothing is stored.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/walks/propose", tag = "plan", params(("job" = Uuid, Path)), request_body = ProposeWalksRequest, responses((status = 200, body = WalkLinesDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn propose_walks(
    State(app): State<App>,
    access: Access<Read>,
    Sent(wish): Sent<ProposeWalksRequest>,
) -> Result<Json<WalkLinesDto>, ApiError> {
    wish.validate()?;
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || planned_walks::proposed(&plan, &brief, &wish)).await??))
}

/// Cut a walk into passes that its unit lasts for. Nothing is stored.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/walks/{item}/split", tag = "plan", params(("job" = Uuid, Path), ("item" = Uuid, Path)), responses((status = 200, body = WalkLinesDto), (status = 404, body = crate::error::ErrorBody)))]
pub async fn split_walk(
    State(app): State<App>,
    access: Access<Read>,
    Path(at): Path<(Uuid, Uuid)>,
) -> Result<Json<WalkLinesDto>, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || planned_walks::cut(&plan, &brief, at.1)).await??))
}
