use super::cloud_tie::relative;
use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use crate::geometry::Pose;
use nalgebra::Matrix6;

/// Two scans of a group that is held as it was registered before.
///
/// Rows as of [`super::CloudTie`]. The shape does not give: nothing that comes later bends it. What it was uncertain by
/// when it was held is no weight, and goes into the covariance of the unknowns as it is ([`Held::worth`]).
/// Sightings that the shape came from and that tie the group to others are taken for independent of it: σ between the
/// group and what shares its targets comes out some 12 % too small (`core/tests/rules/groups.rs`). Ties by clouds are.
#[derive(Clone, Debug)]
pub struct Held {
    /// The first scan of the group.
    pub from: usize,
    /// Another one.
    pub to: usize,
    /// Pose of `to` in the scanner frame of `from`.
    pub relative: Pose,
    /// How well that was known, by left increments, m² and rad².
    pub worth: Matrix6<f64>,
}

/// σ of a shape that does not give: a hundredth of a millimetre, and the same ten metres away.
const STIFF: [f64; 2] = [1e-5, 1e-6];

impl Measurement for Held {
    fn group(&self) -> Group {
        Group::Held
    }

    fn linearise(&self, net: &Network) -> Linearised {
        relative(net, self.from, self.to, &self.relative)
    }

    fn retarget(&mut self, _: &dyn Fn(usize) -> usize) {}

    fn covariance(&self) -> Matrix6<f64> {
        Matrix6::from_fn(|i, j| if i == j { STIFF[i / 3].powi(2) } else { 0.0 })
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Scan(self.from)), Some(Unknown::Scan(self.to))]
    }
}
