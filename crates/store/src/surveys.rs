//! Independent surveys, which the clouds are set against.

use crate::{PgPool, Result, StoreError, in_turn, missed, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct SurveyRow {
    pub id: Uuid,
    pub name: String,
    pub points: Value,
    pub limits: Value,
    pub version: i32,
    /// Name of who brought it.
    pub by: String,
    pub made_at: DateTime<Utc>,
    /// What the result was made from.
    pub inputs: Option<String>,
    pub result: Option<Value>,
}

/// Surveys of one job at most.
const MOST: i64 = 50;

pub async fn surveys(db: &PgPool, job: Uuid) -> Result<Vec<SurveyRow>> {
    Ok(sqlx::query_as(
        "select s.id, s.name, s.points, s.limits, s.version, u.name as by, s.made_at, s.inputs, s.result from surveys s \
         join users u on u.id = s.author where s.job_id = $1 order by s.made_at, s.id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// Keeps a new one.
///
/// # Errors
/// `Full` when the job has too many.
pub async fn add_survey(
    db: &PgPool,
    job: Uuid,
    author: Uuid,
    name: &str,
    points: &Value,
    limits: &Value,
) -> Result<Uuid> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let there: i64 =
        sqlx::query_scalar("select count(*) from surveys where job_id = $1").bind(job).fetch_one(&mut *tx).await?;
    if there >= MOST {
        return Err(StoreError::Full(there));
    }
    let id = new_id();
    sqlx::query("insert into surveys (id, job_id, name, points, limits, author) values ($1, $2, $3, $4, $5, $6)")
        .bind(id)
        .bind(job)
        .bind(name)
        .bind(points)
        .bind(limits)
        .bind(author)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(id)
}

/// Other limits for the uses.
///
/// # Errors
/// `NotFound`, or `Conflict` when somebody else changed it meanwhile.
pub async fn limit_survey(db: &PgPool, job: Uuid, id: Uuid, version: i32, limits: &Value) -> Result<()> {
    let done = sqlx::query(
        "update surveys set limits = $4, version = version + 1 where job_id = $1 and id = $2 and version = $3",
    )
    .bind(job)
    .bind(id)
    .bind(version)
    .bind(limits)
    .execute(db)
    .await?;
    missed(db, "surveys", job, id, done.rows_affected()).await
}

/// Takes one out.
///
/// # Errors
/// `NotFound`, or `Conflict` when somebody else changed it meanwhile.
pub async fn remove_survey(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    let done = sqlx::query("delete from surveys where job_id = $1 and id = $2 and version = $3")
        .bind(job)
        .bind(id)
        .bind(version)
        .execute(db)
        .await?;
    missed(db, "surveys", job, id, done.rows_affected()).await
}

/// Keeps what came of one.
pub async fn put_survey_result(db: &PgPool, job: Uuid, id: Uuid, inputs: &str, result: &Value) -> Result<()> {
    sqlx::query("update surveys set inputs = $3, result = $4 where job_id = $1 and id = $2")
        .bind(job)
        .bind(id)
        .bind(inputs)
        .bind(result)
        .execute(db)
        .await?;
    Ok(())
}
