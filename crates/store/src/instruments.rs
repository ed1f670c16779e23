//! Instrument profiles that a person keeps.

use crate::{PgPool, Result, StoreError, changed, new_id, unique};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Instrument {
    pub id: Uuid,
    pub name: String,
    pub profile: Value,
    pub version: i32,
}

pub async fn list(db: &PgPool, user: Uuid) -> Result<Vec<Instrument>> {
    Ok(sqlx::query_as("select id, name, profile, version from instruments where user_id = $1 order by lower(name)")
        .bind(user)
        .fetch_all(db)
        .await?)
}

/// Keeps a new profile.
pub async fn add(db: &PgPool, user: Uuid, name: &str, profile: &Value) -> Result<()> {
    sqlx::query("insert into instruments (id, user_id, name, profile) values ($1, $2, $3, $4)")
        .bind(new_id())
        .bind(user)
        .bind(name)
        .bind(profile)
        .execute(db)
        .await
        .map_err(unique(name))?;
    Ok(())
}

/// Changes a profile that is still as it was read.
pub async fn update(db: &PgPool, user: Uuid, id: Uuid, version: i32, name: &str, profile: &Value) -> Result<()> {
    let done = sqlx::query(
        "update instruments set name = $4, profile = $5, version = version + 1 where id = $1 and user_id = $2 and version = $3",
    )
    .bind(id)
    .bind(user)
    .bind(version)
    .bind(name)
    .bind(profile)
    .execute(db)
    .await
    .map_err(unique(name))?;
    changed(done.rows_affected())
}

pub async fn remove(db: &PgPool, user: Uuid, id: Uuid) -> Result<()> {
    let done =
        sqlx::query("delete from instruments where id = $1 and user_id = $2").bind(id).bind(user).execute(db).await?;
    if done.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
}
