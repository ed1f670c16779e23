//! Surfaces that somebody else made: what is said of them, and where their triangles are kept.

use crate::{PgPool, Result, StoreError, in_turn, missed, unique};
use chrono::{DateTime, Utc};
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct SurfaceRow {
    pub id: Uuid,
    pub name: String,
    /// 95 % of its heights, metres.
    pub error95: f64,
    pub key: String,
    pub corners: i32,
    pub triangles: i32,
    pub version: i32,
    /// Name of who brought it.
    pub by: String,
    pub made_at: DateTime<Utc>,
}

/// Surfaces of one job at most.
const MOST: i64 = 12;

pub async fn surfaces(db: &PgPool, job: Uuid) -> Result<Vec<SurfaceRow>> {
    Ok(sqlx::query_as(
        "select s.id, s.name, s.error95, s.key, s.corners, s.triangles, s.version, u.name as by, s.made_at \
         from surfaces s join users u on u.id = s.author where s.job_id = $1 order by s.made_at, s.id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// A surface that is new: its id, name, 95 %, where it is kept, corners and triangles.
#[derive(Debug, Clone)]
pub struct NewSurface {
    pub id: Uuid,
    pub name: String,
    pub error95: f64,
    pub key: String,
    pub corners: usize,
    pub triangles: usize,
}

/// Keeps new ones, all or none.
///
/// # Errors
/// `Full` when the job has too many; `Duplicate` when a name is taken.
pub async fn add_surfaces(db: &PgPool, job: Uuid, author: Uuid, new: &[NewSurface]) -> Result<()> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let there: i64 =
        sqlx::query_scalar("select count(*) from surfaces where job_id = $1").bind(job).fetch_one(&mut *tx).await?;
    if there + new.len() as i64 > MOST {
        return Err(StoreError::Full(there));
    }
    for s in new {
        sqlx::query(
            "insert into surfaces (id, job_id, name, error95, key, corners, triangles, author) \
             values ($1, $2, $3, $4, $5, $6, $7, $8)",
        )
        .bind(s.id)
        .bind(job)
        .bind(&s.name)
        .bind(s.error95)
        .bind(&s.key)
        .bind(s.corners as i32)
        .bind(s.triangles as i32)
        .bind(author)
        .execute(&mut *tx)
        .await
        .map_err(unique(&s.name))?;
    }
    tx.commit().await?;
    Ok(())
}

/// Changes what is said of one.
///
/// # Errors
/// `NotFound`, `Duplicate`, or `Conflict` when somebody else changed it meanwhile.
pub async fn change_surface(
    db: &PgPool,
    job: Uuid,
    id: Uuid,
    version: i32,
    (name, error95): (&str, f64),
) -> Result<()> {
    let done = sqlx::query(
        "update surfaces set name = $4, error95 = $5, version = version + 1 \
         where job_id = $1 and id = $2 and version = $3",
    )
    .bind(job)
    .bind(id)
    .bind(version)
    .bind(name)
    .bind(error95)
    .execute(db)
    .await
    .map_err(unique(name))?;
    missed(db, "surfaces", job, id, done.rows_affected()).await
}

/// Takes one out; its triangles stay until they are removed.
///
/// # Errors
/// `NotFound`, or `Conflict` when somebody else changed it meanwhile.
pub async fn remove_surface(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    let done = sqlx::query("delete from surfaces where job_id = $1 and id = $2 and version = $3")
        .bind(job)
        .bind(id)
        .bind(version)
        .execute(db)
        .await?;
    missed(db, "surfaces", job, id, done.rows_affected()).await
}
