use super::predict::{Design, PlannedKind, Prediction};
use crate::geometry::Vec3;

/// Most control points proposed: more make a fit safer, but each has to be surveyed.
const MOST: usize = 5;

/// Which targets to survey.
#[derive(Clone, Debug, Default, PartialEq, Eq)]
pub struct Control {
    /// To be used in the fit (indices).
    pub fit: Vec<usize>,
    /// To be held back as checks (indices).
    pub check: Vec<usize>,
}

/// Chooses among the targets that will be measured those whose survey holds the whole site: the two
/// farthest apart, the one farthest from their line, then always the one farthest from all chosen. Of
/// what is left those farthest from the control are held back, where the fit shows least by itself.
///
/// Empty when fewer than three targets are measured by two stations.
pub fn propose_control(design: &Design<'_>, prediction: &Prediction) -> Control {
    let at = |t: usize| design.targets[t].position;
    let times = |t: usize| prediction.sightings.iter().filter(|s| s.iter().any(|x| x.target == t)).count();
    let least = |t: usize| if design.targets[t].kind == PlannedKind::Mark { 1 } else { 2 };
    let mut free: Vec<usize> = (0..design.targets.len()).filter(|&t| times(t) >= least(t)).collect();
    if free.len() < 3 {
        return Control::default();
    }
    let checks = match free.len() {
        3 => 0,
        4..=6 => 1,
        _ => 2,
    };
    let wanted = (free.len() - checks).min(MOST);
    let mut out = Control::default();
    let pairs = free.iter().flat_map(|&a| free.iter().map(move |&b| (a, b)));
    let apart = |p: &(usize, usize)| (at(p.0) - at(p.1)).xy().norm();
    let Some((a, b)) = pairs.max_by(|p, q| apart(p).total_cmp(&apart(q))) else { return out };
    let along = (at(b) - at(a)).xy().try_normalize(1e-9).unwrap_or_default();
    let off = |t: usize| {
        let d = (at(t) - at(a)).xy();
        (d - along * d.dot(&along)).norm()
    };
    let take = |free: &mut Vec<usize>, t: usize| {
        free.retain(|f| *f != t);
        t
    };
    for t in [a, b] {
        out.fit.push(take(&mut free, t));
    }
    if let Some(third) = free.iter().copied().max_by(|p, q| off(*p).total_cmp(&off(*q))) {
        out.fit.push(take(&mut free, third));
    }
    let nearest =
        |t: usize, chosen: &[usize]| chosen.iter().map(|&c| Vec3::norm(&(at(c) - at(t)))).fold(f64::INFINITY, f64::min);
    let farthest = |free: &[usize], chosen: &[usize]| {
        free.iter().copied().max_by(|p, q| nearest(*p, chosen).total_cmp(&nearest(*q, chosen)))
    };
    while out.fit.len() < wanted {
        let Some(t) = farthest(&free, &out.fit) else { break };
        out.fit.push(take(&mut free, t));
    }
    while out.check.len() < checks {
        let chosen: Vec<usize> = out.fit.iter().chain(&out.check).copied().collect();
        let Some(t) = farthest(&free, &chosen) else { break };
        out.check.push(take(&mut free, t));
    }
    out
}
