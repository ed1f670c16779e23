//! Scans set against one another, and what somebody put their name to.

use crate::{PgPool, Result, StoreError, in_turn, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct ComparisonRow {
    pub id: Uuid,
    pub scan_a: Uuid,
    pub scan_b: Uuid,
    /// What it was made from.
    pub inputs: String,
    pub result: Value,
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct TickRow {
    pub id: Uuid,
    /// Where, and what kind of thing.
    pub place: Value,
    pub note: String,
    /// Name of who did.
    pub by: String,
    pub made_at: DateTime<Utc>,
}

/// Ticks of one job at most.
const MOST: i64 = 5000;

/// All pairs of a job, without their places.
pub async fn comparisons(db: &PgPool, job: Uuid) -> Result<Vec<ComparisonRow>> {
    Ok(sqlx::query_as("select id, scan_a, scan_b, inputs, result from comparisons where job_id = $1 order by id")
        .bind(job)
        .fetch_all(db)
        .await?)
}

/// One pair with its places.
///
/// # Errors
/// `NotFound`.
pub async fn comparison(db: &PgPool, job: Uuid, id: Uuid) -> Result<(ComparisonRow, Value)> {
    let row: Option<(Uuid, Uuid, String, Value, Value)> =
        sqlx::query_as("select scan_a, scan_b, inputs, result, places from comparisons where job_id = $1 and id = $2")
            .bind(job)
            .bind(id)
            .fetch_optional(db)
            .await?;
    let (scan_a, scan_b, inputs, result, places) = row.ok_or(StoreError::NotFound)?;
    Ok((ComparisonRow { id, scan_a, scan_b, inputs, result }, places))
}

/// Keeps what came of a pair in the place of what was there.
pub async fn put_comparison(
    db: &PgPool,
    job: Uuid,
    scans: (Uuid, Uuid),
    inputs: &str,
    result: &Value,
    places: &Value,
) -> Result<()> {
    sqlx::query(
        "insert into comparisons (id, job_id, scan_a, scan_b, inputs, result, places) values ($1, $2, $3, $4, $5, $6, $7) \
         on conflict (scan_a, scan_b) do update set inputs = excluded.inputs, result = excluded.result, places = excluded.places",
    )
    .bind(new_id())
    .bind(job)
    .bind(scans.0)
    .bind(scans.1)
    .bind(inputs)
    .bind(result)
    .bind(places)
    .execute(db)
    .await?;
    Ok(())
}

/// Drops pairs that are not compared any more.
pub async fn drop_comparisons(db: &PgPool, job: Uuid, ids: &[Uuid]) -> Result<()> {
    sqlx::query("delete from comparisons where job_id = $1 and id = any($2)").bind(job).bind(ids).execute(db).await?;
    Ok(())
}

pub async fn ticks(db: &PgPool, job: Uuid, what: &str) -> Result<Vec<TickRow>> {
    Ok(sqlx::query_as(
        "select t.id, t.place, t.note, u.name as by, t.made_at from ticks t join users u on u.id = t.author \
         where t.job_id = $1 and t.what = $2 order by t.made_at",
    )
    .bind(job)
    .bind(what)
    .fetch_all(db)
    .await?)
}

/// Puts a name to something; `instead` are the ticks of the same thing, which this one follows. Without a place it is taken
/// back.
///
/// # Errors
/// `Full` when the job has too many.
pub async fn tick(
    db: &PgPool,
    job: Uuid,
    author: Uuid,
    what: &str,
    instead: &[Uuid],
    made: Option<(&Value, &str)>,
) -> Result<()> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    sqlx::query("delete from ticks where job_id = $1 and id = any($2)")
        .bind(job)
        .bind(instead)
        .execute(&mut *tx)
        .await?;
    if let Some((place, note)) = made {
        let there: i64 =
            sqlx::query_scalar("select count(*) from ticks where job_id = $1").bind(job).fetch_one(&mut *tx).await?;
        if there >= MOST {
            return Err(StoreError::Full(there));
        }
        sqlx::query("insert into ticks (id, job_id, what, place, note, author) values ($1, $2, $3, $4, $5, $6)")
            .bind(new_id())
            .bind(job)
            .bind(what)
            .bind(place)
            .bind(note)
            .bind(author)
            .execute(&mut *tx)
            .await?;
    }
    tx.commit().await?;
    Ok(())
}
