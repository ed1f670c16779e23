//! What reports of a job are headed with.

use crate::{PgPool, Result, StoreError};
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Letterhead {
    /// Name and address of the office, line by line.
    pub lines: String,
    /// `#rrggbb`.
    pub colour: String,
    /// A PNG or JPEG.
    pub logo: Option<Vec<u8>>,
    pub version: i32,
}

pub async fn get(db: &PgPool, job: Uuid) -> Result<Option<Letterhead>> {
    Ok(sqlx::query_as("select lines, colour, logo, version from letterheads where job_id = $1")
        .bind(job)
        .fetch_optional(db)
        .await?)
}

/// Keeps one; `of.version` is the one that was seen, 0 for none.
pub async fn put(db: &PgPool, job: Uuid, of: &Letterhead) -> Result<Letterhead> {
    let sql = if of.version == 0 {
        "insert into letterheads (job_id, lines, colour, logo) values ($1, $2, $3, $4) on conflict do nothing returning lines, colour, logo, version"
    } else {
        "update letterheads set lines = $2, colour = $3, logo = $4, version = version + 1 where job_id = $1 and version = $5 returning lines, colour, logo, version"
    };
    let query = sqlx::query_as(sql).bind(job).bind(&of.lines).bind(&of.colour).bind(&of.logo);
    let query = if of.version == 0 { query } else { query.bind(of.version) };
    query.fetch_optional(db).await?.ok_or(StoreError::Conflict)
}
