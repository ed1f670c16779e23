//! Passes: walks of a mobile unit.

use crate::{PgPool, Result, StoreError, in_turn, missed, new_id, tasks};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct PassRow {
    pub id: Uuid,
    pub name: String,
    pub unit: String,
    pub cloud_id: Option<Uuid>,
    pub path_id: Option<Uuid>,
    /// Names of the files, once they are announced.
    pub cloud_file: Option<String>,
    pub path_file: Option<String>,
    /// Where what was read lies in the object store.
    pub key: Option<String>,
    pub facts: Option<Value>,
    pub marks: Value,
    pub simulated: bool,
    /// Laid down as one piece, its path uncorrected.
    pub whole: bool,
    /// Plans, ground and solids are drawn from it too.
    pub drawn: bool,
    pub version: i32,
    pub by: Option<String>,
    pub made_at: DateTime<Utc>,
    /// What the cloud that is looked at was made from, where it lies, and its tiles.
    pub made_from: Option<String>,
    pub made_key: Option<String>,
    pub tiles: Option<Value>,
}

/// Which file of a pass.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub enum Part {
    Cloud,
    Path,
}

/// Passes of one job at most.
const MOST: i64 = 100;

const ROWS: &str = "select p.id, p.name, p.unit, p.cloud_id, p.path_id, c.file_name as cloud_file, t.file_name as path_file, p.key, p.facts, \
     p.marks, p.simulated, p.whole, p.drawn, p.version, u.name as by, p.made_at, m.inputs as made_from, m.key as made_key, m.tiles \
     from passes p left join users u on u.id = p.author left join uploads c on c.id = p.cloud_id left join uploads t on t.id = p.path_id \
     left join pass_clouds m on m.pass_id = p.id";

/// In the order they were begun.
pub async fn passes(db: &PgPool, job: Uuid) -> Result<Vec<PassRow>> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{ROWS} where p.job_id = $1 order by p.made_at, p.id")))
        .bind(job)
        .fetch_all(db)
        .await?)
}

pub async fn pass(db: &PgPool, job: Uuid, id: Uuid) -> Result<PassRow> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{ROWS} where p.job_id = $1 and p.id = $2")))
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

/// What is said of a pass.
#[derive(Clone, Copy, Debug)]
pub struct SaidOfPass<'a> {
    pub name: &'a str,
    /// Name of a profile.
    pub unit: &'a str,
    /// Points that it stood on or that show in it.
    pub marks: &'a Value,
    /// Laid down as one piece.
    pub whole: bool,
    /// Drawn from.
    pub drawn: bool,
}

/// Begins one; its files come afterwards.
///
/// # Errors
/// `Full` when the job has too many, `Duplicate` when the name is taken.
pub async fn add_pass(
    db: &PgPool,
    job: Uuid,
    author: Option<Uuid>,
    said: SaidOfPass<'_>,
    simulated: bool,
) -> Result<Uuid> {
    let mut tx = db.begin().await?;
    in_turn(&mut tx, job).await?;
    let there: i64 =
        sqlx::query_scalar("select count(*) from passes where job_id = $1").bind(job).fetch_one(&mut *tx).await?;
    if there >= MOST {
        return Err(StoreError::Full(there));
    }
    let id = new_id();
    sqlx::query(
        "insert into passes (id, job_id, name, unit, marks, whole, drawn, author, simulated) \
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9)",
    )
    .bind(id)
    .bind(job)
    .bind(said.name)
    .bind(said.unit)
    .bind(said.marks)
    .bind(said.whole)
    .bind(said.drawn)
    .bind(author)
    .bind(simulated)
    .execute(&mut *tx)
    .await
    .map_err(crate::unique(said.name))?;
    tx.commit().await?;
    Ok(id)
}

/// Changes what is said of one.
///
/// # Errors
/// `NotFound`, `Duplicate`, or `Conflict` when somebody else changed it meanwhile.
pub async fn change_pass(db: &PgPool, job: Uuid, id: Uuid, version: i32, said: SaidOfPass<'_>) -> Result<()> {
    let done = sqlx::query(
        "update passes set name = $4, unit = $5, marks = $6, whole = $7, drawn = $8, version = version + 1 where job_id = $1 and id = $2 and version = $3",
    )
    .bind(job)
    .bind(id)
    .bind(version)
    .bind(said.name)
    .bind(said.unit)
    .bind(said.marks)
    .bind(said.whole)
    .bind(said.drawn)
    .execute(db)
    .await
    .map_err(crate::unique(said.name))?;
    missed(db, "passes", job, id, done.rows_affected()).await
}

/// Takes one out; its files stay until they are removed.
///
/// # Errors
/// `NotFound`, or `Conflict` when somebody else changed it meanwhile.
pub async fn remove_pass(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    let done = sqlx::query("delete from passes where job_id = $1 and id = $2 and version = $3")
        .bind(job)
        .bind(id)
        .bind(version)
        .execute(db)
        .await?;
    missed(db, "passes", job, id, done.rows_affected()).await
}

/// A file is that of a pass; what was read of the one before does not count any more.
pub async fn file_of_pass(db: &PgPool, job: Uuid, id: Uuid, part: Part, upload: Uuid) -> Result<()> {
    let column = match part {
        Part::Cloud => "cloud_id",
        Part::Path => "path_id",
    };
    let done = sqlx::query(sqlx::AssertSqlSafe(format!(
        "update passes set {column} = $3, key = null, facts = null, version = version + 1 where job_id = $1 and id = $2"
    )))
    .bind(job)
    .bind(id)
    .bind(upload)
    .execute(db)
    .await?;
    if done.rows_affected() == 0 { Err(StoreError::NotFound) } else { Ok(()) }
}

/// Keeps what was read of the files, while the task still holds.
///
/// # Errors
/// `Conflict` when the task does not, or the files are others by now.
pub async fn put_read(
    db: &PgPool,
    task: &tasks::Task,
    (id, cloud, path): (Uuid, Uuid, Uuid),
    key: &str,
    facts: &Value,
) -> Result<()> {
    let mut tx = db.begin().await?;
    if !tasks::holds(&mut tx, task).await? {
        return Err(StoreError::Conflict);
    }
    let done = sqlx::query("update passes set key = $4, facts = $5 where id = $1 and cloud_id = $2 and path_id = $3")
        .bind(id)
        .bind(cloud)
        .bind(path)
        .bind(key)
        .bind(facts)
        .execute(&mut *tx)
        .await?;
    crate::changed(done.rows_affected())?;
    tx.commit().await?;
    Ok(())
}

/// Keeps the cloud of a pass where its path was corrected to.
pub async fn put_pass_cloud(db: &PgPool, job: Uuid, id: Uuid, inputs: &str, key: &str, tiles: &Value) -> Result<()> {
    sqlx::query(
        "insert into pass_clouds (pass_id, job_id, inputs, key, tiles) values ($1, $2, $3, $4, $5) \
         on conflict (pass_id) do update set inputs = $3, key = $4, tiles = $5",
    )
    .bind(id)
    .bind(job)
    .bind(inputs)
    .bind(key)
    .bind(tiles)
    .execute(db)
    .await?;
    Ok(())
}
