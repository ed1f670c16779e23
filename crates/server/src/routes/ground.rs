//! The ground.

use super::drawing::attached;
use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::{GroundDto, GroundRequest};
use crate::tasks::{Work, queue};
use crate::work::ground;
use crate::{ApiError, App, deliver, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_store::tasks::{self, Task};

/// The ground as it was found last, its contours, and heights and volumes of what is drawn on it.
#[utoipa::path(get, path = "/api/jobs/{job}/ground", tag = "draw", params(("job" = Uuid, Path)), responses((status = 200, body = GroundDto)))]
pub async fn ground(State(app): State<App>, access: Access<Read>) -> Result<Json<GroundDto>, ApiError> {
    Ok(Json(ground::to_dto(&app, access.job).await?))
}

/// Find the ground, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/ground", tag = "draw", params(("job" = Uuid, Path)), request_body = GroundRequest, responses((status = 202, body = Task), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn find(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<GroundRequest>,
) -> Result<(StatusCode, Json<Task>), ApiError> {
    asked.validate()?;
    if tasks::is_active(&app.db, access.job, "ground").await? {
        return Err(ApiError::conflict("the ground is being looked for already; cancel that first, or wait for it"));
    }
    if !work::stands::Standing::load(&app, access.job).await?.stands.is_on_grid() {
        return Err(ApiError::conflict("the block is not on the grid, or out of date: georeference it first"));
    }
    let task = queue(&app, access.job, &Work::Ground(asked), Some(access.user.id)).await?;
    Ok((StatusCode::ACCEPTED, Json(task)))
}

/// The ground as a file: `ground.xml` (LandXML), `ground.dxf`, `ground.tif` (GeoTIFF) or `ground.csv` (heights and volumes).
#[utoipa::path(get, path = "/api/jobs/{job}/ground/{file}", tag = "draw", params(("job" = Uuid, Path), ("file" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn ground_file(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, file)): Path<(Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    let kind = deliver::ground::KINDS.iter().find(|k| k.name == file).ok_or_else(ApiError::not_found)?;
    let site = ground::Site::load(&app, access.job).await?.ok_or_else(ApiError::not_found)?;
    let bytes = work::blocking(move || (kind.write)(&site)).await??;
    Ok(attached(&file, kind.media_type, bytes))
}
