//! How far the crossing of a checker may be from where it was found.

use super::checker_picture::{Flat, Parameters, Picture, Sample, settle};
use crate::instrument::Instrument;
use nalgebra::Matrix2;
use std::sync::LazyLock;

/// What moves the samples of a picture: standard deviations, metres.
#[derive(Clone, Copy)]
pub(super) struct Blur {
    /// Of the beam's footprint.
    pub beam: f64,
    /// Of the ray's direction on the board, along the horizontal and upward.
    pub jitter: [f64; 2],
}

/// Numbers that fill 0..1 evenly.
fn even(k: usize, by: f64) -> f64 {
    (0.5 + k as f64 * by).fract()
}

/// Numbers of a normal distribution, always the same, so that the same board gives the same answer.
/// Hashed (the mixing of `SplitMix64`), for numbers that follow a rule go along with a grid.
static NORMAL: LazyLock<Vec<f64>> = LazyLock::new(|| {
    let mixed = |k: u64| {
        let mut z = (k + 1).wrapping_mul(0x9e37_79b9_7f4a_7c15);
        z = (z ^ (z >> 30)).wrapping_mul(0xbf58_476d_1ce4_e5b9);
        z = (z ^ (z >> 27)).wrapping_mul(0x94d0_49bb_1331_11eb);
        ((z ^ (z >> 31)) >> 11) as f64 / (1_u64 << 53) as f64
    };
    (0..NUMBERS as u64).map(|k| crate::stats::normal_quantile(mixed(k).clamp(1e-6, 1.0 - 1e-6))).collect()
});
const NUMBERS: usize = 1 << 15;

/// Covariance of the crossing by a parametric bootstrap (Efron 1979): the board as found, moved a
/// little so that the grid of points falls on it anew, is pictured at the same points with the
/// noise found, and measured by the same fit.
///
/// Sharp edges seen by points that lie wide apart make errors that no residual shows: how large they
/// are depends on how the grid crosses the edges. Where an edge runs along the grid, nothing says
/// where between two rows it lies; turned by some 20°, boards are measured many times better.
pub(super) fn repeated(
    samples: &[Sample],
    q: &Parameters,
    w: f64,
    blur: Blur,
    noise: f64,
    spacing: f64,
    times: usize,
) -> Option<Matrix2<f64>> {
    // points that no edge reaches say nothing of where the crossing is: their means stand for them
    let reach = 3.0 * w.max(blur.beam + blur.jitter[0].max(blur.jitter[1])) + 0.75 * spacing;
    let found = Picture::new(q, w);
    let (mut near, mut lights, mut darks) = (Vec::with_capacity(samples.len()), 0.0_f64, 0.0_f64);
    for p in samples {
        let (a, b) = found.edge_distances(p.0, p.1);
        if a.abs().min(b.abs()) < reach {
            near.push(*p);
        } else if a * b > 0.0 {
            lights += 1.0;
        } else {
            darks += 1.0;
        }
    }
    let mut numbers = NORMAL.iter().cycle();
    let mut normal = || numbers.next().copied().unwrap_or_default();
    let (mut sum, mut used) = (Matrix2::zeros(), 0.0);
    let mut picture = near.clone();
    for time in 0..times {
        let mut truth = *q;
        truth[0] += (even(time, 0.754_877_666) - 0.5) * spacing;
        truth[1] += (even(time, 0.569_840_291) - 0.5) * spacing;
        let true_picture = Picture::new(&truth, blur.beam);
        for (p, to) in near.iter().zip(&mut picture) {
            let (x, y) = (p.0 + normal() * blur.jitter[0], p.1 + normal() * blur.jitter[1]);
            to.2 = true_picture.at(x, y) + noise * normal();
        }
        let flat = Flat([(darks, -1.0), (lights, 1.0)].map(|(n, side)| {
            let mean = truth[3] + side * truth[4] + noise * normal() / n.max(1.0).sqrt();
            (n, mean)
        }));
        let Some((found, _)) = settle(&picture, &flat, w, truth, 1e-4) else { continue };
        let e = nalgebra::Vector2::new(found[0] - truth[0], found[1] - truth[1]);
        if e.norm() < 3.0 * spacing {
            sum += e * e.transpose();
            used += 1.0;
        }
    }
    // never regular by chance
    let floor = Matrix2::identity() * (0.002 * spacing).powi(2);
    (used * 2.0 > times as f64).then(|| sum / used + floor)
}

/// Points on a board below which the search misses one in ten or more (measured on simulated boards).
const SEARCHED_HITS: usize = 60;

/// A board as a scanner sees it.
#[derive(Clone, Copy, Debug)]
pub(super) struct View {
    /// Half-side, metres.
    pub half: f64,
    /// Distance, metres.
    pub range: f64,
    /// Angle between ray and normal in plan, radians; positive when the board's side to the right of
    /// who looks at it is the farther one.
    pub oblique: f64,
    /// Elevation of the board's centre, radians.
    pub elevation: f64,
}

/// What the picture of a board is expected to give.
#[derive(Clone, Copy, Debug)]
pub(super) struct Expected {
    /// Mean in-plane covariance (along the horizontal, upward; m²).
    pub mean: Matrix2<f64>,
    /// Inverse of the mean of the inverses: what each of many such boards contributes when every one
    /// is weighted by the error it states.
    pub weighted: Matrix2<f64>,
    /// Points on the board.
    pub hits: usize,
}

/// What `fit_checker` is expected to state for a board: the same fit on samples laid out as the
/// instrument's grid would put them. The board hangs turned by about 20°, anticlockwise as seen from
/// the front, and the intensity noise is 3 % of the contrast's half.
pub(super) fn expected(view: &View, instrument: &Instrument) -> Option<Expected> {
    const TIMES: usize = 12;
    let View { half, range, oblique, elevation } = *view;
    let reach = half * 0.92;
    let jitter = [range * instrument.angular_sigma / oblique.cos(), range * instrument.angular_sigma];
    let blur = Blur { beam: instrument.footprint_sigma(range), jitter };
    if 0.5 * half * oblique.cos() / (range * instrument.step) < 2.5 {
        return None;
    }
    // the grid falls on the board in one way or another, and nobody hangs it or sets up to a degree:
    // some turns and spacings happen to go well together, and must not be counted on. Where the points
    // lie closer than the beam is wide, one grid is as good as another.
    let spacing = range * instrument.step;
    let grids = if spacing < blur.beam { 4 } else { 16 };
    let vary = |k: usize, by: f64, most: f64| most * (2.0 * even(k, by) - 1.0);
    let (mut sum, mut inverse, mut hits) = (Matrix2::zeros(), Matrix2::zeros(), 0);
    for k in 0..grids {
        let (pu, pv) = (even(k, 0.754_877_666), even(k, 0.569_840_291));
        let turn = 20.0 + vary(k, 0.618_033_989, 2.0);
        let elevation = elevation + vary(k, 0.414_213_562, 0.015);
        let oblique = oblique + vary(k, 0.732_050_808, 0.0175);
        let stretch = 1.0 + vary(k, 0.236_067_977, 0.01);
        let su = range * elevation.cos() * instrument.step / oblique.cos() * stretch;
        let sv = range * instrument.step / elevation.cos() / stretch;
        // rays of one elevation rise on the board where it is farther away
        let shear = elevation.tan() * oblique.sin();
        let nu = (reach / su).ceil() as i64 + 1;
        let samples: Vec<Sample> = (-nu..=nu)
            .flat_map(|i| {
                let x = (i as f64 + pu) * su;
                let lowest = (-(reach + shear * x) / sv).floor() as i64;
                (lowest..=lowest + (2.0 * reach / sv).ceil() as i64 + 2)
                    .map(move |j| (x, (j as f64 + pv) * sv + shear * x, 0.0))
            })
            .filter(|p| p.0.hypot(p.1) < reach)
            .collect();
        if samples.len() < SEARCHED_HITS {
            return None;
        }
        let spacing = (2.6 * half * half / samples.len() as f64).sqrt();
        let q = Parameters::new(0.0, 0.0, f64::to_radians(turn), 0.0, 1.0);
        let one = repeated(&samples, &q, blur.beam.max(0.5 * spacing), blur, 0.03, spacing, TIMES)?;
        sum += one;
        inverse += one.try_inverse()?;
        hits += samples.len();
    }
    // the inverse of a covariance from few repetitions is too large (Wishart, two dimensions)
    let bias = (TIMES as f64 - 3.0) / TIMES as f64;
    let n = grids as f64;
    let mean = sum / n;
    let weighted = (inverse * (bias / n)).try_inverse()?;
    // by chance only can many be worse than one
    let weighted = if weighted.trace() < mean.trace() { weighted } else { mean };
    Some(Expected { mean, weighted, hits: hits / grids })
}
