//! What a mobile unit shows is noisier than walls are apart from straight: points are drawn onto the line of their neighbours
//! before lines are looked for.

use super::{Layer, Spot};
use nalgebra::{Matrix2, Vector2};
use std::collections::HashMap;

/// Neighbours, metres: some times the noise of any unit, and less than a wall is long.
const NEAR: f64 = 0.1;
/// Of a wall the smaller spread is at most such a share of the larger (of their squares); of a corner or a thing it is not.
const STRAIGHT: f64 = 0.25;
/// Fewer neighbours (points) say nothing.
const FEWEST: f64 = 6.0;

impl Layer {
    /// The same, with spots beside it that are drawn onto the straight line which their neighbours within a decimetre lie along
    /// (moving least squares of the first order, weighted by points); where these lie along none, spots stay where they are.
    ///
    /// `noise` is that of a single point, 1σ, metres: of few points their scatter does not tell.
    #[must_use]
    pub fn with_calmed(self, noise: f64) -> Self {
        Self { calmed: calmed(&self.cut), noise, ..self }
    }
}

fn bin(p: &Vector2<f64>) -> (i32, i32) {
    ((p.x / NEAR).floor() as i32, (p.y / NEAR).floor() as i32)
}

fn calmed(spots: &[Spot]) -> Vec<Spot> {
    let mut bins: HashMap<(i32, i32), Vec<usize>> = HashMap::new();
    for (k, s) in spots.iter().enumerate() {
        bins.entry(bin(&s.at)).or_default().push(k);
    }
    let of = |s: &Spot| {
        let (x, y) = bin(&s.at);
        let near = (x - 1..=x + 1).flat_map(|i| (y - 1..=y + 1).map(move |j| (i, j)));
        let near = near.filter_map(|b| bins.get(&b)).flatten().map(|k| &spots[*k]);
        let near = near.filter(|o| (o.at - s.at).norm_squared() <= NEAR * NEAR);
        let (mut n, mut sum, mut squares) = (0.0, Vector2::zeros(), Matrix2::zeros());
        for o in near {
            let (w, d) = (f64::from(o.count), o.at - s.at);
            n += w;
            sum += d * w;
            squares += d * d.transpose() * w;
        }
        if n < FEWEST {
            return *s;
        }
        let mean = sum / n;
        let c = squares / n - mean * mean.transpose();
        let (half, root) = (c.trace() / 2.0, ((c[(0, 0)] - c[(1, 1)]) / 2.0).hypot(c[(0, 1)]));
        if half - root > STRAIGHT * (half + root) {
            return *s;
        }
        let angle = 0.5 * (2.0 * c[(0, 1)]).atan2(c[(0, 0)] - c[(1, 1)]);
        let along = Vector2::new(angle.cos(), angle.sin());
        Spot { at: s.at + mean - along * along.dot(&mean), count: s.count }
    };
    spots.iter().map(of).collect()
}
