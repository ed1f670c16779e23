//! Looking at the clouds: poses, tiles, panoramas, measuring, saved views.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Look, Read};
use crate::dto::{CloudDto, MeasureDto, MeasureRequest};
use crate::work::seen;
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::{IntoResponse, Response};
use uuid::Uuid;
use vistazo_formats::Extent;
use vistazo_store::views::{self, View};
use vistazo_store::{field, passes};

/// Which frame to show.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct Frame {
    /// `grid`, `block`, `as delivered`, or `scan` for the last one alone; the best there is when left out.
    frame: Option<String>,
}

/// A view to be saved.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct NewView {
    name: String,
    #[schema(value_type = Object)]
    data: serde_json::Value,
}

/// All scans that have a place, with poses, tiles and grades.
#[utoipa::path(get, path = "/api/jobs/{job}/cloud", tag = "cloud", params(("job" = Uuid, Path), Frame), responses((status = 200, body = CloudDto)))]
pub async fn cloud(State(app): State<App>, access: Access<Look>, Query(q): Query<Frame>) -> Result<Response, ApiError> {
    if let Some(signed) = seen::part(&app, &access, "cloud").await? {
        return Ok(Json(signed).into_response());
    }
    Ok(Json(work::cloud::cloud(&app, access.job, q.frame.as_deref()).await?).into_response())
}

/// The same as an OGC 3D Tiles tileset about the origin that the cloud names.
#[utoipa::path(get, path = "/api/jobs/{job}/tileset.json", tag = "cloud", params(("job" = Uuid, Path), Frame), responses((status = 200, body = Object)))]
pub async fn tileset(
    State(app): State<App>,
    access: Access<Look>,
    Query(q): Query<Frame>,
) -> Result<Json<serde_json::Value>, ApiError> {
    if let Some(signed) = seen::part(&app, &access, "tileset").await? {
        return Ok(Json(signed));
    }
    let cloud = work::cloud::cloud(&app, access.job, q.frame.as_deref()).await?;
    Ok(Json(work::cloud::tileset(&cloud, access.job)))
}

/// A tile (`start-length.glb`) or tileset document (`start-length.json`) of a scan or a pass.
#[utoipa::path(get, path = "/api/jobs/{job}/scans/{scan}/tiles/{build}/{name}", tag = "cloud", params(("job" = Uuid, Path), ("scan" = Uuid, Path), ("build" = Uuid, Path), ("name" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "model/gltf-binary")))]
pub async fn tile(
    State(app): State<App>,
    access: Access<Look>,
    Path((_job, scan, build, name)): Path<(Uuid, Uuid, Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    seen::may_load(&app, &access, scan, &build.to_string()).await?;
    let (extent, points) = Extent::parse(&name).ok_or_else(ApiError::not_found)?;
    // no tile is larger; a longer range would only fill memory
    if extent.len > 64 << 20 {
        return Err(ApiError::not_found());
    }
    // all builds of a scan, or of a pass, lie beside one another; one that was made again is under another name
    let key = match field::scan(&app.db, access.job, scan).await {
        Ok(row) => row.key,
        Err(e) if e.is_missing() => {
            passes::pass(&app.db, access.job, scan).await?.made_key.ok_or_else(ApiError::not_found)?
        }
        Err(e) => return Err(e.into()),
    };
    let beside = key.rsplit_once('/').map_or("", |k| k.0);
    let tiles = app.objects.range(&format!("{beside}/{build}/tiles"), extent.start, extent.len).await;
    let bytes = tiles.map_err(|e| if e.is_missing() { ApiError::not_found() } else { e.into() })?;
    let kind = if points { "model/gltf-binary" } else { "application/json" };
    Ok(([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, "private, max-age=31536000, immutable")], bytes))
}

/// The panorama of a scan, as PNG: azimuth −180° to 180° anticlockwise, elevation 90° to −90°, scanner frame.
#[utoipa::path(get, path = "/api/jobs/{job}/scans/{scan}/panorama", tag = "cloud", params(("job" = Uuid, Path), ("scan" = Uuid, Path)), responses((status = 200, body = Vec<u8>, content_type = "image/png")))]
pub async fn panorama(
    State(app): State<App>,
    access: Access<Look>,
    Path((_job, scan)): Path<(Uuid, Uuid)>,
) -> Result<impl IntoResponse, ApiError> {
    let row = field::scan(&app.db, access.job, scan).await?;
    seen::may_load(&app, &access, scan, row.key.rsplit('/').next().unwrap_or_default()).await?;
    let bytes = app.objects.bytes(&format!("{}/panorama.png", row.key)).await?;
    Ok(([(header::CONTENT_TYPE, "image/png"), (header::CACHE_CONTROL, "private, max-age=3600")], bytes))
}

/// Coordinates of points of scans, and the distances between successive ones, with their uncertainty.
#[utoipa::path(post, path = "/api/jobs/{job}/measure", tag = "cloud", params(("job" = Uuid, Path), Frame), request_body = MeasureRequest, responses((status = 200, body = MeasureDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn measure(
    State(app): State<App>,
    access: Access<Look>,
    Query(q): Query<Frame>,
    Sent(request): Sent<MeasureRequest>,
) -> Result<Json<MeasureDto>, ApiError> {
    seen::unchanged(&app, &access).await?;
    Ok(Json(work::cloud::measure(&app, access.job, &request.points, q.frame.as_deref()).await?))
}

/// Saved views.
#[utoipa::path(get, path = "/api/jobs/{job}/views", tag = "cloud", params(("job" = Uuid, Path)), responses((status = 200, body = [View])))]
pub async fn views(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<View>>, ApiError> {
    Ok(Json(views::list(&app.db, access.job).await?))
}

/// Save a view under a name.
#[utoipa::path(post, path = "/api/jobs/{job}/views", tag = "cloud", params(("job" = Uuid, Path)), request_body = NewView, responses((status = 200, body = [View]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn save_view(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(v): Sent<NewView>,
) -> Result<Json<Vec<View>>, ApiError> {
    let name = v.name.trim();
    if name.is_empty() || name.chars().count() > 100 {
        return Err(ApiError::field("name", "expected a name of 1 to 100 characters"));
    }
    if v.data.to_string().len() > 20_000 {
        return Err(ApiError::field("data", "expected a view of less than 20 kB"));
    }
    views::add(&app.db, access.job, name, &v.data, access.user.id).await?;
    Ok(Json(views::list(&app.db, access.job).await?))
}

/// Remove a saved view.
#[utoipa::path(delete, path = "/api/jobs/{job}/views/{view}", tag = "cloud", params(("job" = Uuid, Path), ("view" = Uuid, Path)), responses((status = 204)))]
pub async fn remove_view(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, view)): Path<(Uuid, Uuid)>,
) -> Result<StatusCode, ApiError> {
    views::remove(&app.db, access.job, view).await?;
    Ok(StatusCode::NO_CONTENT)
}
