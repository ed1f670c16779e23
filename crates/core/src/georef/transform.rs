use crate::adjust::Solution;
use crate::geometry::{Error95, Fit, FitModel, Mat3, Pose, Vec3, fit, skew};
use crate::stats::{K95_1D, chi2_quantile, chi2_tail};
use nalgebra::{DMatrix, DVector, Matrix6};

/// A point with known grid coordinates.
#[derive(Clone, Debug)]
pub struct ControlPoint {
    /// Name.
    pub name: String,
    /// Easting, northing, height, metres.
    pub position: Vec3,
    /// Standard deviations of the three, metres.
    pub sigma: Vec3,
    /// Held back as a check: never used to fit.
    pub check: bool,
    /// The target of the block that it is, when matched.
    pub target: Option<usize>,
}

/// Why a block cannot be put on the grid.
#[derive(Clone, Debug, thiserror::Error, PartialEq)]
pub enum GeorefError {
    /// Too few control points to fit.
    #[error("{found} control point{} matched to targets (check points are not used to fit); at least {needed} are needed for a {parameters}-parameter fit that can be checked", if *.found == 1 { " is" } else { "s are" })]
    TooFew {
        /// Matched control points.
        found: usize,
        /// Needed.
        needed: usize,
        /// Parameters of the model.
        parameters: usize,
    },
    /// Control in a line, or in one place.
    #[error(
        "the matched control points do not fix the block: they lie in one place or in one line; add a point off that line"
    )]
    Degenerate,
}

/// How one control or check point fits.
#[derive(Clone, Debug)]
pub struct PointResidual {
    /// Index of the control point.
    pub control: usize,
    /// Block minus control, grid axes (E, N, H), metres.
    pub residual: Vec3,
    /// 95 % half-widths of that residual when nothing is wrong, metres.
    pub expected: Vec3,
    /// χ² with 3 degrees of freedom when the point is right.
    pub statistic: f64,
    /// Probability of a statistic as large as this.
    pub p_value: f64,
}

/// A block on the grid.
#[derive(Clone, Debug)]
pub struct Georeferenced {
    /// Model fitted.
    pub model: FitModel,
    /// Takes block coordinates to the grid.
    pub fit: Fit,
    /// Standard deviation of the scale; 0 when it was held.
    pub scale_sigma: f64,
    /// Pose of each scan in the grid. A fitted scale moves the stations and leaves the scans
    /// themselves at their own size.
    pub poses: Vec<Pose>,
    /// Covariance of each scan's pose in the grid, by left increments (shift, turn), m² and rad².
    pub pose_covariances: Vec<Matrix6<f64>>,
    /// Targets in the grid, metres.
    pub targets: Vec<Vec3>,
    /// Their covariances, m².
    pub target_covariances: Vec<Mat3>,
    /// The share of each target's covariance that comes from control, m².
    pub from_control: Vec<Mat3>,
    /// The share that comes from levelling, m².
    pub from_level: Vec<Mat3>,
    /// Control used to fit.
    pub residuals: Vec<PointResidual>,
    /// Check points.
    pub checks: Vec<PointResidual>,
    /// Weighted sum of squares of the fit.
    pub sum: f64,
    /// Degrees of freedom of the fit.
    pub dof: usize,
    /// Probability of a sum as large as this.
    pub global_p: f64,
    /// Multiplies all covariances when the fit is worse than the stated σ explain; else 1.
    pub variance_factor: f64,
    /// Weaknesses, in words.
    pub warnings: Vec<String>,
}

impl Georeferenced {
    /// 95 % regions of a target on the grid.
    pub fn target_error(&self, target: usize) -> Error95 {
        Error95::from_covariance(&self.target_covariances[target])
    }
}

/// Fits an adjusted block to control by generalised least squares.
///
/// The weights come from the σ of the control *and* the full covariance of the free network
/// between the control targets; the network keeps its shape. Covariances of everything on the grid
/// follow exactly from both (the parameters depend on the same network). Check points take no
/// part and are compared afterwards with their own expected spread.
///
/// # Errors
/// [`GeorefError`] when control is too little or badly placed.
pub fn georeference(block: &Solution, control: &[ControlPoint], model: FitModel) -> Result<Georeferenced, GeorefError> {
    let used: Vec<(usize, usize)> =
        control.iter().enumerate().filter(|(_, c)| !c.check).filter_map(|(i, c)| c.target.map(|t| (i, t))).collect();
    if used.len() < 3 {
        return Err(GeorefError::TooFew { found: used.len(), needed: 3, parameters: model.parameters() });
    }
    let source: Vec<Vec3> = used.iter().map(|u| block.targets[u.1]).collect();
    let destination: Vec<Vec3> = used.iter().map(|u| control[u.0].position).collect();
    let mut now = fit(model, &source, &destination).ok_or(GeorefError::Degenerate)?;

    let scans = block.poses.len();
    let columns: Vec<usize> = used.iter().map(|u| 6 * scans + 3 * u.1).collect();
    let m = used.len();
    let network =
        DMatrix::from_fn(3 * m, 3 * m, |r, c| block.covariance[(columns[r / 3] + r % 3, columns[c / 3] + c % 3)]);
    let known =
        DMatrix::from_diagonal(&DVector::from_fn(3 * m, |r, _| control[used[r / 3].0].sigma[r % 3].max(1e-5).powi(2)));
    // Parameters act about the centroid, so that grid coordinates of millions of metres do not
    // spoil the conditioning.
    let centre = source.iter().map(|p| now.apply(p)).sum::<Vec3>() / m as f64;
    let mut gain = DMatrix::zeros(model.parameters(), 3 * m);
    let mut parameter_covariance = DMatrix::zeros(model.parameters(), model.parameters());
    let mut weight = DMatrix::zeros(3 * m, 3 * m);
    for _ in 0..8 {
        let turn = rotate_all(&now, m);
        let joint = &turn * &network * turn.transpose() + &known;
        weight = joint.cholesky().ok_or(GeorefError::Degenerate)?.inverse();
        let mut design = DMatrix::zeros(3 * m, model.parameters());
        let mut misclosure = DVector::zeros(3 * m);
        for k in 0..m {
            let p = now.apply(&source[k]);
            design.view_mut((3 * k, 0), (3, model.parameters())).copy_from(&parameter_rows(model, &p, &centre));
            misclosure.fixed_rows_mut::<3>(3 * k).copy_from(&(destination[k] - p));
        }
        let normal = design.transpose() * &weight * &design;
        let regular = normal.symmetric_eigenvalues();
        if regular.min() < 1e-10 * regular.max() {
            return Err(GeorefError::Degenerate);
        }
        parameter_covariance = normal.try_inverse().ok_or(GeorefError::Degenerate)?;
        gain = &parameter_covariance * design.transpose() * &weight;
        let step = &gain * misclosure;
        now = moved(model, &now, &step, &centre);
        if step.amax() < 1e-10 {
            break;
        }
    }
    let mut v = DVector::zeros(3 * m);
    for k in 0..m {
        v.fixed_rows_mut::<3>(3 * k).copy_from(&(now.apply(&source[k]) - destination[k]));
    }
    let sum = (v.transpose() * &weight * &v)[0];
    let dof = 3 * m - model.parameters();
    let variance_factor = if sum > chi2_quantile(0.999, dof) { sum / dof as f64 } else { 1.0 };

    let turn = rotate_all(&now, m);
    let mut design = DMatrix::zeros(3 * m, model.parameters());
    for k in 0..m {
        design.view_mut((3 * k, 0), (3, model.parameters())).copy_from(&parameter_rows(
            model,
            &now.apply(&source[k]),
            &centre,
        ));
    }
    let qvv = weight.clone().try_inverse().ok_or(GeorefError::Degenerate)?
        - &design * &parameter_covariance * design.transpose();
    let residuals = (0..m).map(|k| point_test(used[k].0, &v, &qvv, &weight, k)).collect();

    // x' = T(x): δx' = sR δx + J δp with δp = K (δc − sR_c δx_c)
    let spread = Spread { block, columns: &columns, gain: &gain, turn: &turn, known: &known, now };
    let (mut targets, mut target_covariances, mut from_control, mut from_level) = (vec![], vec![], vec![], vec![]);
    for (k, p) in block.targets.iter().enumerate() {
        let c = spread.at(6 * scans + 3 * k, &parameter_rows(model, &now.apply(p), &centre));
        let part = |m: &DMatrix<f64>| Mat3::from(m.fixed_view::<3, 3>(0, 0)) * variance_factor;
        targets.push(now.apply(p));
        target_covariances.push(part(&c.total));
        from_control.push(part(&c.control));
        from_level.push(part(&c.level));
    }
    let poses: Vec<Pose> = block
        .poses
        .iter()
        .map(|p| Pose { rotation: now.pose.rotation * p.rotation, translation: now.apply(&p.translation) })
        .collect();
    let pose_covariances = poses
        .iter()
        .enumerate()
        .map(|(k, p)| {
            let rows = pose_rows(model, &p.translation, &centre);
            Matrix6::from(spread.at(6 * k, &rows).total.fixed_view::<6, 6>(0, 0)) * variance_factor
        })
        .collect();
    let checks = control
        .iter()
        .enumerate()
        .filter(|(_, c)| c.check)
        .filter_map(|(i, c)| c.target.map(|t| (i, c, t)))
        .map(|(i, c, t)| {
            let expected = target_covariances[t] + Mat3::from_diagonal(&c.sigma.component_mul(&c.sigma));
            compare(i, targets[t] - c.position, &expected)
        })
        .collect();
    let scale_sigma =
        if model == FitModel::Similarity { (parameter_covariance[(6, 6)] * variance_factor).sqrt() } else { 0.0 };
    let mut result = Georeferenced {
        model,
        fit: now,
        scale_sigma,
        poses,
        pose_covariances,
        targets,
        target_covariances,
        from_control,
        from_level,
        residuals,
        checks,
        sum,
        dof,
        global_p: chi2_tail(sum, dof),
        variance_factor,
        warnings: Vec::new(),
    };
    result.warnings = super::diagnose::warnings(&result, control);
    Ok(result)
}

fn compare(control: usize, residual: Vec3, covariance: &Mat3) -> PointResidual {
    let statistic = covariance.cholesky().map_or(0.0, |c| residual.dot(&c.solve(&residual)));
    let half = |k: usize| covariance[(k, k)].max(0.0).sqrt() * K95_1D;
    PointResidual {
        control,
        residual,
        expected: Vec3::new(half(0), half(1), half(2)),
        statistic,
        p_value: chi2_tail(statistic, 3),
    }
}

fn point_test(control: usize, v: &DVector<f64>, qvv: &DMatrix<f64>, weight: &DMatrix<f64>, k: usize) -> PointResidual {
    // bias in this point alone: u = Eᵀ P v, S = Eᵀ P Qvv P E
    let pv = weight * v;
    let u: Vec3 = pv.fixed_rows::<3>(3 * k).into_owned();
    let s: Mat3 = (weight * qvv * weight).fixed_view::<3, 3>(3 * k, 3 * k).into_owned();
    let statistic = s.pseudo_inverse(1e-12 * s.norm()).map_or(0.0, |i| u.dot(&(i * u)));
    let q: Mat3 = qvv.fixed_view::<3, 3>(3 * k, 3 * k).into_owned();
    let half = |i: usize| q[(i, i)].max(0.0).sqrt() * K95_1D;
    PointResidual {
        control,
        residual: v.fixed_rows::<3>(3 * k).into_owned(),
        expected: Vec3::new(half(0), half(1), half(2)),
        statistic,
        p_value: chi2_tail(statistic, 3),
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

struct Parts {
    total: DMatrix<f64>,
    control: DMatrix<f64>,
    level: DMatrix<f64>,
}

/// The covariance between some unknowns and others.
type Block<'a> = dyn Fn(&[usize], &[usize]) -> DMatrix<f64> + 'a;

struct Spread<'a> {
    block: &'a Solution,
    columns: &'a [usize],
    gain: &'a DMatrix<f64>,
    turn: &'a DMatrix<f64>,
    known: &'a DMatrix<f64>,
    now: Fit,
}

impl Spread<'_> {
    /// Covariance on the grid of the unknowns from column `at` on, of a point or a pose whose
    /// derivative by the parameters is `j`.
    fn at(&self, at: usize, j: &DMatrix<f64>) -> Parts {
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
        let propagate = |c: &Block| {
            let mixed = &own_turn * c(&own, &among) * through.transpose();
            &own_turn * c(&own, &own) * own_turn.transpose()
                + &mixed
                + mixed.transpose()
                + &through * c(&among, &among) * through.transpose()
        };
        let q = &self.block.covariance;
        let control = &jk * self.known * jk.transpose();
        Parts {
            total: propagate(&|a, b| DMatrix::from_fn(a.len(), b.len(), |i, j| q[(a[i], b[j])])) + &control,
            control,
            level: propagate(&|a, b| self.block.level_covariance(a, b)),
        }
    }
}
