//! Packages, their download and their two signatures.

use super::sent::Sent;
use crate::auth::{Access, Check, Deliver, Edit, Read};
use crate::dto::{DeliverableDto, PackageOptions};
use crate::tasks::{Work, queue};
use crate::work::verdict::State as JobState;
use crate::{ApiError, App};
use axum::Json;
use axum::body::Body;
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use futures::TryStreamExt;
use uuid::Uuid;
use vistazo_core::deliver::{Signature, may_sign};
use vistazo_store::jobs;
use vistazo_store::jobs::Role;
use vistazo_store::results::{self, Package};
use vistazo_store::tasks::{self, Task};

/// A package with its standing.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct PackageDto {
    #[serde(flatten)]
    package: Package,
    /// The job changed since it was made.
    stale: bool,
}

/// Which signature: `prepared` or `checked`.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct Sign {
    place: String,
}

/// Packages, newest first.
#[utoipa::path(get, path = "/api/jobs/{job}/packages", tag = "deliver", params(("job" = Uuid, Path)), responses((status = 200, body = [PackageDto])))]
pub async fn packages(State(app): State<App>, access: Access<Deliver>) -> Result<Json<Vec<PackageDto>>, ApiError> {
    let client = access.role == Role::Client;
    let now = if client { None } else { JobState::load(&app, access.job).await?.package_inputs() };
    let list = results::packages(&app.db, access.job).await?;
    // a client sees what was checked and signed, nothing before
    let seen = |p: &Package| !client || p.checked_by.is_some();
    Ok(Json(
        list.into_iter()
            .filter(seen)
            // nor that the work goes on
            .map(|package| PackageDto { stale: !client && Some(&package.inputs) != now.as_ref(), package })
            .collect(),
    ))
}

/// What a package may hold: what is asked for, what of it is there, how large it would be.
#[utoipa::path(get, path = "/api/jobs/{job}/deliverables", tag = "deliver", params(("job" = Uuid, Path)), responses((status = 200, body = [DeliverableDto])))]
pub async fn deliverables(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<DeliverableDto>>, ApiError> {
    Ok(Json(JobState::load(&app, access.job).await?.deliverables()))
}

/// Make a package in the background.
#[utoipa::path(post, path = "/api/jobs/{job}/packages", tag = "deliver", params(("job" = Uuid, Path)), request_body = PackageOptions, responses((status = 200, body = Task), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn make(
    State(app): State<App>,
    access: Access<Edit>,
    options: Option<Sent<PackageOptions>>,
) -> Result<Json<Task>, ApiError> {
    let options = options.map(|o| o.0).unwrap_or_default();
    options.validate()?;
    if JobState::load(&app, access.job).await?.package_inputs().is_none() {
        return Err(ApiError::conflict(
            "the block is not on the grid, or out of date: register and georeference it first",
        ));
    }
    if tasks::is_active(&app.db, access.job, "package").await? {
        return Err(ApiError::conflict("a package is being made already"));
    }
    Ok(Json(queue(&app, access.job, &Work::Package(options), Some(access.user.id)).await?))
}

/// Download a package as one archive.
#[utoipa::path(get, path = "/api/jobs/{job}/packages/{package}/download", tag = "deliver", params(("job" = Uuid, Path), ("package" = Uuid, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/zip")))]
pub async fn download(
    State(app): State<App>,
    access: Access<Deliver>,
    Path((_job, package)): Path<(Uuid, Uuid)>,
) -> Result<impl IntoResponse, ApiError> {
    let p = results::package(&app.db, access.job, package).await?;
    if access.role == Role::Client && p.checked_by.is_none() {
        return Err(ApiError::not_found());
    }
    let what = format!("package {}", p.revision);
    let stream = app.objects.checked_stream(&p.key, what, (p.bytes, p.sha256)).await?;
    let stream = stream.inspect_err(|e| tracing::error!("{e}"));
    let name = format!("attachment; filename=\"package-{}.zip\"", p.revision);
    Ok((
        [
            (header::CONTENT_TYPE, "application/zip".to_owned()),
            (header::CONTENT_DISPOSITION, name),
            (header::CONTENT_LENGTH, p.bytes.to_string()),
        ],
        Body::from_stream(stream),
    ))
}

/// Sign a package. The preparer is an owner or surveyor, the checker an owner or reviewer, and
/// they are two people.
#[utoipa::path(post, path = "/api/jobs/{job}/packages/{package}/sign", tag = "deliver", params(("job" = Uuid, Path), ("package" = Uuid, Path)), request_body = Sign, responses((status = 200, body = [PackageDto]), (status = 409, body = crate::error::ErrorBody)))]
pub async fn sign(
    State(app): State<App>,
    access: Access<Deliver>,
    Path((_job, package)): Path<(Uuid, Uuid)>,
    Sent(form): Sent<Sign>,
) -> Result<Json<Vec<PackageDto>>, ApiError> {
    use crate::auth::Permission;
    let (place, allowed) = match form.place.as_str() {
        "prepared" => (Signature::Prepared, Edit::allows(access.role)),
        "checked" => (Signature::Checked, Check::allows(access.role)),
        p => return Err(ApiError::field("place", format!("found “{p}”, expected prepared or checked"))),
    };
    if !allowed {
        return Err(ApiError::forbidden(format!("your role in this job ({:?}) may not sign here", access.role)));
    }
    let row = results::package(&app.db, access.job, package).await?;
    let state = JobState::load(&app, access.job).await?;
    if state.package_inputs().as_ref() != Some(&row.inputs) {
        return Err(ApiError::conflict("the job changed since this package was made: make a new one to sign"));
    }
    let (prepared, checked) = results::signers(&app.db, access.job, package).await?;
    let text = |id: Option<Uuid>| id.map(|i| i.to_string());
    may_sign(place, &access.user.id.to_string(), text(prepared).as_deref(), text(checked).as_deref())
        .map_err(|e| ApiError::conflict(e.to_string()))?;
    let seen = match place {
        Signature::Checked => Some(crate::work::seen::take(&app, access.job, &state).await?),
        Signature::Prepared => None,
    };
    results::sign(&app.db, access.job, package, access.user.id, seen.as_ref()).await?;
    jobs::note(
        &app.db,
        access.job,
        Some(access.user.id),
        &format!("signed package {} as {}", row.revision, form.place),
    )
    .await?;
    packages(State(app), access).await
}
