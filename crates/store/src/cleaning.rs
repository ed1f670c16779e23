//! What is taken out of the clouds: what was asked for, and what came of it.

use crate::{PgPool, Result, StoreError, in_turn, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

/// Files that belong to the classes of a scan.
pub const CLASSED: [&str; 2] = ["classes", "tiles"];
/// Steps of one job at most.
const MOST: i64 = 200;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct CleaningRow {
    pub id: Uuid,
    pub what: String,
    pub options: Value,
    pub active: bool,
    pub version: i32,
    /// Name of who asked for it.
    pub by: String,
    pub made_at: DateTime<Utc>,
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct ClassesRow {
    pub scan_id: Uuid,
    /// What they were made from.
    pub inputs: String,
    /// Where their files are in the object store.
    pub key: String,
    pub tiles: Value,
    /// Points of each class.
    pub counts: Value,
}

/// In the order asked for.
pub async fn cleanings(db: &PgPool, job: Uuid) -> Result<Vec<CleaningRow>> {
    Ok(sqlx::query_as(
        "select c.id, c.what, c.options, c.active, c.version, u.name as by, c.made_at from cleanings c \
         join users u on u.id = c.author where c.job_id = $1 order by c.sequence",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Adds a step.
///
/// # Errors
/// `Full` when the job has too many.
pub async fn add_cleaning(db: &PgPool, job: Uuid, author: Uuid, what: &str, options: &Value) -> Result<Uuid> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let there: i64 =
        sqlx::query_scalar("select count(*) from cleanings where job_id = $1").bind(job).fetch_one(&mut *tx).await?;
    if there >= MOST {
        return Err(StoreError::Full(there));
    }
    let id = new_id();
    sqlx::query("insert into cleanings (id, job_id, what, options, author) values ($1, $2, $3, $4, $5)")
        .bind(id)
        .bind(job)
        .bind(what)
        .bind(options)
        .bind(author)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(id)
}

/// Turns a step off or on again; what it was before.
///
/// # Errors
/// `NotFound`, or `Conflict` when somebody else did meanwhile.
pub async fn turn_cleaning(db: &PgPool, job: Uuid, id: Uuid, version: i32, active: bool) -> Result<String> {
    let what: Option<String> = sqlx::query_scalar(
        "update cleanings set active = $4, version = version + 1 where job_id = $1 and id = $2 and version = $3 returning what",
    )
    .bind(job)
    .bind(id)
    .bind(version)
    .bind(active)
    .fetch_optional(db)
    .await?;
    if let Some(what) = what {
        return Ok(what);
    }
    let there: bool = sqlx::query_scalar("select exists (select 1 from cleanings where job_id = $1 and id = $2)")
        .bind(job)
        .bind(id)
        .fetch_one(db)
        .await?;
    Err(if there { StoreError::Conflict } else { StoreError::NotFound })
}

pub async fn scan_classes(db: &PgPool, job: Uuid) -> Result<Vec<ClassesRow>> {
    Ok(sqlx::query_as(
        "select scan_id, inputs, key, tiles, counts from scan_classes where job_id = $1 order by scan_id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Keeps the classes of a scan in the place of those before.
pub async fn put_classes(db: &PgPool, job: Uuid, c: &ClassesRow) -> Result<()> {
    sqlx::query(
        "insert into scan_classes (scan_id, job_id, inputs, key, tiles, counts) values ($1, $2, $3, $4, $5, $6) \
         on conflict (scan_id) do update set inputs = excluded.inputs, key = excluded.key, tiles = excluded.tiles, counts = excluded.counts",
    )
    .bind(c.scan_id)
    .bind(job)
    .bind(&c.inputs)
    .bind(&c.key)
    .bind(&c.tiles)
    .bind(&c.counts)
    .execute(db)
    .await?;
    Ok(())
}

/// A scan has no classes any more.
pub async fn drop_classes(db: &PgPool, job: Uuid, scan: Uuid) -> Result<()> {
    sqlx::query("delete from scan_classes where job_id = $1 and scan_id = $2").bind(job).bind(scan).execute(db).await?;
    Ok(())
}
