//! What is to be built, and what is there of it.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{DesignDto, NewDesignDto};
use crate::tasks::{self, Work};
use crate::work::built::{Designs, StoredElement};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use uuid::Uuid;
use vistazo_core::units::LengthUnit;
use vistazo_formats::design;
use vistazo_store::{designs, jobs};

/// A version that was seen.
#[derive(serde::Deserialize)]
pub struct Seen {
    version: i32,
}

/// Designs, and what is there of each element.
#[utoipa::path(get, path = "/api/jobs/{job}/designs", tag = "check", params(("job" = Uuid, Path)), responses((status = 200, body = [DesignDto])))]
pub async fn designs(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<DesignDto>>, ApiError> {
    Ok(Json(Designs::load(&app, access.job).await?.to_dto()?))
}

/// Bring a design as text or DXF, and look for it in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/designs", tag = "check", params(("job" = Uuid, Path)), request_body = NewDesignDto, responses((status = 200, body = [DesignDto]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_design(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(new): Sent<NewDesignDto, { 16 << 20 }>,
) -> Result<Json<Vec<DesignDto>>, ApiError> {
    let name = new.name.trim().to_owned();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(ApiError::field("name", "expected a name of at most 80 characters"));
    }
    if !(0.0005..=1.0).contains(&new.tolerance) {
        return Err(ApiError::field("tolerance", format!("found {} m, expected 0.5 mm to 1 m", new.tolerance)));
    }
    let unit = LengthUnit::from_code(&new.unit)
        .ok_or_else(|| ApiError::field("unit", format!("found “{:.20}”, expected m, ft or ftUS", new.unit)))?
        .metres();
    let tolerance = new.tolerance;
    let read = crate::work::blocking(move || design::read(&new.text, unit)).await?;
    let lines = read.map_err(|e| ApiError::field("text", e.to_string()))?;
    let elements: Vec<StoredElement> = lines.iter().map(|l| StoredElement::of(l, unit)).collect();
    let stored = serde_json::json!(elements);
    designs::add_design(&app.db, access.job, access.user.id, &name, &stored, tolerance).await?;
    let said = format!("brought the design “{name}” of {} elements", elements.len());
    jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    let now = Designs::load(&app, access.job).await?;
    if now.stands.is_on_grid() {
        tasks::queue(&app, access.job, &Work::Built {}, Some(access.user.id)).await?;
    }
    Ok(Json(now.to_dto()?))
}

/// Look for the designs again, in the background; what was there before stays on record.
#[utoipa::path(post, path = "/api/jobs/{job}/designs/run", tag = "check", operation_id = "run_designs", params(("job" = Uuid, Path)), responses((status = 200, body = vistazo_store::tasks::Task), (status = 409, body = crate::error::ErrorBody)))]
pub async fn run(State(app): State<App>, access: Access<Edit>) -> Result<Json<vistazo_store::tasks::Task>, ApiError> {
    let now = Designs::load(&app, access.job).await?;
    if now.rows.is_empty() {
        return Err(ApiError::conflict("there is no design yet: bring one first"));
    }
    if !now.stands.is_on_grid() {
        return Err(ApiError::conflict("the block is not on the grid: fit it to control first"));
    }
    Ok(Json(tasks::queue(&app, access.job, &Work::Built {}, Some(access.user.id)).await?))
}

/// Take a design out, with what was seen of it.
#[utoipa::path(delete, path = "/api/jobs/{job}/designs/{design}", tag = "check", params(("job" = Uuid, Path), ("design" = Uuid, Path), ("version" = i32, Query)), responses((status = 200, body = [DesignDto]), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn remove_design(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, design)): Path<(Uuid, Uuid)>,
    Query(seen): Query<Seen>,
) -> Result<Json<Vec<DesignDto>>, ApiError> {
    designs::remove_design(&app.db, access.job, design, seen.version).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), "took a design out").await?;
    Ok(Json(Designs::load(&app, access.job).await?.to_dto()?))
}
