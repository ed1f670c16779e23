//! The field journal, its files, and the day in the field.

use super::sent::{Query, Sent};
use crate::auth::{Access, Edit, Read};
use crate::dto::{
    EarlierCheckDto, EntryReply, FieldNowDto, InstrumentCheckDto, InstrumentDto, JournalDto, JournalFileDto,
    JournalSent, TakeCheckDto,
};
use crate::tasks::{Work, queue};
use crate::work::{field_day, instrument_check, journal as work, record};
use crate::{ApiError, App};
use axum::Json;
use axum::body::Bytes;
use axum::extract::{Path, State};
use axum::http::{HeaderMap, StatusCode, header};
use axum::response::IntoResponse;
use sha2::{Digest, Sha256};
use uuid::Uuid;
use vistazo_store::journal::{self, FileRow};
use vistazo_store::objects::hex;
use vistazo_store::tasks::Task;
use vistazo_store::{field, jobs};

/// Bytes of one file, at most.
pub(super) const LARGEST: usize = 64 << 20;

/// Media that are kept and shown: pictures, sound, text, papers.
const MEDIA: [&str; 11] = [
    "image/jpeg",
    "image/png",
    "image/webp",
    "image/heic",
    "audio/webm",
    "audio/mp4",
    "audio/ogg",
    "audio/mpeg",
    "audio/wav",
    "application/pdf",
    "text/plain",
];

/// What to do next, where each station is, and what is missing before the site is left.
#[utoipa::path(get, path = "/api/jobs/{job}/field/now", tag = "field", params(("job" = Uuid, Path)), responses((status = 200, body = FieldNowDto)))]
pub async fn now(State(app): State<App>, access: Access<Read>) -> Result<Json<FieldNowDto>, ApiError> {
    Ok(Json(field_day::now(&app, access.job, access.user.id).await?))
}

/// All entries, in the order in which they came in, and the files that they speak of.
#[utoipa::path(get, path = "/api/jobs/{job}/field/journal", tag = "field", params(("job" = Uuid, Path)), responses((status = 200, body = JournalDto)))]
pub async fn entries(State(app): State<App>, access: Access<Read>) -> Result<Json<JournalDto>, ApiError> {
    Ok(Json(work::read(&app, access.job).await?))
}

/// Keep what a device noted, also long ago and without a network. An entry that cannot be kept is said; the others are kept.
#[utoipa::path(post, path = "/api/jobs/{job}/field/journal", tag = "field", params(("job" = Uuid, Path)), request_body = JournalSent, responses((status = 200, body = [EntryReply]), (status = 422, body = crate::error::ErrorBody)))]
pub async fn keep(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(sent): Sent<JournalSent>,
) -> Result<Json<Vec<EntryReply>>, ApiError> {
    Ok(Json(work::keep(&app, access.job, access.user.id, &sent).await?))
}

/// What a file is called.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct FileName {
    name: String,
}

/// Keep a photograph, a voice or a paper. The same again changes nothing.
#[utoipa::path(put, path = "/api/jobs/{job}/field/files/{attachment}", tag = "field", params(("job" = Uuid, Path), ("attachment" = Uuid, Path), FileName), request_body(content = Vec<u8>, content_type = "application/octet-stream"), responses((status = 200, body = JournalFileDto), (status = 409, body = crate::error::ErrorBody), (status = 415, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn put_file(
    State(app): State<App>,
    access: Access<Edit>,
    Path((job, id)): Path<(Uuid, Uuid)>,
    Query(named): Query<FileName>,
    headers: HeaderMap,
    bytes: Bytes,
) -> Result<Json<JournalFileDto>, ApiError> {
    let name = named.name.trim();
    if name.is_empty() || name.chars().count() > 200 || name.contains('\0') {
        return Err(ApiError::field("name", "expected a name of 1 to 200 characters"));
    }
    let said = headers.get(header::CONTENT_TYPE).and_then(|v| v.to_str().ok()).unwrap_or_default();
    let media = said.split(';').next().unwrap_or_default().trim().to_lowercase();
    if !MEDIA.contains(&media.as_str()) {
        let what = format!("found “{media:.60}”, expected one of {}", MEDIA.join(", "));
        return Err(ApiError::status(StatusCode::UNSUPPORTED_MEDIA_TYPE, what));
    }
    if bytes.is_empty() {
        return Err(ApiError::field("", "the file is empty"));
    }
    let sum = hex(&Sha256::digest(&bytes));
    // the sum is in the key: two that claim one identifier never write over one another
    let key = format!("jobs/{job}/field/{id}-{}", &sum[..16]);
    let row = FileRow { id, name: name.to_owned(), media, bytes: bytes.len() as i64, sha256: sum, key };
    app.objects.put(&row.key, bytes.to_vec()).await?;
    journal::put_file(&app.db, access.job, access.user.id, &row).await?;
    Ok(Json(JournalFileDto { id, name: row.name, media: row.media, bytes: row.bytes }))
}

/// A file of the journal.
#[utoipa::path(get, path = "/api/jobs/{job}/field/files/{attachment}", tag = "field", params(("job" = Uuid, Path), ("attachment" = Uuid, Path)), responses((status = 200, content_type = "application/octet-stream", body = Vec<u8>)))]
pub async fn file(
    State(app): State<App>,
    access: Access<Read>,
    Path((_job, id)): Path<(Uuid, Uuid)>,
) -> Result<impl IntoResponse, ApiError> {
    let f = journal::file(&app.db, access.job, id).await?;
    let bytes = app.objects.bytes(&f.key).await?;
    let headers = [
        (header::CONTENT_TYPE, f.media),
        // shown where it stands, and no page of its own whatever it holds
        (header::CONTENT_SECURITY_POLICY, "default-src 'none'; sandbox".to_owned()),
        (header::CACHE_CONTROL, "private, max-age=31536000, immutable".to_owned()),
    ];
    Ok((headers, bytes))
}

/// A scan to tie at once.
#[derive(serde::Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TieAtOnce {
    scan: Uuid,
    /// To which one; without, to the one before it and those planned nearest.
    to: Option<Uuid>,
}

/// Tie a scan at once, for whoever still stands there.
#[utoipa::path(post, path = "/api/jobs/{job}/field/tie", tag = "field", params(("job" = Uuid, Path)), request_body = TieAtOnce, responses((status = 200, body = Task), (status = 404, body = crate::error::ErrorBody)))]
pub async fn tie(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(t): Sent<TieAtOnce>,
) -> Result<Json<Task>, ApiError> {
    for scan in std::iter::once(t.scan).chain(t.to) {
        field::scan(&app.db, access.job, scan).await?;
    }
    Ok(Json(queue(&app, access.job, &Work::QuickTie { scan: t.scan, to: t.to }, Some(access.user.id)).await?))
}

/// An occupation to take as control.
#[derive(serde::Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TakeControl {
    /// Entries of occupations of one mark, or that of a set-up that found a point.
    entries: Vec<Uuid>,
    /// That point.
    point: Option<String>,
}

/// Take one occupation of a mark, or the mean of several, or a new point of a set-up, as control with the σ that came out.
#[utoipa::path(post, path = "/api/jobs/{job}/field/control", tag = "field", params(("job" = Uuid, Path)), request_body = TakeControl, responses((status = 200, body = [vistazo_store::results::ControlRow]), (status = 409, body = crate::error::ErrorBody), (status = 422, body = crate::error::ErrorBody)))]
pub async fn take_control(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(t): Sent<TakeControl>,
) -> Result<Json<Vec<vistazo_store::results::ControlRow>>, ApiError> {
    let point = work::as_control(&app, access.job, &t.entries, t.point.as_deref()).await?;
    vistazo_store::results::add_control(&app.db, access.job, Uuid::now_v7(), &point).await?;
    let said = format!("took {} as control from {} occupation(s) or set-up(s)", point.name, t.entries.len());
    jobs::note(&app.db, access.job, Some(access.user.id), &said).await?;
    Ok(Json(vistazo_store::results::control(&app.db, access.job).await?))
}

/// The instrument whose checks are asked for.
#[derive(serde::Deserialize, utoipa::IntoParams)]
pub struct WhichInstrument {
    /// Name or number.
    instrument: String,
}

/// Earlier checks of an instrument in all jobs that one takes part in, the newest first.
#[utoipa::path(get, path = "/api/jobs/{job}/field/instrument-checks", tag = "field", params(("job" = Uuid, Path), WhichInstrument), responses((status = 200, body = [EarlierCheckDto])))]
pub async fn instrument_checks(
    State(app): State<App>,
    access: Access<Read>,
    Query(which): Query<WhichInstrument>,
) -> Result<Json<Vec<EarlierCheckDto>>, ApiError> {
    Ok(Json(instrument_check::history(&app, access.user.id, &which.instrument).await?))
}

/// What the simulated instrument of a demo or training job reads on its check field.
#[utoipa::path(post, path = "/api/jobs/{job}/field/instrument-checks/simulated", tag = "field", params(("job" = Uuid, Path)), responses((status = 200, body = InstrumentCheckDto), (status = 409, body = crate::error::ErrorBody)))]
pub async fn simulated_check(
    State(app): State<App>,
    access: Access<Edit>,
) -> Result<Json<InstrumentCheckDto>, ApiError> {
    Ok(Json(instrument_check::simulated(&app, access.job).await?))
}

/// Take what a check found into the profile of the instrument.
#[utoipa::path(post, path = "/api/jobs/{job}/field/instrument-checks/profile", tag = "field", params(("job" = Uuid, Path)), request_body = TakeCheckDto, responses((status = 200, body = InstrumentDto), (status = 404, body = crate::error::ErrorBody), (status = 409, body = crate::error::ErrorBody)))]
pub async fn take_check(
    State(app): State<App>,
    access: Access<Edit>,
    Sent(t): Sent<TakeCheckDto>,
) -> Result<Json<InstrumentDto>, ApiError> {
    let (_, profile) = instrument_check::take(&app, access.job, t.entry, t.corrected).await?;
    let said = if t.corrected { "corrected in the instrument" } else { "covered by the profile" };
    let note = format!("took a check of {} into the profile: {said}", profile.name);
    jobs::note(&app.db, access.job, Some(access.user.id), &note).await?;
    Ok(Json(profile))
}

/// The record as a table: every entry in the order in which it came in, corrections after what they correct.
#[utoipa::path(get, path = "/api/jobs/{job}/field/record.csv", tag = "field", params(("job" = Uuid, Path)), responses((status = 200, content_type = "text/csv", body = String)))]
pub async fn record_table(State(app): State<App>, access: Access<Read>) -> Result<impl IntoResponse, ApiError> {
    let text = record::table(&app, access.job).await?;
    let headers = [
        (header::CONTENT_TYPE, "text/csv; charset=utf-8"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"field-record.csv\""),
    ];
    Ok((headers, text))
}

/// The record on paper: notes, stations, control, checks, and everything in the order in which it came in.
#[utoipa::path(get, path = "/api/jobs/{job}/field/record.pdf", tag = "field", params(("job" = Uuid, Path)), responses((status = 200, content_type = "application/pdf", body = Vec<u8>), (status = 409, body = crate::error::ErrorBody)))]
pub async fn record_paper(State(app): State<App>, access: Access<Read>) -> Result<impl IntoResponse, ApiError> {
    let bytes = record::paper(&app, access.job).await?;
    let headers = [
        (header::CONTENT_TYPE, "application/pdf"),
        (header::CONTENT_DISPOSITION, "attachment; filename=\"field-record.pdf\""),
    ];
    Ok((headers, bytes))
}
