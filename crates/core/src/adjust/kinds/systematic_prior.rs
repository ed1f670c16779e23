use crate::adjust::{Group, Linearised, Measurement, Network, Unknown};
use nalgebra::{Matrix1, Matrix1x6, Matrix6};

/// What is known beforehand of an error that many sightings share: that it is zero, with a σ.
///
/// Row: the parameter, in its own unit (metres, radians or one).
#[derive(Clone, Debug)]
pub struct SystematicPrior {
    /// Index of the systematic unknown.
    pub of: usize,
    /// Which of its parameters.
    pub parameter: usize,
    /// σ of it.
    pub sigma: f64,
}

impl Measurement for SystematicPrior {
    fn group(&self) -> Group {
        Group::Instrument
    }

    fn linearise(&self, net: &Network) -> Linearised {
        let value = net.systematic[self.of].values[self.parameter];
        let mut design = Matrix1x6::zeros();
        design[self.parameter] = 1.0;
        Linearised::new(Matrix1::new(-value)).by(Unknown::Systematic(self.of), design)
    }

    fn covariance(&self) -> Matrix6<f64> {
        let mut c = Matrix6::zeros();
        c[(0, 0)] = self.sigma.powi(2);
        c
    }

    fn unknowns(&self) -> [Option<Unknown>; 2] {
        [None, None]
    }

    fn retarget(&mut self, _: &dyn Fn(usize) -> usize) {}

    /// No length in space.
    fn angular(&self) -> bool {
        true
    }
}
