//! Where a wall is open, and where nobody saw whether it is.

use super::{Layer, Line, fit::Stand};
use nalgebra::Vector2;
use rayon::prelude::*;

/// A hole in the face of a wall that scans looked through.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Opening {
    /// The face it is in.
    pub face: usize,
    /// The opposite face that is open there too.
    pub behind: Option<usize>,
    /// From where to where along the face, metres from its first end.
    pub along: [f64; 2],
    /// 95 % of each, metres.
    pub along95: [f64; 2],
    /// It reaches to the floor; else there is wall under it.
    pub to_the_floor: bool,
}

/// A part of a face between parts that are there, half a metre or longer, which no scan saw.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Gap {
    /// The face.
    pub face: usize,
    /// From where to where along it, metres from its first end.
    pub along: [f64; 2],
}

/// A wall is looked at in lengths of this, metres.
const STEP: f64 = 0.05;
/// Widths that an opening may have, metres.
const WIDTHS: [f64; 2] = [0.4, 8.0];
/// So much of it was looked through, at least; so much is wall at its foot where it is a window.
const SEEN: f64 = 0.6;
const SILL: f64 = 0.5;
/// What lies no farther behind a face is still in its wall, metres.
const BEHIND: f64 = 0.12;
/// Edges blur by the width of the beam, 1σ, metres.
const BLUR: f64 = 0.003;

/// What is known of a place between two stretches of a face.
pub(super) enum Between {
    Open { along: [f64; 2], along95: [f64; 2], to_the_floor: bool },
    NotSeen([f64; 2]),
}

/// Looks at what lies between the stretches of a line.
pub(super) fn between(line: &Line, stretches: &[[f64; 2]], layers: &[Layer], stands: &[Stand]) -> Vec<Between> {
    let one = |w: &[[f64; 2]]| {
        let gap = [w[0][1], w[1][0]];
        let n = ((gap[1] - gap[0]) / STEP).floor().max(1.0) as usize;
        let place = |t: f64| {
            let k = (t - gap[0]) / (gap[1] - gap[0]) * n as f64;
            (k >= 0.0 && k < n as f64).then_some(k as usize)
        };
        let (mut through, mut foot) = (vec![false; n], vec![false; n]);
        for (layer, stand) in layers.iter().zip(stands) {
            let from = stand.pose.translation.xy();
            let side = line.off(&from);
            for s in &layer.cut {
                let off = line.off(&s.at);
                if side * off < 0.0 && off.abs() > BEHIND && side.abs() > BEHIND {
                    let t = line.t(&(from + (s.at - from) * (side / (side - off))));
                    if let Some(k) = place(t) {
                        through[k] = true;
                    }
                }
            }
            for s in layer.foot.iter().filter(|s| line.off(&s.at).abs() < 2.0 * super::extract::OFF) {
                if let Some(k) = place(line.t(&s.at)) {
                    foot[k] = true;
                }
            }
        }
        let share = |of: &[bool]| of.iter().filter(|v| **v).count() as f64 / n as f64;
        let wide = gap[1] - gap[0];
        if !(WIDTHS[0]..=WIDTHS[1]).contains(&wide) || share(&through) < SEEN {
            return Between::NotSeen(gap);
        }
        let (a, b) = (edge(line, gap[0], -1.0, layers), edge(line, gap[1], 1.0, layers));
        Between::Open { along: [a.0, b.0], along95: [a.1, b.1], to_the_floor: share(&foot) < SILL }
    };
    stretches.par_windows(2).map(one).collect()
}

/// Where the face ends at a jamb: half a spacing beyond the last spot, known to that.
fn edge(line: &Line, t: f64, side: f64, layers: &[Layer]) -> (f64, f64) {
    let mut best: Option<(f64, f64)> = None;
    for layer in layers {
        let on = |s: &&super::Spot| {
            let d = (line.t(&s.at) - t) * side;
            line.off(&s.at).abs() < 0.6 * super::extract::OFF && (-0.02..0.4).contains(&d)
        };
        let mut at: Vec<f64> = layer.cut.iter().filter(on).map(|s| (line.t(&s.at) - t) * side).collect();
        if at.len() < 4 {
            continue;
        }
        at.sort_by(f64::total_cmp);
        let spacing = (at[at.len() - 1] - at[0]) / (at.len() - 1) as f64;
        // of the scan that shows it most closely
        if best.is_none_or(|b| spacing < b.1) {
            best = Some((at[0], spacing));
        }
    }
    let (first, spacing) = best.unwrap_or((0.0, STEP));
    let edge = t + side * (first - spacing / 2.0);
    (edge, crate::stats::K95_1D * (spacing * spacing / 3.0 + BLUR * BLUR).sqrt())
}

/// The parts of a line where spots lie on it, sorted; `on` are their places along it.
pub(super) fn stretches(mut on: Vec<f64>, limits: [f64; 2]) -> Vec<[f64; 2]> {
    on.sort_by(f64::total_cmp);
    let mut steps: Vec<f64> = on.windows(2).map(|w| w[1] - w[0]).collect();
    let typical = crate::stats::median(&mut steps).unwrap_or(STEP);
    let apart = (12.0 * typical).clamp(0.12, 0.4);
    let mut out: Vec<[f64; 2]> = Vec::new();
    for t in on.into_iter().filter(|t| (limits[0]..=limits[1]).contains(t)) {
        match out.last_mut() {
            Some(l) if t - l[1] < apart => l[1] = t,
            _ => out.push([t, t]),
        }
    }
    // a few spots by themselves are no wall
    out.retain(|s| s[1] - s[0] > 0.15);
    out
}

/// Places along a line that spots of a slab cover.
pub(super) fn covered(line: &Line, of: impl Iterator<Item = Vector2<f64>>, off: f64) -> Vec<f64> {
    of.filter(|p| line.off(p).abs() < off).map(|p| line.t(&p)).collect()
}
