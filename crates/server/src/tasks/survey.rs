//! Sets the clouds against independent surveys: scan by scan, all surveys at once.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::work::survey::{StoredBeside, StoredPoint, Surveyed, in_frame, inputs, points};
use rayon::prelude::*;
use vistazo_core::compare::{Surfaces, SurveyPoint};
use vistazo_core::instrument::Instrument;
use vistazo_formats::working_cloud;
use vistazo_store::surveys::{SurveyRow, put_survey_result};
use vistazo_store::tasks::Task;

/// A survey on its way: its points, and the best that a scan has shown of each so far.
struct Doing<'a> {
    row: &'a SurveyRow,
    inputs: String,
    points: Vec<SurveyPoint>,
    best: Vec<Option<StoredBeside>>,
}

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let all = Surveyed::load(app, task.job_id).await?;
    let (_, brief) = crate::work::brief(app, task.job_id).await?;
    let systematic = Instrument::from(&brief.instrument).systematic;
    let mut doing = Vec::new();
    for row in all.to_do() {
        let Some(inputs) = inputs(row, &all.scans, &all.stands) else {
            return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
        };
        let stored: Vec<StoredPoint> = points(row)?;
        let points: Vec<SurveyPoint> = stored.iter().map(|p| in_frame(p, &all.stands)).collect();
        doing.push(Doing { row, inputs, best: vec![None; points.len()], points });
    }
    for (k, scan) in all.scans.iter().enumerate() {
        progress.at(k as f64 / all.scans.len() as f64, &format!("what {} shows at the points", scan.name))?;
        let Some((id, pose, covariance)) = all.stands.of_scan(scan.id) else { continue };
        let bytes = app.objects.bytes(&format!("{}/cloud", scan.key)).await?;
        let asked: Vec<Vec<SurveyPoint>> = doing.iter().map(|d| d.points.clone()).collect();
        let seen = blocking(move || {
            let cloud = working_cloud::read(&bytes).map_err(|e| Stop::Failed(e.to_string()))?;
            let surfaces = Surfaces::of(&cloud);
            let of = |points: &Vec<SurveyPoint>| -> Vec<_> {
                points.par_iter().map(|p| surfaces.beside(&pose, &covariance, &systematic, p)).collect()
            };
            Ok(asked.iter().map(of).collect::<Vec<_>>())
        })
        .await?;
        for (d, seen) in doing.iter_mut().zip(seen) {
            for (best, b) in d.best.iter_mut().zip(seen) {
                let Some(b) = b else { continue };
                let scans = best.as_ref().map_or(0, |o| o.scans) + 1;
                if let Some(o) = best.as_mut().filter(|o| o.sigma <= b.sigma) {
                    o.scans = scans;
                } else {
                    *best = Some(StoredBeside {
                        scan: id,
                        scans,
                        distance: b.distance,
                        normal: b.normal.into(),
                        sigma: b.sigma,
                        uneven: b.uneven,
                    });
                }
            }
        }
    }
    let mut found = 0;
    for d in &doing {
        found += d.best.iter().flatten().count();
        put_survey_result(&app.db, task.job_id, d.row.id, &d.inputs, &serde_json::json!(d.best)).await?;
    }
    let asked: usize = doing.iter().map(|d| d.points.len()).sum();
    Ok(format!("{found} of {asked} points lie on a surface that a scan shows"))
}
