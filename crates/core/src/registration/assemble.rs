use crate::geometry::{Mat3, Pose, Vec3};
use crate::targets::TargetKind;
use crate::tie::{Match, MatchOptions, Matched, match_points};
use nalgebra::UnitQuaternion;
use rayon::prelude::*;

/// The usable targets of one scan, in its frame.
#[derive(Clone, Debug)]
pub struct ScanTargets {
    /// Name of the scan, for messages.
    pub name: String,
    /// Its compensator was on: the frame's z axis is vertical.
    pub levelled: bool,
    /// Targets, in the scanner frame.
    pub targets: Vec<Observed>,
}

/// One observed target.
#[derive(Clone, Copy, Debug)]
pub struct Observed {
    /// Caller's identifier, handed back in [`Block::members`].
    pub id: usize,
    /// Sphere or checker.
    pub kind: TargetKind,
    /// Observations of different groups are never the same target: a target that moved is split
    /// into its first (0) and its second place (1).
    pub group: i32,
    /// Centre, scanner frame, metres.
    pub centre: Vec3,
    /// Covariance, m².
    pub covariance: Mat3,
}

/// Why a scan has no place in the block.
#[derive(Clone, Debug, PartialEq)]
pub struct Unplaced {
    /// Index of the scan.
    pub scan: usize,
    /// Why.
    pub reason: WhyUnplaced,
}

/// Why a scan has no place in the block.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum WhyUnplaced {
    /// No targets were found in it.
    NoTargets,
    /// It shows this many, fewer than the three that are needed.
    Few(usize),
    /// Its targets fit the block in two ways equally well.
    Ambiguous(usize),
    /// No three of its targets lie as any three of the others do.
    NoLayout(usize),
    /// Somebody set it apart.
    Apart,
}

/// Scans brought together: approximate poses and which observations are the same target.
#[derive(Clone, Debug)]
pub struct Block {
    /// Approximate pose of each scan; `None` when it could not be placed.
    pub poses: Vec<Option<Pose>>,
    /// For each target of the block: `(scan, index into its targets)`, in scan order.
    pub members: Vec<Vec<(usize, usize)>>,
    /// Approximate position of each target in the block frame, metres.
    pub positions: Vec<Vec3>,
    /// Scans left out, with the reason.
    pub unplaced: Vec<Unplaced>,
    /// Pairs of scans whose match had an equally good rival and was not used.
    pub ambiguous: Vec<(usize, usize)>,
    /// Scans that fit only when their z axis is not taken for vertical.
    pub tilted: Vec<usize>,
    /// Pairs of observations `(scan, index)` that an unambiguous match of two scans says are one target,
    /// whatever the block made of them.
    pub same: Vec<[(usize, usize); 2]>,
}

/// An observation this near to a target of the block is of that target, metres. Far below the
/// distance between two targets on a site, and far above what a knocked sphere moves.
const SAME_PLACE: f64 = 0.15;

/// How far a wrong target may be off and its scan still find its place by it, metres.
const WRONG: f64 = 0.03;

/// Two scans whose relation is known from elsewhere: from what their clouds show.
#[derive(Clone, Copy, Debug)]
pub struct Link {
    /// Indices of the scans.
    pub scans: (usize, usize),
    /// Pose of the second in the frame of the first.
    pub relative: Pose,
}

/// Matches all pairs of scans, grows a block from the scan with the strongest match, and merges
/// observations of the same target.
///
/// Scans are added in order of the number of targets they share with what is there already; an
/// ambiguous pair is only used when the block as a whole removes the doubt. Where targets bring no further scan
/// in, links do, in the order given.
pub fn assemble(scans: &[ScanTargets], links: &[Link]) -> Block {
    let n = scans.len();
    let as_points = |s: &ScanTargets| -> Vec<Matched> {
        s.targets.iter().map(|t| Matched { position: t.centre, covariance: t.covariance, kind: Some(t.kind) }).collect()
    };
    let sets: Vec<Vec<Matched>> = scans.iter().map(as_points).collect();
    let options = |a: usize, b: usize| MatchOptions {
        levelled: scans[a].levelled && scans[b].levelled,
        ..MatchOptions::default()
    };
    // each pair stands alone, so all cores match at once
    let matched: Vec<(usize, usize, Match)> = (0..n)
        .into_par_iter()
        .flat_map_iter(|i| (i + 1..n).map(move |j| (i, j)))
        .filter_map(|(i, j)| match_points(&sets[i], &sets[j], &options(i, j)).map(|m| (i, j, m)))
        .collect();
    let (doubtful, mut pairs): (Vec<_>, Vec<_>) = matched.into_iter().partition(|m| m.2.ambiguous);
    pairs.sort_by(|x, y| y.2.pairs.len().cmp(&x.2.pairs.len()).then(x.2.fit.rms.total_cmp(&y.2.fit.rms)));
    let mut poses: Vec<Option<Pose>> = vec![None; n];
    if n > 0 {
        let linked = links.first().map_or(0, |l| l.scans.0);
        poses[pairs.first().map_or(linked, |p| p.0)] = Some(Pose::identity());
    }
    let mut block = Block {
        poses,
        members: Vec::new(),
        positions: Vec::new(),
        unplaced: Vec::new(),
        ambiguous: doubtful.iter().map(|d| (d.0, d.1)).collect(),
        tilted: Vec::new(),
        same: Vec::new(),
    };
    for s in 0..n {
        if block.poses[s].is_some() {
            block.absorb(s, scans);
        }
    }
    block.grow(scans, &sets, &pairs, links);
    block.same = pairs
        .iter()
        .filter(|p| block.poses[p.0].is_some() && block.poses[p.1].is_some())
        .flat_map(|(i, j, m)| m.pairs.iter().map(|(a, b)| [(*i, *a), (*j, *b)]))
        .collect();
    block.unplaced = (0..n).filter(|&s| block.poses[s].is_none()).map(|s| block.explain(s, scans)).collect();
    block
}

impl Block {
    /// Adds scan after scan: first over sound pairs and links, then against the targets of the whole block, then
    /// without taking the axis of a scan for vertical that claims to be level; at last one whose targets fit
    /// only roughly, because one of them was measured or moved wrongly: the tests of the adjustment say which.
    fn grow(&mut self, scans: &[ScanTargets], sets: &[Vec<Matched>], pairs: &[(usize, usize, Match)], links: &[Link]) {
        let n = scans.len();
        let pairs = pairs.iter().map(|(i, j, m)| ((*i, *j), m.fit.pose));
        let known: Vec<_> = pairs.chain(links.iter().map(|l| (l.scans, l.relative))).collect();
        loop {
            let next = known.iter().find_map(|((i, j), relative)| match (self.poses[*i], self.poses[*j]) {
                (Some(p), None) => Some((*j, p.compose(relative))),
                (None, Some(p)) => Some((*i, p.compose(&relative.inverse()))),
                _ => None,
            });
            if let Some((new, pose)) = next {
                self.place(new, pose, scans);
                continue;
            }
            let all: Vec<Matched> = self.as_points(scans);
            let levelled = scans.iter().all(|x| x.levelled);
            let found = |levelled: bool, least: usize, slack: f64| {
                let options = MatchOptions { levelled, slack, least, ..MatchOptions::default() };
                (0..n).filter(|&s| self.poses[s].is_none() && sets[s].len() >= least).find_map(|s| {
                    match_points(&all, &sets[s], &options).filter(|m| !m.ambiguous).map(|m| (s, m.fit.pose))
                })
            };
            let close = MatchOptions::default().slack;
            if let Some((s, pose)) = found(levelled, 3, close) {
                self.place(s, pose, scans);
            } else if levelled && let Some((s, pose)) = found(false, 4, close) {
                self.tilted.push(s);
                self.place(s, pose, scans);
            } else if let Some((s, pose)) = found(levelled, 3, WRONG) {
                self.place(s, pose, scans);
            } else if levelled && let Some((s, pose)) = found(false, 3, close) {
                self.tilted.push(s);
                self.place(s, pose, scans);
            } else {
                break;
            }
        }
    }

    /// Makes the block upright when the scan whose frame it has was not levelled, by the first that was.
    pub(super) fn stand(&mut self, scans: &[ScanTargets]) {
        let levelled = |s: usize| self.poses[s].filter(|_| scans[s].levelled);
        let Some(first) = (0..scans.len()).find_map(levelled) else { return };
        let upright = first.rotation * Vec3::z();
        if let Some(turn) = UnitQuaternion::rotation_between(&upright, &Vec3::z()) {
            self.turn_by(&Pose { rotation: turn, translation: Vec3::zeros() });
        }
    }

    /// Turns the block about the vertical, so that the walls of its first scan, which lie at `walls` radians in it,
    /// come to lie along the axes; heights stay.
    pub(super) fn turn(&mut self, walls: f64) {
        self.turn_by(&Pose::levelled(-walls, Vec3::zeros()));
    }

    fn turn_by(&mut self, turn: &Pose) {
        for pose in self.poses.iter_mut().flatten() {
            *pose = turn.compose(pose);
        }
        for p in &mut self.positions {
            *p = turn.apply(p);
        }
    }

    /// Gives a scan its pose and adds its targets.
    pub(super) fn place(&mut self, scan: usize, pose: Pose, scans: &[ScanTargets]) {
        self.poses[scan] = Some(pose);
        self.absorb(scan, scans);
    }

    /// Adds the observations of a placed scan to the targets, or makes new ones.
    fn absorb(&mut self, scan: usize, scans: &[ScanTargets]) {
        let Some(pose) = self.poses[scan] else { return };
        for (k, t) in scans[scan].targets.iter().enumerate() {
            let p = pose.apply(&t.centre);
            let same = (0..self.positions.len())
                .filter(|&j| {
                    let (s, i) = self.members[j][0];
                    let first = &scans[s].targets[i];
                    first.kind == t.kind && first.group == t.group && self.members[j].iter().all(|m| m.0 != scan)
                })
                .map(|j| (j, (self.positions[j] - p).norm()))
                .filter(|&(_, d)| d < SAME_PLACE)
                .min_by(|x, y| x.1.total_cmp(&y.1));
            if let Some((j, _)) = same {
                self.members[j].push((scan, k));
                self.members[j].sort_unstable();
            } else {
                self.members.push(vec![(scan, k)]);
                self.positions.push(p);
            }
        }
    }

    fn as_points(&self, scans: &[ScanTargets]) -> Vec<Matched> {
        self.members
            .iter()
            .zip(&self.positions)
            .map(|(m, p)| {
                let t = &scans[m[0].0].targets[m[0].1];
                Matched { position: *p, covariance: t.covariance + Mat3::identity() * 1e-6, kind: Some(t.kind) }
            })
            .collect()
    }

    fn explain(&self, scan: usize, scans: &[ScanTargets]) -> Unplaced {
        let reason = match scans[scan].targets.len() {
            0 => WhyUnplaced::NoTargets,
            n if n < 3 => WhyUnplaced::Few(n),
            n if self.ambiguous.iter().any(|p| p.0 == scan || p.1 == scan) => WhyUnplaced::Ambiguous(n),
            n => WhyUnplaced::NoLayout(n),
        };
        Unplaced { scan, reason }
    }
}
