//! Background work of a job: list, cancel, live progress.

use crate::auth::{Access, Edit, Read, SignedIn};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::response::sse::{Event, KeepAlive, Sse};
use futures::Stream;
use std::convert::Infallible;
use std::time::Duration;
use tokio::sync::broadcast::error::RecvError;
use uuid::Uuid;
use vistazo_store::tasks::{self, JobTask, Task};

/// Tasks, newest first.
#[utoipa::path(get, path = "/api/jobs/{job}/tasks", tag = "tasks", params(("job" = Uuid, Path)), responses((status = 200, body = [Task])))]
pub async fn tasks(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<Task>>, ApiError> {
    Ok(Json(tasks::of_job(&app.db, access.job).await?))
}

/// Work of all jobs of the person: what waits, runs, or failed in the last seven days.
#[utoipa::path(get, path = "/api/tasks", tag = "tasks", operation_id = "all", responses((status = 200, body = [JobTask])))]
pub async fn all(State(app): State<App>, SignedIn(user): SignedIn) -> Result<Json<Vec<JobTask>>, ApiError> {
    Ok(Json(tasks::of_user(&app.db, user.id).await?))
}

/// Put every failed task of the job back into the queue.
#[utoipa::path(post, path = "/api/jobs/{job}/tasks/retry", tag = "tasks", operation_id = "retry_all", params(("job" = Uuid, Path)), responses((status = 200, body = [Task])))]
pub async fn retry_all(State(app): State<App>, access: Access<Edit>) -> Result<Json<Vec<Task>>, ApiError> {
    Ok(Json(tasks::retry_all(&app.db, access.job).await?))
}

/// Put a failed or cancelled task back into the queue.
#[utoipa::path(post, path = "/api/jobs/{job}/tasks/{task}/retry", tag = "tasks", params(("job" = Uuid, Path), ("task" = Uuid, Path)), responses((status = 200, body = Task)))]
pub async fn retry(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, task)): Path<(Uuid, Uuid)>,
) -> Result<Json<Task>, ApiError> {
    Ok(Json(tasks::retry(&app.db, access.job, task).await?))
}

/// Cancel a task.
#[utoipa::path(delete, path = "/api/jobs/{job}/tasks/{task}", tag = "tasks", params(("job" = Uuid, Path), ("task" = Uuid, Path)), responses((status = 200, body = Task)))]
pub async fn cancel(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, task)): Path<(Uuid, Uuid)>,
) -> Result<Json<Task>, ApiError> {
    tasks::cancel(&app.db, access.job, task).await?;
    Ok(Json(tasks::get(&app.db, access.job, task).await?))
}

/// Says `tasks` whenever a task of the job moves, as server-sent events.
#[utoipa::path(get, path = "/api/jobs/{job}/events", tag = "tasks", params(("job" = Uuid, Path)), responses((status = 200, body = String, content_type = "text/event-stream")))]
pub async fn events(
    State(app): State<App>,
    access: Access<Read>,
) -> Result<Sse<impl Stream<Item = Result<Event, Infallible>>>, ApiError> {
    let (job, mut news) = (access.job, app.news.subscribe());
    let stream = async_stream::stream! {
        let tasks = || Ok(Event::default().data("tasks"));
        yield tasks();
        loop {
            match news.recv().await {
                Ok(moved) if moved != job => {}
                // some were missed: the page looks for itself
                Ok(_) | Err(RecvError::Lagged(_)) => yield tasks(),
                Err(RecvError::Closed) => break,
            }
        }
    };
    Ok(Sse::new(stream).keep_alive(KeepAlive::new().interval(Duration::from_secs(15))))
}
