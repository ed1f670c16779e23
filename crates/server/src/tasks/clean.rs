//! Gives every point of the scans its class: scan by scan, each kept when it is done.

use super::derive::{CLASSED_WITH, classed};
use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::CleanDto;
use crate::work::cleaning::Cleaning;
use crate::work::{files, ties};
use rayon::prelude::*;
use vistazo_core::clean::{Class, Other, count, moved, over, stray};
use vistazo_core::scan::Scan;
use vistazo_store::cleaning::{ClassesRow, drop_classes, put_classes};
use vistazo_store::field::ScanRow;
use vistazo_store::tasks::Task;

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let all = Cleaning::load(app, task.job_id).await?;
    if let Some(why) = all.lost_box() {
        return Err(Stop::Failed(why));
    }
    let todo = all.to_do();
    let mut found = [0_u64; 5];
    for (k, row) in todo.iter().enumerate() {
        let share = |part: f64| (k as f64 + part) / todo.len() as f64;
        progress.at(share(0.0), &format!("looking at {}", row.name))?;
        let Some(inputs) = all.inputs(row) else {
            drop_classes(&app.db, task.job_id, row.id).await?;
            continue;
        };
        let classes = look(app, &all, row, progress, share(0.2)).await?;
        let counts = count(&classes.1);
        counts.iter().zip(&mut found).for_each(|(c, f)| *f += c);
        progress.at(share(0.6), &format!("making the view of {}", row.name))?;
        let p = progress.clone();
        let made = blocking(move || classed(&classes.0, &classes.1, &p)).await?;
        let key = format!("{}/{}", row.key.rsplit_once('/').map_or(row.key.as_str(), |k| k.0), made.tiles.build);
        for name in CLASSED_WITH {
            app.objects.put_file(&format!("{key}/{name}"), &made.path(name)).await?;
        }
        let (tiles, counts) = (serde_json::json!(made.tiles), serde_json::json!(counts));
        put_classes(&app.db, task.job_id, &ClassesRow { scan_id: row.id, inputs, key, tiles, counts }).await?;
    }
    let out: u64 = found[1..].iter().sum();
    Ok(format!("{} scans looked at, {} points taken out", todo.len(), super::ingest::grouped(out)))
}

/// A scan with the class of each of its points.
async fn look(
    app: &App,
    all: &Cleaning,
    row: &ScanRow,
    progress: &Progress,
    share: f64,
) -> Result<(Scan, Vec<Class>), Stop> {
    let scan = files::scan(app, row).await?;
    let mut sights = Vec::new();
    if all.looks_for(&CleanDto::Moved {}) {
        for (id, pose, sigma) in all.others(row.id) {
            let Some(other) = all.scans.iter().find(|s| s.id == id && s.has_scanner) else { continue };
            sights.push((ties::shown(app, other).await?, pose, sigma));
        }
    }
    let (strays, boxes) = (all.looks_for(&CleanDto::Stray {}), all.boxes(row.id));
    progress.at(share, &format!("what does not belong in {}", row.name))?;
    blocking(move || {
        // what somebody chose comes first: it says most
        let mut classes: Vec<Class> = (0..scan.points.len())
            .into_par_iter()
            .map(|k| {
                let p = scan.at(k);
                let inside =
                    boxes.iter().any(|(to, half)| to.apply(&p).abs().iter().zip(half.iter()).all(|(v, h)| v <= h));
                if inside { Class::Chosen } else { Class::Kept }
            })
            .collect();
        let others: Vec<Other<'_>> =
            sights.iter().map(|(s, pose, sigma)| Other { sight: &s.sight, pose: *pose, sigma: *sigma }).collect();
        over(&mut classes, &moved(&scan, &others));
        if strays {
            over(&mut classes, &stray(&scan));
        }
        Ok((scan, classes))
    })
    .await
}
