//! The plan: items, import, cover and prediction.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{CoverDto, ImportQuery, KINDS, PlanData};
use crate::work::{outlook, planning};
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::State;
use axum::http::header;
use axum::response::IntoResponse;
use std::collections::HashSet;
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
    Sent(edits): Sent<Vec<PlanEdit>>,
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
    unused(&app, access.job, &edits).await?;
    Ok(Json(jobs::edit_plan(&app.db, access.job, &edits).await?))
}

/// Names of stations and targets are used once, as the plan will be when all edits are made.
async fn unused(app: &App, job: Uuid, edits: &[PlanEdit]) -> Result<(), ApiError> {
    let named = |kind: &str| matches!(kind, "station" | "target");
    let key =
        |kind: &str, data: &serde_json::Value| (kind.to_owned(), data["name"].as_str().unwrap_or("").to_lowercase());
    let edited: HashSet<Uuid> = edits.iter().map(|e| e.id).collect();
    let stay = jobs::plan(&app.db, job).await?.into_iter().filter(|i| named(&i.kind) && !edited.contains(&i.id));
    let mut taken: HashSet<(String, String)> = stay.map(|i| key(&i.kind, &i.data)).collect();
    for e in edits.iter().filter(|e| !e.deleted && named(&e.kind)) {
        if !taken.insert(key(&e.kind, &e.data)) {
            let name = e.data["name"].as_str().unwrap_or("");
            let says = format!("the {} “{name}” is there already; expected a name that is used once", e.kind);
            return Err(ApiError::field("name", says));
        }
    }
    Ok(())
}

/// Import from GeoJSON (plan coordinates in metres) or a DXF drawing: what was exported from a plan comes back as what it
/// was; of other drawings walls (lines), obstacles (polygons) and columns (circles).
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
    // a long drawing is read off the threads that serve requests
    let edits = work::blocking(move || -> Result<Vec<PlanEdit>, ApiError> {
        let read = if body.trim_start().starts_with('{') {
            vistazo_formats::plan::read_geojson(&body)
        } else {
            vistazo_formats::plan_dxf::read_dxf(&body, unit)
        };
        work::carrying::edits(read.map_err(|e| ApiError::bad(e.to_string()))?)
    })
    .await??;
    unused(&app, access.job, &edits).await?;
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
