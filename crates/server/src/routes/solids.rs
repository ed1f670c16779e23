//! Simple solids.

use super::drawing::attached;
use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::SolidsRequest;
use crate::tasks::{Work, queue};
use crate::{ApiError, App, deliver, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_store::tasks::{self, Task};

/// Look for solids: walls and outlines of a floor plan up to what is there, cylinders anywhere about it. In the background.
#[utoipa::path(post, path = "/api/jobs/{job}/drawing/solids", tag = "draw", params(("job" = Uuid, Path)), request_body = SolidsRequest, responses((status = 202, body = Task), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn find_solids(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<SolidsRequest>,
) -> Result<(StatusCode, Json<Task>), ApiError> {
    let asked = asked.checked()?;
    let rows = work::drawing::rows(&app, access.job).await?;
    if !rows.iter().any(|(i, _)| i.id == asked.sheet && i.kind == "sheet") {
        return Err(ApiError::not_found());
    }
    if !work::stands::Standing::load(&app, access.job).await?.stands.is_on_grid() {
        return Err(ApiError::conflict("the block is not on the grid, or out of date: georeference it first"));
    }
    if tasks::is_active(&app.db, access.job, "solids").await? {
        return Err(ApiError::conflict("solids are being looked for already; cancel that first, or wait for it"));
    }
    let task = queue(&app, access.job, &Work::Solids(asked), Some(access.user.id)).await?;
    Ok((StatusCode::ACCEPTED, Json(task)))
}

/// All solids that were measured, as a file: `solids.dxf`, `solids.obj`, `solids.glb` (binary glTF) or `solids.csv`.
#[utoipa::path(get, path = "/api/jobs/{job}/solids/{file}", tag = "draw", params(("job" = Uuid, Path), ("file" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn solids_file(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, file)): Path<(Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    let kind = deliver::solids::KINDS.iter().find(|k| k.name == file).ok_or_else(ApiError::not_found)?;
    let solids = work::solids::solids(&app, access.job).await?.ok_or_else(ApiError::not_found)?;
    let bytes = work::blocking(move || (kind.write)(&solids)).await??;
    Ok(attached(&file, kind.media_type, bytes))
}
