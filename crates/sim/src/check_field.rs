//! What a simulated instrument reads on a check field: targets high and low in two faces, and distances that are known.

use crate::Scanner;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;

/// Readings on a check field. Angles in radians, lengths in metres.
#[derive(Clone, Debug, PartialEq)]
pub struct CheckField {
    /// Direction and elevation in the first face, and in the second brought to the sense of the first.
    pub faces: Vec<[[f64; 2]; 2]>,
    /// What each distance is, and what was measured of it.
    pub distances: Vec<[f64; 2]>,
}

/// Directions of the targets: azimuth and elevation.
const TARGETS: [[f64; 2]; 6] = [[0.1, -0.60], [1.2, 0.50], [2.5, -0.10], [3.4, 0.55], [4.6, -0.50], [5.6, 0.20]];
/// Distances laid out.
const DISTANCES: [f64; 5] = [4.0, 11.0, 19.0, 33.0, 52.0];
/// σ with which they are known.
pub const DISTANCE_SIGMA: f64 = 0.0003;
/// Points that a target's centre is the mean of.
const AVERAGED: f64 = 25.0;

impl Scanner {
    /// What it reads on a check field, set up once.
    pub fn on_check_field(&self, seed: u64) -> CheckField {
        let own = self.at_set_up(seed);
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0xC4EC_F1E1);
        let mut noise = |sigma: f64| sigma * rng.sample::<f64, _>(StandardNormal);
        let (angular, level) = (self.instrument.angular_sigma, self.instrument.compensator_sigma.unwrap_or(0.0));
        let mut face = |[azimuth, elevation]: [f64; 2], sign: f64| {
            // what it says is where the beam goes less what bends it; the second face bends the other way
            let mut said = [azimuth, elevation];
            for _ in 0..4 {
                let p = own.faced(sign).ray(said[0], said[1], 0.0);
                said[0] -= (p.y.atan2(p.x) - azimuth + std::f64::consts::PI).rem_euclid(std::f64::consts::TAU)
                    - std::f64::consts::PI;
                said[1] -= p.z.asin() - elevation;
            }
            [said[0] + noise(angular / elevation.cos()), said[1] + noise(angular.hypot(level))]
        };
        let faces = TARGETS.iter().map(|t| [face(*t, 1.0), face(*t, -1.0)]).collect();
        let distances = DISTANCES
            .iter()
            .map(|&d| {
                let known = d + noise(DISTANCE_SIGMA);
                let sigma = self.instrument.range_noise(d, 1.0) / AVERAGED.sqrt();
                [known, own.range(d, 0.5) + noise(sigma)]
            })
            .collect();
        CheckField { faces, distances }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use vistazo_core::instrument::{
        Conditions, Instrument, InstrumentCheck, KnownDistance, TwoFaces, check_instrument,
    };

    /// What the check makes of the readings, beside how the simulator bends its rays.
    #[test]
    fn the_check_finds_how_the_simulator_bends_its_rays() {
        let profile = Instrument::mid_range();
        let (mut within, mut all) = (0_u32, 0_u32);
        for seed in 0..60 {
            let scanner = Scanner::drawn(&profile, seed);
            let read = scanner.on_check_field(seed);
            let check = InstrumentCheck {
                faces: read.faces.iter().map(|[first, second]| TwoFaces { first: *first, second: *second }).collect(),
                distances: read
                    .distances
                    .iter()
                    .map(|[known, measured]| KnownDistance {
                        known: *known,
                        sigma: DISTANCE_SIGMA,
                        measured: *measured,
                    })
                    .collect(),
                conditions: Conditions { on_for: 3600.0, temperature: 15.0, job_temperature: None },
            };
            let truth = scanner.at_set_up(seed).as_read();
            for f in check_instrument(&check, &profile) {
                let k = [
                    vistazo_core::adjust::Parameter::RangeOffset,
                    vistazo_core::adjust::Parameter::RangeScale,
                    vistazo_core::adjust::Parameter::Collimation,
                    vistazo_core::adjust::Parameter::Trunnion,
                    vistazo_core::adjust::Parameter::Index,
                ]
                .iter()
                .position(|p| *p == f.parameter)
                .unwrap();
                all += 1;
                within += u32::from((f.value - truth[k]).abs() < 1.96 * f.sigma);
            }
        }
        println!("{within} of {all} errors within their 95 %");
        let share = f64::from(within) / f64::from(all);
        assert!(all >= 240 && (0.92..0.985).contains(&share), "{within} of {all}");
    }
}
