use super::{Class, ROUND, Ranges, parts};
use crate::geometry::Pose;
use crate::scan::Scan;
use crate::tie::{Seen, Sight};
use rayon::prelude::*;

/// Another scan that looked at the same place.
#[derive(Clone, Copy, Debug)]
pub struct Other<'a> {
    /// How far it saw.
    pub sight: &'a Sight,
    /// From the frame of the scan that is looked at to its own.
    pub pose: Pose,
    /// How far both may be beside each other, 1σ, metres.
    pub sigma: f64,
}

/// What is nearer to a surface than this is taken for it, metres; and so much more for each metre of distance.
const BESIDE: [f64; 2] = [0.05, 0.004];
/// What moved shows at least so many points that hang together, and is at least so thick at the thickest, cells.
const FEWEST: u32 = 25;
const SOLID: f64 = 0.3;
/// Cells hang together where they are no farther apart than this many steps, or this, metres.
const STEPS: f64 = 6.0;
const APART: f64 = 0.04;
/// How far what moved is followed to points that no other scan speaks of, cells.
const FOLLOWED: usize = 8;
/// And how far down, where each step goes down by so much of its length.
const DOWN: usize = 60;
const STEEP: f64 = 0.8;

/// Finds what moved: points at places that other scans saw through, as their rays ended far behind (see-through votes, as in
/// Girardeau-Montaut et al. 2005). A point is suspected where more of the others saw through its place than saw a surface
/// there; suspects count where enough of them hang together in the grid of the scan. A surface that two scans show a little
/// beside each other is none of it. The result has a class for each point.
pub fn moved(scan: &Scan, others: &[Other<'_>]) -> Vec<Class> {
    let mut out = vec![Class::Kept; scan.points.len()];
    if others.is_empty() || !scan.has_scanner() {
        return out;
    }
    let r = Ranges::of(scan);
    let clear: Vec<Vec<f32>> = others.iter().map(|o| o.sight.clear()).collect();
    // votes: of those that saw through it, and of those that saw a surface there
    let votes: Vec<[u8; 2]> = scan
        .grid
        .par_iter()
        .map(|&point| {
            let mut v = [0_u8; 2];
            if scan.points.get(point as usize).is_none() {
                return v;
            }
            let p = scan.at(point as usize);
            for (o, clear) in others.iter().zip(&clear) {
                let there = o.pose.apply(&p);
                let tolerance = BESIDE[0] + BESIDE[1] * there.norm() + 3.0 * o.sigma;
                let is_clear = there.norm() < f64::from(clear[Sight::direction(&there)]) - tolerance;
                match o.sight.look(&there, tolerance) {
                    Seen::Through if is_clear => v[0] = v[0].saturating_add(1),
                    Seen::Surface => v[1] = v[1].saturating_add(1),
                    Seen::Through | Seen::Unknown => {}
                }
            }
            v
        })
        .collect();
    let suspect = |cell: usize| votes[cell][0] > 0 && votes[cell][0] >= votes[cell][1];
    let step = scan.row_step.max(scan.col_step) as f32;
    let hangs = |a: usize, b: usize| {
        let (p, q) = (r.range[a], r.range[b]);
        (p - q).abs() < (STEPS as f32 * step * p.min(q)).max(APART as f32)
    };
    let (part, sizes) = parts(&r, &suspect, &hangs);
    // a line of suspects along an edge is where two scans do not lie quite on each other
    let mut inner = vec![0_u32; sizes.len()];
    for cell in (0..part.len()).filter(|c| part[*c] != u32::MAX) {
        let same = |d: &(isize, isize)| r.beside(cell, d.0, d.1).is_some_and(|n| part[n] == part[cell]);
        inner[part[cell] as usize] += u32::from(ROUND.iter().filter(|d| same(d)).count() >= 7);
    }
    let counts: Vec<bool> =
        sizes.iter().zip(&inner).map(|(n, i)| *n >= FEWEST && f64::from(*i) > SOLID * f64::from(*n)).collect();
    let mut is_out: Vec<bool> = part.iter().map(|p| *p != u32::MAX && counts[*p as usize]).collect();
    // its rim, which lies beside what the others saw, and what none of them saw: as far as it hangs together; and down to
    // the ground, which the others saw round its feet, as long as it goes steeply down
    let at = |cell: usize| scan.at(scan.grid[cell] as usize);
    let steep = |from: usize, to: usize| {
        let d = at(to) - at(from);
        d.z < -STEEP * d.norm()
    };
    let mut rim: Vec<usize> = (0..is_out.len()).filter(|c| is_out[*c]).collect();
    for round in 0..DOWN {
        let mut next = Vec::new();
        for &cell in &rim {
            for (down, on) in ROUND {
                if let Some(n) = r.beside(cell, down, on)
                    && !is_out[n]
                    && r.range[n] > 0.0
                    && hangs(cell, n)
                    && (round < FOLLOWED && votes[n][1] == 0 || on == 0 && steep(cell, n))
                {
                    is_out[n] = true;
                    next.push(n);
                }
            }
        }
        rim = next;
    }
    for (_, point) in is_out.iter().zip(&scan.grid).filter(|c| *c.0) {
        if let Some(class) = out.get_mut(*point as usize) {
            *class = Class::Moved;
        }
    }
    out
}
