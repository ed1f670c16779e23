//! A cylinder by what every scan says of it: axis and radius, with what scans, instrument and its own roundness do to many
//! points alike as unknowns with priors.

use super::near::Kept;
use super::rods::{ARC, SHORTEST};
use super::{Rests, Spread};
use crate::draw::{Relation, Stand};
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use crate::stats::{K95_1D, K95_2D, median};
use nalgebra::{DMatrix, DVector, Matrix2, Matrix6, Vector6};
use std::collections::BTreeMap;

/// A measured cylinder.
#[derive(Clone, Debug, PartialEq)]
pub struct Cylinder {
    /// Both ends of its axis as far as it is seen, metres.
    pub ends: [Vec3; 2],
    /// Radius, metres.
    pub radius: f64,
    /// 95 % of the axis across at both ends, metres.
    pub axis95: [f64; 2],
    /// 95 % of the radius, metres.
    pub radius95: f64,
    /// How far round it was seen, radians.
    pub arc: f64,
    /// Points about it.
    pub rests: Rests,
}

/// Points taken together: so far along the axis, metres, and so far round, radians.
const LONG: f64 = 0.1;
const ROUND: f64 = 0.2;
const FEWEST: usize = 4;
/// Rays that meet it more slantingly mix: cosine of the incidence.
const SLANT: f64 = 0.35;
/// Cylinders are out of round and bent by this where too little of one is seen to tell, 1σ, metres, and how many places that
/// is worth.
const UNEVEN: f64 = 0.0006;
const WORTH: f64 = 4.0;
/// Rays that graze it fall short or pass: its radius is known no better, 1σ, metres.
const GRAZING: f64 = 0.0004;
const FINEST: f64 = 1e-4;
/// Round to within this, metres, and so much more for each metre of the radius, but never more than the last: an edge of a
/// wall is not, nor is what only bends.
const ROUNDNESS: [f64; 3] = [0.0025, 0.015, 0.007];

/// How far along and how far round, in steps.
type Key = (i64, i64);
/// A point, how far it lies off the surface, and the cosine of the incidence.
type Off<'a> = (&'a Vec3, f64, f64);

struct Cell {
    scan: usize,
    key: Key,
    at: Vec3,
    s: f64,
    normal: Vec3,
    /// The same along the two directions across the axis.
    side: [f64; 2],
    off: f64,
    variance: f64,
    cosine: f64,
}

#[derive(Clone, Copy)]
struct Axis {
    middle: Vec3,
    along: Vec3,
    u: Vec3,
    v: Vec3,
    radius: f64,
}

impl Axis {
    fn new(middle: Vec3, along: Vec3, radius: f64) -> Self {
        let u = along.cross(&if along.z.abs() < 0.8 { Vec3::z() } else { Vec3::x() }).normalize();
        Self { middle, along, u, v: along.cross(&u), radius }
    }

    fn moved(&self, x: &DVector<f64>) -> Self {
        let along = (self.along + self.u * x[2] + self.v * x[3]).normalize();
        Self::new(self.middle + self.u * x[0] + self.v * x[1], along, self.radius + x[4])
    }

    /// Along it, out of it, and beyond its surface.
    fn of(&self, p: &Vec3) -> (f64, Vec3, f64) {
        let d = p - self.middle;
        let s = d.dot(&self.along);
        let away = d - self.along * s;
        let r = away.norm();
        (s, away / r.max(1e-9), r - self.radius)
    }
}

/// Measures a cylinder that lies about a start (ends and radius); none where it is none. `kept` and `stands` have one entry a
/// scan, as `relation` counts them.
pub fn cylinder(
    start: ([Vec3; 2], f64),
    kept: &[&Kept],
    stands: &[Stand],
    relation: Relation,
    instrument: &Instrument,
) -> Option<Cylinder> {
    let ([a, b], radius) = start;
    let long = (b - a).norm();
    let mut axis = Axis::new((a + b) / 2.0, (b - a) / long, radius);
    let mut solved = None;
    for _ in 0..4 {
        let cells = cells(&axis, long / 2.0, kept, stands);
        let s = solve(&cells, stands, relation, instrument)?;
        axis = axis.moved(&s.x);
        solved = Some((s, cells));
    }
    let (solved, cells) = solved?;
    // distances about where it lies now
    let (mut off, mut squares, mut counted, mut on) = (Vec::new(), 0.0, 0_usize, 0);
    let (mut angles, mut along, mut scans) = (Vec::new(), Vec::new(), Vec::new());
    let limit = (ROUNDNESS[0] + ROUNDNESS[1] * axis.radius).min(ROUNDNESS[2]);
    for (k, (of, stand)) in kept.iter().zip(stands).enumerate() {
        let mut mine = 0;
        for p in &of.points {
            let (s, n, d) = axis.of(p);
            if s.abs() > long / 2.0 + 0.05 || n.dot(&(stand.pose.translation - p).normalize()) < SLANT {
                continue;
            }
            off.push(d);
            if d.abs() < 4.0 * limit {
                squares += d * d;
                counted += 1;
                mine += 1;
                angles.push(n.dot(&axis.v).atan2(n.dot(&axis.u)));
                along.push(s);
            }
        }
        if mine > 2 * FEWEST {
            scans.push(k);
        }
        on += of.stand_for(mine);
    }
    let near = off.iter().filter(|d| d.abs() < limit).count();
    let rms = (squares / counted.max(1) as f64).sqrt();
    let arc = crate::draw::round::arc(angles);
    // what is round in cells may be an edge in points
    if counted < 10 * FEWEST || near * 10 < counted * 7 || rms > limit || arc < ARC {
        return None;
    }
    along.sort_by(f64::total_cmp);
    let end = |share: f64| along[((along.len() - 1) as f64 * share) as usize];
    let ends = [end(0.002), end(0.998)];
    if ends[1] - ends[0] < SHORTEST.max(0.7 * axis.radius) {
        return None;
    }
    let c = solved.covariance;
    let axis95 = ends.map(|s| {
        let of = |i: usize, j: usize| c[(i, j)] + s * (c[(i + 2, j)] + c[(i, j + 2)]) + s * s * c[(i + 2, j + 2)];
        let across = Matrix2::new(of(0, 0), of(0, 1), of(1, 0), of(1, 1));
        K95_2D * across.symmetric_eigenvalues().max().max(0.0).sqrt()
    });
    let radius95 = K95_1D * (c[(4, 4)] + GRAZING * GRAZING).sqrt();
    // no longer known than it is wide is not known
    if radius95 > 0.5 * axis.radius || cells.len() < 8 {
        return None;
    }
    Some(Cylinder {
        ends: ends.map(|s| axis.middle + axis.along * s),
        radius: axis.radius,
        axis95,
        radius95,
        arc,
        rests: Rests { spread: Spread::of(off.into_iter()), rms, points: on, scans },
    })
}

fn cells(axis: &Axis, half: f64, kept: &[&Kept], stands: &[Stand]) -> Vec<Cell> {
    let mut out = Vec::new();
    for (scan, (of, stand)) in kept.iter().zip(stands).enumerate() {
        let from = stand.pose.translation;
        let mut by: BTreeMap<Key, Vec<Off>> = BTreeMap::new();
        let mut all = Vec::new();
        for p in &of.points {
            let (s, n, d) = axis.of(p);
            let cosine = n.dot(&(from - p).normalize());
            if s.abs() < half && cosine > SLANT {
                all.push(d);
                let angle = n.dot(&axis.v).atan2(n.dot(&axis.u));
                by.entry(((s / LONG).floor() as i64, (angle / ROUND).floor() as i64)).or_default().push((p, d, cosine));
            }
        }
        let Some(middle) = median(&mut all) else { continue };
        let mut apart: Vec<f64> = all.iter().map(|d| (d - middle).abs()).collect();
        let limit = 4.0 * 1.4826 * median(&mut apart).unwrap_or(0.0) + 0.001;
        for (key, points) in by {
            let on: Vec<_> = points.into_iter().filter(|p| (p.1 - middle).abs() < limit).collect();
            if on.len() < FEWEST {
                continue;
            }
            let n = on.len() as f64;
            let off = on.iter().map(|p| p.1).sum::<f64>() / n;
            let scatter = on.iter().map(|p| (p.1 - off).powi(2)).sum::<f64>() / (n - 1.0);
            let at = on.iter().map(|p| p.0).sum::<Vec3>() / n;
            let (s, normal, _) = axis.of(&at);
            let cosine = on.iter().map(|p| p.2).sum::<f64>() / n;
            let variance = (scatter / n).max(FINEST * FINEST);
            let side = [normal.dot(&axis.u), normal.dot(&axis.v)];
            out.push(Cell { scan, key, at, s, normal, side, off, variance, cosine });
        }
    }
    out
}

struct Solved {
    x: DVector<f64>,
    covariance: DMatrix<f64>,
}

/// Unknowns: the axis across at its middle (two), its direction (two), the radius; what the instrument adds to ranges; then
/// six for each scan, of which the one that shows most carries how well the block lies, the others how they lie beside it.
fn solve(cells: &[Cell], stands: &[Stand], relation: Relation, instrument: &Instrument) -> Option<Solved> {
    let mut scans: Vec<usize> = cells.iter().map(|c| c.scan).collect();
    scans.dedup();
    let count = |s: usize| cells.iter().filter(|c| c.scan == s).count();
    let first = *scans.iter().max_by_key(|s| count(**s))?;
    if cells.len() < 8 {
        return None;
    }
    let related = scans.iter().all(|s| *s == first || relation(first, *s).is_some());
    let prior: Vec<Matrix6<f64>> = scans
        .iter()
        .map(|&s| match relation(first, s).filter(|_| related && s != first) {
            Some(c) => c,
            None => stands[s].covariance,
        })
        .map(|c| c + Matrix6::from_diagonal(&Vector6::new(1e-10, 1e-10, 1e-10, 1e-12, 1e-12, 1e-12)))
        .collect();
    let back = stands[first].pose.rotation.inverse();
    let range = cells.iter().map(|c| (c.at - stands[c.scan].pose.translation).norm()).sum::<f64>() / cells.len() as f64;
    let s = &instrument.systematic;
    let common = s.common_range(range).hypot(0.5 * s.reflectivity).max(1e-6);
    let n = 6 + 6 * scans.len();
    let rows: Vec<Vec<(usize, f64)>> = cells.iter().map(|c| row(c, stands, &scans, first, related, &back)).collect();
    let mut shared: BTreeMap<Key, f64> = BTreeMap::new();
    for c in cells {
        *shared.entry(c.key).or_default() += 1.0;
    }
    let mut uneven = UNEVEN * UNEVEN;
    let mut last = None;
    for _ in 0..3 {
        let (mut normal, mut right) = (DMatrix::zeros(n, n), DVector::zeros(n));
        for (c, row) in cells.iter().zip(&rows) {
            let weight = 1.0 / (c.variance + uneven * shared[&c.key]);
            for (i, v) in row {
                right[*i] += weight * v * c.off;
                for (j, w) in row {
                    normal[(*i, *j)] += weight * v * w;
                }
            }
        }
        normal[(5, 5)] += 1.0 / (common * common);
        for (k, c) in prior.iter().enumerate() {
            let mut part = normal.fixed_view_mut::<6, 6>(6 + 6 * k, 6 + 6 * k);
            part += c.try_inverse()?;
        }
        let scale = DVector::from_fn(n, |i, _| 1.0 / f64::sqrt(f64::max(normal[(i, i)], 1e-30)));
        let scaled = DMatrix::from_fn(n, n, |i, j| normal[(i, j)] * scale[i] * scale[j]);
        let inverse = scaled.cholesky()?.inverse();
        let covariance = DMatrix::from_fn(n, n, |i, j| inverse[(i, j)] * scale[i] * scale[j]);
        let x = &covariance * right;
        let left = |c: &Cell, row: &[(usize, f64)]| c.off - row.iter().map(|(k, v)| x[*k] * v).sum::<f64>();
        let beyond: f64 = cells.iter().zip(&rows).map(|(c, r)| (left(c, r).powi(2) - c.variance).max(0.0)).sum();
        let free = (cells.len() as f64 - 5.0).max(1.0);
        // neighbours are uneven alike
        uneven = 2.0 * (beyond + WORTH * UNEVEN * UNEVEN) / (free + WORTH);
        last = Some(Solved { x, covariance });
    }
    last
}

/// What each unknown does to how far a cell lies off the surface.
fn row(
    c: &Cell,
    stands: &[Stand],
    scans: &[usize],
    first: usize,
    related: bool,
    back: &nalgebra::UnitQuaternion<f64>,
) -> Vec<(usize, f64)> {
    let [x, y] = c.side;
    let mut row = vec![(0, x), (1, y), (2, c.s * x), (3, c.s * y), (4, 1.0), (5, c.cosine)];
    let mut pose = |scan: usize, turned: bool| {
        let at = 6 + 6 * scans.iter().position(|s| *s == scan).unwrap_or(0);
        let turn = (c.at - stands[scan].pose.translation).cross(&c.normal);
        let (n, w) = if turned { (back * c.normal, back * turn) } else { (c.normal, turn) };
        row.extend((0..3).map(|k| (at + k, n[k])).chain((0..3).map(|k| (at + 3 + k, w[k]))));
    };
    if !related || c.scan == first {
        pose(c.scan, false);
    } else {
        pose(first, false);
        pose(c.scan, true);
    }
    row
}
