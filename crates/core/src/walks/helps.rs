use super::course::course;
use super::predict::{Held, Predicted, predict};
use crate::geometry::{Error95, Mat3, Vec3};
use crate::mobile::{Fact, GraphError, Handling, Unit};
use crate::plan::{Bvh, Site};
use nalgebra::{Matrix6, Vector2};

/// A place where a known point would help.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Help {
    /// The node that would stand on it.
    pub node: usize,
    /// Largest 95 % error of a place in space with it, and with those before it, metres.
    pub then: f64,
}

/// Places tried in a round, and points advised at most.
const TRIED: usize = 40;
const MOST: usize = 12;

/// Where known points of a covariance (m²) help most, one after the other, until no place is farther off than what is
/// allowed at its node (95 % in space, metres), or no more helps.
///
/// # Errors
/// [`GraphError`].
pub fn helps(predicted: &Predicted, known: &Mat3, limits: &[f64]) -> Result<Vec<Help>, GraphError> {
    let first = predicted.first;
    let off = |c: &Mat3| Error95::from_covariance(c).spatial;
    let mut now: Vec<f64> = predicted.nodes.iter().map(|n| off(&n.covariance)).collect();
    // what lies beyond the limit, all together: where two stretches are equally bad the worst one tells nothing
    let beyond = |all: &[f64]| all.iter().zip(limits).map(|(e, l)| (e - l).max(0.0)).fold(0.0, |a, b| a + b);
    let mut graph = predicted.graph.clone();
    let mut out: Vec<Help> = Vec::new();
    while beyond(&now) > 0.0 && out.len() < MOST {
        let n = predicted.nodes.len();
        let nodes: Vec<usize> = (0..n.min(TRIED)).map(|k| k * n / n.min(TRIED)).collect();
        let places: Vec<(usize, Mat3)> = nodes.iter().map(|k| (first + k, *known)).collect();
        let then: Vec<Vec<f64>> =
            graph.if_known(&places)?.iter().map(|c| c[first..first + n].iter().map(off).collect()).collect();
        let best = (0..nodes.len()).min_by(|a, b| beyond(&then[*a]).total_cmp(&beyond(&then[*b])));
        // what changes nothing is no advice
        let Some(best) = best.filter(|b| beyond(&then[*b]) < 0.98 * beyond(&now)) else { break };
        let node = nodes[best];
        let at = graph.poses[first + node].translation;
        graph.know(Fact::Point { of: first + node, local: Vec3::zeros(), at, covariance: *known });
        now.clone_from(&then[best]);
        out.push(Help { node, then: now.iter().copied().fold(0.0, f64::max) });
    }
    Ok(out)
}

/// Spacings that are thought of, metres.
const APART: [f64; 2] = [5.0, 400.0];

/// How far apart known points of a covariance (m²) may be along a walk that nothing else holds, so that no place on it is farther off
/// than `limit` (95 % in space, metres); `None` where even the closest would not do.
///
/// ```
/// use vistazo_core::geometry::Mat3;
/// let unit = &vistazo_core::mobile::units()[0];
/// let known = Mat3::identity() * 0.005_f64.powi(2);
/// let [tight, wide] = [0.03, 0.06].map(|limit| vistazo_core::walks::apart(unit, &known, limit).unwrap());
/// assert!(tight < wide);
/// ```
pub fn apart(unit: &Unit, known: &Mat3, limit: f64) -> Option<f64> {
    let bvh = Bvh::new(&Site::default());
    // between the ends it is held from both sides: what comes after the last mark is another matter
    let worst = |far: f64| {
        let line: Vec<Vector2<f64>> = (0..6).map(|k| Vector2::new(far * f64::from(k), 0.0)).collect();
        let marks: Vec<Vec3> = line.iter().map(|p| p.push(0.0)).collect();
        let walk = course(&bvh, &line, 0.0, unit, None, &marks);
        let high = Vec3::z() * unit.handling.height;
        let held = Held { stations: Vec::new(), marks: marks.iter().map(|m| (m + high, *known)).collect() };
        let of = predict(&bvh, &[], &[(&walk, unit)], &held).ok()?;
        Some(of.nodes.iter().map(|n| Error95::from_covariance(&n.covariance).spatial).fold(0.0, f64::max))
    };
    let [mut low, mut high] = APART;
    if worst(low)? > limit {
        return None;
    }
    for _ in 0..8 {
        let middle = (low * high).sqrt();
        if worst(middle)? > limit { high = middle } else { low = middle }
    }
    Some(low)
}

/// How far a walk of so many metres at a pace (metres a second) may be off half-way between two places that hold it and its direction,
/// 1σ of the worse horizontal axis, metres: straight on, over nothing that is drawn.
///
/// ```
/// let unit = &vistazo_core::mobile::units()[0];
/// let of = |length| vistazo_core::walks::half_way(unit, length, 1.0);
/// assert!(of(80.0) > 1.4 * of(40.0));
/// ```
pub fn half_way(unit: &Unit, length: f64, pace: f64) -> f64 {
    let bvh = Bvh::new(&Site::default());
    let open = Unit { handling: Handling { pace: [pace; 3], ..unit.handling }, ..unit.clone() };
    let walk = course(&bvh, &[Vector2::zeros(), Vector2::new(length, 0.0)], 0.0, &open, None, &[]);
    let Ok(mut of) = predict(&bvh, &[], &[(&walk, &open)], &Held::default()) else { return f64::NAN };
    let last = of.graph.poses.len() - 1;
    let pose = of.graph.poses[last];
    of.graph.know(Fact::Known { of: last, pose, covariance: Matrix6::identity() * 1e-10 });
    let far = |k: &usize| (of.nodes[*k].at.x - length / 2.0).abs();
    let Some(middle) = (0..of.nodes.len()).min_by(|a, b| far(a).total_cmp(&far(b))) else { return f64::NAN };
    let Ok(settled) = of.graph.precision() else { return f64::NAN };
    let c = settled.covariances[of.first + middle];
    let (mean, root) = (f64::midpoint(c[(0, 0)], c[(1, 1)]), ((c[(0, 0)] - c[(1, 1)]) / 2.0).hypot(c[(0, 1)]));
    (mean + root).sqrt()
}
