//! What is to be built, and what was there of it each time somebody looked.

use crate::{PgPool, Result, StoreError, in_turn, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct DesignRow {
    pub id: Uuid,
    pub name: String,
    pub elements: Value,
    /// How far beside its place something may be, metres.
    pub tolerance: f64,
    pub version: i32,
    /// Name of who brought it.
    pub by: String,
    pub made_at: DateTime<Utc>,
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct LookRow {
    pub design_id: Uuid,
    /// What it was made from.
    pub inputs: String,
    pub states: Value,
    pub made_at: DateTime<Utc>,
}

/// Designs of one job at most.
const MOST: i64 = 20;

pub async fn designs(db: &PgPool, job: Uuid) -> Result<Vec<DesignRow>> {
    Ok(sqlx::query_as(
        "select d.id, d.name, d.elements, d.tolerance, d.version, u.name as by, d.made_at from designs d \
         join users u on u.id = d.author where d.job_id = $1 order by d.made_at, d.id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// All looks at the designs of a job, the eldest first.
pub async fn looks(db: &PgPool, job: Uuid) -> Result<Vec<LookRow>> {
    Ok(sqlx::query_as(
        "select l.design_id, l.inputs, l.states, l.made_at from design_looks l join designs d on d.id = l.design_id \
         where d.job_id = $1 order by l.made_at, l.id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Keeps a new one.
///
/// # Errors
/// `Full` when the job has too many.
pub async fn add_design(
    db: &PgPool,
    job: Uuid,
    author: Uuid,
    name: &str,
    elements: &Value,
    tolerance: f64,
) -> Result<()> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let there: i64 =
        sqlx::query_scalar("select count(*) from designs where job_id = $1").bind(job).fetch_one(&mut *tx).await?;
    if there >= MOST {
        return Err(StoreError::Full(there));
    }
    sqlx::query("insert into designs (id, job_id, name, elements, tolerance, author) values ($1, $2, $3, $4, $5, $6)")
        .bind(new_id())
        .bind(job)
        .bind(name)
        .bind(elements)
        .bind(tolerance)
        .bind(author)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(())
}

/// Keeps what was there as things stood; what was kept of the same things is followed by it.
pub async fn put_look(db: &PgPool, design: Uuid, author: Option<Uuid>, inputs: &str, states: &Value) -> Result<()> {
    sqlx::query(
        "insert into design_looks (id, design_id, inputs, states, author) values ($1, $2, $3, $4, $5) \
         on conflict (design_id, inputs) do update set states = excluded.states, made_at = now()",
    )
    .bind(new_id())
    .bind(design)
    .bind(inputs)
    .bind(states)
    .bind(author)
    .execute(db)
    .await?;
    Ok(())
}

/// Takes one out.
///
/// # Errors
/// `NotFound`; `Conflict` when somebody else changed it meanwhile.
pub async fn remove_design(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    let there: Option<i32> = sqlx::query_scalar("select version from designs where job_id = $1 and id = $2")
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?;
    match there {
        None => Err(StoreError::NotFound),
        Some(v) if v != version => Err(StoreError::Conflict),
        Some(_) => {
            sqlx::query("delete from designs where job_id = $1 and id = $2").bind(job).bind(id).execute(db).await?;
            Ok(())
        }
    }
}
