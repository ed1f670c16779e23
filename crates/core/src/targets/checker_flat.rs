use super::checker_error::Blur;
use super::checker_fit::fit_edges;
use super::checker_picture::Sample;
use nalgebra::Matrix2;

/// The crossing of a board's quarters in the plane that it lies in.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Crossing {
    /// Along the two axes of the plane, metres.
    pub at: [f64; 2],
    /// m².
    pub covariance: Matrix2<f64>,
    /// Points on the board.
    pub points: usize,
}

/// Shares of the half-side: within which points count, and by which places are tried.
const INSIDE: f64 = 0.92;
const STEP: f64 = 0.35;
/// Turns tried: a quarter turn changes light and dark only.
const TURNS: usize = 4;
/// Fewest points on a board.
const FEWEST: usize = 40;

/// Finds where the pattern of a board of a half-side, metres, lies in a plane: samples (two coordinates, metres, and a level), looked
/// for no farther than `within` from a place. Points may come from anywhere: there is no grid.
pub(crate) fn crossing(
    samples: &[Sample],
    about: [f64; 2],
    within: f64,
    half: f64,
    beam: f64,
    jitter: [f64; 2],
) -> Option<Crossing> {
    let on = |at: [f64; 2]| -> Vec<Sample> {
        let near = |s: &&Sample| (s.0 - at[0]).hypot(s.1 - at[1]) < INSIDE * half;
        samples.iter().filter(near).map(|s| (s.0 - at[0], s.1 - at[1], s.2)).collect()
    };
    let step = STEP * half;
    let most = (within / step).ceil() as i32;
    let places = (-most..=most).flat_map(|i| (-most..=most).map(move |j| (i, j)));
    // the sum and not the mean: half of a board is as clear as a whole one, and has half of the points
    let clear = |at: [f64; 2]| -> f64 {
        let there = on(at);
        let n = there.len() as f64;
        if there.len() < FEWEST {
            return 0.0;
        }
        let mean = there.iter().map(|s| s.2).sum::<f64>() / n;
        let turned = |k: usize| {
            let (sin, cos) = (k as f64 * std::f64::consts::FRAC_PI_2 / TURNS as f64).sin_cos();
            let quarter = |s: &Sample| ((cos * s.0 + sin * s.1) * (cos * s.1 - sin * s.0)).signum();
            there.iter().map(|s| quarter(s) * (s.2 - mean)).sum::<f64>().abs()
        };
        (0..TURNS).map(turned).fold(0.0, f64::max)
    };
    let tried = places.map(|(i, j)| [about[0] + f64::from(i) * step, about[1] + f64::from(j) * step]);
    let (mut at, _) = tried.map(|p| (p, clear(p))).max_by(|a, b| a.1.total_cmp(&b.1))?;
    // the second time all of the board is in the picture, and nothing else
    let mut found = None;
    for _ in 0..2 {
        let there = on(at);
        let edges = fit_edges(&there, (0.0, 0.0), half, Blur { beam, jitter })?;
        at = [at[0] + edges.centre.0, at[1] + edges.centre.1];
        found = Some(Crossing { at, covariance: edges.covariance, points: there.len() });
    }
    found
}
