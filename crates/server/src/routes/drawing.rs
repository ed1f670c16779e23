//! What is drawn for the client.

use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::{DRAWN, DrawRequest, DrawingDto, DrawnData, FitRequest};
use crate::tasks::{Work, queue};
use crate::work::drawing;
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_store::jobs::{self, PlanEdit, PlanItem};
use vistazo_store::tasks::{self, Task};

/// Everything that is drawn.
#[utoipa::path(get, path = "/api/jobs/{job}/drawing", tag = "draw", params(("job" = Uuid, Path)), responses((status = 200, body = DrawingDto)))]
pub async fn drawing(State(app): State<App>, access: Access<Read>) -> Result<Json<DrawingDto>, ApiError> {
    Ok(Json(drawing::to_dto(&app, access.job).await?))
}

/// Draw a floor plan, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/drawing", tag = "draw", params(("job" = Uuid, Path)), request_body = DrawRequest, responses((status = 202, body = Task), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn draw(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<DrawRequest>,
) -> Result<(StatusCode, Json<Task>), ApiError> {
    if tasks::is_active(&app.db, access.job, "draw").await? {
        return Err(ApiError::conflict("a plan is being drawn already; cancel that first, or wait for it"));
    }
    let sheet = drawing::sheet(&app, access.job, &asked).await?;
    let task = queue(&app, access.job, &Work::Draw { sheet }, Some(access.user.id)).await?;
    Ok((StatusCode::ACCEPTED, Json(task)))
}

/// Apply edits, all together or not at all. Each names the version it saw.
#[utoipa::path(post, path = "/api/jobs/{job}/drawing/edits", tag = "draw", params(("job" = Uuid, Path)), request_body = Vec<PlanEdit>, responses((status = 200, body = [PlanItem]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn edit(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(edits): Sent<Vec<PlanEdit>>,
) -> Result<Json<Vec<PlanItem>>, ApiError> {
    if edits.len() > drawing::MOST {
        return Err(ApiError::bad(format!("{} edits at once, expected at most {}", edits.len(), drawing::MOST)));
    }
    for e in &edits {
        if !DRAWN.contains(&e.kind.as_str()) {
            return Err(ApiError::field("kind", format!("found “{}”, expected one of {}", e.kind, DRAWN.join(", "))));
        }
        DrawnData::parse(&e.kind, &e.data)?;
    }
    drawing::room(&app, access.job, &edits).await?;
    Ok(Json(jobs::edit_drawing(&app.db, access.job, &edits).await?))
}

/// Fit a line to what the scans show along it; nothing is stored. It answers the line as it could be stored.
#[utoipa::path(post, path = "/api/jobs/{job}/drawing/fit", tag = "draw", params(("job" = Uuid, Path)), request_body = FitRequest, responses((status = 200, body = DrawnData), (status = 422, body = crate::error::ErrorBody)))]
pub async fn fit(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<FitRequest>,
) -> Result<Json<DrawnData>, ApiError> {
    Ok(Json(drawing::fit(&app, access.job, &asked).await?))
}

/// Make the picture of an elevation, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/drawing/{sheet}/picture", tag = "draw", params(("job" = Uuid, Path), ("sheet" = Uuid, Path)), responses((status = 202, body = Task), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn picture(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, elevation)): Path<(Uuid, Uuid)>,
) -> Result<(StatusCode, Json<Task>), ApiError> {
    work::elevation::row(&app, access.job, elevation).await?.ok_or_else(ApiError::not_found)?;
    if !work::stands::Standing::load(&app, access.job).await?.stands.is_on_grid() {
        return Err(ApiError::conflict("the block is not on the grid, or out of date: georeference it first"));
    }
    if tasks::is_active(&app.db, access.job, "picture").await? {
        return Err(ApiError::conflict("a picture is being made already; cancel that first, or wait for it"));
    }
    let task = queue(&app, access.job, &Work::Picture { elevation }, Some(access.user.id)).await?;
    Ok((StatusCode::ACCEPTED, Json(task)))
}

/// A sheet as a file: `plan.dxf`, `plan.pdf` or `plan.geojson`; an elevation with a picture: `elevation.png`, its world file
/// `elevation.pgw`, `elevation.tif` (GeoTIFF) or `elevation.pdf`.
#[utoipa::path(get, path = "/api/jobs/{job}/drawing/{sheet}/{file}", tag = "draw", params(("job" = Uuid, Path), ("sheet" = Uuid, Path), ("file" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn file(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, sheet, file)): Path<(Uuid, Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    if let Some(kind) = crate::deliver::elevation::KINDS.iter().find(|k| k.name == file) {
        let made = work::elevation::made(&app, access.job, Some(sheet)).await?;
        let made = made.into_iter().next().ok_or_else(ApiError::not_found)?;
        let bytes = work::blocking(move || (kind.write)(&made)).await??;
        return Ok(attached(&file, kind.media_type, bytes));
    }
    let drawings = drawing::drawings(&app, access.job).await?;
    let drawing = drawings.into_iter().find(|d| d.id == sheet).ok_or_else(ApiError::not_found)?;
    let kind = crate::deliver::drawing::KINDS.iter().find(|k| k.name == file).ok_or_else(ApiError::not_found)?;
    let bytes = work::blocking(move || (kind.write)(&drawing)).await??;
    Ok(attached(&file, kind.media_type, bytes))
}

/// A file that is kept by whoever asks for it.
pub(super) fn attached(name: &str, media_type: &str, bytes: Vec<u8>) -> impl IntoResponse + use<> {
    let name = format!("attachment; filename=\"{name}\"");
    ([(header::CONTENT_TYPE, media_type.to_owned()), (header::CONTENT_DISPOSITION, name)], bytes)
}
