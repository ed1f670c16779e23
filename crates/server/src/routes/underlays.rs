//! Pictures under the plan: as they are given, or made from a cloud.

use super::sent::Query;
use crate::auth::{Access, Edit, Permission, Read};
use crate::dto::{PlanData, SliceQuery, UnderlayQuery};
use crate::work::level_picture;
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_store::jobs::{self, PlanEdit, PlanItem};

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
    lay(&app, access.job, id, data, body.to_vec()).await
}

/// Lay a slice of a cloud under the plan, in its place and at its size: of this job, or of an earlier one that the user
/// may see.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/slice", tag = "plan", params(("job" = Uuid, Path), SliceQuery), responses((status = 200, body = [PlanItem]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn add_slice(
    State(app): State<App>,
    access: Access<Edit>,
    Query(q): Query<SliceQuery>,
) -> Result<Json<Vec<PlanItem>>, ApiError> {
    q.validate()?;
    let source = q.source.unwrap_or(access.job);
    let role = jobs::role(&app.db, source, access.user.id).await?;
    if !role.is_some_and(Read::allows) {
        return Err(ApiError::field("source", "expected a job whose work you may see"));
    }
    let (_, brief) = work::brief(&app, access.job).await?;
    let made = level_picture::of_cloud(&app, source, &brief, q.height, q.thickness).await?;
    let data = PlanData {
        name: format!("Slice at {}", brief.length(q.height)),
        pixels: Some(made.pixels),
        position: [made.corner[0], made.corner[1], q.height],
        scale: Some(made.scale),
        turn: Some(0.0),
        opacity: Some(0.8),
        ..PlanData::default()
    };
    lay(&app, access.job, vistazo_store::new_id(), data, made.png).await
}

/// Stores the picture, then the item: a picture that nothing shows does no harm.
async fn lay(
    app: &App,
    job: Uuid,
    id: Uuid,
    data: PlanData,
    picture: Vec<u8>,
) -> Result<Json<Vec<PlanItem>>, ApiError> {
    let data = serde_json::json!(data);
    PlanData::parse("underlay", &data)?;
    app.objects.put(&underlay_key(job, id), picture).await?;
    let edit = PlanEdit { id, kind: "underlay".into(), data, version: None, deleted: false };
    Ok(Json(jobs::edit_plan(&app.db, job, &[edit]).await?))
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
