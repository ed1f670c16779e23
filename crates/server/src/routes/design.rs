//! What is worked out on the plan: live cover, maps, proposals, leapfrog, advice, density, sheets.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::deliver::plan::{PLAN_DOCUMENTS, PlanPackage};
use crate::dto::{
    AdviceDto, ControlChoiceDto, DensityDto, DensityQuery, InstrumentDto, LeapfrogRequest, LookDto, LookRequest,
    MoveDto, ProposalDto, ProposeRequest, SurfaceDto,
};
use crate::tasks::{Work, queue};
use crate::work::{designing, outlook, planning};
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use uuid::Uuid;
use vistazo_core::instrument::Instrument;
use vistazo_store::instruments;
use vistazo_store::tasks::{self, Task};

/// What a station would cover at another place; for dragging.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/look", tag = "plan", params(("job" = Uuid, Path)), request_body = LookRequest, responses((status = 200, body = LookDto)))]
pub async fn look(
    State(app): State<App>,
    access: Access<Read>,
    Sent(from): Sent<LookRequest>,
) -> Result<Json<LookDto>, ApiError> {
    if from.position.iter().any(|v| !v.is_finite() || v.abs() > 1e6) {
        return Err(ApiError::field("position", "expected finite plan coordinates within 1000 km"));
    }
    if from.step.is_some_and(|s| !InstrumentDto::STEPS.contains(&s)) {
        return Err(ApiError::field("step", "expected 0.2 to 100 mrad"));
    }
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || outlook::look(&plan, &brief, &from)).await?))
}

/// Every surface piece by piece.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/map", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = [SurfaceDto])))]
pub async fn map(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<SurfaceDto>>, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || outlook::map(&plan, &brief)).await?))
}

/// Propose stations in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/propose", tag = "plan", params(("job" = Uuid, Path)), request_body = ProposeRequest, responses((status = 202, body = Task), (status = 422, body = crate::error::ErrorBody)))]
pub async fn propose(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(wish): Sent<ProposeRequest>,
) -> Result<(StatusCode, Json<Task>), ApiError> {
    wish.validate()?;
    if tasks::is_active(&app.db, access.job, "propose").await? {
        return Err(ApiError::conflict("stations are being proposed already; cancel that first, or wait for it"));
    }
    let task = queue(&app, access.job, &Work::Propose(wish), Some(access.user.id)).await?;
    Ok((StatusCode::ACCEPTED, Json(task)))
}

/// The last proposal.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/proposal", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = Option<ProposalDto>)))]
pub async fn proposal(State(app): State<App>, access: Access<Read>) -> Result<Json<Option<ProposalDto>>, ApiError> {
    Ok(Json(designing::proposal(&app, access.job).await?))
}

/// Which spheres stay and which are carried at every move.
#[utoipa::path(post, path = "/api/jobs/{job}/plan/leapfrog", tag = "plan", params(("job" = Uuid, Path)), request_body = LeapfrogRequest, responses((status = 200, body = [MoveDto]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn leapfrog(
    State(app): State<App>,
    access: Access<Read>,
    Sent(request): Sent<LeapfrogRequest>,
) -> Result<Json<Vec<MoveDto>>, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || designing::leapfrog(&plan, &brief, &request)).await??))
}

/// Places for spheres so that stations which follow one another share three that hold them.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/targets", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = Vec<[f64; 3]>)))]
pub async fn targets(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<[f64; 3]>>, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || designing::targets(&plan, &brief)).await?))
}

/// Which targets to survey as control, and which to hold back as checks.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/control", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = ControlChoiceDto)))]
pub async fn control(State(app): State<App>, access: Access<Read>) -> Result<Json<ControlChoiceDto>, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || designing::control(&plan, &brief)).await?))
}

/// The changes that would help the weakest target most.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/advice", tag = "plan", params(("job" = Uuid, Path)), responses((status = 200, body = [AdviceDto])))]
pub async fn advice(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<AdviceDto>>, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    Ok(Json(work::blocking(move || designing::advice(&plan, &brief)).await?))
}

/// What resolution and how many repeats a spacing at a range asks of each instrument.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/density", tag = "plan", params(("job" = Uuid, Path), DensityQuery), responses((status = 200, body = [DensityDto]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn density(
    State(app): State<App>,
    access: Access<Read>,
    Query(q): Query<DensityQuery>,
) -> Result<Json<Vec<DensityDto>>, ApiError> {
    let (_, brief) = work::brief(&app, access.job).await?;
    let kept = instruments::list(&app.db, access.user.id).await?.into_iter();
    let kept = kept.filter_map(|i| serde_json::from_value::<InstrumentDto>(i.profile).ok());
    Ok(Json(designing::density(&brief, kept.map(|i| Instrument::from(&i)).collect(), &q)?))
}

/// The plan sheet: `sheet.pdf` to print, `field.html` to carry along, `plan.dxf`, `plan.geojson` or `plan.csv`.
#[utoipa::path(get, path = "/api/jobs/{job}/plan/files/{file}", tag = "plan", params(("job" = Uuid, Path), ("file" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody)))]
pub async fn file(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, file)): Path<(Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    let (job, brief) = work::brief(&app, access.job).await?;
    let plan = planning::load(&app, access.job).await?;
    let document = PLAN_DOCUMENTS.iter().find(|d| d.name() == file).ok_or_else(ApiError::not_found)?;
    let cover = serde_json::from_slice(&outlook::cover_text(&app, access.job, &plan, &brief).await?)
        .map_err(|e| ApiError::conflict(e.to_string()))?;
    let simulated = job.simulated.is_some();
    let items = planning::items(&app, access.job).await?;
    let package = PlanPackage { job: access.job, name: job.name, plan, items, brief, cover, simulated };
    let bytes = work::blocking(move || document.write(&package)).await??;
    let name = format!("attachment; filename=\"{file}\"");
    Ok(([(header::CONTENT_TYPE, document.media_type().to_owned()), (header::CONTENT_DISPOSITION, name)], bytes))
}
