//! Files as they came: in parts, so that an upload goes on where it broke off, whichever server
//! takes the next part.

use crate::{Objects, PgPool, Result, StoreError, tasks, verify};
use bytes::Bytes;
use chrono::{DateTime, Utc};
use futures::{Stream, StreamExt};
use serde_json::Value;
use sha2::{Digest, Sha256};
use uuid::Uuid;

/// Bytes in one stored part.
pub const PART: usize = 8 << 20;

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct Upload {
    pub id: Uuid,
    pub file_name: String,
    /// Length of the whole file.
    pub bytes: i64,
    /// Bytes that have arrived.
    pub received: i64,
    /// `receiving` or `whole`.
    pub state: String,
    /// Of the whole file, once it was read; empty before.
    pub sha256: String,
    /// Station, unit, up axis, columns: what the file does not say by itself.
    #[schema(value_type = Object)]
    pub options: Value,
    pub created_at: DateTime<Utc>,
}

const COLUMNS: &str = "id, file_name, bytes, received, state, sha256, options, created_at";

/// Announces a file. Doing it again with the same identifier changes nothing.
pub async fn create(
    db: &PgPool,
    job: Uuid,
    id: Uuid,
    file_name: &str,
    bytes: u64,
    options: &Value,
    user: Option<Uuid>,
) -> Result<Upload> {
    sqlx::query(
        "insert into uploads (id, job_id, file_name, bytes, state, options, created_by) values ($1, $2, $3, $4, 'receiving', $5, $6) on conflict (id) do nothing",
    )
    .bind(id)
    .bind(job)
    .bind(file_name)
    .bind(bytes as i64)
    .bind(options)
    .bind(user)
    .execute(db)
    .await?;
    get(db, job, id).await
}

pub async fn get(db: &PgPool, job: Uuid, id: Uuid) -> Result<Upload> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("select {COLUMNS} from uploads where job_id = $1 and id = $2")))
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

/// Files that have not arrived whole, oldest first.
pub async fn receiving(db: &PgPool, job: Uuid) -> Result<Vec<Upload>> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!(
        "select {COLUMNS} from uploads where job_id = $1 and state = 'receiving' order by sequence"
    )))
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Every whole file of a job, or of all jobs, with its job.
pub async fn whole(db: &PgPool, job: Option<Uuid>) -> Result<Vec<(Uuid, Upload)>> {
    #[derive(sqlx::FromRow)]
    struct Row {
        job_id: Uuid,
        #[sqlx(flatten)]
        upload: Upload,
    }
    let rows: Vec<Row> = sqlx::query_as(sqlx::AssertSqlSafe(format!(
        "select job_id, {COLUMNS} from uploads where state = 'whole' and ($1::uuid is null or job_id = $1) order by sequence"
    )))
    .bind(job)
    .fetch_all(db)
    .await?;
    Ok(rows.into_iter().map(|r| (r.job_id, r.upload)).collect())
}

/// Why bytes were not taken.
#[derive(Debug, thiserror::Error)]
pub enum AppendError {
    /// The file goes on elsewhere.
    #[error("the file goes on at byte {expected}, found an offset of {found}")]
    Offset {
        /// Where it goes on.
        expected: u64,
        /// Where the sender wanted to go on.
        found: u64,
    },
    /// More than was announced.
    #[error("more bytes came than the {0} that were announced")]
    TooMuch(u64),
    /// The sum of what came is not the one that was given.
    #[error("the sum of what arrived is not the one that was sent with it; nothing of it was kept")]
    Checksum,
    #[error(transparent)]
    Store(#[from] StoreError),
}

impl From<sqlx::Error> for AppendError {
    fn from(e: sqlx::Error) -> Self {
        Self::Store(e.into())
    }
}

/// Appends a stream to a file, part by part, with constant memory; returns the new length.
///
/// Without a checksum whatever arrived before the line broke is kept; with one (SHA-256) all of the
/// stream is kept or nothing. When the file is whole, the task that reads it is queued in the same
/// step, so that neither is seen without the other.
///
/// # Errors
/// [`AppendError`]; what was recorded before stays recorded.
pub async fn append<S, E>(
    db: &PgPool,
    objects: &Objects,
    job: Uuid,
    upload: &Upload,
    offset: u64,
    checksum: Option<[u8; 32]>,
    mut body: S,
    then: &(&str, Value, Option<Uuid>),
) -> std::result::Result<u64, AppendError>
where
    S: Stream<Item = std::result::Result<Bytes, E>> + Unpin,
{
    let (mut at, total) = (offset, upload.bytes as u64);
    if upload.received as u64 != offset {
        return Err(AppendError::Offset { expected: upload.received as u64, found: offset });
    }
    let (mut sum, mut held, mut buffer) = (Sha256::new(), Vec::new(), Vec::with_capacity(PART));
    let mut broken = false;
    loop {
        let chunk = match body.next().await {
            Some(Ok(c)) => Some(c),
            Some(Err(_)) => {
                broken = true;
                None
            }
            None => None,
        };
        if let Some(c) = &chunk {
            if checksum.is_some() {
                sum.update(c);
            }
            buffer.extend_from_slice(c);
            if at + buffer.len() as u64 > total {
                discard(objects, &held).await;
                return Err(AppendError::TooMuch(total));
            }
        }
        if !buffer.is_empty() && (buffer.len() >= PART || chunk.is_none()) {
            // a key of its own: two senders of the same bytes must not write over each other
            let key = format!("jobs/{job}/uploads/{}/{at:015}-{}", upload.id, crate::new_id());
            let bytes = buffer.len() as u64;
            let (sha256, part) = summed(std::mem::take(&mut buffer)).await?;
            objects.put(&key, part).await?;
            held.push(Part { start: at, bytes, key, sha256 });
            at += bytes;
            if checksum.is_none() {
                commit(db, objects, job, upload, &mut held, then).await?;
            }
        }
        if chunk.is_none() {
            break;
        }
    }
    if let Some(expected) = checksum {
        if broken || sum.finalize().as_slice() != expected {
            discard(objects, &held).await;
            return Err(AppendError::Checksum);
        }
        commit(db, objects, job, upload, &mut held, then).await?;
    }
    Ok(at)
}

/// A stored part of an upload.
struct Part {
    /// First byte.
    start: u64,
    bytes: u64,
    key: String,
    /// Hex.
    sha256: String,
}

/// Bytes with their SHA-256, worked out where nobody waits for it.
async fn summed(bytes: Vec<u8>) -> Result<(String, Vec<u8>)> {
    let sum = move || (crate::objects::hex(&Sha256::digest(&bytes)), bytes);
    tokio::task::spawn_blocking(sum).await.map_err(|e| StoreError::File(e.to_string()))
}

async fn discard(objects: &Objects, held: &[Part]) {
    for part in held {
        let _ = objects.remove(&part.key).await;
    }
}

/// Records stored parts; the row of the upload is held meanwhile, so that two senders cannot both
/// go on at the same place.
async fn commit(
    db: &PgPool,
    objects: &Objects,
    job: Uuid,
    upload: &Upload,
    held: &mut Vec<Part>,
    (kind, payload, user): &(&str, Value, Option<Uuid>),
) -> std::result::Result<(), AppendError> {
    let parts = std::mem::take(held);
    let Some(first) = parts.first() else { return Ok(()) };
    let mut tx = db.begin().await?;
    let received: Option<i64> =
        sqlx::query_scalar("select received from uploads where id = $1 and state = 'receiving' for update")
            .bind(upload.id)
            .fetch_optional(&mut *tx)
            .await?;
    if received != Some(first.start as i64) {
        drop(tx);
        discard(objects, &parts).await;
        return Err(match received {
            Some(r) => AppendError::Offset { expected: r as u64, found: first.start },
            None => AppendError::Store(StoreError::NotFound),
        });
    }
    let mut end = first.start;
    for part in &parts {
        sqlx::query("insert into upload_parts (upload_id, start, bytes, key, sha256) values ($1, $2, $3, $4, $5)")
            .bind(upload.id)
            .bind(part.start as i64)
            .bind(part.bytes as i64)
            .bind(&part.key)
            .bind(&part.sha256)
            .execute(&mut *tx)
            .await?;
        end = part.start + part.bytes;
    }
    let whole = end == upload.bytes as u64;
    sqlx::query("update uploads set received = $2, state = case when $3 then 'whole' else state end where id = $1")
        .bind(upload.id)
        .bind(end as i64)
        .bind(whole)
        .execute(&mut *tx)
        .await?;
    if whole {
        tasks::insert(&mut *tx, job, kind, payload, *user).await?;
    }
    tx.commit().await?;
    if whole {
        tasks::announce(db, job).await?;
    }
    Ok(())
}

/// Stores a local file as a whole upload; doing it again with the same identifier replaces it.
///
/// # Errors
/// When the file cannot be read or the store fails.
pub async fn put_file(
    db: &PgPool,
    objects: &Objects,
    job: Uuid,
    id: Uuid,
    file_name: &str,
    path: &std::path::Path,
) -> Result<Upload> {
    let key = format!("jobs/{job}/uploads/{id}/whole");
    let (bytes, sum) = objects.put_file(&key, path).await?;
    let mut tx = db.begin().await?;
    sqlx::query("insert into uploads (id, job_id, file_name, bytes, received, sha256) values ($1, $2, $3, $4, $4, $5) on conflict (id) do update set bytes = $4, received = $4, sha256 = $5, state = 'whole'")
        .bind(id)
        .bind(job)
        .bind(file_name)
        .bind(bytes as i64)
        .bind(&sum)
        .execute(&mut *tx)
        .await?;
    sqlx::query("delete from upload_parts where upload_id = $1").bind(id).execute(&mut *tx).await?;
    sqlx::query("insert into upload_parts (upload_id, start, bytes, key, sha256) values ($1, 0, $2, $3, $4)")
        .bind(id)
        .bind(bytes as i64)
        .bind(&key)
        .bind(&sum)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    get(db, job, id).await
}

/// Copies a whole upload to a local file and returns its SHA-256, which is noted when it was not
/// known yet. `go_on` gets the share done and may end it.
///
/// # Errors
/// [`StoreError::Damaged`] when a part is missing or is not what was stored; others when writing fails.
pub async fn fetch(
    db: &PgPool,
    objects: &Objects,
    upload: &Upload,
    path: &std::path::Path,
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Result<String> {
    use tokio::io::AsyncWriteExt;
    let parts: Vec<(i64, i64, String, String)> =
        sqlx::query_as("select start, bytes, key, sha256 from upload_parts where upload_id = $1 order by start")
            .bind(upload.id)
            .fetch_all(db)
            .await?;
    let io = |e: std::io::Error| StoreError::File(e.to_string());
    let mut file = tokio::fs::File::create(path).await.map_err(io)?;
    let (mut sum, mut at) = (Sha256::new(), 0_i64);
    for (start, bytes, key, noted) in parts {
        if start != at {
            return Err(StoreError::File(format!("a part of the upload is missing at byte {at}")));
        }
        let what = format!("{}, from byte {start},", upload.file_name);
        let mut stream = match objects.stream(&key).await {
            Ok(s) => Box::pin(s),
            Err(StoreError::Object(object_store::Error::NotFound { .. })) => return Err(verify::missing(&what)),
            Err(e) => return Err(e),
        };
        let mut own = Sha256::new();
        while let Some(chunk) = stream.next().await {
            let chunk = chunk?;
            sum.update(&chunk);
            own.update(&chunk);
            at += chunk.len() as i64;
            file.write_all(&chunk).await.map_err(io)?;
        }
        verify::matches(&what, (at - start, &crate::objects::hex(&own.finalize())), (bytes, &noted))?;
        if !go_on(at as f64 / upload.bytes.max(1) as f64) {
            break;
        }
    }
    file.flush().await.map_err(io)?;
    let sum = crate::objects::hex(&sum.finalize());
    if at == upload.bytes && !upload.sha256.is_empty() {
        verify::matches(&upload.file_name, (at, &sum), (upload.bytes, &upload.sha256))?;
    }
    if at == upload.bytes && upload.sha256.is_empty() {
        sqlx::query("update uploads set sha256 = $2 where id = $1").bind(upload.id).bind(&sum).execute(db).await?;
    }
    Ok(sum)
}

/// Removes an upload that no scan came from, with its bytes.
///
/// # Errors
/// [`StoreError::Conflict`] when scans or a pass came from it.
pub async fn remove(db: &PgPool, objects: &Objects, job: Uuid, id: Uuid) -> Result<()> {
    let mut tx = db.begin().await?;
    let used: Option<i32> = sqlx::query_scalar("select 1 from scans where upload_id = $1 union all select 1 from passes where cloud_id = $1 or path_id = $1 limit 1")
        .bind(id)
        .fetch_optional(&mut *tx)
        .await?;
    if used.is_some() {
        return Err(StoreError::Conflict);
    }
    let keys: Vec<String> =
        sqlx::query_scalar("select key from upload_parts where upload_id = $1").bind(id).fetch_all(&mut *tx).await?;
    let gone =
        sqlx::query("delete from uploads where job_id = $1 and id = $2").bind(job).bind(id).execute(&mut *tx).await?;
    tx.commit().await?;
    if gone.rows_affected() == 0 {
        return Err(StoreError::NotFound);
    }
    for key in keys {
        let _ = objects.remove(&key).await;
    }
    Ok(())
}

/// Bytes a job takes in the object store.
#[derive(Debug, Clone, Copy, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct Usage {
    /// Files as they came.
    pub uploads: i64,
    /// Canonical scans, working clouds, tiles, panoramas: can be rebuilt from the uploads.
    pub derived: i64,
    pub packages: i64,
}

pub async fn usage(db: &PgPool, job: Uuid) -> Result<Usage> {
    Ok(sqlx::query_as(
        "select (select coalesce(sum(received), 0)::bigint from uploads where job_id = $1) as uploads, \
                (select coalesce(sum(bytes), 0)::bigint from scans where job_id = $1) as derived, \
                (select coalesce(sum(bytes), 0)::bigint from packages where job_id = $1) as packages",
    )
    .bind(job)
    .fetch_one(db)
    .await?)
}
