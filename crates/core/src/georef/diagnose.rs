use super::control::ControlPoint;
use super::free_fit::FreeFit;
use super::matching::{Candidate, Pairing, match_control};
use crate::geometry::{FitModel, Vec3, fit};
use crate::units::LengthUnit;

/// A mistake with control that would explain why it does not fit.
#[derive(Clone, Debug, PartialEq)]
pub enum Mistake {
    /// Easting and northing are swapped: so many points fit then, and as given.
    Swapped {
        /// Points that fit when swapped.
        then: usize,
        /// Points that fit as given.
        now: usize,
    },
    /// The file is in another unit than was said: metres in one of it over metres in one of that.
    Unit {
        /// Lengths have to be multiplied by this.
        factor: f64,
        /// Points that fit then.
        then: usize,
        /// Points that fit as given.
        now: usize,
    },
    /// Plan coordinates fit, heights are all the same or missing.
    NoHeights {
        /// Points whose plan coordinates fit.
        fit: usize,
    },
    /// A point has the name of a target that lies elsewhere.
    WrongName {
        /// Index of the control point.
        control: usize,
        /// Target it is named after.
        target: usize,
        /// How far that lies from it, metres.
        off: f64,
        /// Target that lies there, when one does.
        better: Option<usize>,
    },
}

/// Which common mistakes would explain that control does not fit. For any number of points: names are
/// made use of where there are too few for their layout to speak.
pub fn diagnose(control: &[ControlPoint], targets: &[Candidate], levelled: bool) -> Vec<Mistake> {
    let mut out = Vec::new();
    let n = control.len();
    let matched = match_control(control, targets, levelled);
    let counted = |m: &super::ControlMatch| {
        m.pairing.iter().filter(|p| matches!(p, Pairing::Name | Pairing::Geometry | Pairing::Hand)).count()
    };
    let now = counted(&matched);
    for &(control, target, off) in &matched.misnamed {
        let better = matched.targets[control].filter(|t| *t != target);
        out.push(Mistake::WrongName { control, target, off, better });
    }
    if now == n && n > 0 && matched.misnamed.is_empty() {
        return out;
    }
    let changed = |f: &dyn Fn(&Vec3) -> Vec3| -> Vec<ControlPoint> {
        control.iter().map(|c| ControlPoint { position: f(&c.position), ..c.clone() }).collect()
    };
    let wanted = (now + 1).max(3);
    let swapped = counted(&match_control(&changed(&|p| Vec3::new(p.y, p.x, p.z)), targets, levelled));
    if swapped >= wanted {
        out.push(Mistake::Swapped { then: swapped, now });
        return out;
    }
    let foot = LengthUnit::InternationalFoot.metres();
    for factor in [foot, 1.0 / foot] {
        let then = counted(&match_control(&changed(&|p| p * factor), targets, levelled));
        if then >= wanted {
            out.push(Mistake::Unit { factor, then, now });
            return out;
        }
    }
    if let Some(factor) = named_scale(control, targets) {
        out.push(Mistake::Unit { factor, then: n, now });
    }
    if let Some(fit) = plan_only(control, targets) {
        out.push(Mistake::NoHeights { fit });
    }
    out
}

/// Points that bear names of targets: the scale between the two, when it is that of a foot and a metre.
fn named_scale(control: &[ControlPoint], targets: &[Candidate]) -> Option<f64> {
    let pairs = by_name(control, targets);
    let spread = |f: &dyn Fn(&(usize, usize)) -> Vec3| -> f64 {
        let all: Vec<Vec3> = pairs.iter().map(f).collect();
        all.iter().enumerate().flat_map(|(k, p)| all[k + 1..].iter().map(move |q| (p - q).xy().norm())).sum()
    };
    let (known, measured) = (spread(&|p| control[p.0].position), spread(&|p| targets[p.1].position));
    let ratio = measured / known;
    let foot = LengthUnit::InternationalFoot.metres();
    [foot, 1.0 / foot].into_iter().find(|f| (ratio / f - 1.0).abs() < 0.01)
}

/// How many plan coordinates fit when heights are left aside, if the given heights are all one.
fn plan_only(control: &[ControlPoint], targets: &[Candidate]) -> Option<usize> {
    let heights: Vec<f64> = control.iter().filter(|c| c.has_height()).map(|c| c.position.z).collect();
    let first = *heights.first()?;
    if heights.len() < 2 || heights.iter().any(|h| (h - first).abs() > 1e-6) {
        return None;
    }
    let pairs = by_name(control, targets);
    let flat = |p: Vec3| Vec3::new(p.x, p.y, 0.0);
    let (to, from): (Vec<Vec3>, Vec<Vec3>) =
        pairs.iter().map(|p| (flat(control[p.0].position), flat(targets[p.1].position))).unzip();
    let spread = targets.iter().map(|t| t.position.z).fold((f64::MAX, f64::MIN), |a, z| (a.0.min(z), a.1.max(z)));
    if pairs.len() >= 2 && fit(FitModel::Levelled, &from, &to).is_some_and(|f| f.rms < 0.05) {
        return Some(pairs.len());
    }
    (spread.1 - spread.0 > 0.05).then_some(0)
}

fn by_name(control: &[ControlPoint], targets: &[Candidate]) -> Vec<(usize, usize)> {
    let key = |s: &str| s.trim().to_lowercase();
    control
        .iter()
        .enumerate()
        .filter(|(_, c)| c.has_plan())
        .filter_map(|(i, c)| Some((i, targets.iter().position(|t| key(&t.name) == key(&c.name))?)))
        .collect()
}

/// A weakness of a fit.
#[derive(Clone, Debug, PartialEq)]
pub enum Weakness {
    /// Targets outside the area that control holds: how many, of how many.
    OutsideControl(usize, usize),
    /// Control lies almost in a line: the turn about it is weak.
    ControlInLine,
    /// No check points.
    NoChecks,
    /// The fitted scale differs from 1 more than its σ explains: scale and its σ.
    Scale(f64, f64),
    /// A control point does not fit the others.
    ControlOff {
        /// Index of the control point.
        control: usize,
        /// How far off, metres.
        off: f64,
        /// Chance, corrected for the number of points.
        p: f64,
    },
    /// The fit as a whole is worse than the stated σ explain.
    FitPoor(f64),
    /// A check point is farther off than everything stated explains.
    CheckOff {
        /// Index of the control point.
        control: usize,
        /// How far off, metres.
        off: f64,
        /// Chance, corrected for the number of points.
        p: f64,
    },
    /// A check point fits no target.
    CheckMissing(usize),
    /// Parameters that are hard to tell apart: their correlation.
    Correlated(usize, usize, f64),
    /// The usual combined factor of the grid is not known: coordinates are those of a scale of one.
    NoFactor,
    /// A mistake that would explain a misfit.
    Mistake(Mistake),
}

/// Risk at which a control or check point is said not to fit, over all points together.
pub(super) const RISK: f64 = 0.01;

/// Weaknesses of a fit and its control.
pub(super) fn weaknesses(free: &FreeFit, control: &[ControlPoint]) -> Vec<Weakness> {
    let mut out = Vec::new();
    let used: Vec<Vec3> =
        free.residuals.iter().map(|r| &control[r.control]).filter(|c| c.has_plan()).map(|c| c.position).collect();
    let centre = used.iter().sum::<Vec3>() / used.len().max(1) as f64;
    let outside = free.targets.iter().filter(|t| outside_hull(&used, t)).count();
    if outside > 0 {
        out.push(Weakness::OutsideControl(outside, free.targets.len()));
    }
    let scatter: nalgebra::Matrix2<f64> = used.iter().map(|p| (p - centre).xy() * (p - centre).xy().transpose()).sum();
    let e = scatter.symmetric_eigenvalues();
    if e.min().max(0.0).sqrt() < 0.08 * e.max().sqrt() {
        out.push(Weakness::ControlInLine);
    }
    if control.iter().all(|c| !c.check) {
        out.push(Weakness::NoChecks);
    }
    if free.model == FitModel::Similarity && (free.fit.scale - 1.0).abs() > 3.0 * free.parameter_sigma[6] {
        out.push(Weakness::Scale(free.fit.scale, free.parameter_sigma[6]));
    }
    if free.correlation.2.abs() > 0.95 {
        out.push(Weakness::Correlated(free.correlation.0, free.correlation.1, free.correlation.2));
    }
    let worst = free.residuals.iter().filter(|r| r.p_family < RISK).max_by(|a, b| a.statistic.total_cmp(&b.statistic));
    if let Some(r) = worst {
        out.push(Weakness::ControlOff { control: r.control, off: r.residual.norm(), p: r.p_family });
    } else if free.global_p < 0.001 {
        out.push(Weakness::FitPoor(free.global_p));
    }
    out
}

/// Whether a place lies outside the convex hull of control by more than a tenth of its extent.
fn outside_hull(control: &[Vec3], place: &Vec3) -> bool {
    let extent = control.iter().flat_map(|p| control.iter().map(move |q| (p - q).xy().norm())).fold(0.0, f64::max);
    // outside when some direction has all control on one side, with the margin
    (0..72).any(|k| {
        let (s, c) = (f64::from(k) * std::f64::consts::TAU / 72.0).sin_cos();
        let along = |p: &Vec3| c * p.x + s * p.y;
        let edge = control.iter().map(along).fold(f64::NEG_INFINITY, f64::max);
        along(place) > edge + 0.1 * extent
    })
}
