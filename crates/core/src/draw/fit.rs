//! How well a line is known: its offset and direction from what each scan says of it, with what scans, walls and
//! instrument do to many points alike as unknowns with priors.

use super::{Layer, Line, extract::OFF};
use crate::geometry::{Pose, Vec3};
use crate::instrument::Instrument;
use crate::stats::median;
use nalgebra::{DMatrix, DVector, Matrix2, Matrix6, Vector2, Vector6};

/// Where a scan stands, and how well that is known.
#[derive(Clone, Debug)]
pub struct Stand {
    /// Its pose in the frame of the plan.
    pub pose: Pose,
    /// Covariance of that by left increments, m² and rad².
    pub covariance: Matrix6<f64>,
}

/// How well a scan (the second) is placed in the frame of another (the first); none where that is not known, and their
/// places are taken as independent.
pub type Relation<'a> = &'a (dyn Fn(usize, usize) -> Option<Matrix6<f64>> + Sync);

/// A line with what is known about it.
#[derive(Clone, Debug)]
pub(super) struct Fitted {
    /// Moved onto the fit.
    pub(super) line: Line,
    /// Of the offset at the place of the line (m²) and of its direction (rad²).
    pub(super) covariance: Matrix2<f64>,
    /// The same beside the scan that shows most of it, where its relation to the others is known, and which that is.
    pub(super) own: Option<Matrix2<f64>>,
    pub(super) first: usize,
    /// What all ranges have in common does to the offset, 1σ, metres.
    pub(super) range: f64,
    /// Of single spots about it, metres.
    pub(super) rms: f64,
    pub(super) points: u64,
    /// The scans that say something of it.
    pub(super) scans: Vec<usize>,
}

/// Length of wall whose points are taken together, metres.
const BIN: f64 = 0.25;
/// As near to the end of a stretch nothing is measured: ranges are mixed there, metres.
const END: f64 = 0.04;
/// Walls are uneven by this where too little of one is seen to tell, 1σ, and how many bins that is worth.
const UNEVEN: f64 = 0.0007;
const WORTH: f64 = 2.0;
/// The mean of a bin is never better than this, metres.
const FINEST: f64 = 1e-4;

/// Points of a scan on a length of wall.
#[derive(Clone, Copy)]
struct Bin {
    scan: usize,
    cell: i64,
    t: f64,
    off: f64,
    /// Of the mean, by the scatter of the spots.
    variance: f64,
    cosine: f64,
}

/// What the fit needs to know of the scans.
pub(super) struct Known<'a> {
    pub(super) layers: &'a [Layer],
    pub(super) stands: &'a [Stand],
    pub(super) relation: Relation<'a>,
    pub(super) instrument: &'a Instrument,
    /// Height of the plan, metres.
    pub(super) height: f64,
}

impl Known<'_> {
    /// Covariance of what the place of a scan beside another does to a line; none where that is not known.
    pub(super) fn beside(&self, line: &Line, first: usize, second: usize) -> Option<Matrix2<f64>> {
        let c = (self.relation)(first, second)?;
        let rows = effect(line, &self.stands[second].pose.translation, self.height);
        // the relation is in the frame of the first
        let back = self.stands[first].pose.inverse().rotation;
        let turned = rows.map(|r| {
            let (n, w) = (back * r.fixed_rows::<3>(0).into_owned(), back * r.fixed_rows::<3>(3).into_owned());
            Vector6::new(n.x, n.y, n.z, w.x, w.y, w.z)
        });
        Some(carried(&turned, &c))
    }
}

/// Fits a line to what scans show on its stretches; none where that is too little.
pub(super) fn fit(known: &Known, line: &Line, stretches: &[[f64; 2]]) -> Option<Fitted> {
    let mut line = *line;
    let mut last = None;
    // spots are chosen by the line: once more by the one that they gave
    for _ in 0..2 {
        let (bins, rms, points) = bins(known, &line, stretches);
        let solved = solve(known, &line, &bins)?;
        let along = (line.along + line.normal * solved.turn).normalize();
        line = Line::new(line.at + line.normal * solved.off, along, &line.normal);
        let mut scans: Vec<usize> = bins.iter().map(|b| b.scan).collect();
        scans.dedup();
        let Solved { covariance, own, first, range, .. } = solved;
        last = Some(Fitted { line, covariance, own, first, range, rms, points, scans });
    }
    last
}

struct Solved {
    off: f64,
    turn: f64,
    covariance: Matrix2<f64>,
    own: Option<Matrix2<f64>>,
    first: usize,
    range: f64,
}

fn bins(known: &Known, line: &Line, stretches: &[[f64; 2]]) -> (Vec<Bin>, f64, u64) {
    let (mut out, mut squares, mut points) = (Vec::new(), (0.0, 0.0), 0);
    for (scan, (layer, stand)) in known.layers.iter().zip(known.stands).enumerate() {
        let from = stand.pose.translation;
        if line.off(&from.xy()) < 0.0 {
            continue;
        }
        let mut cells: std::collections::BTreeMap<i64, Vec<(f64, f64, u32)>> = std::collections::BTreeMap::new();
        for s in &layer.cut {
            let (t, off) = (line.t(&s.at), line.off(&s.at));
            if off.abs() < OFF && stretches.iter().any(|p| t > p[0] + END && t < p[1] - END) {
                cells.entry((t / BIN).floor() as i64).or_default().push((t, off, s.count));
            }
        }
        for (cell, spots) in cells {
            let Some(middle) = median(&mut spots.iter().map(|s| s.1).collect::<Vec<_>>()) else { continue };
            let mut off: Vec<f64> = spots.iter().map(|s| (s.1 - middle).abs()).collect();
            let limit = 3.0 * 1.4826 * median(&mut off).unwrap_or(0.0) + 0.001;
            let kept: Vec<&(f64, f64, u32)> = spots.iter().filter(|s| (s.1 - middle).abs() <= limit).collect();
            let n = kept.len() as f64;
            if n < 3.0 {
                continue;
            }
            let mean = kept.iter().map(|s| s.1).sum::<f64>() / n;
            let scatter = kept.iter().map(|s| (s.1 - mean).powi(2)).sum::<f64>() / (n - 1.0);
            let t = kept.iter().map(|s| s.0).sum::<f64>() / n;
            let towards = from - line.point(t).push(known.height);
            let cosine = line.normal.dot(&towards.xy()) / towards.norm().max(1e-9);
            squares = (squares.0 + scatter * n, squares.1 + n);
            let of = kept.iter().map(|s| u64::from(s.2)).sum::<u64>();
            points += of;
            let variance = (scatter / n).max(layer.noise.powi(2) / of as f64).max(FINEST * FINEST);
            out.push(Bin { scan, cell, t, off: mean, variance, cosine });
        }
    }
    (out, (squares.0 / f64::max(squares.1, 1.0)).sqrt(), points)
}

/// What moving a scan by a left increment does to the offset of the line at its place, and to its direction.
pub(super) fn effect(line: &Line, from: &Vec3, height: f64) -> [Vector6<f64>; 2] {
    let n = line.normal.push(0.0);
    let row = |t: f64| {
        let turn = (line.point(t).push(height) - from).cross(&n);
        Vector6::new(n.x, n.y, n.z, turn.x, turn.y, turn.z)
    };
    let (a, b) = (row(-0.5), row(0.5));
    [(a + b) / 2.0, b - a]
}

pub(super) fn carried(rows: &[Vector6<f64>; 2], c: &Matrix6<f64>) -> Matrix2<f64> {
    Matrix2::from_fn(|i, j| rows[i].dot(&(c * rows[j])))
}

/// Offset, direction, and their covariance.
///
/// Unknown beside them: what each scan is displaced and turned by (prior: its pose, by how well that is known beside the
/// scan that shows most of the line), and what the instrument does to all ranges. Where scans disagree by more than their
/// priors say, the priors are widened; where the wall is uneven, so is every length of it.
fn solve(known: &Known, line: &Line, bins: &[Bin]) -> Option<Solved> {
    let mut scans: Vec<usize> = bins.iter().map(|b| b.scan).collect();
    scans.dedup();
    let most =
        |s: &&usize| bins.iter().filter(|b| b.scan == **s).map(|b| 1.0 / (b.variance + UNEVEN * UNEVEN)).sum::<f64>();
    let first = *scans.iter().max_by(|a, b| most(a).total_cmp(&most(b)))?;
    let related = scans.iter().all(|s| *s == first || (known.relation)(first, *s).is_some());
    let prior: Vec<Matrix2<f64>> = scans
        .iter()
        .map(|&s| {
            let stand = &known.stands[s];
            if s == first || !related {
                return carried(&effect(line, &stand.pose.translation, known.height), &stand.covariance);
            }
            known.beside(line, first, s).unwrap_or_else(Matrix2::zeros)
        })
        .map(|c| c + Matrix2::from_diagonal(&Vector2::new(1e-10, 1e-12)))
        .collect();
    let range = bins
        .iter()
        .map(|b| (line.point(b.t).push(known.height) - known.stands[b.scan].pose.translation).norm())
        .sum::<f64>()
        / bins.len().max(1) as f64;
    let s = &known.instrument.systematic;
    let common = s.common_range(range).hypot(0.5 * s.reflectivity).max(1e-6);
    let cells: std::collections::BTreeSet<i64> = bins.iter().map(|b| b.cell).collect();
    if cells.len() < 2 {
        return None;
    }
    let (mut uneven, mut wider) = (UNEVEN * UNEVEN, 1.0);
    let mut last = None;
    for _ in 0..4 {
        let system = System { bins, scans: &scans, first, related, prior: &prior, common, uneven, wider };
        let (x, c) = system.solved()?;
        let off = |b: &Bin| b.off - system.row(b).iter().map(|(k, v)| x[*k] * v).sum::<f64>();
        // unevenness: what is left of each length of wall beyond its noise, and how alike neighbours are
        let left: Vec<(i64, f64, f64)> = cells
            .iter()
            .map(|&cell| {
                let of = bins.iter().filter(|b| b.cell == cell);
                let (mut sum, mut weight) = (0.0, 0.0);
                for b in of {
                    sum += off(b) / b.variance;
                    weight += 1.0 / b.variance;
                }
                (cell, sum / weight, 1.0 / weight)
            })
            .collect();
        let beyond: f64 = left.iter().map(|l| (l.1 * l.1 - l.2).max(0.0)).sum();
        let together: Vec<(f64, f64)> =
            left.windows(2).filter(|w| w[1].0 == w[0].0 + 1).map(|w| (w[0].1, w[1].1)).collect();
        let both: f64 = together.iter().map(|w| w.0 * w.1).sum();
        let each: f64 = together.iter().map(|w| f64::midpoint(w.0 * w.0, w.1 * w.1)).sum();
        let alike = (both / each.max(1e-12)).clamp(0.0, 0.8);
        let n = left.len() as f64;
        uneven = (beyond + WORTH * UNEVEN * UNEVEN) / ((n - 2.0).max(1.0) + WORTH) * (1.0 + alike) / (1.0 - alike);
        wider = (wider * system.disagreement(&x, &c)).max(1.0);
        let covariance = c.fixed_view::<2, 2>(0, 0).into_owned();
        let base = prior[scans.iter().position(|s| *s == first)?];
        let cosine = bins.iter().map(|b| b.cosine).sum::<f64>() / bins.len() as f64;
        let own = related.then(|| covariance - base);
        last = Some(Solved { off: x[0], turn: x[1], covariance, own, first, range: cosine * common });
    }
    last
}

/// Unknowns: offset, direction, what the instrument adds to ranges, then two for each scan.
struct System<'a> {
    bins: &'a [Bin],
    scans: &'a [usize],
    first: usize,
    related: bool,
    prior: &'a [Matrix2<f64>],
    common: f64,
    uneven: f64,
    wider: f64,
}

impl System<'_> {
    fn row(&self, b: &Bin) -> Vec<(usize, f64)> {
        let at = |scan: usize| 3 + 2 * self.scans.iter().position(|s| *s == scan).unwrap_or(0);
        let mut row = vec![(0, 1.0), (1, b.t), (2, b.cosine)];
        let own = at(b.scan);
        row.extend([(own, 1.0), (own + 1, b.t)]);
        if self.related && b.scan != self.first {
            let base = at(self.first);
            row.extend([(base, 1.0), (base + 1, b.t)]);
        }
        row
    }

    fn prior_of(&self, k: usize) -> Matrix2<f64> {
        // how the block lies on the grid is not told by how scans lie beside one another
        let own = self.related && self.scans[k] == self.first;
        self.prior[k] * if own { 1.0 } else { self.wider }
    }

    fn solved(&self) -> Option<(DVector<f64>, DMatrix<f64>)> {
        let n = 3 + 2 * self.scans.len();
        let (mut normal, mut right) = (DMatrix::zeros(n, n), DVector::zeros(n));
        let mut shared: std::collections::BTreeMap<i64, f64> = std::collections::BTreeMap::new();
        self.bins.iter().for_each(|b| *shared.entry(b.cell).or_default() += 1.0);
        for b in self.bins {
            // scans see the same bumps: together they know a length of wall no better than one does
            let weight = 1.0 / (b.variance + self.uneven * shared[&b.cell]);
            let row = self.row(b);
            for (i, v) in &row {
                right[*i] += weight * v * b.off;
                for (j, w) in &row {
                    normal[(*i, *j)] += weight * v * w;
                }
            }
        }
        normal[(2, 2)] += 1.0 / (self.common * self.common);
        for k in 0..self.scans.len() {
            let inverse = self.prior_of(k).try_inverse()?;
            let mut part = normal.fixed_view_mut::<2, 2>(3 + 2 * k, 3 + 2 * k);
            part += inverse;
        }
        // numbers of one size: a direction is some thousand times finer than an offset
        let scale = DVector::from_fn(n, |i, _| 1.0 / f64::sqrt(f64::max(normal[(i, i)], 1e-30)));
        let scaled = DMatrix::from_fn(n, n, |i, j| normal[(i, j)] * scale[i] * scale[j]);
        let inverse = scaled.cholesky()?.inverse();
        let c = DMatrix::from_fn(n, n, |i, j| inverse[(i, j)] * scale[i] * scale[j]);
        Some((&c * right, c))
    }

    /// How much more scans are displaced by than their priors say.
    fn disagreement(&self, x: &DVector<f64>, c: &DMatrix<f64>) -> f64 {
        let (mut found, mut expected) = (0.0, 0.0);
        for k in 0..self.scans.len() {
            if self.related && self.scans[k] == self.first {
                continue;
            }
            let at = 3 + 2 * k;
            let prior = self.prior_of(k);
            let Some(inverse) = prior.try_inverse() else { continue };
            let z = x.fixed_rows::<2>(at).into_owned();
            found += z.dot(&(inverse * z));
            expected += (inverse * (prior - c.fixed_view::<2, 2>(at, at))).trace();
        }
        if expected > 0.5 { found / expected } else { 1.0 }
    }
}

/// Largest variance of a place in plan, by how well a scan stands.
pub(super) fn place(at: &Vec3, from: &Vec3, c: &Matrix6<f64>) -> f64 {
    let along = |n: Vec3| {
        let turn = (at - from).cross(&n);
        let row = Vector6::new(n.x, n.y, n.z, turn.x, turn.y, turn.z);
        row.dot(&(c * row))
    };
    along(Vec3::x()).max(along(Vec3::y()))
}
