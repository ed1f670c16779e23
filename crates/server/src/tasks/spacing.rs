//! Measures what the scans show of the required surfaces, and how densely.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::work::cleaning::{self, Cleaning};
use crate::work::planning::GRID;
use crate::work::verdict::State;
use crate::work::{files, shown};
use rayon::prelude::*;
use vistazo_core::check::SurfaceCounter;
use vistazo_core::clean::Class;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::georef::GridMap;
use vistazo_store::tasks::Task;
use vistazo_store::{field, results};

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let state = State::load(app, task.job_id).await?;
    let inputs = state
        .spacing_inputs()
        .ok_or("the block is not where the walls of the plan are, or out of date: fit it to control first")?;
    let Some(georef) = state.on_grid() else { return Err(Stop::Failed("the block is not on the grid".into())) };
    let samples = vistazo_core::plan::sample(&state.plan.site, GRID);
    let empty = SurfaceCounter::new(&samples, GRID);
    let mut counter = empty.clone();
    let cleaned = Cleaning::load(app, task.job_id).await?;
    let scans = field::scans(&app.db, task.job_id).await?;
    let (origin, map) = (state.brief.origin(), GridMap::from(&georef.record.map));
    let mut stood: Vec<(String, Vec3)> = Vec::new();
    for (i, row) in scans.iter().enumerate() {
        progress.at(0.9 * i as f64 / scans.len() as f64, &format!("counting points of {}", row.name))?;
        let Some(station) = georef.record.stations.iter().find(|s| s.scan == row.id) else { continue };
        let pose = Pose::from(&station.local);
        stood.push((row.name.clone(), map.apply(&pose.translation) - origin));
        let scan = files::scan(app, row).await?;
        let classes = match cleaned.kept.get(&row.id) {
            Some(c) => cleaning::classes(app, c).await?,
            None => Vec::new(),
        };
        let (empty, map) = (empty.clone(), map.clone());
        let counted = blocking(move || {
            let stays = |k: usize| classes.get(k).is_none_or(|c| *c == Class::Kept);
            let chunk = scan.points.len().div_ceil(rayon::current_num_threads()).max(1);
            let count = |indices: Vec<usize>| {
                let mut c = empty.clone();
                for k in indices.into_iter().filter(|k| stays(*k)) {
                    c.add(&(map.apply(&pose.apply(&scan.at(k))) - origin));
                }
                c
            };
            let join = |mut a: SurfaceCounter, b: SurfaceCounter| {
                a.merge(&b);
                a
            };
            let parts = (0..scan.points.len()).into_par_iter().chunks(chunk).map(count);
            Ok(parts.reduce_with(join).unwrap_or_else(|| empty.clone()))
        })
        .await?;
        counter.merge(&counted);
    }
    progress.at(0.9, "looking for the stations that would fill the holes")?;
    let counted = counter.result();
    let small = serde_json::json!({ "within": counted.within, "total": counted.total, "typical": counted.typical });
    let (plan, brief) = (state.plan.clone(), state.brief.clone());
    let said = blocking(move || Ok(shown::judge(&plan, &brief, &stood, &counted))).await?;
    shown::keep(app, task.job_id, &inputs, &said).await?;
    results::put_spacing(&app.db, task.job_id, &inputs, &small).await?;
    Ok(format!("{:.0} m² measured, {} holes", said.total, said.holes.len()))
}
