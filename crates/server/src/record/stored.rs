//! A registration of the core put into its record.

use super::registration::*;
use super::{rows9, shares};
use uuid::Uuid;
use vistazo_core::adjust::{self, AdjustError, Hold, Hypothesis, Kind};
use vistazo_core::geometry::Vec3;
use vistazo_core::registration::{self as core, Registered, Registration as CoreRegistration, WhyUnplaced};
use vistazo_core::tie::Reason as CoreReason;

/// The rows that indices of the core stand for.
pub(crate) struct Ids<'a> {
    /// Of each scan of the input: its row and its name.
    pub scans: &'a [(Uuid, String)],
    /// Of each observation's identifier: its row, a detection or a tie by clouds.
    pub rows: &'a [Uuid],
}

/// A registration of the core as it is stored.
pub(crate) fn store(r: &CoreRegistration, ids: &Ids<'_>) -> (Registration, Detail) {
    let net = &r.placed.network;
    let row = |o: &adjust::Observation| match o.kind {
        Kind::TargetCentre(_) | Kind::CloudTie(_) => ids.rows.get(o.id).copied(),
        _ => None,
    };
    let findings: Vec<Finding> = r.findings.iter().map(|f| finding(f, r, ids, &row)).collect();
    let unplaced = r
        .findings
        .iter()
        .filter_map(|f| match f {
            core::Finding::Unplaced { scan, .. } => Some(ids.scans[*scan].1.clone()),
            _ => None,
        })
        .collect();
    let empty = |refused: Refusal, findings: Vec<Finding>, unplaced: Vec<String>| Registration {
        version: VERSION,
        refused: Some(refused),
        scans: Vec::new(),
        targets: Vec::new(),
        findings,
        statistics: Statistics::default(),
        groups: Vec::new(),
        unplaced,
    };
    let block = match &r.block {
        Ok(b) => b,
        Err(why) => {
            return (empty(refusal(why, r), findings, unplaced), Detail { version: VERSION, ..Detail::default() });
        }
    };
    let seen_by = |pick: &dyn Fn(&adjust::Observation) -> bool| {
        let sighting = |o: &adjust::Observation| o.active && o.target_index().is_some() && o.scan().is_some();
        net.observations.iter().filter(|o| sighting(o) && pick(o)).count()
    };
    let mut groups: Vec<super::Group> =
        net.observations.iter().filter(|o| o.active).map(|o| o.group().into()).collect();
    groups.sort_unstable();
    groups.dedup();
    let s = &block.solution;
    let scans = r
        .placed
        .scans
        .iter()
        .enumerate()
        .map(|(k, &input)| Scan {
            id: ids.scans[input].0,
            name: ids.scans[input].1.clone(),
            pose: (&s.poses[k]).into(),
            covariance: s.pose_covariance(k).transpose().iter().copied().collect(),
            targets: seen_by(&|o| o.scan() == Some(k)),
            grade: block.standings[k].grade.into(),
            residual: block.standings[k].residual,
        })
        .collect();
    let targets = r
        .placed
        .targets
        .iter()
        .enumerate()
        .map(|(k, info)| Target {
            name: info.name.clone(),
            kind: info.kind.into(),
            named: info.named,
            position: s.targets[k].into(),
            covariance: rows9(&s.target_covariance(k)),
            scans: seen_by(&|o| o.target_index() == Some(k)),
            budget: shares(&block.budgets[k]),
        })
        .collect();
    let v = &s.variance;
    let statistics = Statistics {
        sum: s.sum,
        dof: s.dof,
        global_p: s.global_p,
        variance: [v.estimate, v.interval.0, v.interval.1, v.applied],
        iterations: s.iterations,
        systematic: systematic(net, s),
        components: s.components().iter().map(|c| (c.group.into(), c.factor, c.redundancy)).collect(),
    };
    let light =
        Registration { version: VERSION, refused: None, scans, targets, findings, statistics, groups, unplaced };
    (light, detail(r, block, &row))
}

fn detail(r: &CoreRegistration, block: &Registered, row: &dyn Fn(&adjust::Observation) -> Option<Uuid>) -> Detail {
    let net = &r.placed.network;
    let s = &block.solution;
    let observations = net
        .observations
        .iter()
        .enumerate()
        .map(|(i, o)| {
            let x = &s.residuals[i];
            let finite = |v: f64| v.is_finite().then_some(v);
            Observation {
                id: row(o),
                active: o.active,
                measured: (&o.kind).into(),
                residual: Residual {
                    rows: x.rows.iter().copied().collect(),
                    vector: x.vector.into(),
                    expected: x.expected,
                    statistic: x.statistic,
                    dof: x.dof,
                    p_value: x.p_value,
                    redundancy: x.redundancy,
                    detectable: finite(x.detectable),
                    reliability: adjust::external_reliability(net, s, i).map(|e| e.1),
                },
                suspect: block.suspect[i],
            }
        })
        .collect();
    let ties = block
        .ties
        .iter()
        .map(|t| Tie {
            scans: t.scans,
            shared: t.shared.clone(),
            rms: t.rms,
            worst: t.worst,
            spread: t.spread,
            breadth: t.breadth,
            grade: t.grade.into(),
            reasons: t.reasons.iter().map(Reason::from).collect(),
        })
        .collect();
    let loops = block
        .loops
        .iter()
        .map(|l| Loop {
            scans: l.scans.clone(),
            shift: l.shift.norm(),
            shift95: l.shift95,
            turn: l.turn,
            turn95: l.turn95,
            p_value: l.p_value,
        })
        .collect();
    let joins = block
        .joins
        .iter()
        .map(|j| Join { target: j.target, gap: j.gap.into(), covariance: rows9(&j.covariance), p_value: j.p_value })
        .collect();
    let o = net.plumb.origin;
    let plumb = [o.x, o.y, o.z, net.plumb.radius];
    Detail { version: VERSION, plumb, observations, ties, loops, joins }
}

/// What is shared, with what was stated of it.
fn systematic(net: &adjust::Network, s: &adjust::Solution) -> Vec<Systematic> {
    let stated = |of: usize, parameter: usize| {
        net.observations.iter().find_map(|o| match &o.kind {
            Kind::SystematicPrior(p) if p.of == of && p.parameter == parameter => Some(p.sigma),
            _ => None,
        })
    };
    let estimate = |of: usize, k: usize| Estimate {
        parameter: s.systematic[of].parameters[k].into(),
        value: s.systematic[of].values[k],
        sigma: s.systematic_sigma(of, k),
        stated: stated(of, k).unwrap_or(0.0),
    };
    let all = s.systematic.iter().enumerate();
    all.map(|(of, u)| Systematic { scan: u.scan, parameters: (0..u.wide()).map(|k| estimate(of, k)).collect() })
        .collect()
}

fn refusal(why: &core::Refusal, r: &CoreRegistration) -> Refusal {
    let target = |t: &usize| r.placed.targets.get(*t).map_or_else(String::new, |t| t.name.clone());
    match why {
        core::Refusal::TooFewScans(found) => Refusal::TooFewScans { found: *found },
        core::Refusal::NoTargets { other_size, waiting } => {
            Refusal::NoTargets { other_size: *other_size, waiting: *waiting }
        }
        core::Refusal::NothingTied(waiting) => Refusal::NothingTied { waiting: *waiting },
        core::Refusal::Adjust(AdjustError::Defect(d)) => Refusal::Loose {
            scans: d
                .iter()
                .map(|d| {
                    let (hangs, line) = match &d.hangs {
                        Hold::Nothing => (Vec::new(), false),
                        Hold::One(a) => (vec![target(a)], false),
                        Hold::Two(a, b) => (vec![target(a), target(b)], false),
                        Hold::Line(all) => (all.iter().map(target).collect(), true),
                    };
                    (r.placed.network.scans[d.scan].name.clone(), hangs, line)
                })
                .collect(),
        },
        core::Refusal::Adjust(AdjustError::Diverged(iterations)) => Refusal::Diverged { iterations: *iterations },
        core::Refusal::Adjust(e) => Refusal::Other { reason: e.to_string() },
    }
}

fn finding(
    f: &core::Finding,
    r: &CoreRegistration,
    ids: &Ids<'_>,
    row: &dyn Fn(&adjust::Observation) -> Option<Uuid>,
) -> Finding {
    let net = &r.placed.network;
    let scan = |k: usize| net.scans[k].name.clone();
    let target = |k: usize| r.placed.targets[k].name.clone();
    let rows = |list: &[usize]| list.iter().filter_map(|&i| row(&net.observations[i])).collect::<Vec<_>>();
    let rivals = |e: &core::Evidence| e.rivals.iter().map(|s| rival(s, r)).collect::<Vec<_>>();
    match f {
        core::Finding::Tripod { moved, evidence } => {
            let along = moved.shift.try_normalize(1e-12).unwrap_or_else(Vec3::x);
            Finding {
                key: format!("tripod {}", scan(moved.scan)),
                what: What::Tripod {
                    scan: scan(moved.scan),
                    between: moved.between,
                    shift: moved.shift.into(),
                    sigma: (along.transpose() * moved.covariance * along)[0].max(0.0).sqrt(),
                    turn: moved.turn,
                    turn_sigma: moved.turn_sigma,
                    statistic: evidence.best.statistic,
                    dof: evidence.best.dof,
                    p_family: evidence.best.p_family,
                    others: evidence.others,
                    rivals: rivals(evidence),
                    before: rows(&moved.before),
                    after: rows(&moved.after),
                },
            }
        }
        core::Finding::Moved { moved, evidence, before, after } => {
            let along = moved.shift.try_normalize(1e-12).unwrap_or_else(Vec3::x);
            Finding {
                key: format!("moved {} {}", target(moved.target), scan(moved.after)),
                what: What::Moved {
                    target: target(moved.target),
                    before_scan: scan(moved.before),
                    after_scan: scan(moved.after),
                    shift: moved.shift.into(),
                    sigma: (along.transpose() * moved.covariance * along)[0].max(0.0).sqrt(),
                    statistic: evidence.best.statistic,
                    dof: evidence.best.dof,
                    p_family: evidence.best.p_family,
                    single_sided: moved.single_sided,
                    others: evidence.others,
                    rivals: rivals(evidence),
                    before: rows(before),
                    after: rows(after),
                },
            }
        }
        core::Finding::Outlier { observation, evidence, left_out } => {
            let o = &net.observations[*observation];
            let x = r.block.as_ref().map(|b| &b.solution.residuals[*observation]);
            let target = o.target_index().map(target);
            // a tie is of two
            let scan = match &o.kind {
                Kind::Held(h) => Some(format!("{} and {}", scan(h.from), scan(h.to))),
                Kind::CloudTie(t) => Some(format!("{} and {}", scan(t.from), scan(t.to))),
                _ => o.scan().map(scan),
            };
            Finding {
                key: format!("outlier {} {:?} {:?}", o.kind.name(), target, scan),
                what: What::Outlier {
                    kind: o.kind.name().to_owned(),
                    target,
                    scan,
                    observation: row(o),
                    residual: x.map_or(0.0, |x| if o.angular() { x.rows.norm() } else { x.vector.norm() }),
                    angular: o.angular(),
                    statistic: evidence.best.statistic,
                    dof: evidence.best.dof,
                    p_family: evidence.best.p_family,
                    detectable: x.ok().map(|x| x.detectable).filter(|d| d.is_finite()),
                    others: evidence.others,
                    rivals: rivals(evidence),
                    left_out: *left_out,
                },
            }
        }
        core::Finding::Instrument { scan: k, parameter, value, sigma, stated, evidence } => Finding {
            key: format!("instrument {parameter:?} {:?}", k.map(scan)),
            what: What::Instrument {
                scan: k.map(scan),
                estimate: Estimate { parameter: (*parameter).into(), value: *value, sigma: *sigma, stated: *stated },
                p_family: evidence.best.p_family,
                others: evidence.others,
                rivals: rivals(evidence),
            },
        },
        core::Finding::NotLevel { scan: k, tilt, sigma } => Finding {
            key: format!("level {}", scan(*k)),
            what: What::NotLevel { scan: scan(*k), tilt: *tilt, sigma: *sigma },
        },
        core::Finding::Unplaced { scan, why } => {
            let name = ids.scans[*scan].1.clone();
            Finding {
                key: format!("unplaced {name}"),
                what: What::Unplaced {
                    scan: name,
                    why: match *why {
                        WhyUnplaced::NoTargets => Unplaced::NoTargets,
                        WhyUnplaced::Few(n) => Unplaced::Few(n),
                        WhyUnplaced::Ambiguous(n) => Unplaced::Ambiguous(n),
                        WhyUnplaced::NoLayout(n) => Unplaced::NoLayout(n),
                        WhyUnplaced::Apart => Unplaced::Apart,
                    },
                },
            }
        }
        core::Finding::Size { fault, count, agreeing, typical } => Finding {
            key: "size".into(),
            what: What::Size { fault: (*fault).into(), count: *count, agreeing: *agreeing, typical: *typical },
        },
    }
}

fn rival(s: &adjust::Suspicion, r: &CoreRegistration) -> Rival {
    let net = &r.placed.network;
    let scan = |k: usize| net.scans[k].name.clone();
    let target = |k: usize| r.placed.targets[k].name.clone();
    match &s.hypothesis {
        Hypothesis::Moved(m) => {
            Rival::Moved { target: target(m.target), before_scan: scan(m.before), after_scan: scan(m.after) }
        }
        Hypothesis::Tripod(t) => Rival::Tripod { scan: scan(t.scan) },
        Hypothesis::Observation(i) => match &net.observations[*i].kind {
            Kind::SystematicPrior(p) => {
                let of = &net.systematic[p.of];
                Rival::Instrument { scan: of.scan.map(scan), parameter: of.parameters[p.parameter].into() }
            }
            _ => {
                let o = &net.observations[*i];
                Rival::Outlier {
                    kind: o.kind.name().to_owned(),
                    target: o.target_index().map(target),
                    scan: o.scan().map(scan),
                }
            }
        },
    }
}

impl From<&CoreReason> for Reason {
    fn from(r: &CoreReason) -> Self {
        match r {
            CoreReason::TooFew(count) => Self::TooFew { count: *count },
            CoreReason::Apart(gap) => Self::Apart { gap: *gap },
            CoreReason::Suspect(targets) => Self::Suspect { targets: targets.clone() },
            CoreReason::InLine(count, breadth) => Self::InLine { count: *count, breadth: *breadth },
            CoreReason::OnlyThree => Self::OnlyThree,
            CoreReason::AmbiguousAlone => Self::AmbiguousAlone,
            CoreReason::WellSpread(count, spread, gap) => {
                Self::WellSpread { count: *count, spread: *spread, gap: *gap }
            }
        }
    }
}
