//! Draws a floor plan: the slab is counted scan by scan, then lines are found in all of them.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::{DrawnData, DrawnFrom};
use crate::work::drawing;
use crate::work::sources::Sources;
use uuid::Uuid;
use vistazo_core::draw::{Slab, floor_plan};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_store::jobs;
use vistazo_store::tasks::Task;

/// Pieces of a pass that are drawn from together: a wall is on one side of all of it.
const STRETCH: usize = 2;

pub(super) async fn run(app: &App, task: &Task, sheet: Uuid, progress: &Progress) -> Result<String, Stop> {
    let Some(mut all) = Sources::load(app, task.job_id, STRETCH).await? else {
        return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
    };
    let rows = jobs::drawing(&app.db, task.job_id).await?;
    let row = rows.into_iter().find(|i| i.id == sheet && i.kind == "sheet");
    let Some(data) = row.and_then(|i| DrawnData::parse("sheet", &i.data).ok()) else {
        return Err(Stop::Failed("the sheet is not there any more".into()));
    };
    let stands = all.stands();
    let places: Vec<_> = stands.iter().map(|s| s.pose.translation).collect();
    let Some(level) = drawing::level(&data, &all.all.stands, &places) else {
        return Err(Stop::Failed("the sheet does not say where it is cut".into()));
    };
    let mut layers = Vec::new();
    for (k, stand) in stands.iter().enumerate() {
        progress.at(0.8 * k as f64 / stands.len() as f64, &format!("what {} shows at this height", all.said(k)))?;
        let points = all.points(app, k).await?;
        let (pose, noise) = (stand.pose, all.noise(k));
        let layer = blocking(move || {
            let count = |points: &mut dyn Iterator<Item = Vec3>| {
                let mut slab = Slab::new(level);
                points.for_each(|p| slab.add(&pose.apply(&p)));
                slab
            };
            let join = |mut a: Slab, b: Slab| {
                a.merge(b);
                a
            };
            let layer = points.counted(count, join).unwrap_or_else(|| Slab::new(level)).finish();
            Ok(match noise {
                Some(noise) => layer.with_calmed(noise),
                None => layer,
            })
        })
        .await?;
        layers.push(layer);
    }
    progress.at(0.8, "finding lines")?;
    let beside = all.relations(app).await?;
    let instrument = Instrument::from(&all.brief().instrument);
    let height = level.floor + level.cut;
    let plan = blocking(move || {
        let relation = |a: usize, b: usize| beside.of(a, b);
        Ok(floor_plan(&layers, &stands, &relation, &instrument, height))
    })
    .await?;
    progress.at(0.97, "putting them onto the sheet")?;
    let found = drawing::items(sheet, &plan, &all.all.stands, &all.names());
    let from = DrawnFrom {
        inputs: all.inputs.clone(),
        at: chrono::Utc::now(),
        squared: drawing::squared(&plan, &all.all.stands),
    };
    let count = drawing::put(app, task.job_id, sheet, found, from).await?;
    if plan.faces.is_empty() {
        return Ok("nothing straight found at this height".into());
    }
    Ok(format!(
        "{}: {} lines, {} openings, {count} things drawn, from {}",
        data.name,
        plan.faces.len(),
        plan.openings.len(),
        all.in_words()
    ))
}
