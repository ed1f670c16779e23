//! The plan: items, import, cover and prediction.

use crate::auth::{Access, Edit, Read};
use crate::dto::{CoverDto, PlanData};
use crate::work::planning;
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_store::jobs::{self, PlanEdit, PlanItem};

/// Items of the plan.
#[utoipa::path(get, path = "/api/jobs/{job}/plan", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = [PlanItem])))]
pub async fn get(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<PlanItem>>, ApiError> {
    Ok(Json(jobs::plan(&app.db, access.job).await?))
}

/// Apply edits, all together or not at all. Each names the version it saw.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/edits", tag = "plan", params(("job" = Uuid, Path)), request_body = Vec<PlanEdit>, responses((status = 200, body = [PlanItem]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn edit(
    State(app): State<App>,
    access: Access<Edit>,
    Json(edits): Json<Vec<PlanEdit>>,
) -> Result<Json<Vec<PlanItem>>, ApiError> {
    if edits.len() > 5000 {
        return Err(ApiError::bad(format!("{} edits at once, expected at most 5000", edits.len())));
    }
    for e in &edits {
        if !matches!(e.kind.as_str(), "wall" | "obstacle" | "station" | "target") {
            return Err(ApiError::field(
                "kind",
                format!("found “{}”, expected wall, obstacle, station or target", e.kind),
            ));
        }
        PlanData::parse(&e.kind, &e.data)?;
    }
    let names: Vec<(Uuid, String, String)> = jobs::plan(&app.db, access.job)
        .await?
        .into_iter()
        .map(|i| (i.id, i.kind, i.data["name"].as_str().unwrap_or("").to_lowercase()))
        .collect();
    for e in edits.iter().filter(|e| !e.deleted && matches!(e.kind.as_str(), "station" | "target")) {
        let name = e.data["name"].as_str().unwrap_or("").to_lowercase();
        if names.iter().any(|(id, kind, n)| {
            *id != e.id && *kind == e.kind && *n == name && !edits.iter().any(|x| x.id == *id && x.deleted)
        }) {
            return Err(ApiError::field(
                "name",
                format!(
                    "the {} “{}” is there already; expected a name that is used once",
                    e.kind,
                    e.data["name"].as_str().unwrap_or("")
                ),
            ));
        }
    }
    Ok(Json(jobs::edit_plan(&app.db, access.job, &edits).await?))
}

/// Import walls (lines) and obstacles (polygons) from GeoJSON, plan coordinates in metres.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/import", tag = "plan", params(("job" = Uuid, Path)), request_body(content = String, content_type = "application/geo+json"), responses((status = 200, body = [PlanItem]), (status = 400, body = crate::error::ErrorBody)))]
pub async fn import(
    State(app): State<App>,
    access: Access<Edit>,
    body: String,
) -> Result<Json<Vec<PlanItem>>, ApiError> {
    let shapes = vistazo_formats::plan::read_geojson(&body).map_err(|e| ApiError::bad(e.to_string()))?;
    let edits: Vec<PlanEdit> = shapes
        .into_iter()
        .enumerate()
        .map(|(i, s)| {
            let kind = if s.closed { "obstacle" } else { "wall" };
            let data = PlanData {
                name: s.name.unwrap_or_else(|| format!("{kind} {}", i + 1)),
                line: s.line,
                base: s.base,
                top: s.top,
                ..PlanData::default()
            };
            PlanEdit {
                id: vistazo_store::new_id(),
                kind: kind.into(),
                data: serde_json::json!(data),
                version: None,
                deleted: false,
            }
        })
        .collect();
    for e in &edits {
        PlanData::parse(&e.kind, &e.data)?;
    }
    Ok(Json(jobs::edit_plan(&app.db, access.job, &edits).await?))
}

/// What the stations cover, how they overlap, and the error that will come out.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/cover", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = CoverDto)))]
pub async fn cover(State(app): State<App>, access: Access<Read>) -> Result<impl IntoResponse, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    let text = planning::cover_text(&app, access.job, &plan, &brief).await?;
    Ok(([(header::CONTENT_TYPE, "application/json")], text))
}
