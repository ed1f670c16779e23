//! A block on the grid as it is stored.

use super::{Rows9, Share, StoredPose, mirror, rows9, shares};
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_core::adjust::Solution;
use vistazo_core::geometry::{FitModel, Mat3, Pose, Vec3};
use vistazo_core::georef::{self as core, CheckReport, GridFactors, GridMap, Output};

/// Version that is written.
pub(crate) const VERSION: u32 = 2;

mirror!(
    /// What may turn and stretch in a fit to control.
    Model = vistazo_core::geometry::FitModel { Levelled, Rigid, Similarity }
);
mirror!(
    /// Where the coordinates that are handed over come from.
    Source = vistazo_core::georef::Source { Constrained, Free, Own, Walked }
);
mirror!(
    /// How a control point came to its target.
    Pairing = vistazo_core::georef::Pairing { Hand, Name, Geometry, None, NameOnly }
);
mirror!(
    /// What the coordinates mean: those of the grid, or stretched to distances on site.
    GridOutput = vistazo_core::georef::Output { Grid, Ground }
);

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Georeferencing {
    pub version: u32,
    pub model: Model,
    pub source: Source,
    pub map: Map,
    /// EPSG code the map was made for.
    pub epsg: Option<u16>,
    /// Scale of the fit and its σ, when the model has one.
    pub scale: f64,
    pub scale_sigma: f64,
    /// σ of shift E, N, H (metres), turns (radians), scale; 0 where held.
    pub parameter_sigma: [f64; 7],
    pub stations: Vec<Station>,
    pub targets: Vec<Target>,
    pub residuals: Vec<PointResidual>,
    pub checks: Checks,
    pub unmatched: Vec<String>,
    pub sum: f64,
    pub dof: usize,
    pub global_p: f64,
    pub variance: [f64; 4],
    pub weaknesses: Vec<Weakness>,
    /// Required surfaces: name and worst 95 % error on them; none where no placed scan shows it.
    pub surfaces: Vec<Surface>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Surface {
    pub name: String,
    /// 95 % regions of its worst point, metres: horizontal, vertical, in space.
    pub error: Option<[f64; 3]>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Map {
    pub origin: [f64; 3],
    pub linear: Rows9,
    pub quadratic: [Rows9; 3],
    /// Point scale, height factor, convergence.
    pub factors: Option<[f64; 3]>,
    pub output: GridOutput,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Station {
    pub scan: Uuid,
    pub name: String,
    /// In the local frame of true metres.
    pub local: StoredPose,
    /// On the grid, the rigid pose nearest to it.
    pub grid: StoredPose,
    pub covariance: Vec<f64>,
    pub targets: usize,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Target {
    pub name: String,
    pub kind: super::registration::TargetKind,
    pub position: [f64; 3],
    pub covariance: Rows9,
    pub scans: usize,
    /// It counts: another scan, the plan or control knows it too.
    pub used: bool,
    pub budget: Vec<Share>,
    /// Constrained minus free, grid axes, metres.
    pub difference: Option<[f64; 3]>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct PointResidual {
    pub control: Uuid,
    pub name: String,
    pub target: String,
    pub pairing: Pairing,
    pub residual: [f64; 3],
    pub expected: [f64; 3],
    pub statistic: f64,
    pub dof: usize,
    pub p_value: f64,
    pub p_family: f64,
    pub detectable: Option<f64>,
    /// To the nearest control, metres; check points only.
    pub from_control: Option<f64>,
}

#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Checks {
    pub points: Vec<PointResidual>,
    /// Names of check points that fit no target.
    pub missing: Vec<String>,
    pub rmse: [f64; 3],
    pub horizontal: f64,
    pub spatial: f64,
    pub bound: f64,
    pub bias: [f64; 3],
    pub bias95: [f64; 3],
    pub effective_dof: f64,
    pub quadrants: usize,
    pub p_value: f64,
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "snake_case")]
pub(crate) enum Weakness {
    OutsideControl {
        outside: usize,
        of: usize,
    },
    ControlInLine,
    NoChecks,
    Scale {
        scale: f64,
        sigma: f64,
    },
    ControlOff {
        point: String,
        off: f64,
        p: f64,
    },
    FitPoor {
        p: f64,
    },
    CheckOff {
        point: String,
        off: f64,
        p: f64,
    },
    CheckMissing {
        point: String,
    },
    Correlated {
        a: usize,
        b: usize,
        r: f64,
    },
    NoFactor,
    Mistake {
        mistake: Mistake,
    },
    /// A mark of a pass contradicts the rest, metres.
    MarkOff {
        point: String,
        off: f64,
        p: f64,
    },
    /// No pass stood on a check point.
    NotStoodOn {
        point: String,
    },
}

#[derive(Clone, Debug, PartialEq, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "snake_case")]
pub(crate) enum Mistake {
    Swapped { then: usize, now: usize },
    Unit { factor: f64, then: usize, now: usize },
    NoHeights { fit: usize },
    WrongName { point: String, target: String, off: f64, better: Option<String> },
}

impl From<&GridMap> for Map {
    fn from(m: &GridMap) -> Self {
        Self {
            origin: m.origin.into(),
            linear: rows9(&m.linear),
            quadratic: m.quadratic.map(|q| rows9(&q)),
            factors: m.factors.map(|f| [f.point_scale, f.height_factor, f.convergence]),
            output: m.output.into(),
        }
    }
}

impl From<&Map> for GridMap {
    fn from(m: &Map) -> Self {
        Self {
            origin: Vec3::from(m.origin),
            linear: super::mat3(&m.linear),
            quadratic: m.quadratic.map(|q| super::mat3(&q)),
            factors: m.factors.map(|[point_scale, height_factor, convergence]| GridFactors {
                point_scale,
                height_factor,
                convergence,
            }),
            output: Output::from(m.output),
        }
    }
}

impl Georeferencing {
    /// Nothing, in a system of its own.
    fn empty() -> Self {
        Self {
            version: VERSION,
            model: Model::Levelled,
            source: Source::Own,
            map: (&GridMap::local(Vec3::zeros())).into(),
            epsg: None,
            scale: 1.0,
            scale_sigma: 0.0,
            parameter_sigma: [0.0; 7],
            stations: Vec::new(),
            targets: Vec::new(),
            residuals: Vec::new(),
            checks: Checks { p_value: 1.0, ..Checks::default() },
            unmatched: Vec::new(),
            sum: 0.0,
            dof: 0,
            global_p: 1.0,
            variance: [1.0, 1.0, 1.0, 1.0],
            weaknesses: Vec::new(),
            surfaces: Vec::new(),
        }
    }

    /// A block of no scan, held by what passes stood on.
    pub(crate) fn of_walks(
        map: &GridMap,
        epsg: Option<u16>,
        [held, compared]: [&CheckReport; 2],
        point: &dyn Fn(usize) -> (Uuid, String, String),
        weaknesses: Vec<Weakness>,
    ) -> Self {
        let residual = |r: &core::PointResidual, from: Option<f64>| {
            let (control, name, target) = point(r.control);
            PointResidual { from_control: from, ..residual(r, (control, name), target, Pairing::Hand) }
        };
        let fitted = |c: &CheckReport, own: bool| {
            let of = |p: &core::CheckPoint| {
                Some(residual(p.fit.as_ref()?, Some(p.from_control).filter(|f| own && f.is_finite())))
            };
            c.points.iter().filter_map(of).collect()
        };
        let missing = compared.points.iter().filter(|p| p.fit.is_none()).map(|p| point(p.control).1).collect();
        Self {
            source: Source::Walked,
            model: Model::Levelled,
            map: map.into(),
            epsg,
            residuals: fitted(held, false),
            checks: summary(compared, fitted(compared, true), missing),
            weaknesses,
            ..Self::empty()
        }
    }

    /// Control put it where it is.
    pub(crate) fn by_control(&self) -> bool {
        self.source != Source::Own
    }

    /// Where a scan is in the local frame, with the map from there to the grid.
    pub(crate) fn local_pose(&self, scan: Uuid) -> Option<Pose> {
        self.stations.iter().find(|s| s.scan == scan).map(|s| Pose::from(&s.local))
    }
}

/// Names for indices of the core.
pub(crate) struct Names<'a> {
    pub control: &'a [(Uuid, String)],
    pub targets: &'a [String],
}

pub(crate) fn mistake(m: &core::Mistake, names: &Names<'_>) -> Mistake {
    match m {
        core::Mistake::Swapped { then, now } => Mistake::Swapped { then: *then, now: *now },
        core::Mistake::Unit { factor, then, now } => Mistake::Unit { factor: *factor, then: *then, now: *now },
        core::Mistake::NoHeights { fit } => Mistake::NoHeights { fit: *fit },
        core::Mistake::WrongName { control, target, off, better } => Mistake::WrongName {
            point: names.control[*control].1.clone(),
            target: names.targets[*target].clone(),
            off: *off,
            better: better.map(|b| names.targets[b].clone()),
        },
    }
}

pub(crate) fn weakness(w: &core::Weakness, names: &Names<'_>) -> Weakness {
    let point = |k: &usize| names.control[*k].1.clone();
    match w {
        core::Weakness::OutsideControl(outside, of) => Weakness::OutsideControl { outside: *outside, of: *of },
        core::Weakness::ControlInLine => Weakness::ControlInLine,
        core::Weakness::NoChecks => Weakness::NoChecks,
        core::Weakness::Scale(scale, sigma) => Weakness::Scale { scale: *scale, sigma: *sigma },
        core::Weakness::ControlOff { control, off, p } => {
            Weakness::ControlOff { point: point(control), off: *off, p: *p }
        }
        core::Weakness::FitPoor(p) => Weakness::FitPoor { p: *p },
        core::Weakness::CheckOff { control, off, p } => Weakness::CheckOff { point: point(control), off: *off, p: *p },
        core::Weakness::CheckMissing(control) => Weakness::CheckMissing { point: point(control) },
        core::Weakness::Correlated(a, b, r) => Weakness::Correlated { a: *a, b: *b, r: *r },
        core::Weakness::NoFactor => Weakness::NoFactor,
        core::Weakness::Mistake(m) => Weakness::Mistake { mistake: mistake(m, names) },
    }
}

fn of_target(r: &core::PointResidual, g: &core::Georeferenced, names: &Names<'_>) -> PointResidual {
    let target = g.control[r.control].target.map_or_else(String::new, |t| names.targets[t].clone());
    residual(r, names.control[r.control].clone(), target, g.pairing.pairing[r.control].into())
}

fn residual(
    r: &core::PointResidual,
    (control, name): (Uuid, String),
    target: String,
    pairing: Pairing,
) -> PointResidual {
    PointResidual {
        control,
        name,
        target,
        pairing,
        residual: r.residual.into(),
        expected: r.expected.into(),
        statistic: r.statistic,
        dof: r.dof,
        p_value: r.p_value,
        p_family: r.p_family,
        detectable: r.detectable.is_finite().then_some(r.detectable),
        from_control: None,
    }
}

/// A georeferenced block of the core as it is stored.
pub(crate) fn store(
    g: &core::Georeferenced,
    block: &super::registration::Registration,
    names: &Names<'_>,
    epsg: Option<u16>,
) -> Georeferencing {
    let v = &g.free.variance;
    Georeferencing {
        version: VERSION,
        model: g.free.model.into(),
        source: g.source.into(),
        map: (&g.map).into(),
        epsg,
        scale: g.free.fit.scale,
        scale_sigma: if g.free.model == FitModel::Similarity { g.free.parameter_sigma[6] } else { 0.0 },
        parameter_sigma: g.free.parameter_sigma,
        stations: stations(g, block),
        targets: targets(g, block),
        residuals: g.free.residuals.iter().map(|r| of_target(r, g, names)).collect(),
        checks: checks(g, names),
        unmatched: g
            .control
            .iter()
            .zip(names.control)
            .filter(|(c, _)| c.target.is_none())
            .map(|(_, n)| n.1.clone())
            .collect(),
        sum: g.free.sum,
        dof: g.free.dof,
        global_p: g.free.global_p,
        variance: [v.estimate, v.interval.0, v.interval.1, v.applied],
        weaknesses: g.weaknesses.iter().map(|w| weakness(w, names)).collect(),
        surfaces: Vec::new(),
    }
}

/// A block that no control holds, in the system that it was adjusted in: what was adjusted is what is handed over.
pub(crate) fn in_own_system(s: &Solution, block: &super::registration::Registration) -> Georeferencing {
    let levelled = block.groups.contains(&super::Group::Levelling);
    let stations = block.scans.iter().enumerate().map(|(k, scan)| Station {
        scan: scan.id,
        name: scan.name.clone(),
        local: (&s.poses[k]).into(),
        grid: (&s.poses[k]).into(),
        covariance: s.pose_covariance(k).transpose().iter().copied().collect(),
        targets: scan.targets,
    });
    let targets = block.targets.iter().enumerate().map(|(k, t)| Target {
        name: t.name.clone(),
        kind: t.kind,
        position: s.targets[k].into(),
        covariance: rows9(&s.target_covariance(k)),
        scans: t.scans,
        used: t.scans > 1 || t.named,
        budget: shares(&s.target_budget(k)),
        difference: None,
    });
    Georeferencing {
        model: if levelled { Model::Levelled } else { Model::Rigid },
        stations: stations.collect(),
        targets: targets.collect(),
        ..Georeferencing::empty()
    }
}

fn stations(g: &core::Georeferenced, block: &super::registration::Registration) -> Vec<Station> {
    block
        .scans
        .iter()
        .enumerate()
        .map(|(k, s)| Station {
            scan: s.id,
            name: s.name.clone(),
            local: (&g.poses[k]).into(),
            grid: (&g.map.pose(&g.poses[k])).into(),
            covariance: g.pose_covariances[k].transpose().iter().copied().collect(),
            targets: s.targets,
        })
        .collect()
}

fn targets(g: &core::Georeferenced, block: &super::registration::Registration) -> Vec<Target> {
    let controlled: Vec<usize> = g.control.iter().filter_map(|c| c.target).collect();
    block
        .targets
        .iter()
        .enumerate()
        .map(|(k, t)| Target {
            name: t.name.clone(),
            kind: t.kind,
            position: g.target(k).into(),
            covariance: rows9(&g.target_covariances[k]),
            scans: t.scans,
            used: t.scans > 1 || t.named || controlled.contains(&k),
            budget: shares(&g.budgets[k]),
            difference: g.differences.get(k).map(|d| (*d).into()),
        })
        .collect()
}

fn checks(g: &core::Georeferenced, names: &Names<'_>) -> Checks {
    let checks = &g.checks;
    let points = checks.points.iter().filter_map(|c| {
        let r = of_target(c.fit.as_ref()?, g, names);
        Some(PointResidual { from_control: c.from_control.is_finite().then_some(c.from_control), ..r })
    });
    let missing = checks.points.iter().filter(|c| c.fit.is_none()).map(|c| names.control[c.control].1.clone());
    summary(checks, points.collect(), missing.collect())
}

fn summary(checks: &CheckReport, points: Vec<PointResidual>, missing: Vec<String>) -> Checks {
    Checks {
        points,
        missing,
        rmse: checks.rmse.into(),
        horizontal: checks.horizontal,
        spatial: checks.spatial,
        bound: checks.bound,
        bias: checks.bias.into(),
        bias95: checks.bias95.into(),
        effective_dof: checks.effective_dof,
        quadrants: checks.quadrants,
        p_value: checks.p_value,
    }
}

/// A covariance of 6 × 6 as it is stored: its part of the position.
pub(crate) fn position(covariance: &[f64]) -> Mat3 {
    Mat3::from_fn(|i, j| covariance.get(6 * i + j).copied().unwrap_or(0.0))
}
