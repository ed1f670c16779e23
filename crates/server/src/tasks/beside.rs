//! A worker beside the server, in a process with memory of its own: a file that asks for too much ends the worker and
//! fails its task, and the pages stay.

use crate::App;
use std::process::Stdio;
use std::sync::atomic::Ordering;
use std::time::Duration;
use tokio::process::Command;
use vistazo_store::tasks;

/// Keeps one worker running until this program is about to end. The worker ends when its standard input does, so none
/// is left behind however this program ends.
pub async fn beside(app: App) {
    while !app.closing.load(Ordering::Relaxed) {
        let name = vistazo_store::new_id().to_string();
        match worker(&app, &name).await {
            Ok(how) if !app.closing.load(Ordering::Relaxed) => {
                tracing::warn!(how, "the worker ended; another is started");
                if let Err(e) = tasks::lost(&app.db, &name).await {
                    tracing::warn!(error = %e, "cannot say what it held; that is taken again when nobody beats for it");
                }
            }
            Ok(_) => return,
            Err(e) => tracing::error!(error = %e, "cannot start a worker"),
        }
        tokio::time::sleep(Duration::from_secs(1)).await;
    }
}

/// Runs one worker to its end; says how it ended.
async fn worker(app: &App, name: &str) -> std::io::Result<String> {
    let mut child = Command::new(std::env::current_exe()?)
        .args(["worker", "--beside"])
        .env("VISTAZO_WORKER", name)
        .stdin(Stdio::piped())
        .kill_on_drop(true)
        .spawn()?;
    let held = child.stdin.take();
    tokio::select! {
        status = child.wait() => return Ok(status?.to_string()),
        () = app.ending.notified() => {}
    }
    drop(held);
    let ended = tokio::time::timeout(Duration::from_secs(3), child.wait()).await;
    Ok(if ended.is_ok() { "asked to" } else { "killed" }.to_owned())
}
