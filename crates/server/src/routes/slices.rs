//! Slices through the clouds.

use super::sent::Sent;
use crate::auth::{Access, Read, Vouch};
use crate::dto::{CutDto, CutOutDto, KeepSliceDto, OffsetsDto, SlicesDto, StretchDto};
use crate::work::slices::Sliced;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::State;
use vistazo_store::jobs;

/// Longest note of who looked at something.
const LONGEST: usize = 400;

/// Slices where doubt is greatest, and those that somebody put their name to.
#[utoipa::path(get, path = "/api/jobs/{job}/slices", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = SlicesDto)))]
pub async fn slices(State(app): State<App>, access: Access<Read>) -> Result<Json<SlicesDto>, ApiError> {
    Ok(Json(Sliced::load(&app, access.job).await?.to_dto(&app, access.job).await?))
}

/// What the scans show in a slice.
#[utoipa::path(post, path = "/api/jobs/{job}/slices/cut", tag = "check", params(("job" = Uuid, Path)), request_body = CutDto, responses((status = 200, body = CutOutDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn cut(
    State(app): State<App>,
    access: Access<Read>,
    Sent(cut): Sent<CutDto>,
) -> Result<Json<CutOutDto>, ApiError> {
    Ok(Json(Sliced::load(&app, access.job).await?.cut(&app, &cut).await?))
}

/// How far the surfaces of scans lie apart in a part of a slice.
#[utoipa::path(post, path = "/api/jobs/{job}/slices/offsets", tag = "check", params(("job" = Uuid, Path)), request_body = StretchDto, responses((status = 200, body = OffsetsDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn offsets(
    State(app): State<App>,
    access: Access<Read>,
    Sent(of): Sent<StretchDto>,
) -> Result<Json<OffsetsDto>, ApiError> {
    Ok(Json(Sliced::load(&app, access.job).await?.offsets(&app, &of).await?))
}

/// Put one's name to a slice, which goes into the report; or take that back.
#[utoipa::path(put, path = "/api/jobs/{job}/slices", tag = "check", operation_id = "keep_slice", params(("job" = Uuid, Path)), request_body = KeepSliceDto, responses((status = 200, body = SlicesDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    access: Access<Vouch>,
    Sent(k): Sent<KeepSliceDto>,
) -> Result<Json<SlicesDto>, ApiError> {
    if k.note.chars().count() > LONGEST {
        return Err(ApiError::field("note", format!("expected at most {LONGEST} characters")));
    }
    let said = Sliced::load(&app, access.job).await?.keep(&app, (access.job, access.user.id), &k).await?;
    let how = if k.looked { "looked at the slice" } else { "did not look at the slice any more" };
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("{how}: {said}")).await?;
    slices(State(app), Access::of(&access)).await
}
