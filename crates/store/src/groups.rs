//! Scans that a registrar takes together.

use crate::{PgPool, Result, StoreError, changed, in_turn, new_id, unique};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct GroupRow {
    pub id: Uuid,
    pub name: String,
    pub scans: Vec<Uuid>,
    /// `free`, `held` or `apart`.
    pub hold: String,
    pub shape: Option<Value>,
    pub changed_at: DateTime<Utc>,
    pub version: i32,
}

/// What a group is to be.
#[derive(Debug)]
pub struct GroupSet<'a> {
    pub name: &'a str,
    pub scans: &'a [Uuid],
    pub hold: &'a str,
    pub shape: Option<&'a Value>,
}

pub async fn scan_groups(db: &PgPool, job: Uuid) -> Result<Vec<GroupRow>> {
    Ok(sqlx::query_as("select * from scan_groups where job_id = $1 order by name").bind(job).fetch_all(db).await?)
}

pub async fn scan_group(db: &PgPool, job: Uuid, id: Uuid) -> Result<GroupRow> {
    sqlx::query_as("select * from scan_groups where job_id = $1 and id = $2")
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

/// Keeps a new group, or changes the one that was seen in a version.
///
/// # Errors
/// `Duplicate` with the name of the group that has one of the scans already, or has the name.
pub async fn put_group(db: &PgPool, job: Uuid, seen: Option<(Uuid, i32)>, g: &GroupSet<'_>) -> Result<GroupRow> {
    let id = seen.map_or_else(new_id, |s| s.0);
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let other: Option<String> =
        sqlx::query_scalar("select name from scan_groups where job_id = $1 and id <> $2 and scans && $3 limit 1")
            .bind(job)
            .bind(id)
            .bind(g.scans)
            .fetch_optional(&mut *tx)
            .await?;
    if let Some(other) = other {
        return Err(StoreError::Taken(other));
    }
    let row = match seen {
        None => sqlx::query_as(
            "insert into scan_groups (id, job_id, name, scans, hold, shape) values ($1, $2, $3, $4, $5, $6) returning *",
        ),
        Some(_) => sqlx::query_as(
            "update scan_groups set name = $3, scans = $4, hold = $5, shape = $6, changed_at = now(), version = version + 1 \
             where id = $1 and job_id = $2 and version = $7 returning *",
        ),
    };
    let row = row.bind(id).bind(job).bind(g.name).bind(g.scans).bind(g.hold).bind(g.shape);
    let row = if let Some((_, version)) = seen { row.bind(version) } else { row };
    let row = row.fetch_optional(&mut *tx).await.map_err(unique(g.name))?.ok_or(StoreError::Conflict)?;
    tx.commit().await?;
    Ok(row)
}

pub async fn remove_group(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    let gone = sqlx::query("delete from scan_groups where job_id = $1 and id = $2 and version = $3")
        .bind(job)
        .bind(id)
        .bind(version)
        .execute(db)
        .await?;
    changed(gone.rows_affected())
}

/// A sum over what of the groups decides whether a result is out of date.
pub async fn group_state(db: &PgPool, job: Uuid) -> Result<String> {
    Ok(sqlx::query_scalar(
        "select coalesce(md5(string_agg(id::text || scans::text || hold || coalesce(shape::text, ''), ',' order by id)), '') \
         from scan_groups where job_id = $1 and hold <> 'free'",
    )
    .bind(job)
    .fetch_one(db)
    .await?)
}
