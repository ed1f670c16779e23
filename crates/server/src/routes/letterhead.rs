//! What reports of a job are headed with.

use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::LetterheadDto;
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::State;
use vistazo_store::letterheads;

/// The letterhead of the job's reports; an empty one where none was made.
#[utoipa::path(get, path = "/api/jobs/{job}/letterhead", tag = "deliver", params(("job" = Uuid, Path)), responses((status = 200, body = LetterheadDto)))]
pub async fn letterhead(State(app): State<App>, access: Access<Read>) -> Result<Json<LetterheadDto>, ApiError> {
    Ok(Json(letterheads::get(&app.db, access.job).await?.map(LetterheadDto::from).unwrap_or_default()))
}

/// Keep a letterhead. It names the version that was seen.
#[utoipa::path(put, path = "/api/jobs/{job}/letterhead", tag = "deliver", params(("job" = Uuid, Path)), request_body = LetterheadDto, responses((status = 200, body = LetterheadDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn put(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(asked): Sent<LetterheadDto>,
) -> Result<Json<LetterheadDto>, ApiError> {
    let kept = work::blocking(move || asked.to_store()).await??;
    Ok(Json(letterheads::put(&app.db, access.job, &kept).await?.into()))
}
