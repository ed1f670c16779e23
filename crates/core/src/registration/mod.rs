//! One registration, from observations to findings: scans, what was measured in them and what was
//! noted on site go in, one [`Registration`] comes out.
//!
//! [`assemble`] brings the scans together without names, `network` puts every observation into one
//! adjustment, `loops` joins what was reached on two ways round, `naming` gives targets the names they
//! have on the plan, `findings` says what asks for a decision. Nothing here makes sentences: the
//! types carry the figures.

mod assemble;
mod findings;
mod input;
mod loops;
mod naming;
mod network;
mod school;
mod single;

pub use assemble::{Block, Link, Observed, ScanTargets, Unplaced, WhyUnplaced, assemble};
pub use findings::{Evidence, FAMILY_RISK, Finding, SizeFault, Standing};
pub use input::{CloudTieInput, HeldGroup, Input, MeasuredDistance, NamedPlace, ScanInput, SetUp, Sight, SizeEvidence};
pub use loops::{Join, Misclosure, misclosures};
pub use network::{Placed, TargetInfo, TargetKindOf};
pub use school::{Advice, Compared, Outcome, School, Why, advise};
pub use single::single;

use crate::adjust::kinds::Kind;
use crate::adjust::{AdjustError, ErrorBudget, Hypothesis, Scaling, Solution, grossly_wrong, solve};
use crate::geometry::Pose;
use crate::instrument::Systematic;
use crate::tie::{SharedTarget, Tie, TieInput, grade_ties};

/// Why there is no registration.
#[derive(Clone, Debug, PartialEq)]
pub enum Refusal {
    /// Fewer than two scans.
    TooFewScans(usize),
    /// No usable targets in any scan; so many of another size were found.
    NoTargets {
        /// Spheres of a size that is not the job's.
        other_size: usize,
        /// Ties by clouds that wait for a decision.
        waiting: usize,
    },
    /// No two scans have a place relative to one another; so many ties by clouds wait for a decision.
    NothingTied(usize),
    /// The adjustment refused.
    Adjust(AdjustError),
}

/// What came out.
#[derive(Clone, Debug)]
pub struct Registration {
    /// The adjusted block, or why there is none.
    pub block: Result<Registered, Refusal>,
    /// What asks for a decision, the weightiest first.
    pub findings: Vec<Finding>,
    /// The network as it went in (empty when nothing did), for names in refusals.
    pub placed: Placed,
}

/// An adjusted block with everything that is said about it.
#[derive(Clone, Debug)]
pub struct Registered {
    /// Poses, targets, covariance, residuals, tests.
    pub solution: Solution,
    /// Every pair of scans that shares a target.
    pub ties: Vec<Tie>,
    /// Loops of ties with their misclosures.
    pub loops: Vec<Misclosure>,
    /// Targets that were reached on two ways round and joined.
    pub joins: Vec<Join>,
    /// One per scan of the network.
    pub standings: Vec<Standing>,
    /// For each observation, whether the findings point at it.
    pub suspect: Vec<bool>,
    /// Error budget of each target.
    pub budgets: Vec<ErrorBudget>,
}

/// Brings scans together, adjusts and judges.
///
/// ```
/// use vistazo_core::geometry::{Mat3, Pose, Vec3};
/// use vistazo_core::registration::{Input, Observed, ScanInput, register};
/// use vistazo_core::targets::TargetKind;
///
/// let places = [(1.0, 6.0, 1.2), (8.0, 2.0, 1.5), (3.0, -4.0, 0.8), (9.0, 9.0, 1.9), (-4.0, 3.0, 1.1)];
/// let poses = [Pose::identity(), Pose::levelled(0.7, Vec3::new(5.0, 1.0, 0.1))];
/// let scan = |k: usize| ScanInput {
///     name: format!("S{k}"),
///     compensator: Some(1.5e-5),
///     targets: places.iter().enumerate().map(|(id, p)| Observed {
///         id: 10 * k + id,
///         kind: TargetKind::Sphere,
///         group: 0,
///         centre: poses[k].inverse().apply(&Vec3::new(p.0, p.1, p.2)),
///         covariance: Mat3::identity() * 1e-6,
///     }).collect(),
///     ..ScanInput::default()
/// };
/// let registration = register(&Input { scans: vec![scan(0), scan(1)], ..Input::default() });
/// let block = registration.block.unwrap();
/// assert!(registration.findings.is_empty());
/// assert_eq!(block.ties[0].shared.len(), 5);
/// ```
pub fn register(input: &Input) -> Registration {
    let input = input.without_apart();
    let input = input.as_ref();
    let mut findings = findings::sizes(input);
    let refused =
        |why: Refusal, findings: Vec<Finding>| Registration { block: Err(why), findings, placed: Placed::default() };
    if input.scans.len() < 2 {
        return refused(Refusal::TooFewScans(input.scans.len()), findings);
    }
    let bare = input.scans.iter().all(|s| s.targets.is_empty() && s.set_up.is_none());
    if bare && input.cloud_ties.is_empty() && input.held.is_empty() {
        return refused(Refusal::NoTargets { other_size: input.other_sizes.len(), waiting: input.waiting }, findings);
    }
    let scans: Vec<ScanTargets> = input
        .scans
        .iter()
        .map(|s| ScanTargets {
            name: s.name.clone(),
            levelled: s.compensator.is_some(),
            // two targets match within all that each is uncertain by
            targets: s.targets.iter().map(|t| alone(t, &input.systematic)).collect(),
        })
        .collect();
    let links = links(input);
    let mut block = assemble(&scans, &links);
    let first = block.poses.iter().position(|p| p.is_some_and(|p| p == Pose::identity()));
    if first.is_some_and(|s| !scans[s].levelled) {
        block.stand(&scans);
    }
    if let Some(walls) = first.and_then(|s| input.scans[s].walls) {
        block.turn(walls);
    }
    place_by_excluded(input, &scans, &links, &mut block);
    network::place_by_set_up(input, &scans, &mut block);
    for u in block.unplaced.iter_mut().filter(|u| input.scans[u.scan].apart) {
        u.reason = WhyUnplaced::Apart;
    }
    findings.extend(block.unplaced.iter().map(|u| Finding::Unplaced { scan: u.scan, why: u.reason }));
    let mut placed = network::network(input, &block);
    if placed.scans.len() < 2 {
        return Registration { block: Err(Refusal::NothingTied(input.waiting)), findings, placed };
    }
    let (first, gross) = match solve_without_gross(&mut placed) {
        Ok(s) => s,
        Err(e) => return Registration { block: Err(Refusal::Adjust(e)), findings, placed },
    };
    let (solution, joins) = match loops::close(&mut placed, &first, &block.same) {
        Some((s, joins)) => (s, joins),
        None => (first, Vec::new()),
    };
    let mut solution = without_false_levels(&mut placed, solution, &mut block);
    placed.settle(&solution);
    naming::name(input, &mut placed, &solution);
    // distances are between named targets, so they come in when targets have names
    if network::distances(input, &mut placed) > 0 {
        match solve(placed.network.clone(), Scaling::Estimated) {
            Ok(s) => solution = s,
            Err(e) => return Registration { block: Err(Refusal::Adjust(e)), findings, placed },
        }
        placed.settle(&solution);
    }
    let (more, suspect) = findings::decide(input, &placed, &solution, &block, &gross);
    findings.splice(0..0, more);
    let poses: Vec<_> = solution.poses.iter().copied().map(Some).collect();
    let shared: Vec<SharedTarget> = placed
        .network
        .observations
        .iter()
        .zip(&suspect)
        .filter(|(o, _)| o.active)
        .filter_map(|(o, suspect)| {
            let c = o.centre()?;
            let sigma = c.covariance.symmetric_eigenvalues().max().sqrt();
            let centre = c.corrected(&solution.systematic);
            Some(SharedTarget { scan: c.scan, target: c.target, centre, sigma, suspect: *suspect })
        })
        .collect();
    let index = |s: usize| placed.scans.iter().position(|p| *p == s);
    let ambiguous: Vec<_> = block.ambiguous.iter().filter_map(|&(a, b)| Some((index(a)?, index(b)?))).collect();
    let ties = grade_ties(&TieInput { poses: &poses, observations: &shared, ambiguous: &ambiguous });
    let loops = misclosures(&placed.network, &ties);
    let standings = (0..placed.scans.len()).map(|k| findings::standing(input, &placed, &solution, &ties, k)).collect();
    let budgets = budgets(&solution);
    let registered = Registered { solution, ties, loops, joins, standings, suspect, budgets };
    Registration { block: Ok(registered), findings, placed }
}

/// What held groups and the clouds say, the surest first.
fn links(input: &Input) -> Vec<Link> {
    let mut ties: Vec<&CloudTieInput> = input.cloud_ties.iter().collect();
    let loose = |t: &CloudTieInput| t.covariance.fixed_view::<3, 3>(0, 0).trace();
    ties.sort_by(|a, b| a.grade.cmp(&b.grade).then(loose(a).total_cmp(&loose(b))));
    let held = input.held.iter().flat_map(|h| h.others.iter().map(|o| Link { scans: (h.first, o.0), relative: o.1 }));
    held.chain(ties.iter().map(|t| Link { scans: t.scans, relative: t.relative })).collect()
}

/// Gives scans a place that only targets hold which were excluded: wrong by some millimetres, they still say about
/// where the scan stood, and the others with its level hold it. They take no part in the adjustment.
fn place_by_excluded(input: &Input, scans: &[ScanTargets], links: &[Link], block: &mut Block) {
    let lost: Vec<usize> = (0..scans.len()).filter(|&s| block.poses[s].is_none()).collect();
    if lost.is_empty() || input.scans.iter().all(|s| s.excluded.is_empty()) {
        return;
    }
    let all: Vec<ScanTargets> = scans
        .iter()
        .zip(&input.scans)
        .map(|(s, i)| {
            let excluded = i.excluded.iter().map(|t| alone(t, &input.systematic));
            ScanTargets { targets: s.targets.iter().copied().chain(excluded).collect(), ..s.clone() }
        })
        .collect();
    let with = assemble(&all, links);
    let Some((ours, theirs)) = (0..scans.len()).find_map(|s| Some((block.poses[s]?, with.poses[s]?))) else { return };
    let to_block = ours.compose(&theirs.inverse());
    for s in lost {
        if let Some(pose) = with.poses[s] {
            block.place(s, to_block.compose(&pose), scans);
            block.unplaced.retain(|u| u.scan != s);
        }
    }
}

fn alone(t: &Observed, systematic: &Systematic) -> Observed {
    Observed { covariance: t.covariance + systematic.of_centre(&t.centre, t.kind), ..*t }
}

/// Solves the block. Where an observation is so wrong that least squares comes to no end with it (a backsight
/// to another mark, metres off), it is left out and its index returned, to be told of.
fn solve_without_gross(placed: &mut Placed) -> Result<(Solution, Vec<usize>), AdjustError> {
    const MOST: usize = 8;
    let mut gross = Vec::new();
    loop {
        let e = match solve(placed.network.clone(), Scaling::Estimated) {
            Ok(s) => return Ok((s, gross)),
            Err(e) => e,
        };
        let mut near = placed.network.clone();
        let worst = grossly_wrong(&mut near).filter(|_| matches!(e, AdjustError::Diverged(_)) && gross.len() < MOST);
        let Some(worst) = worst else { return Err(e) };
        near.observations[worst].active = false;
        placed.network = near;
        gross.push(worst);
    }
}

/// Leaves out the level of a scan where that is what explains the misfit best: a compensator that was off,
/// or a setting not noticed. It is told of ([`Finding::NotLevel`]); the scan is held by its targets, as one that
/// was never said to be level.
fn without_false_levels(placed: &mut Placed, mut solution: Solution, block: &mut Block) -> Solution {
    loop {
        let best = solution.suspicions.first().filter(|s| s.p_family < FAMILY_RISK);
        let Some(Hypothesis::Observation(k)) = best.map(|s| &s.hypothesis) else { return solution };
        let o = &mut placed.network.observations[*k];
        let (Kind::Level(level), true) = (&o.kind, o.active) else { return solution };
        let scan = level.scan;
        o.active = false;
        let Ok(again) = solve(placed.network.clone(), Scaling::Estimated) else {
            // its level is all that holds it
            placed.network.observations[*k].active = true;
            return solution;
        };
        solution = again;
        block.tilted.push(placed.scans[scan]);
    }
}

fn budgets(solution: &Solution) -> Vec<ErrorBudget> {
    use rayon::prelude::*;
    (0..solution.targets.len()).into_par_iter().map(|t| solution.target_budget(t)).collect()
}
