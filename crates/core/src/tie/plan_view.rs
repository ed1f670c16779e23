use super::correlate::{both_ways, peaks, smooth, summit, wrap};
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
    pub(super) upright: Vec<Upright>,
    /// Area of level surfaces that face up, by height, less those that face down.
    heights: Vec<f32>,
    /// Share of upright surface by heading.
    headings: Vec<f32>,
    /// How far the upright surfaces reach, metres.
    pub(super) reach: f64,
}

#[derive(Clone, Copy, Debug)]
pub(super) struct Upright {
    pub at: [f32; 2],
    pub normal: [f32; 2],
    /// Height, metres.
    pub up: f32,
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
                upright.push(Upright {
                    at: [p.x as f32, p.y as f32],
                    normal: [flat.x as f32, flat.y as f32],
                    up: p.z as f32,
                });
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

    /// Of scans that stand in one frame, upright all of them.
    pub(super) fn together(views: &[(&Self, Pose)]) -> Self {
        let mut out = Self { upright: vec![], heights: vec![0.0; HEIGHTS], headings: vec![0.0; HEADINGS], reach: 1.0 };
        for (view, at) in views {
            for u in &view.upright {
                let p = at.apply(&Vec3::new(u.at[0].into(), u.at[1].into(), u.up.into()));
                let n = at.rotation * Vec3::new(u.normal[0].into(), u.normal[1].into(), 0.0);
                out.reach = out.reach.max(p.x.abs()).max(p.y.abs());
                out.upright.push(Upright {
                    at: p.xy().map(|v| v as f32).into(),
                    normal: n.xy().map(|v| v as f32).into(),
                    up: p.z as f32,
                });
            }
            let up = (at.translation.z / HEIGHT).round() as i64;
            let east = at.rotation * Vec3::x();
            let turn = (east.y.atan2(east.x).rem_euclid(TAU) / TAU * HEADINGS as f64).round() as usize;
            for (k, v) in view.heights.iter().enumerate() {
                if let Some(h) = usize::try_from(k as i64 + up).ok().and_then(|k| out.heights.get_mut(k)) {
                    *h += v;
                }
            }
            for (k, v) in view.headings.iter().enumerate() {
                out.headings[(k + turn) % HEADINGS] += v;
            }
        }
        out
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
            let shifts = peaks(&alike, size, PLACES).into_iter().map(|p| (p.0 * pixel, p.1 * pixel, p.2));
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
        let angle = (best as f64 + summit(before, here, after)) / HEADINGS as f64 * TAU;
        if angle > TAU / 8.0 { angle - TAU / 4.0 } else { angle }
    }

    /// Headings of the second at which the directions of walls agree, radians.
    pub(super) fn turns(&self, second: &Self) -> Vec<f64> {
        let agree: Vec<f32> = (0..HEADINGS)
            .map(|d| (0..HEADINGS).map(|k| self.headings[(k + d) % HEADINGS] * second.headings[k]).sum())
            .collect();
        let mut best: Vec<(f32, f64)> = Vec::new();
        for d in 0..HEADINGS {
            let (before, here, after) = (agree[(d + HEADINGS - 1) % HEADINGS], agree[d], agree[(d + 1) % HEADINGS]);
            if here >= before && here > after {
                best.push((here, (d as f64 + summit(before, here, after)) / HEADINGS as f64 * TAU));
            }
        }
        best.sort_by(|a, b| b.0.total_cmp(&a.0));
        let least = best.first().map_or(0.0, |b| 0.4 * b.0);
        best.into_iter().take_while(|b| b.0 >= least).take(TRIES).map(|b| b.1).collect()
    }

    /// How far the second stands above the first, metres, with the share of the best.
    pub(super) fn rises(&self, second: &Self) -> Vec<(f64, f64)> {
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
