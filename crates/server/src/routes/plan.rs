//! The plan: items, import, cover and prediction.

use crate::auth::{Access, Edit, Read};
use crate::dto::{CoverDto, ImportQuery, KINDS, PlanData};
use crate::work::{outlook, planning};
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Query, State};
use axum::http::header;
use axum::response::IntoResponse;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::units::LengthUnit;
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
        if !KINDS.contains(&e.kind.as_str()) {
            return Err(ApiError::field("kind", format!("found “{}”, expected one of {}", e.kind, KINDS.join(", "))));
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

/// Import walls (lines), obstacles (polygons) and columns (circles) from GeoJSON (plan coordinates in
/// metres) or a DXF drawing.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/import", tag = "plan", params(("job" = Uuid, Path), ImportQuery), request_body(content = String, content_type = "application/geo+json"), responses((status = 200, body = [PlanItem]), (status = 400, body = crate::error::ErrorBody)))]
pub async fn import(
    State(app): State<App>,
    access: Access<Edit>,
    Query(q): Query<ImportQuery>,
    body: String,
) -> Result<Json<Vec<PlanItem>>, ApiError> {
    let unit = match q.unit.as_deref() {
        None | Some("") => None,
        Some("mm") => Some(1e-3),
        Some("in") => Some(0.0254),
        Some(code) => Some(
            LengthUnit::from_code(code)
                .ok_or_else(|| ApiError::field("unit", format!("found “{code}”, expected m, mm, ft, ftUS or in")))?
                .metres(),
        ),
    };
    let read = if body.trim_start().starts_with('{') {
        vistazo_formats::plan::read_geojson(&body)
    } else {
        vistazo_formats::plan_dxf::read_dxf(&body, unit)
    };
    let shapes = read.map_err(|e| ApiError::bad(e.to_string()))?;
    if shapes.len() > 5000 {
        return Err(ApiError::bad(format!(
            "found {} shapes, expected at most 5000: take out layers that block no view",
            shapes.len()
        )));
    }
    let mut times: HashMap<String, usize> = HashMap::new();
    shapes.iter().filter_map(|s| s.name.clone()).for_each(|n| *times.entry(n).or_default() += 1);
    let edits: Vec<PlanEdit> = shapes
        .into_iter()
        .enumerate()
        .map(|(i, s)| {
            let kind = match (s.radius, s.closed) {
                (Some(_), _) => "column",
                (None, true) => "obstacle",
                (None, false) => "wall",
            };
            // a layer names many shapes: each gets a number
            let name = match s.name {
                Some(n) if times.get(&n) == Some(&1) => n,
                other => format!("{} {}", other.as_deref().unwrap_or(kind), i + 1),
            };
            let data = PlanData {
                name: name.chars().take(80).collect(),
                position: s.radius.map_or([0.0; 3], |_| [s.line[0][0], s.line[0][1], s.base]),
                line: if s.radius.is_some() { Vec::new() } else { s.line },
                radius: s.radius,
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
    let text = outlook::cover_text(&app, access.job, &plan, &brief).await?;
    Ok(([(header::CONTENT_TYPE, "application/json")], text))
}
