//! The ground.

use super::drawing::attached;
use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{GroundDto, GroundRequest, NewSurfaceDto, SurfaceChangeDto};
use crate::tasks::{Work, queue};
use crate::work::{ground, surfaces};
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

/// The ground as a file: `ground.xml` (LandXML), `ground.dxf`, `ground.pdf` (to scale), `ground.tif` (GeoTIFF) or `ground.csv` (heights and volumes).
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

/// Largest file of surfaces, bytes.
pub const LARGEST: usize = 64 << 20;

/// A version that was seen.
#[derive(serde::Deserialize)]
pub struct SeenSurface {
    version: i32,
}

/// Bring surfaces that somebody else made, as LandXML: volumes are reckoned to each of them. All of a file or none.
#[utoipa::path(post, path = "/api/jobs/{job}/surfaces", tag = "draw", params(("job" = Uuid, Path)), request_body = NewSurfaceDto, responses((status = 200, body = GroundDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_surface(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(new): Sent<NewSurfaceDto, LARGEST>,
) -> Result<Json<GroundDto>, ApiError> {
    surfaces::bring(&app, access.job, access.user.id, new.checked()?).await?;
    Ok(Json(ground::to_dto(&app, access.job).await?))
}

/// Change what is said of such a surface: its name, and how well its heights are known.
#[utoipa::path(put, path = "/api/jobs/{job}/surfaces/{surface}", tag = "draw", params(("job" = Uuid, Path), ("surface" = Uuid, Path)), request_body = SurfaceChangeDto, responses((status = 200, body = GroundDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn change_surface(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, surface)): Path<(Uuid, Uuid)>,
    Sent(to): Sent<SurfaceChangeDto>,
) -> Result<Json<GroundDto>, ApiError> {
    surfaces::change(&app, access.job, access.user.id, surface, &to.checked()?).await?;
    Ok(Json(ground::to_dto(&app, access.job).await?))
}

/// Take such a surface out.
#[utoipa::path(delete, path = "/api/jobs/{job}/surfaces/{surface}", tag = "draw", params(("job" = Uuid, Path), ("surface" = Uuid, Path), ("version" = i32, Query)), responses((status = 200, body = GroundDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn remove_surface(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, surface)): Path<(Uuid, Uuid)>,
    Query(seen): Query<SeenSurface>,
) -> Result<Json<GroundDto>, ApiError> {
    surfaces::remove(&app, access.job, access.user.id, surface, seen.version).await?;
    Ok(Json(ground::to_dto(&app, access.job).await?))
}
