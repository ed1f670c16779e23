//! Quantiles and tail probabilities used by the tests and the 95 % regions.

use statrs::distribution::{ChiSquared, ContinuousCDF, FisherSnedecor};
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

/// Probability that an F variable with `above` and `below` degrees of freedom exceeds `value`.
pub fn f_tail(value: f64, above: f64, below: f64) -> f64 {
    match FisherSnedecor::new(above, below) {
        Ok(d) if value.is_finite() => d.sf(value.max(0.0)),
        _ => 1.0,
    }
}

/// The value that an F variable stays below with probability `p`.
pub fn f_quantile(p: f64, above: f64, below: f64) -> f64 {
    // bisection: the library's inverse of this distribution loses digits at few degrees of freedom
    let (mut low, mut high) = (0.0, 1.0);
    while f_tail(high, above, below) > 1.0 - p && high < 1e12 {
        high *= 2.0;
    }
    for _ in 0..80 {
        let middle = f64::midpoint(low, high);
        if f_tail(middle, above, below) > 1.0 - p { low = middle } else { high = middle }
    }
    f64::midpoint(low, high)
}

/// Noncentrality λ at which a χ² test with `dof` degrees of freedom and risk `risk` has the given
/// power: 17.07 for one, 21.5 for three degrees of freedom at 0.1 % and 80 % (Baarda 1968).
///
/// ```
/// assert!((vistazo_core::stats::noncentrality(0.001, 1, 0.8) - 17.07).abs() < 0.01);
/// ```
pub fn noncentrality(risk: f64, dof: usize, power: f64) -> f64 {
    let edge = chi2_quantile(1.0 - risk, dof);
    // the noncentral distribution is a Poisson mixture of central ones
    let exceeds = |lambda: f64| {
        let half = lambda / 2.0;
        let (mut weight, mut sum, mut total) = ((-half).exp(), 0.0, 0.0);
        for k in 0..400 {
            sum += weight * chi2_tail(edge, dof + 2 * k);
            total += weight;
            if total > 1.0 - 1e-13 {
                break;
            }
            weight *= half / (k + 1) as f64;
        }
        sum
    };
    let (mut low, mut high) = (0.0, 200.0);
    for _ in 0..60 {
        let middle = f64::midpoint(low, high);
        if exceeds(middle) < power { low = middle } else { high = middle }
    }
    f64::midpoint(low, high)
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
