use super::network::Network;
use super::snooping::{Tester, detection_edge};
use super::solve::Solution;
use super::variance::Scaling;
use crate::geometry::{Mat3, Vec3};
use nalgebra::{DMatrix, Matrix3, Matrix3x6};

/// The largest movement of a target between two scans that stays undetected, and what it would do:
/// minimal detectable bias and external reliability of the hypothesis that the target moved.
#[derive(Clone, Debug, PartialEq)]
pub struct Unnoticed {
    /// The target.
    pub target: usize,
    /// Last scan that sees it in its first place.
    pub before: usize,
    /// First scan that sees it in its second place.
    pub after: usize,
    /// Size of the movement that is found with 80 % power at 0.1 % risk, in the direction that does
    /// the most harm, metres; infinite when there is a direction that nothing checks.
    pub size: f64,
    /// How far it moves the station that it harms most, metres.
    pub effect: f64,
    /// That station.
    pub harms: usize,
}

/// For every target seen by two scans or more, the undetected movement that does the most harm
/// (Baarda 1968; noncentrality of a test with three degrees of freedom). The network need not have been
/// measured: the design is enough.
pub fn unnoticed(net: &Network, solution: &Solution) -> Vec<Unnoticed> {
    let unscaled = solution.weighed().as_ref() / solution.variance.applied;
    let tester = Tester::new(net, &solution.rows, &unscaled, 0.0, 0, Scaling::Stated, &[]);
    (0..net.targets.len()).filter_map(|t| worst(net, &unscaled, &tester, t)).collect()
}

fn worst(net: &Network, q: &nalgebra::DMatrix<f64>, tester: &Tester<'_>, target: usize) -> Option<Unnoticed> {
    let seen = tester.sightings(target);
    let mut found: Option<Unnoticed> = None;
    for (later, s, scale) in tester.splits(target) {
        let before = seen.iter().filter(|x| !later.contains(&x.0)).map(|x| x.1).max()?;
        let after = seen.iter().filter(|x| later.contains(&x.0)).map(|x| x.1).min()?;
        let e = s.symmetric_eigen();
        if e.eigenvalues.min() < 1e-9 * scale.symmetric_eigenvalues().max() {
            let open = Unnoticed { target, before, after, size: f64::INFINITY, effect: f64::INFINITY, harms: after };
            return Some(open);
        }
        // unit-noncentrality movements are S^(-1/2) times a unit vector
        let root: Mat3 = e.eigenvectors
            * Matrix3::from_diagonal(&e.eigenvalues.map(|v| v.sqrt().recip()))
            * e.eigenvectors.transpose();
        let edge = detection_edge(3).sqrt();
        // what a movement does to each station's position
        let pulls: Vec<(usize, Matrix3x6<f64>, Mat3)> = later
            .iter()
            .filter_map(|&i| {
                let scan = net.observations[i].scan()?;
                let row = tester.row(i);
                let by_target = tester.by_target(i);
                let (_, by_scan) = row.at.parts().iter().find(|p| matches!(p.0, super::Unknown::Scan(_)))?;
                let g = row.information * by_target;
                let scan_pull = (by_scan.transpose() * g).fixed_columns::<3>(0).transpose();
                let target_pull = (by_target.transpose() * g).fixed_view::<3, 3>(0, 0).into_owned();
                Some((net.scan_column(scan), scan_pull, target_pull))
            })
            .collect();
        let column = net.target_column(target);
        for k in 0..net.scans.len() {
            let at = net.scan_column(k);
            let effect: Mat3 = pulls
                .iter()
                .map(|(c, scan, point)| {
                    let a = q.fixed_view::<3, 6>(at, *c).into_owned();
                    let b = q.fixed_view::<3, 3>(at, column).into_owned();
                    a * scan.transpose() + b * point
                })
                .sum();
            let through = effect * root;
            let svd = through.svd(false, true);
            let (Some(v), largest) = (svd.v_t, svd.singular_values.max()) else { continue };
            let effect = largest * edge;
            if found.as_ref().is_none_or(|f| effect > f.effect) {
                let direction: Vec3 = root * v.row(svd.singular_values.imax()).transpose();
                found = Some(Unnoticed { target, before, after, size: direction.norm() * edge, effect, harms: k });
            }
        }
    }
    found
}

/// What an error in one observation that just stays unnoticed does to a station's position: external reliability
/// (Baarda 1968), in the direction that does the most harm. Returns the station it harms most and by how much,
/// metres; `None` when a direction is not checked at all.
///
/// Of all errors `∇` with `∇ᵀ P Q_vv P ∇ = λ₀` the one that moves the station most by `Q Aᵀ P ∇`.
pub fn external_reliability(net: &Network, solution: &Solution, observation: usize) -> Option<(usize, f64)> {
    let row = solution.rows.get(observation).filter(|r| r.active)?;
    let o = &net.observations[observation];
    let applied = solution.variance.applied;
    let weighed = solution.weighed();
    let tester = Tester::new(net, &solution.rows, &weighed, 0.0, 0, Scaling::Stated, &[]);
    let qvv = o.weighted_covariance() - tester.adjusted(observation, observation) / applied;
    // an error is looked for in lengths, where there are any
    let wide = if o.angular() { row.at.rows } else { row.at.rows.min(3) };
    let s = (row.information * qvv * row.information).view((0, 0), (wide, wide)).into_owned().symmetric_eigen();
    if s.eigenvalues.min() <= 1e-9 * row.information.view((0, 0), (wide, wide)).norm() {
        return None;
    }
    let root = DMatrix::from_diagonal(&s.eigenvalues.map(|v| v.sqrt().recip()));
    let unnoticed = &s.eigenvectors * root * detection_edge(wide).sqrt();
    let harm = |k: usize| {
        let at = net.scan_column(k);
        let mut gain: Matrix3x6<f64> = Matrix3x6::zeros();
        for (u, design) in row.at.parts() {
            let (to, across) = net.columns(*u);
            let pull = (design.transpose() * row.information).rows(0, across).into_owned();
            gain += weighed.view((at, to), (3, across)) * pull / applied;
        }
        (gain.columns(0, wide) * &unnoticed).singular_values().max()
    };
    (0..net.scans.len()).map(|k| (k, harm(k))).max_by(|a, b| a.1.total_cmp(&b.1))
}
