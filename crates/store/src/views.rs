//! Saved views of the cloud, and results kept because they are long to compute.

use crate::{PgPool, Result, changed, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct View {
    pub id: Uuid,
    pub name: String,
    /// Camera, colouring, clip box, measured points: what the page puts there.
    #[schema(value_type = Object)]
    pub data: Value,
    pub created_by: Option<String>,
    pub created_at: DateTime<Utc>,
}

pub async fn list(db: &PgPool, job: Uuid) -> Result<Vec<View>> {
    Ok(sqlx::query_as("select v.id, v.name, v.data, u.name as created_by, v.created_at from views v left join users u on u.id = v.created_by where v.job_id = $1 order by v.created_at")
        .bind(job)
        .fetch_all(db)
        .await?)
}

pub async fn add(db: &PgPool, job: Uuid, name: &str, data: &Value, user: Uuid) -> Result<()> {
    sqlx::query("insert into views (id, job_id, name, data, created_by) values ($1, $2, $3, $4, $5)")
        .bind(new_id())
        .bind(job)
        .bind(name)
        .bind(data)
        .bind(user)
        .execute(db)
        .await
        .map_err(crate::unique(name))?;
    Ok(())
}

pub async fn remove(db: &PgPool, job: Uuid, id: Uuid) -> Result<()> {
    let done = sqlx::query("delete from views where job_id = $1 and id = $2").bind(job).bind(id).execute(db).await?;
    changed(done.rows_affected())
}

/// A kept result that came from these inputs.
pub async fn computed(db: &PgPool, job: Uuid, kind: &str, inputs: &str) -> Result<Option<Value>> {
    Ok(sqlx::query_scalar("select result from computed where job_id = $1 and kind = $2 and inputs = $3")
        .bind(job)
        .bind(kind)
        .bind(inputs)
        .fetch_optional(db)
        .await?)
}

/// The same as JSON text, for handing on as it is.
pub async fn computed_text(db: &PgPool, job: Uuid, kind: &str, inputs: &str) -> Result<Option<String>> {
    Ok(sqlx::query_scalar("select result::text from computed where job_id = $1 and kind = $2 and inputs = $3")
        .bind(job)
        .bind(kind)
        .bind(inputs)
        .fetch_optional(db)
        .await?)
}

/// Keeps a result in place of the one before.
pub async fn keep(db: &PgPool, job: Uuid, kind: &str, inputs: &str, result: &Value) -> Result<()> {
    sqlx::query("insert into computed (job_id, kind, inputs, result) values ($1, $2, $3, $4) on conflict (job_id, kind) do update set inputs = $3, result = $4")
        .bind(job)
        .bind(kind)
        .bind(inputs)
        .bind(result)
        .execute(db)
        .await?;
    Ok(())
}
