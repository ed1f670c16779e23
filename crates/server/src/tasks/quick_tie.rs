//! A scan that came in is tied at once, while whoever took it still stands there: to the one that was asked for, or to the
//! one before it and those planned nearest, until one holds. What is found is for the field sheet; the registration looks
//! for itself. Where control is known, its targets are looked for too: they say where it stands (`work::own_station`).

use super::{Progress, Stop, Work, blocking, queue, register};
use crate::App;
use crate::record::GradeWord;
use crate::record::cloud_tie::FoundTie;
use crate::work::registration::Inputs;
use crate::work::ties::{can_be_tied, shown};
use uuid::Uuid;
use vistazo_core::instrument::Instrument;
use vistazo_core::tie::{CloudTieFound, Expected, Grade, tie_by_clouds};
use vistazo_store::field::{self, ScanRow};
use vistazo_store::journal::{self, QuickTieRow};
use vistazo_store::tasks::Task;

/// Scans that one is tried with.
const TRIED: usize = 4;

/// Asks for the ties of the scans of an upload that came in, where somebody writes a journal on site, and puts what was
/// noted about their stations into their logs.
pub(super) async fn arrived(app: &App, job: Uuid, upload: Uuid) -> Result<(), Stop> {
    let all = field::scans(&app.db, job).await?;
    let new: Vec<&ScanRow> = all.iter().filter(|s| s.upload_id == upload).collect();
    let stations: Vec<Uuid> = new.iter().filter_map(|s| s.station_id).collect();
    crate::work::journal::carry(app, job, &stations).await?;
    if journal::is_written(&app.db, job).await? {
        for s in new.iter().filter(|s| can_be_tied(s)) {
            queue(app, job, &Work::QuickTie { scan: s.id, to: None }, None).await?;
        }
    }
    Ok(())
}

pub(super) async fn run(
    app: &App,
    task: &Task,
    (scan, to): (Uuid, Option<Uuid>),
    progress: &Progress,
) -> Result<String, Stop> {
    let job = task.job_id;
    let all = field::scans(&app.db, job).await?;
    let Some(own) = all.iter().find(|s| s.id == scan) else {
        return Err(Stop::Failed("the scan is no longer there".into()));
    };
    let inputs = Inputs::load(app, job).await?;
    if inputs.has_control() {
        progress.at(0.0, &format!("looking for targets in {}", own.name))?;
        register::search(app, job, &inputs, own).await?;
    }
    let (brief, plan) = (&inputs.brief, &inputs.plan);
    let planned = |s: &ScanRow| plan.stations.iter().find(|p| Some(p.0) == s.station_id).map(|p| p.1.position.xy());
    let distance = |s: &ScanRow| planned(own).zip(planned(s)).map(|(p, q)| (p - q).norm());
    let mut others: Vec<&ScanRow> = all.iter().filter(|s| s.id != scan && can_be_tied(s)).collect();
    if let Some(to) = to {
        others.retain(|s| s.id == to);
    } else {
        // the one taken before it first, then those planned nearest
        let before = all.iter().take_while(|s| s.id != scan).filter(|s| can_be_tied(s)).last().map(|s| s.id);
        others.sort_by(|a, b| {
            let key = |s: &ScanRow| (Some(s.id) != before, distance(s).unwrap_or(f64::MAX));
            let (a, b) = (key(a), key(b));
            a.0.cmp(&b.0).then(a.1.total_cmp(&b.1))
        });
        others.truncate(TRIED);
    }
    if others.is_empty() {
        return Ok(format!("{} is the first", own.name));
    }
    let profile = Instrument::from(&brief.instrument).systematic;
    let mut best: Option<(&ScanRow, CloudTieFound)> = None;
    for (k, other) in others.iter().enumerate() {
        progress.at(k as f64 / others.len() as f64, &format!("bringing {} and {} together", other.name, own.name))?;
        let (first, second) = (shown(app, other).await?, shown(app, own).await?);
        let expected = Expected { distance: distance(other).map(|d| (d, 0.25)), profile, ..Expected::default() };
        let tie = blocking(move || Ok(tie_by_clouds(&first, &second, &expected))).await?;
        if let Some(t) = tie.filter(|t| best.as_ref().is_none_or(|b| t.grade.grade < b.1.grade.grade)) {
            let sound = t.grade.grade == Grade::Sound;
            best = Some((other, t));
            if sound {
                break;
            }
        }
    }
    let row = QuickTieRow {
        scan_id: scan,
        other: best.as_ref().map(|b| b.0.id),
        found: best.as_ref().map(|b| serde_json::json!(FoundTie::from(&b.1))),
        grade: serde_json::json!(best.as_ref().map_or(GradeWord::NotJudged, |b| b.1.grade.grade.into()))
            .as_str()
            .unwrap_or_default()
            .to_owned(),
    };
    journal::put_quick_tie(&app.db, job, &row).await?;
    Ok(match &best {
        Some((other, t)) => {
            format!("{} and {}: {}", other.name, own.name, format!("{:?}", t.grade.grade).to_lowercase())
        }
        None => format!(
            "{} shares nothing with {}",
            own.name,
            others.iter().map(|o| o.name.as_str()).collect::<Vec<_>>().join(", ")
        ),
    })
}
