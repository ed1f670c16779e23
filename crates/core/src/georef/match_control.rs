use crate::geometry::{Mat3, Vec3};
use crate::register::{MatchOptions, Matched, match_points};

/// How control was paired with targets.
#[derive(Clone, Debug, Default)]
pub struct ControlMatch {
    /// For each control point, the target that it is.
    pub targets: Vec<Option<usize>>,
    /// Which were paired by name; the rest of the pairs by geometry.
    pub by_name: Vec<bool>,
    /// The geometry fits in more than one way: names are needed.
    pub ambiguous: bool,
}

/// Pairs control points with targets of the block: by geometry, with equal names taken first.
///
/// `control` holds names, grid positions and σ (metres); `targets` holds names, block positions
/// and covariances. Names are compared without case and surrounding space.
pub fn match_control(
    control: &[(String, Vec3, Vec3)],
    targets: &[(String, Vec3, Mat3)],
    levelled: bool,
) -> ControlMatch {
    let key = |s: &str| s.trim().to_lowercase();
    let mut out =
        ControlMatch { targets: vec![None; control.len()], by_name: vec![false; control.len()], ambiguous: false };
    for (i, c) in control.iter().enumerate() {
        if let Some(t) = targets.iter().position(|t| key(&t.0) == key(&c.0)) {
            out.targets[i] = Some(t);
            out.by_name[i] = true;
        }
    }
    if out.targets.iter().all(Option::is_some) {
        return out;
    }
    // work about the first control point, so that large coordinates keep their digits
    let origin = control.first().map_or(Vec3::zeros(), |c| c.1);
    let a: Vec<Matched> = control
        .iter()
        .map(|c| Matched {
            position: c.1 - origin,
            covariance: Mat3::from_diagonal(&c.2.component_mul(&c.2)),
            kind: None,
        })
        .collect();
    let b: Vec<Matched> = targets.iter().map(|t| Matched { position: t.1, covariance: t.2, kind: None }).collect();
    let options = MatchOptions { levelled, slack: 0.02, ..MatchOptions::default() };
    if let Some(m) = match_points(&a, &b, &options) {
        out.ambiguous = m.ambiguous;
        if !m.ambiguous {
            for (i, t) in m.pairs {
                if out.targets[i].is_none() && !out.targets.contains(&Some(t)) {
                    out.targets[i] = Some(t);
                }
            }
        }
    }
    out
}
