use super::evidence::{
    Agreement, AreaLimits, Asked, Check, Designed, Evidence, Ground, Judged, Misfit, Requirement, Surveyed, Verdict,
    VerdictRow,
};
use crate::deliver::Deliverable;
use crate::geometry::{Error95, Vec3};

/// Risk at which a check point is said to be off, over all of them together.
const RISK: f64 = 0.01;

/// One row for each thing that was asked.
///
/// *Met* needs evidence that took no part in the result and none that contradicts it. What contradicts
/// without showing the limit broken makes it *not demonstrated*, with the reason.
pub fn verdict(asked: &Requirement, evidence: &Evidence) -> Vec<VerdictRow> {
    let whole = AreaLimits {
        name: String::new(),
        horizontal95: asked.horizontal95,
        vertical95: asked.vertical95,
        spatial95: asked.spatial95,
    };
    let mut out = limit_rows(&whole, None, asked, evidence);
    for (k, area) in asked.areas.iter().enumerate() {
        let own = AreaLimits {
            name: area.name.clone(),
            horizontal95: area.horizontal95.or(asked.horizontal95),
            vertical95: area.vertical95.or(asked.vertical95),
            spatial95: area.spatial95.or(asked.spatial95),
        };
        out.extend(limit_rows(&own, Some(k), asked, evidence));
    }
    out.extend(asked.check_rmse.map(|limit| check_row(limit, evidence)));
    out.extend(asked.spacing.map(|limit| spacing_row(limit, evidence)));
    let limit = strictest(&whole);
    out.extend(limit.zip(evidence.agreement.as_ref()).map(|(limit, a)| agreement_row(limit, asked, a)));
    out.extend(limit.zip(evidence.survey.as_ref()).map(|(limit, s)| survey_row(limit, s)));
    out.extend(evidence.designs.iter().map(design_row));
    out.extend((!asked.deliverables.is_empty()).then(|| deliverables_row(asked, evidence)));
    out
}

/// What surfaces are held against: the limit in space, else that of what is asked.
fn strictest(of: &AreaLimits) -> Option<f64> {
    of.spatial95.or(of.horizontal95).or(of.vertical95)
}

/// The rows of the places in one area, or outside of all of them: nothing where nothing is judged there but elsewhere.
fn limit_rows(limits: &AreaLimits, area: Option<usize>, asked: &Requirement, evidence: &Evidence) -> Vec<VerdictRow> {
    let here = |p: &&Judged| p.area == area;
    let elsewhere = evidence.places.as_ref().is_some_and(|p| !p.is_empty() && !p.iter().any(|p| here(&p)));
    if elsewhere && !asked.areas.is_empty() {
        return Vec::new();
    }
    let axes = [
        (Asked::Horizontal, limits.horizontal95, (|e| e.horizontal) as fn(&Error95) -> f64),
        (Asked::Vertical, limits.vertical95, |e| e.vertical),
        (Asked::Spatial, limits.spatial95, |e| e.spatial),
    ];
    let predicted = evidence.predicted.get(area.map_or(0, |k| k + 1)).copied().unwrap_or_default();
    axes.into_iter()
        .zip(predicted)
        .filter_map(|((what, limit, axis), p)| {
            let mut row = limit_row((what, area), limit?, axis, evidence, p);
            row.of = area.map(|_| limits.name.clone());
            Some(row)
        })
        .collect()
}

/// The weaker of two answers.
fn weaken(verdict: &mut Verdict, to: Verdict) {
    *verdict = (*verdict).max(to);
}

fn limit_row(
    (asked, area): (Asked, Option<usize>),
    required: f64,
    axis: fn(&Error95) -> f64,
    evidence: &Evidence,
    predicted: Option<f64>,
) -> VerdictRow {
    let mut row = VerdictRow {
        asked,
        of: None,
        required: Some(required),
        predicted,
        achieved: None,
        bound: None,
        grounds: Vec::new(),
        verdict: Verdict::Met,
    };
    let places: Vec<&Judged> = evidence.places.iter().flatten().filter(|p| p.area == area).collect();
    let Some(worst) = places.iter().max_by(|a, b| axis(&a.error).total_cmp(&axis(&b.error))) else {
        row.verdict = Verdict::NotDemonstrated;
        row.grounds.push(Ground::NotOnGrid);
        return row;
    };
    let within = places.iter().filter(|p| axis(&p.error) <= required).count();
    row.achieved = Some(axis(&worst.error));
    let figures = Ground::Within { within, of: places.len(), kind: worst.kind, worst: worst.name.clone() };
    if axis(&worst.error) > required {
        row.verdict = Verdict::NotMet;
        row.grounds.push(figures.clone());
    }
    let beyond = beyond((asked, area), required, evidence);
    if !beyond.is_empty() {
        row.verdict = Verdict::NotMet;
        row.grounds.push(Ground::ChecksOff(beyond));
    }
    contradictions(evidence, &mut row);
    if !row.grounds.contains(&figures) {
        row.grounds.push(figures);
    }
    row
}

/// Check points whose distance from the block along the asked axes is beyond the limit and beyond what
/// is stated: the limit is shown to be broken there.
fn beyond((asked, area): (Asked, Option<usize>), required: f64, evidence: &Evidence) -> Vec<String> {
    let size = |r: &Vec3| match asked {
        Asked::Horizontal => r.xy().norm(),
        Asked::Vertical => r.z.abs(),
        _ => r.norm(),
    };
    named(evidence, |c| c.area == area && c.p_family < RISK && size(&c.residual) > required)
}

/// What stands against a *met* whatever the figures say.
fn contradictions(evidence: &Evidence, row: &mut VerdictRow) {
    let mut against = |ground: Ground| {
        weaken(&mut row.verdict, Verdict::NotDemonstrated);
        row.grounds.push(ground);
    };
    let checks = &evidence.checks;
    let off = named(evidence, |c| c.p_family < RISK);
    let missing = checks.missing.clone();
    if evidence.unsettled > 0 {
        against(Ground::Unsettled(evidence.unsettled));
    }
    if !evidence.control_off.is_empty() {
        against(Ground::ControlOff(evidence.control_off.clone()));
    } else if !evidence.test_passed {
        against(Ground::TestFailed);
    }
    if !off.is_empty() {
        against(Ground::ChecksOff(off));
    } else if !checks.compared.is_empty() && checks.p_value < RISK {
        against(Ground::ChecksTogether(checks.p_value));
    }
    if !missing.is_empty() {
        against(Ground::ChecksMissing(missing));
    }
    if checks.compared.is_empty() {
        against(Ground::NoChecks);
    }
    if !evidence.surfaces_missing.is_empty() {
        against(Ground::SurfacesMissing(evidence.surfaces_missing.clone()));
    }
    if evidence.unplaced > 0 {
        against(Ground::Unplaced(evidence.unplaced));
    }
    if !evidence.not_measured.is_empty() {
        against(Ground::NotMeasured(evidence.not_measured.clone()));
    }
}

fn named(evidence: &Evidence, pick: impl Fn(&Check) -> bool) -> Vec<String> {
    evidence.checks.compared.iter().filter(|c| pick(c)).map(|c| c.name.clone()).collect()
}

/// With few points the root mean square itself is uncertain: *met* only when its 95 % upper bound is
/// within the limit, *not met* when the figure itself is beyond.
fn check_row(required: f64, evidence: &Evidence) -> VerdictRow {
    let checks = &evidence.checks;
    let count = checks.compared.len();
    let mut row = VerdictRow {
        asked: Asked::Checks,
        of: None,
        required: Some(required),
        predicted: None,
        achieved: None,
        bound: None,
        grounds: Vec::new(),
        verdict: Verdict::NotDemonstrated,
    };
    if evidence.places.is_none() {
        row.grounds.push(Ground::NotOnGrid);
        return row;
    }
    if count == 0 && checks.missing.is_empty() {
        row.grounds.push(Ground::NoChecks);
        return row;
    }
    let missing = checks.missing.clone();
    if count > 0 {
        (row.achieved, row.bound) = (Some(checks.spatial), Some(checks.bound));
        row.verdict = if checks.spatial > required {
            Verdict::NotMet
        } else if checks.bound <= required {
            Verdict::Met
        } else {
            Verdict::NotDemonstrated
        };
        if row.verdict == Verdict::NotDemonstrated {
            row.grounds.push(Ground::MoreChecks);
        }
    }
    let off = named(evidence, |c| c.p_family < RISK);
    if !off.is_empty() {
        weaken(&mut row.verdict, Verdict::NotDemonstrated);
        row.grounds.push(Ground::ChecksOff(off));
    }
    if !missing.is_empty() {
        weaken(&mut row.verdict, Verdict::NotDemonstrated);
        row.grounds.push(Ground::ChecksMissing(missing));
    }
    row.grounds.push(Ground::Checks { count, usual: crate::georef::USUAL_CHECKS, quadrants: checks.quadrants });
    row
}

/// Met when at least 95 % of the required area has the spacing.
fn spacing_row(required: f64, evidence: &Evidence) -> VerdictRow {
    let mut row = VerdictRow {
        asked: Asked::Spacing,
        of: None,
        required: Some(required),
        predicted: None,
        achieved: None,
        bound: None,
        grounds: Vec::new(),
        verdict: Verdict::NotDemonstrated,
    };
    match evidence.spacing {
        Some((within, total, typical)) if total > 0.0 => {
            row.achieved = Some(typical);
            row.verdict = if within / total >= 0.95 { Verdict::Met } else { Verdict::NotMet };
            row.grounds.push(Ground::SpacingShare(within, total));
        }
        _ => row.grounds.push(Ground::SpacingNotMeasured),
    }
    row.grounds.extend(evidence.planned_share.map(Ground::SpacingPlanned));
    row
}

/// Met when no pair of scans shows its surfaces twice by as much as the limit where they stand, and that could have been
/// seen; what lies apart by less is no more than the limit allows.
fn agreement_row(required: f64, asked: &Requirement, a: &Agreement) -> VerdictRow {
    let limit = |m: &Misfit| m.area.and_then(|k| strictest(asked.areas.get(k)?)).unwrap_or(required);
    let middle = |of: &[f64]| crate::stats::median(&mut of.to_vec());
    // the worst is what comes nearest to its own limit, or is farthest beyond
    let mut misfits: Vec<&Misfit> = a.misfits.iter().collect();
    misfits.sort_by(|x, y| (y.apart / limit(y)).total_cmp(&(x.apart / limit(x))));
    let worst = misfits.first();
    let required = worst.map_or(required, |w| limit(w));
    let mut row = VerdictRow {
        asked: Asked::Agreement,
        of: None,
        required: Some(required),
        predicted: None,
        achieved: worst.map(|w| w.apart).or_else(|| middle(&a.typical)),
        bound: worst.map(|w| w.apart + w.apart95).or_else(|| middle(&a.detectable)),
        grounds: Vec::new(),
        verdict: Verdict::Met,
    };
    if misfits.iter().any(|m| m.apart - m.apart95 > limit(m)) {
        row.verdict = Verdict::NotMet;
    } else if a.pairs == 0 || a.missing > 0 || row.bound.is_some_and(|b| b > required) {
        row.verdict = Verdict::NotDemonstrated;
    }
    if !misfits.is_empty() {
        row.grounds.push(Ground::ShowTwice(misfits.iter().map(|m| m.pair.clone()).collect()));
    }
    if a.missing > 0 {
        row.grounds.push(Ground::NotCompared(a.missing));
    }
    row.grounds.push(Ground::Compared { pairs: a.pairs, detectable: middle(&a.detectable).unwrap_or(0.0) });
    row
}

/// *Not met* where something stands elsewhere by more than the tolerance and noise together; *met* where everything that could be seen of what is built is in its place.
/// What is not built yet is said, and held against nobody.
fn design_row(d: &Designed) -> VerdictRow {
    let [there, elsewhere, partly, _, not_seen] = d.counts;
    let mut row = VerdictRow {
        asked: Asked::Design,
        of: Some(d.name.clone()),
        required: Some(d.tolerance),
        predicted: None,
        achieved: d.worst.map(|w| w.0).filter(|_| !d.stale),
        bound: d.worst.map(|w| w.0 + w.1).filter(|_| !d.stale),
        grounds: Vec::new(),
        verdict: Verdict::NotDemonstrated,
    };
    if d.stale {
        row.grounds.push(Ground::DesignNotLookedFor);
        return row;
    }
    if elsewhere > 0 {
        if d.worst.is_some_and(|(off, detectable)| off - detectable > d.tolerance) {
            row.verdict = Verdict::NotMet;
        }
        row.grounds.push(Ground::BuiltElsewhere(d.elsewhere.clone()));
    } else if there > 0 && partly == 0 && not_seen == 0 {
        row.verdict = Verdict::Met;
    }
    if !d.in_the_way.is_empty() {
        row.grounds.push(Ground::InTheWay(d.in_the_way.clone()));
    }
    row.grounds.push(Ground::Built(d.counts));
    row
}

/// Met when what has to be drawn is drawn from the clouds as they stand; the package writes the rest.
fn deliverables_row(asked: &Requirement, evidence: &Evidence) -> VerdictRow {
    let drawn = |d: &Deliverable| evidence.drawn.iter().find(|e| e.0 == *d).map(|e| e.1);
    let of = |is: &dyn Fn(&Deliverable) -> bool| asked.deliverables.iter().copied().filter(is).collect::<Vec<_>>();
    let missing = of(&|d| d.is_drawn() && drawn(d).is_none());
    let before = of(&|d| d.is_drawn() && drawn(d) == Some(false));
    let ready = of(&|d| !missing.contains(d) && !before.contains(d));
    let mut row = VerdictRow {
        asked: Asked::Deliverables,
        of: None,
        required: None,
        predicted: None,
        achieved: None,
        bound: None,
        grounds: Vec::new(),
        verdict: Verdict::Met,
    };
    if !missing.is_empty() {
        weaken(&mut row.verdict, Verdict::NotMet);
        row.grounds.push(Ground::NotDrawn(missing));
    }
    if !before.is_empty() {
        weaken(&mut row.verdict, Verdict::NotDemonstrated);
        row.grounds.push(Ground::DrawnBefore(before));
    }
    if !ready.is_empty() {
        row.grounds.push(Ground::Ready(ready));
    }
    row
}

/// As check points are judged: *met* only when the 95 % upper bound is within the limit.
fn survey_row(required: f64, s: &Surveyed) -> VerdictRow {
    let some = s.count > 0 && !s.stale;
    let mut row = VerdictRow {
        asked: Asked::Survey,
        of: None,
        required: Some(required),
        predicted: None,
        achieved: some.then_some(s.error95),
        bound: some.then_some(s.bound),
        grounds: Vec::new(),
        verdict: Verdict::NotDemonstrated,
    };
    if s.stale {
        row.grounds.push(Ground::SurveyNotCompared);
        return row;
    }
    if some {
        row.verdict = if s.error95 > required {
            Verdict::NotMet
        } else if s.bound <= required {
            Verdict::Met
        } else {
            row.grounds.push(Ground::MoreChecks);
            Verdict::NotDemonstrated
        };
    }
    if !s.off.is_empty() {
        weaken(&mut row.verdict, Verdict::NotDemonstrated);
        row.grounds.push(Ground::SurveyOff(s.off.clone()));
    }
    row.grounds.push(Ground::Surveyed(s.count, s.of));
    row
}
