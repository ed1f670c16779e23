//! Independent surveys.

use super::georeference::{ControlText, understand};
use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{SurveyChangeDto, SurveyDto, SurveyLimitsDto};
use crate::tasks::{self, Work};
use crate::work::survey::{StoredPoint, Surveyed};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use uuid::Uuid;
use vistazo_store::{jobs, surveys};

/// Points of a survey at most.
const MOST: usize = 5000;

/// A survey to set the clouds against: a point file, as control is given.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct NewSurvey {
    name: String,
    file: ControlText,
}

/// A version that was seen.
#[derive(serde::Deserialize)]
pub struct Seen {
    version: i32,
}

/// Independent surveys, and what the clouds have at their points.
#[utoipa::path(get, path = "/api/jobs/{job}/surveys", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = [SurveyDto])))]
pub async fn surveys(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<SurveyDto>>, ApiError> {
    Ok(Json(Surveyed::load(&app, access.job).await?.to_dto()?))
}

/// Bring a survey, and set the clouds against it in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/surveys", tag = "check", params(("job" = Uuid, Path)), request_body = NewSurvey, responses((status = 200, body = [SurveyDto]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_survey(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(new): Sent<NewSurvey, { 16 << 20 }>,
) -> Result<Json<Vec<SurveyDto>>, ApiError> {
    let name = new.name.trim().to_owned();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(ApiError::field("name", "expected a name of at most 80 characters"));
    }
    let read = crate::work::blocking(move || understand(&new.file)).await??;
    if read.points.len() > MOST {
        return Err(ApiError::field(
            "file.text",
            format!("found {} points, expected at most {MOST} of an independent survey", read.points.len()),
        ));
    }
    let point = |p: &super::georeference::PreviewPoint| match (p.e, p.n, p.h) {
        (Some(e), Some(n), Some(h)) => Ok(StoredPoint { name: p.name.clone(), at: [e, n, h], sigma: p.sigma }),
        _ => Err(ApiError::field(
            "file.text",
            format!("line {}: {} lacks a coordinate, expected easting, northing and height", p.line, p.name),
        )),
    };
    let points = read.points.iter().map(point).collect::<Result<Vec<_>, _>>()?;
    let (stored, limits) = (serde_json::json!(points), serde_json::json!(SurveyLimitsDto::default()));
    surveys::add_survey(&app.db, access.job, access.user.id, &name, &stored, &limits).await?;
    let said = format!("brought the independent survey “{name}” of {} points", points.len());
    jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    let now = Surveyed::load(&app, access.job).await?;
    if now.stands.is_on_grid() {
        tasks::queue(&app, access.job, &Work::Survey {}, Some(access.user.id)).await?;
    }
    Ok(Json(now.to_dto()?))
}

/// Set the clouds against the surveys again, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/surveys/run", tag = "check", operation_id = "run_surveys", params(("job" = Uuid, Path)), responses((status = 200, body = vistazo_store::tasks::Task), (status = 409, body = crate::error::ErrorBody)))]
pub async fn run(State(app): State<App>, access: Access<Edit>) -> Result<Json<vistazo_store::tasks::Task>, ApiError> {
    let now = Surveyed::load(&app, access.job).await?;
    if now.rows.is_empty() {
        return Err(ApiError::conflict("there is no independent survey yet: bring a point file first"));
    }
    if !now.stands.is_on_grid() {
        return Err(ApiError::conflict("the block is not on the grid: fit it to control first"));
    }
    Ok(Json(tasks::queue(&app, access.job, &Work::Survey {}, Some(access.user.id)).await?))
}

/// Other limits for the uses of a survey.
#[utoipa::path(put, path = "/api/jobs/{job}/surveys/{survey}", tag = "check", params(("job" = Uuid, Path), ("survey" = Uuid, Path)), request_body = SurveyChangeDto, responses((status = 200, body = [SurveyDto]), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn limit_survey(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, survey)): Path<(Uuid, Uuid)>,
    Sent(to): Sent<SurveyChangeDto>,
) -> Result<Json<Vec<SurveyDto>>, ApiError> {
    to.limits.validate()?;
    surveys::limit_survey(&app.db, access.job, survey, to.version, &serde_json::json!(to.limits)).await?;
    Ok(Json(Surveyed::load(&app, access.job).await?.to_dto()?))
}

/// Take a survey out.
#[utoipa::path(delete, path = "/api/jobs/{job}/surveys/{survey}", tag = "check", params(("job" = Uuid, Path), ("survey" = Uuid, Path), ("version" = i32, Query)), responses((status = 200, body = [SurveyDto]), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn remove_survey(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, survey)): Path<(Uuid, Uuid)>,
    Query(seen): Query<Seen>,
) -> Result<Json<Vec<SurveyDto>>, ApiError> {
    surveys::remove_survey(&app.db, access.job, survey, seen.version).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), "took an independent survey out").await?;
    Ok(Json(Surveyed::load(&app, access.job).await?.to_dto()?))
}
