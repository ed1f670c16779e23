use super::control::{ControlPoint, GeorefError, PointResidual};
use crate::adjust::kinds::KnownPoint;
use crate::adjust::{POWER, PRIOR_DOF, SINGLE_RISK, Scaling, Solution, VarianceFactor};
use crate::geometry::{Fit, FitModel, Mat3, Pose, Vec3, fit, skew};
use crate::stats::{K95_1D, chi2_tail, f_tail, noncentrality};
use nalgebra::{DMatrix, DVector, Matrix6};

/// A block fitted to control without changing its shape: the test of the one by the other.
#[derive(Clone, Debug)]
pub struct FreeFit {
    /// Model fitted.
    pub model: FitModel,
    /// Takes block coordinates to the frame of control.
    pub fit: Fit,
    /// Standard deviations of the parameters: shift E, N, H (of the middle of control, metres), turn about
    /// them (radians; 0 where held), scale.
    pub parameter_sigma: [f64; 7],
    /// Largest correlation between two parameters, and which.
    pub correlation: (usize, usize, f64),
    /// Pose of each scan.
    pub poses: Vec<Pose>,
    /// Covariance of each scan's pose, by left increments (shift, turn), m² and rad².
    pub pose_covariances: Vec<Matrix6<f64>>,
    /// Targets, metres.
    pub targets: Vec<Vec3>,
    /// Their covariances, m².
    pub target_covariances: Vec<Mat3>,
    /// Control used to fit.
    pub residuals: Vec<PointResidual>,
    /// Weighted sum of squares of the fit.
    pub sum: f64,
    /// Degrees of freedom of the fit.
    pub dof: usize,
    /// Probability of a sum as large as this.
    pub global_p: f64,
    /// What the fit says about the stated σ of control; applied to the part that comes from control.
    pub variance: VarianceFactor,
}

/// Fits an adjusted block to control by generalised least squares.
///
/// The weights come from the σ of the control *and* the full covariance of the free network between
/// the control targets; the network keeps its shape. Covariances of everything follow exactly from
/// both (the parameters depend on the same network). Coordinates a point does not have take no part.
/// Positions of control are in a frame of true metres: see [`super::GridMap`].
///
/// # Errors
/// [`GeorefError`] when control is too little or badly placed.
pub fn free_fit(block: &Solution, control: &[ControlPoint], model: FitModel) -> Result<FreeFit, GeorefError> {
    let used: Vec<(usize, usize)> =
        control.iter().enumerate().filter(|(_, c)| !c.check).filter_map(|(i, c)| c.target.map(|t| (i, t))).collect();
    let first = start(block, control, &used, model)?;
    let problem = Problem::new(block, control, used, model, &first);
    let (now, gain) = problem.solve(first)?;
    let (weight, design) = (problem.weight(&now).ok_or(GeorefError::Degenerate)?, problem.design(&now));
    let parameters = regular_inverse(&(design.transpose() * &weight * &design)).ok_or(GeorefError::Degenerate)?;
    let v = -problem.misclosure(&now);
    let sum = (v.transpose() * &weight * &v)[0];
    let coordinates: usize =
        problem.used.iter().map(|u| control[u.0].sigma.iter().filter(|s| **s < KnownPoint::FREE).count()).sum();
    let dof = coordinates.saturating_sub(model.parameters());
    let variance = VarianceFactor::new(sum, dof, Scaling::Estimated);
    let qvv = weight.clone().try_inverse().ok_or(GeorefError::Degenerate)? - &design * &parameters * design.transpose();
    let whole = Whole { v: &v, qvv: &qvv, weight: &weight, sum, dof };
    let m = problem.used.len();
    let residuals = (0..m).map(|k| whole.point(problem.used[k].0, &control[problem.used[k].0], k, m)).collect();
    let factor = variance.applied;
    let Carried { poses, pose_covariances, targets, target_covariances } = problem.carried(now, &gain, factor);
    Ok(FreeFit {
        model,
        fit: now,
        parameter_sigma: sigmas(model, &parameters, factor),
        correlation: correlation(&parameters),
        poses,
        pose_covariances,
        targets,
        target_covariances,
        residuals,
        sum,
        dof,
        global_p: chi2_tail(sum, dof),
        variance,
    })
}

/// What is fitted to what, with the covariances of both.
struct Problem<'a> {
    block: &'a Solution,
    control: &'a [ControlPoint],
    model: FitModel,
    /// Control point and target of each pair.
    used: Vec<(usize, usize)>,
    source: Vec<Vec3>,
    /// First column of each target among the unknowns of the block.
    columns: Vec<usize>,
    /// Of the targets in the block, and of control.
    network: DMatrix<f64>,
    known: DMatrix<f64>,
    /// Parameters act about the centroid, so that large coordinates do not spoil the conditioning.
    centre: Vec3,
}

/// The block on the grid.
struct Carried {
    poses: Vec<Pose>,
    pose_covariances: Vec<Matrix6<f64>>,
    targets: Vec<Vec3>,
    target_covariances: Vec<Mat3>,
}

impl<'a> Problem<'a> {
    fn new(
        block: &'a Solution,
        control: &'a [ControlPoint],
        used: Vec<(usize, usize)>,
        model: FitModel,
        first: &Fit,
    ) -> Self {
        let source: Vec<Vec3> = used.iter().map(|u| block.targets[u.1]).collect();
        let columns: Vec<usize> = used.iter().map(|u| 6 * block.poses.len() + 3 * u.1).collect();
        let m = used.len();
        let network =
            DMatrix::from_fn(3 * m, 3 * m, |r, c| block.covariance[(columns[r / 3] + r % 3, columns[c / 3] + c % 3)]);
        let variance = |r: usize| control[used[r / 3].0].sigma[r % 3].max(1e-5).powi(2);
        let known = DMatrix::from_diagonal(&DVector::from_fn(3 * m, |r, _| variance(r)));
        let centre = source.iter().map(|p| first.apply(p)).sum::<Vec3>() / m as f64;
        Self { block, control, model, used, source, columns, network, known, centre }
    }

    /// Wanted minus fitted. A coordinate that is not known is taken from the block: its misclosure is nothing.
    fn misclosure(&self, now: &Fit) -> DVector<f64> {
        let mut out = DVector::zeros(3 * self.used.len());
        for (k, u) in self.used.iter().enumerate() {
            let (c, p) = (&self.control[u.0], now.apply(&self.source[k]));
            let apart = |a: usize| if c.sigma[a] < KnownPoint::FREE { c.position[a] - p[a] } else { 0.0 };
            (0..3).for_each(|a| out[3 * k + a] = apart(a));
        }
        out
    }

    fn design(&self, now: &Fit) -> DMatrix<f64> {
        let mut design = DMatrix::zeros(3 * self.used.len(), self.model.parameters());
        for (k, p) in self.source.iter().enumerate() {
            let rows = parameter_rows(self.model, &now.apply(p), &self.centre);
            design.view_mut((3 * k, 0), (3, self.model.parameters())).copy_from(&rows);
        }
        design
    }

    fn weight(&self, now: &Fit) -> Option<DMatrix<f64>> {
        let turn = rotate_all(now, self.used.len());
        Some((&turn * &self.network * turn.transpose() + &self.known).cholesky()?.inverse())
    }

    /// The fit, and what a misclosure does to its parameters.
    fn solve(&self, mut now: Fit) -> Result<(Fit, DMatrix<f64>), GeorefError> {
        let mut gain = DMatrix::zeros(self.model.parameters(), 3 * self.used.len());
        for _ in 0..8 {
            let weight = self.weight(&now).ok_or(GeorefError::Degenerate)?;
            let design = self.design(&now);
            let inverse = regular_inverse(&(design.transpose() * &weight * &design)).ok_or(GeorefError::Degenerate)?;
            gain = inverse * design.transpose() * &weight;
            let step = &gain * self.misclosure(&now);
            now = moved(self.model, &now, &step, &self.centre);
            if step.amax() < 1e-10 {
                break;
            }
        }
        Ok((now, gain))
    }

    /// Every scan and target of the block on the grid: `x' = T(x)`, `δx' = sR δx + J δp` with
    /// `δp = K (δc − sR_c δx_c)`. The part of the covariance that comes from control is multiplied by `factor`.
    fn carried(&self, now: Fit, gain: &DMatrix<f64>, factor: f64) -> Carried {
        let turn = rotate_all(&now, self.used.len());
        let spread = Spread { block: self.block, columns: &self.columns, gain, turn: &turn, known: &self.known, now };
        let scans = self.block.poses.len();
        let poses: Vec<Pose> = self
            .block
            .poses
            .iter()
            .map(|p| Pose { rotation: now.pose.rotation * p.rotation, translation: now.apply(&p.translation) })
            .collect();
        let of_pose = |(k, p): (usize, &Pose)| {
            let rows = pose_rows(self.model, &p.translation, &self.centre);
            Matrix6::from(spread.at(6 * k, &rows, factor).fixed_view::<6, 6>(0, 0))
        };
        let targets: Vec<Vec3> = self.block.targets.iter().map(|p| now.apply(p)).collect();
        let of_target = |(k, p): (usize, &Vec3)| {
            let c = spread.at(6 * scans + 3 * k, &parameter_rows(self.model, p, &self.centre), factor);
            Mat3::from(c.fixed_view::<3, 3>(0, 0))
        };
        Carried {
            pose_covariances: poses.iter().enumerate().map(of_pose).collect(),
            target_covariances: targets.iter().enumerate().map(of_target).collect(),
            poses,
            targets,
        }
    }
}

/// A first fit, from points that may lack a height.
fn start(
    block: &Solution,
    control: &[ControlPoint],
    used: &[(usize, usize)],
    model: FitModel,
) -> Result<Fit, GeorefError> {
    let of = |pick: fn(&ControlPoint) -> bool| -> Vec<(Vec3, Vec3)> {
        let picked = used.iter().filter(|u| pick(&control[u.0]));
        picked.map(|u| (block.targets[u.1], control[u.0].position)).collect()
    };
    let (plan, height) = (of(ControlPoint::has_plan), of(ControlPoint::has_height));
    let full = of(|c| c.has_plan() && c.has_height());
    let needed_height = if model == FitModel::Levelled { 1 } else { 3 };
    let solid = if model == FitModel::Levelled { plan.len() } else { full.len() };
    if solid < 3 || height.len() < needed_height {
        return Err(GeorefError::TooFew {
            plan: plan.len(),
            height: height.len(),
            needed: 3,
            needed_height,
            parameters: model.parameters(),
        });
    }
    if model != FitModel::Levelled {
        let (a, b): (Vec<Vec3>, Vec<Vec3>) = full.into_iter().unzip();
        return fit(model, &a, &b).ok_or(GeorefError::Degenerate);
    }
    // plan coordinates give turn and shift, heights the rest
    let (a, b): (Vec<Vec3>, Vec<Vec3>) = plan.iter().map(|(p, q)| (*p, Vec3::new(q.x, q.y, p.z))).unzip();
    let mut first = fit(model, &a, &b).ok_or(GeorefError::Degenerate)?;
    let up = height.iter().map(|(p, q)| q.z - first.apply(p).z).sum::<f64>() / height.len() as f64;
    first.pose.translation.z += up;
    Ok(first)
}

/// The inverse of a normal matrix, scaled; `None` when a direction is not held.
fn regular_inverse(normal: &DMatrix<f64>) -> Option<DMatrix<f64>> {
    let n = normal.nrows();
    let scale: Vec<f64> = (0..n).map(|i| normal[(i, i)].sqrt().recip()).collect();
    let scaled = DMatrix::from_fn(n, n, |i, j| normal[(i, j)] * scale[i] * scale[j]);
    let e = scaled.clone().symmetric_eigenvalues();
    if !e.iter().all(|v| v.is_finite()) || e.min() < 1e-10 * e.max() {
        return None;
    }
    let inverse = scaled.try_inverse()?;
    Some(DMatrix::from_fn(n, n, |i, j| inverse[(i, j)] * scale[i] * scale[j]))
}

/// Standard deviations of shift, turn and scale, 0 where the model holds them.
fn sigmas(model: FitModel, parameters: &DMatrix<f64>, factor: f64) -> [f64; 7] {
    let mut out = [0.0; 7];
    let places: &[usize] = match model {
        FitModel::Levelled => &[0, 1, 2, 5],
        FitModel::Rigid => &[0, 1, 2, 3, 4, 5],
        FitModel::Similarity => &[0, 1, 2, 3, 4, 5, 6],
    };
    for (k, &place) in places.iter().enumerate() {
        out[place] = (parameters[(k, k)] * factor.max(1.0)).sqrt();
    }
    out
}

fn correlation(c: &DMatrix<f64>) -> (usize, usize, f64) {
    let mut worst = (0, 0, 0.0_f64);
    for i in 0..c.nrows() {
        for j in 0..i {
            let r = c[(i, j)] / (c[(i, i)] * c[(j, j)]).sqrt();
            if r.abs() > worst.2.abs() {
                worst = (j, i, r);
            }
        }
    }
    worst
}

/// The fit as a whole, for the tests of its points.
struct Whole<'a> {
    v: &'a DVector<f64>,
    qvv: &'a DMatrix<f64>,
    weight: &'a DMatrix<f64>,
    sum: f64,
    dof: usize,
}

impl Whole<'_> {
    /// The bias in one point alone: `u = Eᵀ P v`, `S = Eᵀ P Qvv P E`.
    fn point(&self, control: usize, c: &ControlPoint, k: usize, count: usize) -> PointResidual {
        let pv = self.weight * self.v;
        let u: Vec3 = pv.fixed_rows::<3>(3 * k).into_owned();
        let s: Mat3 = (self.weight * self.qvv * self.weight).fixed_view::<3, 3>(3 * k, 3 * k).into_owned();
        let e = s.symmetric_eigen();
        let own = (1.0 / c.covariance().diagonal().min()).max(1e-12);
        let (mut statistic, mut dof) = (0.0, 0);
        for a in (0..3).filter(|&a| e.eigenvalues[a] > 1e-6 * own) {
            statistic += e.eigenvectors.column(a).dot(&u).powi(2) / e.eigenvalues[a];
            dof += 1;
        }
        let others = PRIOR_DOF + self.dof.saturating_sub(dof) as f64;
        let noise = (PRIOR_DOF + (self.sum - statistic).max(0.0)) / others;
        let p_value = if dof == 0 { 1.0 } else { f_tail(statistic / dof as f64 / noise, dof as f64, others) };
        let q: Mat3 = self.qvv.fixed_view::<3, 3>(3 * k, 3 * k).into_owned();
        let known = |a: usize| c.sigma[a] < KnownPoint::FREE;
        let half = |a: usize| if known(a) { q[(a, a)].max(0.0).sqrt() * K95_1D } else { 0.0 };
        let weakest = (0..3).filter(|&a| known(a)).map(|a| s[(a, a)]).fold(f64::INFINITY, f64::min);
        PointResidual {
            control,
            residual: self.v.fixed_rows::<3>(3 * k).into_owned(),
            expected: Vec3::new(half(0), half(1), half(2)),
            statistic,
            dof,
            p_value,
            p_family: -f64::exp_m1(count as f64 * f64::ln_1p(-p_value.min(1.0 - 1e-12))),
            detectable: if weakest > 0.0 {
                (noncentrality(SINGLE_RISK, dof.max(1), POWER) / weakest).sqrt()
            } else {
                f64::INFINITY
            },
        }
    }
}

/// `∂(grid point)/∂(parameters)` about the centroid: shift, turn, scale.
fn parameter_rows(model: FitModel, p: &Vec3, centre: &Vec3) -> DMatrix<f64> {
    let d = p - centre;
    let mut j = DMatrix::zeros(3, model.parameters());
    j.fixed_view_mut::<3, 3>(0, 0).copy_from(&Mat3::identity());
    if model == FitModel::Levelled {
        j.fixed_view_mut::<3, 1>(0, 3).copy_from(&Vec3::z().cross(&d));
    } else {
        j.fixed_view_mut::<3, 3>(0, 3).copy_from(&-skew(&d));
    }
    if model == FitModel::Similarity {
        j.fixed_view_mut::<3, 1>(0, 6).copy_from(&d);
    }
    j
}

/// `∂(pose on the grid)/∂(parameters)`: its position as of a point, its turn as the block's.
fn pose_rows(model: FitModel, p: &Vec3, centre: &Vec3) -> DMatrix<f64> {
    let mut j = DMatrix::zeros(6, model.parameters());
    j.view_mut((0, 0), (3, model.parameters())).copy_from(&parameter_rows(model, p, centre));
    if model == FitModel::Levelled {
        j[(5, 3)] = 1.0;
    } else {
        j.fixed_view_mut::<3, 3>(3, 3).copy_from(&Mat3::identity());
    }
    j
}

fn moved(model: FitModel, f: &Fit, step: &DVector<f64>, centre: &Vec3) -> Fit {
    let omega = if model == FitModel::Levelled { Vec3::z() * step[3] } else { Vec3::new(step[3], step[4], step[5]) };
    let grow = if model == FitModel::Similarity { 1.0 + step[6] } else { 1.0 };
    let turn = nalgebra::UnitQuaternion::from_scaled_axis(omega);
    let shift = Vec3::new(step[0], step[1], step[2]);
    let pose = Pose {
        rotation: turn * f.pose.rotation,
        translation: centre + shift + turn * ((f.pose.translation - centre) * grow),
    };
    Fit { pose, scale: f.scale * grow, rms: f.rms }
}

/// `sR` once per point, on the diagonal.
fn rotate_all(f: &Fit, m: usize) -> DMatrix<f64> {
    let r = f.pose.matrix() * f.scale;
    let mut t = DMatrix::zeros(3 * m, 3 * m);
    for k in 0..m {
        t.fixed_view_mut::<3, 3>(3 * k, 3 * k).copy_from(&r);
    }
    t
}

struct Spread<'a> {
    block: &'a Solution,
    columns: &'a [usize],
    gain: &'a DMatrix<f64>,
    turn: &'a DMatrix<f64>,
    known: &'a DMatrix<f64>,
    now: Fit,
}

impl Spread<'_> {
    /// Covariance of the unknowns from column `at` on, of a point or a pose whose derivative by the
    /// parameters is `j`; the part that comes from control is multiplied by `factor`.
    fn at(&self, at: usize, j: &DMatrix<f64>, factor: f64) -> DMatrix<f64> {
        let k = j.nrows();
        let r = self.now.pose.matrix();
        // a scale stretches positions and leaves turns alone
        let mut own_turn = DMatrix::zeros(k, k);
        own_turn.fixed_view_mut::<3, 3>(0, 0).copy_from(&(r * self.now.scale));
        if k == 6 {
            own_turn.fixed_view_mut::<3, 3>(3, 3).copy_from(&r);
        }
        let jk = j * self.gain;
        let through = -(&jk * self.turn);
        let own: Vec<usize> = (at..at + k).collect();
        let among: Vec<usize> = self.columns.iter().flat_map(|c| *c..c + 3).collect();
        let q = &self.block.covariance;
        let c = |a: &[usize], b: &[usize]| DMatrix::from_fn(a.len(), b.len(), |i, j| q[(a[i], b[j])]);
        let mixed = &own_turn * c(&own, &among) * through.transpose();
        &own_turn * c(&own, &own) * own_turn.transpose()
            + &mixed
            + mixed.transpose()
            + &through * c(&among, &among) * through.transpose()
            + &jk * self.known * jk.transpose() * factor
    }
}
