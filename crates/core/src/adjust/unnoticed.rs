use super::network::Network;
use super::solve::Solution;
use super::tests_of_hypotheses::Tester;
use crate::geometry::{Mat3, Vec3};
use nalgebra::{SMatrix, Vector6};

/// The largest knock of a target between two scans that the adjustment would not notice, and what
/// it would do.
#[derive(Clone, Debug, PartialEq)]
pub struct Unnoticed {
    /// The target.
    pub target: usize,
    /// Last scan that sees it in its first place.
    pub before: usize,
    /// First scan that sees it in its second place.
    pub after: usize,
    /// Size of the knock that is found with 80 % power at 0.1 % risk, in the direction noticed
    /// least, metres; infinite when there is a direction that nothing checks.
    pub size: f64,
    /// How far the knock moves the station that it harms most, metres.
    pub effect: f64,
    /// That station.
    pub harms: usize,
}

/// For every target seen by two scans or more, the knock noticed least (Baarda 1968: internal and
/// external reliability of the hypothesis that the target moved, δ₀² = 17.07). The network need not
/// have been measured: the design is enough.
pub fn unnoticed(net: &Network, solution: &Solution) -> Vec<Unnoticed> {
    let information: Vec<Mat3> =
        net.observations.iter().map(|o| o.covariance.try_inverse().unwrap_or_else(Mat3::zeros)).collect();
    let tester = Tester::new(net, &information, &solution.covariance);
    (0..net.targets.len()).filter_map(|t| worst(net, &information, solution, &tester, t)).collect()
}

fn worst(
    net: &Network,
    information: &[Mat3],
    solution: &Solution,
    tester: &Tester<'_>,
    target: usize,
) -> Option<Unnoticed> {
    let splits = tester.splits(target);
    let (later, s, scale) = splits.into_iter().min_by(|a, b| {
        let least = |x: &(Vec<usize>, Mat3, Mat3)| x.1.symmetric_eigenvalues().min();
        least(a).total_cmp(&least(b))
    })?;
    let e = s.symmetric_eigen();
    let k = e.eigenvalues.imin();
    let before = net
        .observations
        .iter()
        .enumerate()
        .filter(|(i, o)| o.active && o.target == target && !later.contains(i))
        .map(|(_, o)| o.scan)
        .max()?;
    let after = later.iter().map(|&i| net.observations[i].scan).min()?;
    let value = e.eigenvalues[k];
    if value < 1e-9 * scale.symmetric_eigenvalues().max() {
        return Some(Unnoticed { target, before, after, size: f64::INFINITY, effect: f64::INFINITY, harms: after });
    }
    let size = (17.07 / value).sqrt();
    let knock: Vec3 = e.eigenvectors.column(k) * size;
    let q = &solution.covariance;
    let pulls: Vec<(usize, Vector6<f64>, Vec3)> = later
        .iter()
        .map(|&i| {
            let row = tester.row(i);
            let g = information[i] * (row.target * knock);
            (net.scan_column(net.observations[i].scan), row.scan.transpose() * g, row.target.transpose() * g)
        })
        .collect();
    let column = net.target_column(target);
    let (harms, effect) = (0..net.scans.len())
        .map(|k| {
            let at = net.scan_column(k);
            let moved: Vec3 = pulls
                .iter()
                .map(|(c, scan, point)| {
                    let a: SMatrix<f64, 3, 6> = q.fixed_view::<3, 6>(at, *c).into_owned();
                    let b: Mat3 = q.fixed_view::<3, 3>(at, column).into_owned();
                    a * scan + b * point
                })
                .sum();
            (k, moved.norm())
        })
        .max_by(|a, b| a.1.total_cmp(&b.1))?;
    Some(Unnoticed { target, before, after, size, effect, harms })
}
