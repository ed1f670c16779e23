//! Puts stored rows together for the core, and what the core says into what is stored and sent.

pub(crate) mod built;
pub(crate) mod carrying;
pub(crate) mod cleaning;
pub(crate) mod cloud;
pub(crate) mod colouring;
pub(crate) mod compare;
pub(crate) mod days;
pub(crate) mod deliverables;
pub(crate) mod designing;
pub(crate) mod drawing;
pub(crate) mod elevation;
pub(crate) mod features;
pub(crate) mod field_day;
pub(crate) mod files;
pub(crate) mod grid;
pub(crate) mod ground;
pub(crate) mod groups;
pub(crate) mod hand;
pub(crate) mod instrument_check;
pub(crate) mod journal;
pub(crate) mod level_picture;
pub(crate) mod otherwise;
pub(crate) mod outlook;
pub(crate) mod own_station;
pub(crate) mod pass_marks;
pub(crate) mod passes;
pub(crate) mod planned_walks;
pub(crate) mod planning;
pub(crate) mod record;
pub(crate) mod registration;
pub(crate) mod room;
pub(crate) mod seen;
pub(crate) mod set_ups;
pub(crate) mod shown;
mod slice_beside;
pub(crate) mod slices;
mod slices_doubtful;
pub(crate) mod solids;
pub(crate) mod sources;
pub(crate) mod stands;
pub(crate) mod staying;
pub(crate) mod surfaces;
pub(crate) mod survey;
pub(crate) mod ties;
pub(crate) mod verdict;
mod walked_grid;

use crate::dto::Brief;
use crate::{ApiError, App};
use sha2::{Digest, Sha256};
use std::sync::{Arc, LazyLock};
use tokio::sync::Semaphore;
use uuid::Uuid;
use vistazo_store::jobs;

/// The brief of a job.
pub(crate) async fn brief(app: &App, job: Uuid) -> Result<(jobs::Job, Brief), ApiError> {
    let row = jobs::get(&app.db, job).await?;
    let brief = serde_json::from_value(row.brief.clone())
        .map_err(|e| ApiError::bad(format!("the stored brief cannot be read: {e}")))?;
    Ok((row, brief))
}

/// A short sum of whatever a result depends on: when it differs, the result is out of date.
pub(crate) fn fingerprint(parts: &impl serde::Serialize) -> String {
    let text = serde_json::to_vec(parts).unwrap_or_default();
    vistazo_store::objects::hex(&Sha256::digest(text)[..12])
}

/// Computations at once: as many as there are cores, so that many who ask wait for one another and not for memory.
static CORES: LazyLock<Arc<Semaphore>> =
    LazyLock::new(|| Arc::new(Semaphore::new(std::thread::available_parallelism().map_or(2, usize::from))));

/// Runs mathematics off the threads that serve requests.
pub(crate) async fn blocking<T: Send + 'static>(work: impl FnOnce() -> T + Send + 'static) -> Result<T, ApiError> {
    let ended = || ApiError::conflict("the computation ended unexpectedly; nothing was stored");
    let turn = CORES.clone().acquire_owned().await.map_err(|_| ended())?;
    let run = move || {
        let _turn = turn;
        work()
    };
    tokio::task::spawn_blocking(run).await.map_err(|e| {
        tracing::error!(error = %e, "computation ended unexpectedly");
        ended()
    })
}
