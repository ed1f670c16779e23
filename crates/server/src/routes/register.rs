//! Registration: observations, the adjustment, the lock.

use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::{
    AdjustmentDto, ChoiceDto, DecisionDto, DetectionDto, InstrumentDto, KeepFinding, OtherwiseDto, SchoolsDto,
};
use crate::tasks::{Work, queue};
use crate::work::registration;
use crate::{ApiError, App};
use axum::Json;
use axum::extract::State;
use axum::http::{StatusCode, header};
use axum::response::IntoResponse;
use vistazo_core::adjust::{ENOUGH, profile_as_found};
use vistazo_core::instrument::Instrument;
use vistazo_store::tasks::{self, Task};
use vistazo_store::{field, jobs, results};

/// Targets found in the scans.
#[utoipa::path(get, path = "/api/jobs/{job}/detections", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = [DetectionDto])))]
pub async fn detections(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<DetectionDto>>, ApiError> {
    let rows = field::detections(&app.db, access.job).await?;
    let dto = |d: &field::DetectionRow| {
        Ok(DetectionDto {
            id: d.id,
            scan: d.scan_id,
            kind: d.kind.clone(),
            usable: d.usable,
            excluded: d.excluded,
            part: d.part,
            version: d.version,
            by_hand: d.laid_by.is_some(),
            data: registration::data(d)?,
        })
    };
    rows.iter().map(dto).collect::<Result<_, ApiError>>().map(Json)
}

/// What another decision about observations would change; nothing is kept.
#[utoipa::path(post, path = "/api/jobs/{job}/adjustment/otherwise", tag = "register", params(("job" = Uuid, Path)), request_body = ChoiceDto, responses((status = 200, body = OtherwiseDto)))]
pub async fn otherwise(
    State(app): State<App>,
    access: Access<Read>,
    Sent(choice): Sent<ChoiceDto>,
) -> Result<Json<OtherwiseDto>, ApiError> {
    Ok(Json(crate::work::otherwise::choice(&app, access.job, choice).await?))
}

/// What registering by targets, by clouds and by both would give, and which to take.
#[utoipa::path(get, path = "/api/jobs/{job}/adjustment/schools", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = SchoolsDto)))]
pub async fn schools(State(app): State<App>, access: Access<Read>) -> Result<Json<SchoolsDto>, ApiError> {
    Ok(Json(crate::work::otherwise::schools(&app, access.job).await?))
}

/// Exclude, restore or split observations. Kept in the log with name and time.
#[utoipa::path(patch, path = "/api/jobs/{job}/detections", tag = "register", params(("job" = Uuid, Path)), request_body = Vec<DecisionDto>, responses((status = 200, body = [DetectionDto]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn decide(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(list): Sent<Vec<DecisionDto>>,
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
    if tasks::is_active(&app.db, access.job, "tie").await? {
        return Err(ApiError::conflict("ties by clouds are being looked for, and the job is registered after that"));
    }
    Ok(Json(queue(&app, access.job, &Work::Register {}, Some(access.user.id)).await?))
}

/// The last adjustment.
#[utoipa::path(get, path = "/api/jobs/{job}/adjustment", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = Option<AdjustmentDto>)))]
pub async fn adjustment(State(app): State<App>, access: Access<Read>) -> Result<impl IntoResponse, ApiError> {
    Ok(([(header::CONTENT_TYPE, "application/json")], registration::text(&app, access.job).await?))
}

/// Keep a finding as it is: it no longer stands against a verdict. Kept in the log with name and time.
#[utoipa::path(post, path = "/api/jobs/{job}/findings/keep", tag = "register", params(("job" = Uuid, Path)), request_body = KeepFinding, responses((status = 204), (status = 422, body = crate::error::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(form): Sent<KeepFinding>,
) -> Result<StatusCode, ApiError> {
    let Some(title) = registration::title(&app, access.job, &form.key).await? else {
        return Err(ApiError::field("key", "there is no such finding in the last registration"));
    };
    results::keep_finding(&app.db, access.job, &form.key, form.note.trim(), access.user.id).await?;
    let note = if form.note.trim().is_empty() { String::new() } else { format!(" ({})", form.note.trim()) };
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("kept as it is: {title}{note}")).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Open a kept finding again.
#[utoipa::path(post, path = "/api/jobs/{job}/findings/reopen", tag = "register", params(("job" = Uuid, Path)), request_body = KeepFinding, responses((status = 204)))]
pub async fn reopen(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(form): Sent<KeepFinding>,
) -> Result<StatusCode, ApiError> {
    results::reopen_finding(&app.db, access.job, &form.key).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), &format!("opened again: {}", form.key)).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Take the noise that the block found into the instrument's profile. The scans are searched again with it at the
/// next run.
#[utoipa::path(post, path = "/api/jobs/{job}/adjustment/profile", tag = "register", params(("job" = Uuid, Path)), responses((status = 200, body = InstrumentDto), (status = 409, body = crate::error::ErrorBody)))]
pub async fn take_profile(State(app): State<App>, access: Access<Edit>) -> Result<Json<InstrumentDto>, ApiError> {
    let (job, mut brief) = crate::work::brief(&app, access.job).await?;
    let now = registration::current_of(&app, access.job, &brief).await?;
    let Some(now) = now.filter(|c| !c.stale && c.record.refused.is_none()) else {
        return Err(ApiError::conflict("there is no registration of what is there now: run it first"));
    };
    if now.open() > 0 {
        return Err(ApiError::conflict("a finding is not settled: what is wrong there would be taken for noise"));
    }
    let found = registration::components(&now.record);
    let profile = profile_as_found(&Instrument::from(&brief.instrument), &found).ok_or_else(|| {
        ApiError::conflict(format!(
            "the block says too little of its noise: redundancy of spheres and boards, or of levels, below {ENOUGH}"
        ))
    })?;
    brief.instrument = InstrumentDto::from(&profile);
    brief.instrument.validate("instrument.")?;
    jobs::update(&app.db, access.job, &job.name, &serde_json::json!(brief), job.version).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), "took the noise that the block found into the profile")
        .await?;
    Ok(Json(brief.instrument))
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
    let Some(current) = registration::current(app, access.job).await? else {
        return Err(ApiError::conflict("there is no adjustment to lock"));
    };
    if locked && (current.stale || current.record.refused.is_some()) {
        return Err(ApiError::conflict(
            "the adjustment is out of date or was refused: run the registration again before locking",
        ));
    }
    results::lock(&app.db, access.job, current.row.id, locked.then_some(access.user.id)).await?;
    let word = if locked { "locked" } else { "unlocked" };
    jobs::note(
        &app.db,
        access.job,
        Some(access.user.id),
        &format!("{word} registration revision {}", current.row.revision),
    )
    .await?;
    Ok(StatusCode::NO_CONTENT)
}
