use crate::geometry::{FitModel, Pose, Vec3, fit};

/// A place that was picked in two scans.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PickedPair {
    /// In the frame of the first, metres.
    pub first: Vec3,
    /// In the frame of the second, metres.
    pub second: Vec3,
    /// How well the two can be pointed at, 1σ together, metres.
    pub sigma: f64,
}

/// Two scans brought together by places that were picked in both.
#[derive(Clone, Debug)]
pub struct ByPairs {
    /// Pose of the second in the frame of the first.
    pub relative: Pose,
    /// How far the two places of each pair lie apart then, metres.
    pub residuals: Vec<f64>,
    /// Pairs that do not go with the others, and took no part.
    pub wrong: Vec<bool>,
    /// Root mean square of the residuals of those that did, metres.
    pub rms: f64,
}

/// Fewest pairs that can be checked.
pub const FEWEST_PAIRS: usize = 3;
/// Pairs whose places lie farther apart than so many times what pointing explains are wrong.
const WRONG: f64 = 4.0;

/// The pose by which most of the pairs agree, from all of them that do.
///
/// Every pair of pairs (three, when the scans are not levelled) is tried; as few pairs are picked by hand, all are.
/// `None` with fewer than [`FEWEST_PAIRS`], when they coincide or lie in line, and when no three of them agree.
///
/// ```
/// use vistazo_core::geometry::{Pose, Vec3};
/// use vistazo_core::tie::{PickedPair, by_pairs};
/// let truth = Pose::levelled(0.4, Vec3::new(6.0, 1.0, 0.2));
/// let corners = [(0.0, 0.0, 0.0), (5.0, 0.0, 2.5), (5.0, 4.0, 0.0), (0.0, 4.0, 2.5)];
/// let mut pairs: Vec<_> = corners.iter().map(|c| {
///     let second = Vec3::new(c.0, c.1, c.2);
///     PickedPair { first: truth.apply(&second), second, sigma: 0.01 }
/// }).collect();
/// pairs[3].second.x += 1.0; // another corner
/// let tie = by_pairs(&pairs, true).unwrap();
/// assert_eq!(tie.wrong, [false, false, false, true]);
/// assert!(tie.relative.difference(&truth).norm() < 1e-9);
/// ```
pub fn by_pairs(pairs: &[PickedPair], levelled: bool) -> Option<ByPairs> {
    let (model, least) = if levelled { (FitModel::Levelled, 2) } else { (FitModel::Rigid, 3) };
    let solved = |of: &[usize]| {
        let side = |k: fn(&PickedPair) -> Vec3| of.iter().map(|&i| k(&pairs[i])).collect::<Vec<_>>();
        fit(model, &side(|p| p.second), &side(|p| p.first)).map(|f| f.pose)
    };
    let apart = |pose: &Pose| -> Vec<f64> { pairs.iter().map(|p| (pose.apply(&p.second) - p.first).norm()).collect() };
    let agreeing = |pose: &Pose| -> Vec<usize> {
        let sizes = apart(pose);
        (0..pairs.len()).filter(|&k| sizes[k] < WRONG * pairs[k].sigma).collect()
    };
    let spread = |of: &[usize]| of.iter().map(|&k| pairs[k].sigma.powi(-2)).sum::<f64>();
    let n = pairs.len();
    let mut best: Vec<usize> = Vec::new();
    let mut of = Vec::with_capacity(least);
    let mut consider = |of: &[usize]| {
        let Some(pose) = solved(of) else { return };
        // a pose from few pairs is rough: those that agree with it say it better, and may be more
        let near = agreeing(&pose);
        let better = if near.len() > least { solved(&near).map_or(near.clone(), |p| agreeing(&p)) } else { near };
        if better.len() > best.len() || better.len() == best.len() && spread(&better) > spread(&best) {
            best = better;
        }
    };
    for i in 0..n {
        for j in i + 1..n {
            of.clear();
            of.extend([i, j]);
            if least == 2 {
                consider(&of);
                continue;
            }
            for k in j + 1..n {
                consider(&[i, j, k]);
            }
        }
    }
    if best.len() < FEWEST_PAIRS {
        return None;
    }
    let relative = solved(&best)?;
    let residuals = apart(&relative);
    let wrong: Vec<bool> = (0..n).map(|k| !best.contains(&k)).collect();
    let square: f64 = best.iter().map(|&k| residuals[k].powi(2)).sum();
    Some(ByPairs { relative, residuals, wrong, rms: (square / best.len() as f64).sqrt() })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pairs_that_contradict_one_another_give_nothing() {
        let pair = |a: [f64; 3], b: [f64; 3]| PickedPair { first: a.into(), second: b.into(), sigma: 0.01 };
        let pairs = [
            pair([0.0, 0.0, 0.0], [0.0, 0.0, 0.0]),
            pair([5.0, 0.0, 0.0], [3.0, 0.0, 0.0]),
            pair([0.0, 4.0, 0.0], [0.0, 9.0, 0.0]),
        ];
        assert!(by_pairs(&pairs, true).is_none());
        assert!(by_pairs(&pairs[..2], true).is_none(), "two cannot be checked");
    }

    #[test]
    fn a_scan_that_is_not_level_needs_three_that_do_not_lie_in_line() {
        let tilt = nalgebra::UnitQuaternion::from_euler_angles(0.2, -0.3, 2.0);
        let truth = Pose { rotation: tilt, translation: Vec3::new(1.0, 2.0, 3.0) };
        let places = [[0.0, 0.0, 0.0], [4.0, 0.0, 0.0], [0.0, 3.0, 0.0], [1.0, 1.0, 2.0]];
        let pairs: Vec<_> = places
            .iter()
            .map(|p| PickedPair { first: truth.apply(&(*p).into()), second: (*p).into(), sigma: 0.01 })
            .collect();
        assert!(by_pairs(&pairs, false).unwrap().relative.difference(&truth).norm() < 1e-9);
        assert!(by_pairs(&pairs, true).is_none(), "no heading alone explains it");
    }
}
