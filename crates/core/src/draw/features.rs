//! What features are drawn by: a table of codes to begin with, and lines of one code that say the same thing twice.

use super::Snap;
use nalgebra::Vector2;

/// A code that features are drawn by.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Code {
    /// As files have it, a layer of its own.
    pub code: &'static str,
    /// In words.
    pub name: &'static str,
    /// What of a profile is meant by it.
    pub snap: Snap,
    /// Lines are drawn by it, and points otherwise.
    pub is_line: bool,
}

/// The code of floor levels: one belongs to every opening that reaches down to the floor.
pub const FLOOR: &str = "FLOOR";

const fn line(code: &'static str, name: &'static str, snap: Snap) -> Code {
    Code { code, name, snap, is_line: true }
}

const fn point(code: &'static str, name: &'static str) -> Code {
    Code { code, name, snap: Snap::Ground, is_line: false }
}

/// The table that every job begins with.
pub const CODES: [Code; 17] = [
    line("KERB", "Kerb, upper rim", Snap::Top),
    line("GUTTER", "Gutter at the foot of a kerb", Snap::Foot),
    line("PAVING", "Edge of paving", Snap::Ground),
    line("STEP", "Step, upper rim", Snap::Top),
    line("PLATFORM", "Edge of a platform", Snap::Top),
    line("BUILDING", "Building line at the ground", Snap::Ground),
    line("FENCE", "Fence", Snap::Ground),
    line("RIDGE", "Ridge or top of a bank", Snap::Ridge),
    line("DITCH", "Bottom of a ditch or a bank", Snap::Ridge),
    line("RAIL", "Rail, top", Snap::Top),
    point(FLOOR, "Finished floor level"),
    point("GROUND", "Ground shot"),
    point("BENCHMARK", "Benchmark"),
    point("COVER", "Utility cover"),
    point("UTILITY", "Utility, other"),
    point("POLE", "Pole or post, foot"),
    point("TREE", "Tree, foot"),
];

/// Lines so near are one thing, metres, where that holds for so much of the shorter one.
const NEAR: f64 = 0.3;
const MUCH: f64 = 0.6;
/// Places along a line that are compared, metres apart.
const EACH: f64 = 0.2;

/// Pairs of lines that run beside one another so closely that one thing was likely drawn twice.
///
/// ```
/// use nalgebra::Vector2;
/// use vistazo_core::draw::twice;
/// let line = |off: f64| vec![Vector2::new(0.0, off), Vector2::new(6.0, off)];
/// assert_eq!(twice(&[line(0.0), line(2.0), line(0.1)]), [(0, 2)]);
/// ```
pub fn twice(lines: &[Vec<Vector2<f64>>]) -> Vec<(usize, usize)> {
    let length = |l: &[Vector2<f64>]| l.windows(2).map(|w| (w[1] - w[0]).norm()).sum::<f64>();
    let mut out = Vec::new();
    for (i, a) in lines.iter().enumerate() {
        for (j, b) in lines.iter().enumerate().skip(i + 1) {
            let (short, long) = if length(a) < length(b) { (a, b) } else { (b, a) };
            let places = along(short);
            let beside = places.iter().filter(|p| off(long, p) < NEAR).count();
            if short.len() > 1 && beside as f64 >= MUCH * places.len() as f64 {
                out.push((i, j));
            }
        }
    }
    out
}

fn along(line: &[Vector2<f64>]) -> Vec<Vector2<f64>> {
    let on = |w: &[Vector2<f64>]| {
        let n = ((w[1] - w[0]).norm() / EACH).ceil().clamp(1.0, 2000.0) as usize;
        let (a, d) = (w[0], (w[1] - w[0]) / n as f64);
        (0..n).map(move |k| a + d * k as f64).collect::<Vec<_>>()
    };
    line.windows(2).flat_map(on).chain(line.last().copied()).collect()
}

fn off(line: &[Vector2<f64>], p: &Vector2<f64>) -> f64 {
    let to = |w: &[Vector2<f64>]| {
        let d = w[1] - w[0];
        let t = ((p - w[0]).dot(&d) / d.norm_squared().max(1e-12)).clamp(0.0, 1.0);
        (w[0] + d * t - p).norm()
    };
    line.windows(2).map(to).fold(f64::MAX, f64::min)
}
