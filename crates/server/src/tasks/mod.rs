//! Background work: the loop that takes tasks, and one file for each kind.
//!
//! A task may be started again from the beginning at any time, by this program or another: each
//! one writes its results in one step at its end, as long as it still holds the task.

mod beside;
mod built;
mod clean;
mod compare;
mod derive;
mod draw;
mod ground;
mod ingest;
mod package;
mod paint;
mod pass;
mod picture;
mod propose;
mod quick_tie;
mod register;
mod scan;
mod solids;
mod spacing;
mod survey;
mod tie;
mod walk;
mod walks;
mod work;

pub use beside::beside;
pub(crate) use register::{SAME as SAME_TARGET, row as detection_row};
pub(crate) use walk::WALKED;
pub(crate) use work::{Work, queue};

use crate::App;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, AtomicU64, Ordering};
use std::time::Duration;
use vistazo_store::StoreError;
use vistazo_store::tasks::{self, Task};

/// Why a task ended early.
#[derive(Debug)]
pub(crate) enum Stop {
    /// The user wished so, or another worker took over.
    Cancelled,
    /// With the reason for the user.
    Failed(String),
    /// The database or the object store is away: it will go through later.
    Passing(String),
}

impl<E: Into<Box<dyn std::error::Error + Send + Sync>>> From<E> for Stop {
    fn from(e: E) -> Self {
        let e: Box<dyn std::error::Error + Send + Sync> = e.into();
        let says = e.to_string();
        let mut cause: Option<&(dyn std::error::Error + 'static)> = Some(e.as_ref());
        while let Some(c) = cause {
            let store = c.downcast_ref::<StoreError>().is_some_and(StoreError::passes);
            let asked = c.downcast_ref::<crate::ApiError>().is_some_and(|e| e.passes);
            if store || asked {
                return Self::Passing(says);
            }
            cause = c.source();
        }
        Self::Failed(says)
    }
}

/// How a running task reports and learns that it should stop.
#[derive(Clone)]
pub(crate) struct Progress {
    stop: Arc<AtomicBool>,
    share: Arc<AtomicU64>,
    message: Arc<std::sync::Mutex<String>>,
}

impl Progress {
    /// Notes the share done and what is being done.
    pub(crate) fn at(&self, share: f64, message: &str) -> Result<(), Stop> {
        self.share.store((share * 1e6) as u64, Ordering::Relaxed);
        self.note(message);
        if self.stopped() { Err(Stop::Cancelled) } else { Ok(()) }
    }

    /// Notes what is being done only.
    pub(crate) fn note(&self, message: &str) {
        if let Ok(mut m) = self.message.lock() {
            message.clone_into(&mut m);
        }
    }

    /// Notes the share only; returns whether to go on.
    pub(crate) fn share(&self, share: f64) -> bool {
        self.share.store((share * 1e6) as u64, Ordering::Relaxed);
        !self.stopped()
    }

    pub(crate) fn stopped(&self) -> bool {
        self.stop.load(Ordering::Relaxed)
    }
}

/// Takes and does tasks until the program ends, those that somebody waits for beside the long ones.
/// Any number of programs may do so on the same database and object store.
pub async fn work(app: App) {
    tokio::join!(take_turns(app.clone(), false), take_turns(app, true));
}

async fn take_turns(app: App, quick: bool) {
    let worker = format!("{}{}", app.worker, if quick { " quick" } else { "" });
    // programs that were killed may have left something behind, and so may attempts of our own that failed
    let mut unswept = !quick;
    while !app.closing.load(Ordering::Relaxed) {
        match tasks::take(&app.db, &worker, quick).await {
            Ok(Some(task)) => unswept |= !run(&app, &worker, task).await && !quick,
            Ok(None) => {
                if unswept {
                    unswept = !sweep(&app).await;
                }
                tokio::time::sleep(Duration::from_millis(400)).await;
            }
            Err(e) => {
                tracing::warn!(error = %e, "cannot reach the queue");
                tokio::time::sleep(Duration::from_secs(2)).await;
            }
        }
    }
}

/// Takes no more, and hands back what is being done: whoever comes next begins it again.
pub async fn hand_back(app: &App) {
    app.closing.store(true, Ordering::Relaxed);
    app.ending.notify_waiters();
    match tasks::hand_back(&app.db, &app.worker).await {
        Ok(0) => {}
        Ok(n) => tracing::info!(tasks = n, "handed back"),
        Err(e) => tracing::warn!(error = %e, "cannot hand back"),
    }
}

/// Clears what nothing speaks of in the store; returns whether that went through.
async fn sweep(app: &App) -> bool {
    match vistazo_store::sweep(&app.db, &app.objects).await {
        Ok(0) => true,
        Ok(n) => {
            tracing::info!(objects = n, "cleared what an ended program or attempt left behind");
            true
        }
        Err(e) => {
            tracing::warn!(error = %e, "cannot clear what may have been left behind");
            false
        }
    }
}

/// Queues every whole upload of a job (or of all) to be read again; returns how many.
///
/// # Errors
/// When the database fails.
pub async fn rebuild(app: &App, job: Option<vistazo_store::Uuid>) -> Result<usize, crate::ApiError> {
    let all = vistazo_store::uploads::whole(&app.db, job).await?;
    for (job, upload) in &all {
        queue(app, *job, &Work::of_upload(upload), None).await?;
    }
    Ok(all.len())
}

/// Does a task; returns whether it was done.
async fn run(app: &App, worker: &str, task: Task) -> bool {
    tracing::info!(kind = task.kind, id = %task.id, attempt = task.attempts, "task");
    let progress = Progress { stop: Arc::default(), share: Arc::default(), message: Arc::default() };
    let beat = tokio::spawn(beat(app.clone(), worker.to_owned(), task.clone(), progress.clone()));
    let (a, t, p) = (app.clone(), task.clone(), progress.clone());
    // a task of its own, so that a panic inside fails that task and nothing else
    let outcome = tokio::spawn(async move {
        match Work::of(&t)? {
            Work::Scan { station, log, .. } => scan::run(&a, &t, (station, log), &p).await,
            Work::Ingest { upload, .. } => ingest::run(&a, &t, upload, &p).await,
            Work::Pass { pass, .. } => pass::run(&a, &t, pass, &p).await,
            Work::Walk { name, unit, way } => walk::run(&a, &t, (name, unit, way), &p).await,
            Work::Walks {} => walks::run(&a, &t, &p).await,
            Work::Register {} => register::run(&a, &t, &p).await,
            Work::QuickTie { scan, to } => quick_tie::run(&a, &t, (scan, to), &p).await,
            Work::Tie {} => tie::run(&a, &t, &p).await,
            Work::Clean {} => clean::run(&a, &t, &p).await,
            Work::Compare {} => compare::run(&a, &t, &p).await,
            Work::Spacing {} => spacing::run(&a, &t, &p).await,
            Work::Built {} => built::run(&a, &t, &p).await,
            Work::Draw { sheet } => draw::run(&a, &t, sheet, &p).await,
            Work::Solids(asked) => solids::run(&a, &t, asked, &p).await,
            Work::Picture { elevation } => picture::run(&a, &t, elevation, &p).await,
            Work::Ground(asked) => ground::run(&a, &t, asked, &p).await,
            Work::Paint(asked) => paint::run(&a, &t, asked, &p).await,
            Work::Survey {} => survey::run(&a, &t, &p).await,
            Work::Propose(request) => propose::run(&a, &t, request, &p).await,
            Work::Package(options) => package::run(&a, &t, &options, &p).await,
        }
    })
    .await;
    beat.abort();
    if let Ok(Err(Stop::Passing(reason))) = &outcome {
        // when even this cannot be said, the task is taken again because nobody beats for it
        tracing::warn!(reason, "task put back");
        if tasks::put_back(&app.db, &task, worker, "waiting: the data could not be reached").await.is_ok() {
            return false;
        }
    }
    let (state, message) = match outcome {
        Ok(Ok(message)) => ("done", message),
        Ok(Err(Stop::Cancelled)) => ("cancelled", cancelled(&task.kind).to_owned()),
        // what is cut down in the middle stumbles over what is only half there
        Ok(Err(Stop::Failed(_))) if progress.stopped() => ("cancelled", cancelled(&task.kind).to_owned()),
        Ok(Err(Stop::Failed(reason) | Stop::Passing(reason))) => ("failed", reason),
        Err(e) => {
            tracing::error!(error = %e, "task ended unexpectedly");
            (
                "failed",
                "it ended unexpectedly; nothing was kept. Please try again, and report it when it happens twice"
                    .to_owned(),
            )
        }
    };
    if let Err(e) = tasks::finish(&app.db, &task, worker, state, &message).await {
        tracing::warn!(error = %e, "cannot note the end of a task");
    }
    state == "done"
}

/// What a cancelled task leaves: searches keep what each scan or pair gave, and go on from there.
fn cancelled(kind: &str) -> &'static str {
    match kind {
        "register" | "tie" | "clean" | "compare" => {
            "cancelled; what was found so far stays, and the next run goes on from there"
        }
        _ => "cancelled; nothing was kept",
    }
}

async fn beat(app: App, worker: String, task: Task, progress: Progress) {
    loop {
        tokio::time::sleep(Duration::from_millis(500)).await;
        let share = progress.share.load(Ordering::Relaxed) as f64 / 1e6;
        let message = progress.message.lock().map(|m| m.clone()).unwrap_or_default();
        match tasks::beat(&app.db, &task, &worker, share, &message).await {
            Ok(false) => {}
            Ok(true) => progress.stop.store(true, Ordering::Relaxed),
            Err(e) => tracing::warn!(error = %e, "cannot beat"),
        }
    }
}

/// Runs mathematics off the threads that serve requests.
pub(crate) async fn blocking<T: Send + 'static>(
    work: impl FnOnce() -> Result<T, Stop> + Send + 'static,
) -> Result<T, Stop> {
    tokio::task::spawn_blocking(work)
        .await
        .map_err(|_| Stop::Failed("the computation ended unexpectedly; nothing was kept".into()))?
}
