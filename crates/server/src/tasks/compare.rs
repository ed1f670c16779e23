//! Sets scans against one another: pair by pair, each kept when it is done.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::record::comparison::{StoredComparison, places};
use crate::work::compare::Compared;
use crate::work::ties;
use std::collections::VecDeque;
use std::sync::Arc;
use vistazo_core::compare::compare;
use vistazo_core::tie::Shown;
use vistazo_store::Uuid;
use vistazo_store::comparisons::{drop_comparisons, put_comparison};
use vistazo_store::tasks::Task;

/// Scans held in memory at once.
const HELD: usize = 10;

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let all = Compared::load(app, task.job_id).await?;
    let relations = all.relations(app).await?;
    drop_comparisons(&app.db, task.job_id, &all.left_over()).await?;
    let todo = all.to_do();
    let mut held: VecDeque<(Uuid, Arc<Shown>)> = VecDeque::new();
    let (mut changed, mut apart) = (0, 0);
    for (k, pair) in todo.iter().enumerate() {
        progress.at(k as f64 / todo.len() as f64, &format!("{} against {}", pair.a.name, pair.b.name))?;
        let Some(covariance) = relations.of(pair.a.id, pair.b.id) else { continue };
        let mut shown = Vec::with_capacity(2);
        for row in [pair.a, pair.b] {
            let found = match held.iter().find(|h| h.0 == row.id) {
                Some(h) => h.1.clone(),
                None => {
                    let made = Arc::new(ties::shown(app, row).await?);
                    held.push_back((row.id, made.clone()));
                    made
                }
            };
            shown.push(found);
        }
        while held.len() > HELD {
            held.pop_front();
        }
        let (relative, second) = (pair.relative, shown.pop());
        let (Some(first), Some(second)) = (shown.pop(), second) else { continue };
        let (result, places) = blocking(move || {
            let c = compare(&first, &second, &relative, &covariance);
            Ok((StoredComparison::from(&c), places(&c)))
        })
        .await?;
        changed += result.regions.len();
        apart += usize::from(result.misfit.is_some());
        let (result, places) = (serde_json::json!(result), serde_json::json!(places));
        put_comparison(&app.db, task.job_id, (pair.a.id, pair.b.id), &pair.inputs, &result, &places).await?;
    }
    Ok(format!("{} pairs compared: {apart} lie apart as a whole, {changed} places changed", todo.len()))
}
