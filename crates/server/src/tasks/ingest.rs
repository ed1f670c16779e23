//! An uploaded file becomes canonical scans.

use super::{Progress, Stop, blocking, payload};
use crate::App;
use uuid::Uuid;
use vistazo_core::geometry::Vec3;
use vistazo_formats::{FormatError, canonical, read_source};
use vistazo_store::field::{self, NewScan};
use vistazo_store::tasks::Task;

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let upload: Uuid = payload(task, "upload")?;
    let scanner: [f64; 3] = payload(task, "scanner")?;
    let levelled: bool = payload(task, "levelled")?;
    let row = field::upload(&app.db, task.job_id, upload).await?;
    progress.at(0.05, "fetching the file")?;
    let file = tempfile::NamedTempFile::new()?;
    app.objects.fetch(&row.key, file.path()).await?;
    let count = store(app, task.job_id, &row, file.path(), Vec3::from(scanner), progress, &|part| Entry {
        name: None,
        part,
        station: None,
        levelled,
        log: serde_json::json!({ "file": row.file_name }),
    })
    .await
    .map_err(|e| match e {
        Stop::Failed(reason) => Stop::Failed(format!("{}: {reason}", row.file_name)),
        Stop::Cancelled => Stop::Cancelled,
    })?;
    Ok(format!(
        "{}: {} scan{} with {} points",
        row.file_name,
        count.0,
        if count.0 == 1 { "" } else { "s" },
        grouped(count.1)
    ))
}

/// How a scan is to be entered.
pub(super) struct Entry {
    pub name: Option<String>,
    pub part: usize,
    pub station: Option<Uuid>,
    pub levelled: bool,
    pub log: serde_json::Value,
}

/// Reads every scan of a local file and stores it; returns how many scans and points. When one
/// cannot be read, those already read are taken back: a file comes in whole or not at all.
pub(super) async fn store(
    app: &App,
    job: Uuid,
    upload: &field::Upload,
    path: &std::path::Path,
    scanner: Vec3,
    progress: &Progress,
    entry: &(dyn Fn(usize) -> Entry + Sync),
) -> Result<(usize, u64), Stop> {
    let (send, mut receive) = tokio::sync::mpsc::channel(1);
    let path = path.to_owned();
    let reading = tokio::task::spawn_blocking(move || {
        read_source(&path, scanner, &mut |scan| {
            send.blocking_send(scan).map_err(|_| FormatError::Damaged("the reading was stopped".into()))
        })
    });
    let stem = std::path::Path::new(&upload.file_name)
        .file_stem()
        .map_or_else(|| "scan".into(), |s| s.to_string_lossy().into_owned());
    let taken: Vec<String> = field::scans(&app.db, job)
        .await?
        .into_iter()
        .filter(|s| s.upload_id != upload.id)
        .map(|s| s.name.to_lowercase())
        .collect();
    let mut names: Vec<String> = Vec::new();
    let mut ready = Vec::new();
    let mut points = 0;
    while let Some(source) = receive.recv().await {
        let part = ready.len();
        progress.at(0.1 + 0.8 * (1.0 - 0.7_f64.powi(part as i32 + 1)), &format!("reading scan {}", part + 1))?;
        let entry = entry(part);
        let wanted =
            entry.name.clone().or(source.name.clone()).filter(|n| !n.trim().is_empty()).unwrap_or_else(|| stem.clone());
        let name = free_name(&wanted, |n| taken.contains(&n.to_lowercase()) || names.contains(&n.to_lowercase()));
        names.push(name.to_lowercase());
        let key = format!("jobs/{job}/canonical/{}-{part}", upload.id);
        let count = source.scan.points.len() as u64;
        points += count;
        let scan = source.scan;
        let bytes = blocking(move || Ok(canonical::write(&scan))).await?;
        app.objects.put(&key, bytes).await?;
        ready.push((entry, name, key, source.gridded, count, source.skipped));
    }
    reading.await.map_err(|_| Stop::Failed("the reading ended unexpectedly".into()))??;
    if progress.stopped() {
        return Err(Stop::Cancelled);
    }
    for (entry, name, key, gridded, count, skipped) in &ready {
        field::put_scan(
            &app.db,
            &NewScan {
                job,
                upload: upload.id,
                part: entry.part as i32,
                name,
                station: entry.station,
                gridded: *gridded,
                levelled: entry.levelled,
                points: *count as i64,
                skipped: *skipped as i64,
                key,
                log: &entry.log,
            },
        )
        .await?;
    }
    Ok((ready.len(), points))
}

/// The name, or the name with the first number that makes it free.
fn free_name(wanted: &str, taken: impl Fn(&str) -> bool) -> String {
    let wanted: String = wanted.chars().take(60).collect();
    if !taken(&wanted) {
        return wanted;
    }
    (2..).map(|k| format!("{wanted}-{k}")).find(|n| !taken(n)).unwrap_or(wanted)
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
