use super::assemble::{Block, WhyUnplaced};
use super::input::Input;
use super::network::Placed;
use crate::adjust::kinds::SystematicPrior;
use crate::adjust::{EVEN, Hypothesis, Kind, Moved, Network, Parameter, Solution, Suspicion, TripodMoved, Unknown};
use crate::stats::{chi2_quantile, median};
use crate::targets::SizeVerdict;
use crate::tie::{Grade, Tie};

/// Risk of naming something when nothing is wrong, over all the tests of a block together.
pub const FAMILY_RISK: f64 = 0.01;

/// What speaks for an explanation, and for others.
#[derive(Clone, Debug, PartialEq)]
pub struct Evidence {
    /// The test.
    pub best: Suspicion,
    /// What else explains the same so nearly as well that the observations cannot tell them apart, the best first.
    pub rivals: Vec<Suspicion>,
    /// Weaker suspicions about something else, which may be its shadow.
    pub others: usize,
}

/// So many are named.
const MOST_RIVALS: usize = 3;

/// Something that asks for a decision.
#[derive(Clone, Debug, PartialEq)]
pub enum Finding {
    /// A target was moved between two scans.
    Moved {
        /// When, how far.
        moved: Moved,
        /// The evidence.
        evidence: Evidence,
        /// Observations (indices) before and after.
        before: Vec<usize>,
        /// After.
        after: Vec<usize>,
    },
    /// A tripod was knocked while its scan ran.
    Tripod {
        /// When, how far, and the sightings before and after.
        moved: TripodMoved,
        /// The evidence.
        evidence: Evidence,
    },
    /// One observation does not agree with the others.
    Outlier {
        /// Its index.
        observation: usize,
        /// The evidence.
        evidence: Evidence,
        /// It is so wrong that the block could not be adjusted with it: it was left out.
        left_out: bool,
    },
    /// The instrument is further off than its profile says.
    Instrument {
        /// Index into the network's scans, where it is of one set-up.
        scan: Option<usize>,
        /// What is off.
        parameter: Parameter,
        /// By how much, in the unit of the parameter.
        value: f64,
        /// Its σ.
        sigma: f64,
        /// σ that the profile gives it.
        stated: f64,
        /// The evidence.
        evidence: Evidence,
    },
    /// A scan that is said to be level fits only when it is not.
    NotLevel {
        /// Index into the network's scans.
        scan: usize,
        /// How far its axis leans, radians.
        tilt: f64,
        /// σ of the compensator, radians.
        sigma: f64,
    },
    /// A scan without a place in the block (index into the input).
    Unplaced {
        /// The scan.
        scan: usize,
        /// Why.
        why: WhyUnplaced,
    },
    /// Spheres of the wrong size, said once for the job: one wrong entry is the cause of many.
    Size {
        /// What is wrong.
        fault: SizeFault,
        /// How many.
        count: usize,
        /// How many agree with the brief.
        agreeing: usize,
        /// Their usual diameter, metres.
        typical: f64,
    },
}

/// What is wrong with the sizes.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum SizeFault {
    /// Diameter and radius are mixed up.
    MixUp,
    /// Another size.
    Other,
}

/// How a scan stands in the block.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Standing {
    /// Weakest grade among its judged ties.
    pub grade: Grade,
    /// Its largest residual against the bound of the outlier test; `None` without one.
    pub residual: Option<f64>,
}

/// What the tests say, and for each observation whether they point at it.
pub(super) fn decide(
    input: &Input,
    placed: &Placed,
    solution: &Solution,
    block: &Block,
    gross: &[usize],
) -> (Vec<Finding>, Vec<bool>) {
    let net = &placed.network;
    let mut out = Vec::new();
    let mut suspect = vec![false; net.observations.len()];
    for &observation in gross {
        let r = &solution.residuals[observation];
        let best = Suspicion {
            hypothesis: Hypothesis::Observation(observation),
            statistic: r.statistic,
            dof: r.dof,
            p_value: r.p_value,
            p_family: r.p_value,
        };
        suspect[observation] = true;
        let evidence = Evidence { best, rivals: Vec::new(), others: 0 };
        out.push(Finding::Outlier { observation, evidence, left_out: true });
    }
    let loud: Vec<&Suspicion> = solution.suspicions.iter().filter(|s| s.p_family < FAMILY_RISK).collect();
    // the strongest explanation first; weaker ones may be its shadow
    if let Some(first) = loud.first() {
        let evidence = evidence(&loud, net);
        match &first.hypothesis {
            Hypothesis::Moved(m) => {
                let of = |later: bool| -> Vec<usize> {
                    let mine = |o: &crate::adjust::Observation| {
                        o.active
                            && o.target_index() == Some(m.target)
                            && o.scan().is_some_and(|s| (s >= m.after) == later)
                    };
                    (0..net.observations.len()).filter(|&i| mine(&net.observations[i])).collect()
                };
                let (before, after) = (of(false), of(true));
                before.iter().chain(&after).for_each(|&i| suspect[i] = true);
                out.push(Finding::Moved { moved: m.clone(), evidence, before, after });
            }
            Hypothesis::Tripod(moved) => {
                moved.before.iter().chain(&moved.after).for_each(|&i| suspect[i] = true);
                out.push(Finding::Tripod { moved: moved.clone(), evidence });
            }
            Hypothesis::Observation(i) => {
                suspect[*i] = true;
                out.push(match &net.observations[*i].kind {
                    Kind::SystematicPrior(p) => instrument(solution, p, evidence),
                    _ => Finding::Outlier { observation: *i, evidence, left_out: false },
                });
            }
        }
    }
    for &s in &block.tilted {
        let Some(scan) = placed.scans.iter().position(|p| *p == s) else { continue };
        let up = solution.poses[scan].rotation * crate::geometry::Vec3::z();
        out.push(Finding::NotLevel {
            scan,
            tilt: up.xy().norm().atan2(up.z),
            sigma: input.scans[s].compensator.unwrap_or(0.0),
        });
    }
    (out, suspect)
}

fn instrument(solution: &Solution, p: &SystematicPrior, evidence: Evidence) -> Finding {
    let of = &solution.systematic[p.of];
    Finding::Instrument {
        scan: of.scan,
        parameter: of.parameters[p.parameter],
        value: of.values[p.parameter],
        sigma: solution.systematic_sigma(p.of, p.parameter),
        stated: p.sigma,
        evidence,
    }
}

/// What a suspicion is about.
#[derive(Clone, Copy, PartialEq, Eq, PartialOrd, Ord)]
enum About {
    Target(usize),
    Scan(usize),
    Nothing,
}

impl About {
    fn of(s: &Suspicion, net: &Network) -> Self {
        match &s.hypothesis {
            Hypothesis::Moved(m) => Self::Target(m.target),
            Hypothesis::Tripod(t) => Self::Scan(t.scan),
            Hypothesis::Observation(i) => {
                let o = &net.observations[*i];
                o.target_index().map(Self::Target).or(o.scan().map(Self::Scan)).unwrap_or(Self::Nothing)
            }
        }
    }
}

/// The strongest of what is loud, with what rivals it and what is weaker.
fn evidence(loud: &[&Suspicion], net: &Network) -> Evidence {
    let best = loud[0];
    let first = About::of(best, net);
    let even = |s: &Suspicion| best.beyond() - s.beyond() < EVEN;
    // a move and the sighting that explains it are said in one
    let other = |s: &&&Suspicion| About::of(s, net) != first || matches!(first, About::Scan(_));
    let rivals: Vec<Suspicion> =
        loud[1..].iter().filter(other).filter(|s| even(s)).take(MOST_RIVALS).map(|s| (*s).clone()).collect();
    // what a knock bends it explains, too
    let bent = |s: &Suspicion| match (&best.hypothesis, &s.hypothesis) {
        (Hypothesis::Tripod(t), Hypothesis::Observation(i)) => net.observations[*i].scan() == Some(t.scan),
        _ => false,
    };
    let mut others: Vec<About> =
        loud[1..].iter().filter(|s| !bent(s) && !even(s)).map(|s| About::of(s, net)).filter(|a| *a != first).collect();
    others.sort_unstable();
    others.dedup();
    Evidence { best: best.clone(), rivals, others: others.len() }
}

pub(super) fn sizes(input: &Input) -> Vec<Finding> {
    let agreeing = input.scans.iter().map(|s| s.targets.len() + s.excluded.len()).sum();
    let of = |v: SizeVerdict| -> Vec<f64> {
        input.other_sizes.iter().filter(|s| s.verdict == v).map(|s| s.radius).collect()
    };
    let mut mixed = of(SizeVerdict::DiameterRadiusMixUp);
    if mixed.len() >= 2 && mixed.len() > agreeing {
        let typical = 2.0 * median(&mut mixed).unwrap_or(0.0);
        return vec![Finding::Size { fault: SizeFault::MixUp, count: mixed.len(), agreeing, typical }];
    }
    let mut all: Vec<f64> = input.other_sizes.iter().map(|s| s.radius).collect();
    if all.len() >= 3 && all.len() > agreeing {
        let typical = 2.0 * median(&mut all).unwrap_or(0.0);
        return vec![Finding::Size { fault: SizeFault::Other, count: all.len(), agreeing, typical }];
    }
    Vec::new()
}

/// The weakest grade among the judged ties of a scan, and its largest residual over the expected.
pub(super) fn standing(input: &Input, placed: &Placed, solution: &Solution, ties: &[Tie], scan: usize) -> Standing {
    let by_targets = ties.iter().filter(|t| t.scans.0 == scan || t.scans.1 == scan).map(|t| t.grade);
    let row = placed.scans[scan];
    let by_clouds = input.cloud_ties.iter().filter(|t| t.scans.0 == row || t.scans.1 == row).map(|t| t.grade);
    let residual = placed
        .network
        .observations
        .iter()
        .zip(&solution.residuals)
        .filter(|(o, r)| o.active && r.dof > 0 && o.unknowns().contains(&Some(Unknown::Scan(scan))))
        // one in a thousand right observations goes beyond: a scan with a dozen is not red by chance
        .map(|(_, r)| (r.statistic / (chi2_quantile(0.999, r.dof) * solution.variance.applied)).sqrt())
        .max_by(f64::total_cmp);
    let judged = by_targets.chain(by_clouds).filter(|g| *g != Grade::NotJudged);
    Standing { grade: judged.max().unwrap_or(Grade::NotJudged), residual }
}
