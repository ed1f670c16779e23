//! Quantiles and tail probabilities used by the tests and the 95 % regions.

use statrs::distribution::{ChiSquared, ContinuousCDF};
use statrs::function::erf::erf_inv;

/// Half-width factor of a 95 % interval in one dimension (normal quantile 0.975).
pub const K95_1D: f64 = 1.959_963_985;
/// Scale from the standard ellipse to the 95 % ellipse (square root of χ²₂ at 0.95).
pub const K95_2D: f64 = 2.447_746_831;
/// Scale from the standard ellipsoid to the 95 % ellipsoid (square root of χ²₃ at 0.95).
pub const K95_3D: f64 = 2.795_483_482;

/// Probability that a χ² variable with `dof` degrees of freedom exceeds `value`.
/// Returns 1 when there are no degrees of freedom.
pub fn chi2_tail(value: f64, dof: usize) -> f64 {
    match ChiSquared::new(dof as f64) {
        Ok(d) if value.is_finite() => 1.0 - d.cdf(value.max(0.0)),
        _ => 1.0,
    }
}

/// The value that a χ² variable with `dof` degrees of freedom stays below with probability `p`.
/// Returns 0 when there are no degrees of freedom.
pub fn chi2_quantile(p: f64, dof: usize) -> f64 {
    ChiSquared::new(dof as f64).map_or(0.0, |d| d.inverse_cdf(p))
}

/// The value that a standard normal variable stays below with probability `p`.
pub fn normal_quantile(p: f64) -> f64 {
    std::f64::consts::SQRT_2 * erf_inv(2.0 * p - 1.0)
}

/// Median of the values; `None` when there are none. The slice is reordered.
pub fn median(values: &mut [f64]) -> Option<f64> {
    if values.is_empty() {
        return None;
    }
    let mid = values.len() / 2;
    let (_, m, _) = values.select_nth_unstable_by(mid, f64::total_cmp);
    Some(*m)
}
