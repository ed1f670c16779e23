use super::checks::{CheckReport, check_points};
use super::constrained::constrained;
use super::control::{ControlPoint, GeorefError};
use super::diagnose::{Mistake, RISK, Weakness, diagnose, weaknesses};
use super::free_fit::{FreeFit, free_fit};
use super::grid_map::GridMap;
use super::matching::{Candidate, ControlMatch, match_control};
use crate::adjust::{ErrorBudget, Network, Solution};
use crate::geometry::{Error95, FitModel, Mat3, Pose, Vec3};
use nalgebra::Matrix6;

/// What a block is put on the grid from.
pub struct Input<'a> {
    /// The adjusted network, at its solution.
    pub network: &'a Network,
    /// Its solution.
    pub block: &'a Solution,
    /// Names of the targets, as control may call them.
    pub names: &'a [String],
    /// Control and check points in grid coordinates, metres; a target set by hand stands.
    pub control: Vec<ControlPoint>,
    /// What may turn and stretch.
    pub model: FitModel,
    /// Some scan is levelled.
    pub levelled: bool,
    /// The map from local metres to the grid about a place of the grid.
    pub map_at: &'a dyn Fn(&Vec3) -> GridMap,
}

/// Where the coordinates that are handed over come from.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Source {
    /// Control is in the adjustment: the block and control passed the test of one another.
    Constrained,
    /// The block keeps its shape: control does not pass the test, and must not bend it.
    Free,
    /// There is no control: the block stays in the system that it was adjusted in, and nothing says where that lies.
    Own,
    /// No scan stands: passes are held by the points they stood on.
    Walked,
}

/// A block on the grid.
#[derive(Clone, Debug)]
pub struct Georeferenced {
    /// Local metres to the grid.
    pub map: GridMap,
    /// Control in local metres, with the targets it was paired with.
    pub control: Vec<ControlPoint>,
    /// How each came to its target.
    pub pairing: ControlMatch,
    /// The free block on control: the test.
    pub free: FreeFit,
    /// What is handed over, and why.
    pub source: Source,
    /// Pose of each scan in the local frame.
    pub poses: Vec<Pose>,
    /// Covariance of each pose on the grid, by left increments.
    pub pose_covariances: Vec<Matrix6<f64>>,
    /// Targets in the local frame, metres.
    pub targets: Vec<Vec3>,
    /// Their covariances on the grid, m².
    pub target_covariances: Vec<Mat3>,
    /// Their error budgets.
    pub budgets: Vec<ErrorBudget>,
    /// Constrained minus free, of each target, grid axes, metres; empty when there is no constrained
    /// solution.
    pub differences: Vec<Vec3>,
    /// Check points.
    pub checks: CheckReport,
    /// What is weak or wrong.
    pub weaknesses: Vec<Weakness>,
}

impl Georeferenced {
    /// A target on the grid, metres.
    pub fn target(&self, k: usize) -> Vec3 {
        self.map.apply(&self.targets[k])
    }

    /// 95 % regions of a target on the grid.
    pub fn target_error(&self, k: usize) -> Error95 {
        Error95::from_covariance(&self.target_covariances[k])
    }

    /// 95 % regions of a station on the grid.
    pub fn station_error(&self, k: usize) -> Error95 {
        Error95::from_covariance(&self.pose_covariances[k].fixed_view::<3, 3>(0, 0).into_owned())
    }
}

/// Why a block was not put on the grid, with what may be the cause.
#[derive(Clone, Debug)]
pub struct Failure {
    /// Why.
    pub error: GeorefError,
    /// Mistakes that would explain it.
    pub mistakes: Vec<Mistake>,
    /// The layout fits in more than one way.
    pub ambiguous: bool,
}

/// Puts an adjusted block on the grid: pairs control with targets, fits the block freely as a test, puts
/// control into the adjustment when the test passes, and compares the check points with what comes out.
///
/// # Errors
/// [`Failure`] with the mistakes that would explain it.
pub fn georeference(input: &Input<'_>) -> Result<Georeferenced, Box<Failure>> {
    let candidates: Vec<Candidate> = input
        .block
        .targets
        .iter()
        .enumerate()
        .map(|(k, p)| Candidate {
            name: input.names.get(k).cloned().unwrap_or_default(),
            position: *p,
            covariance: input.block.target_covariance(k),
        })
        .collect();
    let fail = |error: GeorefError, ambiguous: bool| {
        Box::new(Failure { error, mistakes: mistakes(input, &candidates), ambiguous })
    };
    // twice: the frame has its origin where the block has its plumb line, which is known once it is placed
    let mut map = (input.map_at)(&middle(&input.control));
    let mut last: Option<(GridMap, Vec<ControlPoint>, ControlMatch, FreeFit)> = None;
    for _ in 0..2 {
        let plan_of = |i: usize| -> Option<Vec3> {
            let (map, _, pairing, free) = last.as_ref()?;
            Some(map.apply(&free.targets[pairing.targets[i]?]))
        };
        let mut control = local(&input.control, &map, &plan_of);
        let pairing = match_control(&control, &candidates, input.levelled);
        for (c, t) in control.iter_mut().zip(&pairing.targets) {
            c.target = *t;
        }
        let free = match free_fit(input.block, &control, input.model) {
            Ok(f) => f,
            Err(e) => return Err(fail(e, pairing.ambiguous)),
        };
        let origin = map.apply(&free.fit.apply(&input.network.plumb.origin));
        let at = Vec3::new(origin.x.round(), origin.y.round(), map.origin.z);
        let settled = (at - map.origin).norm() < 0.5 && input.control.iter().all(ControlPoint::has_plan);
        last = Some((map.clone(), control, pairing, free));
        if settled {
            break;
        }
        map = (input.map_at)(&at);
    }
    let Some((map, control, pairing, free)) = last else {
        return Err(fail(GeorefError::Degenerate, false));
    };
    Ok(finish(input, &candidates, map, control, pairing, free))
}

fn finish(
    input: &Input<'_>,
    candidates: &[Candidate],
    map: GridMap,
    control: Vec<ControlPoint>,
    pairing: ControlMatch,
    free: FreeFit,
) -> Georeferenced {
    let mut weak = weaknesses(&free, &control);
    // control that contradicts the block must not bend it; a fitted scale is for looking at
    let passed = free.global_p >= 0.001
        && free.residuals.iter().all(|r| r.p_family >= RISK)
        && input.model != FitModel::Similarity;
    let held = if passed { constrained(input.network, input.block, &free, &control).ok() } else { None };
    let on_grid = |p: &Vec3, c: &Mat3| map.covariance(p, c);
    let (source, poses, targets) = match &held {
        Some(s) => (Source::Constrained, s.poses.clone(), s.targets.clone()),
        None => (Source::Free, free.poses.clone(), free.targets.clone()),
    };
    let cross = |a: usize, b: usize| match &held {
        Some(s) => s.target_cross(a, b),
        None if a == b => free.target_covariances[a],
        None => Mat3::zeros(),
    };
    let pose_covariances = (0..poses.len())
        .map(|k| {
            let c = held.as_ref().map_or_else(|| free.pose_covariances[k], |s| s.pose_covariance(k));
            map.pose_covariance(&poses[k], &c)
        })
        .collect();
    let target_covariances: Vec<Mat3> = targets.iter().enumerate().map(|(k, p)| on_grid(p, &cross(k, k))).collect();
    let budgets = match &held {
        Some(s) => (0..targets.len()).map(|k| s.target_budget(k)).collect(),
        // the block's own budget, with control for the rest
        None => (0..targets.len()).map(|k| with_control(input.block, k, &free)).collect(),
    };
    let differences = if held.is_some() {
        targets.iter().zip(&free.targets).map(|(a, b)| map.linear * (a - b)).collect()
    } else {
        Vec::new()
    };
    let checks = check_points(&control, &targets, &cross);
    for c in &checks.points {
        match &c.fit {
            None => weak.push(Weakness::CheckMissing(c.control)),
            Some(f) if f.p_family < RISK => {
                weak.push(Weakness::CheckOff { control: c.control, off: f.residual.norm(), p: f.p_family });
            }
            Some(_) => {}
        }
    }
    if pairing.targets.iter().any(Option::is_none) || !pairing.misnamed.is_empty() {
        weak.extend(mistakes(input, candidates).into_iter().map(Weakness::Mistake));
    }
    Georeferenced {
        map,
        control,
        pairing,
        free,
        source,
        poses,
        pose_covariances,
        targets,
        target_covariances,
        budgets,
        differences,
        checks,
        weaknesses: weak,
    }
}

/// Common mistakes that would explain a misfit. Looked for in the coordinates as they are given: what the
/// grid does to lengths is small beside them, and a wrong unit or a swap makes the map meaningless.
fn mistakes(input: &Input<'_>, candidates: &[Candidate]) -> Vec<Mistake> {
    let map = GridMap::local(middle(&input.control));
    diagnose(&local(&input.control, &map, &|_| None), candidates, input.levelled)
}

/// The budget of a target of a block that kept its shape: what the block gives, scaled to what is left
/// beside control.
fn with_control(block: &Solution, k: usize, free: &FreeFit) -> ErrorBudget {
    let whole = free.target_covariances[k].trace().max(1e-18);
    let inner = (block.target_covariance(k).trace() / whole).min(1.0);
    let mut shares: Vec<_> = block.target_budget(k).shares.into_iter().map(|(g, s)| (g, s * inner)).collect();
    shares.push((crate::adjust::Group::Control, 1.0 - inner));
    shares.sort_by(|a, b| b.1.total_cmp(&a.1));
    ErrorBudget { shares }
}

fn middle(control: &[ControlPoint]) -> Vec3 {
    let plan: Vec<&ControlPoint> = control.iter().filter(|c| c.has_plan()).collect();
    let high: Vec<&ControlPoint> = control.iter().filter(|c| c.has_height()).collect();
    let of = |list: &[&ControlPoint], axis: usize| {
        let n = list.len().max(1) as f64;
        (list.iter().map(|c| c.position[axis]).sum::<f64>() / n).round()
    };
    Vec3::new(of(&plan, 0), of(&plan, 1), of(&high, 2))
}

/// Control in the local frame. A height without plan coordinates is taken where its target is
/// (`plan_of`, grid), since the level surface is curved; a plan point without a height at the origin's.
fn local(control: &[ControlPoint], map: &GridMap, plan_of: &dyn Fn(usize) -> Option<Vec3>) -> Vec<ControlPoint> {
    control
        .iter()
        .enumerate()
        .map(|(i, c)| {
            let mut grid = c.position;
            if !c.has_plan() {
                let at = plan_of(i).unwrap_or(map.origin);
                (grid.x, grid.y) = (at.x, at.y);
            }
            if !c.has_height() {
                grid.z = map.origin.z;
            }
            ControlPoint { position: map.inverse(&grid), ..c.clone() }
        })
        .collect()
}
