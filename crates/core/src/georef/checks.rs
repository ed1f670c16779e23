use super::control::{ControlPoint, PointResidual};
use crate::adjust::kinds::KnownPoint;
use crate::geometry::{Mat3, Vec3};
use crate::stats::{K95_1D, chi2_quantile, chi2_tail};
use nalgebra::DMatrix;

/// How many check points an accuracy is usually stated from.
pub const USUAL_CHECKS: usize = 20;

/// A check point and what became of it.
#[derive(Clone, Debug)]
pub struct CheckPoint {
    /// Index of the control point.
    pub control: usize,
    /// How it fits; `None` when no target of the block is near it or has its name.
    pub fit: Option<PointResidual>,
    /// Distance to the nearest control that was used to fit, metres.
    pub from_control: f64,
}

/// What the check points show. Every one of them counts: one that fits no target, or badly, as what it is.
#[derive(Clone, Debug, Default)]
pub struct CheckReport {
    /// All check points.
    pub points: Vec<CheckPoint>,
    /// Root mean square per axis (E, N, H), metres.
    pub rmse: Vec3,
    /// Root mean square horizontally, metres.
    pub horizontal: f64,
    /// Root mean square in space, metres.
    pub spatial: f64,
    /// Upper end of a 95 % statement on the root mean square in space, metres.
    pub bound: f64,
    /// Mean of the residuals per axis, metres.
    pub bias: Vec3,
    /// 95 % half-widths of that mean when there is no bias, metres.
    pub bias95: Vec3,
    /// How many independent components the residuals are worth.
    pub effective_dof: f64,
    /// Quadrants about the middle of the targets that hold a check point.
    pub quadrants: usize,
    /// Probability of residuals as large as these, all together, when everything stated is true.
    pub p_value: f64,
}

/// Compares check points with where the block has their targets.
///
/// `places` and `covariance` are of the targets on control; `covariance(a, b)` between two of them, m².
/// The bound on the root mean square follows from the covariance of the residuals: a sum of squares
/// with unequal and correlated parts is worth `(tr C)² / tr C²` degrees of freedom (Satterthwaite 1946),
/// not three a point.
pub fn check_points(
    control: &[ControlPoint],
    places: &[Vec3],
    covariance: &dyn Fn(usize, usize) -> Mat3,
) -> CheckReport {
    let used: Vec<Vec3> =
        control.iter().filter(|c| !c.check && c.target.is_some() && c.has_plan()).map(|c| c.position).collect();
    let checks: Vec<usize> = (0..control.len()).filter(|&i| control[i].check).collect();
    let fitted: Vec<(usize, usize)> = checks.iter().filter_map(|&i| Some((i, control[i].target?))).collect();
    let n = fitted.len();
    let known = |i: usize, a: usize| control[i].sigma[a] < KnownPoint::FREE;
    let mut joint = DMatrix::zeros(3 * n, 3 * n);
    for (r, (i, t)) in fitted.iter().enumerate() {
        for (c, (j, u)) in fitted.iter().enumerate() {
            let own = if r == c { control[*i].covariance() } else { Mat3::zeros() };
            let block = covariance(*t, *u) + own;
            for a in 0..3 {
                for b in 0..3 {
                    if known(*i, a) && known(*j, b) {
                        joint[(3 * r + a, 3 * c + b)] = block[(a, b)];
                    }
                }
            }
        }
    }
    let residual = |i: usize, t: usize| {
        let d = places[t] - control[i].position;
        Vec3::from_fn(|a, _| if known(i, a) { d[a] } else { 0.0 })
    };
    let points = checks
        .iter()
        .map(|&i| {
            let from = used.iter().map(|p| (p - control[i].position).xy().norm()).fold(f64::INFINITY, f64::min);
            let fit = fitted.iter().position(|f| f.0 == i).map(|r| {
                let own = joint.fixed_view::<3, 3>(3 * r, 3 * r).into_owned();
                compare(i, residual(i, fitted[r].1), &own, n)
            });
            CheckPoint { control: i, fit, from_control: from }
        })
        .collect();
    let mut out = CheckReport { points, quadrants: quadrants(control, &fitted, places), ..CheckReport::default() };
    if n == 0 {
        return out;
    }
    let all: Vec<Vec3> = fitted.iter().map(|&(i, t)| residual(i, t)).collect();
    let counts = Vec3::from_fn(|a, _| fitted.iter().filter(|f| known(f.0, a)).count().max(1) as f64);
    let square = all.iter().map(|r| r.component_mul(r)).sum::<Vec3>().component_div(&counts);
    out.rmse = square.map(f64::sqrt);
    out.horizontal = (square.x + square.y).sqrt();
    out.spatial = square.sum().sqrt();
    out.bias = all.iter().sum::<Vec3>().component_div(&counts);
    for a in 0..3 {
        let sum: f64 =
            (0..n).flat_map(|r| (0..n).map(move |c| (r, c))).map(|(r, c)| joint[(3 * r + a, 3 * c + a)]).sum();
        out.bias95[a] = sum.max(0.0).sqrt() / counts[a] * K95_1D;
    }
    let (trace, squares) = (joint.trace(), joint.norm_squared());
    out.effective_dof = if squares > 0.0 { trace * trace / squares } else { 0.0 };
    // the quantile for a number of degrees of freedom that is not whole, between its neighbours
    let (low, part) = (out.effective_dof.floor().max(1.0), out.effective_dof.fract());
    let scaled = |d: f64| chi2_quantile(0.05, d as usize) / d;
    let ratio = scaled(low) * (1.0 - part) + scaled(low + 1.0) * part;
    out.bound = out.spatial / ratio.sqrt();
    out.p_value = joint_chance(&joint, &all);
    out
}

fn joint_chance(joint: &DMatrix<f64>, all: &[Vec3]) -> f64 {
    let e = joint.clone().symmetric_eigen();
    let v = nalgebra::DVector::from_fn(3 * all.len(), |k, _| all[k / 3][k % 3]);
    let least = 1e-9 * e.eigenvalues.max();
    let (mut sum, mut dof) = (0.0, 0);
    for k in (0..v.len()).filter(|&k| e.eigenvalues[k] > least) {
        sum += e.eigenvectors.column(k).dot(&v).powi(2) / e.eigenvalues[k];
        dof += 1;
    }
    chi2_tail(sum, dof)
}

fn compare(control: usize, residual: Vec3, covariance: &Mat3, count: usize) -> PointResidual {
    let e = covariance.symmetric_eigen();
    let (mut statistic, mut dof) = (0.0, 0);
    for a in (0..3).filter(|&a| e.eigenvalues[a] > 1e-14) {
        statistic += e.eigenvectors.column(a).dot(&residual).powi(2) / e.eigenvalues[a];
        dof += 1;
    }
    let p_value = chi2_tail(statistic, dof);
    let half = |k: usize| covariance[(k, k)].max(0.0).sqrt() * K95_1D;
    PointResidual {
        control,
        residual,
        expected: Vec3::new(half(0), half(1), half(2)),
        statistic,
        dof,
        p_value,
        p_family: -f64::exp_m1(count as f64 * f64::ln_1p(-p_value.min(1.0 - 1e-12))),
        detectable: f64::INFINITY,
    }
}

fn quadrants(control: &[ControlPoint], fitted: &[(usize, usize)], places: &[Vec3]) -> usize {
    let middle = places.iter().sum::<Vec3>() / places.len().max(1) as f64;
    let mut seen = [false; 4];
    for (i, t) in fitted {
        let d = if control[*i].has_plan() { control[*i].position } else { places[*t] } - middle;
        seen[usize::from(d.x > 0.0) * 2 + usize::from(d.y > 0.0)] = true;
    }
    seen.iter().filter(|s| **s).count()
}
