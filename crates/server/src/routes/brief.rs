//! Jobs: the brief, members, the title block and the log.

use super::sent::Sent;
use crate::auth::{Access, Deliver, Edit, Manage, Read, SignedIn};
use crate::dto::{Brief, SummaryDto};
use crate::work::{seen, verdict};
use crate::{ApiError, App, work};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use axum::response::{IntoResponse, Response};
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_store::jobs::{self, LogEntry, Member, Role, Standing};
use vistazo_store::{people, results};

/// A job in the list.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct JobDto {
    id: Uuid,
    name: String,
    role: Role,
    version: i32,
    /// Has a simulated site behind it.
    simulated: bool,
    brief: Brief,
    /// How far it has come; in the list of jobs only, and not for a client.
    standing: Option<Standing>,
}

/// A new job.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct NewJob {
    name: String,
    brief: Option<Brief>,
    /// A job to learn on: the simulated scanner takes what the plan says, and everything is marked as simulated.
    #[serde(default)]
    training: bool,
}

/// A changed brief, with the version that was seen.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct JobChange {
    name: String,
    brief: Brief,
    version: i32,
}

/// A member's new role; none takes the member out.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct MemberChange {
    email: String,
    role: Option<Role>,
}

/// A note for the log.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct Note {
    what: String,
}

/// A coordinate reference.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct ReferenceDto {
    code: u16,
    name: String,
}

fn dto(row: jobs::Job, role: Role) -> Result<JobDto, ApiError> {
    let brief = serde_json::from_value(row.brief)
        .map_err(|e| ApiError::bad(format!("the stored brief cannot be read: {e}")))?;
    Ok(JobDto {
        id: row.id,
        name: row.name,
        role,
        version: row.version,
        simulated: row.simulated.is_some(),
        brief,
        standing: None,
    })
}

/// A client sees the brief of what was signed; before that no more than the name, the unit and who it is for.
async fn as_signed(app: &App, job: &mut JobDto) -> Result<(), ApiError> {
    let read = |e: serde_json::Error| ApiError::bad(format!("the signed brief cannot be read: {e}"));
    match results::seen(&app.db, job.id, "brief").await? {
        Some(signed) => job.brief = serde_json::from_value(signed).map_err(read)?,
        None => {
            let now = std::mem::take(&mut job.brief);
            job.brief = Brief { unit: now.unit, client: now.client, site: now.site, ..Brief::default() };
        }
    }
    Ok(())
}

fn named(name: &str) -> Result<&str, ApiError> {
    let name = name.trim();
    if name.is_empty() || name.len() > 200 {
        Err(ApiError::field("name", "expected a name of 1 to 200 characters"))
    } else {
        Ok(name)
    }
}

/// Jobs of the user.
#[utoipa::path(get, path = "/api/jobs", tag = "brief", responses((status = 200, body = [JobDto])))]
pub async fn jobs(State(app): State<App>, SignedIn(user): SignedIn) -> Result<Json<Vec<JobDto>>, ApiError> {
    let mut standings: HashMap<Uuid, Standing> =
        jobs::standings(&app.db, user.id).await?.into_iter().map(|s| (s.job_id, s)).collect();
    let one = |(row, role): (jobs::Job, Role)| {
        // a client sees what was signed, and nothing of the work
        let standing = standings.remove(&row.id).filter(|_| role != Role::Client);
        Ok(JobDto { standing, ..dto(row, role)? })
    };
    let rows = jobs::of_user(&app.db, user.id).await?;
    let mut list: Vec<JobDto> = rows.into_iter().map(one).collect::<Result<_, ApiError>>()?;
    for job in list.iter_mut().filter(|j| j.role == Role::Client) {
        as_signed(&app, job).await?;
    }
    Ok(Json(list))
}

/// Create a job; its creator is the owner.
#[utoipa::path(post, path = "/api/jobs", tag = "brief", request_body = NewJob, responses((status = 200, body = JobDto)))]
pub async fn create(
    State(app): State<App>,
    SignedIn(user): SignedIn,
    Sent(new): Sent<NewJob>,
) -> Result<Json<JobDto>, ApiError> {
    let brief = new.brief.unwrap_or_default();
    brief.validate()?;
    let row =
        jobs::create(&app.db, user.id, named(&new.name)?, &serde_json::json!(brief), new.training.then_some("plan"))
            .await?;
    jobs::note(&app.db, row.id, Some(user.id), "created the job").await?;
    dto(row, Role::Owner).map(Json)
}

/// One job.
#[utoipa::path(get, path = "/api/jobs/{job}", tag = "brief", params(("job" = Uuid, Path)), responses((status = 200, body = JobDto)))]
pub async fn get(State(app): State<App>, access: Access<Deliver>) -> Result<Json<JobDto>, ApiError> {
    let row = jobs::get(&app.db, access.job).await?;
    let mut job = dto(row, access.role)?;
    if access.role == Role::Client {
        as_signed(&app, &mut job).await?;
    }
    Ok(Json(job))
}

/// Change the brief.
#[utoipa::path(put, path = "/api/jobs/{job}", tag = "brief", params(("job" = Uuid, Path)), request_body = JobChange, responses((status = 200, body = JobDto), (status = 409, body = crate::error::ErrorBody)))]
pub async fn update(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(change): Sent<JobChange>,
) -> Result<Json<JobDto>, ApiError> {
    change.brief.validate()?;
    let row = jobs::update(&app.db, access.job, named(&change.name)?, &serde_json::json!(change.brief), change.version)
        .await?;
    jobs::note(&app.db, access.job, Some(access.user.id), "changed the brief").await?;
    dto(row, access.role).map(Json)
}

/// Members of a job.
#[utoipa::path(get, path = "/api/jobs/{job}/members", tag = "brief", params(("job" = Uuid, Path)), responses((status = 200, body = [Member])))]
pub async fn members(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<Member>>, ApiError> {
    Ok(Json(jobs::members(&app.db, access.job).await?))
}

/// Give a member a role, or take the member out.
#[utoipa::path(put, path = "/api/jobs/{job}/members", tag = "brief", params(("job" = Uuid, Path)), request_body = MemberChange, responses((status = 200, body = [Member])))]
pub async fn set_member(
    State(app): State<App>,
    access: Access<Manage>,
    Sent(change): Sent<MemberChange>,
) -> Result<Json<Vec<Member>>, ApiError> {
    let user = people::user_by_email(&app.db, &change.email).await?.ok_or_else(|| {
        ApiError::field(
            "email",
            format!("found “{}”, expected the address of somebody with an account here", change.email),
        )
    })?;
    jobs::set_member(&app.db, access.job, user.id, change.role)
        .await
        .map_err(|_| ApiError::conflict("the job must keep an owner"))?;
    jobs::note(
        &app.db,
        access.job,
        Some(access.user.id),
        &format!(
            "set {} to {}",
            user.name,
            change.role.map_or_else(|| "no role".into(), |r| format!("{r:?}").to_lowercase())
        ),
    )
    .await?;
    Ok(Json(jobs::members(&app.db, access.job).await?))
}

/// The title block and the state of the sheets.
#[utoipa::path(get, path = "/api/jobs/{job}/summary", tag = "brief", params(("job" = Uuid, Path)), responses((status = 200, body = SummaryDto)))]
pub async fn summary(State(app): State<App>, access: Access<Deliver>) -> Result<Response, ApiError> {
    if let Some(signed) = seen::part(&app, &access, "summary").await? {
        return Ok(Json(signed).into_response());
    }
    Ok(Json(verdict::State::load(&app, access.job).await?.summary()).into_response())
}

/// Decisions and changes, newest first.
#[utoipa::path(get, path = "/api/jobs/{job}/log", tag = "brief", params(("job" = Uuid, Path)), responses((status = 200, body = [LogEntry])))]
pub async fn log(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<LogEntry>>, ApiError> {
    Ok(Json(jobs::log(&app.db, access.job).await?))
}

/// Add a note to the log.
#[utoipa::path(post, path = "/api/jobs/{job}/log", tag = "brief", params(("job" = Uuid, Path)), request_body = Note, responses((status = 204)))]
pub async fn note(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(note): Sent<Note>,
) -> Result<StatusCode, ApiError> {
    let what = note.what.trim();
    if what.is_empty() || what.len() > 2000 {
        return Err(ApiError::field("what", "expected a note of 1 to 2000 characters"));
    }
    work::brief(&app, access.job).await?;
    jobs::note(&app.db, access.job, Some(access.user.id), what).await?;
    Ok(StatusCode::NO_CONTENT)
}

/// Look up an EPSG code.
#[utoipa::path(get, path = "/api/references/{code}", tag = "brief", params(("code" = u16, Path)), responses((status = 200, body = ReferenceDto), (status = 422, body = crate::error::ErrorBody)))]
pub async fn reference(SignedIn(_user): SignedIn, Path(code): Path<u16>) -> Result<Json<ReferenceDto>, ApiError> {
    let r = vistazo_formats::crs::lookup(code).map_err(|e| ApiError::field("epsg", e.to_string()))?;
    Ok(Json(ReferenceDto { code, name: r.name }))
}
