//! How far an outline reaches up and down, by what its faces show and the level surfaces beside and upon it.

use super::near::{Kept, RING, beside};
use super::{Rests, Spread};
use crate::draw::Stand;
use crate::draw::ground::{joined, shared};
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use crate::stats::{K95_1D, median};
use nalgebra::Vector2;
use std::collections::BTreeMap;

/// Where a block ends, upwards or downwards.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Limit {
    /// At the floor or the ground.
    Floor,
    /// At a ceiling.
    Ceiling,
    /// At a level surface of its own.
    Top,
    /// At an edge, with nothing level seen there.
    Edge,
}

/// A measured block.
#[derive(Clone, Debug, PartialEq)]
pub struct Block {
    /// From where to where, metres.
    pub heights: [f64; 2],
    /// 95 % of both, metres.
    pub error95: [f64; 2],
    /// What it ends at.
    pub limits: [Limit; 2],
    /// Points about its faces.
    pub rests: Rests,
}

/// Points so near an outline are of a face, metres.
const OFF: f64 = 0.025;
/// Length of a face whose height is told for itself, metres, and fewest points and lengths.
const COLUMN: f64 = 0.1;
const FEWEST: usize = 6;
const COLUMNS: usize = 3;
/// A face reaches up and down by this at least, metres.
const UPRIGHT: f64 = 0.06;
/// A face that is not seen for more than this, upwards, ends there, metres.
const HIDDEN: f64 = 0.4;
/// Both ends are known within this part of the height at least, 95 %.
const KNOWN: f64 = 0.2;
/// Level surfaces so near the end of a face are what it ends at, metres: corners are rounded by mixed ranges, and
/// skirtings stand before walls.
const NEAR: [f64; 2] = [0.3, 0.2];
/// Points within this of a level surface are of it, metres.
const LEVEL: f64 = 0.015;
const FEW: usize = 20;
/// Floors and ceilings are uneven by this, 1σ, metres; edges are rounded by so much.
const UNEVEN: f64 = 0.0012;
const ROUNDED: f64 = 0.002;

/// Measures a block within an outline, between two heights; none where no face of it is seen. `kept` and `stands` have one
/// entry a scan; `foot` says that it may stand on the floor (what lies over an opening does not).
pub fn block(
    outline: &[Vector2<f64>],
    foot: bool,
    kept: &[&Kept],
    stands: &[Stand],
    instrument: &Instrument,
) -> Option<Block> {
    let mut columns: BTreeMap<(usize, i64), Vec<f64>> = BTreeMap::new();
    let (mut off, mut on, mut squares) = (Vec::new(), 0, 0.0);
    let mut scans = Vec::new();
    for (k, of) in kept.iter().enumerate() {
        let mut mine = 0;
        for p in &of.points {
            let Some((edge, t, d)) = face(outline, &p.xy()) else { continue };
            off.push(d);
            if d.abs() < OFF {
                mine += 1;
                squares += d * d;
                columns.entry((edge, (t / COLUMN).floor() as i64)).or_default().push(p.z);
            }
        }
        if mine > FEWEST {
            scans.push(k);
        }
        on += of.stand_for(mine);
    }
    let counted: usize = columns.values().map(Vec::len).sum();
    // what is level at the top of a face is none
    let runs: Vec<Run> = columns.values_mut().filter_map(|z| run(z)).filter(|r| r.to - r.from > UPRIGHT).collect();
    if runs.len() < COLUMNS {
        return None;
    }
    let levels = Levels { outline, kept, stands, instrument };
    let edge = |up: bool| {
        let sign = if up { 1.0 } else { -1.0 };
        let mut ends: Vec<f64> = runs.iter().map(|r| if up { r.to } else { r.from }).collect();
        let mut gaps: Vec<f64> = runs.iter().map(|r| if up { r.last } else { r.first }).collect();
        let (middle, gap) = (median(&mut ends).unwrap_or(0.0), median(&mut gaps).unwrap_or(0.0));
        let mut apart: Vec<f64> = ends.iter().map(|e| (e - middle).abs()).collect();
        let spread = 1.4826 * median(&mut apart).unwrap_or(0.0);
        let variance = 1.57 * spread * spread / ends.len() as f64 + gap * gap / 12.0 + ROUNDED * ROUNDED;
        let common = levels.common(middle);
        (middle + sign * gap / 2.0, K95_1D * (variance + common).sqrt())
    };
    let (top, top95) = edge(true);
    let (base, base95) = edge(false);
    let ceiling = levels.at(top, NEAR, Facing::Down, Where::Beside);
    let own = levels.at(top, [0.12, 0.12], Facing::Up, Where::Upon);
    let (top, top95, upper) = match (ceiling, own) {
        (Some((z, e)), _) => (z, e, Limit::Ceiling),
        (None, Some((z, e))) => (z, e, Limit::Top),
        (None, None) => (top, top95, Limit::Edge),
    };
    let floor = foot.then(|| levels.at(base, [NEAR[1], NEAR[0]], Facing::Up, Where::Beside)).flatten();
    let (base, base95, lower) = floor.map_or((base, base95, Limit::Edge), |(z, e)| (z, e, Limit::Floor));
    let rms = (squares / (counted as f64).max(1.0)).sqrt();
    // ends that are not known within a good part of it are no ends
    let known = base95.max(top95) < KNOWN * (top - base);
    (known && top - base > UPRIGHT).then(|| Block {
        heights: [base, top],
        error95: [base95, top95],
        limits: [lower, upper],
        rests: Rests { spread: Spread::of(off.into_iter()), rms, points: on, scans },
    })
}

/// The face of an outline that a place lies before: which, where along it, and how far outside.
fn face(outline: &[Vector2<f64>], p: &Vector2<f64>) -> Option<(usize, f64, f64)> {
    let out = beside(outline, p).signum();
    let mut best: Option<(usize, f64, f64)> = None;
    for (k, (a, b)) in outline.iter().zip(outline.iter().cycle().skip(1)).enumerate() {
        let Some(d) = (b - a).try_normalize(1e-6) else { continue };
        let (t, off) = (d.dot(&(p - a)), d.perp(&(p - a)).abs());
        // at corners two faces mix
        let inside = t > 0.03 && t < (b - a).norm() - 0.03;
        if inside && off < super::WIDE && best.is_none_or(|b| off < b.2.abs()) {
            best = Some((k, t, off * out));
        }
    }
    best
}

struct Run {
    from: f64,
    to: f64,
    /// To the next point at both ends.
    first: f64,
    last: f64,
}

/// The longest part of a column without a break.
fn run(z: &mut [f64]) -> Option<Run> {
    z.sort_by(f64::total_cmp);
    let (mut best, mut from) = ((0, 0), 0);
    for k in 1..=z.len() {
        if k == z.len() || z[k] - z[k - 1] > HIDDEN {
            if z[k - 1] - z[from] >= z[best.1] - z[best.0] && k - from >= FEWEST {
                best = (from, k - 1);
            }
            from = k;
        }
    }
    let (a, b) = best;
    (b > a + 1).then(|| Run { from: z[a], to: z[b], first: z[a + 1] - z[a], last: z[b] - z[b - 1] })
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Facing {
    Up,
    Down,
}

#[derive(Clone, Copy, PartialEq, Eq)]
enum Where {
    Beside,
    Upon,
}

struct Levels<'a> {
    outline: &'a [Vector2<f64>],
    kept: &'a [&'a Kept],
    stands: &'a [Stand],
    instrument: &'a Instrument,
}

impl Levels<'_> {
    /// The level surface about a height, from so far below it to so far above: height and 95 %.
    fn at(&self, about: f64, reach: [f64; 2], facing: Facing, whereabouts: Where) -> Option<(f64, f64)> {
        let seen = |k: usize| {
            let from = self.stands[k].pose.translation.z;
            self.kept[k].points.iter().filter(move |p| {
                let d = beside(self.outline, &p.xy());
                let there = match whereabouts {
                    Where::Beside => d > 0.03 && d < RING,
                    Where::Upon => d < -0.03,
                };
                there && p.z > about - reach[0] && p.z < about + reach[1] && (from > p.z) == (facing == Facing::Up)
            })
        };
        let mut z: Vec<f64> = (0..self.kept.len()).flat_map(seen).map(|p| p.z).collect();
        z.sort_by(f64::total_cmp);
        let held = |k: usize| z.partition_point(|v| *v <= z[k] + 2.0 * LEVEL) - k;
        let k = (0..z.len()).max_by_key(|k| held(*k))?;
        // upright things before it have as many points at every height
        if held(k) < FEW || (held(k) as f64) < 3.0 * 2.0 * LEVEL / (reach[0] + reach[1]) * z.len() as f64 {
            return None;
        }
        let peak = z[k + held(k) / 2];
        let mut said = Vec::new();
        for k in 0..self.kept.len() {
            let on: Vec<&Vec3> = seen(k).filter(|p| (p.z - peak).abs() < LEVEL).collect();
            if on.len() < FEWEST {
                continue;
            }
            let n = on.len() as f64;
            let mean = on.iter().map(|p| p.z).sum::<f64>() / n;
            let scatter = on.iter().map(|p| (p.z - mean).powi(2)).sum::<f64>() / (n - 1.0);
            let at = on.iter().copied().sum::<Vec3>() / n;
            said.push((mean, scatter / n, shared(&self.stands[k], self.instrument, &at), on.len() as u32));
        }
        let cell = joined(&said, UNEVEN)?;
        Some((cell.height, K95_1D * (cell.own + cell.common).sqrt()))
    }

    /// What all points about a height have in common, of the scan that knows it best, m².
    fn common(&self, z: f64) -> f64 {
        let middle = self.outline.iter().sum::<Vector2<f64>>() / self.outline.len().max(1) as f64;
        let of = |k: usize| shared(&self.stands[k], self.instrument, &middle.push(z));
        (0..self.kept.len()).filter(|k| !self.kept[*k].points.is_empty()).map(of).fold(f64::MAX, f64::min)
    }
}
