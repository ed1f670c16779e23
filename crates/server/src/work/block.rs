//! From detections to an adjusted, judged block.

use super::findings;
use super::network::{StoredNetwork, StoredObservation, StoredScan, StoredTarget};
use crate::dto::{
    AdjustmentDto, AdjustmentResult, Brief, DetectionData, Error95Dto, FindingDto, ObservationDto, PoseDto, SourceDto,
    StandingDto, StationDto, TargetDto, TieDto,
};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::adjust::{Solution, solve};
use vistazo_core::geometry::{Mat3, Vec3};
use vistazo_core::register::{Block, Grade, Observed, ScanTargets, Tie, TieInput, assemble, grade_ties};
use vistazo_core::stats::{K95_1D, chi2_quantile};
use vistazo_core::target::TargetKind;
use vistazo_store::field::{self, DetectionRow, ScanRow};
use vistazo_store::results;

/// Risk at which the outlier and moved tests speak up.
const ALPHA: f64 = 0.001;

/// Everything the registration depends on.
pub(crate) struct Inputs {
    pub brief: Brief,
    pub scans: Vec<ScanRow>,
    pub detections: Vec<DetectionRow>,
    /// Sum of the detections as they were when this was read.
    state: String,
}

impl Inputs {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (_, brief) = super::brief(app, job).await?;
        // the sum first: what changes in between makes the result out of date, never falsely fresh
        let state = field::detection_state(&app.db, job).await?;
        let scans = field::scans(&app.db, job).await?;
        Ok(Self { brief, scans, detections: field::detections(&app.db, job).await?, state })
    }

    /// What a search depends on: scans searched with another one are searched again.
    pub(crate) fn search_key(brief: &Brief) -> String {
        super::fingerprint(&(brief.sphere_diameter, brief.checker_side, &brief.instrument))
    }

    pub(crate) fn fingerprint(&self) -> String {
        inputs(&self.brief, &self.scans, &self.state)
    }
}

/// What an adjustment came from, in short.
fn inputs(brief: &Brief, scans: &[ScanRow], detections: &str) -> String {
    let scans: Vec<_> = scans.iter().map(|s| (s.id, s.levelled)).collect();
    super::fingerprint(&(scans, detections, Inputs::search_key(brief)))
}

/// The last adjustment without its observations and ties, and whether it is still of what is there.
pub(crate) async fn current(app: &App, job: Uuid) -> Result<Option<(results::Adjustment, AdjustmentDto)>, ApiError> {
    let Some(row) = results::adjustment(&app.db, job).await? else { return Ok(None) };
    let (_, brief) = super::brief(app, job).await?;
    let now = inputs(&brief, &field::scans(&app.db, job).await?, &field::detection_state(&app.db, job).await?);
    let result: AdjustmentResult = serde_json::from_value(row.result.clone())
        .map_err(|e| ApiError::bad(format!("the stored adjustment cannot be read: {e}")))?;
    let dto = AdjustmentDto {
        id: row.id,
        revision: row.revision,
        stale: row.inputs != now,
        locked: row.locked_at.is_some(),
        created_at: row.created_at,
        result,
    };
    Ok(Some((row, dto)))
}

/// The last adjustment with everything.
pub(crate) async fn whole(app: &App, job: Uuid) -> Result<Option<AdjustmentDto>, ApiError> {
    let Some((row, mut dto)) = current(app, job).await? else { return Ok(None) };
    dto.result = serde_json::from_str(&results::adjustment_text(&app.db, row.id).await?)
        .map_err(|e| ApiError::bad(format!("the stored adjustment cannot be read: {e}")))?;
    Ok(Some(dto))
}

pub(crate) fn data(row: &DetectionRow) -> DetectionData {
    serde_json::from_value(row.data.clone()).unwrap_or(DetectionData {
        centre: [0.0; 3],
        covariance: [0.0; 9],
        hits: 0,
        rms: 0.0,
        s0: 0.0,
        range: 0.0,
        free_radius: None,
        cap: None,
        size: "wrong_size".into(),
    })
}

fn kind(row: &DetectionRow) -> TargetKind {
    if row.kind == "sphere" { TargetKind::Sphere } else { TargetKind::Checker }
}

fn refused(reason: String, findings: Vec<FindingDto>) -> AdjustmentResult {
    AdjustmentResult {
        refused: Some(reason),
        stations: vec![],
        targets: vec![],
        observations: vec![],
        ties: vec![],
        findings,
        standings: vec![],
        sum: 0.0,
        dof: 0,
        global_p: 1.0,
        variance_factor: 1.0,
        iterations: 0,
    }
}

/// Matches, adjusts and judges. What cannot be adjusted comes back as a result that says why.
pub(crate) fn compute(inputs: &Inputs) -> (StoredNetwork, AdjustmentResult) {
    let usable: Vec<&DetectionRow> = inputs.detections.iter().filter(|d| d.usable).collect();
    let scans: Vec<ScanTargets> = inputs
        .scans
        .iter()
        .map(|s| ScanTargets {
            name: s.name.clone(),
            levelled: s.levelled,
            targets: usable
                .iter()
                .enumerate()
                .filter(|(_, d)| d.scan_id == s.id && !d.excluded)
                .map(|(id, d)| {
                    let data = data(d);
                    Observed {
                        id,
                        kind: kind(d),
                        group: d.part,
                        centre: Vec3::from(data.centre),
                        covariance: Mat3::from_row_slice(&data.covariance),
                    }
                })
                .collect(),
        })
        .collect();
    let block = assemble(&scans);
    let mut findings = findings::sizes(inputs);
    findings.extend(block.unplaced.iter().map(|u| FindingDto {
        kind: "unplaced".into(),
        title: format!("{} has no place in the block", scans[u.scan].name),
        evidence: vec![u.reason.clone()],
        meaning: "The other scans are adjusted without it. Its points are not delivered until it is tied in.".into(),
        before: vec![],
        after: vec![],
        target: None,
    }));
    if inputs.scans.len() < 2 {
        return (
            StoredNetwork::default(),
            refused(
                format!(
                    "there {} {} scan(s); at least 2 that share 3 targets are needed",
                    if inputs.scans.len() == 1 { "is" } else { "are" },
                    inputs.scans.len()
                ),
                findings,
            ),
        );
    }
    if usable.is_empty() {
        let wrong = inputs.detections.len();
        let more = if wrong > 0 { format!(" ({wrong} of another size were found: see below)") } else { String::new() };
        return (
            StoredNetwork::default(),
            refused(
                format!(
                    "no targets were found in any scan{more}: check the sphere diameter and checker side in the brief, and that the targets stand within range"
                ),
                findings,
            ),
        );
    }
    let network = network(inputs, &block, &scans, &usable);
    let core = network.to_core();
    match solve(core) {
        Err(e) => (network, refused(e.to_string(), findings)),
        Ok(solution) => {
            let result = judge(inputs, &network, &solution, &block, findings);
            (network, result)
        }
    }
}

/// Unknowns and observations of the placed scans. Excluded observations stay in, inactive, where
/// their target is known from others, so that their misfit is shown.
fn network(inputs: &Inputs, block: &Block, scans: &[ScanTargets], usable: &[&DetectionRow]) -> StoredNetwork {
    let placed: Vec<usize> = (0..scans.len()).filter(|&s| block.poses[s].is_some()).collect();
    let place = |s: usize| placed.iter().position(|p| *p == s);
    let mut net = StoredNetwork {
        scans: placed
            .iter()
            .filter_map(|&s| {
                Some(StoredScan {
                    id: inputs.scans[s].id,
                    name: scans[s].name.clone(),
                    pose: PoseDto::from(&block.poses[s]?),
                    level_sigma: if inputs.scans[s].levelled {
                        inputs.brief.instrument.compensator_sigma
                    } else {
                        None
                    },
                })
            })
            .collect(),
        ..StoredNetwork::default()
    };
    // numbered in the order they were first seen, so that names stay when the registration is run again
    let mut order: Vec<usize> = (0..block.members.len()).collect();
    order.sort_by_key(|&t| block.members[t][0]);
    for (number, &t) in order.iter().enumerate() {
        let first = &scans[block.members[t][0].0].targets[block.members[t][0].1];
        net.targets.push(StoredTarget {
            name: format!("T{:02}", number + 1),
            kind: usable[first.id].kind.clone(),
            position: block.positions[t].into(),
        });
        for &(s, k) in &block.members[t] {
            let o = &scans[s].targets[k];
            let Some(scan) = place(s) else { continue };
            net.observations.push(StoredObservation {
                detection: usable[o.id].id,
                scan,
                target: number,
                centre: o.centre.into(),
                covariance: row_major(&o.covariance),
                active: true,
            });
        }
    }
    for d in usable.iter().filter(|d| d.excluded) {
        let data = data(d);
        let Some((s, scan)) = inputs.scans.iter().position(|x| x.id == d.scan_id).and_then(|s| Some((s, place(s)?)))
        else {
            continue;
        };
        let Some(pose) = block.poses[s] else { continue };
        let p = pose.apply(&Vec3::from(data.centre));
        let nearest = net
            .targets
            .iter()
            .enumerate()
            .filter(|(_, t)| t.kind == d.kind)
            .map(|(i, t)| (i, (Vec3::from(t.position) - p).norm()))
            .min_by(|a, b| a.1.total_cmp(&b.1));
        if let Some((target, distance)) = nearest
            && distance < 0.5
        {
            net.observations.push(StoredObservation {
                detection: d.id,
                scan,
                target,
                centre: data.centre,
                covariance: data.covariance,
                active: false,
            });
        }
    }
    net
}

fn row_major(m: &Mat3) -> [f64; 9] {
    std::array::from_fn(|k| m[(k / 3, k % 3)])
}

fn judge(
    inputs: &Inputs,
    net: &StoredNetwork,
    solution: &Solution,
    block: &Block,
    mut findings: Vec<FindingDto>,
) -> AdjustmentResult {
    let brief = &inputs.brief;
    let moved: Vec<_> = solution.moved.iter().filter(|m| m.p_value < ALPHA).collect();
    // the strongest explanation first; smaller ones may be its shadow
    let strongest_single = (0..net.observations.len())
        .filter(|&i| net.observations[i].active && solution.residuals[i].p_value < ALPHA)
        .max_by(|&a, &b| solution.residuals[a].statistic.total_cmp(&solution.residuals[b].statistic));
    let suspect = |i: usize| match moved.first() {
        Some(m) => net.observations[i].active && net.observations[i].target == m.target,
        None => strongest_single == Some(i),
    };
    if let Some(m) = moved.first() {
        findings.insert(0, findings::moved(brief, net, solution, m, moved.len() - 1));
    } else if let Some(i) = strongest_single {
        findings.insert(0, findings::outlier(brief, net, solution, i));
    }
    let names: Vec<String> = net.targets.iter().map(|t| t.name.clone()).collect();
    let tie_observations: Vec<_> = net
        .observations
        .iter()
        .enumerate()
        .filter(|(_, o)| o.active)
        .map(|(i, o)| {
            let worst = Mat3::from_row_slice(&o.covariance).symmetric_eigenvalues().max().sqrt();
            (o.scan, o.target, Vec3::from(o.centre), worst, suspect(i))
        })
        .collect();
    let poses: Vec<_> = solution.poses.iter().copied().map(Some).collect();
    let index = |s: usize| net.scans.iter().position(|x| x.id == inputs.scans[s].id);
    let ambiguous: Vec<_> = block.ambiguous.iter().filter_map(|&(a, b)| Some((index(a)?, index(b)?))).collect();
    let length = |v: f64| brief.length(v);
    let standings = |ties: &[Tie]| (0..net.scans.len()).map(|k| standing(net, solution, ties, k)).collect();
    let ties = grade_ties(&TieInput {
        poses: &poses,
        observations: &tie_observations,
        target_names: &names,
        ambiguous: &ambiguous,
        length: &length,
    });
    AdjustmentResult {
        refused: None,
        standings: standings(&ties),
        stations: net.scans.iter().enumerate().map(|(k, s)| station(net, solution, k, s)).collect(),
        targets: net
            .targets
            .iter()
            .enumerate()
            .map(|(k, t)| {
                let at = 6 * net.scans.len() + 3 * k;
                let own = [at, at + 1, at + 2];
                let level = solution.level_covariance(&own, &own).trace() / solution.target_covariance(k).trace();
                TargetDto {
                    name: t.name.clone(),
                    kind: t.kind.clone(),
                    position: solution.targets[k].into(),
                    error: solution.target_error(k).into(),
                    scans: net.observations.iter().filter(|o| o.active && o.target == k).count(),
                    sources: vec![
                        SourceDto { name: "measuring the targets".into(), share: 1.0 - level },
                        SourceDto { name: "levelling".into(), share: level },
                    ],
                }
            })
            .collect(),
        observations: net
            .observations
            .iter()
            .enumerate()
            .map(|(i, o)| observation(net, solution, i, o, suspect(i)))
            .collect(),
        ties: ties
            .into_iter()
            .map(|t| TieDto {
                a: net.scans[t.scans.0].name.clone(),
                b: net.scans[t.scans.1].name.clone(),
                shared: t.shared.iter().map(|&k| names[k].clone()).collect(),
                rms: t.rms,
                worst: t.worst,
                spread: t.spread,
                breadth: t.breadth,
                grade: word(t.grade).into(),
                reasons: t.reasons,
            })
            .collect(),
        findings,
        sum: solution.sum,
        dof: solution.dof,
        global_p: solution.global_p,
        variance_factor: solution.variance_factor,
        iterations: solution.iterations,
    }
}

fn word(grade: Grade) -> &'static str {
    match grade {
        Grade::Sound => "sound",
        Grade::Doubtful => "doubtful",
        Grade::Failed => "failed",
        Grade::NotJudged => "not judged",
    }
}

/// The weakest grade among the judged ties of a scan, and its largest residual over the expected.
fn standing(net: &StoredNetwork, solution: &Solution, ties: &[Tie], scan: usize) -> StandingDto {
    let mine = ties.iter().filter(|t| t.scans.0 == scan || t.scans.1 == scan).map(|t| t.grade);
    let residual = net
        .observations
        .iter()
        .zip(&solution.residuals)
        .filter(|(o, r)| o.active && o.scan == scan && r.dof > 0)
        // one in a thousand right observations goes beyond: a scan with a dozen is not red by chance
        .map(|(_, r)| (r.statistic / chi2_quantile(0.999, r.dof)).sqrt())
        .max_by(f64::total_cmp);
    StandingDto {
        scan: net.scans[scan].id,
        grade: word(mine.filter(|g| *g != Grade::NotJudged).max().unwrap_or(Grade::NotJudged)).into(),
        residual,
    }
}

/// How long the residual of an observation may be when nothing is wrong, 95 %.
fn expected(o: &StoredObservation) -> f64 {
    Mat3::from_row_slice(&o.covariance).symmetric_eigenvalues().max().sqrt() * vistazo_core::stats::K95_3D
}

fn station(net: &StoredNetwork, solution: &Solution, k: usize, s: &StoredScan) -> StationDto {
    StationDto {
        scan: s.id,
        name: s.name.clone(),
        pose: PoseDto::from(&solution.poses[k]),
        error: Error95Dto::from(solution.station_error(k)),
        heading95: solution.pose_covariance(k)[(5, 5)].max(0.0).sqrt() * K95_1D,
        targets: net.observations.iter().filter(|o| o.active && o.scan == k).count(),
        covariance: solution.pose_covariance(k).transpose().iter().copied().collect(),
    }
}

fn observation(
    net: &StoredNetwork,
    solution: &Solution,
    i: usize,
    o: &StoredObservation,
    suspect: bool,
) -> ObservationDto {
    let r = &solution.residuals[i];
    ObservationDto {
        detection: o.detection,
        scan: net.scans[o.scan].name.clone(),
        target: net.targets[o.target].name.clone(),
        range: Vec3::from(o.centre).norm(),
        residual: r.vector.into(),
        length: r.vector.norm(),
        expected: expected(o),
        statistic: r.statistic,
        p_value: r.p_value,
        redundancy: r.redundancy,
        detectable: r.detectable.is_finite().then_some(r.detectable),
        active: o.active,
        suspect,
    }
}
