//! Scans and what was detected in them.

use crate::{PgPool, Result, StoreError, changed, new_id};
use serde_json::Value;
use uuid::Uuid;

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct ScanRow {
    pub id: Uuid,
    pub upload_id: Uuid,
    pub part: i32,
    pub name: String,
    pub station_id: Option<Uuid>,
    pub gridded: bool,
    pub levelled: bool,
    pub points: i64,
    pub skipped: i64,
    #[serde(skip)]
    pub key: String,
    /// The pose that came with the file: where to start from.
    #[schema(value_type = Option<Object>)]
    pub pose: Option<Value>,
    /// Pictures that came with the scan.
    pub images: i32,
    pub coloured: bool,
    /// What was made for looking at it; empty until that is done.
    #[schema(value_type = Object)]
    pub derived: Value,
    /// Bytes in the object store, without the file as it came.
    pub bytes: i64,
    /// Settings, instrument height, operator, time, note.
    #[schema(value_type = Object)]
    pub log: Value,
    /// Taken by the simulated scanner.
    pub simulated: bool,
    /// A scanner stood at its origin; else it is a cloud in coordinates of its own.
    pub has_scanner: bool,
    /// What its file says of its coordinates.
    pub reference: Option<String>,
    pub version: i32,
}

/// A scan about to be stored.
#[derive(Debug)]
pub struct NewScan<'a> {
    pub job: Uuid,
    pub upload: Uuid,
    pub part: i32,
    pub name: &'a str,
    pub station: Option<Uuid>,
    pub gridded: bool,
    pub levelled: bool,
    pub points: i64,
    pub skipped: i64,
    pub key: &'a str,
    pub pose: Option<&'a Value>,
    pub images: i32,
    pub coloured: bool,
    pub derived: &'a Value,
    pub bytes: i64,
    pub log: &'a Value,
    pub simulated: bool,
    pub has_scanner: bool,
    pub reference: Option<&'a str>,
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct DetectionRow {
    pub id: Uuid,
    pub scan_id: Uuid,
    pub kind: String,
    pub data: Value,
    pub usable: bool,
    pub excluded: bool,
    /// Targets split in two (moved): 0 before, 1 after.
    pub part: i32,
    pub version: i32,
    /// Who pointed at it; none when the search found it.
    pub laid_by: Option<Uuid>,
}

/// Scans in the order in which they were taken: that of their files, and within a file that of the file.
pub async fn scans(db: &PgPool, job: Uuid) -> Result<Vec<ScanRow>> {
    Ok(sqlx::query_as(
        "select s.* from scans s join uploads u on u.id = s.upload_id where s.job_id = $1 order by u.sequence, s.part",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

pub async fn scan(db: &PgPool, job: Uuid, id: Uuid) -> Result<ScanRow> {
    sqlx::query_as("select * from scans where job_id = $1 and id = $2")
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

/// Stores a scan; doing it again for the same part of the same upload changes nothing but the data
/// derived from the file.
pub async fn put_scan(db: impl sqlx::PgExecutor<'_>, s: &NewScan<'_>) -> Result<()> {
    sqlx::query(
        "insert into scans (id, job_id, upload_id, part, name, station_id, gridded, levelled, points, skipped, key, log, pose, images, coloured, derived, bytes, simulated, has_scanner, reference) \
         values ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16, $17, $18, $19, $20) \
         on conflict (upload_id, part) do update set gridded = $7, points = $9, skipped = $10, key = $11, pose = $13, images = $14, coloured = $15, derived = $16, bytes = $17, has_scanner = $19, reference = $20",
    )
    .bind(new_id())
    .bind(s.job)
    .bind(s.upload)
    .bind(s.part)
    .bind(s.name)
    .bind(s.station)
    .bind(s.gridded)
    .bind(s.levelled)
    .bind(s.points)
    .bind(s.skipped)
    .bind(s.key)
    .bind(s.log)
    .bind(s.pose)
    .bind(s.images)
    .bind(s.coloured)
    .bind(s.derived)
    .bind(s.bytes)
    .bind(s.simulated)
    .bind(s.has_scanner)
    .bind(s.reference)
    .execute(db)
    .await
    .map_err(crate::unique(s.name))?;
    Ok(())
}

/// Whether a job has this station on its plan.
pub async fn is_station(db: &PgPool, job: Uuid, item: Uuid) -> Result<bool> {
    let found = sqlx::query_scalar(
        "select exists (select from plan_items where id = $2 and job_id = $1 and kind = 'station' and not deleted)",
    );
    Ok(found.bind(job).bind(item).fetch_one(db).await?)
}

pub async fn update_scan(
    db: &PgPool,
    job: Uuid,
    id: Uuid,
    name: &str,
    station: Option<Uuid>,
    levelled: bool,
    log: &Value,
    version: i32,
) -> Result<()> {
    changed(
        sqlx::query("update scans set name = $3, station_id = $7, levelled = $4, log = $5, version = version + 1 where job_id = $1 and id = $2 and version = $6")
            .bind(job)
            .bind(id)
            .bind(name)
            .bind(levelled)
            .bind(log)
            .bind(version)
            .bind(station)
            .execute(db)
            .await
            .map_err(crate::unique(name))?
            .rows_affected(),
    )
}

pub async fn remove_scan(db: &PgPool, job: Uuid, id: Uuid) -> Result<()> {
    changed(
        sqlx::query("delete from scans where job_id = $1 and id = $2")
            .bind(job)
            .bind(id)
            .execute(db)
            .await?
            .rows_affected(),
    )
}

pub async fn is_searched(db: &PgPool, scan: Uuid, search: &str) -> Result<bool> {
    Ok(sqlx::query_scalar::<_, i32>("select 1 from searched where scan_id = $1 and search = $2")
        .bind(scan)
        .bind(search)
        .fetch_optional(db)
        .await?
        .is_some())
}

/// Replaces what a search found in a scan in one step: a search that is interrupted leaves the old. What somebody
/// pointed at stays.
pub async fn put_detections(
    db: &PgPool,
    job: Uuid,
    scan: Uuid,
    search: &str,
    found: &[(&str, Value, bool)],
) -> Result<()> {
    let mut tx = db.begin().await?;
    sqlx::query("delete from detections where scan_id = $1 and laid_by is null").bind(scan).execute(&mut *tx).await?;
    sqlx::query("delete from searched where scan_id = $1").bind(scan).execute(&mut *tx).await?;
    for (kind, data, usable) in found {
        sqlx::query("insert into detections (id, job_id, scan_id, search, kind, data, usable) values ($1, $2, $3, $4, $5, $6, $7)")
            .bind(new_id())
            .bind(job)
            .bind(scan)
            .bind(search)
            .bind(kind)
            .bind(data)
            .bind(usable)
            .execute(&mut *tx)
            .await?;
    }
    sqlx::query("insert into searched (scan_id, search) values ($1, $2)")
        .bind(scan)
        .bind(search)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(())
}

/// Keeps a target that somebody pointed at.
pub async fn add_detection(
    db: &PgPool,
    job: Uuid,
    scan: Uuid,
    user: Uuid,
    (kind, data, usable): (&str, &Value, bool),
) -> Result<Uuid> {
    Ok(sqlx::query_scalar(
        "insert into detections (id, job_id, scan_id, search, kind, data, usable, laid_by) \
         values ($1, $2, $3, '', $4, $5, $6, $7) returning id",
    )
    .bind(new_id())
    .bind(job)
    .bind(scan)
    .bind(kind)
    .bind(data)
    .bind(usable)
    .bind(user)
    .fetch_one(db)
    .await?)
}

/// Takes away a target that somebody pointed at; what a search found is left out instead.
pub async fn remove_detection(db: &PgPool, job: Uuid, id: Uuid) -> Result<()> {
    let gone = sqlx::query("delete from detections where job_id = $1 and id = $2 and laid_by is not null")
        .bind(job)
        .bind(id)
        .execute(db)
        .await?;
    changed(gone.rows_affected())
}

pub async fn detections(db: &PgPool, job: Uuid) -> Result<Vec<DetectionRow>> {
    Ok(sqlx::query_as(
        "select d.* from detections d join scans s on s.id = d.scan_id join uploads u on u.id = s.upload_id where d.job_id = $1 order by u.sequence, s.part, d.id",
    )
    .bind(job)
    .fetch_all(db)
    .await?)
}

/// A sum over what of the detections decides whether a result is out of date: which there are,
/// usable, excluded, split off.
pub async fn detection_state(db: &PgPool, job: Uuid) -> Result<String> {
    Ok(sqlx::query_scalar(
        "select coalesce(md5(string_agg(id::text || usable::int || excluded::int || part, ',' order by id)), '') from detections where job_id = $1",
    )
    .bind(job)
    .fetch_one(db)
    .await?)
}

/// Excludes, restores or splits observations, each named with the version that was seen.
pub async fn decide(db: &PgPool, job: Uuid, changes: &[(Uuid, i32, bool, i32)]) -> Result<()> {
    let mut tx = db.begin().await?;
    crate::in_turn(&mut tx, job).await?;
    for (id, version, excluded, part) in changes {
        changed(
            sqlx::query("update detections set excluded = $4, part = $5, version = version + 1 where job_id = $1 and id = $2 and version = $3")
                .bind(job)
                .bind(id)
                .bind(version)
                .bind(excluded)
                .bind(part)
                .execute(&mut *tx)
                .await?
                .rows_affected(),
        )?;
    }
    tx.commit().await?;
    Ok(())
}
