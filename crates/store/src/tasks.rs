//! The queue of background work.
//!
//! A worker takes a task with `FOR UPDATE SKIP LOCKED`, so two never take the same, and beats
//! while it works. A task whose worker has not beaten for [`SILENCE`] is taken again, at most
//! [`MOST_ATTEMPTS`] times; one that ended its worker twice is given up. While the data is away it is put
//! back for longer and longer, which counts as no attempt. Jobs take turns: of those that wait, the one with
//! the least running goes first, and of these the one whose turn was longest ago. Progress is announced on the channel `tasks` for whoever listens.

use crate::{PgPool, Result, StoreError, new_id};
use chrono::{DateTime, Utc};
use serde_json::Value;
use uuid::Uuid;

/// Seconds without a beat after which a worker is taken for dead.
pub const SILENCE: i32 = 10;
/// A task that ended its worker this often is given up: it is the task that ends them.
pub const MOST_ATTEMPTS: i32 = 8;
/// A task during which a worker ended by itself this often (out of memory, most likely) is given up.
pub const MOST_LOST: i32 = 2;
/// The data may be away this often, with a minute between in the end: some two hours.
pub const MOST_OUTAGES: i32 = 120;
/// Tasks that may wait in one job.
pub const MOST_WAITING: i64 = 1000;

#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct Task {
    pub id: Uuid,
    pub job_id: Uuid,
    /// `scan`, `ingest`, `register`, `spacing`, `propose` or `package`.
    pub kind: String,
    #[schema(value_type = Object)]
    pub payload: Value,
    /// `queued`, `running`, `done`, `failed` or `cancelled`.
    pub state: String,
    /// Share done, 0..1.
    pub progress: f64,
    /// What it is doing, or why it failed.
    pub message: String,
    pub attempts: i32,
    pub cancel: bool,
    pub created_by: Option<Uuid>,
    pub created_at: DateTime<Utc>,
    /// When this attempt began.
    pub started_at: Option<DateTime<Utc>>,
    pub finished_at: Option<DateTime<Utc>>,
}

/// A task with the name of its job.
#[derive(Debug, Clone, sqlx::FromRow, serde::Serialize, utoipa::ToSchema)]
pub struct JobTask {
    #[sqlx(flatten)]
    #[serde(flatten)]
    pub task: Task,
    pub job_name: String,
}

impl Task {
    /// It waits or runs.
    #[must_use]
    pub fn is_active(&self) -> bool {
        matches!(self.state.as_str(), "queued" | "running")
    }
}

pub(crate) async fn announce(db: &PgPool, job: Uuid) -> Result<()> {
    sqlx::query("select pg_notify('tasks', $1)").bind(job.to_string()).execute(db).await?;
    Ok(())
}

/// Queues a task as a part of a larger step; announcing it is the caller's.
pub(crate) async fn insert(
    db: impl sqlx::PgExecutor<'_>,
    job: Uuid,
    kind: &str,
    payload: &Value,
    user: Option<Uuid>,
) -> Result<Task> {
    Ok(sqlx::query_as(
        "insert into tasks (id, job_id, kind, payload, created_by) values ($1, $2, $3, $4, $5) returning *",
    )
    .bind(new_id())
    .bind(job)
    .bind(kind)
    .bind(payload)
    .bind(user)
    .fetch_one(db)
    .await?)
}

pub async fn add(db: &PgPool, job: Uuid, kind: &str, payload: &Value, user: Option<Uuid>) -> Result<Task> {
    let waiting: i64 = sqlx::query_scalar("select count(*) from tasks where job_id = $1 and state = 'queued'")
        .bind(job)
        .fetch_one(db)
        .await?;
    if waiting >= MOST_WAITING {
        return Err(StoreError::Full(waiting));
    }
    let task = insert(db, job, kind, payload, user).await?;
    announce(db, job).await?;
    Ok(task)
}

/// Puts a failed or cancelled task back into the queue.
pub async fn retry(db: &PgPool, job: Uuid, id: Uuid) -> Result<Task> {
    let task = sqlx::query_as(
        "update tasks set state = 'queued', attempts = 0, outages = 0, lost = 0, not_before = now(), cancel = false, \
         progress = 0, message = '', finished_at = null, worker = null \
         where job_id = $1 and id = $2 and state in ('failed', 'cancelled') returning *",
    )
    .bind(job)
    .bind(id)
    .fetch_optional(db)
    .await?
    .ok_or(StoreError::NotFound)?;
    announce(db, job).await?;
    Ok(task)
}

/// Whether work of a kind is waiting or running in a job.
pub async fn is_active(db: &PgPool, job: Uuid, kind: &str) -> Result<bool> {
    Ok(sqlx::query_scalar::<_, i32>(
        "select 1 from tasks where job_id = $1 and kind = $2 and state in ('queued', 'running') limit 1",
    )
    .bind(job)
    .bind(kind)
    .fetch_optional(db)
    .await?
    .is_some())
}

pub async fn of_job(db: &PgPool, job: Uuid) -> Result<Vec<Task>> {
    Ok(sqlx::query_as("select * from tasks where job_id = $1 order by created_at desc limit 60")
        .bind(job)
        .fetch_all(db)
        .await?)
}

pub async fn get(db: &PgPool, job: Uuid, id: Uuid) -> Result<Task> {
    sqlx::query_as("select * from tasks where job_id = $1 and id = $2")
        .bind(job)
        .bind(id)
        .fetch_optional(db)
        .await?
        .ok_or(StoreError::NotFound)
}

/// Work of every job that a person may see: what waits and runs, and what failed in the last days.
pub async fn of_user(db: &PgPool, user: Uuid) -> Result<Vec<JobTask>> {
    Ok(sqlx::query_as(
        "select t.*, j.name as job_name from tasks t join jobs j on j.id = t.job_id join members m on m.job_id = j.id \
         where m.user_id = $1 and m.role <> 'client' \
           and (t.state in ('queued', 'running') or (t.state = 'failed' and t.finished_at > now() - interval '7 days')) \
         order by t.created_at desc limit 200",
    )
    .bind(user)
    .fetch_all(db)
    .await?)
}

/// Puts every failed task of a job back into the queue; returns how many.
pub async fn retry_all(db: &PgPool, job: Uuid) -> Result<Vec<Task>> {
    let failed: Vec<Uuid> =
        sqlx::query_scalar("select id from tasks where job_id = $1 and state = 'failed' order by created_at")
            .bind(job)
            .fetch_all(db)
            .await?;
    let mut out = Vec::new();
    for id in failed {
        out.push(retry(db, job, id).await?);
    }
    Ok(out)
}

/// A worker ended by itself while it held these tasks: they wait for another, or are given up when it happened before.
pub async fn lost(db: &PgPool, worker: &str) -> Result<()> {
    let jobs: Vec<Uuid> = sqlx::query_scalar(
        "update tasks set lost = lost + 1, worker = null, \
           state = case when lost + 1 >= $2 then 'failed' else 'queued' end, \
           finished_at = case when lost + 1 >= $2 then now() end, \
           message = case when lost + 1 >= $2 then 'stopped: the worker ended ' || (lost + 1) || ' times while doing this, most likely out of memory' \
                     else 'waiting: the worker ended while doing this' end \
         where state = 'running' and starts_with(worker, $1) returning job_id",
    )
    .bind(worker)
    .bind(MOST_LOST)
    .fetch_all(db)
    .await?;
    for job in jobs {
        announce(db, job).await?;
    }
    Ok(())
}

/// Hands back what a worker holds when it is asked to end: whoever comes next goes on.
pub async fn hand_back(db: &PgPool, worker: &str) -> Result<u64> {
    let jobs: Vec<Uuid> = sqlx::query_scalar(
        "update tasks set state = 'queued', worker = null, attempts = greatest(attempts - 1, 0), \
         message = 'waiting: the program is starting again' where state = 'running' and starts_with(worker, $1) returning job_id",
    )
    .bind(worker)
    .fetch_all(db)
    .await?;
    for job in &jobs {
        announce(db, *job).await?;
    }
    Ok(jobs.len() as u64)
}

/// Takes a task that waits, or one whose worker fell silent. Scans of one job are taken
/// one after the other: there is one instrument. `quick` takes only what somebody waits for at the
/// screen, so that it does not stand behind hours of scans.
pub async fn take(db: &PgPool, worker: &str, quick: bool) -> Result<Option<Task>> {
    // a task that keeps killing its worker is given up
    let given_up: Vec<Uuid> = sqlx::query_scalar(
        "update tasks set state = 'failed', finished_at = now(), message = 'stopped: the program ended ' || attempts || ' times while doing this' \
         where state = 'running' and attempts >= $2 and beat_at < now() - make_interval(secs => $1) returning job_id",
    )
    .bind(f64::from(SILENCE))
    .bind(MOST_ATTEMPTS)
    .fetch_all(db)
    .await?;
    for job in given_up {
        announce(db, job).await?;
    }
    let task: Option<Task> = sqlx::query_as(
        "update tasks set state = 'running', worker = $1, beat_at = now(), started_at = now(), attempts = attempts + 1 where id = ( \
           select id from tasks t where ((state = 'queued' and not_before <= now()) or (state = 'running' and beat_at < now() - make_interval(secs => $2))) \
             and (kind in ('propose', 'quick_tie')) = $3 \
             and not (kind = 'scan' and exists (select 1 from tasks o where o.job_id = t.job_id and o.kind = 'scan' and o.state = 'running' \
                      and o.id <> t.id and o.beat_at >= now() - make_interval(secs => $2))) \
           order by (select count(*) from tasks r where r.job_id = t.job_id and r.state = 'running' and r.id <> t.id), \
             (select max(started_at) from tasks s where s.job_id = t.job_id) nulls first, created_at \
           for update skip locked limit 1) returning *",
    )
    .bind(worker)
    .bind(f64::from(SILENCE))
    .bind(quick)
    .fetch_optional(db)
    .await?;
    if let Some(t) = &task {
        announce(db, t.job_id).await?;
    }
    Ok(task)
}

/// Notes progress; returns whether the task should stop (cancelled, or taken over by another).
pub async fn beat(db: &PgPool, task: &Task, worker: &str, progress: f64, message: &str) -> Result<bool> {
    let cancel: Option<bool> = sqlx::query_scalar(
        "update tasks set beat_at = now(), progress = $3, message = $4 where id = $1 and worker = $2 and state = 'running' returning cancel",
    )
    .bind(task.id)
    .bind(worker)
    .bind(progress)
    .bind(message)
    .fetch_optional(db)
    .await?;
    announce(db, task.job_id).await?;
    Ok(cancel.unwrap_or(true))
}

/// Whether an attempt still holds its task, which then stays so until the transaction ends: one that
/// fell silent may have been followed by another, and must not write over its results.
pub async fn holds(tx: &mut sqlx::PgConnection, task: &Task) -> Result<bool> {
    Ok(sqlx::query_scalar::<_, i32>(
        "select 1 from tasks where id = $1 and state = 'running' and attempts = $2 for share",
    )
    .bind(task.id)
    .bind(task.attempts)
    .fetch_optional(tx)
    .await?
    .is_some())
}

/// Ends a task that this worker still holds.
pub async fn finish(db: &PgPool, task: &Task, worker: &str, state: &str, message: &str) -> Result<()> {
    sqlx::query("update tasks set state = $3, message = $4, progress = case when $3 = 'done' then 1 else progress end, finished_at = now() where id = $1 and worker = $2 and state = 'running'")
        .bind(task.id)
        .bind(worker)
        .bind(state)
        .bind(message)
        .execute(db)
        .await?;
    announce(db, task.job_id).await
}

/// Puts a task that this worker still holds back into the queue: what stood in its way passes. Each time it waits
/// twice as long, a minute at most; it is no attempt.
pub async fn put_back(db: &PgPool, task: &Task, worker: &str, message: &str) -> Result<()> {
    sqlx::query(
        "update tasks set state = case when outages + 1 >= $4 then 'failed' else 'queued' end, \
         finished_at = case when outages + 1 >= $4 then now() end, \
         message = $3, worker = null, attempts = greatest(attempts - 1, 0), outages = outages + 1, \
         not_before = now() + make_interval(secs => least(power(2, least(outages, 6)), 60)) \
         where id = $1 and worker = $2 and state = 'running'",
    )
    .bind(task.id)
    .bind(worker)
    .bind(message)
    .bind(MOST_OUTAGES)
    .execute(db)
    .await?;
    announce(db, task.job_id).await
}

pub async fn cancel(db: &PgPool, job: Uuid, id: Uuid) -> Result<()> {
    sqlx::query(
        "update tasks set cancel = true, state = case when state = 'queued' then 'cancelled' else state end, \
         finished_at = case when state = 'queued' then now() else finished_at end where job_id = $1 and id = $2 and state in ('queued', 'running')",
    )
    .bind(job)
    .bind(id)
    .execute(db)
    .await?;
    announce(db, job).await
}
