//! An uploaded file becomes canonical scans, and what is derived from them.

use super::derive::{self, Derived};
use super::{Progress, Stop};
use crate::App;
use crate::dto::{PoseDto, UploadOptions};
use crate::work::room;
use std::path::Path;
use uuid::Uuid;
use vistazo_formats::{FormatError, ReadOptions, SourceScan, read_source};
use vistazo_store::field::{self, NewScan};
use vistazo_store::tasks::Task;
use vistazo_store::uploads::{self, Upload};

pub(super) async fn run(app: &App, task: &Task, id: Uuid, progress: &Progress) -> Result<String, Stop> {
    let upload = uploads::get(&app.db, task.job_id, id).await?;
    let named = |e: Stop| match e {
        Stop::Failed(reason) => Stop::Failed(format!("{}: {reason}", upload.file_name)),
        other => other,
    };
    let options: UploadOptions = serde_json::from_value(upload.options.clone())?;
    room::check(app, &upload.file_name, upload.bytes as u64 * room::growth(&upload.file_name)).map_err(Stop::Failed)?;
    progress.at(0.0, &format!("{}: fetching the file", upload.file_name))?;
    let file = tempfile::NamedTempFile::new()?;
    let share = |s: f64| progress.share(0.1 * s);
    uploads::fetch(&app.db, &app.objects, &upload, file.path(), &share).await?;
    let entry = Entry {
        name: None,
        station: options.station,
        levelled: options.levelled,
        log: serde_json::json!({ "file": upload.file_name }),
        simulated: false,
    };
    let done = store(app, task, &upload, file.path(), &options.read()?, progress, &entry).await.map_err(named)?;
    Ok(format!(
        "{}: {} scan{} with {} points",
        upload.file_name,
        done.0,
        if done.0 == 1 { "" } else { "s" },
        grouped(done.1)
    ))
}

/// How the scans of a file are to be entered.
pub(super) struct Entry {
    pub name: Option<String>,
    pub station: Option<Uuid>,
    pub levelled: bool,
    pub log: serde_json::Value,
    pub simulated: bool,
}

/// A scan that was read and stored, but has no row yet.
struct Ready {
    name: String,
    source: Meta,
    derived: Derived,
    key: String,
}

/// What the row says of the source, once its points are let go.
struct Meta {
    name: Option<String>,
    gridded: bool,
    points: u64,
    skipped: u64,
    images: usize,
    coloured: bool,
    pose: Option<PoseDto>,
    has_scanner: bool,
    reference: Option<String>,
}

/// Reads every scan of a local file, derives and stores; returns how many scans and points. The
/// rows are written in one step at the end: a file comes in whole or not at all. Done again for the
/// same upload, it replaces what was made before.
pub(super) async fn store(
    app: &App,
    task: &Task,
    upload: &Upload,
    path: &Path,
    options: &ReadOptions,
    progress: &Progress,
    entry: &Entry,
) -> Result<(usize, u64), Stop> {
    let mut ready = Vec::new();
    let done = match read(app, task.job_id, upload, path, options, progress, entry, &mut ready).await {
        Ok(()) => record(app, task, upload, entry, &ready).await,
        Err(e) => Err(e),
    };
    for (part, r) in ready.iter().enumerate() {
        let cleared = match done {
            // what an earlier attempt or build left behind
            Ok(()) => app.objects.remove_under(&derive::prefix(task.job_id, upload.id, part as i32), &r.key).await,
            // nobody will speak of what this attempt stored
            Err(Stop::Cancelled) => app.objects.remove_under(&r.key, "-").await,
            // the answer of the database may be lost and the rows written: the sweep will know
            Err(Stop::Failed(_) | Stop::Passing(_)) => Ok(()),
        };
        if let Err(e) = cleared {
            tracing::warn!(error = %e, "cannot clear what is not used");
        }
    }
    done?;
    super::quick_tie::arrived(app, task.job_id, upload.id).await?;
    Ok((ready.len(), ready.iter().map(|r| r.source.points).sum()))
}

/// Reads, derives and stores; what was stored so far is in `ready` also when it ends early.
#[allow(clippy::too_many_arguments)]
async fn read(
    app: &App,
    job: Uuid,
    upload: &Upload,
    path: &Path,
    options: &ReadOptions,
    progress: &Progress,
    entry: &Entry,
    ready: &mut Vec<Ready>,
) -> Result<(), Stop> {
    let (send, mut receive) = tokio::sync::mpsc::channel::<(Meta, Derived)>(1);
    let (path, options, watch, file_name) = (path.to_owned(), *options, progress.clone(), upload.file_name.clone());
    let reading = tokio::task::spawn_blocking(move || -> Result<(), Stop> {
        let mut part = 0;
        let mut stopped = None;
        let go_on = |points: u64| {
            !watch.stopped() && {
                watch.note(&format!("{file_name}: {} points read", grouped(points)));
                true
            }
        };
        let read = read_source(&path, &options, &go_on, &mut |source: SourceScan| {
            part += 1;
            // nobody knows how many scans are still to come
            let (from, to) = (0.1 + 0.8 * (1.0 - 0.7_f64.powi(part - 1)), 0.1 + 0.8 * (1.0 - 0.7_f64.powi(part)));
            let meta = Meta {
                name: source.name,
                gridded: source.gridded,
                points: source.scan.points.len() as u64,
                skipped: source.skipped,
                images: source.images,
                coloured: !source.scan.colour.is_empty(),
                pose: source.pose.as_ref().map(PoseDto::from),
                has_scanner: source.scan.has_scanner(),
                reference: source.reference,
            };
            match derive::derive(&source.scan, &watch, &format!("{file_name}, scan {part}"), (from, to)) {
                Ok(derived) => send.blocking_send((meta, derived)).map_err(|_| FormatError::Stopped),
                Err(e) => {
                    stopped = Some(e);
                    Err(FormatError::Stopped)
                }
            }
        });
        match (stopped, read) {
            (Some(e), _) => Err(e),
            (None, Err(FormatError::Stopped)) => Err(Stop::Cancelled),
            (None, r) => Ok(r?),
        }
    });
    let names = Names::load(app, job, upload).await?;
    while let Some((source, derived)) = receive.recv().await {
        let wanted = entry.name.clone().or_else(|| source.name.clone()).filter(|n| !n.trim().is_empty());
        let name = names.free(wanted, ready);
        let key = derived.store(app, &derive::prefix(job, upload.id, ready.len() as i32)).await?;
        ready.push(Ready { name, source, derived, key });
    }
    reading.await.map_err(|_| Stop::Failed("the reading ended unexpectedly".into()))??;
    if progress.stopped() {
        return Err(Stop::Cancelled);
    }
    Ok(())
}

/// Writes the rows of all scans of an upload in one step.
async fn record(app: &App, task: &Task, upload: &Upload, entry: &Entry, ready: &[Ready]) -> Result<(), Stop> {
    let mut tx = app.db.begin().await?;
    if !vistazo_store::tasks::holds(&mut tx, task).await? {
        return Err(Stop::Cancelled);
    }
    for (part, r) in ready.iter().enumerate() {
        field::put_scan(
            &mut *tx,
            &NewScan {
                job: task.job_id,
                upload: upload.id,
                part: part as i32,
                name: &r.name,
                station: entry.station,
                gridded: r.source.gridded,
                levelled: entry.levelled,
                points: r.source.points as i64,
                skipped: r.source.skipped as i64,
                key: &r.key,
                pose: r.source.pose.map(|p| serde_json::json!(p)).as_ref(),
                images: r.source.images as i32,
                coloured: r.source.coloured,
                derived: &serde_json::json!(r.derived.tiles),
                bytes: r.derived.bytes as i64,
                log: &entry.log,
                simulated: entry.simulated,
                has_scanner: r.source.has_scanner,
                reference: r.source.reference.as_deref(),
            },
        )
        .await?;
    }
    Ok(tx.commit().await?)
}

/// Names of scans, each used once in a job.
struct Names {
    taken: Vec<String>,
    stem: String,
}

impl Names {
    async fn load(app: &App, job: Uuid, upload: &Upload) -> Result<Self, Stop> {
        let stem = Path::new(&upload.file_name)
            .file_stem()
            .map_or_else(|| "scan".into(), |s| s.to_string_lossy().into_owned());
        let scans = field::scans(&app.db, job).await?.into_iter();
        Ok(Self { taken: scans.filter(|s| s.upload_id != upload.id).map(|s| s.name.to_lowercase()).collect(), stem })
    }

    /// The name, or the name with the first number that makes it free.
    fn free(&self, wanted: Option<String>, ready: &[Ready]) -> String {
        let wanted: String = wanted.unwrap_or_else(|| self.stem.clone()).chars().take(60).collect();
        let is_taken = |n: &str| {
            let n = n.to_lowercase();
            self.taken.contains(&n) || ready.iter().any(|r| r.name.to_lowercase() == n)
        };
        if !is_taken(&wanted) {
            return wanted;
        }
        (2..).map(|k| format!("{wanted}-{k}")).find(|n| !is_taken(n)).unwrap_or(wanted)
    }
}

/// `1234567` as `1 234 567`.
pub(super) fn grouped(n: u64) -> String {
    let digits = n.to_string();
    let mut out = String::new();
    for (i, c) in digits.chars().enumerate() {
        if i > 0 && (digits.len() - i).is_multiple_of(3) {
            out.push(' ');
        }
        out.push(c);
    }
    out
}
