//! The field journal: entries that are never changed, and the files that they speak of.

use crate::{PgPool, Result, StoreError, in_turn};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct EntryRow {
    pub id: Uuid,
    pub subject: String,
    pub fact: Value,
    pub follows: Vec<Uuid>,
    pub author: Uuid,
    /// Its name.
    pub by: String,
    pub device: String,
    pub taken_at: DateTime<Utc>,
    /// Seconds by which the clock of the device was ahead.
    pub ahead: f64,
    pub received_at: DateTime<Utc>,
}

/// An entry that came in.
#[derive(Debug)]
pub struct NewEntry<'a> {
    pub id: Uuid,
    pub subject: &'a str,
    pub fact: &'a Value,
    pub follows: &'a [Uuid],
    pub author: Uuid,
    pub device: &'a str,
    pub taken_at: DateTime<Utc>,
    pub ahead: f64,
}

/// What became of an entry that came in.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Kept {
    /// It is new.
    New,
    /// It was there already, just so.
    Known,
    /// Another entry has its identifier.
    Another,
    /// It follows an entry that is not there, or is about something else.
    Loose,
}

/// Entries in the order in which they came in.
pub async fn journal(db: &PgPool, job: Uuid) -> Result<Vec<EntryRow>> {
    Ok(sqlx::query_as(
        "select j.*, u.name as by from journal j join users u on u.id = j.author where j.job_id = $1 order by j.sequence",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Keeps an entry once, however often it is sent.
pub async fn keep_entry(db: &PgPool, job: Uuid, e: &NewEntry<'_>) -> Result<Kept> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let there: Option<(Uuid, String, Value, Vec<Uuid>)> =
        sqlx::query_as("select job_id, subject, fact, follows from journal where id = $1")
            .bind(e.id)
            .fetch_optional(&mut *tx)
            .await?;
    if let Some((of, subject, fact, follows)) = there {
        let same = of == job && subject == e.subject && fact == *e.fact && follows == e.follows;
        return Ok(if same { Kept::Known } else { Kept::Another });
    }
    let known: i64 =
        sqlx::query_scalar("select count(*) from journal where job_id = $1 and subject = $2 and id = any($3)")
            .bind(job)
            .bind(e.subject)
            .bind(e.follows)
            .fetch_one(&mut *tx)
            .await?;
    if known != e.follows.len() as i64 {
        return Ok(Kept::Loose);
    }
    sqlx::query(
        "insert into journal (id, job_id, subject, fact, follows, author, device, taken_at, ahead) values ($1, $2, $3, $4, $5, $6, $7, $8, $9)",
    )
    .bind(e.id)
    .bind(job)
    .bind(e.subject)
    .bind(e.fact)
    .bind(e.follows)
    .bind(e.author)
    .bind(e.device)
    .bind(e.taken_at)
    .bind(e.ahead)
    .execute(&mut *tx)
    .await?;
    tx.commit().await?;
    Ok(Kept::New)
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct FileRow {
    pub id: Uuid,
    pub name: String,
    pub media: String,
    pub bytes: i64,
    pub sha256: String,
    pub key: String,
}

pub async fn files(db: &PgPool, job: Uuid) -> Result<Vec<FileRow>> {
    Ok(sqlx::query_as("select id, name, media, bytes, sha256, key from journal_files where job_id = $1")
        .bind(job)
        .fetch_all(db)
        .await?)
}

pub async fn file(db: &PgPool, job: Uuid, id: Uuid) -> Result<FileRow> {
    sqlx::query_as("select id, name, media, bytes, sha256, key from journal_files where job_id = $1 and id = $2")
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

/// Records a file whose bytes are stored; the same again changes nothing.
///
/// # Errors
/// `Conflict` when other bytes have its identifier.
pub async fn put_file(db: &PgPool, job: Uuid, author: Uuid, f: &FileRow) -> Result<()> {
    let kept: Option<(Uuid, String)> = sqlx::query_as(
        "insert into journal_files (id, job_id, name, media, bytes, sha256, key, author) values ($1, $2, $3, $4, $5, $6, $7, $8) \
         on conflict (id) do update set id = journal_files.id returning job_id, sha256",
    )
    .bind(f.id)
    .bind(job)
    .bind(&f.name)
    .bind(&f.media)
    .bind(f.bytes)
    .bind(&f.sha256)
    .bind(&f.key)
    .bind(author)
    .fetch_optional(db)
    .await?;
    match kept {
        Some((of, sum)) if of == job && sum == f.sha256 => Ok(()),
        _ => Err(StoreError::Conflict),
    }
}

/// Puts into the logs of the scans of a station what its entry says, in the place of what an earlier one said, unless somebody wrote them by hand. Returns how many.
pub async fn carry(db: &PgPool, job: Uuid, station: Uuid, said: &Value) -> Result<u64> {
    Ok(sqlx::query(
        "update scans set log = (case when log ? 'entry' then log - 'set_up' - 'instrument_height' else log end) || $3, \
         version = version + 1 where job_id = $1 and station_id = $2 \
         and not coalesce((log ->> 'by_hand')::boolean, false) and log ->> 'entry' is distinct from $3 ->> 'entry'",
    )
    .bind(job)
    .bind(station)
    .bind(said)
    .execute(db)
    .await?
    .rows_affected())
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct QuickTieRow {
    pub scan_id: Uuid,
    /// None when nothing was found.
    pub other: Option<Uuid>,
    pub found: Option<Value>,
    pub grade: String,
}

pub async fn quick_ties(db: &PgPool, job: Uuid) -> Result<Vec<QuickTieRow>> {
    Ok(sqlx::query_as("select scan_id, other, found, grade from quick_ties where job_id = $1")
        .bind(job)
        .fetch_all(db)
        .await?)
}

/// Keeps the best tie of a scan; one that was found later takes its place.
pub async fn put_quick_tie(db: &PgPool, job: Uuid, t: &QuickTieRow) -> Result<()> {
    sqlx::query(
        "insert into quick_ties (scan_id, job_id, other, found, grade) values ($1, $2, $3, $4, $5) \
         on conflict (scan_id) do update set other = $3, found = $4, grade = $5, at = now()",
    )
    .bind(t.scan_id)
    .bind(job)
    .bind(t.other)
    .bind(&t.found)
    .bind(&t.grade)
    .execute(db)
    .await?;
    Ok(())
}

/// Whether anybody writes a journal in this job.
pub async fn is_written(db: &PgPool, job: Uuid) -> Result<bool> {
    Ok(sqlx::query_scalar("select exists (select from journal where job_id = $1)").bind(job).fetch_one(db).await?)
}

/// Jobs that somebody works in, and in which an instrument was checked.
pub async fn jobs_with_checks(db: &PgPool, user: Uuid) -> Result<Vec<Uuid>> {
    Ok(sqlx::query_scalar(
        "select distinct j.job_id from journal j join members m on m.job_id = j.job_id \
         where m.user_id = $1 and m.role <> 'client' and j.fact ->> 'kind' = 'instrument'",
    )
    .bind(user)
    .fetch_all(db)
    .await?)
}
