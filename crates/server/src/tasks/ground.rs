//! Finds the ground: every scan is counted into columns, the lowest of all are filtered, what lies on the filter is ground.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::GroundRequest;
use crate::work::ground;
use crate::work::sources::Sources;
use vistazo_core::draw::Stand;
use vistazo_core::draw::ground::GroundScan;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_store::tasks::Task;

/// Pieces of a pass whose heights are taken together.
const STRETCH: usize = 6;

pub(super) async fn run(app: &App, task: &Task, asked: GroundRequest, progress: &Progress) -> Result<String, Stop> {
    let Some(mut sources) = Sources::load(app, task.job_id, STRETCH).await? else {
        return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
    };
    let placed = sources.stands();
    let on_grid = |s: &Stand| sources.all.stands.position(&s.pose.translation);
    let places: Vec<[f64; 3]> = placed.iter().map(on_grid).collect();
    room(&places, &asked)?;
    let map = sources.all.stands.map();
    let (mut scans, mut stands) = (Vec::new(), Vec::new());
    for (k, (Stand { pose, covariance }, from)) in placed.iter().zip(places).enumerate() {
        progress.at(0.8 * k as f64 / placed.len() as f64, &format!("the lowest that {} shows", sources.said(k)))?;
        let scan = sources.points(app, k).await?;
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
        let pose = Pose { translation: from.into(), ..pose };
        stands.push(Stand { pose, covariance: *covariance });
    }
    progress.at(0.8, "what stands on the ground is taken off")?;
    let instrument = Instrument::from(&sources.brief().instrument);
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
    let on = &sources.all.stands;
    ground::keep(app, (task.job_id, id), on, sources.inputs.clone(), asked, &found).await?;
    let side = found.cell * on.ground_in_grid();
    let seen = found.cells.iter().flatten().count() as f64 * side * side;
    Ok(format!("{seen:.0} m² of ground, from {} points of {}", found.points[0], sources.in_words()))
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
