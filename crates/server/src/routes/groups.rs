//! Groups of scans: held as they were registered, or set apart.

use super::sent::{Query, Sent};
use super::ties::unlocked;
use crate::auth::{Access, Edit, Read};
use crate::dto::{HoldWord, NewScanGroupDto, ScanGroupDto, ScanGroupEditDto};
use crate::work::groups as work;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use uuid::Uuid;
use vistazo_store::groups::{remove_group, scan_group};
use vistazo_store::jobs;

/// Groups of scans, by name.
#[utoipa::path(get, path = "/api/jobs/{job}/scan-groups", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = [ScanGroupDto])))]
pub async fn groups(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<ScanGroupDto>>, ApiError> {
    Ok(Json(work::list(&app, access.job).await?))
}

/// Take scans together. Held ones keep the shape that the registration gave them.
#[utoipa::path(post, path = "/api/jobs/{job}/scan-groups", tag = "register", params(("job" = Uuid, Path)), request_body = NewScanGroupDto, responses((status = 200, body = ScanGroupDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_group(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(new): Sent<NewScanGroupDto>,
) -> Result<Json<ScanGroupDto>, ApiError> {
    unlocked(&app, access.job).await?;
    let group = work::put(&app, access.job, None, &new).await?;
    let said = format!("group “{}” of {}: {}", group.name, group.names.join(", "), done(group.hold));
    jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    Ok(Json(group))
}

/// Hold a group, let it go, set it apart, take it in again, rename it, or change its scans.
#[utoipa::path(put, path = "/api/jobs/{job}/scan-groups/{group}", tag = "register", params(("job" = Uuid, Path), ("group" = Uuid, Path)), request_body = ScanGroupEditDto, responses((status = 200, body = ScanGroupDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn change_group(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, id)): Path<(Uuid, Uuid)>,
    Sent(edit): Sent<ScanGroupEditDto>,
) -> Result<Json<ScanGroupDto>, ApiError> {
    unlocked(&app, access.job).await?;
    let to_be = NewScanGroupDto { name: edit.name, scans: edit.scans, hold: edit.hold };
    let group = work::put(&app, access.job, Some((id, edit.version)), &to_be).await?;
    let said = format!("group “{}” of {}: {}", group.name, group.names.join(", "), done(group.hold));
    jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    Ok(Json(group))
}

/// Which group, as it was seen.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct GroupQuery {
    version: i32,
}

/// Scans are no group any more, and are registered like any others.
#[utoipa::path(delete, path = "/api/jobs/{job}/scan-groups/{group}", tag = "register", params(("job" = Uuid, Path), ("group" = Uuid, Path), GroupQuery), responses((status = 204), (status = 409, body = crate::error::ErrorBody)))]
pub async fn dissolve(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, id)): Path<(Uuid, Uuid)>,
    Query(query): Query<GroupQuery>,
) -> Result<StatusCode, ApiError> {
    unlocked(&app, access.job).await?;
    let was = scan_group(&app.db, access.job, id).await?;
    remove_group(&app.db, access.job, id, query.version).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("group “{}” dissolved", was.name)).await?;
    Ok(StatusCode::NO_CONTENT)
}

fn done(hold: HoldWord) -> &'static str {
    match hold {
        HoldWord::Free => "free",
        HoldWord::Held => "held as registered",
        HoldWord::Apart => "set apart",
    }
}
