//! Passes are brought into the frame of the scans, and their paths corrected.

use super::{Progress, Stop, blocking, derive};
use crate::App;
use crate::dto::PassFacts;
use crate::record::passes::{Passes, StoredPass, StoredPlace, StoredTie, VERSION};
use crate::work::passes::{self, Made, Walked, corrected};
use crate::work::{pass_marks, ties};
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::mobile::{Anchor, Mark, Noted, PassIn, Piece, Trajectory, Unit, register};
use vistazo_formats::passes::KeptPieces;
use vistazo_store::passes::put_pass_cloud;
use vistazo_store::tasks::Task;

/// A pass on its way.
struct Doing {
    id: Uuid,
    key: String,
    path: Trajectory,
    pieces: Vec<Piece>,
    unit: Unit,
    marks: Vec<Mark>,
}

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let all = Walked::load(app, task.job_id).await?;
    let mut doing = Vec::new();
    for row in &all.rows {
        let Some(key) = row.key.clone() else { continue };
        progress.at(0.0, &format!("{}: fetching what was read", row.name))?;
        let bytes = app.objects.bytes(&format!("{key}/pieces")).await?;
        let pieces = blocking(move || Ok(KeptPieces::from_bytes(&bytes)?.0)).await?;
        let path = passes::path(app, &key).await?;
        let marks = pass_marks::marks_in_frame(app, task.job_id, &all.standing, row, &path).await?;
        let [from, to] = path.span();
        for m in &marks {
            if let Noted::Stood(time) = m.noted
                && !(from..=to).contains(&time)
            {
                return Err(Stop::Failed(format!(
                    "{}: found a mark at {time:.2} s, expected a time of its path, {from:.2} to {to:.2} s",
                    row.name
                )));
            }
        }
        doing.push(Doing { id: row.id, path, key, pieces, unit: passes::unit(row), marks });
    }
    if doing.is_empty() {
        return Err(Stop::Failed("no pass was read yet: bring a cloud and its path first".into()));
    }
    let (mut stations, mut shown) = (Vec::new(), Vec::new());
    for row in &all.standing.scans {
        let Some((id, pose, covariance)) = all.standing.stands.of_scan(row.id) else { continue };
        progress.at(0.02, &format!("{}: fetching what it shows", row.name))?;
        stations.push((id, pose, covariance));
        shown.push(ties::shown(app, row).await?);
    }
    let doing = Arc::new(doing);
    let (watch, given, scans) = (progress.clone(), doing.clone(), stations.clone());
    let out = blocking(move || {
        let anchors: Vec<Anchor<'_>> = shown
            .iter()
            .zip(&scans)
            .map(|(shown, (_, pose, covariance))| Anchor { shown, pose: *pose, covariance: *covariance })
            .collect();
        let given: Vec<PassIn<'_>> = given
            .iter()
            .map(|d| PassIn { path: &d.path, pieces: &d.pieces, unit: &d.unit, start: None, marks: &d.marks })
            .collect();
        let go_on = |share: f64| watch.at(0.05 + 0.65 * share, "tying the passes to what they come by").is_ok();
        register(&anchors, &given, &go_on).ok_or(Stop::Cancelled)?.map_err(|e| Stop::Failed(e.to_string()))
    })
    .await?;
    let whole = |id: Uuid| all.rows.iter().any(|r| r.id == id && r.whole);
    let record = Passes {
        version: VERSION,
        inputs: all.inputs.clone(),
        at: chrono::Utc::now(),
        frame: all.standing.stands.frame.into(),
        passes: doing
            .iter()
            .zip(&out.passes)
            .map(|(d, p)| StoredPass {
                id: d.id,
                key: d.key.clone(),
                placed: p.as_ref().map(|p| StoredPlace::of(p, whole(d.id))).map_err(|e| (*e).into()),
            })
            .collect(),
        ties: out
            .ties
            .iter()
            .map(|t| StoredTie {
                of: t.of,
                to: t.to.map(|k| stations[k].0),
                rms: t.rms,
                overlap: t.overlap,
                off: t.off,
                left_out: t.left_out,
            })
            .collect(),
        factors: out.factors,
        wrong_marks: out.wrong_marks.clone(),
    };
    passes::keep(app, task.job_id, &record).await?;
    let placed: Vec<usize> = (0..doing.len()).filter(|k| out.passes[*k].is_ok()).collect();
    for (n, &k) in placed.iter().enumerate() {
        let d = &doing[k];
        let row = all.rows.iter().find(|r| r.id == d.id).ok_or(Stop::Cancelled)?;
        let share = |s: f64| 0.7 + 0.3 * (n as f64 + s) / placed.len() as f64;
        progress.at(share(0.0), &format!("{}: the cloud along its path", row.name))?;
        let facts: PassFacts = serde_json::from_value(row.facts.clone().unwrap_or_default())?;
        let cloud = passes::cloud(app, &d.key).await?;
        let (watch, doing) = (progress.clone(), doing.clone());
        let Ok(place) = &record.passes[k].placed else { continue };
        let correction = place.correction();
        let (made, origin) = blocking(move || {
            let c = corrected(&cloud, &doing[k].path, &correction, facts.clock);
            drop(cloud);
            Ok((derive::merged(&c.scan, &watch)?, c.origin))
        })
        .await?;
        let key = format!("jobs/{}/passes/{}/{}", task.job_id, d.id, made.tiles.build);
        app.objects.put_file(&format!("{key}/tiles"), &made.path("tiles")).await?;
        let kept = serde_json::json!(Made { origin: origin.into(), tiles: made.tiles.clone() });
        put_pass_cloud(&app.db, task.job_id, d.id, &all.inputs, &key, &kept).await?;
    }
    let refused = doing.len() - placed.len();
    Ok(match refused {
        0 => format!(
            "{} of {0} passes lie among {} scans, held by {} ties",
            placed.len(),
            stations.len(),
            out.ties.len()
        ),
        _ => format!("{} of {} passes found no place", refused, doing.len()),
    })
}
