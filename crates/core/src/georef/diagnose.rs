use super::match_control::match_control;
use super::transform::{ControlPoint, Georeferenced};
use crate::geometry::{FitModel, Mat3, Vec3};
use crate::units::LengthUnit;

/// When control does not fit the block, tries the mistakes that are made most and names the one
/// that would explain it: northing and easting swapped, or feet taken as metres.
///
/// Arguments as for [`match_control`]. Returns a sentence, or `None` when no such mistake helps.
pub fn diagnose(control: &[(String, Vec3, Vec3)], targets: &[(String, Vec3, Mat3)], levelled: bool) -> Option<String> {
    let matched = |change: &dyn Fn(&Vec3) -> Vec3| {
        let unnamed: Vec<_> = control.iter().map(|c| (format!("\u{0}{}", c.0), change(&c.1), c.2)).collect();
        match_control(&unnamed, targets, levelled).targets.iter().flatten().count()
    };
    let as_given = matched(&|p| *p);
    let wanted = (as_given + 1).max(3);
    let n = control.len();
    if matched(&|p| Vec3::new(p.y, p.x, p.z)) >= wanted {
        return Some(format!(
            "with easting and northing swapped, {} of {n} control points fit the targets; as given, {as_given}. The columns are probably N, E, H",
            matched(&|p| Vec3::new(p.y, p.x, p.z))
        ));
    }
    let foot = LengthUnit::InternationalFoot.metres();
    for (factor, words) in [
        (foot, "The file is probably in feet and was read as metres"),
        (1.0 / foot, "The file is probably in metres and was read as feet"),
    ] {
        let hits = matched(&|p| p * factor);
        if hits >= wanted {
            return Some(format!(
                "scaled by {factor:.4}, {hits} of {n} control points fit the targets; as given, {as_given}. {words}"
            ));
        }
    }
    None
}

/// Weaknesses of a fit, in words.
pub(super) fn warnings(g: &Georeferenced, control: &[ControlPoint]) -> Vec<String> {
    let mut out = Vec::new();
    let used: Vec<Vec3> = g.residuals.iter().map(|r| control[r.control].position).collect();
    let n = used.len() as f64;
    let centre = used.iter().sum::<Vec3>() / n;
    let reach = used.iter().map(|p| (p - centre).xy().norm()).fold(0.0, f64::max);
    let outside = g.targets.iter().filter(|t| (*t - centre).xy().norm() > 1.3 * reach).count();
    if outside > 0 {
        out.push(format!(
            "{outside} of {} targets lie outside the area held by control: the error grows there without being checked",
            g.targets.len()
        ));
    }
    let scatter: nalgebra::Matrix2<f64> = used.iter().map(|p| (p - centre).xy() * (p - centre).xy().transpose()).sum();
    let e = scatter.symmetric_eigenvalues();
    if e.min().max(0.0).sqrt() < 0.08 * e.max().sqrt() {
        out.push("control lies almost in a line: the turn about it is weak".into());
    }
    if g.checks.is_empty() {
        out.push("no check points: all control is used to fit and nothing shows the accuracy independently".into());
    }
    if g.model == FitModel::Similarity && (g.fit.scale - 1.0).abs() > 3.0 * g.scale_sigma {
        out.push(format!(
            "scale {:.6} differs from 1 by {:.0} ppm, more than its uncertainty of {:.0} ppm (95 %) explains: a unit, a grid factor or a wrong point",
            g.fit.scale, (g.fit.scale - 1.0) * 1e6, g.scale_sigma * 1.96e6
        ));
    }
    if let Some(worst) =
        g.residuals.iter().filter(|r| r.p_value < 0.001).max_by(|a, b| a.statistic.total_cmp(&b.statistic))
    {
        out.push(format!(
            "control point {} does not fit the others (p = {:.5})",
            control[worst.control].name, worst.p_value
        ));
    }
    out
}
