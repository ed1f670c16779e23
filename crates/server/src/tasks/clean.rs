//! Gives every point of the scans its class: scan by scan, each kept when it is done.

use super::derive::{CLASSED_WITH, classed};
use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::CleanDto;
use crate::work::cleaning::Cleaning;
use crate::work::{files, ties};
use rayon::prelude::*;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::clean::{Class, Mirror, Other, count, in_mirrors, mirrors, moved, over, stray};
use vistazo_core::geometry::Pose;
use vistazo_core::scan::Scan;
use vistazo_core::tie::Shown;
use vistazo_store::cleaning::{ClassesRow, drop_classes, put_classes};
use vistazo_store::field::ScanRow;
use vistazo_store::tasks::Task;

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let all = Cleaning::load(app, task.job_id).await?;
    if let Some(why) = all.lost() {
        return Err(Stop::Failed(why));
    }
    let todo = all.to_do();
    let asked = all.looks_for(&CleanDto::Mirror {}) && !todo.is_empty();
    let hung = if asked { hung(app, &all, progress).await? } else { Vec::new() };
    let begun = if asked { MIRRORS } else { 0.0 };
    let mut found = [0_u64; 6];
    for (k, row) in todo.iter().enumerate() {
        let share = |part: f64| begun + (1.0 - begun) * (k as f64 + part) / todo.len() as f64;
        progress.at(share(0.0), &format!("looking at {}", row.name))?;
        let Some(inputs) = all.inputs(row) else {
            drop_classes(&app.db, task.job_id, row.id).await?;
            continue;
        };
        let classes = look(app, &all, row, &hung, progress, share(0.2)).await?;
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

/// The scans that stand round one and know how far they saw, with the pose from its frame to theirs and how far both may be
/// beside each other, 1σ, metres.
async fn about(app: &App, all: &Cleaning, scan: Uuid) -> Result<Vec<(Shown, Pose, f64)>, Stop> {
    let mut out = Vec::new();
    for (id, pose, sigma) in all.others(scan) {
        let Some(other) = all.scans.iter().find(|s| s.id == id && s.has_scanner) else { continue };
        out.push((ties::shown(app, other).await?, pose, sigma));
    }
    Ok(out)
}

/// Share of the work that looking for mirrors is.
const MIRRORS: f64 = 0.3;

/// The mirrors that each scan shows, in its own frame. One that stands near finds what others see from afar as well.
async fn hung(app: &App, all: &Cleaning, progress: &Progress) -> Result<Vec<(Uuid, Mirror)>, Stop> {
    let mut out = Vec::new();
    for (k, row) in all.scans.iter().enumerate().filter(|s| s.1.has_scanner && s.1.levelled) {
        let share = MIRRORS * k as f64 / all.scans.len() as f64;
        progress.at(share, &format!("mirrors that {} shows", row.name))?;
        let (own, round) = (ties::shown(app, row).await?, about(app, all, row.id).await?);
        let look = move || {
            let beside: Vec<_> = round.iter().map(|(s, pose, _)| (s, pose.inverse())).collect();
            Ok(mirrors(&own, &beside))
        };
        out.extend(blocking(look).await?.into_iter().map(|m| (row.id, m)));
    }
    Ok(out)
}

/// A scan with the class of each of its points.
async fn look(
    app: &App,
    all: &Cleaning,
    row: &ScanRow,
    hung: &[(Uuid, Mirror)],
    progress: &Progress,
    share: f64,
) -> Result<(Scan, Vec<Class>), Stop> {
    let scan = files::scan(app, row).await?;
    let moves = all.looks_for(&CleanDto::Moved {});
    let sights = if moves { about(app, all, row.id).await? } else { Vec::new() };
    let to: HashMap<Uuid, Pose> =
        all.others(row.id).into_iter().map(|o| (o.0, o.1.inverse())).chain([(row.id, Pose::identity())]).collect();
    let hung: Vec<Mirror> = hung.iter().filter_map(|(s, m)| Some(m.seen_from(to.get(s)?))).collect();
    let (strays, chosen) = (all.looks_for(&CleanDto::Stray {}), all.chosen(row.id));
    progress.at(share, &format!("what does not belong in {}", row.name))?;
    blocking(move || {
        // what somebody chose comes first: it says most
        let mut classes: Vec<Class> = (0..scan.points.len())
            .into_par_iter()
            .map(|k| {
                let p = scan.at(k);
                if chosen.iter().any(|c| c.has(&p, scan.level(k))) { Class::Chosen } else { Class::Kept }
            })
            .collect();
        let others: Vec<Other<'_>> =
            sights.iter().map(|(s, pose, sigma)| Other { sight: &s.sight, pose: *pose, sigma: *sigma }).collect();
        if moves {
            over(&mut classes, &moved(&scan, &others));
        }
        if strays {
            over(&mut classes, &stray(&scan));
        }
        if !hung.is_empty() {
            over(&mut classes, &in_mirrors(&scan, &hung));
        }
        Ok((scan, classes))
    })
    .await
}
