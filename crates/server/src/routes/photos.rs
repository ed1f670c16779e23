//! Photographs that colour the clouds.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{PaintDto, PhotoChangeDto, PhotoQuery, PhotosDto};
use crate::tasks::{self, Work};
use crate::work::colouring::Colouring;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_store::photos::{self, photo_key};
use vistazo_store::{jobs, tasks::Task};

/// Picks and masks of one photograph at most.
const MOST: usize = 200;
/// Pixels of one photograph at most, and of its longer side.
const PIXELS: u64 = 200_000_000;

/// A version that was seen.
#[derive(serde::Deserialize)]
pub struct Seen {
    version: i32,
}

/// Photographs with where they were taken from, and what is coloured.
#[utoipa::path(get, path = "/api/jobs/{job}/photos", tag = "colour", params(("job" = Uuid, Path)), responses((status = 200, body = PhotosDto)))]
pub async fn photographs(State(app): State<App>, access: Access<Read>) -> Result<Json<PhotosDto>, ApiError> {
    Ok(Json(Colouring::load(&app, access.job).await?.to_dto()))
}

/// Bring a photograph (JPEG or PNG).
#[utoipa::path(post, path = "/api/jobs/{job}/photos", tag = "colour", params(("job" = Uuid, Path), PhotoQuery), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = PhotosDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_photo(
    State(app): State<App>,
    access: Access<Edit>,
    Query(q): Query<PhotoQuery>,
    body: axum::body::Bytes,
) -> Result<Json<PhotosDto>, ApiError> {
    let name: String = q.name.trim().chars().take(80).collect();
    if name.is_empty() {
        return Err(ApiError::field("name", "expected a name"));
    }
    // the whole picture is read once: one that is cut short is better refused now than when it is to colour something
    let bytes = body.clone();
    let size = crate::work::blocking(move || {
        let reader = image::ImageReader::new(std::io::Cursor::new(&bytes)).with_guessed_format().ok()?;
        let (w, h) = reader.into_dimensions().ok()?;
        (u64::from(w) * u64::from(h) <= PIXELS).then_some(())?;
        image::load_from_memory(&bytes).ok()?;
        Some([w as i32, h as i32])
    })
    .await?
    .ok_or_else(|| {
        ApiError::field(
            "picture",
            format!("{name}: expected a whole JPEG or PNG picture of at most 200 million pixels"),
        )
    })?;
    let id = photos::new_photo();
    app.objects.put(&photo_key(access.job, id), body.to_vec()).await?;
    photos::add_photo(&app.db, access.job, access.user.id, id, &name, size).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("brought the photograph “{name}”")).await?;
    photographs(State(app), Access::of(&access)).await
}

/// The picture itself.
#[utoipa::path(get, path = "/api/jobs/{job}/photos/{photo}/picture", tag = "colour", params(("job" = Uuid, Path), ("photo" = Uuid, Path)), responses((status = 200, body = Vec<u8>, content_type = "image/jpeg"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn picture(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, photo)): Path<(Uuid, Uuid)>,
) -> Result<impl IntoResponse, ApiError> {
    let bytes = app.objects.bytes(&photo_key(access.job, photo)).await?;
    let kind = if bytes.starts_with(&[0x89, b'P']) { "image/png" } else { "image/jpeg" };
    Ok(([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, "private, max-age=31536000, immutable")], bytes))
}

/// What was picked in a photograph, what of it colours nothing, and whether it takes part.
#[utoipa::path(put, path = "/api/jobs/{job}/photos/{photo}", tag = "colour", params(("job" = Uuid, Path), ("photo" = Uuid, Path)), request_body = PhotoChangeDto, responses((status = 200, body = PhotosDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn change_photo(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, photo)): Path<(Uuid, Uuid)>,
    Sent(to): Sent<PhotoChangeDto>,
) -> Result<Json<PhotosDto>, ApiError> {
    if to.picks.len() > MOST || to.masks.len() > MOST {
        return Err(ApiError::field("picks", format!("expected at most {MOST} picks and masks")));
    }
    let of_job: Vec<Uuid> = vistazo_store::field::scans(&app.db, access.job).await?.iter().map(|s| s.id).collect();
    for (k, p) in to.picks.iter().enumerate() {
        if !of_job.contains(&p.scan) {
            return Err(ApiError::field(&format!("picks/{k}/scan"), "expected a scan of this job"));
        }
        let sound = p.pixel.iter().chain(&p.at).all(|v| v.is_finite() && v.abs() < 1e6);
        if !sound {
            return Err(ApiError::field(&format!("picks/{k}"), "expected pixels and metres of less than a million"));
        }
    }
    let stored = (&serde_json::json!(to.picks), &serde_json::json!(to.masks), to.used);
    photos::change_photo(&app.db, access.job, photo, to.version, stored).await?;
    photographs(State(app), Access::of(&access)).await
}

/// Take a photograph out.
#[utoipa::path(delete, path = "/api/jobs/{job}/photos/{photo}", tag = "colour", params(("job" = Uuid, Path), ("photo" = Uuid, Path), ("version" = i32, Query)), responses((status = 200, body = PhotosDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn remove_photo(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, photo)): Path<(Uuid, Uuid)>,
    Query(seen): Query<Seen>,
) -> Result<Json<PhotosDto>, ApiError> {
    photos::remove_photo(&app.db, access.job, photo, seen.version).await?;
    app.objects.remove(&photo_key(access.job, photo)).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), "took a photograph out").await?;
    photographs(State(app), Access::of(&access)).await
}

/// Colour the clouds from the photographs, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/colours", tag = "colour", operation_id = "paint", params(("job" = Uuid, Path)), request_body = PaintDto, responses((status = 200, body = Task), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn run(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<PaintDto>,
) -> Result<Json<Task>, ApiError> {
    let now = Colouring::load(&app, access.job).await?;
    if asked.scan.is_some_and(|a| !now.scans.iter().any(|s| s.id == a)) {
        return Err(ApiError::field("scan", "expected a scan of this job"));
    }
    if !now.has_camera() {
        return Err(ApiError::conflict("no photograph has a place yet: pick at least six pairs in one"));
    }
    Ok(Json(tasks::queue(&app, access.job, &Work::Paint(asked), Some(access.user.id)).await?))
}

/// The clouds have the colours again that they came with.
#[utoipa::path(delete, path = "/api/jobs/{job}/colours", tag = "colour", operation_id = "uncolour", params(("job" = Uuid, Path)), responses((status = 200, body = PhotosDto)))]
pub async fn undo(State(app): State<App>, access: Access<Edit>) -> Result<Json<PhotosDto>, ApiError> {
    if photos::drop_colours(&app.db, access.job).await? > 0 {
        jobs::note(&app.db, access.job, Some(access.user.id), "took the colours of the photographs away again").await?;
    }
    photographs(State(app), Access::of(&access)).await
}
