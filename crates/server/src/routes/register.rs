//! Registration: observations, the adjustment, the lock.

use crate::auth::{Access, Edit, Read};
use crate::dto::{AdjustmentDto, DecisionDto, DetectionDto};
use crate::work::block;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use vistazo_store::tasks::{self, Task};
use vistazo_store::{field, jobs, results};

/// Targets found in the scans.
#[utoipa::path(get, path = "/api/jobs/{job}/detections", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = [DetectionDto])))]
pub async fn detections(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<DetectionDto>>, ApiError> {
    let rows = field::detections(&app.db, access.job).await?;
    Ok(Json(
        rows.iter()
            .map(|d| DetectionDto {
                id: d.id,
                scan: d.scan_id,
                kind: d.kind.clone(),
                usable: d.usable,
                excluded: d.excluded,
                part: d.part,
                version: d.version,
                data: block::data(d),
            })
            .collect(),
    ))
}

/// Exclude, restore or split observations. Kept in the log with name and time.
#[utoipa::path(patch, path = "/api/jobs/{job}/detections", tag = "register", params(("job" = Uuid, Path)), request_body = Vec<DecisionDto>, responses((status = 200, body = [DetectionDto]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn decide(
    State(app): State<App>,
    access: Access<Edit>,
    Json(list): Json<Vec<DecisionDto>>,
) -> Result<Json<Vec<DetectionDto>>, ApiError> {
    if results::adjustment(&app.db, access.job).await?.is_some_and(|a| a.locked_at.is_some()) {
        return Err(ApiError::conflict("the registration is locked; unlock it to change observations"));
    }
    let changes: Vec<_> = list.iter().map(|d| (d.id, d.version, d.excluded, d.part)).collect();
    field::decide(&app.db, access.job, &changes).await?;
    let scans = field::scans(&app.db, access.job).await?;
    let rows = field::detections(&app.db, access.job).await?;
    for d in &list {
        let scan = rows
            .iter()
            .find(|r| r.id == d.id)
            .and_then(|r| scans.iter().find(|s| s.id == r.scan_id))
            .map_or("?", |s| s.name.as_str());
        let what = if d.excluded {
            "excluded"
        } else if d.part > 0 {
            "split off"
        } else {
            "restored"
        };
        jobs::note(&app.db, access.job, Some(access.user.id), &format!("{what} an observation in {scan}")).await?;
    }
    detections(State(app), Access::<Read>::of(&access)).await
}

/// Find targets, match and adjust, in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/register", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = Task), (status = 409, body = crate::error::ErrorBody)))]
pub async fn run(State(app): State<App>, access: Access<Edit>) -> Result<Json<Task>, ApiError> {
    if results::adjustment(&app.db, access.job).await?.is_some_and(|a| a.locked_at.is_some()) {
        return Err(ApiError::conflict("the registration is locked; unlock it to run it again"));
    }
    if field::scans(&app.db, access.job).await?.is_empty() {
        return Err(ApiError::conflict("there are no scans yet: take or upload them on the field sheet"));
    }
    if tasks::is_active(&app.db, access.job, "register").await? {
        return Err(ApiError::conflict("the registration is running already"));
    }
    Ok(Json(tasks::add(&app.db, access.job, "register", &serde_json::json!({}), Some(access.user.id)).await?))
}

/// The last adjustment.
#[utoipa::path(get, path = "/api/jobs/{job}/adjustment", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = Option<AdjustmentDto>)))]
pub async fn adjustment(State(app): State<App>, access: Access<Read>) -> Result<impl IntoResponse, ApiError> {
    let text = match block::current(&app, access.job).await? {
        None => "null".to_owned(),
        // the long result is handed on as it is stored, not read and written again
        Some((row, dto)) => {
            let head = serde_json::json!({
                "id": dto.id, "revision": dto.revision, "stale": dto.stale, "locked": dto.locked, "created_at": dto.created_at,
            });
            let result = results::adjustment_text(&app.db, row.id).await?;
            format!("{},\"result\":{result}}}", head.to_string().trim_end_matches('}'))
        }
    };
    Ok(([(header::CONTENT_TYPE, "application/json")], text))
}

/// Lock the adjustment as final.
#[utoipa::path(post, path = "/api/jobs/{job}/adjustment/lock", tag = "register", params(("job" = Uuid, Path)), responses((status = 204), (status = 409, body = crate::error::ErrorBody)))]
pub async fn lock(State(app): State<App>, access: Access<Edit>) -> Result<StatusCode, ApiError> {
    set_lock(&app, &access, true).await
}

/// Unlock it.
#[utoipa::path(delete, path = "/api/jobs/{job}/adjustment/lock", tag = "register", params(("job" = Uuid, Path)), responses((status = 204), (status = 409, body = crate::error::ErrorBody)))]
pub async fn unlock(State(app): State<App>, access: Access<Edit>) -> Result<StatusCode, ApiError> {
    set_lock(&app, &access, false).await
}

async fn set_lock(app: &App, access: &Access<Edit>, locked: bool) -> Result<StatusCode, ApiError> {
    let Some((row, dto)) = block::current(app, access.job).await? else {
        return Err(ApiError::conflict("there is no adjustment to lock"));
    };
    if locked && (dto.stale || dto.result.refused.is_some()) {
        return Err(ApiError::conflict(
            "the adjustment is out of date or was refused: run the registration again before locking",
        ));
    }
    results::lock(&app.db, access.job, row.id, locked.then_some(access.user.id)).await?;
    let word = if locked { "locked" } else { "unlocked" };
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("{word} registration revision {}", row.revision))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}
