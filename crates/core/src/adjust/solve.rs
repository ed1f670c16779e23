use super::defect::{self, Defect};
use super::network::Network;
use super::normal;
use super::tests_of_hypotheses::{self, Moved};
use crate::geometry::{Error95, Mat3, Pose, Vec3};
use crate::stats::{chi2_quantile, chi2_tail};
use nalgebra::{DMatrix, Matrix6, Vector6};

/// Why a block cannot be adjusted.
#[derive(Debug, Clone, thiserror::Error, PartialEq)]
pub enum AdjustError {
    /// Fewer than two scans or no targets.
    #[error(
        "there is nothing to adjust: {scans} scan(s) and {targets} target(s); at least 2 scans that share 3 targets are needed"
    )]
    Nothing {
        /// Scans given.
        scans: usize,
        /// Targets given.
        targets: usize,
    },
    /// The observations leave scans free to move.
    #[error("the block is not determined: {}", .0.iter().map(|d| d.reason.clone()).collect::<Vec<_>>().join("; "))]
    Defect(Vec<Defect>),
    /// The iteration ran away, or numbers were not finite.
    #[error(
        "the adjustment did not converge in {0} iterations: the approximate poses are too far off, or an observation is grossly wrong"
    )]
    Diverged(usize),
}

/// What the adjustment says about one observation.
#[derive(Clone, Debug)]
pub struct Residual {
    /// Observed minus adjusted, block axes, metres.
    pub vector: Vec3,
    /// Test statistic: χ² with `dof` degrees of freedom when the observation is right.
    pub statistic: f64,
    /// Degrees of freedom of the test: 3, less when the geometry cannot check a direction.
    pub dof: usize,
    /// Probability of a statistic as large as this when nothing is wrong.
    pub p_value: f64,
    /// Redundancy number: 0 is not checked by the others at all, 3 fully.
    pub redundancy: f64,
    /// Smallest error that the test finds with 80 % power at 0.1 % risk, in the worst direction,
    /// metres (Baarda 1968, δ₀² = 17.07); infinite when a direction is not checked.
    pub detectable: f64,
}

/// What the adjustment says about a cloud tie.
#[derive(Clone, Debug)]
pub struct TieResidual {
    /// Observed minus adjusted, scanner frame of its first scan: shift (m) and turn (rad).
    pub vector: Vector6<f64>,
    /// χ² with `dof` degrees of freedom when the tie is right.
    pub statistic: f64,
    /// Degrees of freedom: 6, less what nothing else checks.
    pub dof: usize,
    /// Probability of a statistic as large as this.
    pub p_value: f64,
}

/// An adjusted block.
#[derive(Clone, Debug)]
pub struct Solution {
    /// Pose of each scan.
    pub poses: Vec<Pose>,
    /// Position of each target, metres.
    pub targets: Vec<Vec3>,
    /// Covariance of all unknowns: 6 a scan (`ρ`, `ω`), then 3 a target; inner constraints over
    /// the targets. Scaled by [`Solution::variance_factor`].
    pub covariance: DMatrix<f64>,
    /// What levelling adds to the normal matrix: first column of each levelled scan's turn, block.
    pub(crate) level: Vec<(usize, Mat3)>,
    /// One per observation of the network, excluded ones too.
    pub residuals: Vec<Residual>,
    /// One per cloud tie of the network.
    pub tie_residuals: Vec<TieResidual>,
    /// Weighted sum of squares.
    pub sum: f64,
    /// Degrees of freedom.
    pub dof: usize,
    /// Probability of a sum as large as this when the stated noise is right.
    pub global_p: f64,
    /// 1 when the global test passes at 0.1 %; else `sum / dof`, so that the stated regions stay
    /// honest while the cause is looked for.
    pub variance_factor: f64,
    /// Iterations used.
    pub iterations: usize,
    /// The best "this target moved" explanation for each target that could show one, the
    /// strongest first.
    pub moved: Vec<Moved>,
}

impl Solution {
    /// Covariance of a scan's pose.
    pub fn pose_covariance(&self, scan: usize) -> Matrix6<f64> {
        self.covariance.fixed_view::<6, 6>(6 * scan, 6 * scan).into_owned()
    }

    /// Covariance of a target's position, m².
    pub fn target_covariance(&self, target: usize) -> Mat3 {
        let at = 6 * self.poses.len() + 3 * target;
        self.covariance.fixed_view::<3, 3>(at, at).into_owned()
    }

    /// The share of the covariance between some unknowns and others that comes from levelling;
    /// the rest is from targets.
    pub fn level_covariance(&self, rows: &[usize], columns: &[usize]) -> DMatrix<f64> {
        let pick = |of: &[usize]| {
            DMatrix::from_fn(of.len(), 3 * self.level.len(), |i, j| {
                self.covariance[(of[i], self.level[j / 3].0 + j % 3)]
            })
        };
        let (mut left, right) = (pick(rows), pick(columns));
        for (k, (_, block)) in self.level.iter().enumerate() {
            // the covariance was multiplied by the variance factor, so its square was
            let weighted = left.columns(3 * k, 3) * block / self.variance_factor;
            left.columns_mut(3 * k, 3).copy_from(&weighted);
        }
        left * right.transpose()
    }

    /// 95 % regions of a scan's position.
    pub fn station_error(&self, scan: usize) -> Error95 {
        Error95::from_covariance(&self.covariance.fixed_view::<3, 3>(6 * scan, 6 * scan).into_owned())
    }

    /// 95 % regions of a target's position.
    pub fn target_error(&self, target: usize) -> Error95 {
        Error95::from_covariance(&self.target_covariance(target))
    }
}

/// Adjusts a block by least squares on the poses and targets together.
///
/// Gauss–Newton on the manifold; the first passes weigh large residuals down (Huber) so that a
/// wrong observation cannot drag the start, the last ones are plain least squares over all active
/// observations, because the statistics are only true for those. Every target needs an active
/// observation. The frame is held by inner constraints over the targets: see
/// [`Network::datum_defect`].
///
/// # Errors
/// [`AdjustError::Nothing`], [`AdjustError::Defect`] naming the scan that can move and how, or
/// [`AdjustError::Diverged`].
pub fn solve(mut net: Network) -> Result<Solution, AdjustError> {
    if net.scans.len() < 2 || (net.targets.is_empty() && net.ties.is_empty()) {
        return Err(AdjustError::Nothing { scans: net.scans.len(), targets: net.targets.len() });
    }
    let information: Vec<Mat3> = net
        .observations
        .iter()
        .map(|o| o.covariance.try_inverse().ok_or(AdjustError::Diverged(0)))
        .collect::<Result<_, _>>()?;
    let mut weights = vec![1.0; net.observations.len()];
    let unseen = |_: normal::Unseen| AdjustError::Diverged(0);
    let first = normal::build(&net, &information, &weights).map_err(unseen)?;
    let defects = defect::find(&net, &first);
    if !defects.is_empty() {
        return Err(AdjustError::Defect(defects));
    }
    const ROBUST: usize = 6;
    const MOST: usize = 40;
    let mut iterations = 0;
    loop {
        for (i, o) in net.observations.iter().enumerate() {
            let v = normal::row(&net, o).misclosure;
            let t = (v.transpose() * information[i] * v)[0].sqrt();
            weights[i] = if iterations < ROBUST && iterations > 0 && t > 3.0 { 3.0 / t } else { 1.0 };
        }
        let n = normal::build(&net, &information, &weights).map_err(unseen)?;
        let step = n.step(&net).ok_or(AdjustError::Diverged(iterations))?;
        for k in 0..net.scans.len() {
            let at = net.scan_column(k);
            net.scans[k].pose = net.scans[k].pose.moved(&step.fixed_rows::<6>(at).into_owned());
        }
        for k in 0..net.targets.len() {
            let at = net.target_column(k);
            net.targets[k].position += step.fixed_rows::<3>(at);
        }
        iterations += 1;
        let size = step.amax();
        if !size.is_finite() || iterations > MOST {
            return Err(AdjustError::Diverged(iterations));
        }
        if iterations > ROBUST && size < 1e-9 {
            break;
        }
    }
    finish(&net, &information, iterations)
}

fn finish(net: &Network, information: &[Mat3], iterations: usize) -> Result<Solution, AdjustError> {
    let diverged = AdjustError::Diverged(iterations);
    let parts = normal::build(net, information, &vec![1.0; information.len()])
        .map_err(|_| AdjustError::Diverged(iterations))?;
    let mut covariance = parts.covariance(net).ok_or(diverged)?;

    let active = net.observations.iter().filter(|o| o.active).count();
    let mut sum: f64 = net
        .observations
        .iter()
        .enumerate()
        .filter(|(_, o)| o.active)
        .map(|(i, o)| {
            let v = normal::row(net, o).misclosure;
            (v.transpose() * information[i] * v)[0]
        })
        .sum();
    let tie_residuals: Vec<TieResidual> =
        (0..net.ties.len()).map(|i| tests_of_hypotheses::tie(net, &covariance, i)).collect();
    let tied = net.ties.iter().filter(|t| t.active).count();
    for t in net.ties.iter().filter(|t| t.active) {
        if let Some(p) = t.covariance.try_inverse() {
            let v = normal::tie_row(net, t).misclosure;
            sum += (v.transpose() * p * v)[0];
        }
    }
    let mut levels = 0;
    for s in &net.scans {
        if let Some(sigma) = s.level_sigma {
            let u = s.pose.rotation * Vec3::z();
            sum += (u.x * u.x + u.y * u.y) / (sigma * sigma);
            levels += 2;
        }
    }
    let dof = (3 * active + 6 * tied + levels + net.datum_defect()).saturating_sub(net.unknowns());
    let global_p = chi2_tail(sum, dof);
    let variance_factor = if dof > 0 && sum > chi2_quantile(0.999, dof) { sum / dof as f64 } else { 1.0 };

    let tested = tests_of_hypotheses::Tester::new(net, information, &covariance);
    let residuals = (0..net.observations.len()).map(|i| tested.observation(i)).collect();
    let moved = tested.moved();

    covariance *= variance_factor;
    Ok(Solution {
        poses: net.scans.iter().map(|s| s.pose).collect(),
        targets: net.targets.iter().map(|t| t.position).collect(),
        covariance,
        level: normal::level_blocks(net),
        residuals,
        tie_residuals,
        sum,
        dof,
        global_p,
        variance_factor,
        iterations,
        moved,
    })
}
