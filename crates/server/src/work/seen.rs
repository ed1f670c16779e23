//! What a client sees: the newest package that was checked, as it was when it was signed, and nothing newer.

use super::verdict::State;
use crate::auth::{Access, Permission};
use crate::{ApiError, App};
use serde_json::{Value, json};
use uuid::Uuid;
use vistazo_store::jobs::Role;
use vistazo_store::results;

/// Everything that is shown of a package, taken at the moment of its second signature: the job may go on after it.
pub(crate) async fn take(app: &App, job: Uuid, state: &State) -> Result<Value, ApiError> {
    let row = vistazo_store::jobs::get(&app.db, job).await?;
    let cloud = super::cloud::cloud(app, job, None).await?;
    let tileset = super::cloud::tileset(&cloud, job);
    Ok(json!({
        "name": row.name,
        "brief": row.brief,
        "cloud": cloud,
        "tileset": tileset,
        "verdicts": state.verdicts(),
        "summary": state.summary(),
    }))
}

/// A part of what a client sees; `None` for everybody else, who see the work itself.
///
/// # Errors
/// Not found, for a client, as long as nothing was signed.
pub(crate) async fn part<P: Permission>(app: &App, access: &Access<P>, name: &str) -> Result<Option<Value>, ApiError> {
    if access.role != Role::Client {
        return Ok(None);
    }
    let seen = results::seen(&app.db, access.job, name).await?;
    seen.map(Some).ok_or_else(ApiError::not_found)
}

/// Whether somebody may load what is stored of a scan: a client only what the signed cloud names, in that build.
pub(crate) async fn may_load<P: Permission>(
    app: &App,
    access: &Access<P>,
    scan: Uuid,
    build: &str,
) -> Result<(), ApiError> {
    let Some(tileset) = part(app, access, "tileset").await? else { return Ok(()) };
    let named = tileset.to_string().contains(&format!("scans/{scan}/tiles/{build}/"));
    if named { Ok(()) } else { Err(ApiError::not_found()) }
}

/// Whether the work is still what was signed: figures that are computed anew are those of the package then.
pub(crate) async fn unchanged<P: Permission>(app: &App, access: &Access<P>) -> Result<(), ApiError> {
    if access.role != Role::Client {
        return Ok(());
    }
    let now = State::load(app, access.job).await?.package_inputs();
    let signed = results::packages(&app.db, access.job).await?.into_iter().find(|p| p.checked_by.is_some());
    match signed {
        Some(p) if Some(&p.inputs) == now.as_ref() => Ok(()),
        Some(_) => Err(ApiError::conflict(
            "the work goes on after the signed package; measure in the package's own files, or ask for a new one",
        )),
        None => Err(ApiError::not_found()),
    }
}
