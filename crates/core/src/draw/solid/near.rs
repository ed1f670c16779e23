//! What lies near solids: no more points of a scan for each than tell where it is.

use super::{Start, WIDE};
use crate::geometry::Vec3;
use nalgebra::Vector2;
use std::collections::HashMap;

/// Points of a scan that are kept for one solid at most.
const MOST: usize = 8000;
/// Side of the cells of the plan that solids are found by, metres.
const CELL: f64 = 0.25;
/// So far about an outline floor and ceiling are looked for, metres.
pub(super) const RING: f64 = 0.35;
/// So far beyond its ends a cylinder is looked at, metres.
const BEYOND: f64 = 0.1;

/// Solids that points are looked for about.
#[derive(Debug)]
pub struct Near<'a> {
    of: &'a [Start],
    cells: HashMap<[i32; 2], Vec<u32>>,
}

/// Points of a scan near a solid, evenly thinned.
#[derive(Clone, Debug)]
pub struct Kept {
    /// One of so many is here.
    pub(super) every: u64,
    pub(super) seen: u64,
    pub(super) points: Vec<Vec3>,
}

impl Default for Kept {
    fn default() -> Self {
        Self { every: 1, seen: 0, points: Vec::new() }
    }
}

impl Kept {
    fn put(&mut self, p: Vec3) {
        if self.seen.is_multiple_of(self.every) {
            self.points.push(p);
            if self.points.len() > MOST {
                self.thin();
            }
        }
        self.seen += 1;
    }

    fn thin(&mut self) {
        let mut k = 0;
        self.points.retain(|_| {
            k += 1;
            k % 2 == 1
        });
        self.every *= 2;
    }

    /// Adds what another part of the same scan has.
    pub fn merge(&mut self, mut other: Self) {
        while self.every < other.every {
            self.thin();
        }
        while other.every < self.every {
            other.thin();
        }
        self.seen += other.seen;
        self.points.append(&mut other.points);
        while self.points.len() > MOST {
            self.thin();
        }
    }

    /// Points that a share of those kept stands for.
    pub(super) fn stand_for(&self, kept: usize) -> u64 {
        kept as u64 * self.every
    }
}

fn cell(p: &Vector2<f64>) -> [i32; 2] {
    [p.x, p.y].map(|v| (v / CELL).floor() as i32)
}

/// Distance of a place from an outline, metres; negative inside.
///
/// ```
/// use nalgebra::Vector2;
/// let square = [[0.0, 0.0], [2.0, 0.0], [2.0, 2.0], [0.0, 2.0]].map(Vector2::from);
/// assert_eq!(vistazo_core::draw::solid::beside(&square, &Vector2::new(1.5, 1.0)), -0.5);
/// assert_eq!(vistazo_core::draw::solid::beside(&square, &Vector2::new(5.0, 6.0)), 5.0);
/// ```
pub fn beside(outline: &[Vector2<f64>], p: &Vector2<f64>) -> f64 {
    let (mut inside, mut nearest) = (false, f64::MAX);
    for (a, b) in outline.iter().zip(outline.iter().cycle().skip(1)) {
        let d = b - a;
        let t = ((p - a).dot(&d) / d.norm_squared().max(1e-18)).clamp(0.0, 1.0);
        nearest = nearest.min((p - a - d * t).norm());
        if (a.y > p.y) != (b.y > p.y) && p.x < (b.x - a.x) * (p.y - a.y) / (b.y - a.y) + a.x {
            inside = !inside;
        }
    }
    if inside { -nearest } else { nearest }
}

impl<'a> Near<'a> {
    /// About these.
    pub fn new(of: &'a [Start]) -> Self {
        let mut cells: HashMap<[i32; 2], Vec<u32>> = HashMap::new();
        let half = CELL * std::f64::consts::FRAC_1_SQRT_2;
        for (id, start) in of.iter().enumerate() {
            let (reach, corners): (f64, Vec<Vector2<f64>>) = match start {
                Start::Rod(ends, radius) => (radius + WIDE + BEYOND, ends.iter().map(nalgebra::Matrix::xy).collect()),
                Start::Block(outline, _) => (RING, outline.clone()),
            };
            let limit = |pick: fn(f64, f64) -> f64, k: usize| corners.iter().map(|c| c[k]).reduce(pick).unwrap_or(0.0);
            let low = cell(&(Vector2::new(limit(f64::min, 0), limit(f64::min, 1)).add_scalar(-reach)));
            let high = cell(&(Vector2::new(limit(f64::max, 0), limit(f64::max, 1)).add_scalar(reach)));
            for x in low[0]..=high[0] {
                for y in low[1]..=high[1] {
                    let middle = Vector2::new(f64::from(x) + 0.5, f64::from(y) + 0.5) * CELL;
                    if beside(&corners, &middle) < reach + half {
                        cells.entry([x, y]).or_default().push(id as u32);
                    }
                }
            }
        }
        Self { of, cells }
    }

    /// What lies near each, out of points of one scan in the frame of the solids.
    pub fn collect(&self, points: impl Iterator<Item = Vec3>) -> Vec<Kept> {
        let mut out = vec![Kept::default(); self.of.len()];
        for p in points {
            for &id in self.cells.get(&cell(&p.xy())).into_iter().flatten() {
                let wanted = match &self.of[id as usize] {
                    Start::Rod([a, b], radius) => {
                        let along = (b - a).normalize();
                        let s = (p - a).dot(&along);
                        s > -BEYOND
                            && s < (b - a).norm() + BEYOND
                            && ((p - a - along * s).norm() - radius).abs() < WIDE + 0.01
                    }
                    Start::Block(outline, [low, high]) => {
                        p.z > low - RING && p.z < high + RING && beside(outline, &p.xy()) < RING
                    }
                };
                if wanted {
                    out[id as usize].put(p);
                }
            }
        }
        out
    }
}
