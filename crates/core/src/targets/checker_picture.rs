//! What a checker looks like: four quarters whose edges are blurred, seen in the plane of the board.

use nalgebra::{Matrix5, Vector5};

/// Crossing (along the horizontal and upward, metres), turn (radians), mean, half the contrast.
pub(super) type Parameters = Vector5<f64>;

/// In-plane coordinates of a point, metres, and its intensity.
pub(super) type Sample = (f64, f64, f64);

/// Points so far from all edges that they show the plain light or dark only: for each of the two,
/// how many there are and their mean intensity.
#[derive(Clone, Copy, Default)]
pub(super) struct Flat(pub [(f64, f64); 2]);

/// `erf(x)` and `exp(-x²)`, to 1.5e-7 (Abramowitz & Stegun 1964, 7.1.26): both come of one
/// exponential, and pictures are computed by the million.
pub(super) fn erf_and_bell(x: f64) -> (f64, f64) {
    let bell = (-x * x).exp();
    let t = 1.0 / (1.0 + 0.327_591_1 * x.abs());
    let series =
        ((((1.061_405_429 * t - 1.453_152_027) * t + 1.421_413_741) * t - 0.284_496_736) * t + 0.254_829_592) * t;
    ((1.0 - series * bell).copysign(x), bell)
}

/// A picture ready to be computed: `m + a·E(x')·E(y')` with `E(x) = erf(x / (√2 w))`.
pub(super) struct Picture<'a> {
    q: &'a Parameters,
    sin: f64,
    cos: f64,
    scale: f64,
}

impl<'a> Picture<'a> {
    /// With edges blurred by `w`, metres.
    pub(super) fn new(q: &'a Parameters, w: f64) -> Self {
        let (sin, cos) = q[2].sin_cos();
        Self { q, sin, cos, scale: std::f64::consts::FRAC_1_SQRT_2 / w }
    }

    /// Distances of a point from both edges, metres.
    pub(super) fn edge_distances(&self, x: f64, y: f64) -> (f64, f64) {
        let (dx, dy) = (x - self.q[0], y - self.q[1]);
        (self.cos * dx + self.sin * dy, self.cos * dy - self.sin * dx)
    }

    /// The intensity at a point.
    pub(super) fn at(&self, x: f64, y: f64) -> f64 {
        let (a, b) = self.edge_distances(x, y);
        self.q[3] + self.q[4] * erf_and_bell(a * self.scale).0 * erf_and_bell(b * self.scale).0
    }

    /// The intensity and its gradient by the parameters, of which that by the mean is 1.
    fn gradient(&self, x: f64, y: f64) -> (f64, [f64; 4]) {
        let (a, b) = self.edge_distances(x, y);
        let ((ea, da), (eb, db)) = (erf_and_bell(a * self.scale), erf_and_bell(b * self.scale));
        let slope = self.q[4] * std::f64::consts::FRAC_2_SQRT_PI * self.scale;
        let (ga, gb, e) = (slope * da * eb, slope * ea * db, ea * eb);
        let crossing = [self.sin * gb - self.cos * ga, -(self.sin * ga + self.cos * gb)];
        (self.q[3] + self.q[4] * e, [crossing[0], crossing[1], ga * b - gb * a, e])
    }
}

/// Sum of squares of what the picture leaves.
pub(super) fn cost(samples: &[Sample], w: f64, q: &Parameters) -> f64 {
    let picture = Picture::new(q, w);
    samples.iter().map(|s| (s.2 - picture.at(s.0, s.1)).powi(2)).sum()
}

/// Sum of squares, normal matrix and right side at `q`.
fn normal_equations(samples: &[Sample], flat: &Flat, w: f64, q: &Parameters) -> (f64, Matrix5<f64>, Parameters) {
    let picture = Picture::new(q, w);
    let (mut cost, mut sum, mut right) = (0.0, 0.0, [0.0; 4]);
    // of the gradients without the mean's: their products and sums
    let (mut products, mut sums, mut n) = ([[0.0; 4]; 4], [0.0; 4], 0.0);
    let mut add = |weight: f64, r: f64, g: [f64; 4]| {
        cost += weight * r * r;
        sum += weight * r;
        n += weight;
        for i in 0..4 {
            right[i] += weight * g[i] * r;
            sums[i] += weight * g[i];
            for j in 0..=i {
                products[i][j] += weight * g[i] * g[j];
            }
        }
    };
    for s in samples {
        let (value, g) = picture.gradient(s.0, s.1);
        add(1.0, s.2 - value, g);
    }
    for ((n, mean), side) in flat.0.iter().zip([-1.0, 1.0]) {
        add(*n, mean - q[3] - side * q[4], [0.0, 0.0, 0.0, side]);
    }
    const PLACE: [usize; 4] = [0, 1, 2, 4];
    let (mut nm, mut b) = (Matrix5::zeros(), Parameters::zeros());
    (nm[(3, 3)], b[3]) = (n, sum);
    for i in 0..4 {
        b[PLACE[i]] = right[i];
        (nm[(PLACE[i], 3)], nm[(3, PLACE[i])]) = (sums[i], sums[i]);
        for j in 0..=i {
            (nm[(PLACE[i], PLACE[j])], nm[(PLACE[j], PLACE[i])]) = (products[i][j], products[i][j]);
        }
    }
    (cost, nm, b)
}

/// Levenberg–Marquardt on the five parameters until the sum of squares falls by less than the share
/// `until`; returns them and the sum.
pub(super) fn settle(
    samples: &[Sample],
    flat: &Flat,
    w: f64,
    mut q: Parameters,
    until: f64,
) -> Option<(Parameters, f64)> {
    let mut lambda = 1e-3;
    let (mut best, mut nm, mut b) = normal_equations(samples, flat, w, &q);
    for _ in 0..60 {
        let mut damped = nm;
        for k in 0..5 {
            damped[(k, k)] *= 1.0 + lambda;
        }
        let trial = q + damped.cholesky()?.solve(&b);
        let after = normal_equations(samples, flat, w, &trial);
        if after.0 <= best {
            let settled = best - after.0 < until * best;
            (q, (best, nm, b)) = (trial, after);
            lambda *= 0.3;
            if settled {
                break;
            }
        } else {
            lambda *= 5.0;
            if lambda > 1e8 {
                break;
            }
        }
    }
    Some((q, best))
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The gradient is that of the picture, and points that stand for many count as many.
    #[test]
    fn normal_equations_are_those_of_the_picture() {
        let q = Parameters::new(0.003, -0.002, 0.35, 0.4, 0.3);
        let (w, h) = (0.006, 1e-6);
        for x in [-0.02, -0.003, 0.004, 0.011] {
            let at = |q: &Parameters| Picture::new(q, w).at(x, 0.005);
            let (value, g) = Picture::new(&q, w).gradient(x, 0.005);
            assert!((value - at(&q)).abs() < 1e-12);
            for (k, of) in [(0, g[0]), (1, g[1]), (2, g[2]), (3, 1.0), (4, g[3])] {
                let mut step = Parameters::zeros();
                step[k] = h;
                let by = (at(&(q + step)) - at(&(q - step))) / (2.0 * h);
                assert!((by - of).abs() < 1e-4 * (1.0 + of.abs()), "{k}: {by} {of}");
            }
            assert!((erf_and_bell(x / w).0 - statrs::function::erf::erf(x / w)).abs() < 2e-7);
        }
        // forty points in the light and ten in the dark, one by one or together
        let (s, c) = q[2].sin_cos();
        let inside = |a: f64, b: f64| (q[0] + c * a - s * b, q[1] + s * a + c * b);
        let lit: Vec<Sample> =
            (0..40).map(|k| (inside(0.1, 0.1).0, inside(0.1, 0.1).1, 0.7 + 0.001 * f64::from(k))).collect();
        let dark: Vec<Sample> =
            (0..10).map(|k| (inside(-0.1, 0.1).0, inside(-0.1, 0.1).1, 0.1 - 0.001 * f64::from(k))).collect();
        let mean = |l: &[Sample]| (l.len() as f64, l.iter().map(|s| s.2).sum::<f64>() / l.len() as f64);
        let one_by_one = normal_equations(&[lit.clone(), dark.clone()].concat(), &Flat::default(), w, &q);
        let together = normal_equations(&[], &Flat([mean(&dark), mean(&lit)]), w, &q);
        assert!((one_by_one.1 - together.1).norm() < 1e-9 && (one_by_one.2 - together.2).norm() < 1e-9);
    }
}
