use super::shown::surfaces;
use crate::cloud::WorkingCloud;
use crate::geometry::{Pose, Vec3};
use rayon::prelude::*;
use rustfft::FftPlanner;
use rustfft::num_complex::Complex32;
use std::f64::consts::TAU;

/// A scan as seen from above, and the heights of what is level in it: what levelled scans are compared by.
#[derive(Clone, Debug)]
pub struct PlanView {
    /// Places of upright surfaces on the plan with their normals, weighted by height, scanner frame.
    upright: Vec<Upright>,
    /// Area of level surfaces that face up, by height, less those that face down.
    heights: Vec<f32>,
    /// Share of upright surface by heading.
    headings: Vec<f32>,
    /// How far the upright surfaces reach, metres.
    reach: f64,
}

#[derive(Clone, Copy, Debug)]
struct Upright {
    at: [f32; 2],
    normal: [f32; 2],
}

/// A place that one scan may have in the frame of another.
#[derive(Clone, Copy, Debug)]
pub struct Start {
    /// Pose of the second in the frame of the first.
    pub pose: Pose,
    /// How well the plan views go together, in no unit.
    pub likeness: f64,
}

/// Headings told apart.
const HEADINGS: usize = 720;
/// Heights told apart: 5 cm each, ± 12.8 m about the instrument.
const HEIGHTS: usize = 512;
const HEIGHT: f64 = 0.05;
/// Side of a pixel, metres, where the scans are not too wide for it.
const PIXEL: f64 = 0.2;
/// Most pixels a side.
const WIDEST: usize = 1024;
/// Most headings tried.
const TRIES: usize = 24;
/// Places kept of one heading.
const PLACES: usize = 40;

impl PlanView {
    /// Of a working cloud whose z axis is upright.
    pub fn of(cloud: &WorkingCloud) -> Self {
        let mut upright = Vec::new();
        let mut heights = vec![0.0; HEIGHTS];
        let mut headings = vec![0.0; HEADINGS];
        let mut reach = 1.0_f64;
        for (p, n) in surfaces(cloud) {
            if n.z.abs() < 0.2 {
                let flat = n.xy().normalize();
                upright.push(Upright { at: [p.x as f32, p.y as f32], normal: [flat.x as f32, flat.y as f32] });
                let heading = flat.y.atan2(flat.x).rem_euclid(TAU) / TAU * HEADINGS as f64;
                let (cell, part) = (heading.floor() as usize, heading.fract() as f32);
                headings[cell % HEADINGS] += 1.0 - part;
                headings[(cell + 1) % HEADINGS] += part;
                reach = reach.max(p.x.abs()).max(p.y.abs());
            } else if n.z.abs() > 0.95 {
                let cell = (p.z / HEIGHT + HEIGHTS as f64 / 2.0).round();
                if cell >= 0.0 && cell < HEIGHTS as f64 {
                    heights[cell as usize] += n.z.signum() as f32;
                }
            }
        }
        // half a degree each way
        let smooth = (0..HEADINGS).map(|k| {
            [(0, 0.4), (1, 0.2), (HEADINGS - 1, 0.2), (2, 0.1), (HEADINGS - 2, 0.1)]
                .iter()
                .map(|(d, w)| headings[(k + d) % HEADINGS] * w)
                .sum()
        });
        Self { upright, heights, headings: smooth.collect(), reach }
    }

    /// Where the second scan may stand in the frame of the first, the likeliest first: headings at which the
    /// directions of walls agree, shifts at which walls of the same facing lie on one another, heights at which
    /// floors and ceilings do.
    pub fn starts(&self, second: &Self) -> Vec<Start> {
        let rises = self.rises(second);
        let mut found: Vec<Start> = Vec::new();
        if self.upright.is_empty() || second.upright.is_empty() {
            return found;
        }
        // what comes in again on the other side of the picture is told apart when it is looked at
        let span = self.reach + second.reach + self.reach.max(second.reach);
        let size = smooth((span / PIXEL) as usize).clamp(64, WIDEST);
        let pixel = (span / size as f64).max(PIXEL);
        let mut planner = FftPlanner::new();
        let (there, back) = (planner.plan_fft_forward(size), planner.plan_fft_inverse(size));
        let fixed = both_ways(&*there, self.picture(0.0, size, pixel), size);
        let at = |heading: f64| {
            let mut moving = both_ways(&*there, second.picture(heading, size, pixel), size);
            moving.iter_mut().zip(&fixed).for_each(|(m, f)| *m = f * m.conj());
            let alike = both_ways(&*back, moving, size);
            let shifts = peaks(&alike, size).into_iter().map(|p| (p.0 * pixel, p.1 * pixel, p.2));
            let at_rises = shifts.flat_map(|(x, y, likeness)| {
                rises.iter().map(move |(rise, part)| Start {
                    pose: Pose::levelled(heading, Vec3::new(x, y, *rise)),
                    likeness: likeness * part,
                })
            });
            at_rises.collect::<Vec<_>>()
        };
        found.par_extend(self.turns(second).into_par_iter().flat_map_iter(at));
        found.sort_by(|a, b| b.likeness.total_cmp(&a.likeness));
        found
    }

    /// The direction that most of the walls lie along or across, radians from the x axis, between −45° and 45°.
    pub fn main_direction(&self) -> f64 {
        const QUARTER: usize = HEADINGS / 4;
        let folded = |k: usize| (0..4).map(|q| self.headings[(k + q * QUARTER) % HEADINGS]).sum::<f32>();
        let best = (0..QUARTER).max_by(|a, b| folded(*a).total_cmp(&folded(*b))).unwrap_or(0);
        let (before, here, after) =
            (folded((best + QUARTER - 1) % QUARTER), folded(best), folded((best + 1) % QUARTER));
        let bend = before - 2.0 * here + after;
        let off = if bend < 0.0 { 0.5 * (before - after) / bend } else { 0.0 };
        let angle = (best as f64 + f64::from(off)) / HEADINGS as f64 * TAU;
        if angle > TAU / 8.0 { angle - TAU / 4.0 } else { angle }
    }

    /// Headings of the second at which the directions of walls agree, radians.
    fn turns(&self, second: &Self) -> Vec<f64> {
        let agree: Vec<f32> = (0..HEADINGS)
            .map(|d| (0..HEADINGS).map(|k| self.headings[(k + d) % HEADINGS] * second.headings[k]).sum())
            .collect();
        let mut best: Vec<(f32, f64)> = Vec::new();
        for d in 0..HEADINGS {
            let (before, here, after) = (agree[(d + HEADINGS - 1) % HEADINGS], agree[d], agree[(d + 1) % HEADINGS]);
            if here >= before && here > after {
                let bend = before - 2.0 * here + after;
                let off = if bend < 0.0 { 0.5 * (before - after) / bend } else { 0.0 };
                best.push((here, (d as f64 + f64::from(off)) / HEADINGS as f64 * TAU));
            }
        }
        best.sort_by(|a, b| b.0.total_cmp(&a.0));
        let least = best.first().map_or(0.0, |b| 0.4 * b.0);
        best.into_iter().take_while(|b| b.0 >= least).take(TRIES).map(|b| b.1).collect()
    }

    /// How far the second stands above the first, metres, with the share of the best.
    fn rises(&self, second: &Self) -> Vec<(f64, f64)> {
        const MOST: i64 = 160;
        let at = |d: i64| -> f32 {
            let (mine, theirs) = (&self.heights, &second.heights);
            (0..HEIGHTS as i64).filter_map(|k| Some(theirs[k as usize] * mine.get(usize::try_from(k + d).ok()?)?)).sum()
        };
        let agree: Vec<f32> = (-MOST..=MOST).map(at).collect();
        // a floor may fall on the border of two cells
        let sum = |k: usize| agree[k - 1] / 2.0 + agree[k] + agree[k + 1] / 2.0;
        let mut best: Vec<(f32, f64)> = (1..agree.len() - 1)
            .filter(|&k| agree[k] > 0.0 && agree[k] >= agree[k - 1] && agree[k] > agree[k + 1])
            .map(|k| {
                let around = [-1_i64, 0, 1].map(|d| f64::from(agree[(k as i64 + d) as usize].max(0.0)));
                let middle = (around[2] - around[0]) / (around[0] + around[1] + around[2]);
                (sum(k), (k as f64 - MOST as f64 + middle) * HEIGHT)
            })
            .collect();
        best.sort_by(|a, b| b.0.total_cmp(&a.0));
        best.truncate(2);
        let top = best.first().map_or(1.0, |b| b.0);
        let mut out: Vec<_> =
            best.into_iter().filter(|b| b.0 > 0.3 * top).map(|b| (b.1, f64::from(b.0 / top))).collect();
        if out.is_empty() {
            out.push((0.0, 1.0));
        }
        out
    }

    /// The upright surfaces on pixels, as numbers whose direction is the facing of the surface: where two scans
    /// show the two sides of a wall, it speaks against them.
    fn picture(&self, heading: f64, size: usize, pixel: f64) -> Vec<Complex32> {
        let mut out = vec![Complex32::new(0.0, 0.0); size * size];
        let (sin, cos) = (heading.sin() as f32, heading.cos() as f32);
        let turn = |v: [f32; 2]| [cos * v[0] - sin * v[1], sin * v[0] + cos * v[1]];
        let (half, scale) = (size as f32 / 2.0, 1.0 / pixel as f32);
        for u in &self.upright {
            let (p, n) = (turn(u.at), turn(u.normal));
            let (x, y) = (p[0] * scale + half, p[1] * scale + half);
            let (i, j) = (x.floor(), y.floor());
            let (fx, fy) = (x - i, y - j);
            for (di, dj, w) in
                [(0, 0, (1.0 - fx) * (1.0 - fy)), (1, 0, fx * (1.0 - fy)), (0, 1, (1.0 - fx) * fy), (1, 1, fx * fy)]
            {
                // pixels beyond the border come in on the other side, as the transform takes them
                let (i, j) = (wrap(i as i64 + di, size), wrap(j as i64 + dj, size));
                out[j * size + i] += Complex32::new(n[0] * w, n[1] * w);
            }
        }
        // a high wall says little more than a low one
        for v in &mut out {
            let size = v.norm();
            if size > 0.0 {
                *v /= size.sqrt();
            }
        }
        out
    }
}

fn wrap(k: i64, size: usize) -> usize {
    k.rem_euclid(size as i64) as usize
}

/// The next size that a transform is quick for: no factors but 2, 3 and 5.
fn smooth(least: usize) -> usize {
    let quick = |mut n: usize| {
        for f in [2, 3, 5] {
            while n.is_multiple_of(f) {
                n /= f;
            }
        }
        n == 1
    };
    (least.max(1)..=least.next_power_of_two()).find(|n| quick(*n)).unwrap_or(least)
}

/// Along the rows, then along the columns. What comes out is transposed; after the way back it is upright again.
fn both_ways(fft: &dyn rustfft::Fft<f32>, mut data: Vec<Complex32>, size: usize) -> Vec<Complex32> {
    fft.process(&mut data);
    let mut turned = transposed(&data, size);
    fft.process(&mut turned);
    turned
}

/// In blocks, so that both sides stay in the cache.
fn transposed(data: &[Complex32], size: usize) -> Vec<Complex32> {
    const BLOCK: usize = 32;
    let mut out = vec![Complex32::new(0.0, 0.0); data.len()];
    for j in (0..size).step_by(BLOCK) {
        for i in (0..size).step_by(BLOCK) {
            for y in j..(j + BLOCK).min(size) {
                for x in i..(i + BLOCK).min(size) {
                    out[x * size + y] = data[y * size + x];
                }
            }
        }
    }
    out
}

/// The highest places of a correlation: shift in pixels and height, none within some pixels of a higher one.
fn peaks(back: &[Complex32], size: usize) -> Vec<(f64, f64, f64)> {
    const APART: i64 = 4;
    let at = |i: i64, j: i64| back[wrap(j, size) * size + wrap(i, size)].re;
    let rows = size as i64;
    let mut all: Vec<(f32, i64, i64)> = Vec::new();
    for j in 0..rows {
        for i in 0..rows {
            let here = at(i, j);
            let highest = || (-1..=1).all(|dj| (-1..=1).all(|di| at(i + di, j + dj) <= here));
            if here > 0.0 && highest() {
                all.push((here, i, j));
            }
        }
    }
    all.sort_by(|a, b| b.0.total_cmp(&a.0));
    let round = |a: i64, b: i64| (a - b).rem_euclid(rows).min((b - a).rem_euclid(rows));
    let mut best: Vec<(f32, i64, i64)> = Vec::with_capacity(PLACES);
    for p in all {
        if best.len() == PLACES {
            break;
        }
        if best.iter().all(|b| round(b.1, p.1) > APART || round(b.2, p.2) > APART) {
            best.push(p);
        }
    }
    let signed = |k: i64| if k >= rows / 2 { k - rows } else { k } as f64;
    let bend = |a: f32, b: f32, c: f32| {
        let d = a - 2.0 * b + c;
        if d < 0.0 { f64::from(0.5 * (a - c) / d) } else { 0.0 }
    };
    best.into_iter()
        .map(|(v, i, j)| {
            let x = signed(i) + bend(at(i - 1, j), v, at(i + 1, j));
            let y = signed(j) + bend(at(i, j - 1), v, at(i, j + 1));
            (x, y, f64::from(v))
        })
        .collect()
}
