//! Measures the point spacing achieved on the required surfaces.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::work::files;
use crate::work::planning::GRID;
use crate::work::verdict::State;
use rayon::prelude::*;
use vistazo_core::check::SpacingCounter;
use vistazo_core::geometry::Pose;
use vistazo_core::instrument::Instrument;
use vistazo_store::tasks::Task;
use vistazo_store::{field, results};

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let state = State::load(app, task.job_id).await?;
    let inputs = state
        .spacing_inputs()
        .ok_or("the block is not where the walls of the plan are, or out of date: fit it to control first")?;
    let Some(georef) = state.on_grid() else { return Err(Stop::Failed("the block is not on the grid".into())) };
    let samples =
        vistazo_core::plan::cover(&state.plan.site, &[], &Instrument::from(&state.brief.instrument), GRID).samples;
    let mut counter = SpacingCounter::new(&samples, GRID);
    let scans = field::scans(&app.db, task.job_id).await?;
    let origin = state.brief.origin();
    for (i, scan) in scans.iter().enumerate() {
        progress.at(i as f64 / scans.len() as f64, &format!("counting points of {}", scan.name))?;
        let Some(station) = georef.record.stations.iter().find(|s| s.scan == scan.id) else { continue };
        let mut pose = Pose::from(&station.grid);
        pose.translation -= origin;
        let scan = files::scan(app, scan).await?;
        let samples = samples.clone();
        let counted = blocking(move || {
            let chunk = scan.points.len().div_ceil(rayon::current_num_threads()).max(1);
            Ok((0..scan.points.len())
                .into_par_iter()
                .chunks(chunk)
                .map(|indices| {
                    let mut c = SpacingCounter::new(&samples, GRID);
                    indices.into_iter().for_each(|k| c.add(&pose.apply(&scan.at(k))));
                    c
                })
                .reduce(
                    || SpacingCounter::new(&samples, GRID),
                    |mut a, b| {
                        a.merge(&b);
                        a
                    },
                ))
        })
        .await?;
        counter.merge(&counted);
    }
    let r = counter.result();
    results::put_spacing(
        &app.db,
        task.job_id,
        &inputs,
        &serde_json::json!({ "within": r.within, "total": r.total, "typical": r.typical }),
    )
    .await?;
    Ok(format!("{:.0} m² measured", r.total))
}
