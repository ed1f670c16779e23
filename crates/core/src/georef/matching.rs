use super::control::ControlPoint;
use crate::geometry::{Fit, FitModel, Mat3, Vec3, fit};
use crate::tie::{MatchOptions, Matched, match_points};

/// How a control point came to its target.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Pairing {
    /// By hand.
    Hand,
    /// By name, and the geometry agrees.
    Name,
    /// By geometry.
    Geometry,
    /// Not paired.
    None,
    /// By name, against the geometry: a check point that is compared with what it is named after.
    NameOnly,
}

/// How control was paired with targets.
#[derive(Clone, Debug, Default)]
pub struct ControlMatch {
    /// For each control point, the target that it is.
    pub targets: Vec<Option<usize>>,
    /// How each came to it.
    pub pairing: Vec<Pairing>,
    /// Control points whose name is that of a target which lies elsewhere: control, target, distance in
    /// metres.
    pub misnamed: Vec<(usize, usize, f64)>,
    /// The geometry fits in more than one way: names are needed.
    pub ambiguous: bool,
}

/// A target as control is paired with it.
#[derive(Clone, Debug)]
pub struct Candidate {
    /// Name.
    pub name: String,
    /// Block position, metres.
    pub position: Vec3,
    /// Covariance, m².
    pub covariance: Mat3,
}

/// A check point is compared with a target this near, metres, however badly it fits: a check is never
/// left out because it is bad.
const CHECK_REACH: f64 = 0.5;
/// What a control point may be off besides its σ and still be paired, metres: the fit names it then.
const SLACK: f64 = 0.02;

/// Pairs control points with targets of the block: names where the geometry agrees with them, else by
/// geometry. Hand-made pairs ([`ControlPoint::target`]) stand.
///
/// Positions of control are in a frame of true metres.
pub fn match_control(control: &[ControlPoint], targets: &[Candidate], levelled: bool) -> ControlMatch {
    let key = |s: &str| s.trim().to_lowercase();
    let n = control.len();
    let mut out = ControlMatch { targets: vec![None; n], pairing: vec![Pairing::None; n], ..ControlMatch::default() };
    let named: Vec<Option<usize>> = control
        .iter()
        .map(|c| c.target.or_else(|| targets.iter().position(|t| key(&t.name) == key(&c.name))))
        .collect();
    let model = if levelled { FitModel::Levelled } else { FitModel::Rigid };
    let seed = seed(control, targets, &named, levelled, &mut out.ambiguous);
    let placed = seed.as_ref().and_then(|pairs| {
        let full: Vec<_> = pairs.iter().filter(|p| control[p.0].has_plan() && control[p.0].has_height()).collect();
        let to: Vec<Vec3> = full.iter().map(|p| control[p.0].position).collect();
        let from: Vec<Vec3> = full.iter().map(|p| targets[p.1].position).collect();
        fit(model, &from, &to)
    });
    for (i, c) in control.iter().enumerate() {
        if let Some(t) = c.target {
            out.targets[i] = Some(t);
            out.pairing[i] = Pairing::Hand;
        }
    }
    let Some(placed) = placed else {
        // nothing to verify by: names alone
        for i in 0..n {
            if out.targets[i].is_none() && named[i].is_some() {
                (out.targets[i], out.pairing[i]) = (named[i], Pairing::NameOnly);
            }
        }
        return out;
    };
    by_name(control, targets, &named, &placed, &mut out);
    by_place(control, targets, &placed, &mut out);
    for (i, c) in control.iter().enumerate() {
        // a check that fits nothing is compared with what it is named after
        if c.check && out.targets[i].is_none() && named[i].is_some() {
            (out.targets[i], out.pairing[i]) = (named[i], Pairing::NameOnly);
        }
    }
    out
}

/// Distance of a control point from a target in the coordinates that it has, and how far it may be.
fn off(c: &ControlPoint, t: &Candidate, placed: &Fit) -> (f64, f64) {
    let d = placed.apply(&t.position) - c.position;
    let parts = [(c.has_plan(), d.xy().norm()), (c.has_height(), d.z.abs())];
    let size = parts.iter().filter(|p| p.0).map(|p| p.1 * p.1).sum::<f64>().sqrt();
    let sigma: f64 = c.sigma.iter().filter(|s| **s < 100.0).map(|s| s * s).sum::<f64>() + t.covariance.trace();
    (size, 4.0 * sigma.sqrt() + SLACK)
}

fn by_name(
    control: &[ControlPoint],
    targets: &[Candidate],
    named: &[Option<usize>],
    placed: &Fit,
    out: &mut ControlMatch,
) {
    for (i, c) in control.iter().enumerate() {
        let Some(t) = named[i].filter(|_| c.target.is_none()) else { continue };
        let (size, may) = off(c, &targets[t], placed);
        let agrees = size < may.max(if c.check { CHECK_REACH } else { 5.0 * SLACK });
        if agrees && !out.targets.contains(&Some(t)) {
            (out.targets[i], out.pairing[i]) = (Some(t), Pairing::Name);
        } else {
            out.misnamed.push((i, t, size));
        }
    }
}

fn by_place(control: &[ControlPoint], targets: &[Candidate], placed: &Fit, out: &mut ControlMatch) {
    for (i, c) in control.iter().enumerate() {
        // a height alone says nothing about where a point is
        if out.targets[i].is_some() || !c.has_plan() {
            continue;
        }
        let free = |t: &usize| !out.targets.contains(&Some(*t));
        let nearest = (0..targets.len())
            .filter(free)
            .map(|t| (off(c, &targets[t], placed), t))
            .min_by(|a, b| a.0.0.total_cmp(&b.0.0));
        if let Some(((size, may), t)) = nearest
            && size < if c.check { CHECK_REACH } else { may.max(5.0 * SLACK) }
        {
            (out.targets[i], out.pairing[i]) = (Some(t), Pairing::Geometry);
        }
    }
}

/// Pairs that agree among themselves and fix the block: made by hand, by name where the distances agree,
/// else by geometry alone. Check points have no say while there is enough without them.
fn seed(
    control: &[ControlPoint],
    targets: &[Candidate],
    named: &[Option<usize>],
    levelled: bool,
    ambiguous: &mut bool,
) -> Option<Vec<(usize, usize)>> {
    let whole = |i: &usize| control[*i].has_plan() && control[*i].has_height();
    let all: Vec<usize> = (0..control.len()).filter(whole).collect();
    let fitting: Vec<usize> = all.iter().copied().filter(|&i| !control[i].check).collect();
    let from = if fitting.len() >= 3 { fitting } else { all };
    let hand: Vec<(usize, usize)> = from.iter().filter_map(|&i| Some((i, control[i].target?))).collect();
    if hand.len() >= 3 {
        return Some(hand);
    }
    let consistent = consistent_names(control, targets, named, &from, levelled);
    if consistent.len() >= 3 {
        return Some(consistent);
    }
    let origin = control[*from.first()?].position;
    let a: Vec<Matched> = from
        .iter()
        .map(|&i| Matched { position: control[i].position - origin, covariance: control[i].covariance(), kind: None })
        .collect();
    let b: Vec<Matched> =
        targets.iter().map(|t| Matched { position: t.position, covariance: t.covariance, kind: None }).collect();
    let options = MatchOptions { levelled, slack: SLACK, ..MatchOptions::default() };
    let found = match_points(&a, &b, &options)?;
    *ambiguous = found.ambiguous;
    (!found.ambiguous).then(|| found.pairs.iter().map(|&(i, t)| (from[i], t)).collect())
}

/// The largest set of pairs by name whose distances agree with one another, grown from every pair.
fn consistent_names(
    control: &[ControlPoint],
    targets: &[Candidate],
    named: &[Option<usize>],
    from: &[usize],
    levelled: bool,
) -> Vec<(usize, usize)> {
    let pairs: Vec<(usize, usize)> = from.iter().filter_map(|&i| Some((i, named[i]?))).collect();
    let model = if levelled { FitModel::Levelled } else { FitModel::Rigid };
    let mut best: Vec<(usize, usize)> = Vec::new();
    // three pairs give a frame; the frame that most others agree with is taken
    let n = pairs.len().min(40);
    for a in 0..n {
        for b in a + 1..n {
            for c in b + 1..n {
                let three = [pairs[a], pairs[b], pairs[c]];
                let to: Vec<Vec3> = three.iter().map(|p| control[p.0].position).collect();
                let source: Vec<Vec3> = three.iter().map(|p| targets[p.1].position).collect();
                let Some(f) = fit(model, &source, &to).filter(|f| f.rms < 5.0 * SLACK) else { continue };
                let agree: Vec<(usize, usize)> = pairs
                    .iter()
                    .copied()
                    .filter(|p| {
                        let (size, may) = off(&control[p.0], &targets[p.1], &f);
                        size < may.max(5.0 * SLACK)
                    })
                    .collect();
                if agree.len() > best.len() {
                    best = agree;
                }
                if best.len() * 4 > 3 * pairs.len() && best.len() > 3 {
                    return best;
                }
            }
        }
    }
    best
}
