//! Right angles, where the lines themselves support them and nowhere else.

use super::Line;
use super::fit::Fitted;
use crate::stats::{K95_1D, chi2_tail};
use nalgebra::{Matrix2, Vector2};
use std::f64::consts::FRAC_PI_2;

/// Lines that are square to one another as far as can be told, and were made so.
#[derive(Clone, Debug, PartialEq)]
pub struct Squared {
    /// Direction of one of them, radians anticlockwise from x, below a right angle.
    pub direction: f64,
    /// 1σ of it, radians.
    pub sigma: f64,
    /// Which faces.
    pub faces: Vec<usize>,
    /// By how much the end of a line moved at most, metres.
    pub moved: f64,
}

/// A line whose direction is known no better than this says nothing of right angles: 95 % at its ends, metres.
const TELLS: f64 = 0.012;
/// Directions nearer than this are of one building, radians.
const WING: f64 = 0.01;
/// Fewer lines are square by chance.
const FEWEST: usize = 4;
/// Lines are taken as square where they would be so with this probability or more if they were.
const RISK: f64 = 0.05;

/// What is left of an angle after whole right angles.
fn folded(angle: f64) -> f64 {
    let a = angle.rem_euclid(FRAC_PI_2);
    if a > FRAC_PI_2 / 2.0 { a - FRAC_PI_2 } else { a }
}

fn direction(l: &Line) -> f64 {
    l.along.y.atan2(l.along.x)
}

/// Makes lines square to one another that are so to within what they are known by. `ends` are from where to where they
/// reach along themselves.
pub(super) fn square(lines: &mut [Fitted], ends: &[[f64; 2]]) -> Vec<Squared> {
    let reach = |k: usize| ends[k][0].abs().max(ends[k][1].abs());
    let sigma = |l: &Fitted| l.covariance[(1, 1)].sqrt();
    let tells = |k: &usize| K95_1D * sigma(&lines[*k]) * reach(*k) < TELLS;
    let mut left: Vec<usize> = (0..lines.len()).filter(tells).collect();
    let mut out: Vec<Squared> = Vec::new();
    while let Some((direction_of, sigma_of, of)) = family(lines, ends, &left) {
        left.retain(|k| !of.contains(k));
        // lines that stand hardly askew to those are uneven rather than of a wing of its own
        let near = |s: &Squared| folded(s.direction - direction_of).abs() < WING;
        if out.iter().any(near) {
            continue;
        }
        let mut moved = 0.0_f64;
        for &k in &of {
            let by = -folded(direction(&lines[k].line) - direction_of);
            moved = moved.max(by.abs() * reach(k));
            turn(&mut lines[k], by, sigma_of);
        }
        out.push(Squared { direction: direction_of.rem_euclid(FRAC_PI_2), sigma: sigma_of, faces: of, moved });
    }
    out
}

/// A direction, its 1σ, and the lines that are square to it.
type Family = (f64, f64, Vec<usize>);

/// The lines that together reach farthest and are square to one another as far as can be told.
fn family(lines: &[Fitted], ends: &[[f64; 2]], left: &[usize]) -> Option<Family> {
    let length = |k: usize| ends[k][1] - ends[k][0];
    let variance = |k: usize| lines[k].covariance[(1, 1)];
    let mut best: Option<(f64, Family)> = None;
    for &seed in left {
        let base = direction(&lines[seed].line);
        let off = |k: usize, from: f64| folded(direction(&lines[k].line) - from);
        let near = |k: &&usize| off(**k, base).abs() < K95_1D * (variance(**k) + variance(seed)).sqrt();
        let mut of: Vec<usize> = left.iter().filter(near).copied().collect();
        loop {
            let weight: f64 = of.iter().map(|k| 1.0 / variance(*k)).sum();
            let mean = base + of.iter().map(|k| off(*k, base) / variance(*k)).sum::<f64>() / weight;
            let misfit = |k: usize| off(k, mean).powi(2) / (variance(k) - 1.0 / weight).max(1e-14);
            let sum: f64 = of.iter().map(|k| off(*k, mean).powi(2) / variance(*k)).sum();
            let worst = of.iter().copied().max_by(|a, b| misfit(*a).total_cmp(&misfit(*b)))?;
            // together, and each by itself
            let agree = of.len() > 1 && chi2_tail(sum, of.len() - 1) > RISK && misfit(worst) < K95_1D * K95_1D;
            if of.len() < FEWEST {
                break;
            }
            if agree {
                let across = of.iter().filter(|k| (direction(&lines[**k].line) - base).sin().abs() > 0.7).count();
                let total: f64 = of.iter().map(|k| length(*k)).sum();
                if across > 0 && across < of.len() && best.as_ref().is_none_or(|b| total > b.0) {
                    best = Some((total, (mean, (1.0 / weight).sqrt(), of)));
                }
                break;
            }
            of.retain(|k| *k != worst);
        }
    }
    best.map(|b| b.1)
}

/// Turns a line to a direction that is known by itself; its offset follows by what the two have in common.
fn turn(l: &mut Fitted, by: f64, sigma: f64) {
    // towards the normal or away from it
    let side = l.line.along.perp(&l.line.normal).signum();
    let gain = |c: &Matrix2<f64>| c[(0, 1)] / c[(1, 1)].max(1e-18);
    let g = gain(&l.covariance);
    let at = l.line.at + l.line.normal * (g * by * side);
    let (sin, cos) = by.sin_cos();
    let a = l.line.along;
    l.line = Line::new(at, Vector2::new(a.x * cos - a.y * sin, a.x * sin + a.y * cos), &l.line.normal);
    let held = |c: &Matrix2<f64>| {
        let rest = (c[(0, 0)] - c[(0, 1)] * c[(0, 1)] / c[(1, 1)].max(1e-18)).max(1e-10);
        let v = sigma * sigma;
        Matrix2::new(rest + g * g * v, g * v, g * v, v)
    };
    l.own = l.own.as_ref().map(held);
    l.covariance = held(&l.covariance);
}
