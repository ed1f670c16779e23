use super::clique;
use crate::geometry::{Fit, FitModel, Mat3, Vec3, fit};
use crate::targets::TargetKind;

/// A point to be matched: position in its own frame, covariance, and kind when it is known.
#[derive(Clone, Copy, Debug)]
pub struct Matched {
    /// Position, metres.
    pub position: Vec3,
    /// Covariance, m².
    pub covariance: Mat3,
    /// Points of different kinds never match; `None` matches any.
    pub kind: Option<TargetKind>,
}

/// How to match.
#[derive(Clone, Copy, Debug)]
pub struct MatchOptions {
    /// Both sets have a true vertical: height differences must agree as well, and the fit turns
    /// about the vertical only.
    pub levelled: bool,
    /// Distances may differ by this many of their standard deviations.
    pub sigmas: f64,
    /// Allowance on every distance besides its σ, metres: what a target may have shifted and
    /// still be offered to the adjustment, which is the better judge.
    pub slack: f64,
    /// Fewest common points.
    pub least: usize,
}

impl Default for MatchOptions {
    fn default() -> Self {
        Self { levelled: true, sigmas: 4.0, slack: 0.004, least: 3 }
    }
}

/// The outcome of a match.
#[derive(Clone, Debug)]
pub struct Match {
    /// Pairs of indices: into the first set and into the second.
    pub pairs: Vec<(usize, usize)>,
    /// Takes the second set into the frame of the first.
    pub fit: Fit,
    /// A different match explains as many points: this one must not be accepted by itself.
    pub ambiguous: bool,
}

/// Matches two sets of points without names by their mutual distances.
///
/// Vertices of the association graph are possible pairs; two pairs are joined when the distance
/// between their points is the same in both sets within its uncertainty. The largest clique is the
/// largest mutually consistent match (Bailey et al. 2000); it is verified by a rigid fit, which
/// also tells a mirror image from the thing. Returns `None` when no `options.least` points agree.
pub fn match_points(a: &[Matched], b: &[Matched], options: &MatchOptions) -> Option<Match> {
    let same_kind = |x: Option<TargetKind>, y: Option<TargetKind>| x.is_none() || y.is_none() || x == y;
    let vertices: Vec<(usize, usize)> = (0..a.len())
        .flat_map(|i| (0..b.len()).map(move |j| (i, j)))
        .filter(|&(i, j)| same_kind(a[i].kind, b[j].kind))
        .collect();
    let edges = edges(a, b, &vertices, options);
    let cliques = clique::largest(vertices.len(), &edges, options.least, 12, 400_000);
    let model = if options.levelled { FitModel::Levelled } else { FitModel::Rigid };
    let mut verified: Vec<Match> = cliques
        .iter()
        .filter_map(|c| {
            let pairs: Vec<_> = c.iter().map(|&v| vertices[v]).collect();
            let to: Vec<_> = pairs.iter().map(|p| a[p.0].position).collect();
            let from: Vec<_> = pairs.iter().map(|p| b[p.1].position).collect();
            let fit = fit(model, &from, &to)?;
            let fits = pairs.iter().all(|p| {
                let sigma = (a[p.0].covariance + b[p.1].covariance).trace().sqrt();
                (a[p.0].position - fit.apply(&b[p.1].position)).norm() < options.sigmas * sigma + 2.0 * options.slack
            });
            fits.then_some(Match { pairs, fit, ambiguous: false })
        })
        .collect();
    verified.sort_by(|x, y| y.pairs.len().cmp(&x.pairs.len()).then(x.fit.rms.total_cmp(&y.fit.rms)));
    let rival = verified
        .iter()
        .skip(1)
        .any(|m| verified[0].pairs.len() == m.pairs.len() && displacement(&verified[0], m, b) > 0.5);
    let mut best = verified.into_iter().next()?;
    best.ambiguous = rival;
    best.pairs.sort_unstable();
    Some(best)
}

/// Joins two possible pairs where the distances agree. Distances of both sets are sorted, so that
/// only those of about the same length are compared: most pairs of scans share nothing, and are
/// done with at once.
fn edges(a: &[Matched], b: &[Matched], vertices: &[(usize, usize)], o: &MatchOptions) -> Vec<(usize, usize)> {
    let lengths = |s: &[Matched]| -> Vec<(f64, usize, usize)> {
        let pairs = (0..s.len()).flat_map(|i| (i + 1..s.len()).map(move |k| (i, k)));
        let mut all: Vec<_> = pairs.map(|(i, k)| ((s[i].position - s[k].position).norm(), i, k)).collect();
        all.sort_by(|x, y| x.0.total_cmp(&y.0));
        all
    };
    let worst = |s: &[Matched]| s.iter().map(|m| m.covariance.trace()).fold(0.0, f64::max);
    let window = o.sigmas * (2.0 * (worst(a) + worst(b))).sqrt() + o.slack;
    let place = |i: usize, j: usize| vertices.binary_search(&(i, j)).ok();
    let others = lengths(b);
    let mut out = Vec::new();
    for (length, i, k) in lengths(a) {
        let from = others.partition_point(|d| d.0 < length - window);
        for &(_, j, l) in others[from..].iter().take_while(|d| d.0 <= length + window) {
            for (j, l) in [(j, l), (l, j)] {
                let (Some(p), Some(q)) = (place(i, j), place(k, l)) else { continue };
                if consistent(&a[i], &a[k], &b[j], &b[l], o) {
                    out.push((p, q));
                }
            }
        }
    }
    out
}

/// How far apart two matches put the points, metres: different subsets of the same truth agree.
fn displacement(x: &Match, y: &Match, points: &[Matched]) -> f64 {
    points.iter().map(|p| (x.fit.apply(&p.position) - y.fit.apply(&p.position)).norm()).fold(0.0, f64::max)
}

fn consistent(a1: &Matched, a2: &Matched, b1: &Matched, b2: &Matched, o: &MatchOptions) -> bool {
    let (da, db) = (a2.position - a1.position, b2.position - b1.position);
    let (la, lb) = (da.norm(), db.norm());
    if la < 0.2 || lb < 0.2 {
        return false;
    }
    let along = |d: &Vec3, c: Mat3| (d.transpose() * c * d)[0].max(0.0);
    let variance = along(&(da / la), a1.covariance + a2.covariance) + along(&(db / lb), b1.covariance + b2.covariance);
    if (la - lb).abs() > o.sigmas * variance.sqrt() + o.slack {
        return false;
    }
    if o.levelled {
        let v = (a1.covariance + a2.covariance + b1.covariance + b2.covariance)[(2, 2)];
        // 20″ of levelling over the distance
        let tilt = 1e-4 * la;
        if (da.z - db.z).abs() > o.sigmas * v.sqrt() + tilt + o.slack {
            return false;
        }
    }
    true
}
