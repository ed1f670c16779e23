//! Ties by clouds: what two scans show of the same surfaces, and what was decided about it.

use crate::{PgPool, Result, changed, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct CloudTieRow {
    pub id: Uuid,
    pub scan_a: Uuid,
    pub scan_b: Uuid,
    pub search: String,
    pub found: Option<Value>,
    pub grade: String,
    pub decision: String,
    pub reason: String,
    pub decided_by: Option<String>,
    pub decided_at: Option<DateTime<Utc>>,
    pub laid_by: Option<String>,
    pub version: i32,
    /// Where the search began, when it did not look everywhere.
    pub start: Option<Value>,
}

/// What a search made of two scans.
#[derive(Debug)]
pub struct NewCloudTie<'a> {
    pub scans: (Uuid, Uuid),
    pub search: &'a str,
    pub found: Option<&'a Value>,
    pub grade: &'a str,
    /// Where the search began, when it did not look everywhere.
    pub start: Option<&'a Value>,
}

/// What a person decided about a tie.
#[derive(Debug)]
pub struct TieDecision<'a> {
    pub id: Uuid,
    /// As it was seen.
    pub version: i32,
    /// `accepted`, `rejected`, or empty to leave it to its grade.
    pub decision: &'a str,
    pub reason: &'a str,
}

pub async fn cloud_ties(db: &PgPool, job: Uuid) -> Result<Vec<CloudTieRow>> {
    Ok(sqlx::query_as(
        "select t.id, scan_a, scan_b, search, found, grade, decision, reason, u.name as decided_by, decided_at, \
         l.name as laid_by, version, start from cloud_ties t left join users u on u.id = t.decided_by \
         left join users l on l.id = t.laid_by where job_id = $1 order by t.id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Keeps what a search found. What was decided about an earlier find of another search does not hold for it.
pub async fn put_cloud_tie(db: &PgPool, job: Uuid, t: &NewCloudTie<'_>) -> Result<()> {
    sqlx::query(
        "insert into cloud_ties (id, job_id, scan_a, scan_b, search, found, grade, start) \
         values ($1, $2, $3, $4, $5, $6, $7, $8) \
         on conflict (scan_a, scan_b) do update set search = $5, found = $6, grade = $7, start = $8, version = cloud_ties.version + 1, \
         decision = case when cloud_ties.search = $5 then cloud_ties.decision else '' end, \
         laid_by = null, laid_at = null, before = null",
    )
    .bind(new_id())
    .bind(job)
    .bind(t.scans.0)
    .bind(t.scans.1)
    .bind(t.search)
    .bind(t.found)
    .bind(t.grade)
    .bind(t.start)
    .execute(db)
    .await?;
    Ok(())
}

/// Keeps a tie that somebody laid by hand, and beside it what the row was.
pub async fn lay_cloud_tie(db: &PgPool, job: Uuid, user: Uuid, t: &NewCloudTie<'_>, reason: &str) -> Result<Uuid> {
    Ok(sqlx::query_scalar(
        "insert into cloud_ties (id, job_id, scan_a, scan_b, search, found, grade, reason, laid_by, laid_at) \
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9, now()) \
         on conflict (scan_a, scan_b) do update set search = $5, found = $6, grade = $7, reason = $8, laid_by = $9, \
         laid_at = now(), decision = '', decided_by = null, version = cloud_ties.version + 1, \
         before = coalesce(cloud_ties.before, jsonb_build_object('search', cloud_ties.search, 'found', cloud_ties.found, \
         'grade', cloud_ties.grade, 'decision', cloud_ties.decision, 'reason', cloud_ties.reason)) returning id",
    )
    .bind(new_id())
    .bind(job)
    .bind(t.scans.0)
    .bind(t.scans.1)
    .bind(t.search)
    .bind(t.found)
    .bind(t.grade)
    .bind(reason)
    .bind(user)
    .fetch_one(db)
    .await?)
}

/// Takes back what was laid by hand: the row is what it was before, or gone.
pub async fn lift_cloud_tie(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    let mut tx = db.begin().await?;
    let restored = sqlx::query(
        "update cloud_ties set search = before->>'search', found = nullif(before->'found', 'null'), grade = before->>'grade', \
         decision = before->>'decision', reason = before->>'reason', laid_by = null, laid_at = null, before = null, \
         version = version + 1 where job_id = $1 and id = $2 and version = $3 and before is not null",
    )
    .bind(job)
    .bind(id)
    .bind(version)
    .execute(&mut *tx)
    .await?;
    if restored.rows_affected() == 0 {
        let gone = sqlx::query(
            "delete from cloud_ties where job_id = $1 and id = $2 and version = $3 and laid_by is not null",
        )
        .bind(job)
        .bind(id)
        .bind(version)
        .execute(&mut *tx)
        .await?;
        changed(gone.rows_affected())?;
    }
    tx.commit().await?;
    Ok(())
}

/// Accepts, rejects, or leaves ties to their grade: all of them or none.
pub async fn decide_ties(db: &PgPool, job: Uuid, user: Uuid, list: &[TieDecision<'_>]) -> Result<()> {
    let mut tx = db.begin().await?;
    crate::in_turn(&mut tx, job).await?;
    for d in list {
        let done = sqlx::query(
            "update cloud_ties set decision = $4, reason = $5, decided_by = $6, decided_at = now(), version = version + 1 \
             where job_id = $1 and id = $2 and version = $3",
        )
        .bind(job)
        .bind(d.id)
        .bind(d.version)
        .bind(d.decision)
        .bind(d.reason)
        .bind(user)
        .execute(&mut *tx)
        .await?;
        changed(done.rows_affected())?;
    }
    tx.commit().await?;
    Ok(())
}

/// A sum over what of the ties decides whether a result is out of date.
pub async fn cloud_tie_state(db: &PgPool, job: Uuid) -> Result<String> {
    Ok(sqlx::query_scalar(
        "select coalesce(md5(string_agg(id::text || search || grade || decision || coalesce(laid_at::text, ''), ',' order by id)), '') from cloud_ties where job_id = $1 and found is not null",
    )
    .bind(job)
    .fetch_one(db)
    .await?)
}
