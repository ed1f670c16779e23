//! Finds the ground: every scan is counted into columns, the lowest of all are filtered, what lies on the filter is ground.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::GroundRequest;
use crate::work::cleaning::Cleaning;
use crate::work::ground;
use crate::work::stands::Standing;
use crate::work::staying::Staying;
use vistazo_core::draw::Stand;
use vistazo_core::draw::ground::GroundScan;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_store::tasks::Task;

pub(super) async fn run(app: &App, task: &Task, asked: GroundRequest, progress: &Progress) -> Result<String, Stop> {
    let all = Standing::load(app, task.job_id).await?;
    let Some(inputs) = all.stands.sum(&all.scans) else {
        return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
    };
    let placed: Vec<_> = all
        .scans
        .iter()
        .filter(|s| s.has_scanner)
        .filter_map(|s| {
            let (_, pose, covariance) = all.stands.of_scan(s.id)?;
            Some((s, pose, covariance, all.stands.position(&pose.translation)))
        })
        .collect();
    room(&placed.iter().map(|p| p.3).collect::<Vec<_>>(), &asked)?;
    let cleaned = Cleaning::load(app, task.job_id).await?;
    let map = all.stands.map();
    let (mut scans, mut stands) = (Vec::new(), Vec::new());
    for (k, (row, pose, covariance, from)) in placed.iter().enumerate() {
        progress.at(0.8 * k as f64 / placed.len() as f64, &format!("the lowest that {} shows", row.name))?;
        let scan = Staying::load(app, &cleaned, row).await?;
        let (pose, map) = (*pose, map.clone());
        let counted = blocking(move || {
            let count = |points: &mut dyn Iterator<Item = Vec3>| {
                let mut part = GroundScan::new(asked.cell);
                for p in points {
                    if p.norm_squared() < asked.reach * asked.reach {
                        // heights of the grid follow the level surface, those of the frame do not
                        let p = pose.apply(&p);
                        part.add(&map.as_ref().map_or(p, |m| m.apply(&p)));
                    }
                }
                part
            };
            let join = |mut a: GroundScan, b: GroundScan| {
                a.merge(b);
                a
            };
            Ok(scan.counted(count, join).unwrap_or_else(|| GroundScan::new(asked.cell)))
        })
        .await?;
        scans.push(counted);
        // the frame lies along the grid but for its convergence, which changes nothing in heights
        let pose = Pose { translation: (*from).into(), ..pose };
        stands.push(Stand { pose, covariance: *covariance });
    }
    progress.at(0.8, "what stands on the ground is taken off")?;
    let instrument = Instrument::from(&all.brief.instrument);
    let found = blocking(move || {
        Ok(vistazo_core::draw::ground::ground(&scans, &stands, &instrument, asked.widest, asked.slope))
    })
    .await?;
    let found = found.filter(|g| g.cells.iter().flatten().nth(2).is_some());
    let Some(found) = found else {
        return Err(Stop::Failed(format!("no scan shows the ground within {} m of its scanner", asked.reach)));
    };
    progress.at(0.95, "keeping it")?;
    let id = format!("{}-{}", task.id, task.attempts);
    ground::keep(app, (task.job_id, id), &all.stands, inputs, asked, &found).await?;
    let side = found.cell * all.stands.ground_in_grid();
    let seen = found.cells.iter().flatten().count() as f64 * side * side;
    Ok(format!("{seen:.0} m² of ground, from {} points", found.points[0]))
}

/// Whether cells of this size, over all that scans may reach, are few enough.
fn room(places: &[[f64; 3]], asked: &GroundRequest) -> Result<(), Stop> {
    let long = |k: usize| {
        let v = places.iter().map(|p| p[k]);
        v.clone().fold(f64::MIN, f64::max) - v.fold(f64::MAX, f64::min) + 2.0 * asked.reach
    };
    let cells = long(0) * long(1) / (asked.cell * asked.cell);
    if places.is_empty() || cells <= ground::MOST {
        return Ok(());
    }
    let side = (long(0) * long(1) / ground::MOST).sqrt();
    Err(Stop::Failed(format!(
        "cells of {} m would be {:.1} million, expected at most {:.0} million: take cells of {side:.2} m, or less reach",
        asked.cell,
        cells / 1e6,
        ground::MOST / 1e6
    )))
}
