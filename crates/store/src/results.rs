//! Adjustments, control, georeferencing, packages: results with the fingerprint of their inputs.

use crate::{PgPool, Result, StoreError, changed, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Adjustment {
    pub id: Uuid,
    pub revision: i32,
    pub inputs: String,
    pub created_at: DateTime<Utc>,
    pub locked_by: Option<Uuid>,
    pub locked_at: Option<DateTime<Utc>>,
}

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct ControlRow {
    pub id: Uuid,
    pub name: String,
    /// Easting, metres; none for a point that is known in height only.
    pub e: Option<f64>,
    /// Northing, metres; none with the easting.
    pub n: Option<f64>,
    /// Height, metres; none for a point that is known in plan only.
    pub h: Option<f64>,
    /// Standard deviations of the three, metres.
    pub sigma_e: f64,
    pub sigma_n: f64,
    pub sigma_v: f64,
    /// Held back as a check.
    pub is_check: bool,
    /// Target it was paired with by hand; empty lets geometry and names decide.
    pub target: Option<String>,
    pub version: i32,
}

/// A control point to store; lengths in metres.
#[derive(Debug, Clone, serde::Deserialize, utoipa::ToSchema)]
pub struct NewControl {
    pub name: String,
    pub e: Option<f64>,
    pub n: Option<f64>,
    pub h: Option<f64>,
    pub sigma_e: f64,
    pub sigma_n: f64,
    pub sigma_v: f64,
    #[serde(default)]
    pub is_check: bool,
    pub target: Option<String>,
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Stored {
    pub inputs: String,
    pub result: Value,
}

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct Package {
    pub id: Uuid,
    pub revision: i32,
    #[serde(skip)]
    pub inputs: String,
    #[serde(skip)]
    pub key: String,
    pub bytes: i64,
    /// Of the archive, hex; empty where it was made before sums were kept.
    pub sha256: String,
    #[schema(value_type = Object)]
    pub manifest: Value,
    pub created_at: DateTime<Utc>,
    pub prepared_by: Option<String>,
    pub prepared_at: Option<DateTime<Utc>>,
    pub checked_by: Option<String>,
    pub checked_at: Option<DateTime<Utc>>,
}

pub async fn adjustment(db: &PgPool, job: Uuid) -> Result<Option<Adjustment>> {
    Ok(sqlx::query_as("select id, revision, inputs, created_at, locked_by, locked_at from adjustments where job_id = $1 order by revision desc limit 1")
        .bind(job)
        .fetch_optional(db)
        .await?)
}

/// What came out, without observations and ties, which are long: see [`network`]. Never changes.
pub async fn adjustment_result(db: &PgPool, id: Uuid) -> Result<Value> {
    Ok(sqlx::query_scalar("select result from adjustments where id = $1").bind(id).fetch_one(db).await?)
}

/// What was adjusted, observation by observation, with the ties.
pub async fn network(db: &PgPool, id: Uuid) -> Result<Value> {
    Ok(sqlx::query_scalar("select network from adjustments where id = $1").bind(id).fetch_one(db).await?)
}

/// Stores a new revision, unless the last one is locked.
pub async fn put_adjustment(db: &PgPool, job: Uuid, inputs: &str, network: &Value, result: &Value) -> Result<()> {
    let mut tx = db.begin().await?;
    sqlx::query("select 1 from jobs where id = $1 for update").bind(job).execute(&mut *tx).await?;
    let last: Option<(i32, Option<DateTime<Utc>>)> =
        sqlx::query_as("select revision, locked_at from adjustments where job_id = $1 order by revision desc limit 1")
            .bind(job)
            .fetch_optional(&mut *tx)
            .await?;
    if last.is_some_and(|l| l.1.is_some()) {
        return Err(StoreError::Conflict);
    }
    sqlx::query(
        "insert into adjustments (id, job_id, revision, inputs, network, result) values ($1, $2, $3, $4, $5, $6)",
    )
    .bind(new_id())
    .bind(job)
    .bind(last.map_or(1, |l| l.0 + 1))
    .bind(inputs)
    .bind(network)
    .bind(result)
    .execute(&mut *tx)
    .await?;
    tx.commit().await?;
    Ok(())
}

pub async fn lock(db: &PgPool, job: Uuid, id: Uuid, user: Option<Uuid>) -> Result<()> {
    changed(
        sqlx::query("update adjustments set locked_by = $3, locked_at = case when $3::uuid is null then null else now() end where job_id = $1 and id = $2")
            .bind(job)
            .bind(id)
            .bind(user)
            .execute(db)
            .await?
            .rows_affected(),
    )
}

pub async fn control(db: &PgPool, job: Uuid) -> Result<Vec<ControlRow>> {
    Ok(sqlx::query_as("select * from control_points where job_id = $1 order by name").bind(job).fetch_all(db).await?)
}

/// Replaces or adds control points, all together. Roles already given by name are kept.
pub async fn put_control(db: &PgPool, job: Uuid, points: &[NewControl], replace: bool) -> Result<()> {
    let mut tx = db.begin().await?;
    crate::in_turn(&mut tx, job).await?;
    if replace {
        let names: Vec<String> = points.iter().map(|p| p.name.to_lowercase()).collect();
        sqlx::query("delete from control_points where job_id = $1 and not lower(name) = any($2)")
            .bind(job)
            .bind(&names)
            .execute(&mut *tx)
            .await?;
    }
    for p in points {
        insert(
            &mut *tx,
            job,
            new_id(),
            p,
            "on conflict (job_id, lower(name)) do update set e = $4, n = $5, h = $6, sigma_e = $7, sigma_n = $8, sigma_v = $9, version = control_points.version + 1",
        )
        .await?;
    }
    tx.commit().await?;
    Ok(())
}

async fn insert(
    db: impl sqlx::PgExecutor<'_>,
    job: Uuid,
    id: Uuid,
    p: &NewControl,
    otherwise: &'static str,
) -> Result<u64> {
    let sql = format!(
        "insert into control_points (id, job_id, name, e, n, h, sigma_e, sigma_n, sigma_v, is_check, target) values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11) {otherwise}"
    );
    Ok(sqlx::query(sqlx::AssertSqlSafe(sql))
        .bind(id)
        .bind(job)
        .bind(&p.name)
        .bind(p.e)
        .bind(p.n)
        .bind(p.h)
        .bind(p.sigma_e)
        .bind(p.sigma_n)
        .bind(p.sigma_v)
        .bind(p.is_check)
        .bind(&p.target)
        .execute(db)
        .await?
        .rows_affected())
}

/// Adds one control point under an identifier of the caller's; a name that is there already is a conflict.
pub async fn add_control(db: &PgPool, job: Uuid, id: Uuid, p: &NewControl) -> Result<()> {
    changed(insert(db, job, id, p, "on conflict do nothing").await?)
}

/// Changes all of a control point.
pub async fn update_control(db: &PgPool, job: Uuid, id: Uuid, p: &NewControl, version: i32) -> Result<()> {
    let taken: bool = sqlx::query_scalar(
        "select exists (select 1 from control_points where job_id = $1 and lower(name) = lower($2) and id <> $3)",
    )
    .bind(job)
    .bind(&p.name)
    .bind(id)
    .fetch_one(db)
    .await?;
    if taken {
        return Err(StoreError::Conflict);
    }
    changed(
        sqlx::query("update control_points set name = $3, e = $4, n = $5, h = $6, sigma_e = $7, sigma_n = $8, sigma_v = $9, is_check = $10, target = $11, version = version + 1 where job_id = $1 and id = $2 and version = $12")
            .bind(job)
            .bind(id)
            .bind(&p.name)
            .bind(p.e)
            .bind(p.n)
            .bind(p.h)
            .bind(p.sigma_e)
            .bind(p.sigma_n)
            .bind(p.sigma_v)
            .bind(p.is_check)
            .bind(&p.target)
            .bind(version)
            .execute(db)
            .await?
            .rows_affected(),
    )
}

/// Removes a control point that nobody changed meanwhile.
pub async fn remove_control(db: &PgPool, job: Uuid, id: Uuid, version: i32) -> Result<()> {
    changed(
        sqlx::query("delete from control_points where job_id = $1 and id = $2 and version = $3")
            .bind(job)
            .bind(id)
            .bind(version)
            .execute(db)
            .await?
            .rows_affected(),
    )
}

/// Keys of findings that were kept as they are.
pub async fn kept_findings(db: &PgPool, job: Uuid) -> Result<Vec<String>> {
    Ok(sqlx::query_scalar("select key from kept_findings where job_id = $1").bind(job).fetch_all(db).await?)
}

/// Keeps a finding as it is.
pub async fn keep_finding(db: &PgPool, job: Uuid, key: &str, note: &str, user: Uuid) -> Result<()> {
    sqlx::query("insert into kept_findings (job_id, key, note, user_id) values ($1, $2, $3, $4) on conflict (job_id, key) do update set note = $3, user_id = $4, at = now()")
        .bind(job)
        .bind(key)
        .bind(note)
        .bind(user)
        .execute(db)
        .await?;
    Ok(())
}

/// Takes that back.
pub async fn reopen_finding(db: &PgPool, job: Uuid, key: &str) -> Result<()> {
    sqlx::query("delete from kept_findings where job_id = $1 and key = $2").bind(job).bind(key).execute(db).await?;
    Ok(())
}

pub async fn georef(db: &PgPool, job: Uuid) -> Result<Option<Stored>> {
    Ok(sqlx::query_as("select inputs, result from georefs where job_id = $1 order by created_at desc limit 1")
        .bind(job)
        .fetch_optional(db)
        .await?)
}

pub async fn put_georef(db: &PgPool, job: Uuid, inputs: &str, result: &Value) -> Result<()> {
    sqlx::query("insert into georefs (id, job_id, inputs, result) values ($1, $2, $3, $4)")
        .bind(new_id())
        .bind(job)
        .bind(inputs)
        .bind(result)
        .execute(db)
        .await?;
    Ok(())
}

pub async fn spacing(db: &PgPool, job: Uuid) -> Result<Option<Stored>> {
    Ok(sqlx::query_as("select inputs, result from spacings where job_id = $1").bind(job).fetch_optional(db).await?)
}

pub async fn put_spacing(db: &PgPool, job: Uuid, inputs: &str, result: &Value) -> Result<()> {
    sqlx::query("insert into spacings (job_id, inputs, result) values ($1, $2, $3) on conflict (job_id) do update set inputs = $2, result = $3")
        .bind(job)
        .bind(inputs)
        .bind(result)
        .execute(db)
        .await?;
    Ok(())
}

const PACKAGE: &str = "select p.id, p.revision, p.inputs, p.key, p.bytes, p.sha256, p.manifest, p.created_at, a.name as prepared_by, p.prepared_at, b.name as checked_by, p.checked_at \
     from packages p left join users a on a.id = p.prepared_by left join users b on b.id = p.checked_by";

pub async fn packages(db: &PgPool, job: Uuid) -> Result<Vec<Package>> {
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(format!("{PACKAGE} where p.job_id = $1 order by p.revision desc")))
        .bind(job)
        .fetch_all(db)
        .await?)
}

pub async fn package(db: &PgPool, job: Uuid, id: Uuid) -> Result<Package> {
    sqlx::query_as(sqlx::AssertSqlSafe(format!("{PACKAGE} where p.job_id = $1 and p.id = $2")))
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

pub async fn next_package_revision(db: &PgPool, job: Uuid) -> Result<i32> {
    Ok(sqlx::query_scalar("select coalesce(max(revision), 0) + 1 from packages where job_id = $1")
        .bind(job)
        .fetch_one(db)
        .await?)
}

pub async fn put_package(
    db: &PgPool,
    task: &crate::tasks::Task,
    revision: i32,
    inputs: &str,
    key: &str,
    (bytes, sha256): (i64, &str),
    manifest: &Value,
) -> Result<()> {
    let mut tx = db.begin().await?;
    // an attempt that fell silent was followed by another: what it made is not the package
    if !crate::tasks::holds(&mut tx, task).await? {
        return Err(StoreError::Conflict);
    }
    sqlx::query(
        "insert into packages (id, job_id, revision, inputs, key, bytes, manifest, sha256) values ($1, $2, $3, $4, $5, $6, $7, $8)",
    )
    .bind(task.id)
    .bind(task.job_id)
    .bind(revision)
    .bind(inputs)
    .bind(key)
    .bind(bytes)
    .bind(manifest)
    .bind(sha256)
    .execute(&mut *tx)
    .await?;
    tx.commit().await?;
    Ok(())
}

/// The identifiers of who has signed: prepared, checked.
pub async fn signers(db: &PgPool, job: Uuid, id: Uuid) -> Result<(Option<Uuid>, Option<Uuid>)> {
    sqlx::query_as("select prepared_by, checked_by from packages where job_id = $1 and id = $2")
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

/// Signs, if the place is still free; the schema itself refuses the same person twice.
/// With the second signature, what a client is shown from now on is kept in the same step.
pub async fn sign(db: &PgPool, job: Uuid, id: Uuid, user: Uuid, seen: Option<&Value>) -> Result<()> {
    let mut tx = db.begin().await?;
    let sql = if seen.is_some() {
        "update packages set checked_by = $3, checked_at = now() where job_id = $1 and id = $2 and checked_by is null and prepared_by is not null and prepared_by <> $3"
    } else {
        "update packages set prepared_by = $3, prepared_at = now() where job_id = $1 and id = $2 and prepared_by is null"
    };
    changed(sqlx::query(sql).bind(job).bind(id).bind(user).execute(&mut *tx).await?.rows_affected())?;
    if let Some(seen) = seen {
        sqlx::query("insert into package_seen (package_id, seen) values ($1, $2)")
            .bind(id)
            .bind(seen)
            .execute(&mut *tx)
            .await?;
    }
    tx.commit().await?;
    Ok(())
}

/// A part of what is shown of the newest package that was checked.
pub async fn seen(db: &PgPool, job: Uuid, part: &str) -> Result<Option<Value>> {
    Ok(sqlx::query_scalar(
        "select s.seen -> $2 from package_seen s join packages p on p.id = s.package_id \
         where p.job_id = $1 and p.checked_by is not null order by p.revision desc limit 1",
    )
    .bind(job)
    .bind(part)
    .fetch_optional(db)
    .await?)
}
