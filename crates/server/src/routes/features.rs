//! Features on coded layers.

use super::drawing::attached;
use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::{CornersDto, CornersRequest};
use crate::{ApiError, App, deliver, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::response::IntoResponse;
use uuid::Uuid;

/// Measure places in the clouds: heights of the ground, rims and feet of steps, where slopes meet. Nothing is stored.
#[utoipa::path(post, path = "/api/jobs/{job}/drawing/measure", tag = "draw", params(("job" = Uuid, Path)), request_body = CornersRequest, responses((status = 200, body = CornersDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn measure(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<CornersRequest>,
) -> Result<Json<CornersDto>, ApiError> {
    Ok(Json(work::features::measure(&app, access.job, &asked).await?))
}

/// All features of which every corner is known, as a file: `features.dxf`, `features.geojson`, `features.xml` (LandXML) or
/// `features.csv`.
#[utoipa::path(get, path = "/api/jobs/{job}/features/{file}", tag = "draw", params(("job" = Uuid, Path), ("file" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn features_file(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, file)): Path<(Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    let kind = deliver::features::KINDS.iter().find(|k| k.name == file).ok_or_else(ApiError::not_found)?;
    let coded = work::features::coded(&app, access.job).await?.ok_or_else(ApiError::not_found)?;
    let bytes = work::blocking(move || (kind.write)(&coded)).await??;
    Ok(attached(&file, kind.media_type, bytes))
}
