//! Draws a floor plan: the slab is counted scan by scan, then lines are found in all of them.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::{DrawnData, DrawnFrom};
use crate::work::cleaning::Cleaning;
use crate::work::compare::Compared;
use crate::work::drawing;
use crate::work::staying::Staying;
use uuid::Uuid;
use vistazo_core::draw::{Slab, Stand, floor_plan};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_store::jobs;
use vistazo_store::tasks::Task;

pub(super) async fn run(app: &App, task: &Task, sheet: Uuid, progress: &Progress) -> Result<String, Stop> {
    let all = Compared::load(app, task.job_id).await?;
    let Some(inputs) = all.stands.sum(&all.scans) else {
        return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
    };
    let rows = jobs::drawing(&app.db, task.job_id).await?;
    let row = rows.into_iter().find(|i| i.id == sheet && i.kind == "sheet");
    let Some(data) = row.and_then(|i| DrawnData::parse("sheet", &i.data).ok()) else {
        return Err(Stop::Failed("the sheet is not there any more".into()));
    };
    let placed: Vec<_> = all.scans.iter().filter_map(|s| Some((s, all.stands.of_scan(s.id)?))).collect();
    let places: Vec<_> = placed.iter().map(|p| p.1.1.translation).collect();
    let Some(level) = drawing::level(&data, &all.stands, &places) else {
        return Err(Stop::Failed("the sheet does not say where it is cut".into()));
    };
    let cleaned = Cleaning::load(app, task.job_id).await?;
    let (mut layers, mut stands, mut names) = (Vec::new(), Vec::new(), Vec::new());
    for (k, (row, (_, pose, covariance))) in placed.iter().enumerate() {
        progress.at(0.8 * k as f64 / placed.len() as f64, &format!("what {} shows at this height", row.name))?;
        let scan = Staying::load(app, &cleaned, row).await?;
        let pose = *pose;
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
            Ok(scan.counted(count, join).unwrap_or_else(|| Slab::new(level)).finish())
        })
        .await?;
        layers.push(layer);
        stands.push(Stand { pose, covariance: *covariance });
        names.push(row.name.clone());
    }
    progress.at(0.8, "finding lines")?;
    let relations = all.relations(app).await?;
    let instrument = Instrument::from(&all.brief.instrument);
    let ids: Vec<Uuid> = placed.iter().map(|p| p.0.id).collect();
    let height = level.floor + level.cut;
    let plan = blocking(move || {
        let relation = |a: usize, b: usize| relations.of(ids[a], ids[b]);
        Ok(floor_plan(&layers, &stands, &relation, &instrument, height))
    })
    .await?;
    progress.at(0.97, "putting them onto the sheet")?;
    let found = drawing::items(sheet, &plan, &all.stands, &names);
    let from = DrawnFrom { inputs, at: chrono::Utc::now(), squared: drawing::squared(&plan, &all.stands) };
    let count = drawing::put(app, task.job_id, sheet, found, from).await?;
    if plan.faces.is_empty() {
        return Ok("nothing straight found at this height".into());
    }
    Ok(format!("{}: {} lines, {} openings, {count} things drawn", data.name, plan.faces.len(), plan.openings.len()))
}
