//! Scans, their log, and the simulated scanner.

use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::SetUpDto;
use crate::tasks::{Work, queue};
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use std::collections::{HashMap, HashSet};
use uuid::Uuid;
use vistazo_store::field::{self, ScanRow};
use vistazo_store::tasks::{self, Task};

/// Settings for a simulated scan.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct Simulate {
    stations: Vec<Uuid>,
    operator: String,
    /// Instrument height where none is given for the station, metres.
    instrument_height: Option<f64>,
    /// Instrument height at each station, metres.
    #[serde(default)]
    heights: HashMap<Uuid, Option<f64>>,
    #[serde(default)]
    note: String,
}

/// A changed scan entry.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct ScanChange {
    name: String,
    /// The planned station it was taken from.
    station: Option<Uuid>,
    levelled: bool,
    #[schema(value_type = Object)]
    log: serde_json::Value,
    version: i32,
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
    Sent(mut change): Sent<ScanChange>,
) -> Result<Json<ScanRow>, ApiError> {
    if change.name.trim().is_empty() || !change.log.is_object() {
        return Err(ApiError::field("name", "expected a name and a log entry"));
    }
    if let Some(set_up) = change.log.get("set_up") {
        serde_json::from_value::<SetUpDto>(set_up.clone())
            .map_err(|e| ApiError::field("set_up", format!("cannot be read: {e}")))?
            .validate()?;
    }
    if let Some(station) = change.station
        && !field::is_station(&app.db, access.job, station).await?
    {
        return Err(ApiError::field("station", "no such station on the plan of this job; choose another, or none"));
    }
    // what somebody writes here stands against what comes from the field later
    let was = field::scan(&app.db, access.job, scan).await?.log;
    if ["set_up", "instrument_height", "note", "operator"].iter().any(|k| was.get(k) != change.log.get(k)) {
        change.log["by_hand"] = true.into();
    }
    field::update_scan(
        &app.db,
        access.job,
        scan,
        change.name.trim(),
        change.station,
        change.levelled,
        &change.log,
        change.version,
    )
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
    app.objects.remove_under(&row.key, "-").await?;
    vistazo_store::jobs::note(&app.db, access.job, Some(access.user.id), &format!("removed the scan {}", row.name))
        .await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Let the simulated scanner take planned stations, one after the other.
#[utoipa::path(post, path = "/api/jobs/{job}/field/scan", tag = "field", params(("job" = Uuid, Path)), request_body = Simulate, responses((status = 200, body = [Task])))]
pub async fn simulate(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(s): Sent<Simulate>,
) -> Result<Json<Vec<Task>>, ApiError> {
    if s.stations.is_empty() {
        return Err(ApiError::field("stations", "expected at least one planned station"));
    }
    if let Some(h) = s.heights.values().chain([&s.instrument_height]).flatten().find(|h| !(0.0..=20.0).contains(*h)) {
        return Err(ApiError::field("heights", format!("found {h} m, expected an instrument height of 0 to 20 m")));
    }
    let (job, brief) = work::brief(&app, access.job).await?;
    if job.simulated.is_none() {
        return Err(ApiError::conflict(
            "the simulated scanner works in demo and training jobs only; make a training job, or upload the scans of a real one",
        ));
    }
    let planned = work::planning::load(&app, access.job).await?;
    // each once, and none that waits already: two scans of one station are two choices
    let waiting = tasks::of_job(&app.db, access.job).await?.into_iter().filter(|t| t.kind == "scan" && t.is_active());
    let mut taken: HashSet<String> =
        waiting.filter_map(|t| Some(t.payload.get("station")?.as_str()?.to_owned())).collect();
    let mut out = Vec::new();
    for station in s.stations.into_iter().filter(|s| taken.insert(s.to_string())) {
        let Some((_, found)) = planned.stations.iter().find(|p| p.0 == station) else {
            return Err(ApiError::field("stations", "a station is not on the plan"));
        };
        let log = serde_json::json!({
            "operator": s.operator, "note": s.note,
            "instrument_height": s.heights.get(&station).copied().flatten().or(s.instrument_height),
            "settings": format!("{}, {:.2} mrad", brief.instrument.name, brief.instrument.step * 1e3),
            "time": chrono::Utc::now(),
        });
        let work = Work::Scan { station, log, name: found.name.clone() };
        out.push(queue(&app, access.job, &work, Some(access.user.id)).await?);
    }
    Ok(Json(out))
}
