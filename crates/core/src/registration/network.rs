use super::assemble::{Block, Observed, ScanTargets};
use super::input::{CloudTieInput, Input, SetUp};
use crate::adjust::kinds::{Backsight, CloudTie, Distance, Held, OccupiedMark, TargetCentre};
use crate::adjust::{Network, Observation, Shared, Solution};
use crate::geometry::{Pose, Vec3};
use crate::targets::TargetKind;
use nalgebra::Matrix6;
use std::collections::HashMap;

/// What kind of point it is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum TargetKindOf {
    /// A sphere or checker that scans show.
    Scanned(TargetKind),
    /// A mark that was stood over or sighted.
    Mark,
}

/// A target of the block.
#[derive(Clone, Debug, PartialEq)]
pub struct TargetInfo {
    /// Its name.
    pub name: String,
    /// What it is.
    pub kind: TargetKindOf,
    /// 1 for the second place of a target that was moved.
    pub group: i32,
    /// The name is of the plan or of control, not numbered.
    pub named: bool,
}

/// The network with what its indices stand for.
#[derive(Clone, Debug, Default)]
pub struct Placed {
    /// What is adjusted.
    pub network: Network,
    /// For each scan of the network, which of the input it is.
    pub scans: Vec<usize>,
    /// For each target of the network.
    pub targets: Vec<TargetInfo>,
    /// The target that an observation (scan of the input, index into its targets) is of.
    pub(super) target_of: HashMap<(usize, usize), usize>,
}

impl Placed {
    /// Takes over the adjusted state: what is stored is the solution, and nothing is solved again.
    pub(super) fn settle(&mut self, solution: &Solution) {
        for (s, p) in self.network.scans.iter_mut().zip(&solution.poses) {
            s.pose = *p;
        }
        for (t, p) in self.network.targets.iter_mut().zip(&solution.targets) {
            t.position = *p;
        }
        self.network.systematic.clone_from(&solution.systematic);
    }
}

/// An excluded observation within this of a target is shown with it, metres.
const SHOWN_WITH: f64 = 0.5;

/// Unknowns and observations of the placed scans. Excluded observations stay in, inactive, where
/// their target is known from others, so that their misfit is shown.
pub(super) fn network(input: &Input, block: &Block) -> Placed {
    let mut placed = Placed::default();
    let mut place = vec![None; input.scans.len()];
    for (s, scan) in input.scans.iter().enumerate() {
        if let Some(pose) = block.poses[s] {
            place[s] = Some(placed.network.add_scan(&scan.name, pose));
            placed.scans.push(s);
        }
    }
    placed.network.centre_plumb();
    let boards = input.scans.iter().flat_map(|s| &s.targets).any(|t| t.kind == TargetKind::Checker);
    let shared = Shared::add(&mut placed.network, &input.systematic, boards);
    let sighting = |o: &Observed, scan: usize, target: usize| {
        let covariance = o.covariance + input.systematic.of_sighting(&o.centre, o.kind);
        let (centre, systematic) = (o.centre, shared.of(scan));
        Observation::new(TargetCentre { scan, target, centre, covariance, by: o.kind, systematic }).with_id(o.id)
    };
    // numbered in the order they were first seen, so that names stay when the registration is run again
    let mut order: Vec<usize> = (0..block.members.len()).collect();
    order.sort_by_key(|&t| block.members[t][0]);
    for &t in &order {
        let first = &input.scans[block.members[t][0].0].targets[block.members[t][0].1];
        let target = placed.network.add_target("", block.positions[t]);
        placed.targets.push(TargetInfo {
            name: String::new(),
            kind: TargetKindOf::Scanned(first.kind),
            group: first.group,
            named: false,
        });
        for &(s, k) in &block.members[t] {
            let o = &input.scans[s].targets[k];
            placed.target_of.insert((s, k), target);
            let Some(scan) = place[s] else { continue };
            placed.network.observe(sighting(o, scan, target));
        }
    }
    for (s, scan) in input.scans.iter().enumerate() {
        let Some(k) = place[s] else { continue };
        if let Some(sigma) = scan.compensator {
            // a scan that fits only when it is not taken for level has its level shown, not used
            let active = !block.tilted.contains(&s);
            placed.network.observe(Observation { active, ..Observation::level(k, sigma) });
        }
        show_excluded(&mut placed, k, &scan.excluded, &sighting);
    }
    for tie in &input.cloud_ties {
        if let (Some(from), Some(to)) = (place[tie.scans.0], place[tie.scans.1]) {
            // within a held group its misfit is shown, and bends nothing
            let active = !input.held.iter().any(|h| h.holds(tie.scans));
            let tie = cloud_tie(tie, from, to, &placed.network, &shared);
            placed.network.observe(Observation { active, ..tie });
        }
    }
    for (group, other) in input.held.iter().flat_map(|h| h.others.iter().map(move |o| (h, o))) {
        if let (Some(from), Some(to)) = (place[group.first], place[other.0]) {
            placed.network.observe(Observation::new(Held { from, to, relative: other.1, worth: other.2 }));
        }
    }
    marks(input, &place, &mut placed);
    placed
}

fn cloud_tie(tie: &CloudTieInput, from: usize, to: usize, net: &Network, shared: &Shared) -> Observation {
    let (a, b) = (shared.of(from), shared.of(to));
    let unknowns = [(a[0], [true, true]), (a[1], [true, false]), (b[1], [false, true])];
    let effects = unknowns.into_iter().filter_map(|(unknown, scans)| {
        let unknown = unknown?;
        let mut by = Matrix6::zeros();
        for (k, parameter) in net.systematic[unknown].parameters.iter().enumerate() {
            by.set_column(k, &tie.shared.of(*parameter, scans));
        }
        Some((unknown, by))
    });
    let (relative, covariance) = (tie.relative, tie.covariance);
    Observation::new(CloudTie { from, to, relative, covariance, shared: effects.collect() }).with_id(tie.id)
}

fn show_excluded(
    placed: &mut Placed,
    scan: usize,
    excluded: &[Observed],
    sighting: &dyn Fn(&Observed, usize, usize) -> Observation,
) {
    let pose = placed.network.scans[scan].pose;
    for o in excluded {
        let p = pose.apply(&o.centre);
        let nearest = placed
            .network
            .targets
            .iter()
            .zip(&placed.targets)
            .enumerate()
            .filter(|(_, (_, info))| info.kind == TargetKindOf::Scanned(o.kind))
            .map(|(i, (t, _))| (i, (t.position - p).norm()))
            .min_by(|a, b| a.1.total_cmp(&b.1));
        if let Some((target, _)) = nearest.filter(|n| n.1 < SHOWN_WITH) {
            placed.network.observe(Observation { active: false, ..sighting(o, scan, target) });
        }
    }
}

/// Marks that were stood over or sighted become targets, with what was measured of them. A mark that
/// one observation alone reaches ties nothing, and stays, since control may know it.
fn marks(input: &Input, place: &[Option<usize>], placed: &mut Placed) {
    let key = |name: &str| name.trim().to_lowercase();
    let mut known: HashMap<String, usize> = HashMap::new();
    for (s, scan) in input.scans.iter().enumerate() {
        let (Some(k), Some(set_up)) = (place[s], &scan.set_up) else { continue };
        let pose = placed.network.scans[k].pose;
        let mut mark = |placed: &mut Placed, name: &str, at: Vec3| {
            *known.entry(key(name)).or_insert_with(|| {
                placed.targets.push(TargetInfo {
                    name: name.trim().to_owned(),
                    kind: TargetKindOf::Mark,
                    group: 0,
                    named: true,
                });
                placed.network.add_target(name.trim(), at)
            })
        };
        let target = mark(placed, &set_up.mark, pose.translation - Vec3::z() * set_up.height);
        placed.network.observe(Observation::new(OccupiedMark {
            scan: k,
            target,
            height: set_up.height,
            centring_sigma: set_up.centring_sigma,
            height_sigma: set_up.height_sigma,
        }));
        for sight in &set_up.sights {
            let at = pose.apply(&sight.reflector) - Vec3::z() * sight.height;
            let target = mark(placed, &sight.mark, at);
            placed.network.observe(Observation::new(Backsight {
                scan: k,
                target,
                reflector: sight.reflector,
                height: sight.height,
                sigma: sight.sigma,
            }));
        }
    }
}

/// Adds the distances measured between targets, which have names by now; returns how many.
pub(super) fn distances(input: &Input, placed: &mut Placed) -> usize {
    let of = |name: &str| placed.targets.iter().position(|t| t.name.eq_ignore_ascii_case(name.trim()));
    let found: Vec<Distance> = input
        .distances
        .iter()
        .filter_map(|d| {
            let (from, to) = (of(&d.from)?, of(&d.to)?);
            (from != to).then_some(Distance { from, to, distance: d.distance, sigma: d.sigma })
        })
        .collect();
    let count = found.len();
    for d in found {
        placed.network.observe(Observation::new(d));
    }
    count
}

/// Gives scans a place that share no targets but stand over marks and sight marks which other scans
/// reach: the traverse.
pub(super) fn place_by_set_up(input: &Input, scans: &[ScanTargets], block: &mut Block) {
    let key = |name: &str| name.trim().to_lowercase();
    let marks_of = |s: &SetUp, pose: &Pose| -> Vec<(String, Vec3)> {
        let own = (key(&s.mark), pose.translation - Vec3::z() * s.height);
        let sighted = s.sights.iter().map(|x| (key(&x.mark), pose.apply(&x.reflector) - Vec3::z() * x.height));
        std::iter::once(own).chain(sighted).collect()
    };
    // nothing has a place by targets or clouds: the first set-up is where the block begins
    if block.members.iter().all(|m| m.len() < 2)
        && block.poses.iter().flatten().count() < 2
        && let Some(first) = input.scans.iter().position(|s| s.set_up.is_some())
    {
        block.poses.iter_mut().for_each(|p| *p = None);
        block.members.clear();
        block.positions.clear();
        block.place(first, Pose::identity(), scans);
    }
    loop {
        let mut known: HashMap<String, Vec3> = HashMap::new();
        for (s, pose) in input.scans.iter().zip(&block.poses) {
            if let (Some(set_up), Some(pose)) = (&s.set_up, pose) {
                known.extend(marks_of(set_up, pose));
            }
        }
        let next = (0..input.scans.len()).filter(|&s| block.poses[s].is_none()).find_map(|s| {
            let set_up = input.scans[s].set_up.as_ref()?;
            // in the scanner frame, taken for level
            let mine = marks_of(set_up, &Pose::identity());
            let both: Vec<(Vec3, Vec3)> = mine.iter().filter_map(|(m, p)| Some((*p, *known.get(m)?))).collect();
            let [(a, x), (b, y), ..] = both[..] else { return None };
            let turn = |v: Vec3| v.y.atan2(v.x);
            let yaw = turn(y - x) - turn(b - a);
            let pose = Pose::levelled(yaw, Vec3::zeros());
            Some((s, Pose { translation: x - pose.apply(&a), ..pose }))
        });
        let Some((s, pose)) = next else { break };
        block.place(s, pose, scans);
        block.unplaced.retain(|u| u.scan != s);
    }
}
