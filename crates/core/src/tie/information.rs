use super::cloud_index::Pair;
use crate::stats::{chi2_quantile, f_quantile};
use nalgebra::{Matrix6, Vector6};

/// What pairs of surfaces say about a pose.
///
/// A normal that is a little wrong turns a wall into one that leans, and thousands of leaning walls seem to hold a
/// height that nothing holds. So each pair counts by the product of the one scan's normal with the other's: what both
/// say stays, and the noise of each, which knows nothing of the other's, cancels (instrumental variables, Reiersøl
/// 1941). How large that noise is shows in how they differ, and what does not rise above it holds nothing.
pub(super) struct Information {
    held: Vec<Held>,
    /// Covariance of what is not held: a metre, and a metre at the usual lever, each way.
    pub(super) free: Matrix6<f64>,
}

/// A direction that is held.
struct Held {
    /// The pose moves along it so; in the metric of the usual lever these are orthogonal.
    along: Vector6<f64>,
    value: f64,
}

/// What the pairs on one piece of wall say, which depend on one another.
#[derive(Clone, Copy, Debug, Default)]
pub(super) struct Piece {
    /// As [`agreed`].
    pub information: Matrix6<f64>,
    /// Sum of weighted residuals along their rows.
    pub residual: Vector6<f64>,
    /// The same of what uneven surfaces may be off.
    pub uneven: Vector6<f64>,
    /// And of a metre that the whole piece is off.
    pub off: Vector6<f64>,
}

/// What is not held is known to so much, metres.
const FREE: f64 = 1.0;
/// Residuals depend on one another beyond the pieces too, where voxels and walls fall into step: by so
/// much more the errors of simulated ties vary than the pieces say (`crates/sim/tests/truth/cloud_ties.rs`).
const FARTHER: f64 = 2.0;

/// What a pair says by both normals, free of their noise on the average.
pub(super) fn agreed(p: &Pair, weight: f64) -> Matrix6<f64> {
    let [a, b] = p.rows();
    (a * b.transpose() + b * a.transpose()) * (weight / 2.0)
}

impl Information {
    /// Of pairs with their weights, which lie on so many pieces of wall that know nothing of one another.
    /// `None` when they hold nothing.
    pub(super) fn of<'a>(pairs: impl Iterator<Item = (&'a Pair, f64)>, pieces: f64) -> Option<Self> {
        let (mut sum, mut differs, mut lever, mut all) = (Matrix6::zeros(), Matrix6::zeros(), 0.0, 0.0);
        for (p, w) in pairs {
            let [a, b] = p.rows();
            sum += agreed(p, w);
            differs += (a - b) * (a - b).transpose() * (w / 2.0);
            lever += w * p.lever.norm_squared();
            all += w;
        }
        // turns by what they do at the usual lever
        let lever = (lever / all).sqrt();
        if !lever.is_finite() || lever <= 0.0 {
            return None;
        }
        let scale = Matrix6::from_diagonal(&Vector6::from_fn(|k, _| if k < 3 { 1.0 } else { 1.0 / lever }));
        let eigen = (scale * sum * scale).symmetric_eigen();
        let (mut held, mut free) = (Vec::new(), Matrix6::zeros());
        for (k, &value) in eigen.eigenvalues.iter().enumerate() {
            let along: Vector6<f64> = scale * eigen.eigenvectors.column(k);
            // three times what the noise of so many pieces can pretend, each of some two dozen normals
            if value > along.dot(&(differs * along)) / pieces.sqrt() && value > 1e-9 * all {
                held.push(Held { along, value });
            } else {
                free += along * along.transpose() * (FREE * FREE);
            }
        }
        (!held.is_empty()).then_some(Self { held, free })
    }

    /// The inverse over what is held; what is not stays where it is.
    pub(super) fn inverse(&self) -> Matrix6<f64> {
        self.held.iter().map(|h| h.along * h.along.transpose() / h.value).sum()
    }

    /// What it does when each piece is off by itself, along its normals, with a σ of one metre, m² and rad² for each m².
    pub(super) fn piecewise(&self, pieces: &[Piece]) -> Matrix6<f64> {
        let inverse = self.inverse();
        let sum: Matrix6<f64> = pieces.iter().map(|p| p.off * p.off.transpose()).sum();
        inverse * sum * inverse
    }

    /// Covariance of the estimate under residuals that depend on one another within pieces (sandwich estimator, White
    /// 1980; Liang & Zeger 1986). A direction that few pieces hold is known by as few residuals: it is widened as the
    /// quantile of Student's distribution is wider than the normal one.
    pub(super) fn covariance(&self, pieces: &[Piece]) -> Matrix6<f64> {
        let square = |g: &Vector6<f64>| g * g.transpose();
        let middle: Matrix6<f64> = pieces.iter().map(|p| square(&p.residual)).sum();
        // what holds by a post or a bush alone is held no better than that is even
        let uneven: Matrix6<f64> = pieces.iter().map(|p| square(&p.uneven)).sum();
        let widened: Matrix6<f64> = self
            .held
            .iter()
            .map(|h| {
                let squares: f64 = pieces.iter().map(|p| h.along.dot(&(p.information * h.along)).powi(2)).sum();
                h.along * h.along.transpose() * (student(h.value * h.value / squares) / h.value)
            })
            .sum();
        let inverse = self.inverse();
        let covariance = widened * middle * widened * FARTHER + inverse * uneven * inverse + self.free;
        (covariance + covariance.transpose()) / 2.0
    }
}

/// How much wider 95 % reach when the scatter is known by so many residuals only.
fn student(residuals: f64) -> f64 {
    let free = (residuals - 1.0).max(1.0);
    (f_quantile(0.95, 1.0, free) / chi2_quantile(0.95, 1) * (free + 1.0) / free).sqrt()
}
