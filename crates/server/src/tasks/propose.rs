//! Proposes stations: minutes on a large site.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::ProposeRequest;
use crate::work::{designing, planning};
use vistazo_core::plan::ProposeError;
use vistazo_store::tasks::Task;

pub(super) async fn run(app: &App, task: &Task, request: ProposeRequest, progress: &Progress) -> Result<String, Stop> {
    let (_, brief) = crate::work::brief(app, task.job_id).await?;
    let plan = planning::load(app, task.job_id).await?;
    let (p, watch) = (plan.clone(), progress.clone());
    let found = blocking(move || {
        designing::alternatives(&p, &brief, &request, &|share, what| watch.at(share, what).is_ok()).map_err(|e| match e
        {
            ProposeError::Stopped => Stop::Cancelled,
            other => Stop::Failed(other.to_string()),
        })
    })
    .await?;
    designing::keep(app, task.job_id, &plan, &found).await?;
    let counts: Vec<String> = found.alternatives.iter().map(|a| format!("{} {}", a.name, a.stations.len())).collect();
    Ok(format!("stations proposed: {}", counts.join(", ")))
}
