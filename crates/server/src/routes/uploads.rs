//! Files from the field by the tus protocol 1.0.0: creation (also with the first bytes), checksum,
//! termination. An upload goes on where it broke off, whichever server takes the next part.

use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::dto::{PassPart, UploadOptions};
use crate::tasks::Work;
use crate::work::room;
use crate::{ApiError, App};
use axum::Json;
use axum::body::{Body, BodyDataStream};
use axum::extract::{Path, State};
use axum::http::{HeaderMap, HeaderValue, StatusCode};
use axum::response::{IntoResponse, Response};
use futures::StreamExt;
use uuid::Uuid;
use vistazo_formats::xyz_preview;
use vistazo_store::passes;
use vistazo_store::uploads::{self, AppendError, Upload, Usage};

const VERSION: &str = "1.0.0";
/// Content type of the bytes of a file.
const PIECE: &str = "application/offset+octet-stream";

fn header<'a>(headers: &'a HeaderMap, name: &str) -> Option<&'a str> {
    headers.get(name).and_then(|v| v.to_str().ok())
}

fn number(headers: &HeaderMap, name: &str) -> Result<u64, ApiError> {
    header(headers, name)
        .and_then(|v| v.parse().ok())
        .ok_or_else(|| ApiError::bad(format!("the header {name} is missing or no number of bytes")))
}

fn speaks_tus(headers: &HeaderMap) -> Result<(), ApiError> {
    match header(headers, "tus-resumable") {
        Some(VERSION) => Ok(()),
        other => Err(ApiError::status(
            StatusCode::PRECONDITION_FAILED,
            format!("found Tus-Resumable: {}, expected {VERSION}", other.unwrap_or("nothing")),
        )),
    }
}

/// An answer with the protocol's headers.
fn answer(status: StatusCode, more: &[(&'static str, String)]) -> Response {
    let mut r = status.into_response();
    let h = r.headers_mut();
    h.insert("tus-resumable", HeaderValue::from_static(VERSION));
    h.insert("cache-control", HeaderValue::from_static("no-store"));
    for (name, value) in more {
        if let Ok(v) = HeaderValue::from_str(value) {
            h.insert(*name, v);
        }
    }
    r
}

/// `key base64, key base64, …`
fn metadata(headers: &HeaderMap) -> Result<std::collections::HashMap<String, String>, ApiError> {
    use base64::Engine;
    let text = header(headers, "upload-metadata").unwrap_or("");
    text.split(',')
        .map(str::trim)
        .filter(|p| !p.is_empty())
        .map(|pair| {
            let (key, value) = pair.split_once(' ').unwrap_or((pair, ""));
            base64::engine::general_purpose::STANDARD
                .decode(value.trim())
                .ok()
                .and_then(|b| String::from_utf8(b).ok())
                .map(|v| (key.to_owned(), v))
                .ok_or_else(|| ApiError::bad(format!("the value of “{key}” in Upload-Metadata is not base64 of UTF-8")))
        })
        .collect()
}

/// `sha256 base64` as the protocol's checksum extension has it.
fn checksum(headers: &HeaderMap) -> Result<Option<[u8; 32]>, ApiError> {
    use base64::Engine;
    let Some(text) = header(headers, "upload-checksum") else { return Ok(None) };
    let sum = text
        .strip_prefix("sha256 ")
        .and_then(|b| base64::engine::general_purpose::STANDARD.decode(b.trim()).ok())
        .and_then(|b| b.try_into().ok());
    sum.map(Some).ok_or_else(|| ApiError::bad(format!("found the checksum “{text}”, expected sha256 and its base64")))
}

fn refused(name: &str, e: AppendError) -> ApiError {
    let status = match &e {
        AppendError::Store(_) => {
            let AppendError::Store(e) = e else { return ApiError::not_found() };
            return e.into();
        }
        AppendError::Offset { .. } => StatusCode::CONFLICT,
        AppendError::TooMuch(_) => StatusCode::PAYLOAD_TOO_LARGE,
        AppendError::Checksum => StatusCode::from_u16(460).unwrap_or(StatusCode::BAD_REQUEST),
    };
    ApiError::status(status, format!("{name}: {e}"))
}

async fn take(
    app: &App,
    access: &Access<Edit>,
    upload: &Upload,
    headers: &HeaderMap,
    offset: u64,
    bytes: &mut BodyDataStream,
) -> Result<u64, ApiError> {
    let (kind, payload) = Work::of_upload(upload).row()?;
    let then = (kind.as_str(), payload, Some(access.user.id));
    uploads::append(&app.db, &app.objects, access.job, upload, offset, checksum(headers)?, bytes, &then)
        .await
        .map_err(|e| refused(&upload.file_name, e))
}

/// Before a refusal is answered, reads on for a while without keeping anything: a sender that is
/// still sending would see a broken line instead of the reason.
async fn heard(answer: Result<Response, ApiError>, mut bytes: BodyDataStream) -> Result<Response, ApiError> {
    let mut rest = 0;
    while answer.is_err() && rest < 1 << 28 {
        let Some(Ok(c)) = bytes.next().await else { break };
        rest += c.len();
    }
    answer
}

/// What this server can.
#[utoipa::path(options, path = "/api/jobs/{job}/uploads", tag = "uploads", params(("job" = Uuid, Path)), responses((status = 204)))]
pub async fn abilities(State(app): State<App>, _access: Access<Read>) -> Response {
    answer(
        StatusCode::NO_CONTENT,
        &[
            ("tus-version", VERSION.into()),
            ("tus-extension", "creation,creation-with-upload,checksum,termination".into()),
            ("tus-checksum-algorithm", "sha256".into()),
            ("tus-max-size", app.settings.max_upload.to_string()),
        ],
    )
}

/// Name, length and options of an upload that may begin.
fn admitted(app: &App, headers: &HeaderMap) -> Result<(String, u64, UploadOptions), ApiError> {
    speaks_tus(headers)?;
    let length = number(headers, "upload-length")?;
    let meta = metadata(headers)?;
    let raw = meta.get("filename").map_or("", String::as_str);
    let name: String = raw.rsplit(['/', '\\']).next().unwrap_or("").trim().chars().take(200).collect();
    if name.is_empty() {
        return Err(ApiError::field("filename", "expected the name of the file"));
    }
    if length == 0 {
        return Err(ApiError::field(
            "upload-length",
            format!("{name}: the file is empty; expected a scan as E57, LAS, LAZ, PLY or XYZ text"),
        ));
    }
    if length > app.settings.max_upload {
        return Err(ApiError::status(
            StatusCode::PAYLOAD_TOO_LARGE,
            format!("{name}: the file is larger than the {:.2} GB accepted here", app.settings.max_upload as f64 / 1e9),
        ));
    }
    let options = UploadOptions::from_metadata(&meta)?;
    room::check(app, &name, length * (1 + room::growth(&name)))
        .map_err(|e| ApiError::status(StatusCode::INSUFFICIENT_STORAGE, e))?;
    Ok((name, length, options))
}

/// Announce a scan file (E57, LAS, LAZ, COPC, PLY or XYZ text); its first bytes may come along. `Upload-Metadata` holds
/// `filename` and what the file does not say by itself: `station` (id), `levelled`, `unit`, `up`, `columns`, `x`, `y`, `z`, and of a pass `pass` and `part`
/// (see UploadOptions). When the last byte has come, a task reads the file.
#[utoipa::path(post, path = "/api/jobs/{job}/uploads", tag = "uploads", params(("job" = Uuid, Path)), request_body(content = Vec<u8>, content_type = "application/offset+octet-stream"), responses((status = 201), (status = 413, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody), (status = 507, body = crate::error::ErrorBody)))]
pub async fn create(
    State(app): State<App>,
    access: Access<Edit>,
    headers: HeaderMap,
    body: Body,
) -> Result<Response, ApiError> {
    let mut bytes = body.into_data_stream();
    let begun = begin(&app, &access, &headers, &mut bytes).await;
    heard(begun, bytes).await
}

async fn begin(
    app: &App,
    access: &Access<Edit>,
    headers: &HeaderMap,
    bytes: &mut BodyDataStream,
) -> Result<Response, ApiError> {
    let (name, length, options) = admitted(app, headers)?;
    if let Some(pass) = options.pass {
        passes::pass(&app.db, access.job, pass).await?;
    }
    let id = vistazo_store::new_id();
    let upload =
        uploads::create(&app.db, access.job, id, &name, length, &serde_json::json!(options), Some(access.user.id))
            .await?;
    if let (Some(pass), Some(part)) = (options.pass, options.part) {
        let part = match part {
            PassPart::Cloud => passes::Part::Cloud,
            PassPart::Path => passes::Part::Path,
        };
        passes::file_of_pass(&app.db, access.job, pass, part, id).await?;
    }
    let mut more = vec![("location", format!("/api/jobs/{}/uploads/{id}", access.job))];
    if header(headers, "content-type") == Some(PIECE) {
        let at = take(app, access, &upload, headers, 0, bytes).await?;
        more.push(("upload-offset", at.to_string()));
    }
    Ok(answer(StatusCode::CREATED, &more))
}

/// How far an upload has come.
#[utoipa::path(head, path = "/api/jobs/{job}/uploads/{upload}", tag = "uploads", params(("job" = Uuid, Path), ("upload" = Uuid, Path)), responses((status = 200)))]
pub async fn offset(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, upload)): Path<(Uuid, Uuid)>,
) -> Result<Response, ApiError> {
    let u = uploads::get(&app.db, access.job, upload).await?;
    Ok(answer(StatusCode::OK, &[("upload-offset", u.received.to_string()), ("upload-length", u.bytes.to_string())]))
}

/// The next bytes of an upload, from `Upload-Offset` on.
#[utoipa::path(patch, path = "/api/jobs/{job}/uploads/{upload}", tag = "uploads", params(("job" = Uuid, Path), ("upload" = Uuid, Path)), request_body(content = Vec<u8>, content_type = "application/offset+octet-stream"), responses((status = 204), (status = 409, body = crate::error::ErrorBody), (status = 460, body = crate::error::ErrorBody)))]
pub async fn append(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, upload)): Path<(Uuid, Uuid)>,
    headers: HeaderMap,
    body: Body,
) -> Result<Response, ApiError> {
    let mut bytes = body.into_data_stream();
    let gone_on = go_on(&app, &access, upload, &headers, &mut bytes).await;
    heard(gone_on, bytes).await
}

async fn go_on(
    app: &App,
    access: &Access<Edit>,
    upload: Uuid,
    headers: &HeaderMap,
    bytes: &mut BodyDataStream,
) -> Result<Response, ApiError> {
    speaks_tus(headers)?;
    if header(headers, "content-type") != Some(PIECE) {
        return Err(ApiError::status(StatusCode::UNSUPPORTED_MEDIA_TYPE, format!("expected Content-Type: {PIECE}")));
    }
    let u = uploads::get(&app.db, access.job, upload).await?;
    let at = take(app, access, &u, headers, number(headers, "upload-offset")?, bytes).await?;
    Ok(answer(StatusCode::NO_CONTENT, &[("upload-offset", at.to_string())]))
}

/// Give an upload up, with what has arrived of it. A file that scans came from stays.
#[utoipa::path(delete, path = "/api/jobs/{job}/uploads/{upload}", tag = "uploads", params(("job" = Uuid, Path), ("upload" = Uuid, Path)), responses((status = 204), (status = 409, body = crate::error::ErrorBody)))]
pub async fn remove(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, upload)): Path<(Uuid, Uuid)>,
) -> Result<Response, ApiError> {
    uploads::remove(&app.db, &app.objects, access.job, upload).await.map_err(|e| match e {
        vistazo_store::StoreError::Conflict => {
            ApiError::conflict("scans or a pass came from this file: it stays as long as they do")
        }
        e => e.into(),
    })?;
    Ok(answer(StatusCode::NO_CONTENT, &[]))
}

/// What has not arrived whole, and what the job takes in the store.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct StoreState {
    receiving: Vec<Upload>,
    usage: Usage,
    /// Bytes free where the store is a folder.
    free: Option<u64>,
}

/// Files that have not arrived whole, and the room the job takes.
#[utoipa::path(get, path = "/api/jobs/{job}/uploads", tag = "uploads", params(("job" = Uuid, Path)), responses((status = 200, body = StoreState)))]
pub async fn state(State(app): State<App>, access: Access<Read>) -> Result<Json<StoreState>, ApiError> {
    Ok(Json(StoreState {
        receiving: uploads::receiving(&app.db, access.job).await?,
        usage: uploads::usage(&app.db, access.job).await?,
        free: app.objects.free(),
    }))
}

/// What was understood of the start of a text file.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct TextPreview {
    heading: Option<Vec<String>>,
    /// First rows, field by field.
    rows: Vec<Vec<String>>,
    /// Columns of x, y, z, from 0.
    xyz: [usize; 3],
    intensity: Option<usize>,
    /// First of red, green, blue.
    rgb: Option<usize>,
}

/// Names of files about to be uploaded.
#[derive(serde::Deserialize, utoipa::ToSchema)]
pub struct FileNames {
    names: Vec<String>,
}

/// A file in the order proposed.
#[derive(serde::Serialize, utoipa::ToSchema)]
pub struct ProposedFile {
    /// Index into the names given.
    file: usize,
    /// Planned station.
    station: Option<Uuid>,
}

/// Propose in which order files were taken and from which stations, from their names.
#[utoipa::path(post, path = "/api/jobs/{job}/uploads/propose", tag = "uploads", params(("job" = Uuid, Path)), request_body = FileNames, responses((status = 200, body = [ProposedFile])))]
pub async fn propose(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(files): Sent<FileNames>,
) -> Result<Json<Vec<ProposedFile>>, ApiError> {
    if files.names.len() > 2000 {
        return Err(ApiError::field("names", format!("found {} files, expected at most 2000", files.names.len())));
    }
    let plan = crate::work::planning::load(&app, access.job).await?;
    let scans = vistazo_store::field::scans(&app.db, access.job).await?;
    let names: Vec<&str> = files.names.iter().map(String::as_str).collect();
    let stations: Vec<(&str, bool)> = plan
        .stations
        .iter()
        .map(|(id, s)| (s.name.as_str(), scans.iter().any(|x| x.station_id == Some(*id))))
        .collect();
    let p = vistazo_core::field::propose(&names, &stations);
    let of = |f: usize| ProposedFile { file: f, station: p.stations[f].map(|s| plan.stations[s].0) };
    Ok(Json(p.order.iter().map(|&f| of(f)).collect()))
}

/// Look at the start of a text file before it is uploaded.
#[utoipa::path(post, path = "/api/jobs/{job}/uploads/preview", tag = "uploads", params(("job" = Uuid, Path)), request_body(content = String, content_type = "text/plain"), responses((status = 200, body = TextPreview), (status = 422, body = crate::error::ErrorBody)))]
pub async fn preview(_access: Access<Edit>, text: String) -> Result<Json<TextPreview>, ApiError> {
    let p = xyz_preview(&text).map_err(|e| ApiError::field("text", e.to_string()))?;
    Ok(Json(TextPreview {
        heading: p.heading,
        rows: p.rows,
        xyz: p.columns.xyz,
        intensity: p.columns.intensity,
        rgb: p.columns.rgb,
    }))
}
