//! Looks for what is to be built: scan by scan, all designs at once.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::ElementStateDto;
use crate::work::built::{self, Designs};
use crate::work::ties;
use vistazo_core::compare::Gaze;
use vistazo_store::designs::put_look;
use vistazo_store::tasks::Task;

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let all = Designs::load(app, task.job_id).await?;
    let mut doing = Vec::new();
    for row in all.to_do() {
        let Some(inputs) = all.inputs(row) else {
            return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
        };
        doing.push((row, inputs));
    }
    let mut gazes = Vec::new();
    for (row, _) in &doing {
        gazes.push(Gaze::new(all.elements(row)?));
    }
    for (k, scan) in all.scans.iter().enumerate() {
        progress.at(k as f64 / all.scans.len() as f64, &format!("what {} shows of it", scan.name))?;
        let Some((_, pose, covariance)) = all.stands.of_scan(scan.id) else { continue };
        let shown = ties::shown(app, scan).await?;
        gazes = blocking(move || {
            for g in &mut gazes {
                g.look(&shown, &pose, &covariance);
            }
            Ok(gazes)
        })
        .await?;
    }
    let mut elements = 0;
    for ((row, inputs), gaze) in doing.iter().zip(&gazes) {
        let states = gaze.states(row.tolerance);
        let states: Vec<ElementStateDto> = states.iter().map(|s| built::state(s, &all.stands)).collect();
        elements += states.len();
        put_look(&app.db, row.id, task.created_by, inputs, &serde_json::json!(states)).await?;
    }
    Ok(format!("{elements} elements looked for"))
}
