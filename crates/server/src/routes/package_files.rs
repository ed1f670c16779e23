//! Single files of a package, read out of its archive: the report in the browser, the walk-through without unpacking.

use crate::auth::{Access, Deliver};
use crate::{ApiError, App, work};
use axum::extract::{Path, State};
use axum::http::header;
use axum::response::IntoResponse;
use std::io::Read;
use uuid::Uuid;
use vistazo_store::jobs::Role;
use vistazo_store::results;

/// Larger files come with the whole package, bytes.
const LARGEST: u64 = 64_000_000;

/// A file of a package that a browser shows: the report, a drawing, a table.
#[utoipa::path(get, path = "/api/jobs/{job}/packages/{package}/files/{entry}", tag = "deliver", params(("job" = Uuid, Path), ("package" = Uuid, Path), ("entry" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn file(
    State(app): State<App>,
    access: Access<Deliver>,
    Path((_job, package, name)): Path<(Uuid, Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    entry(&app, &access, package, name).await
}

/// The walk-through of a package: `index.html` and what it reads.
#[utoipa::path(get, path = "/api/jobs/{job}/packages/{package}/walk-through/{entry}", tag = "deliver", params(("job" = Uuid, Path), ("package" = Uuid, Path), ("entry" = String, Path)), responses((status = 200, body = Vec<u8>, content_type = "application/octet-stream"), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn walk(
    State(app): State<App>,
    access: Access<Deliver>,
    Path((_job, package, name)): Path<(Uuid, Uuid, String)>,
) -> Result<impl IntoResponse, ApiError> {
    entry(&app, &access, package, format!("walk-through/{name}")).await
}

async fn entry(
    app: &App,
    access: &Access<Deliver>,
    package: Uuid,
    name: String,
) -> Result<impl IntoResponse + use<>, ApiError> {
    let p = results::package(&app.db, access.job, package).await?;
    if access.role == Role::Client && p.checked_by.is_none() {
        return Err(ApiError::not_found());
    }
    let media_type = media_type(&name);
    let (archive, _) = app.objects.file(&p.key).await?;
    let bytes = work::blocking(move || read(archive, &name)).await??;
    // a package never changes
    let headers = [(header::CONTENT_TYPE, media_type), (header::CACHE_CONTROL, "private, max-age=86400")];
    Ok((headers, bytes))
}

/// The sum of the file is checked by its archive while it is read.
fn read(archive: std::fs::File, name: &str) -> Result<Vec<u8>, ApiError> {
    let damaged = |e: &dyn std::fmt::Display| ApiError::conflict(format!("{name} of the package cannot be read: {e}"));
    let mut zip = zip::ZipArchive::new(std::io::BufReader::new(archive)).map_err(|e| damaged(&e))?;
    let mut file = match zip.by_name(name) {
        Ok(f) => f,
        Err(zip::result::ZipError::FileNotFound) => return Err(ApiError::not_found()),
        Err(e) => return Err(damaged(&e)),
    };
    if file.size() > LARGEST {
        let says = format!(
            "{name} has {} MB, expected at most {} MB: download the package",
            file.size() / 1_000_000,
            LARGEST / 1_000_000
        );
        return Err(ApiError::conflict(says));
    }
    let mut out = Vec::with_capacity(file.size() as usize);
    file.by_ref().take(LARGEST + 1).read_to_end(&mut out).map_err(|e| damaged(&e))?;
    Ok(out)
}

fn media_type(name: &str) -> &'static str {
    match name.rsplit('.').next() {
        Some("pdf") => "application/pdf",
        Some("html") => "text/html; charset=utf-8",
        Some("js") => "text/javascript; charset=utf-8",
        Some("css") => "text/css; charset=utf-8",
        Some("csv" | "xyz") => "text/plain; charset=utf-8",
        Some("json" | "geojson") => "application/json",
        Some("xml") => "application/xml",
        Some("png") => "image/png",
        _ => "application/octet-stream",
    }
}
