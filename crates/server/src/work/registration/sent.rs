//! A record of a registration as it is sent.

use super::Current;
use crate::dto::{
    AdjustmentDto, AdjustmentResult, Brief, CloudTieResidualDto, ComponentDto, Error95Dto, JoinDto, LevelDto, LoopDto,
    ObservationDto, PoseDto, SourceDto, StandingDto, StationDto, SystematicDto, TargetDto, TieDto,
};
use crate::record::measured::seen_as;
use crate::record::registration::{self as record, Detail, Measured, Registration};
use crate::words;
use std::collections::HashSet;
use vistazo_core::geometry::{Error95, Pose, Vec3};
use vistazo_core::stats::K95_1D;

/// As it is sent.
pub(crate) fn to_dto(brief: &Brief, c: &Current, detail: Option<&Detail>) -> AdjustmentDto {
    AdjustmentDto {
        id: c.row.id,
        revision: c.row.revision,
        stale: c.stale,
        locked: c.row.locked_at.is_some(),
        created_at: c.row.created_at,
        result: result(brief, &c.record, &c.kept, detail),
    }
}

fn result(brief: &Brief, r: &Registration, kept: &HashSet<String>, detail: Option<&Detail>) -> AdjustmentResult {
    let [estimate, low, high, applied] = r.statistics.variance;
    let (used, candidates) = r.targets.iter().map(target).partition(|t: &TargetDto| t.used);
    let mut out = AdjustmentResult {
        refused: r.refused.as_ref().map(words::registration::refusal),
        stations: r.scans.iter().map(station).collect(),
        targets: used,
        candidates,
        standings: r.scans.iter().map(|s| StandingDto { scan: s.id, grade: s.grade, residual: s.residual }).collect(),
        findings: r.findings.iter().map(|f| words::registration::finding(brief, r, f, kept.contains(&f.key))).collect(),
        sum: r.statistics.sum,
        dof: r.statistics.dof,
        global_p: r.statistics.global_p,
        variance_factor: applied,
        variance_estimate: estimate,
        variance_interval: [low, high],
        iterations: r.statistics.iterations,
        components: r
            .statistics
            .components
            .iter()
            .map(|c| ComponentDto { group: c.0, factor: c.1, redundancy: c.2 })
            .collect(),
        systematic: r.statistics.systematic.iter().flat_map(|s| systematic(r, s)).collect(),
        ..AdjustmentResult::default()
    };
    if let Some(d) = detail {
        out.observations = d.observations.iter().filter_map(|o| observation(r, o)).collect();
        out.cloud_ties = d.observations.iter().filter_map(cloud_tie).collect();
        out.levels = d.observations.iter().filter_map(|o| level(r, o)).collect();
        out.ties = d.ties.iter().map(|t| tie(brief, r, t)).collect();
        out.loops = (0..d.loops.len()).map(|k| ring(r, d, k)).collect();
        out.joins = d
            .joins
            .iter()
            .map(|j| JoinDto {
                target: r.targets[j.target].name.clone(),
                gap: j.gap,
                gap95: crate::record::error95(&j.covariance).spatial,
                p_value: j.p_value,
            })
            .collect();
    }
    out
}

fn systematic<'a>(r: &'a Registration, s: &'a record::Systematic) -> impl Iterator<Item = SystematicDto> + 'a {
    s.parameters.iter().map(|p| SystematicDto {
        parameter: p.parameter,
        name: words::parameter(p.parameter).into(),
        scan: s.scan.map(|k| r.scans[k].name.clone()),
        value: p.value,
        half95: p.sigma * K95_1D,
        stated: p.stated,
    })
}

fn station(s: &record::Scan) -> StationDto {
    let heading = s.covariance.get(35).copied().unwrap_or(0.0);
    StationDto {
        scan: s.id,
        name: s.name.clone(),
        pose: PoseDto::from(&Pose::from(&s.pose)),
        error: Error95Dto::from(Error95::from_covariance(&crate::record::georeference::position(&s.covariance))),
        heading95: heading.max(0.0).sqrt() * K95_1D,
        targets: s.targets,
        covariance: s.covariance.clone(),
    }
}

pub(crate) fn sources(budget: &[crate::record::Share]) -> Vec<SourceDto> {
    budget.iter().map(|(g, share)| SourceDto { name: words::group(*g).into(), group: *g, share: *share }).collect()
}

fn target(t: &record::Target) -> TargetDto {
    TargetDto {
        name: t.name.clone(),
        kind: t.kind,
        position: t.position,
        error: crate::record::error95(&t.covariance).into(),
        scans: t.scans,
        used: t.scans > 1 || t.named,
        difference: None,
        sources: sources(&t.budget),
    }
}

/// A length-like observation: its scan, its target, its residual.
fn observation(r: &Registration, o: &record::Observation) -> Option<ObservationDto> {
    let (scan, target, range, kind) = match &o.measured {
        Measured::TargetCentre { scan, target, centre, checker, picked, .. } => {
            let by = record::TargetKind::from(seen_as(*checker, *picked));
            (Some(*scan), *target, Vec3::from(*centre).norm(), by.word())
        }
        Measured::OccupiedMark { scan, target, height, .. } => (Some(*scan), *target, *height, "occupied point"),
        Measured::Backsight { scan, target, reflector, .. } => {
            (Some(*scan), *target, Vec3::from(*reflector).norm(), "backsight")
        }
        Measured::KnownPoint { target, .. } => (None, *target, 0.0, "control"),
        Measured::Distance { from, distance, .. } => (None, *from, *distance, "distance"),
        Measured::Level { .. }
        | Measured::CloudTie { .. }
        | Measured::TrackedPose { .. }
        | Measured::Held { .. }
        | Measured::SystematicPrior { .. } => return None,
    };
    // a distance is of two targets
    let other = match &o.measured {
        Measured::Distance { to, .. } => format!(" – {}", r.targets[*to].name),
        _ => String::new(),
    };
    let x = &o.residual;
    Some(ObservationDto {
        detection: o.id,
        kind: kind.into(),
        scan: scan.map_or_else(String::new, |s| r.scans[s].name.clone()),
        target: r.targets[target].name.clone() + &other,
        range,
        residual: x.vector,
        length: Vec3::from(x.vector).norm(),
        expected: x.expected,
        statistic: x.statistic,
        dof: x.dof,
        p_value: x.p_value,
        redundancy: x.redundancy,
        detectable: x.detectable,
        reliability: x.reliability,
        active: o.active,
        suspect: o.suspect,
    })
}

/// What the block says of a tie by clouds.
fn cloud_tie(o: &record::Observation) -> Option<CloudTieResidualDto> {
    let (Measured::CloudTie { .. }, Some(tie)) = (&o.measured, o.id) else { return None };
    let x = &o.residual;
    let part = |from: usize| Vec3::from_fn(|k, _| x.rows.get(from + k).copied().unwrap_or(0.0)).norm();
    Some(CloudTieResidualDto {
        tie,
        shift: part(0),
        turn: part(3),
        p_value: x.p_value,
        redundancy: x.redundancy,
        detectable: x.detectable,
        reliability: x.reliability,
        active: o.active,
        suspect: o.suspect,
    })
}

fn level(r: &Registration, o: &record::Observation) -> Option<LevelDto> {
    let Measured::Level { scan, sigma } = o.measured else { return None };
    let x = &o.residual;
    Some(LevelDto {
        scan: r.scans[scan].name.clone(),
        residual: [x.rows.first().copied().unwrap_or(0.0), x.rows.get(1).copied().unwrap_or(0.0)],
        sigma,
        p_value: x.p_value,
        redundancy: x.redundancy,
        detectable: x.detectable,
        reliability: x.reliability,
        active: o.active,
        suspect: o.suspect,
    })
}

fn tie(brief: &Brief, r: &Registration, t: &record::Tie) -> TieDto {
    TieDto {
        a: r.scans[t.scans.0].name.clone(),
        b: r.scans[t.scans.1].name.clone(),
        shared: t.shared.iter().map(|&k| r.targets[k].name.clone()).collect(),
        rms: t.rms,
        worst: t.worst,
        spread: t.spread,
        breadth: t.breadth,
        grade: t.grade,
        reasons: t.reasons.iter().map(|x| words::registration::reason(brief, r, x)).collect(),
    }
}

fn ring(r: &Registration, d: &Detail, k: usize) -> LoopDto {
    let l = &d.loops[k];
    LoopDto {
        name: words::registration::ring(r, d, k),
        shift: l.shift,
        shift95: l.shift95,
        turn: l.turn,
        turn95: l.turn95,
        p_value: l.p_value,
    }
}
