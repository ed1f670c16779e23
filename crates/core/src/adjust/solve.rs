use super::budget::Group;
use super::defect::{self, Defect};
use super::kinds::{Kind, by_poses};
use super::network::Network;
use super::normal::{self, Row};
use super::snooping::{Hypothesis, Moved, Residual, Suspicion, Tester};
use super::systematic::SystematicUnknown;
use super::variance::{Scaling, VarianceFactor, factor_of};
use crate::geometry::{Error95, Mat3, Pose, Vec3};
use crate::stats::chi2_tail;
use nalgebra::{DMatrix, Matrix6};
use rayon::prelude::*;
use std::borrow::Cow;

/// Why a block cannot be adjusted.
#[derive(Debug, Clone, thiserror::Error, PartialEq)]
pub enum AdjustError {
    /// Nothing to adjust.
    #[error("there is nothing to adjust: {scans} scan(s) and {observations} observation(s)")]
    Nothing {
        /// Scans given.
        scans: usize,
        /// Observations given.
        observations: usize,
    },
    /// The observations leave scans free to move.
    #[error("the block is not determined: {} scan(s) can move", .0.len())]
    Defect(Vec<Defect>),
    /// An observation whose covariance is not one.
    #[error("the covariance of observation {0} is not positive definite")]
    Covariance(usize),
    /// A target without an active observation.
    #[error("a target has no observation")]
    Unseen,
    /// The iteration ran away, or numbers were not finite.
    #[error(
        "the adjustment did not converge in {0} iterations: the approximate poses are too far off, or an observation is grossly wrong"
    )]
    Diverged(usize),
}

/// An adjusted block.
pub struct Solution {
    /// Pose of each scan.
    pub poses: Vec<Pose>,
    /// Position of each target, metres.
    pub targets: Vec<Vec3>,
    /// Covariance of all unknowns: 6 a scan (`ρ`, `ω`), then 3 a target; what is free of the frame is
    /// held by inner constraints over the targets. Scaled by [`VarianceFactor::applied`].
    pub covariance: DMatrix<f64>,
    /// One per observation of the network, excluded ones too.
    pub residuals: Vec<Residual>,
    /// Weighted sum of squares.
    pub sum: f64,
    /// Degrees of freedom.
    pub dof: usize,
    /// Directions of the frame that the observations leave open.
    pub datum_defect: usize,
    /// Probability of a sum as large as this when the stated noise is right.
    pub global_p: f64,
    /// What the residuals say about the stated noise.
    pub variance: VarianceFactor,
    /// Iterations used.
    pub iterations: usize,
    /// What may be wrong, the best explained first.
    pub suspicions: Vec<Suspicion>,
    /// Errors that many observations share, as they came out.
    pub systematic: Vec<SystematicUnknown>,
    pub(super) rows: Vec<Row>,
    pub(super) groups: Vec<Group>,
    /// The part of the covariance that comes from the shapes of held groups, which nothing here was weighed by.
    pub(super) of_shapes: Option<DMatrix<f64>>,
}

impl std::fmt::Debug for Solution {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Solution")
            .field("scans", &self.poses.len())
            .field("targets", &self.targets.len())
            .field("sum", &self.sum)
            .field("dof", &self.dof)
            .finish_non_exhaustive()
    }
}

impl Clone for Solution {
    fn clone(&self) -> Self {
        Self {
            poses: self.poses.clone(),
            targets: self.targets.clone(),
            covariance: self.covariance.clone(),
            residuals: self.residuals.clone(),
            suspicions: self.suspicions.clone(),
            systematic: self.systematic.clone(),
            rows: self.rows.iter().map(|r| Row { at: r.at, information: r.information, active: r.active }).collect(),
            groups: self.groups.clone(),
            of_shapes: self.of_shapes.clone(),
            ..*self
        }
    }
}

impl Solution {
    /// The covariance as the observations were weighed, without what held shapes add.
    pub(super) fn weighed(&self) -> Cow<'_, DMatrix<f64>> {
        self.of_shapes.as_ref().map_or(Cow::Borrowed(&self.covariance), |s| Cow::Owned(&self.covariance - s))
    }

    /// Covariance of a scan's pose.
    pub fn pose_covariance(&self, scan: usize) -> Matrix6<f64> {
        self.covariance.fixed_view::<6, 6>(6 * scan, 6 * scan).into_owned()
    }

    /// Covariance of a target's position, m².
    pub fn target_covariance(&self, target: usize) -> Mat3 {
        self.target_cross(target, target)
    }

    /// Covariance between two targets' positions, m².
    pub fn target_cross(&self, a: usize, b: usize) -> Mat3 {
        let at = |t: usize| 6 * self.poses.len() + 3 * t;
        self.covariance.fixed_view::<3, 3>(at(a), at(b)).into_owned()
    }

    /// The pose of a scan in the frame of another, with its covariance by left increments, m² and rad².
    pub fn relative(&self, from: usize, to: usize) -> (Pose, Matrix6<f64>) {
        let (a, b) = (&self.poses[from], &self.poses[to]);
        let [by_a, by_b] = by_poses(a, b);
        let q = |r: usize, c: usize| self.covariance.fixed_view::<6, 6>(6 * r, 6 * c);
        let cross = by_a * q(from, to) * by_b.transpose();
        let own = by_a * q(from, from) * by_a.transpose() + by_b * q(to, to) * by_b.transpose();
        (a.inverse().compose(b), own + cross + cross.transpose())
    }

    /// 95 % regions of a scan's position.
    pub fn station_error(&self, scan: usize) -> Error95 {
        Error95::from_covariance(&self.covariance.fixed_view::<3, 3>(6 * scan, 6 * scan).into_owned())
    }

    /// 95 % regions of a target's position.
    pub fn target_error(&self, target: usize) -> Error95 {
        Error95::from_covariance(&self.target_covariance(target))
    }

    /// σ of a parameter of a systematic unknown, in its own unit.
    pub fn systematic_sigma(&self, of: usize, parameter: usize) -> f64 {
        let at = 6 * self.poses.len() + 3 * self.targets.len() + self.systematic[of].at + parameter;
        self.covariance[(at, at)].max(0.0).sqrt()
    }

    /// The best "this target moved" explanations, the strongest first.
    pub fn moved(&self) -> impl Iterator<Item = (&Suspicion, &Moved)> {
        self.suspicions.iter().filter_map(|s| match &s.hypothesis {
            Hypothesis::Moved(m) => Some((s, m)),
            Hypothesis::Observation(_) | Hypothesis::Tripod(_) => None,
        })
    }
}

/// Passes at most in which large residuals weigh less, so that a wrong observation cannot drag the start.
const ROBUST: usize = 6;
/// A start as near as this is good enough for plain least squares, metres or radians.
const NEAR: f64 = 1e-3;
const MOST: usize = 40;

/// Adjusts a block by least squares on the poses and targets together: [`converge`], then the
/// covariance of all unknowns and every test. Every target needs an active observation.
///
/// # Errors
/// [`AdjustError`]; a [`Defect`] names the scan that can move and by what it hangs.
pub fn solve(mut net: Network, scaling: Scaling) -> Result<Solution, AdjustError> {
    let iterations = converge(&mut net)?;
    finish(&net, iterations, scaling)
}

/// Brings poses and targets to where the weighted sum of squares is least; returns the iterations.
///
/// Gauss–Newton on the manifold; the first passes weigh large residuals down (Huber) until the state is
/// near, the last ones are plain least squares over all active observations, because the statistics are
/// only true for those.
///
/// # Errors
/// As [`solve`].
pub fn converge(net: &mut Network) -> Result<usize, AdjustError> {
    determined(net)?;
    let mut weights = vec![1.0; net.observations.len()];
    let (mut iterations, mut robust) = (0, true);
    loop {
        let rows = normal::rows(net).map_err(AdjustError::Covariance)?;
        for (w, row) in weights.iter_mut().zip(&rows) {
            let t = row.square().sqrt();
            *w = if robust && iterations > 0 && t > 3.0 { 3.0 / t } else { 1.0 };
        }
        let size = advance(net, &rows, &weights).ok_or(AdjustError::Diverged(iterations))?;
        iterations += 1;
        if !size.is_finite() || iterations > MOST {
            return Err(AdjustError::Diverged(iterations));
        }
        if robust {
            robust = iterations < ROBUST && (iterations == 1 || size > NEAR);
        } else if size < 1e-9 {
            return Ok(iterations);
        }
    }
}

/// A residual beyond this many standard deviations is no measurement of what it is said to be.
const GROSS: f64 = 50.0;

/// Brings the block as near as it comes when large residuals hardly count, and returns the active
/// observation that is farthest beyond all noise there: what keeps [`converge`] from an end.
pub fn grossly_wrong(net: &mut Network) -> Option<usize> {
    const PASSES: usize = 40;
    let size = |r: &Row| r.square().sqrt();
    for _ in 0..PASSES {
        let rows = normal::rows(net).ok()?;
        // between least absolute values and redescending: what is far off pulls ever less
        let weights: Vec<f64> = rows.iter().map(|r| 3.0 / size(r).max(3.0)).map(|w| w * w.sqrt()).collect();
        let moved = advance(net, &rows, &weights)?;
        if !moved.is_finite() {
            return None;
        }
        if moved < NEAR {
            break;
        }
    }
    let rows = normal::rows(net).ok()?;
    // what is known beforehand of the instrument is no measurement that could be of something else
    let measured = |i: usize| !matches!(net.observations[i].kind, Kind::SystematicPrior(_));
    let active = rows.iter().enumerate().filter(|(i, r)| r.active && measured(*i)).map(|(i, r)| (i, size(r)));
    active.max_by(|a, b| a.1.total_cmp(&b.1)).filter(|w| w.1 > GROSS).map(|w| w.0)
}

/// Whether there is something to adjust and the observations hold every scan and target.
fn determined(net: &Network) -> Result<(), AdjustError> {
    if net.scans.is_empty() || net.observations.iter().all(|o| !o.active) {
        return Err(AdjustError::Nothing { scans: net.scans.len(), observations: net.observations.len() });
    }
    let rows = normal::rows(net).map_err(AdjustError::Covariance)?;
    let free = normal::free_frame(net, &rows);
    let first = normal::build(net, &rows, &vec![1.0; rows.len()]).map_err(|_| AdjustError::Unseen)?;
    let defects = defect::find(net, &first, &free);
    if defects.is_empty() { Ok(()) } else { Err(AdjustError::Defect(defects)) }
}

/// One Gauss–Newton step; returns the largest change, metres or radians.
fn advance(net: &mut Network, rows: &[Row], weights: &[f64]) -> Option<f64> {
    let free = normal::free_frame(net, rows);
    let step = normal::build(net, rows, weights).ok()?.step(net, &free)?;
    for k in 0..net.scans.len() {
        let at = net.scan_column(k);
        net.scans[k].pose = net.scans[k].pose.moved(&step.fixed_rows::<6>(at).into_owned());
    }
    for k in 0..net.targets.len() {
        let at = net.target_column(k);
        net.targets[k].position += step.fixed_rows::<3>(at);
    }
    let first = net.target_column(net.targets.len());
    for s in &mut net.systematic {
        let wide = s.wide();
        let mut values = s.values.rows_mut(0, wide);
        values += step.rows(first + s.at, wide);
    }
    Some(step.amax())
}

/// The precision of a network at the state it is in, without moving anything: what a plan will come
/// out at, or the statistics of a block whose solution was stored.
///
/// # Errors
/// As [`solve`].
pub fn precision(net: &Network, scaling: Scaling) -> Result<Solution, AdjustError> {
    determined(net)?;
    finish(net, 0, scaling)
}

/// A converged solution whose groups' covariances are multiplied by `factors`; the network keeps the
/// state it comes to.
pub(super) fn precision_at(net: &mut Network, factors: &[(Group, f64)]) -> Result<Solution, AdjustError> {
    let scaled = |net: &Network| -> Result<Vec<Row>, AdjustError> {
        let mut rows = normal::rows(net).map_err(AdjustError::Covariance)?;
        rows.iter_mut().zip(&net.observations).for_each(|(r, o)| r.information /= factor_of(factors, &**o));
        Ok(rows)
    };
    let weights = vec![1.0; net.observations.len()];
    for k in 0..MOST {
        let rows = scaled(net)?;
        if advance(net, &rows, &weights).ok_or(AdjustError::Diverged(k))? < 1e-10 {
            break;
        }
    }
    let rows = scaled(net)?;
    statistics(net, rows, factors, MOST, Scaling::Stated)
}

fn finish(net: &Network, iterations: usize, scaling: Scaling) -> Result<Solution, AdjustError> {
    let rows = normal::rows(net).map_err(AdjustError::Covariance)?;
    statistics(net, rows, &[], iterations, scaling)
}

fn statistics(
    net: &Network,
    rows: Vec<Row>,
    factors: &[(Group, f64)],
    iterations: usize,
    scaling: Scaling,
) -> Result<Solution, AdjustError> {
    let free = normal::free_frame(net, &rows);
    let parts = normal::build(net, &rows, &vec![1.0; rows.len()]).map_err(|_| AdjustError::Unseen)?;
    let mut covariance = parts.covariance(net, &free).ok_or(AdjustError::Diverged(iterations))?;
    let active = || rows.iter().filter(|r| r.active);
    let sum: f64 = active().map(Row::square).sum();
    let count: usize = active().map(|r| r.at.rows).sum();
    let datum_defect = free.ncols();
    let dof = (count + datum_defect).saturating_sub(net.unknowns());
    let variance = VarianceFactor::new(sum, dof, scaling);
    let tester = Tester::new(net, &rows, &covariance, sum, dof, scaling, factors);
    let residuals: Vec<Residual> = (0..rows.len()).into_par_iter().map(|i| tester.observation(i)).collect();
    // what was not iterated was not measured: there is nothing to suspect
    let suspicions = if iterations == 0 { Vec::new() } else { tester.suspicions(&residuals) };
    let of_shapes = of_shapes(net, &rows, &covariance);
    covariance *= variance.applied;
    if let Some(s) = &of_shapes {
        covariance += s;
    }
    Ok(Solution {
        poses: net.scans.iter().map(|s| s.pose).collect(),
        targets: net.targets.iter().map(|t| t.position).collect(),
        systematic: net.systematic.clone(),
        covariance,
        residuals,
        sum,
        dof,
        datum_defect,
        global_p: chi2_tail(sum, dof),
        variance,
        iterations,
        suspicions,
        groups: net.observations.iter().map(|o| o.group()).collect(),
        rows,
        of_shapes,
    })
}

/// What the uncertainty of held shapes does to the unknowns: an error ε of one observation moves them by `Q AᵀP ε`.
fn of_shapes(net: &Network, rows: &[Row], covariance: &DMatrix<f64>) -> Option<DMatrix<f64>> {
    let mut out: Option<DMatrix<f64>> = None;
    for (row, o) in rows.iter().zip(&net.observations).filter(|(r, _)| r.active) {
        let Kind::Held(held) = &o.kind else { continue };
        let mut moves = DMatrix::<f64>::zeros(covariance.nrows(), 6);
        for (unknown, design) in row.at.parts() {
            let (at, wide) = net.columns(*unknown);
            let by = design.columns(0, wide).transpose() * row.information;
            moves += covariance.columns(at, wide) * by;
        }
        let part = &moves * held.worth * moves.transpose();
        match &mut out {
            Some(sum) => *sum += part,
            None => out = Some(part),
        }
    }
    out
}
