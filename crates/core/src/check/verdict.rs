use crate::geometry::Vec3;
use crate::stats::chi2_quantile;

/// What the client asked for. Lengths in metres; `None` where nothing was asked.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Requirement {
    /// Limit of the 95 % horizontal error at every target.
    pub horizontal95: Option<f64>,
    /// Limit of the 95 % vertical error at every target.
    pub vertical95: Option<f64>,
    /// Limit of the 95 % error in space at every target.
    pub spatial95: Option<f64>,
    /// Limit of the root mean square distance at check points.
    pub check_rmse: Option<f64>,
}

/// The answer to one requirement.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Verdict {
    /// Shown to be within the limit.
    Met,
    /// Shown to be beyond the limit.
    NotMet,
    /// The evidence does not decide.
    NotShown,
}

/// One row of the verdict.
#[derive(Clone, Debug, PartialEq)]
pub struct VerdictRow {
    /// What is required, metres.
    pub required: f64,
    /// What the plan predicted, metres.
    pub predicted: Option<f64>,
    /// What was achieved, metres.
    pub achieved: Option<f64>,
    /// Upper end of a 95 % statement about the achieved figure, metres, where there is one.
    pub bound: Option<f64>,
    /// What it rests on, in words.
    pub evidence: String,
    /// Answer.
    pub verdict: Verdict,
}

/// A row for a limit on 95 % errors at targets. `achieved` holds the names and figures in metres;
/// the worst decides.
pub fn limit_row(required: f64, predicted: Option<f64>, achieved: &[(String, f64)]) -> VerdictRow {
    let worst = achieved.iter().max_by(|a, b| a.1.total_cmp(&b.1));
    let within = achieved.iter().filter(|a| a.1 <= required).count();
    let (verdict, evidence) = match worst {
        None => (Verdict::NotShown, "no adjusted block on the grid yet".to_owned()),
        Some((name, value)) => (
            if *value <= required { Verdict::Met } else { Verdict::NotMet },
            format!("adjustment and control: {within} of {} targets within the limit, worst at {name}", achieved.len()),
        ),
    };
    VerdictRow { required, predicted, achieved: worst.map(|w| w.1), bound: None, evidence, verdict }
}

/// A row for the limit at check points, from their residual vectors in metres.
///
/// With few points the root mean square itself is uncertain. Its 95 % upper bound follows from χ²
/// with three degrees of freedom a point; the limit is *met* only when that bound is within it,
/// *not met* when the figure itself is beyond, and otherwise *not shown*.
pub fn check_point_row(required: f64, predicted: Option<f64>, residuals: &[Vec3]) -> VerdictRow {
    let n = residuals.len();
    if n == 0 {
        return VerdictRow {
            required,
            predicted,
            achieved: None,
            bound: None,
            evidence: "no check points: set some control aside as check, or measure points that are not used to fit"
                .into(),
            verdict: Verdict::NotShown,
        };
    }
    let square: f64 = residuals.iter().map(Vec3::norm_squared).sum();
    let rmse = (square / n as f64).sqrt();
    let dof = 3 * n;
    let bound = rmse * (dof as f64 / chi2_quantile(0.05, dof)).sqrt();
    let verdict = if rmse > required {
        Verdict::NotMet
    } else if bound <= required {
        Verdict::Met
    } else {
        Verdict::NotShown
    };
    let more = if verdict == Verdict::NotShown { "; more check points would decide" } else { "" };
    VerdictRow {
        required,
        predicted,
        achieved: Some(rmse),
        bound: Some(bound),
        evidence: format!("{n} check point{}, not used to fit{more}", if n == 1 { "" } else { "s" }),
        verdict,
    }
}

/// A row for the spacing on required surfaces, from areas in m²: seen at the required spacing, and
/// asked for. Met when at least 95 % of the area has it.
pub fn spacing_row(required: f64, predicted_share: Option<f64>, achieved: Option<(f64, f64, f64)>) -> VerdictRow {
    let predicted_words = predicted_share.map_or(String::new(), |p| format!("; the plan said {:.0} %", p * 100.0));
    match achieved {
        Some((within, total, typical)) if total > 0.0 => {
            let share = within / total;
            VerdictRow {
                required,
                predicted: None,
                achieved: Some(typical),
                bound: None,
                evidence: format!(
                    "{:.0} % of {total:.0} m² has this spacing or better (95 % is asked for){predicted_words}",
                    share * 100.0
                ),
                verdict: if share >= 0.95 { Verdict::Met } else { Verdict::NotMet },
            }
        }
        _ => VerdictRow {
            required,
            predicted: None,
            achieved: None,
            bound: None,
            evidence: format!("not measured yet: run the spacing check on the georeferenced scans{predicted_words}"),
            verdict: Verdict::NotShown,
        },
    }
}
