//! Bringing scans together by hand.

use super::sent::{Query, Sent};
use super::ties::unlocked;
use crate::auth::{Access, Edit, Read};
use crate::dto::{
    ByPairsDto, CloudTieDto, LaidDto, LayDto, MarkDto, MendDto, PairsDto, PartDto, PointedDto, PointingDto, TrialDto,
};
use crate::work::{hand as work, ties};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use uuid::Uuid;
use vistazo_store::jobs;
use vistazo_store::ties::lift_cloud_tie;

/// What two scans show of one another where the second is laid over the first; nothing is kept.
#[utoipa::path(post, path = "/api/jobs/{job}/cloud-ties/trial", tag = "register", params(("job" = Uuid, Path)), request_body = LaidDto, responses((status = 200, body = TrialDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn try_tie(
    State(app): State<App>,
    access: Access<Read>,
    Sent(laid): Sent<LaidDto>,
) -> Result<Json<TrialDto>, ApiError> {
    Ok(Json(work::trial(&app, access.job, &laid).await?))
}

/// Lay a scan by hand: the clouds hold it from there, and it is judged as any other tie.
#[utoipa::path(post, path = "/api/jobs/{job}/cloud-ties/by-hand", tag = "register", params(("job" = Uuid, Path)), request_body = LayDto, responses((status = 200, body = CloudTieDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn lay_tie(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(laid): Sent<LayDto>,
) -> Result<Json<CloudTieDto>, ApiError> {
    unlocked(&app, access.job).await?;
    let tie = work::lay(&app, access.job, access.user.id, &laid).await?;
    let why = if tie.reason.is_empty() { String::new() } else { format!(" ({})", tie.reason) };
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("tie {}–{} laid by hand{why}", tie.a, tie.b))
        .await?;
    Ok(Json(tie))
}

/// Which tie is taken back, as it was seen.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct LiftQuery {
    version: i32,
}

/// Take back what was laid by hand: the tie is as it was before.
#[utoipa::path(delete, path = "/api/jobs/{job}/cloud-ties/{tie}/by-hand", tag = "register", params(("job" = Uuid, Path), ("tie" = Uuid, Path), LiftQuery), responses((status = 204), (status = 409, body = crate::error::ErrorBody)))]
pub async fn lift_tie(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, tie)): Path<(Uuid, Uuid)>,
    Query(query): Query<LiftQuery>,
) -> Result<StatusCode, ApiError> {
    unlocked(&app, access.job).await?;
    let all = ties::list(&app, access.job).await?;
    let was = all.iter().find(|t| t.id == tie).ok_or_else(ApiError::not_found)?;
    lift_cloud_tie(&app.db, access.job, tie, query.version).await?;
    let what = format!("tie {}–{}: what was laid by hand taken back", was.a, was.b);
    jobs::note(&app.db, access.job, Some(access.user.id), &what).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// What lies in a direction from a scanner: the corner or edge that was meant, else the place on the surface.
#[utoipa::path(post, path = "/api/jobs/{job}/scans/{scan}/point", tag = "register", params(("job" = Uuid, Path), ("scan" = Uuid, Path)), request_body = PointingDto, responses((status = 200, body = PointedDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn point_at(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, scan)): Path<(Uuid, Uuid)>,
    Sent(pointing): Sent<PointingDto>,
) -> Result<Json<PointedDto>, ApiError> {
    Ok(Json(work::point_at(&app, access.job, scan, pointing.direction).await?))
}

/// Point at a target that the search did not find: it is measured there and kept.
#[utoipa::path(post, path = "/api/jobs/{job}/scans/{scan}/targets", tag = "register", params(("job" = Uuid, Path), ("scan" = Uuid, Path)), request_body = MarkDto, responses((status = 200, body = Uuid), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn mark_target(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, scan)): Path<(Uuid, Uuid)>,
    Sent(marked): Sent<MarkDto>,
) -> Result<Json<Uuid>, ApiError> {
    unlocked(&app, access.job).await?;
    let (id, said) = work::mark_target(&app, access.job, access.user.id, scan, &marked).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    Ok(Json(id))
}

/// Take away a target that somebody pointed at.
#[utoipa::path(delete, path = "/api/jobs/{job}/detections/{detection}", tag = "register", params(("job" = Uuid, Path), ("detection" = Uuid, Path)), responses((status = 204), (status = 409, body = crate::error::ErrorBody)))]
pub async fn unmark_target(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, detection)): Path<(Uuid, Uuid)>,
) -> Result<StatusCode, ApiError> {
    unlocked(&app, access.job).await?;
    vistazo_store::field::remove_detection(&app.db, access.job, detection).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), "a target marked by hand taken away").await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Where the second stands by places picked in both scans; nothing is kept.
#[utoipa::path(post, path = "/api/jobs/{job}/cloud-ties/pairs", tag = "register", params(("job" = Uuid, Path)), request_body = PairsDto, responses((status = 200, body = ByPairsDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn by_pairs(
    State(app): State<App>,
    access: Access<Read>,
    Sent(pairs): Sent<PairsDto>,
) -> Result<Json<ByPairsDto>, ApiError> {
    Ok(Json(work::pairs(&app, access.job, &pairs).await?))
}

/// The parts that scans hang together in, the largest first.
#[utoipa::path(get, path = "/api/jobs/{job}/cloud-ties/parts", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = [PartDto])))]
pub async fn parts(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<PartDto>>, ApiError> {
    Ok(Json(work::parts(&app, access.job).await?))
}

/// The spot from which one more scan would share much with both scans of a tie.
#[utoipa::path(get, path = "/api/jobs/{job}/cloud-ties/{tie}/one-more", tag = "register", params(("job" = Uuid, Path), ("tie" = Uuid, Path)), responses((status = 200, body = MendDto), (status = 409, body = crate::error::ErrorBody)))]
pub async fn one_more(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, tie)): Path<(Uuid, Uuid)>,
) -> Result<Json<MendDto>, ApiError> {
    Ok(Json(work::mend(&app, access.job, tie).await?))
}
