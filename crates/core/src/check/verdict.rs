use crate::adjust::Group;
use crate::geometry::{Error95, Vec3};

/// What the client asked for. Lengths in metres; `None` where nothing was asked.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Requirement {
    /// Limit of the 95 % horizontal error.
    pub horizontal95: Option<f64>,
    /// Limit of the 95 % vertical error.
    pub vertical95: Option<f64>,
    /// Limit of the 95 % error in space.
    pub spatial95: Option<f64>,
    /// Limit of the root mean square distance at check points.
    pub check_rmse: Option<f64>,
    /// Point spacing on required surfaces.
    pub spacing: Option<f64>,
}

/// The answer to one requirement.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Verdict {
    /// Shown to be within the limit, by evidence that took no part in the result.
    Met,
    /// The evidence does not decide.
    NotDemonstrated,
    /// Shown to be beyond the limit.
    NotMet,
}

/// Which requirement a row answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Asked {
    /// 95 % horizontally.
    Horizontal,
    /// 95 % vertically.
    Vertical,
    /// 95 % in space.
    Spatial,
    /// Root mean square at check points.
    Checks,
    /// Point spacing on required surfaces.
    Spacing,
    /// Scans against one another: what both show lies in one place.
    Agreement,
    /// The clouds against points that were measured by other means.
    Survey,
}

/// What a judged place is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PlaceKind {
    /// A target.
    Target,
    /// A station.
    Station,
    /// A required surface.
    Surface,
}

/// A place whose error counts.
#[derive(Clone, Debug, PartialEq)]
pub struct Judged {
    /// What it is.
    pub kind: PlaceKind,
    /// Its name.
    pub name: String,
    /// Its 95 % regions on the grid.
    pub error: Error95,
}

/// What speaks for or against a *met*.
#[derive(Clone, Debug, PartialEq)]
pub enum Ground {
    /// The block is not on the grid, or out of date.
    NotOnGrid,
    /// So many of so many places are within the limit; the worst of them.
    Within {
        /// Within.
        within: usize,
        /// Of all.
        of: usize,
        /// What the worst is.
        kind: PlaceKind,
        /// Its name.
        worst: String,
    },
    /// Findings of the registration that are not settled.
    Unsettled(usize),
    /// Scans that have no place: nothing is known about what they show.
    Unplaced(usize),
    /// Control that does not fit, by name.
    ControlOff(Vec<String>),
    /// Control and block do not pass the test of one another.
    TestFailed,
    /// Check points that are farther off than what is stated explains, by name.
    ChecksOff(Vec<String>),
    /// No single check point, but all together, are farther off than is stated: the chance of it.
    ChecksTogether(f64),
    /// Check points that fit no target, by name.
    ChecksMissing(Vec<String>),
    /// No check points: nothing independent shows the accuracy.
    NoChecks,
    /// Check points found, of the number an accuracy is usually stated from; quadrants they are in.
    Checks {
        /// Found.
        count: usize,
        /// Usual.
        usual: usize,
        /// Quadrants of the site that hold one.
        quadrants: usize,
    },
    /// More check points would decide.
    MoreChecks,
    /// Required surfaces that no placed scan shows, by name.
    SurfacesMissing(Vec<String>),
    /// The prediction counted observations that the adjustment does not have.
    NotMeasured(Vec<Group>),
    /// Area with the required spacing, of all that is asked for, m².
    SpacingShare(f64, f64),
    /// Share of the area that the plan said.
    SpacingPlanned(f64),
    /// The spacing was not measured.
    SpacingNotMeasured,
    /// Pairs of scans that were compared, and what could be told from noise in the half of them, metres.
    Compared {
        /// How many.
        pairs: usize,
        /// 95 %, metres.
        detectable: f64,
    },
    /// Pairs whose surfaces show twice, the worst first.
    ShowTwice(Vec<String>),
    /// Pairs that were not compared as things stand.
    NotCompared(usize),
    /// Points of an independent survey that lie on a surface, of so many.
    Surveyed(usize, usize),
    /// Points of it that are farther off than what is stated explains, by name.
    SurveyOff(Vec<String>),
    /// The clouds were not set against it as things stand.
    SurveyNotCompared,
}

/// One row of the verdict.
#[derive(Clone, Debug, PartialEq)]
pub struct VerdictRow {
    /// What was asked.
    pub asked: Asked,
    /// The limit, metres.
    pub required: f64,
    /// What the plan predicted, metres.
    pub predicted: Option<f64>,
    /// What was achieved, metres.
    pub achieved: Option<f64>,
    /// Upper end of a 95 % statement about the achieved figure, metres, where there is one.
    pub bound: Option<f64>,
    /// What it rests on, the deciding ground first.
    pub grounds: Vec<Ground>,
    /// Answer.
    pub verdict: Verdict,
}

/// A check point that was compared with a target.
#[derive(Clone, Debug, PartialEq)]
pub struct Check {
    /// Its name.
    pub name: String,
    /// Block minus check point (E, N, H), metres.
    pub residual: Vec3,
    /// Chance of that when everything stated is true, over all check points.
    pub p_family: f64,
}

/// What the check points show.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Checks {
    /// Those that were compared.
    pub compared: Vec<Check>,
    /// Names of those that fit no target.
    pub missing: Vec<String>,
    /// Root mean square in space, metres.
    pub spatial: f64,
    /// Its 95 % upper bound, metres.
    pub bound: f64,
    /// Quadrants of the site that hold one.
    pub quadrants: usize,
    /// Chance of residuals as large as these, all together, when everything stated is true; 1 without any.
    pub p_value: f64,
}

/// What scans say of one another where they were compared.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Agreement {
    /// Pairs that were compared and share enough.
    pub pairs: usize,
    /// Pairs that were not compared as things stand.
    pub missing: usize,
    /// Median distance of each pair, metres.
    pub typical: Vec<f64>,
    /// Median level of detection of each pair, 95 %, metres.
    pub detectable: Vec<f64>,
    /// Pairs whose surfaces show twice: names, how far apart, 95 % of that, metres.
    pub misfits: Vec<(String, f64, f64)>,
}

/// What an independent survey says of the clouds.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Surveyed {
    /// Points that lie on a surface.
    pub count: usize,
    /// Of all.
    pub of: usize,
    /// 95 % of their distances are within this, metres.
    pub error95: f64,
    /// Upper end of a 95 % statement on that, metres.
    pub bound: f64,
    /// Points that are farther off than what is stated explains, by name.
    pub off: Vec<String>,
    /// The clouds were not set against it as things stand.
    pub stale: bool,
}

/// What the evidence of a job is.
#[derive(Clone, Debug, Default)]
pub struct Evidence {
    /// Places on the grid, when the block is there and not out of date. Only targets that are used: seen
    /// twice, or known to the plan or to control.
    pub places: Option<Vec<Judged>>,
    /// Check points.
    pub checks: Checks,
    /// Findings of the registration that are not settled.
    pub unsettled: usize,
    /// Scans without a place.
    pub unplaced: usize,
    /// Control points that do not fit, by name.
    pub control_off: Vec<String>,
    /// Control and block passed the test of one another.
    pub test_passed: bool,
    /// Required surfaces that no placed scan shows, by name.
    pub surfaces_missing: Vec<String>,
    /// Groups that the prediction counted and the adjustment does not have.
    pub not_measured: Vec<Group>,
    /// Area at the required spacing, area asked for (m²), typical spacing (m).
    pub spacing: Option<(f64, f64, f64)>,
    /// Share of the required area that the plan covers at the spacing.
    pub planned_share: Option<f64>,
    /// Predicted worst error by requirement, metres.
    pub predicted: [Option<f64>; 3],
    /// Scans against one another, where they were compared.
    pub agreement: Option<Agreement>,
    /// The clouds against an independent survey, where there is one.
    pub survey: Option<Surveyed>,
}

/// Risk at which a check point is said to be off, over all of them together.
const RISK: f64 = 0.01;

/// One row for each thing that was asked.
///
/// *Met* needs evidence that took no part in the result and none that contradicts it. What contradicts
/// without showing the limit broken makes it *not demonstrated*, with the reason.
pub fn verdict(asked: &Requirement, evidence: &Evidence) -> Vec<VerdictRow> {
    let limits = [
        (Asked::Horizontal, asked.horizontal95, (|e| e.horizontal) as fn(&Error95) -> f64),
        (Asked::Vertical, asked.vertical95, |e| e.vertical),
        (Asked::Spatial, asked.spatial95, |e| e.spatial),
    ];
    let mut out: Vec<VerdictRow> = limits
        .into_iter()
        .enumerate()
        .filter_map(|(k, (what, limit, axis))| Some(limit_row(what, limit?, axis, evidence, evidence.predicted[k])))
        .collect();
    out.extend(asked.check_rmse.map(|limit| check_row(limit, evidence)));
    out.extend(asked.spacing.map(|limit| spacing_row(limit, evidence)));
    let limit = asked.spatial95.or(asked.horizontal95).or(asked.vertical95);
    out.extend(limit.zip(evidence.agreement.as_ref()).map(|(limit, a)| agreement_row(limit, a)));
    out.extend(limit.zip(evidence.survey.as_ref()).map(|(limit, s)| survey_row(limit, s)));
    out
}

/// The weaker of two answers.
fn weaken(verdict: &mut Verdict, to: Verdict) {
    *verdict = (*verdict).max(to);
}

fn limit_row(
    asked: Asked,
    required: f64,
    axis: fn(&Error95) -> f64,
    evidence: &Evidence,
    predicted: Option<f64>,
) -> VerdictRow {
    let mut row = VerdictRow {
        asked,
        required,
        predicted,
        achieved: None,
        bound: None,
        grounds: Vec::new(),
        verdict: Verdict::Met,
    };
    let worst = evidence
        .places
        .as_ref()
        .and_then(|p| p.iter().max_by(|a, b| axis(&a.error).total_cmp(&axis(&b.error))).map(|w| (p, w)));
    let Some((places, worst)) = worst else {
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
    let beyond = beyond(asked, required, evidence);
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
fn beyond(asked: Asked, required: f64, evidence: &Evidence) -> Vec<String> {
    let size = |r: &Vec3| match asked {
        Asked::Horizontal => r.xy().norm(),
        Asked::Vertical => r.z.abs(),
        _ => r.norm(),
    };
    named(evidence, |c| c.p_family < RISK && size(&c.residual) > required)
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
        required,
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
        required,
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

/// Met when no pair of scans shows its surfaces twice by as much as the limit, and that could have been seen; what lies
/// apart by less is no more than the limit allows.
fn agreement_row(required: f64, a: &Agreement) -> VerdictRow {
    let middle = |of: &[f64]| crate::stats::median(&mut of.to_vec());
    let mut misfits: Vec<&(String, f64, f64)> = a.misfits.iter().collect();
    misfits.sort_by(|x, y| y.1.total_cmp(&x.1));
    let worst = misfits.first();
    let mut row = VerdictRow {
        asked: Asked::Agreement,
        required,
        predicted: None,
        achieved: worst.map(|w| w.1).or_else(|| middle(&a.typical)),
        bound: worst.map(|w| w.1 + w.2).or_else(|| middle(&a.detectable)),
        grounds: Vec::new(),
        verdict: Verdict::Met,
    };
    if misfits.iter().any(|m| m.1 - m.2 > required) {
        row.verdict = Verdict::NotMet;
    } else if a.pairs == 0 || a.missing > 0 || row.bound.is_some_and(|b| b > required) {
        row.verdict = Verdict::NotDemonstrated;
    }
    if !misfits.is_empty() {
        row.grounds.push(Ground::ShowTwice(misfits.iter().map(|m| m.0.clone()).collect()));
    }
    if a.missing > 0 {
        row.grounds.push(Ground::NotCompared(a.missing));
    }
    row.grounds.push(Ground::Compared { pairs: a.pairs, detectable: middle(&a.detectable).unwrap_or(0.0) });
    row
}

/// As check points are judged: *met* only when the 95 % upper bound is within the limit.
fn survey_row(required: f64, s: &Surveyed) -> VerdictRow {
    let some = s.count > 0 && !s.stale;
    let mut row = VerdictRow {
        asked: Asked::Survey,
        required,
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
