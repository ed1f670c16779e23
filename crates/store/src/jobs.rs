//! Jobs, their members, their plan and their log.

use crate::{PgPool, Result, StoreError, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

/// What a member may do in a job.
#[derive(Debug, Clone, Copy, PartialEq, Eq, sqlx::Type, serde::Serialize, serde::Deserialize, utoipa::ToSchema)]
#[sqlx(type_name = "role", rename_all = "lowercase")]
#[serde(rename_all = "lowercase")]
pub enum Role {
    Owner,
    Surveyor,
    Reviewer,
    Client,
}

#[derive(Debug, Clone, sqlx::FromRow)]
pub struct Job {
    pub id: Uuid,
    pub name: String,
    pub brief: Value,
    pub version: i32,
    pub simulated: Option<String>,
    pub created_at: DateTime<Utc>,
}

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct Member {
    pub user_id: Uuid,
    pub email: String,
    pub name: String,
    pub role: Role,
}

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct PlanItem {
    pub id: Uuid,
    pub kind: String,
    #[schema(value_type = Object)]
    pub data: Value,
    pub version: i32,
    pub deleted: bool,
}

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct LogEntry {
    pub id: i64,
    pub at: DateTime<Utc>,
    pub who: Option<String>,
    pub what: String,
}

/// One change of a plan. `version` is the one the editor saw; `None` makes a new item.
#[derive(Debug, Clone, serde::Deserialize, utoipa::ToSchema)]
pub struct PlanEdit {
    pub id: Uuid,
    pub kind: String,
    #[schema(value_type = Object)]
    pub data: Value,
    pub version: Option<i32>,
    #[serde(default)]
    pub deleted: bool,
}

pub async fn create(db: &PgPool, owner: Uuid, name: &str, brief: &Value, simulated: Option<&str>) -> Result<Job> {
    let mut tx = db.begin().await?;
    let job: Job = sqlx::query_as("insert into jobs (id, name, brief, simulated) values ($1, $2, $3, $4) returning *")
        .bind(new_id())
        .bind(name)
        .bind(brief)
        .bind(simulated)
        .fetch_one(&mut *tx)
        .await?;
    sqlx::query("insert into members (job_id, user_id, role) values ($1, $2, 'owner')")
        .bind(job.id)
        .bind(owner)
        .execute(&mut *tx)
        .await?;
    tx.commit().await?;
    Ok(job)
}

pub async fn of_user(db: &PgPool, user: Uuid) -> Result<Vec<(Job, Role)>> {
    let rows: Vec<(Uuid, Role)> =
        sqlx::query_as("select job_id, role from members where user_id = $1").bind(user).fetch_all(db).await?;
    let mut out = Vec::new();
    for (id, role) in rows {
        out.push((get(db, id).await?, role));
    }
    out.sort_by_key(|j| std::cmp::Reverse(j.0.created_at));
    Ok(out)
}

pub async fn get(db: &PgPool, id: Uuid) -> Result<Job> {
    sqlx::query_as("select * from jobs where id = $1").bind(id).fetch_optional(db).await?.ok_or(StoreError::NotFound)
}

pub async fn role(db: &PgPool, job: Uuid, user: Uuid) -> Result<Option<Role>> {
    Ok(sqlx::query_scalar("select role from members where job_id = $1 and user_id = $2")
        .bind(job)
        .bind(user)
        .fetch_optional(db)
        .await?)
}

pub async fn update(db: &PgPool, id: Uuid, name: &str, brief: &Value, version: i32) -> Result<Job> {
    sqlx::query_as(
        "update jobs set name = $2, brief = $3, version = version + 1 where id = $1 and version = $4 returning *",
    )
    .bind(id)
    .bind(name)
    .bind(brief)
    .bind(version)
    .fetch_optional(db)
    .await?
    .ok_or(StoreError::Conflict)
}

pub async fn members(db: &PgPool, job: Uuid) -> Result<Vec<Member>> {
    Ok(sqlx::query_as("select m.user_id, u.email, u.name, m.role from members m join users u on u.id = m.user_id where m.job_id = $1 order by u.name")
        .bind(job)
        .fetch_all(db)
        .await?)
}

/// Sets a member's role; `None` takes the member out. The last owner stays.
pub async fn set_member(db: &PgPool, job: Uuid, user: Uuid, role: Option<Role>) -> Result<()> {
    let mut tx = db.begin().await?;
    crate::in_turn(&mut tx, job).await?;
    match role {
        Some(role) => {
            sqlx::query("insert into members (job_id, user_id, role) values ($1, $2, $3) on conflict (job_id, user_id) do update set role = $3")
                .bind(job)
                .bind(user)
                .bind(role)
                .execute(&mut *tx)
                .await?;
        }
        None => {
            sqlx::query("delete from members where job_id = $1 and user_id = $2")
                .bind(job)
                .bind(user)
                .execute(&mut *tx)
                .await?;
        }
    }
    let owners: i64 = sqlx::query_scalar("select count(*) from members where job_id = $1 and role = 'owner'")
        .bind(job)
        .fetch_one(&mut *tx)
        .await?;
    if owners == 0 {
        return Err(StoreError::Conflict);
    }
    tx.commit().await?;
    Ok(())
}

pub async fn plan(db: &PgPool, job: Uuid) -> Result<Vec<PlanItem>> {
    items(db, "plan_items", job).await
}

/// What is drawn for the client.
pub async fn drawing(db: &PgPool, job: Uuid) -> Result<Vec<PlanItem>> {
    items(db, "drawn_items", job).await
}

async fn items(db: &PgPool, table: &str, job: Uuid) -> Result<Vec<PlanItem>> {
    let sql = format!("select * from {table} where job_id = $1 and not deleted order by id");
    Ok(sqlx::query_as(sqlx::AssertSqlSafe(sql)).bind(job).fetch_all(db).await?)
}

/// Applies edits all together or not at all. Items are never removed, only marked, so that undo
/// and a second editor always find them.
pub async fn edit_plan(db: &PgPool, job: Uuid, edits: &[PlanEdit]) -> Result<Vec<PlanItem>> {
    edit(db, "plan_items", job, edits).await
}

/// The same of what is drawn for the client.
pub async fn edit_drawing(db: &PgPool, job: Uuid, edits: &[PlanEdit]) -> Result<Vec<PlanItem>> {
    edit(db, "drawn_items", job, edits).await
}

async fn edit(db: &PgPool, table: &str, job: Uuid, edits: &[PlanEdit]) -> Result<Vec<PlanItem>> {
    let mut tx = db.begin().await?;
    crate::in_turn(&mut tx, job).await?;
    let (change, add) = (
        format!(
            "update {table} set data = $3, deleted = $4, version = version + 1 \
             where id = $1 and job_id = $2 and version = $5 returning *"
        ),
        format!(
            "insert into {table} (id, job_id, data, deleted, kind) values ($1, $2, $3, $4, $5) \
             on conflict (id) do nothing returning *"
        ),
    );
    let mut out = Vec::new();
    for e in edits {
        let of = |sql: &str| {
            sqlx::query_as(sqlx::AssertSqlSafe(sql.to_owned())).bind(e.id).bind(job).bind(&e.data).bind(e.deleted)
        };
        let item: Option<PlanItem> = match e.version {
            Some(version) => of(&change).bind(version).fetch_optional(&mut *tx).await?,
            None => of(&add).bind(&e.kind).fetch_optional(&mut *tx).await?,
        };
        out.push(item.ok_or(StoreError::Conflict)?);
    }
    tx.commit().await?;
    Ok(out)
}

pub async fn note(db: &PgPool, job: Uuid, user: Option<Uuid>, what: &str) -> Result<()> {
    sqlx::query("insert into log (job_id, user_id, what) values ($1, $2, $3)")
        .bind(job)
        .bind(user)
        .bind(what)
        .execute(db)
        .await?;
    Ok(())
}

pub async fn log(db: &PgPool, job: Uuid) -> Result<Vec<LogEntry>> {
    Ok(sqlx::query_as("select l.id, l.at, u.name as who, l.what from log l left join users u on u.id = l.user_id where l.job_id = $1 order by l.id desc limit 300")
        .bind(job)
        .fetch_all(db)
        .await?)
}

/// How far a job has come, for the list of jobs.
#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct Standing {
    #[serde(skip)]
    pub job_id: Uuid,
    pub scans: i64,
    /// Findings of the last registration that nobody has settled; none before it.
    pub findings: Option<i64>,
    pub on_grid: bool,
    /// The newest package, and whether it was prepared and checked.
    pub package: Option<i32>,
    pub prepared: bool,
    pub checked: bool,
    /// Background work that waits or runs, and what failed in the last seven days.
    pub busy: i64,
    pub failed: i64,
    pub changed_at: Option<DateTime<Utc>>,
    pub changed_by: Option<String>,
    pub change: Option<String>,
}

/// The same for every job of a person, in one question.
pub async fn standings(db: &PgPool, user: Uuid) -> Result<Vec<Standing>> {
    Ok(sqlx::query_as(
        "select m.job_id, (select count(*) from scans s where s.job_id = m.job_id) as scans, \
           (select jsonb_array_length(case when jsonb_typeof(a.result -> 'findings') = 'array' then a.result -> 'findings' else '[]' end)::bigint \
              from adjustments a where a.job_id = m.job_id order by a.revision desc limit 1) as findings, \
           exists (select 1 from georefs g where g.job_id = m.job_id) as on_grid, \
           p.revision as package, p.prepared_by is not null as prepared, p.checked_by is not null as checked, \
           (select count(*) from tasks t where t.job_id = m.job_id and t.state in ('queued', 'running')) as busy, \
           (select count(*) from tasks t where t.job_id = m.job_id and t.state = 'failed' and t.finished_at > now() - interval '7 days') as failed, \
           l.at as changed_at, u.name as changed_by, l.what as change \
         from members m \
         left join lateral (select * from packages p where p.job_id = m.job_id order by p.revision desc limit 1) p on true \
         left join lateral (select * from log l where l.job_id = m.job_id order by l.id desc limit 1) l on true \
         left join users u on u.id = l.user_id where m.user_id = $1",
    )
    .bind(user)
    .fetch_all(db)
    .await?)
}
