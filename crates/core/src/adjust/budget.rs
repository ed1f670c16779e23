use super::Solution;
use super::observation::Unknown;
use crate::geometry::Mat3;
use nalgebra::{Matrix3, Matrix3x6};

/// What an error comes from. The order is that in which it is shown.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Group {
    /// Coordinates known beforehand.
    Control,
    /// Measuring spheres in scans.
    Spheres,
    /// Measuring checkers in scans.
    Checkers,
    /// Corners and points picked by hand.
    Picked,
    /// Ties by clouds.
    Clouds,
    /// The compensators.
    Levelling,
    /// Centring over marks, instrument heights, backsights.
    SetUp,
    /// The instruments' own tracking between stations.
    Tracking,
    /// Groups of scans that are held as they were registered before.
    Held,
    /// Distances measured between targets.
    Distances,
    /// Errors of the instrument that many sightings share.
    Instrument,
}

impl Group {
    /// All, in the order shown.
    pub const ALL: [Self; 11] = [
        Self::Control,
        Self::Spheres,
        Self::Checkers,
        Self::Picked,
        Self::Clouds,
        Self::Levelling,
        Self::SetUp,
        Self::Tracking,
        Self::Held,
        Self::Distances,
        Self::Instrument,
    ];
}

/// What the variance of one position is made of.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ErrorBudget {
    /// Share of the variance (trace) by group, 0..1, largest first; only what contributes.
    pub shares: Vec<(Group, f64)>,
}

impl ErrorBudget {
    /// From the part of the covariance that each group is the cause of.
    pub fn from_parts(parts: &[(Group, Mat3)]) -> Self {
        let total: f64 = parts.iter().map(|p| p.1.trace()).sum();
        if total <= 0.0 {
            return Self::default();
        }
        let mut shares: Vec<(Group, f64)> =
            parts.iter().map(|(g, c)| (*g, (c.trace() / total).max(0.0))).filter(|s| s.1 > 0.0).collect();
        shares.sort_by(|a, b| b.1.total_cmp(&a.1));
        Self { shares }
    }

    /// The share of one group.
    pub fn share(&self, group: Group) -> f64 {
        self.shares.iter().find(|s| s.0 == group).map_or(0.0, |s| s.1)
    }
}

impl Solution {
    /// The error budget of a target's position.
    ///
    /// With the normal matrix `N = Σ AᵀPA` the covariance is `Q = Q N Q`, so what a group of observations
    /// adds is `Q (Σ AᵀPA over the group) Q`: exact, whatever the frame is held by.
    pub fn target_budget(&self, target: usize) -> ErrorBudget {
        self.budget_at(6 * self.poses.len() + 3 * target)
    }

    /// The error budget of a station's position.
    pub fn station_budget(&self, scan: usize) -> ErrorBudget {
        self.budget_at(6 * scan)
    }

    fn budget_at(&self, column: usize) -> ErrorBudget {
        let mut parts: Vec<(Group, Mat3)> = Group::ALL.iter().map(|g| (*g, Matrix3::zeros())).collect();
        let weighed = self.weighed();
        for (row, group) in self.rows.iter().zip(&self.groups).filter(|(r, _)| r.active) {
            let mut q: Matrix3x6<f64> = Matrix3x6::zeros();
            for (u, design) in row.at.parts() {
                let (at, wide) = match u {
                    Unknown::Scan(s) => (6 * s, 6),
                    Unknown::Target(t) => (6 * self.poses.len() + 3 * t, 3),
                    Unknown::Systematic(k) => {
                        let s = &self.systematic[*k];
                        (6 * self.poses.len() + 3 * self.targets.len() + s.at, s.wide())
                    }
                };
                q += weighed.view((column, at), (3, wide)) * design.columns(0, wide).transpose();
            }
            if let Some(p) = parts.iter_mut().find(|p| p.0 == *group) {
                p.1 += q * row.information * q.transpose();
            }
        }
        if let (Some(of_shapes), Some(p)) = (&self.of_shapes, parts.iter_mut().find(|p| p.0 == Group::Held)) {
            p.1 += of_shapes.fixed_view::<3, 3>(column, column);
        }
        ErrorBudget::from_parts(&parts)
    }
}
