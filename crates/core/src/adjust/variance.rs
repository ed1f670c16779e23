use super::budget::Group;
use super::observation::Measurement;
use super::solve::{Solution, precision_at};
use super::{AdjustError, Network};
use crate::instrument::Instrument;
use crate::stats::{chi2_quantile, f_quantile};

/// What the residuals say about the stated noise.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct VarianceFactor {
    /// Weighted sum of squares over degrees of freedom; 1 when there are none.
    pub estimate: f64,
    /// Lower and upper end of its 95 % interval (χ²).
    pub interval: (f64, f64),
    /// What all covariances were multiplied by.
    pub applied: f64,
}

/// How covariances are scaled.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Scaling {
    /// By the stated noise alone: what is planned.
    Stated,
    /// By what the residuals say, as sure as they are: what is measured.
    Estimated,
}

/// What the stated noise counts beside the residuals, in degrees of freedom. It comes from data sheets
/// and from fits that were calibrated on simulated scans: good to some ±30 % in σ, which is what is known of
/// a noise estimated with five degrees of freedom.
pub(crate) const PRIOR_DOF: f64 = 5.0;

impl VarianceFactor {
    /// From the weighted sum of squares and its degrees of freedom.
    ///
    /// Nothing is switched at a threshold: the stated noise enters as an estimate with
    /// [`PRIOR_DOF`] degrees of freedom, the residuals with theirs (conjugate prior, Koch 1990), and the
    /// regions widen by the F distribution because the factor itself is estimated.
    pub fn new(sum: f64, dof: usize, scaling: Scaling) -> Self {
        if dof == 0 || scaling == Scaling::Stated {
            return Self { estimate: 1.0, interval: (1.0, 1.0), applied: 1.0 };
        }
        let d = dof as f64;
        let joint = PRIOR_DOF + d;
        let posterior = (PRIOR_DOF + sum) / joint;
        let widen = 3.0 * f_quantile(0.95, 3.0, joint) / chi2_quantile(0.95, 3);
        Self {
            estimate: sum / d,
            interval: (sum / chi2_quantile(0.975, dof), sum / chi2_quantile(0.025, dof)),
            applied: posterior * widen,
        }
    }
}

/// The variance of one group of observations against what was stated.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Component {
    /// The group.
    pub group: Group,
    /// Estimated over stated variance.
    pub factor: f64,
    /// Redundancy of the group: how many degrees of freedom that rests on.
    pub redundancy: f64,
}

impl Solution {
    /// `vᵀPv` over redundancy for each group (Förstner 1979; one step at the stated weights).
    pub fn components(&self) -> Vec<Component> {
        Group::ALL
            .iter()
            .filter_map(|&group| {
                let of = |k: &usize| self.groups[*k] == group && self.rows[*k].active;
                let all: Vec<usize> = (0..self.rows.len()).filter(of).collect();
                let sum: f64 = all.iter().map(|&k| self.rows[k].square()).sum();
                let redundancy: f64 = all.iter().map(|&k| self.residuals[k].redundancy).sum();
                (redundancy > 0.5).then(|| Component { group, factor: sum / redundancy, redundancy })
            })
            .collect()
    }
}

/// Variance components by group, iterated until the weights no longer change (Förstner 1979): the
/// estimates under which every group's residuals agree with its stated noise.
///
/// # Errors
/// As [`super::solve`].
pub fn variance_components(mut net: Network) -> Result<Vec<Component>, AdjustError> {
    let mut factors: Vec<(Group, f64)> = Group::ALL.iter().map(|g| (*g, 1.0)).collect();
    let mut last = Vec::new();
    for _ in 0..100 {
        let s = precision_at(&mut net, &factors)?;
        last = s.components();
        let mut change = 0.0_f64;
        for c in &last {
            if let Some(f) = factors.iter_mut().find(|f| f.0 == c.group) {
                f.1 *= c.factor;
                change = change.max((c.factor - 1.0).abs());
            }
        }
        if change < 1e-6 {
            break;
        }
    }
    for c in &mut last {
        c.factor = factors.iter().find(|f| f.0 == c.group).map_or(1.0, |f| f.1);
    }
    Ok(last)
}

/// The factor of an observation's group.
pub(super) fn factor_of(factors: &[(Group, f64)], o: &dyn Measurement) -> f64 {
    factors.iter().find(|f| f.0 == o.group()).map_or(1.0, |f| f.1)
}

/// Redundancy from which a component says enough to change a profile by: σ is then known to some 25 %.
pub const ENOUGH: f64 = 8.0;

/// A profile with the noise that a block found: ranges and angles by its spheres and boards together, the compensator
/// by its levels. `None` when too little was left over to say so.
pub fn profile_as_found(profile: &Instrument, found: &[Component]) -> Option<Instrument> {
    let factor = |groups: &[Group]| {
        let of = || found.iter().filter(|c| groups.contains(&c.group));
        let redundancy: f64 = of().map(|c| c.redundancy).sum();
        let sum: f64 = of().map(|c| c.factor * c.redundancy).sum();
        (redundancy >= ENOUGH).then(|| (sum / redundancy).sqrt())
    };
    let (points, level) = (factor(&[Group::Spheres, Group::Checkers]), factor(&[Group::Levelling]));
    if points.is_none() && level.is_none() {
        return None;
    }
    let by = points.unwrap_or(1.0);
    Some(Instrument {
        range_sigma: profile.range_sigma * by,
        range_sigma_per_m: profile.range_sigma_per_m * by,
        angular_sigma: profile.angular_sigma * by,
        compensator_sigma: profile.compensator_sigma.map(|s| s * level.unwrap_or(1.0)),
        ..profile.clone()
    })
}
