use crate::geometry::Vec3;
use crate::plan::{Sample, Surface};
use std::collections::HashMap;

/// Counts points on required surfaces, to tell what the scans show of them and how densely.
///
/// Feed it points in plan coordinates with [`SurfaceCounter::add`]; each counts for the piece of surface that it lies on,
/// when it is within 6 cm of its plane. What lies farther off, up to 20 cm, is counted beside it: a surface that stands
/// elsewhere than it is drawn shows itself so. Along the rim of a surface, where floor, ceiling, reveals and the next wall
/// are as near as that, nothing is counted.
#[derive(Clone)]
pub struct SurfaceCounter {
    samples: Vec<Sample>,
    /// The part of each piece that points are counted in: its middle, half its extents, metres.
    counted: Vec<([f64; 2], [f64; 2])>,
    tallies: Vec<Tally>,
    cells: HashMap<(i64, i64, i64), Vec<u32>>,
    size: f64,
}

/// What fell on a piece, and beside it: how many, and the sums of how far off and of its square, metres.
#[derive(Clone, Copy, Default)]
struct Tally {
    on: u32,
    beside: u32,
    off: f64,
    off2: f64,
}

/// What the scans show of the required surfaces.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Shown {
    /// Area with the required spacing or better, m².
    pub within: f64,
    /// Area asked for, m².
    pub total: f64,
    /// Area-weighted median of the spacing where there are points, metres.
    pub typical: f64,
    /// Piece by piece, in the order of the samples that have a demand.
    pub pieces: Vec<ShownPiece>,
}

/// What the scans show of one piece of a required surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ShownPiece {
    /// Its index among all samples.
    pub sample: usize,
    /// Distance between neighbouring points on it, metres; none where there are none.
    pub spacing: Option<f64>,
    /// Where a surface of the required density lies beside it instead, how far along its normal, metres.
    pub beside: Option<f64>,
}

/// Why a piece of a required surface falls short.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Lack {
    /// No scan shows it.
    Nothing,
    /// The points lie wider apart than required.
    Coarse,
    /// A surface lies beside it: it stands elsewhere than it is drawn, or something stands before it.
    Beside,
}

/// Pieces of one surface that hang together and fall short.
#[derive(Clone, Debug, PartialEq)]
pub struct Hole {
    /// The surface.
    pub surface: Surface,
    /// Indices of its pieces among all samples.
    pub pieces: Vec<usize>,
    /// Area, m².
    pub area: f64,
    /// The piece that lies nearest to its middle, plan coordinates, metres.
    pub at: Vec3,
    /// From where to where along an unrolled wall, metres; 0 on floors.
    pub along: [f64; 2],
    /// Lowest and highest, metres.
    pub heights: [f64; 2],
    /// Area by [`Lack`]: nothing, coarse, beside, m².
    pub lacks: [f64; 3],
    /// How far beside its place what is there lies, metres, where that is the most of it.
    pub beside: Option<f64>,
    /// Share of it that the plan said was covered, 0..1.
    pub planned: f64,
}

const NEAR: f64 = 0.06;
const BESIDE: f64 = 0.2;
/// What scatters more about its own mean is not one surface beside another, metres.
const ONE_SURFACE: f64 = 0.02;
/// Holes are listed from this area, m².
const LEAST_HOLE: f64 = 0.2;

impl SurfaceCounter {
    /// From the samples of the plan, cut at `grid` metres; only those with a requirement are counted on.
    pub fn new(samples: &[Sample], grid: f64) -> Self {
        let mut cells: HashMap<_, Vec<u32>> = HashMap::new();
        // a sample stands in its own cell and all around it, so that a point asks once
        for (i, s) in samples.iter().enumerate().filter(|s| s.1.demand.is_some()) {
            let (x, y, z) = key(&s.position, grid);
            for n in 0..27 {
                let cell = (x + n % 3 - 1, y + n / 3 % 3 - 1, z + n / 9 - 1);
                cells.entry(cell).or_default().push(i as u32);
            }
        }
        let counted = samples.iter().map(|s| inner(s, samples, cells.get(&key(&s.position, grid)))).collect();
        Self { tallies: vec![Tally::default(); samples.len()], samples: samples.to_vec(), counted, cells, size: grid }
    }

    /// Counts one point, plan coordinates in metres.
    pub fn add(&mut self, p: &Vec3) {
        let Some(near) = self.cells.get(&key(p, self.size)) else { return };
        let mut best: Option<(u32, f64)> = None;
        for &s in near {
            let sample = &self.samples[s as usize];
            let d = p - sample.position;
            let off = sample.normal.dot(&d);
            let (middle, half) = self.counted[s as usize];
            let at = along(sample, &d);
            let inside = (0..2).all(|k| (at[k] - middle[k]).abs() < half[k]);
            if inside && off.abs() < BESIDE && best.is_none_or(|b| off.abs() < b.1.abs()) {
                best = Some((s, off));
            }
        }
        let Some((s, off)) = best else { return };
        let t = &mut self.tallies[s as usize];
        if off.abs() >= NEAR {
            (t.beside, t.off, t.off2) = (t.beside + 1, t.off + off, t.off2 + off * off);
        } else {
            t.on += 1;
        }
    }

    /// Adds the counts of another counter over the same samples.
    pub fn merge(&mut self, other: &Self) {
        for (a, b) in self.tallies.iter_mut().zip(&other.tallies) {
            *a = Tally { on: a.on + b.on, beside: a.beside + b.beside, off: a.off + b.off, off2: a.off2 + b.off2 };
        }
    }

    /// The result so far: spacing is the square root of area per point.
    pub fn result(&self) -> Shown {
        let mut out = Shown::default();
        let mut all: Vec<(f64, f64)> = Vec::new();
        for (i, (s, t)) in self.samples.iter().zip(&self.tallies).enumerate() {
            let Some(demand) = s.demand else { continue };
            out.total += s.area();
            let [u, v] = self.counted[i].1;
            let area = 4.0 * u * v;
            let spacing = (t.on > 0).then(|| (area / f64::from(t.on)).sqrt());
            all.extend(spacing.map(|v| (v, s.area())));
            let within = spacing.is_some_and(|v| v <= demand.spacing);
            if within {
                out.within += s.area();
            }
            out.pieces.push(ShownPiece {
                sample: i,
                spacing,
                beside: t.surface(area, demand.spacing).filter(|_| !within),
            });
        }
        all.sort_by(|a, b| a.0.total_cmp(&b.0));
        let half = all.iter().map(|a| a.1).sum::<f64>() / 2.0;
        let mut run = 0.0;
        let middle = all.iter().find(|a| {
            run += a.1;
            run >= half
        });
        out.typical = middle.map_or(0.0, |a| a.0);
        out
    }
}

impl Tally {
    /// How far off one surface of at least the density asked for lies beside a piece.
    fn surface(&self, area: f64, spacing: f64) -> Option<f64> {
        let n = f64::from(self.beside);
        let mean = self.off / n.max(1.0);
        let dense = self.beside > self.on && (area / n).sqrt() <= spacing;
        (dense && (self.off2 / n - mean * mean).max(0.0).sqrt() < ONE_SURFACE).then_some(mean)
    }
}

/// The pieces that fall short, those of a surface that touch one another together, the largest first, from 0.2 m²; and the
/// area of all smaller ones, m².
///
/// `planned` says of each sample whether the plan covered it; none of it is known where it is empty.
pub fn holes(samples: &[Sample], shown: &Shown, planned: &[bool]) -> (Vec<Hole>, f64) {
    let short = |p: &&ShownPiece| samples[p.sample].demand.is_some_and(|d| p.spacing.is_none_or(|s| s > d.spacing));
    let lacking: Vec<&ShownPiece> = shown.pieces.iter().filter(short).collect();
    // neighbours on a surface lie a piece apart: looked up by cells of that size
    let size = lacking.iter().map(|p| samples[p.sample].size[0].max(samples[p.sample].size[1])).fold(0.05, f64::max);
    let mut cells: HashMap<(i64, i64, i64), Vec<usize>> = HashMap::new();
    for (k, p) in lacking.iter().enumerate() {
        cells.entry(key(&samples[p.sample].position, size)).or_default().push(k);
    }
    let touch = |a: usize, b: usize| {
        let (a, b) = (&samples[lacking[a].sample], &samples[lacking[b].sample]);
        a.surface == b.surface && (a.position - b.position).norm() < 1.2 * size
    };
    let mut taken = vec![false; lacking.len()];
    let (mut out, mut small) = (Vec::new(), 0.0);
    for start in 0..lacking.len() {
        if std::mem::replace(&mut taken[start], true) {
            continue;
        }
        let mut group = vec![start];
        let mut next = 0;
        while let Some(&k) = group.get(next) {
            next += 1;
            let (x, y, z) = key(&samples[lacking[k].sample].position, size);
            for n in 0..27 {
                let cell = (x + n % 3 - 1, y + n / 3 % 3 - 1, z + n / 9 - 1);
                for &o in cells.get(&cell).into_iter().flatten() {
                    if !taken[o] && touch(k, o) {
                        taken[o] = true;
                        group.push(o);
                    }
                }
            }
        }
        let pieces: Vec<&ShownPiece> = group.iter().map(|&k| lacking[k]).collect();
        let hole = Hole::of(samples, &pieces, planned);
        if hole.area < LEAST_HOLE { small += hole.area } else { out.push(hole) }
    }
    out.sort_by(|a, b| b.area.total_cmp(&a.area));
    (out, small)
}

impl Hole {
    fn of(samples: &[Sample], pieces: &[&ShownPiece], planned: &[bool]) -> Self {
        let all = || pieces.iter().map(|p| &samples[p.sample]);
        let area: f64 = all().map(Sample::area).sum();
        let middle = all().map(|s| s.position * s.area()).sum::<Vec3>() / area;
        let nearest = all().min_by(|a, b| (a.position - middle).norm().total_cmp(&(b.position - middle).norm()));
        let range = |of: &dyn Fn(&Sample) -> [f64; 2]| {
            all().map(of).fold([f64::MAX, f64::MIN], |r, v| [r[0].min(v[0]), r[1].max(v[1])])
        };
        let wall = matches!(samples[pieces[0].sample].surface, Surface::Wall(_));
        let half = |s: &Sample, k: usize| if wall { s.size[k] / 2.0 } else { 0.0 };
        let mut lacks = [0.0; 3];
        let mut besides: Vec<f64> = Vec::new();
        let mut promised = 0.0;
        for p in pieces {
            let s = &samples[p.sample];
            let why = match (p.beside, p.spacing) {
                (Some(_), _) => Lack::Beside,
                (None, Some(_)) => Lack::Coarse,
                (None, None) => Lack::Nothing,
            };
            lacks[why as usize] += s.area();
            besides.extend(p.beside);
            promised += if planned.get(p.sample) == Some(&true) { s.area() } else { 0.0 };
        }
        Self {
            surface: samples[pieces[0].sample].surface,
            area,
            at: nearest.map_or(middle, |s| s.position),
            along: range(&|s| [s.along - half(s, 0), s.along + half(s, 0)]),
            heights: range(&|s| [s.position.z - half(s, 1), s.position.z + half(s, 1)]),
            beside: crate::stats::median(&mut besides).filter(|_| lacks[2] > area / 2.0),
            lacks,
            planned: promised / area,
            pieces: pieces.iter().map(|p| p.sample).collect(),
        }
    }
}

/// Along a surface and up it (on floors: in x and y), metres.
fn along(s: &Sample, d: &Vec3) -> [f64; 2] {
    match s.surface {
        Surface::Wall(_) => [d.y * s.normal.x - d.x * s.normal.y, d.z],
        Surface::Slab(_) => [d.x, d.y],
    }
}

/// The part of a piece that is no rim of its surface: as far as another piece goes on, or 6 cm less.
fn inner(s: &Sample, samples: &[Sample], near: Option<&Vec<u32>>) -> ([f64; 2], [f64; 2]) {
    let half = s.size.map(|v| v / 2.0);
    let goes_on = |k: usize, side: f64| {
        near.into_iter().flatten().map(|i| &samples[*i as usize]).any(|o| {
            let d = o.position - s.position;
            let at = along(s, &d);
            let gap = side * at[k] - half[k] - o.size[k] / 2.0;
            let level = o.surface == s.surface && o.normal.dot(&s.normal) > 0.999 && s.normal.dot(&d).abs() < 0.01;
            level && gap.abs() < 0.01 && at[1 - k].abs() < half[1 - k] + o.size[1 - k] / 2.0 - 0.01
        })
    };
    let (mut middle, mut out) = ([0.0; 2], half);
    for k in 0..2 {
        // of a narrow piece something is left
        let less = [-1.0, 1.0].map(|side| if goes_on(k, side) { 0.0 } else { NEAR.min(0.4 * half[k]) });
        middle[k] = (less[0] - less[1]) / 2.0;
        out[k] = half[k] - f64::midpoint(less[0], less[1]);
    }
    (middle, out)
}

fn key(p: &Vec3, size: f64) -> (i64, i64, i64) {
    let f = |v: f64| (v / size).floor() as i64;
    (f(p.x), f(p.y), f(p.z))
}
