//! Passes of mobile units.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{MarkOrderDto, MarkOrderRequest, PassChange, PassRequest, PassesDto, PathPreviewDto};
use crate::tasks::{Work, queue};
use crate::work::pass_marks;
use crate::work::passes::Walked;
use crate::{ApiError, App, deliver};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_core::mobile::Trajectory;
use vistazo_formats::passes::{PathOptions, Turns, read_path};
use vistazo_store::tasks::{self, Task};
use vistazo_store::{jobs, passes};

/// A version that was seen.
#[derive(serde::Deserialize)]
pub struct SeenPass {
    version: i32,
}

/// Passes, what was read of them, and where they came to lie.
#[utoipa::path(get, path = "/api/jobs/{job}/passes", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = PassesDto)))]
pub async fn walked(State(app): State<App>, access: Access<Read>) -> Result<Json<PassesDto>, ApiError> {
    Ok(Json(Walked::load(&app, access.job).await?.to_dto()?))
}

/// Begin a pass. Its two files are uploaded with its id as `pass` and `cloud` or `path` as `part` in their metadata; they are read when both are there.
#[utoipa::path(post, path = "/api/jobs/{job}/passes", tag = "register", params(("job" = Uuid, Path)), request_body = PassRequest, responses((status = 201, body = Uuid), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_pass(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(new): Sent<PassRequest>,
) -> Result<(StatusCode, Json<Uuid>), ApiError> {
    let new = new.checked()?;
    let marks = serde_json::json!(new.marks);
    let id = passes::add_pass(&app.db, access.job, Some(access.user.id), new.said(&marks), false).await?;
    let said = format!("began the pass “{}” ({})", new.name, new.unit);
    jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    Ok((StatusCode::CREATED, Json(id)))
}

/// Change what is said of a pass: its name, its unit, and when it stood on which control point.
#[utoipa::path(put, path = "/api/jobs/{job}/passes/{pass}", tag = "register", params(("job" = Uuid, Path), ("pass" = Uuid, Path)), request_body = PassChange, responses((status = 200, body = PassesDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn change_pass(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, pass)): Path<(Uuid, Uuid)>,
    Sent(change): Sent<PassChange>,
) -> Result<Json<PassesDto>, ApiError> {
    let to = change.to.checked()?;
    let before = passes::pass(&app.db, access.job, pass).await?;
    let marks = serde_json::json!(to.marks);
    passes::change_pass(&app.db, access.job, pass, change.version, to.said(&marks)).await?;
    if before.whole != to.whole {
        let how = if to.whole { "as one piece, its path uncorrected" } else { "along its corrected path" };
        jobs::note(&app.db, access.job, Some(access.user.id), &format!("lays the pass “{}” down {how}", to.name))
            .await?;
    }
    if before.drawn != to.drawn {
        let how = if to.drawn { "draws from" } else { "leaves out of drawings" };
        jobs::note(&app.db, access.job, Some(access.user.id), &format!("{how} the pass “{}”", to.name)).await?;
    }
    // pieces reach as far as the unit does
    if before.unit != to.unit && before.key.is_some() {
        queue(&app, access.job, &Work::Pass { pass, name: to.name }, Some(access.user.id)).await?;
    }
    Ok(Json(Walked::load(&app, access.job).await?.to_dto()?))
}

/// Which points of the control list the marks of a walk are, by how far they lie apart along it. Nothing is kept.
#[utoipa::path(post, path = "/api/jobs/{job}/passes/{pass}/order", tag = "register", params(("job" = Uuid, Path), ("pass" = Uuid, Path)), request_body = MarkOrderRequest, responses((status = 200, body = MarkOrderDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn order_marks(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, pass)): Path<(Uuid, Uuid)>,
    Sent(asked): Sent<MarkOrderRequest>,
) -> Result<Json<MarkOrderDto>, ApiError> {
    Ok(Json(pass_marks::order(&app, access.job, pass, asked.checked()?).await?))
}

/// Take a pass out.
#[utoipa::path(delete, path = "/api/jobs/{job}/passes/{pass}", tag = "register", params(("job" = Uuid, Path), ("pass" = Uuid, Path), ("version" = i32, Query)), responses((status = 200, body = PassesDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn remove_pass(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, pass)): Path<(Uuid, Uuid)>,
    Query(seen): Query<SeenPass>,
) -> Result<Json<PassesDto>, ApiError> {
    let name = passes::pass(&app.db, access.job, pass).await?.name;
    passes::remove_pass(&app.db, access.job, pass, seen.version).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("took the pass “{name}” out")).await?;
    Ok(Json(Walked::load(&app, access.job).await?.to_dto()?))
}

/// Bring the passes into the frame of the scans and correct their paths. In the background.
#[utoipa::path(post, path = "/api/jobs/{job}/passes/register", tag = "register", params(("job" = Uuid, Path)), responses((status = 202, body = Task), (status = 409, body = crate::error::ErrorBody)))]
pub async fn register_passes(
    State(app): State<App>,
    access: Access<Edit>,
) -> Result<(StatusCode, Json<Task>), ApiError> {
    let rows = passes::passes(&app.db, access.job).await?;
    if rows.iter().all(|r| r.key.is_none()) {
        return Err(ApiError::conflict("no pass was read yet: bring a cloud with times and its path first"));
    }
    if tasks::is_active(&app.db, access.job, "walks").await? {
        return Err(ApiError::conflict("the passes are being tied already; cancel that first, or wait for it"));
    }
    let task = queue(&app, access.job, &Work::Walks {}, Some(access.user.id)).await?;
    Ok((StatusCode::ACCEPTED, Json(task)))
}

/// The corrected path of a pass as a table: time, place, its 95 %, and by what it was moved.
#[utoipa::path(get, path = "/api/jobs/{job}/passes/{pass}/path.csv", tag = "register", params(("job" = Uuid, Path), ("pass" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/csv"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn pass_path(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, pass)): Path<(Uuid, Uuid)>,
) -> Result<impl IntoResponse, ApiError> {
    let all = Walked::load(&app, access.job).await?;
    let bytes = deliver::passes::path(&app, &all, pass).await?.ok_or_else(ApiError::not_found)?;
    Ok(super::drawing::attached("path.csv", "text/csv", bytes))
}

/// Look at the start of a path before it is uploaded.
#[utoipa::path(post, path = "/api/jobs/{job}/passes/preview", tag = "register", params(("job" = Uuid, Path)), request_body(content = String, content_type = "text/plain"), responses((status = 200, body = PathPreviewDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn preview_path(_access: Access<Edit>, text: String) -> Result<Json<PathPreviewDto>, ApiError> {
    let told = read_path(&text, &PathOptions::default()).map_err(|e| ApiError::field("text", e.to_string()))?;
    let path = Trajectory::new(told.samples.clone()).map_err(|e| ApiError::field("text", e.to_string()))?;
    let [from, to] = path.span();
    let turns = match told.columns.turns {
        Turns::None => "none",
        Turns::Quaternion(_) => "quaternion",
        Turns::Angles { degrees: true, .. } => "angles in degrees",
        Turns::Angles { degrees: false, .. } => "angles in radians",
    };
    Ok(Json(PathPreviewDto {
        heading: told.heading,
        rows: told.rows,
        time: told.columns.time,
        xyz: told.columns.xyz,
        turns: turns.into(),
        tick: told.tick,
        seconds: to - from,
        metres: path.walked(to),
    }))
}
