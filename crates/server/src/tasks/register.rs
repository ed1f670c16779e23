//! Finds targets in scans that were not searched yet, then matches, adjusts and judges the block.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::DetectionData;
use crate::record::registration::{Registration, TargetKind};
use crate::work::files;
use crate::work::registration::{Inputs, compute, data};
use crate::work::ties::can_be_tied;
use uuid::Uuid;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::targets::{Detection, SizeVerdict, detect};
use vistazo_store::field::ScanRow;
use vistazo_store::tasks::Task;
use vistazo_store::{StoreError, field, results};

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let inputs = Inputs::load(app, task.job_id).await?;
    let count = inputs.scans.len().max(1) as f64;
    for (i, scan) in inputs.scans.iter().enumerate() {
        progress.at(0.3 * i as f64 / count, &format!("looking for targets in {}", scan.name))?;
        search(app, task.job_id, &inputs, scan).await?;
    }
    progress.at(0.3, "matching and adjusting")?;
    let (said, result) = adjust(app, task.job_id).await?;
    // what targets do not hold, what the scans show of the same surfaces may; or the brief asks for both
    let complete = result.refused.is_none() && result.unplaced.is_empty();
    let wanted = inputs.brief.tie_by_clouds;
    if complete && !wanted || inputs.scans.iter().filter(|s| can_be_tied(s)).count() < 2 {
        return Ok(said);
    }
    let placed = result.scans.iter().map(|s| (s.id, Pose::from(&s.pose))).collect();
    let found = super::tie::search(app, task.job_id, &placed, !wanted, progress, (0.3, 0.95)).await?;
    progress.at(0.96, "adjusting with ties by clouds")?;
    Ok(format!("{}; {found}", adjust(app, task.job_id).await?.0))
}

/// Looks for targets in a scan that was not searched yet.
pub(super) async fn search(app: &App, job: Uuid, inputs: &Inputs, scan: &ScanRow) -> Result<(), Stop> {
    let key = Inputs::search_key(&inputs.brief);
    // without a scanner there is no picture to look at
    if !scan.has_scanner || field::is_searched(&app.db, scan.id, &key).await? {
        return Ok(());
    }
    let points = files::scan(app, scan).await?;
    let (search, instrument) = (inputs.brief.search(), Instrument::from(&inputs.brief.instrument));
    let found = blocking(move || Ok(detect(&points, &instrument, &search))).await?;
    // what somebody pointed at is there already
    let there: Vec<Vec3> = (inputs.detections.iter().filter(|d| d.scan_id == scan.id && d.laid_by.is_some()))
        .map(|d| Ok(Vec3::from(data(d)?.centre)))
        .collect::<Result<_, crate::ApiError>>()?;
    let new = found.iter().filter(|d| there.iter().all(|t| (t - d.centre).norm() > SAME));
    let rows: Vec<_> = new.map(row).collect();
    field::put_detections(&app.db, job, scan.id, &key, &rows).await?;
    Ok(())
}

/// Adjusts and judges what is there; says in short what came out.
pub(super) async fn adjust(app: &App, job: Uuid) -> Result<(String, Registration), Stop> {
    let inputs = Inputs::load(app, job).await?;
    let fingerprint = inputs.fingerprint();
    let (result, detail) = blocking(move || Ok(compute(&inputs)?)).await?;
    results::put_adjustment(&app.db, job, &fingerprint, &serde_json::json!(detail), &serde_json::json!(result))
        .await
        .map_err(|e| match e {
        StoreError::Conflict => Stop::Failed("the registration is locked; unlock it to run again".into()),
        e => Stop::Failed(e.to_string()),
    })?;
    let said = match &result.refused {
        Some(reason) => format!("not adjusted: {}", crate::words::registration::refusal(reason)),
        None => format!(
            "{} scans and {} targets adjusted, {} to decide",
            result.scans.len(),
            result.targets.len(),
            result.findings.len()
        ),
    };
    Ok((said, result))
}

/// Two finds nearer than this are one target, metres.
pub(crate) const SAME: f64 = 0.1;

pub(crate) fn row(d: &Detection) -> (&'static str, serde_json::Value, bool) {
    let data = DetectionData {
        centre: d.centre.into(),
        covariance: std::array::from_fn(|k| d.covariance[(k / 3, k % 3)]),
        hits: d.hits,
        rms: d.rms,
        s0: d.s0,
        range: d.centre.norm(),
        free_radius: d.free_radius.map(|r| [r.0, r.1]),
        cap: d.cap,
        size: match d.size {
            SizeVerdict::Agrees => "agrees",
            SizeVerdict::DiameterRadiusMixUp => "diameter_radius_mix_up",
            SizeVerdict::WrongSize => "wrong_size",
        }
        .into(),
    };
    (TargetKind::from(d.kind).word(), serde_json::json!(data), d.size == SizeVerdict::Agrees)
}
