//! Background work of a job: list, cancel, live progress.

use crate::auth::{Access, Edit, Read};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::response::sse::{Event, KeepAlive, Sse};
use futures::Stream;
use std::convert::Infallible;
use std::time::Duration;
use uuid::Uuid;
use vistazo_store::tasks::{self, Task};

/// Tasks, newest first.
#[utoipa::path(get, path = "/api/jobs/{job}/tasks", tag = "tasks", params(("job" = Uuid, Path)), responses((status = 200, body = [Task])))]
pub async fn tasks(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<Task>>, ApiError> {
    Ok(Json(tasks::of_job(&app.db, access.job).await?))
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
    let mut listener = sqlx::postgres::PgListener::connect(&app.settings.database_url)
        .await
        .map_err(vistazo_store::StoreError::from)?;
    listener.listen("tasks").await.map_err(vistazo_store::StoreError::from)?;
    let job = access.job.to_string();
    let stream = async_stream::stream! {
        yield Ok(Event::default().data("tasks"));
        while let Ok(n) = listener.recv().await {
            if n.payload() == job {
                yield Ok(Event::default().data("tasks"));
            }
        }
    };
    Ok(Sse::new(stream).keep_alive(KeepAlive::new().interval(Duration::from_secs(15))))
}
