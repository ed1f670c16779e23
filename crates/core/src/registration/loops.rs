use super::network::Placed;
use crate::adjust::kinds::Kind;
use crate::adjust::{Network, Observation, Scaling, Solution, solve};
use crate::geometry::{Mat3, Pose, Vec3, skew};
use crate::stats::{K95_1D, K95_3D, chi2_tail};
use crate::tie::Tie;
use nalgebra::{Matrix3x6, Matrix6, Matrix6x3, Vector6};
use std::collections::{HashMap, VecDeque};

/// A target that was reached on two ways round and came out in two places, which are one.
#[derive(Clone, Debug, PartialEq)]
pub struct Join {
    /// Index of the target in the network.
    pub target: usize,
    /// From where the one way put it to where the other did, block axes, metres: the misclosure.
    pub gap: Vec3,
    /// Its covariance before it was closed, m².
    pub covariance: Mat3,
    /// Probability of a gap as large as this when nothing is wrong.
    pub p_value: f64,
}

/// Two places of one target may lie so far apart besides what the error of their difference explains,
/// metres: what a knock does, which the tests name afterwards.
const KNOCK: f64 = 0.03;
/// Gate on the difference of two places, in its standard deviations.
const GATE: f64 = 5.0;

/// Joins targets that were reached on two ways round, whatever the drift: where an unambiguous match of
/// two scans says that observations are of one target, or where two places agree within what the
/// adjusted block knows of their difference. Returns the block adjusted again, or `None` when nothing
/// was to be joined.
pub(super) fn close(
    placed: &mut Placed,
    solution: &Solution,
    same: &[[(usize, usize); 2]],
) -> Option<(Solution, Vec<Join>)> {
    let mut parent: Vec<usize> = (0..placed.targets.len()).collect();
    let mut scans: Vec<Vec<usize>> = vec![Vec::new(); placed.targets.len()];
    for o in placed.network.observations.iter().filter(|o| o.active) {
        if let (Some(t), Some(s)) = (o.target_index(), o.scan()) {
            scans[t].push(s);
        }
    }
    let said = same.iter().filter_map(|[a, b]| Some((*placed.target_of.get(a)?, *placed.target_of.get(b)?)));
    let mut pairs: Vec<(usize, usize)> = said.filter(|(a, b)| a != b).map(|(a, b)| (a.min(b), a.max(b))).collect();
    pairs.extend(near(placed, solution));
    pairs.sort_unstable();
    pairs.dedup();
    let root = |parent: &[usize], mut t: usize| {
        while parent[t] != t {
            t = parent[t];
        }
        t
    };
    let mut joins = Vec::new();
    for (a, b) in pairs {
        let (x, y) = (root(&parent, a), root(&parent, b));
        let (low, high) = (x.min(y), x.max(y));
        // one scan cannot show a target twice; what was split by hand stays split
        if x == y
            || scans[x].iter().any(|s| scans[y].contains(s))
            || placed.targets[x].kind != placed.targets[y].kind
            || placed.targets[x].group != placed.targets[y].group
        {
            continue;
        }
        let gap = solution.targets[high] - solution.targets[low];
        let covariance = difference(solution, low, high);
        let statistic = covariance.cholesky().map_or(0.0, |c| gap.dot(&c.solve(&gap)));
        joins.push(Join { target: low, gap, covariance, p_value: chi2_tail(statistic, 3) });
        parent[high] = low;
        let moved = std::mem::take(&mut scans[high]);
        scans[low].extend(moved);
    }
    if joins.is_empty() {
        return None;
    }
    let mut closed = placed.clone();
    closed.settle(solution);
    let to: Vec<usize> = (0..placed.targets.len()).map(|t| root(&parent, t)).collect();
    let kept: Vec<usize> = (0..to.len()).filter(|&t| to[t] == t).collect();
    let place = |t: usize| kept.binary_search(&to[t]).unwrap_or(0);
    for o in &mut closed.network.observations {
        o.kind.measurement_mut().retarget(&place);
    }
    closed.network.targets = kept.iter().map(|&t| closed.network.targets[t].clone()).collect();
    closed.targets = kept.iter().map(|&t| closed.targets[t].clone()).collect();
    closed.target_of.values_mut().for_each(|t| *t = place(*t));
    for j in &mut joins {
        j.target = place(j.target);
    }
    let solution = solve(closed.network.clone(), Scaling::Estimated).ok()?;
    *placed = closed;
    Some((solution, joins))
}

fn difference(s: &Solution, a: usize, b: usize) -> Mat3 {
    s.target_cross(a, a) + s.target_cross(b, b) - s.target_cross(a, b) - s.target_cross(b, a)
}

/// Pairs of places that agree within what is known of their difference, each the other's nearest.
fn near(placed: &Placed, solution: &Solution) -> Vec<(usize, usize)> {
    let n = placed.targets.len();
    let agrees = |a: usize, b: usize| {
        let gap = (solution.targets[a] - solution.targets[b]).norm();
        let sigma = difference(solution, a, b).symmetric_eigenvalues().max().max(0.0).sqrt();
        gap < GATE * sigma + KNOCK
    };
    let alike = |a: usize, b: usize| {
        placed.targets[a].kind == placed.targets[b].kind && placed.targets[a].group == placed.targets[b].group
    };
    let nearest = |a: usize| {
        let others = (0..n).filter(|&b| b != a && alike(a, b));
        others.min_by(|x, y| {
            let d = |b: &usize| (solution.targets[a] - solution.targets[*b]).norm_squared();
            d(x).total_cmp(&d(y))
        })
    };
    let of: Vec<Option<usize>> = (0..n).map(nearest).collect();
    (0..n).filter_map(|a| of[a].filter(|&b| a < b && of[b] == Some(a) && agrees(a, b)).map(|b| (a, b))).collect()
}

/// How far a loop of ties misses itself, each tie taken alone.
#[derive(Clone, Debug, PartialEq)]
pub struct Misclosure {
    /// The scans in order; the last is tied to the first.
    pub scans: Vec<usize>,
    /// Shift, frame of the first scan, metres.
    pub shift: Vec3,
    /// Longest semi-axis of its 95 % region when nothing is wrong, metres.
    pub shift95: f64,
    /// Turn, radians.
    pub turn: f64,
    /// 95 % of the turn when nothing is wrong, radians.
    pub turn95: f64,
    /// Probability of a misclosure as large as this when nothing is wrong.
    pub p_value: f64,
}

/// Most loops that are told of, the least likely first.
const MOST_LOOPS: usize = 60;

/// Loop misclosures: for every tie that is not needed to hold the block together, the shortest way round
/// over the others.
///
/// The poses of each tie come from its shared targets alone. Two ties of one loop that use the same
/// observation are correlated, which is taken into account: the misclosure is linearised by every target
/// centre once.
pub fn misclosures(net: &Network, ties: &[Tie]) -> Vec<Misclosure> {
    // by targets where there are enough, by clouds where there are not
    let mut strong: Vec<((usize, usize), &[usize])> =
        ties.iter().filter(|t| t.shared.len() >= 3 && t.breadth > 0.05).map(|t| (t.scans, &t.shared[..])).collect();
    let mut pairs: HashMap<(usize, usize), Option<Pair>> = HashMap::new();
    for (edge, pair) in net.observations.iter().filter(|o| o.active).filter_map(|o| Pair::by_clouds(net, o)) {
        if strong.iter().all(|s| s.0 != edge) {
            strong.push((edge, &[]));
            pairs.insert(edge, Some(pair));
        }
    }
    let n = net.scans.len();
    let mut around: Vec<Vec<usize>> = vec![Vec::new(); n];
    for ((a, b), _) in &strong {
        around[*a].push(*b);
        around[*b].push(*a);
    }
    // a spanning forest of the ties with the most targets
    let mut order: Vec<usize> = (0..strong.len()).collect();
    order.sort_by_key(|&k| std::cmp::Reverse(strong[k].1.len()));
    let mut group: Vec<usize> = (0..n).collect();
    let mut extra = Vec::new();
    for k in order {
        let (a, b) = strong[k].0;
        let (x, y) = (group[a], group[b]);
        if x == y {
            extra.push((a, b));
        } else {
            group.iter_mut().filter(|g| **g == y).for_each(|g| *g = x);
        }
    }
    let centres: HashMap<(usize, usize), (Vec3, Mat3)> = net
        .observations
        .iter()
        .filter(|o| o.active)
        .filter_map(|o| {
            o.centre().map(|c| ((c.scan, c.target), (c.corrected(&net.systematic), c.covariance * o.inflation)))
        })
        .collect();
    let shared: HashMap<(usize, usize), &[usize]> = strong.iter().copied().collect();
    let mut out: Vec<Misclosure> = extra
        .into_iter()
        .filter_map(|(a, b)| {
            let way = shortest(&around, a, b)?;
            let mut ring = Vec::new();
            for k in 0..way.len() {
                let (from, to) = (way[k], way[(k + 1) % way.len()]);
                let edge = (from.min(to), from.max(to));
                let pair = pairs
                    .entry(edge)
                    .or_insert_with(|| Pair::fit(net, edge, shared.get(&edge).copied().unwrap_or(&[]), &centres));
                ring.push((from, to, pair.clone()?));
            }
            close_ring(&way, &ring, &centres)
        })
        .collect();
    out.sort_by(|x, y| x.p_value.total_cmp(&y.p_value));
    out.truncate(MOST_LOOPS);
    out
}

/// The shortest way from `a` to `b` that does not take the edge between them.
fn shortest(around: &[Vec<usize>], a: usize, b: usize) -> Option<Vec<usize>> {
    let mut from = vec![usize::MAX; around.len()];
    let mut queue = VecDeque::from([a]);
    from[a] = a;
    while let Some(x) = queue.pop_front() {
        for &y in &around[x] {
            if from[y] != usize::MAX || (x == a && y == b) {
                continue;
            }
            from[y] = x;
            if y == b {
                let mut way = vec![b];
                while *way.last()? != a {
                    way.push(from[*way.last()?]);
                }
                way.reverse();
                return Some(way);
            }
            queue.push_back(y);
        }
    }
    None
}

/// Two scans brought together by the targets that both show.
#[derive(Clone)]
struct Pair {
    /// Pose of the second in the frame of the first.
    pose: Pose,
    /// For each shared target what its centre in the first (and, turned and negated, in the second)
    /// does to the pose by left increments.
    gain: Vec<(usize, Matrix6x3<f64>)>,
    /// Covariance that has nothing to do with targets, m² and rad².
    own: Matrix6<f64>,
}

impl Pair {
    /// A tie by clouds, with its scans, the lower index first.
    fn by_clouds(net: &Network, o: &Observation) -> Option<((usize, usize), Self)> {
        let Kind::CloudTie(t) = &o.kind else { return None };
        let pose = t.corrected(&net.systematic);
        let own = t.covariance * o.inflation;
        if t.from < t.to {
            return Some(((t.from, t.to), Self { pose, gain: Vec::new(), own }));
        }
        let turn = inverted(&pose);
        Some(((t.to, t.from), Self { pose: pose.inverse(), gain: Vec::new(), own: turn * own * turn.transpose() }))
    }

    fn fit(
        net: &Network,
        (a, b): (usize, usize),
        shared: &[usize],
        centres: &HashMap<(usize, usize), (Vec3, Mat3)>,
    ) -> Option<Self> {
        let mut pose = net.scans[a].pose.inverse().compose(&net.scans[b].pose);
        let mut gain = Vec::new();
        for _ in 0..4 {
            let turn = pose.matrix();
            let mut normal = Matrix6::zeros();
            let mut right = Vector6::zeros();
            let mut parts = Vec::new();
            for &t in shared {
                let ((x, cx), (y, cy)) = (centres.get(&(a, t))?, centres.get(&(b, t))?);
                let weight = (cx + turn * cy * turn.transpose()).try_inverse()?;
                let mut j = Matrix3x6::identity();
                j.fixed_view_mut::<3, 3>(0, 3).copy_from(&-skew(&(turn * y)));
                let weighted: Matrix6x3<f64> = j.transpose() * weight;
                normal += weighted * j;
                right += weighted * (x - pose.apply(y));
                parts.push((t, weighted));
            }
            let inverse = normal.try_inverse()?;
            pose = pose.moved(&(inverse * right));
            gain = parts.into_iter().map(|(t, w)| (t, inverse * w)).collect();
        }
        Some(Self { pose, gain, own: Matrix6::zeros() })
    }
}

/// What a left increment of a pose is as one of its inverse.
fn inverted(pose: &Pose) -> Matrix6<f64> {
    let inverse = pose.rotation.inverse().to_rotation_matrix().into_inner();
    let mut m: Matrix6<f64> = Matrix6::zeros();
    m.fixed_view_mut::<3, 3>(0, 0).copy_from(&-inverse);
    m.fixed_view_mut::<3, 3>(0, 3).copy_from(&-(inverse * skew(&pose.translation)));
    m.fixed_view_mut::<3, 3>(3, 3).copy_from(&-inverse);
    m
}

fn close_ring(
    way: &[usize],
    ring: &[(usize, usize, Pair)],
    centres: &HashMap<(usize, usize), (Vec3, Mat3)>,
) -> Option<Misclosure> {
    let step = |(from, to, pair): &(usize, usize, Pair)| if from < to { pair.pose } else { pair.pose.inverse() };
    let whole = ring.iter().fold(Pose::identity(), |p, edge| p.compose(&step(edge)));
    let mut by: HashMap<(usize, usize), Matrix6x3<f64>> = HashMap::new();
    // what it would be if no two ties used the same observation
    let mut apart: Matrix6<f64> = Matrix6::zeros();
    let mut own: Matrix6<f64> = Matrix6::zeros();
    let mut before = Pose::identity();
    for (k, edge) in ring.iter().enumerate() {
        let (from, to, pair) = edge;
        let (low, high) = (*from.min(to), *from.max(to));
        let after = ring[k + 1..].iter().fold(Pose::identity(), |p, e| p.compose(&step(e)));
        // a change of the pair's own pose, seen in the whole ring
        let forward = from < to;
        let t = step(edge);
        let arm = t.rotation * after.translation;
        let mut through: Matrix6<f64> = Matrix6::identity();
        through.fixed_view_mut::<3, 3>(0, 3).copy_from(&-skew(&arm));
        let mut outer: Matrix6<f64> = Matrix6::zeros();
        let r = before.matrix();
        outer.fixed_view_mut::<3, 3>(0, 0).copy_from(&r);
        outer.fixed_view_mut::<3, 3>(3, 3).copy_from(&r);
        // taken the other way round, a left increment of the pose is one of its inverse
        let turned = if forward { Matrix6::identity() } else { inverted(&pair.pose) };
        let chain = outer * through * turned;
        own += chain * pair.own * chain.transpose();
        let second = pair.pose.matrix();
        for (target, gain) in &pair.gain {
            for (scan, j) in [(low, chain * gain), (high, -(chain * gain * second))] {
                *by.entry((scan, *target)).or_insert_with(Matrix6x3::zeros) += j;
                apart += j * centres.get(&(scan, *target))?.1 * j.transpose();
            }
        }
        before = before.compose(&t);
    }
    let by_targets: Matrix6<f64> = by.iter().filter_map(|(k, j)| Some(j * centres.get(k)?.1 * j.transpose())).sum();
    let (covariance, apart) = (by_targets + own, apart + own);
    let missed = Pose::identity().difference(&whole);
    let (statistic, dof) = tested(&missed, &covariance, &apart)?;
    let shift = covariance.fixed_view::<3, 3>(0, 0).into_owned();
    let turn = covariance.fixed_view::<3, 3>(3, 3).into_owned();
    Some(Misclosure {
        scans: way.to_vec(),
        shift: missed.fixed_rows::<3>(0).into_owned(),
        shift95: shift.symmetric_eigenvalues().max().max(0.0).sqrt() * K95_3D,
        turn: missed.fixed_rows::<3>(3).norm(),
        turn95: turn.symmetric_eigenvalues().max().max(0.0).sqrt() * K95_1D,
        p_value: chi2_tail(statistic, dof),
    })
}

/// The test of a misclosure in the directions that say something: where all ties of a loop use the same
/// targets, what they say cancels, and the loop closes whatever is wrong.
fn tested(missed: &Vector6<f64>, covariance: &Matrix6<f64>, apart: &Matrix6<f64>) -> Option<(f64, usize)> {
    let scale = apart.diagonal().map(|v| v.sqrt().recip());
    let scaled = |m: &Matrix6<f64>| Matrix6::from_fn(|i, j| m[(i, j)] * scale[i] * scale[j]);
    let l = scaled(apart).cholesky()?.l();
    let inner = l.solve_lower_triangular(&scaled(covariance))?;
    let whitened = l.solve_lower_triangular(&inner.transpose())?;
    let v = l.solve_lower_triangular(&missed.component_mul(&scale))?;
    let e = ((whitened + whitened.transpose()) / 2.0).symmetric_eigen();
    let says: Vec<usize> = (0..6).filter(|&k| e.eigenvalues[k] > 1e-3).collect();
    let statistic = says.iter().map(|&k| e.eigenvectors.column(k).dot(&v).powi(2) / e.eigenvalues[k]).sum();
    (!says.is_empty()).then_some((statistic, says.len()))
}
