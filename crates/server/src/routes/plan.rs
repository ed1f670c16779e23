//! The plan: items, import, cover and prediction.

use crate::auth::{Access, Edit, Read};
use crate::dto::{CoverDto, ImportQuery, KINDS, PlanData, UnderlayQuery};
use crate::work::planning;
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, Query, State};
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
    let text = planning::cover_text(&app, access.job, &plan, &brief).await?;
    Ok(([(header::CONTENT_TYPE, "application/json")], text))
}

/// Lay a picture (PNG or JPEG) under the plan: a sketch, an old drawing, an aerial photograph. It lies about the origin,
/// 40 m wide, until it is fitted.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/underlays", tag = "plan", params(("job" = Uuid, Path), UnderlayQuery), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = [PlanItem]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_underlay(
    State(app): State<App>,
    access: Access<Edit>,
    Query(q): Query<UnderlayQuery>,
    body: axum::body::Bytes,
) -> Result<Json<Vec<PlanItem>>, ApiError> {
    if picture_kind(&body).is_none() {
        return Err(ApiError::field("picture", format!("{}: expected a PNG or JPEG picture", q.name)));
    }
    let id = vistazo_store::new_id();
    let scale = 40.0 / f64::from(q.width.max(1));
    let data = PlanData {
        name: q.name.chars().take(80).collect(),
        pixels: Some([q.width, q.height]),
        position: [-20.0, -scale * f64::from(q.height) / 2.0, 0.0],
        scale: Some(scale),
        turn: Some(0.0),
        opacity: Some(0.5),
        ..PlanData::default()
    };
    let data = serde_json::json!(data);
    PlanData::parse("underlay", &data)?;
    app.objects.put(&underlay_key(access.job, id), body.to_vec()).await?;
    let edit = PlanEdit { id, kind: "underlay".into(), data, version: None, deleted: false };
    Ok(Json(jobs::edit_plan(&app.db, access.job, &[edit]).await?))
}

/// The picture itself.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/underlays/{item}", tag = "plan", params(("job" = Uuid, Path), ("item" = Uuid, Path)), responses((status = 200, body = Vec<u8>, content_type = "image/png"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn underlay(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, item)): Path<(Uuid, Uuid)>,
) -> Result<impl IntoResponse, ApiError> {
    let bytes = app.objects.bytes(&underlay_key(access.job, item)).await?;
    let kind = picture_kind(&bytes).unwrap_or("application/octet-stream");
    Ok(([(header::CONTENT_TYPE, kind), (header::CACHE_CONTROL, "private, max-age=31536000, immutable")], bytes))
}

fn underlay_key(job: Uuid, item: Uuid) -> String {
    format!("jobs/{job}/underlays/{item}")
}

fn picture_kind(bytes: &[u8]) -> Option<&'static str> {
    match bytes {
        [0x89, b'P', b'N', b'G', ..] => Some("image/png"),
        [0xff, 0xd8, 0xff, ..] => Some("image/jpeg"),
        _ => None,
    }
}
