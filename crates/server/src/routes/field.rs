//! Scans: by the simulated scanner or from files, and their log.

use crate::auth::{Access, Edit, Read};
use crate::{ApiError, App, work};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, Query, State};
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use futures::StreamExt;
use uuid::Uuid;
use vistazo_formats::canonical;
use vistazo_store::field::{self, ScanRow};
use vistazo_store::tasks::{self, Task};

/// What is said about an upload in its address.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct UploadQuery {
    /// File name.
    name: String,
    /// Where the scanner stood in the file's coordinates, metres; LAS and text only.
    #[serde(default)]
    x: f64,
    #[serde(default)]
    y: f64,
    #[serde(default)]
    z: f64,
    /// The compensator was on.
    #[serde(default = "yes")]
    levelled: bool,
    /// SHA-256 of the file (hex), to be checked.
    sha256: Option<String>,
}

fn yes() -> bool {
    true
}

/// Settings for a simulated scan.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct Simulate {
    stations: Vec<Uuid>,
    operator: String,
    /// Instrument height, metres.
    instrument_height: Option<f64>,
    #[serde(default)]
    note: String,
}

/// A changed scan entry.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct ScanChange {
    name: String,
    levelled: bool,
    #[schema(value_type = Object)]
    log: serde_json::Value,
    version: i32,
}

/// How many points to send.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct PointsQuery {
    /// Most points; evenly thinned.
    max: Option<usize>,
}

/// Scans in the order taken.
#[utoipa::path(get, path = "/api/jobs/{job}/scans", tag = "field", params(("job" = Uuid, Path)), responses((status = 200, body = [ScanRow])))]
pub async fn scans(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<ScanRow>>, ApiError> {
    Ok(Json(field::scans(&app.db, access.job).await?))
}

/// Change the log entry of a scan.
#[utoipa::path(put, path = "/api/jobs/{job}/scans/{scan}", tag = "field", params(("job" = Uuid, Path), ("scan" = Uuid, Path)), request_body = ScanChange, responses((status = 200, body = ScanRow)))]
pub async fn update(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, scan)): Path<(Uuid, Uuid)>,
    Json(change): Json<ScanChange>,
) -> Result<Json<ScanRow>, ApiError> {
    if change.name.trim().is_empty() || !change.log.is_object() {
        return Err(ApiError::field("name", "expected a name and a log entry"));
    }
    field::update_scan(&app.db, access.job, scan, change.name.trim(), change.levelled, &change.log, change.version)
        .await?;
    Ok(Json(field::scan(&app.db, access.job, scan).await?))
}

/// Remove a scan from the job. The uploaded file stays stored.
#[utoipa::path(delete, path = "/api/jobs/{job}/scans/{scan}", tag = "field", params(("job" = Uuid, Path), ("scan" = Uuid, Path)), responses((status = 204)))]
pub async fn remove(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, scan)): Path<(Uuid, Uuid)>,
) -> Result<StatusCode, ApiError> {
    let row = field::scan(&app.db, access.job, scan).await?;
    field::remove_scan(&app.db, access.job, scan).await?;
    vistazo_store::jobs::note(&app.db, access.job, Some(access.user.id), &format!("removed the scan {}", row.name))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Points of a scan in its own frame: a u32 count, then x y z as f32 each, then intensity as u8,
/// little-endian.
#[utoipa::path(get, path = "/api/jobs/{job}/scans/{scan}/points", tag = "field", params(("job" = Uuid, Path), ("scan" = Uuid, Path), PointsQuery), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream")))]
pub async fn points(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, scan)): Path<(Uuid, Uuid)>,
    Query(q): Query<PointsQuery>,
) -> Result<impl IntoResponse, ApiError> {
    let row = field::scan(&app.db, access.job, scan).await?;
    let bytes = app.objects.get(&row.key).await?;
    let most = q.max.unwrap_or(150_000).clamp(1, 2_000_000);
    let out = work::blocking(move || {
        let scan = canonical::read(&bytes)?;
        let step = scan.points.len().div_ceil(most).max(1);
        // one point from each run of `step`, not always the same one: a regular choice shows stripes
        let scatter = |i: usize| i + (i.wrapping_mul(0x9E37_79B9) >> 7) % step;
        let picked: Vec<usize> =
            (0..scan.points.len()).step_by(step).map(scatter).filter(|&i| i < scan.points.len()).collect();
        let mut out = Vec::with_capacity(4 + picked.len() * 13);
        out.extend_from_slice(&(picked.len() as u32).to_le_bytes());
        for &i in &picked {
            for v in scan.points[i] {
                out.extend_from_slice(&v.to_le_bytes());
            }
        }
        out.extend(picked.iter().map(|&i| (scan.intensity[i] * 255.0) as u8));
        Ok::<_, vistazo_formats::FormatError>(out)
    })
    .await?
    .map_err(|e| ApiError::bad(e.to_string()))?;
    Ok(([(header::CONTENT_TYPE, "application/octet-stream"), (header::CACHE_CONTROL, "private, max-age=3600")], out))
}

/// Upload a scan file (E57, LAS, LAZ or XYZ text) as the body; it is read in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/uploads", tag = "field", params(("job" = Uuid, Path), UploadQuery), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = Task), (status = 400, body = crate::error::ErrorBody)))]
pub async fn upload(
    State(app): State<App>,
    access: Access<Edit>,
    Query(q): Query<UploadQuery>,
    body: Body,
) -> Result<Json<Task>, ApiError> {
    let name: String = q.name.rsplit(['/', '\\']).next().unwrap_or("").trim().chars().take(200).collect();
    if name.is_empty() {
        return Err(ApiError::field("name", "expected the name of the file"));
    }
    if ![q.x, q.y, q.z].iter().all(|v| v.is_finite()) {
        return Err(ApiError::field("x", "expected finite coordinates of the scanner"));
    }
    let id = vistazo_store::new_id();
    let key = format!("jobs/{}/uploads/{id}", access.job);
    let stream = body.into_data_stream().boxed();
    let (bytes, sum) = app
        .objects
        .put_stream(&key, stream, app.settings.max_upload)
        .await
        .map_err(|e| ApiError::bad(format!("{name}: {e}")))?;
    if bytes == 0 {
        return Err(ApiError::bad(format!("{name}: the file is empty; expected a scan as E57, LAS, LAZ or XYZ text")));
    }
    if let Some(expected) = &q.sha256
        && !expected.eq_ignore_ascii_case(&sum)
    {
        return Err(ApiError::bad(format!(
            "{name}: the sum of what arrived is {sum}, expected {expected}; please upload it again"
        )));
    }
    field::add_upload(&app.db, access.job, id, &name, &key, bytes as i64, &sum).await?;
    let payload = serde_json::json!({ "upload": id, "scanner": [q.x, q.y, q.z], "levelled": q.levelled, "name": name });
    Ok(Json(tasks::add(&app.db, access.job, "ingest", &payload, Some(access.user.id)).await?))
}

/// Let the simulated scanner take planned stations, one after the other.
#[utoipa::path(post, path = "/api/jobs/{job}/field/scan", tag = "field", params(("job" = Uuid, Path)), request_body = Simulate, responses((status = 200, body = [Task])))]
pub async fn simulate(
    State(app): State<App>,
    access: Access<Edit>,
    Json(s): Json<Simulate>,
) -> Result<Json<Vec<Task>>, ApiError> {
    if s.stations.is_empty() {
        return Err(ApiError::field("stations", "expected at least one planned station"));
    }
    let (_, brief) = work::brief(&app, access.job).await?;
    let planned = work::planning::load(&app, access.job).await?;
    let mut out = Vec::new();
    for station in s.stations {
        let Some((_, found)) = planned.stations.iter().find(|p| p.0 == station) else {
            return Err(ApiError::field("stations", "a station is not on the plan"));
        };
        let log = serde_json::json!({
            "operator": s.operator, "instrument_height": s.instrument_height, "note": s.note,
            "settings": format!("{}, {:.2} mrad", brief.instrument.name, brief.instrument.step * 1e3),
            "time": chrono::Utc::now(),
        });
        let payload = serde_json::json!({ "station": station, "log": log, "name": found.name });
        out.push(tasks::add(&app.db, access.job, "scan", &payload, Some(access.user.id)).await?);
    }
    Ok(Json(out))
}
