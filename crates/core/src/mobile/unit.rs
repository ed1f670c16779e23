use crate::geometry::Vec3;
use nalgebra::{Matrix6, Vector6};

/// How a unit loses its way, 1σ, as it goes: what the profile states, and what ties correct.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Drift {
    /// Of the place, each axis, metres for the root of a metre walked.
    pub walked: f64,
    /// Of the heading, radians for the root of a second.
    pub heading: f64,
    /// Of the heading, for a radian turned.
    pub turned: f64,
    /// Of each tilt, radians for the root of a second; gravity keeps it from growing for long.
    pub tilt: f64,
}

/// A mobile unit: what a point of it is worth, and how it drifts. Metres, radians, seconds.
#[derive(Clone, Debug, PartialEq)]
pub struct Unit {
    /// Name of the profile.
    pub name: String,
    /// Range noise of a point, 1σ.
    pub range_sigma: f64,
    /// Its part that grows with range, 1σ per metre.
    pub range_sigma_per_m: f64,
    /// Angular noise of a point, each axis, 1σ.
    pub angular_sigma: f64,
    /// Farthest range that is used.
    pub max_range: f64,
    /// How it loses its way.
    pub drift: Drift,
}

/// The invented profiles, by how a unit is carried.
pub fn units() -> Vec<Unit> {
    let of = |name: &str, range: f64, per_m: f64, angle: f64, max_range: f64, drift: [f64; 4]| Unit {
        name: name.into(),
        range_sigma: range,
        range_sigma_per_m: per_m,
        angular_sigma: angle,
        max_range,
        drift: Drift { walked: drift[0], heading: drift[1], turned: drift[2], tilt: drift[3] },
    };
    vec![
        of("Hand-held", 0.010, 2e-4, 0.001, 60.0, [0.004, 4e-4, 4e-4, 2e-4]),
        of("Backpack", 0.010, 2e-4, 0.001, 80.0, [0.005, 3e-4, 3e-4, 2e-4]),
        of("Trolley", 0.006, 1e-4, 0.0007, 80.0, [0.003, 2e-4, 2e-4, 1e-4]),
        of("Phone-grade", 0.015, 4e-3, 0.004, 5.0, [0.02, 1.2e-3, 3e-3, 6e-4]),
    ]
}

impl Unit {
    /// Variance of a point along each axis by its own noise at a range, m².
    pub fn point_variance(&self, range: f64) -> f64 {
        let along = self.range_sigma + self.range_sigma_per_m * range;
        (along * along).max((range * self.angular_sigma).powi(2))
    }
}

impl Drift {
    /// What it may be off after a step, covariance by left increments in the axes of the path, m² and rad²: `step`
    /// as the way from one place to the other (metres), how far was walked in between (metres), how long (seconds)
    /// and how much was turned (radians). Turning errors come half-way, on the average.
    pub fn covariance(&self, step: &Vec3, walked: f64, seconds: f64, turned: f64) -> Matrix6<f64> {
        // standing still it does not walk away, but shakes: a decimetre a second counts
        let place = self.walked.powi(2) * (walked + 0.05 * seconds);
        let yaw = self.heading.powi(2) * seconds + (self.turned * turned).powi(2);
        let tilt = self.tilt.powi(2) * seconds;
        let own = Matrix6::from_diagonal(&Vector6::new(place, place, place, tilt, tilt, yaw));
        let mut by = Matrix6::identity();
        by.fixed_view_mut::<3, 3>(0, 3).copy_from(&-(step / 2.0).cross_matrix());
        by * own * by.transpose()
    }

    /// How far a walk may be off half-way between two places that hold it and its direction, 1σ of the worse horizontal
    /// axis, metres: `length` metres at a pace of `speed` metres a second. A walk that wanders as a random walk is off by
    /// half of what it gathers on the whole of it (Brownian bridge), one whose heading does so by the integral of that held
    /// at both ends, σ²T³/192.
    ///
    /// ```
    /// let unit = &vistazo_core::mobile::units()[0];
    /// // twice as far apart, more than one and a half times as far off
    /// assert!(unit.drift.half_way(80.0, 1.0) > 1.5 * unit.drift.half_way(40.0, 1.0));
    /// ```
    pub fn half_way(&self, length: f64, speed: f64) -> f64 {
        let seconds = length / speed;
        let wandered = self.walked.powi(2) * length / 4.0;
        let turned = (self.heading * speed).powi(2) * seconds.powi(3) / 192.0;
        (wandered + turned).sqrt()
    }
}
