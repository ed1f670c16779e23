use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use nalgebra::{Matrix1, Matrix6};

/// A distance measured between two targets, by tape, distance meter or interferometer.
///
/// Row: the distance, metres. With `e` the direction from the one to the other, `dl = eᵀ (dX_b − dX_a)`.
#[derive(Clone, Debug)]
pub struct Distance {
    /// Index of the one target.
    pub from: usize,
    /// Index of the other.
    pub to: usize,
    /// Metres, in space.
    pub distance: f64,
    /// Its standard deviation, metres.
    pub sigma: f64,
}

impl Measurement for Distance {
    fn group(&self) -> Group {
        Group::Distances
    }

    fn linearise(&self, net: &Network) -> Linearised {
        let d = net.targets[self.to].position - net.targets[self.from].position;
        let length = d.norm();
        let along = (d / length.max(1e-9)).transpose();
        Linearised::new(Matrix1::new(self.distance - length))
            .by(Unknown::Target(self.from), -along)
            .by(Unknown::Target(self.to), along)
    }

    fn covariance(&self) -> Matrix6<f64> {
        let mut c = Matrix6::zeros();
        c[(0, 0)] = self.sigma * self.sigma;
        c
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [Some(Unknown::Target(self.from)), Some(Unknown::Target(self.to))]
    }

    fn retarget(&mut self, to: &dyn Fn(usize) -> usize) {
        (self.from, self.to) = (to(self.from), to(self.to));
    }
}
