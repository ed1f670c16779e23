use super::matching::{MatchOptions, Matched, match_points};
use crate::geometry::{Mat3, Pose, Vec3};
use crate::target::TargetKind;
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
    /// In words, with what would mend it.
    pub reason: String,
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
}

/// An observation this near to a target of the block is of that target, metres. Far below the
/// distance between two targets on a site, and far above what a knocked sphere moves.
const SAME_PLACE: f64 = 0.15;

/// Matches all pairs of scans, grows a block from the scan with the strongest match, and merges
/// observations of the same target.
///
/// Scans are added in order of the number of targets they share with what is there already; an
/// ambiguous pair is only used when the block as a whole removes the doubt.
pub fn assemble(scans: &[ScanTargets]) -> Block {
    let n = scans.len();
    let as_points = |s: &ScanTargets| -> Vec<Matched> {
        s.targets.iter().map(|t| Matched { position: t.centre, covariance: t.covariance, kind: Some(t.kind) }).collect()
    };
    let sets: Vec<Vec<Matched>> = scans.iter().map(as_points).collect();
    let mut ambiguous = Vec::new();
    let mut pairs = Vec::new();
    // each pair stands alone, so all cores match at once
    let matched: Vec<_> = (0..n)
        .into_par_iter()
        .flat_map_iter(|i| (i + 1..n).map(move |j| (i, j)))
        .filter_map(|(i, j)| {
            let options = MatchOptions { levelled: scans[i].levelled && scans[j].levelled, ..MatchOptions::default() };
            match_points(&sets[i], &sets[j], &options).map(|m| (i, j, m))
        })
        .collect();
    for (i, j, m) in matched {
        if m.ambiguous {
            ambiguous.push((i, j));
        } else {
            pairs.push((i, j, m));
        }
    }
    pairs.sort_by(|x, y| y.2.pairs.len().cmp(&x.2.pairs.len()).then(x.2.fit.rms.total_cmp(&y.2.fit.rms)));
    let mut poses: Vec<Option<Pose>> = vec![None; n];
    if let Some((i, _, _)) = pairs.first() {
        poses[*i] = Some(Pose::identity());
    } else if n > 0 {
        poses[0] = Some(Pose::identity());
    }
    let mut block = Block { poses, members: Vec::new(), positions: Vec::new(), unplaced: Vec::new(), ambiguous };
    for s in 0..n {
        if block.poses[s].is_some() {
            block.absorb(s, scans);
        }
    }
    // grow: first over sound pairs, then against the targets of the whole block
    loop {
        if let Some((i, j, m)) = pairs.iter().find(|p| block.poses[p.0].is_some() != block.poses[p.1].is_some()) {
            let (new, pose) = match (block.poses[*i], block.poses[*j]) {
                (Some(p), None) => (*j, p.compose(&m.fit.pose)),
                (None, Some(p)) => (*i, p.compose(&m.fit.pose.inverse())),
                _ => break,
            };
            block.poses[new] = Some(pose);
            block.absorb(new, scans);
            continue;
        }
        let all: Vec<Matched> = block.as_points(scans);
        let next = (0..n).filter(|&s| block.poses[s].is_none()).find_map(|s| {
            let options = MatchOptions { levelled: scans.iter().all(|x| x.levelled), ..MatchOptions::default() };
            match_points(&all, &sets[s], &options).filter(|m| !m.ambiguous).map(|m| (s, m.fit.pose))
        });
        match next {
            Some((s, pose)) => {
                block.poses[s] = Some(pose);
                block.absorb(s, scans);
            }
            None => break,
        }
    }
    block.unplaced = (0..n).filter(|&s| block.poses[s].is_none()).map(|s| block.explain(s, scans)).collect();
    block
}

impl Block {
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
        let count = scans[scan].targets.len();
        let name = &scans[scan].name;
        let reason = if count == 0 {
            format!("no targets were found in {name}: check the sphere diameter and that targets stand within range")
        } else if count < 3 {
            format!(
                "{name} shows {count} target{}; 3 shared with other scans are needed",
                if count == 1 { "" } else { "s" }
            )
        } else if self.ambiguous.iter().any(|p| p.0 == scan || p.1 == scan) {
            format!(
                "the targets of {name} fit the block in two ways equally well (symmetrical or repeating layout); one more target off the pattern would decide"
            )
        } else {
            format!(
                "{name} shows {count} targets, but no 3 of them lie as any 3 of the other scans do: it shares too little, or targets moved"
            )
        };
        Unplaced { scan, reason }
    }
}
