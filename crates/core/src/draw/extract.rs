//! Straight pieces in what all scans show together: grown from where the neighbourhood is straightest (region growing on
//! local normals, after Rabbani et al. 2006), refitted as they grow.

use super::{Layer, Line, fit::Stand};
use nalgebra::{Matrix2, Vector2};
use std::collections::{HashMap, VecDeque};

/// A spot of all scans together.
#[derive(Clone, Copy, Debug)]
pub(super) struct Pooled {
    pub(super) at: Vector2<f64>,
    /// Towards the scanners that saw it.
    pub(super) towards: Vector2<f64>,
    pub(super) count: f64,
}

/// A straight piece: its line and from where to where spots lie on it.
#[derive(Clone, Debug)]
pub(super) struct Piece {
    pub(super) line: Line,
    pub(super) from: f64,
    pub(super) to: f64,
}

const CELL: f64 = 0.01;
/// Neighbourhoods are tried in this order until one holds enough, metres.
const RADII: [f64; 3] = [0.12, 0.2, 0.32];
const ENOUGH: usize = 6;
/// Smaller over larger spread of a straight neighbourhood, at most.
const STRAIGHT: f64 = 0.02;
/// How far off its line a spot may lie, metres: uneven walls, and scans a little beside one another.
pub(super) const OFF: f64 = 0.02;
/// Normals differ by no more than this: cosine of 14°.
const ALIKE: f64 = 0.97;
/// Shorter pieces are no lines of a plan, metres.
const SHORTEST: f64 = 0.35;
const FEWEST: usize = 8;

/// Everything that all scans show at the cut.
pub(super) fn pool(layers: &[Layer], stands: &[Stand]) -> Vec<Pooled> {
    let mut cells: HashMap<(i32, i32), Pooled> = HashMap::new();
    for (layer, stand) in layers.iter().zip(stands) {
        let from = stand.pose.translation.xy();
        for s in if layer.calmed.is_empty() { &layer.cut } else { &layer.calmed } {
            let key = ((s.at.x / CELL).floor() as i32, (s.at.y / CELL).floor() as i32);
            let n = f64::from(s.count);
            let towards = (from - s.at).try_normalize(1e-9).unwrap_or_else(Vector2::zeros) * n;
            let empty = Pooled { at: Vector2::zeros(), towards: Vector2::zeros(), count: 0.0 };
            let p = cells.entry(key).or_insert(empty);
            *p = Pooled { at: p.at + s.at * n, towards: p.towards + towards, count: p.count + n };
        }
    }
    let mut all: Vec<_> = cells.into_iter().collect();
    all.sort_unstable_by_key(|c| c.0);
    all.into_iter().map(|(_, p)| Pooled { at: p.at / p.count, towards: p.towards / p.count, count: p.count }).collect()
}

/// Spots by place.
pub(super) struct Near<'a> {
    spots: &'a [Pooled],
    cells: HashMap<(i32, i32), Vec<u32>>,
}

const BIN: f64 = 0.1;

impl<'a> Near<'a> {
    pub(super) fn new(spots: &'a [Pooled]) -> Self {
        let mut cells: HashMap<_, Vec<u32>> = HashMap::new();
        for (k, s) in spots.iter().enumerate() {
            cells.entry(bin(&s.at)).or_default().push(k as u32);
        }
        Self { spots, cells }
    }

    pub(super) fn within(&self, p: &Vector2<f64>, radius: f64) -> impl Iterator<Item = usize> {
        let (x, y) = bin(p);
        let n = (radius / BIN).ceil() as i32;
        let p = *p;
        (x - n..=x + n)
            .flat_map(move |i| (y - n..=y + n).map(move |j| (i, j)))
            .filter_map(|c| self.cells.get(&c))
            .flatten()
            .map(|k| *k as usize)
            .filter(move |k| (self.spots[*k].at - p).norm_squared() <= radius * radius)
    }
}

fn bin(p: &Vector2<f64>) -> (i32, i32) {
    ((p.x / BIN).floor() as i32, (p.y / BIN).floor() as i32)
}

/// Mean, direction of the largest spread, and smaller over larger spread.
fn axis(spots: impl Iterator<Item = Vector2<f64>> + Clone) -> Option<(Vector2<f64>, Vector2<f64>, f64)> {
    let n = spots.clone().count();
    if n < 3 {
        return None;
    }
    let mean = spots.clone().sum::<Vector2<f64>>() / n as f64;
    let c = spots.map(|p| (p - mean) * (p - mean).transpose()).sum::<Matrix2<f64>>();
    let half = f64::midpoint(c[(0, 0)], c[(1, 1)]);
    let root = ((c[(0, 0)] - c[(1, 1)]) / 2.0).hypot(c[(0, 1)]);
    let angle = 0.5 * (2.0 * c[(0, 1)]).atan2(c[(0, 0)] - c[(1, 1)]);
    (root > 0.0).then(|| (mean, Vector2::new(angle.cos(), angle.sin()), (half - root).max(0.0) / (half + root)))
}

/// Straight pieces, the longest first, and which spots belong to none.
pub(super) fn pieces(spots: &[Pooled], near: &Near) -> (Vec<Piece>, Vec<usize>) {
    use rayon::prelude::*;
    let local = |s: &Pooled| {
        for r in RADII {
            let found: Vec<Vector2<f64>> = near.within(&s.at, r).map(|k| spots[k].at).collect();
            if found.len() >= ENOUGH {
                let (_, along, straight) = axis(found.iter().copied())?;
                return (straight < STRAIGHT).then(|| (Line::new(s.at, along, &s.towards), straight, r));
            }
        }
        None
    };
    let lines: Vec<Option<(Line, f64, f64)>> = spots.par_iter().map(local).collect();
    let mut seeds: Vec<usize> = (0..spots.len()).filter(|&k| lines[k].is_some()).collect();
    let straight = |k: usize| lines[k].as_ref().map_or(1.0, |l| l.1);
    seeds.sort_by(|a, b| straight(*a).total_cmp(&straight(*b)).then(a.cmp(b)));
    let mut free = vec![true; spots.len()];
    let mut out = Vec::new();
    for seed in seeds {
        let Some((mut line, _, _)) = lines[seed].filter(|_| free[seed]) else { continue };
        free[seed] = false;
        let mut of = vec![seed];
        let mut todo = VecDeque::from([seed]);
        let mut again = ENOUGH;
        while let Some(k) = todo.pop_front() {
            let reach = lines[k].map_or(RADII[0], |l| l.2);
            for m in near.within(&spots[k].at, reach) {
                let Some((l, _, _)) = &lines[m] else { continue };
                if free[m] && l.normal.dot(&line.normal) > ALIKE && line.off(&spots[m].at).abs() < OFF {
                    free[m] = false;
                    of.push(m);
                    todo.push_back(m);
                }
            }
            if of.len() >= again {
                again = of.len() * 3 / 2;
                line = through(spots, &of, &line);
            }
        }
        line = through(spots, &of, &line);
        let (from, to) =
            of.iter().map(|k| line.t(&spots[*k].at)).fold((f64::MAX, f64::MIN), |r, t| (r.0.min(t), r.1.max(t)));
        if of.len() < FEWEST || to - from < SHORTEST {
            // what belongs to no line may still be round
            for k in &of {
                free[*k] = true;
            }
            continue;
        }
        out.push(Piece { line, from, to });
    }
    out.sort_by(|a, b| (b.to - b.from).total_cmp(&(a.to - a.from)));
    let on_one = |s: &Pooled| {
        out.iter().any(|p| {
            let t = p.line.t(&s.at);
            p.line.off(&s.at).abs() < OFF && t > p.from - OFF && t < p.to + OFF
        })
    };
    let left = (0..spots.len()).into_par_iter().filter(|&k| free[k] && !on_one(&spots[k])).collect();
    (out, left)
}

/// The line through what lies along two ends, from as far as a hand draws beside it to as near as a line holds.
pub(super) fn drawn_to(spots: &[Vector2<f64>], ends: [Vector2<f64>; 2], seen_from: &Vector2<f64>) -> Option<Line> {
    let mut line = Line::new((ends[0] + ends[1]) / 2.0, (ends[1] - ends[0]).try_normalize(1e-6)?, seen_from);
    for reach in [0.08, 0.05, 0.03, OFF, OFF] {
        let (a, b) = (line.t(&ends[0]), line.t(&ends[1]));
        let along = |p: &&Vector2<f64>| (a.min(b)..=a.max(b)).contains(&line.t(p)) && line.off(p).abs() < reach;
        let near: Vec<Vector2<f64>> = spots.iter().filter(along).copied().collect();
        // where two faces are within reach, the one that more lies on
        let mut off: Vec<f64> = near.iter().map(|p| line.off(p)).collect();
        let middle = crate::stats::median(&mut off)?;
        let (at, mut dir, straight) =
            axis(near.iter().filter(|p| (line.off(p) - middle).abs() < reach / 2.0).copied())?;
        if straight > 0.3 {
            return None;
        }
        if dir.dot(&line.along) < 0.0 {
            dir = -dir;
        }
        line = Line::new(at, dir, &line.normal);
    }
    Some(line)
}

/// The line through spots, seen from the same side as before.
fn through(spots: &[Pooled], of: &[usize], before: &Line) -> Line {
    axis(of.iter().map(|k| spots[*k].at)).map_or(*before, |(at, along, _)| Line::new(at, along, &before.normal))
}

/// Pieces of one line are put together: what lies between them was hidden, or is open.
pub(super) fn together(pieces: Vec<Piece>) -> Vec<(Line, Vec<[f64; 2]>)> {
    let mut out: Vec<(Line, Vec<[f64; 2]>)> = Vec::new();
    for p in pieces {
        let ends = [p.line.point(p.from), p.line.point(p.to)];
        let same = out.iter_mut().find(|(line, parts)| {
            if line.normal.dot(&p.line.normal) < 0.999 {
                return false;
            }
            let t = ends.map(|e| line.t(&e));
            let (lo, hi) = (t[0].min(t[1]), t[0].max(t[1]));
            let gap = parts.iter().map(|s| (lo - s[1]).max(s[0] - hi)).fold(f64::MAX, f64::min).max(0.0);
            gap < 8.0 && ends.iter().all(|e| line.off(e).abs() < 0.6 * OFF + 0.0015 * gap)
        });
        if let Some((line, parts)) = same {
            let t = ends.map(|e| line.t(&e));
            parts.push([t[0].min(t[1]), t[0].max(t[1])]);
        } else {
            out.push((p.line, vec![[p.from, p.to]]));
        }
    }
    out
}
