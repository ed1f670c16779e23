//! Days on site: what they are planned from, what happens when, an order with less carrying, what to do about what does
//! not fit, files to carry along.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::deliver::days::DAY_DOCUMENTS;
use crate::dto::{DayOptionsDto, DayQuery, DaySettingsDto, DaysDto, OrderDto};
use crate::work::days::{self, Days};
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_store::{days as store, jobs};

/// The days with the moment that is asked for.
async fn asked(app: &App, job: Uuid, q: DayQuery) -> Result<(Days, Option<f64>), ApiError> {
    let days = Days::load(app, job).await?;
    let now = q.now.map(|n| days.clock(n));
    Ok((days, now))
}

/// What happens when: steps of everybody, batteries, cards, what is worked through when, what breaks first.
#[utoipa::path(get, path = "/api/jobs/{job}/day", tag = "plan", params(("job" = Uuid, Path), DayQuery), responses((status = 200, body = DaysDto)))]
pub async fn day(
    State(app): State<App>,
    access: Access<Read>,
    Query(q): Query<DayQuery>,
) -> Result<Json<DaysDto>, ApiError> {
    let (days, now) = asked(&app, access.job, q).await?;
    Ok(Json(work::blocking(move || days.to_dto(now)).await?))
}

/// Keep what days are planned from. It names the version that was seen.
#[utoipa::path(put, path = "/api/jobs/{job}/day", tag = "plan", params(("job" = Uuid, Path)), request_body = DaySettingsDto, responses((status = 200, body = DaysDto), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn put_day(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(settings): Sent<DaySettingsDto>,
) -> Result<Json<DaysDto>, ApiError> {
    let settings = settings.checked()?;
    let before = days::settings(&app, access.job).await?;
    let kept = serde_json::json!(settings);
    store::put(&app.db, access.job, &kept, settings.version, access.user.id).await?;
    if before.dates != settings.dates {
        let last = settings.dates.last().map_or(String::new(), |d| d.date.to_string());
        let said = format!("planned {} day(s) on site, the last on {last}", settings.dates.len());
        jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    }
    let days = Days::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || days.to_dto(None)).await?))
}

/// An order of the stations with less carrying, each tied to one before it. What is locked stays, and what is done.
/// Nothing is changed.
#[utoipa::path(post, path = "/api/jobs/{job}/day/order", tag = "plan", params(("job" = Uuid, Path), DayQuery), responses((status = 200, body = OrderDto)))]
pub async fn better_order(
    State(app): State<App>,
    access: Access<Read>,
    Query(q): Query<DayQuery>,
) -> Result<Json<OrderDto>, ApiError> {
    let (days, now) = asked(&app, access.job, q).await?;
    Ok(Json(work::blocking(move || days.better_order(now)).await?))
}

/// What can be done about what does not fit, each with what it does to cover and predicted error.
#[utoipa::path(post, path = "/api/jobs/{job}/day/options", tag = "plan", params(("job" = Uuid, Path), DayQuery), responses((status = 200, body = DayOptionsDto)))]
pub async fn day_options(
    State(app): State<App>,
    access: Access<Read>,
    Query(q): Query<DayQuery>,
) -> Result<Json<DayOptionsDto>, ApiError> {
    let (days, now) = asked(&app, access.job, q).await?;
    Ok(Json(work::blocking(move || days::options(&days, now)).await?))
}

/// A file of the days: `day.pdf` to print, `day.ics` for calendars, `day.csv`.
#[utoipa::path(get, path = "/api/jobs/{job}/day/files/{file}", tag = "plan", params(("job" = Uuid, Path), ("file" = String, Path), DayQuery), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn day_file(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, file)): Path<(Uuid, String)>,
    Query(q): Query<DayQuery>,
) -> Result<impl IntoResponse, ApiError> {
    let document = DAY_DOCUMENTS.iter().find(|d| d.name() == file).ok_or_else(ApiError::not_found)?;
    let (days, now) = asked(&app, access.job, q).await?;
    let bytes = work::blocking(move || {
        let dto = days.to_dto(now);
        document.write(&days, &dto)
    })
    .await??;
    let name = format!("attachment; filename=\"{file}\"");
    Ok(([(header::CONTENT_TYPE, document.media_type().to_owned()), (header::CONTENT_DISPOSITION, name)], bytes))
}
