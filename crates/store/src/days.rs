//! What days on site are planned from.

use crate::{PgPool, Result, StoreError};
use serde_json::Value;
use uuid::Uuid;

/// The settings of a job's days and their version; none when nobody planned any.
pub async fn get(db: &PgPool, job: Uuid) -> Result<Option<(Value, i32)>> {
    Ok(sqlx::query_as("select settings, version from days where job_id = $1").bind(job).fetch_optional(db).await?)
}

/// Keeps settings; `seen` is the version that was seen, 0 for none. The new version.
pub async fn put(db: &PgPool, job: Uuid, settings: &Value, seen: i32, author: Uuid) -> Result<i32> {
    let sql = if seen == 0 {
        "insert into days (job_id, settings, author) values ($1, $2, $3) on conflict do nothing returning version"
    } else {
        "update days set settings = $2, author = $3, changed_at = now(), version = version + 1 where job_id = $1 and version = $4 returning version"
    };
    let query = sqlx::query_scalar(sql).bind(job).bind(settings).bind(author);
    let query = if seen == 0 { query } else { query.bind(seen) };
    query.fetch_optional(db).await?.ok_or(StoreError::Conflict)
}
