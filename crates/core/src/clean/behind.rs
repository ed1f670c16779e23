//! Points of a walk that cannot be: a surface that the walk itself measured stands between them and where the unit was.
//!
//! A reflection, a second echo, a calibration that is off put points behind walls, where nobody saw. A single beam that went
//! through a wall is such a point; where many went through, it was no wall then: a door that stood open on another visit.

use crate::geometry::Vec3;
use rayon::prelude::*;
use std::sync::atomic::{AtomicU32, Ordering::Relaxed};

/// Side of the cells that surfaces are kept in, metres, and how many a side make a block.
const CELL: f64 = 0.06;
const BLOCK: usize = 8;
/// Most blocks, all in all: a site of 300 m by 300 m by 30 m.
const MOST_BLOCKS: usize = 24_000_000;

/// A beam passes a surface at least so far from both its ends, metres, not more slantwise than this (cosine), and ends so deep
/// behind it, metres: more than its noise.
const CLEAR: f64 = 0.2;
const SLANT: f64 = 0.1;
const DEEP: f64 = 0.04;
/// The surface goes on so far all round the place where it is passed, metres, nearer or farther.
const ROUND: [f64; 3] = [0.06, 0.1, 0.15];
/// Where so many beams for each that ended in a block went through, it is no wall.
const OPEN: f64 = 0.2;
/// Steps along a beam, metres.
const STEP: f64 = 0.03;

#[derive(Clone, Copy, Default)]
struct Patch {
    at: Vec3,
    normal: Vec3,
    count: u32,
}

/// Surfaces that a walk showed, cell by cell.
pub struct Surfaces {
    low: Vec3,
    /// Blocks along each axis, and where each begins among the cells (from 1; 0 where nothing is).
    size: [usize; 3],
    blocks: Vec<u32>,
    /// Which patch is in a cell (from 1).
    cells: Vec<u32>,
    patches: Vec<Patch>,
}

impl Surfaces {
    /// From points and their unit normals (nil where not known), metres. `None` where they are spread over more than a site.
    pub fn of(points: &[(Vec3, Vec3)]) -> Option<Self> {
        let known = || points.iter().filter(|p| p.1 != Vec3::zeros());
        let low = known().fold(Vec3::repeat(f64::MAX), |m, p| m.inf(&p.0)) - Vec3::repeat(CELL);
        let high = known().fold(Vec3::repeat(f64::MIN), |m, p| m.sup(&p.0)) + Vec3::repeat(CELL);
        let wide = CELL * BLOCK as f64;
        let size = [0, 1, 2].map(|k| (((high[k] - low[k]) / wide).max(0.0) as usize).saturating_add(1));
        let all = size[0].checked_mul(size[1])?.checked_mul(size[2])?;
        if all > MOST_BLOCKS || points.is_empty() {
            return None;
        }
        let mut out = Self { low, size, blocks: vec![0; all], cells: Vec::new(), patches: Vec::new() };
        for (at, normal) in known() {
            let Some((block, cell)) = out.place(at) else { continue };
            if out.blocks[block] == 0 {
                out.cells.resize(out.cells.len() + BLOCK.pow(3), 0);
                out.blocks[block] = (out.cells.len() / BLOCK.pow(3)) as u32;
            }
            let slot = (out.blocks[block] as usize - 1) * BLOCK.pow(3) + cell;
            if out.cells[slot] == 0 {
                out.patches.push(Patch::default());
                out.cells[slot] = out.patches.len() as u32;
            }
            let p = &mut out.patches[out.cells[slot] as usize - 1];
            // both sides of a thin wall lie in one cell: which way it faces does not matter here
            let same = if p.normal.dot(normal) < 0.0 { -normal } else { *normal };
            *p = Patch { at: p.at + at, normal: p.normal + same, count: p.count + 1 };
        }
        for p in &mut out.patches {
            p.at /= f64::from(p.count);
            p.normal = p.normal.try_normalize(0.3).unwrap_or_default();
        }
        Some(out)
    }

    fn place(&self, p: &Vec3) -> Option<(usize, usize)> {
        let v = (p - self.low) / CELL;
        if v.iter().any(|v| *v < 0.0) {
            return None;
        }
        let v = [v.x as usize, v.y as usize, v.z as usize];
        let b = v.map(|v| v / BLOCK);
        if (0..3).any(|k| b[k] >= self.size[k]) {
            return None;
        }
        let c = v.map(|v| v % BLOCK);
        let block = (b[2] * self.size[1] + b[1]) * self.size[0] + b[0];
        Some((block, (c[2] * BLOCK + c[1]) * BLOCK + c[0]))
    }

    /// The number of the block at a place where surfaces are.
    fn block(&self, p: &Vec3) -> Option<usize> {
        (self.blocks[self.place(p)?.0] as usize).checked_sub(1)
    }

    /// The patch at a place.
    fn patch(&self, p: &Vec3) -> Option<usize> {
        let (_, cell) = self.place(p)?;
        let start = self.block(p)?;
        (self.cells[start * BLOCK.pow(3) + cell] as usize).checked_sub(1)
    }

    /// Whether nothing is near a place, and how far along a direction the block of it goes on, metres.
    fn empty(&self, p: &Vec3, along: &Vec3) -> Option<f64> {
        let (block, _) = self.place(p)?;
        if self.blocks[block] != 0 {
            return None;
        }
        let wide = CELL * BLOCK as f64;
        let own = (p - self.low) / wide;
        let out = |k: usize| {
            let part = own[k] - own[k].floor();
            let left = if along[k] > 0.0 { 1.0 - part } else { part };
            if along[k].abs() < 1e-9 { f64::MAX } else { left * wide / along[k].abs() }
        };
        Some((0..3).map(out).fold(f64::MAX, f64::min) + 1e-3)
    }

    /// The surface that a beam went through on its way, if it did.
    fn passed(&self, from: &Vec3, to: &Vec3) -> Option<usize> {
        let way = to - from;
        let long = way.norm();
        let along = way.try_normalize(2.0 * CLEAR)?;
        let mut at = CLEAR;
        let mut last = None;
        while at < long - CLEAR {
            let here = from + along * at;
            if let Some(on) = self.empty(&here, &along) {
                at += on;
                continue;
            }
            at += STEP;
            let Some(k) = self.patch(&here).filter(|k| last != Some(*k)) else { continue };
            last = Some(k);
            let p = &self.patches[k];
            let slant = along.dot(&p.normal);
            if slant.abs() < SLANT {
                continue;
            }
            let crossing = p.normal.dot(&(p.at - from)) / slant;
            let through = from + along * crossing;
            let clear = crossing > CLEAR && crossing < long - CLEAR && p.normal.dot(&(to - p.at)).abs() > DEEP;
            if clear && (through - here).norm() < 2.0 * CELL && self.goes_on(p, &through) {
                return Some(k);
            }
        }
        None
    }

    /// Whether a surface goes on all round a place on it.
    fn goes_on(&self, p: &Patch, at: &Vec3) -> bool {
        let u = p.normal.cross(&if p.normal.z.abs() < 0.9 { Vec3::z() } else { Vec3::x() }).normalize();
        let v = p.normal.cross(&u);
        // in a corner it is another surface that it ends at
        let on = |there: &Vec3| self.patch(there).is_some();
        [u, -u, v, -v].iter().all(|d| {
            // its mean may lie in the cell beside
            let offs = [0.0, CELL, -CELL].map(|o| at + p.normal * o);
            ROUND.iter().any(|far| offs.iter().any(|o| on(&(o + d * *far))))
        })
    }
}

/// Which of so many points cannot be, each with where it was measured from and where it is, metres, in the frame of the surfaces;
/// `None` when `go_on`, which hears what share is done, says so.
pub fn behind(
    surfaces: &Surfaces,
    points: usize,
    beam: impl Fn(usize) -> (Vec3, Vec3) + Sync,
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Option<Vec<bool>> {
    const LOT: usize = 1 << 20;
    let counted = |n: usize| (0..n).map(|_| AtomicU32::new(0)).collect::<Vec<_>>();
    // block by block: one beam says little of a cell that few ended in
    let blocks = surfaces.cells.len() / BLOCK.pow(3);
    let (ended, went) = (counted(blocks), counted(blocks));
    let mut through: Vec<u32> = Vec::with_capacity(points);
    for from in (0..points).step_by(LOT) {
        if !go_on(from as f64 / points as f64) {
            return None;
        }
        let one = |k: usize| {
            let (from, to) = beam(k);
            if let Some(b) = surfaces.block(&to) {
                ended[b].fetch_add(1, Relaxed);
            }
            surfaces.passed(&from, &to).and_then(|p| surfaces.block(&surfaces.patches[p].at)).map_or(0, |b| {
                went[b].fetch_add(1, Relaxed);
                b as u32 + 1
            })
        };
        through.par_extend((from..(from + LOT).min(points)).into_par_iter().map(one));
    }
    let wall = |b: u32| {
        let of = |counts: &[AtomicU32]| f64::from(counts[b as usize - 1].load(Relaxed));
        of(&went) <= OPEN * of(&ended)
    };
    Some(through.into_par_iter().map(|b| b > 0 && wall(b)).collect())
}
