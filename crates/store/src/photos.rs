//! Photographs that colour the clouds, and what came of it.

use crate::{PgPool, Result, StoreError, in_turn, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

/// Files that belong to the colours of a scan.
pub const COLOURED: [&str; 2] = ["colours", "tiles"];
/// Photographs of one job at most.
const MOST: i64 = 400;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct PhotoRow {
    pub id: Uuid,
    pub name: String,
    pub width: i32,
    pub height: i32,
    pub picks: Value,
    pub masks: Value,
    /// It takes part.
    pub used: bool,
    pub version: i32,
    /// Name of who brought it.
    pub by: String,
    pub made_at: DateTime<Utc>,
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct ColoursRow {
    pub scan_id: Uuid,
    /// What they were made from.
    pub inputs: String,
    /// The classes that the tiles were made with; empty without.
    pub classes: String,
    /// Where their files are in the object store.
    pub key: String,
    pub tiles: Value,
    pub coloured: i64,
    pub unseen: i64,
}

/// Where the picture of a photograph is in the object store.
pub fn photo_key(job: Uuid, photo: Uuid) -> String {
    format!("jobs/{job}/photos/{photo}")
}

pub async fn photos(db: &PgPool, job: Uuid) -> Result<Vec<PhotoRow>> {
    Ok(sqlx::query_as(
        "select p.id, p.name, p.width, p.height, p.picks, p.masks, p.used, p.version, u.name as by, p.made_at from photos p \
         join users u on u.id = p.author where p.job_id = $1 order by p.made_at, p.id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Keeps a new one, whose picture is in the store.
///
/// # Errors
/// `Full` when the job has too many.
pub async fn add_photo(db: &PgPool, job: Uuid, author: Uuid, id: Uuid, name: &str, size: [i32; 2]) -> Result<()> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let there: i64 =
        sqlx::query_scalar("select count(*) from photos where job_id = $1").bind(job).fetch_one(&mut *tx).await?;
    if there >= MOST {
        return Err(StoreError::Full(there));
    }
    sqlx::query("insert into photos (id, job_id, name, width, height, author) values ($1, $2, $3, $4, $5, $6)")
        .bind(id)
        .bind(job)
        .bind(name)
        .bind(size[0])
        .bind(size[1])
        .bind(author)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(())
}

/// What was picked in it, its masks, and whether it takes part.
///
/// # Errors
/// `NotFound`, or `Conflict` when somebody else changed it meanwhile.
pub async fn change_photo(
    db: &PgPool,
    job: Uuid,
    id: Uuid,
    version: i32,
    (picks, masks, used): (&Value, &Value, bool),
) -> Result<()> {
    let done = sqlx::query(
        "update photos set picks = $4, masks = $5, used = $6, version = version + 1 where job_id = $1 and id = $2 and version = $3",
    )
    .bind(job)
    .bind(id)
    .bind(version)
    .bind(picks)
    .bind(masks)
    .bind(used)
    .execute(db)
    .await?;
    changed(db, job, id, done.rows_affected()).await
}

/// Takes one out; its picture is left to be swept.
///
/// # Errors
/// `NotFound`, or `Conflict` when somebody else changed it meanwhile.
pub async fn remove_photo(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    let done = sqlx::query("delete from photos where job_id = $1 and id = $2 and version = $3")
        .bind(job)
        .bind(id)
        .bind(version)
        .execute(db)
        .await?;
    changed(db, job, id, done.rows_affected()).await
}

async fn changed(db: &PgPool, job: Uuid, id: Uuid, rows: u64) -> Result<()> {
    if rows > 0 {
        return Ok(());
    }
    let there: bool = sqlx::query_scalar("select exists (select 1 from photos where job_id = $1 and id = $2)")
        .bind(job)
        .bind(id)
        .fetch_one(db)
        .await?;
    Err(if there { StoreError::Conflict } else { StoreError::NotFound })
}

pub async fn scan_colours(db: &PgPool, job: Uuid) -> Result<Vec<ColoursRow>> {
    Ok(sqlx::query_as(
        "select scan_id, inputs, classes, key, tiles, coloured, unseen from scan_colours where job_id = $1 order by scan_id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Keeps the colours of a scan in the place of those before.
pub async fn put_colours(db: &PgPool, job: Uuid, c: &ColoursRow) -> Result<()> {
    sqlx::query(
        "insert into scan_colours (scan_id, job_id, inputs, classes, key, tiles, coloured, unseen) \
         values ($1, $2, $3, $4, $5, $6, $7, $8) on conflict (scan_id) do update set inputs = excluded.inputs, \
         classes = excluded.classes, key = excluded.key, tiles = excluded.tiles, coloured = excluded.coloured, unseen = excluded.unseen",
    )
    .bind(c.scan_id)
    .bind(job)
    .bind(&c.inputs)
    .bind(&c.classes)
    .bind(&c.key)
    .bind(&c.tiles)
    .bind(c.coloured)
    .bind(c.unseen)
    .execute(db)
    .await?;
    Ok(())
}

/// The scans of a job have the colours again that they came with.
pub async fn drop_colours(db: &PgPool, job: Uuid) -> Result<u64> {
    Ok(sqlx::query("delete from scan_colours where job_id = $1").bind(job).execute(db).await?.rows_affected())
}

/// A new name for a photograph.
pub fn new_photo() -> Uuid {
    new_id()
}
