use super::graph::{Fact, Graph};
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

/// What a unit is wont to be wrong by, for minutes on end: what its profile states of it, 1σ at the start of a walk, and how that
/// wanders in the root of a second. Ties tell it better than any profile, and take it out of the whole walk.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Habits {
    /// Of the rate of its heading, radians a second.
    pub rate: [f64; 2],
    /// Of the length of its ways, share.
    pub scale: [f64; 2],
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
    /// What of that is the same for minutes.
    pub habits: Habits,
    /// How it is carried, fed and emptied.
    pub handling: Handling,
}

/// What planning a walk has to know of a unit, beside what its points are worth. Metres, radians, seconds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Handling {
    /// Metres a second where it is tight, in rooms, in the open.
    pub pace: [f64; 3],
    /// Of the unit above the floor.
    pub height: f64,
    /// What it sees, below and above the horizon.
    pub looks: [f64; 2],
    /// Points a second.
    pub points: f64,
    /// Longest pass: memory and heat end it.
    pub longest: f64,
    /// What a battery lasts.
    pub battery: f64,
    /// A battery can be changed without sending the unit in; else it is charged from outside.
    pub swappable: bool,
    /// Working it through takes so many times as long as walking it: on the unit itself, where it can, and in the office.
    pub device: Option<f64>,
    /// The same on an office machine.
    pub office: f64,
    /// Bytes a second that it records, and that it hands over.
    pub bytes: [f64; 2],
}

/// The invented profiles, by how a unit is carried.
pub fn units() -> Vec<Unit> {
    let of =
        |name: &str, noise: [f64; 3], max_range: f64, drift: [f64; 4], habits: [[f64; 2]; 2], handling: Handling| {
            Unit {
                name: name.into(),
                range_sigma: noise[0],
                range_sigma_per_m: noise[1],
                angular_sigma: noise[2],
                max_range,
                drift: Drift { walked: drift[0], heading: drift[1], turned: drift[2], tilt: drift[3] },
                habits: Habits { rate: habits[0], scale: habits[1] },
                handling,
            }
        };
    let hand = Handling {
        pace: [0.5, 0.8, 1.1],
        height: 1.4,
        looks: [-0.75, 0.95],
        points: 300_000.0,
        longest: 1200.0,
        battery: 5400.0,
        swappable: true,
        device: Some(2.0),
        office: 1.0,
        bytes: [6e6, 6e7],
    };
    let pack = Handling { pace: [0.5, 0.9, 1.3], height: 1.9, looks: [-1.2, 0.9], longest: 1800.0, ..hand };
    let trolley = Handling {
        pace: [0.3, 0.7, 1.0],
        height: 1.6,
        looks: [-0.9, 0.9],
        points: 600_000.0,
        longest: 3600.0,
        battery: 10_800.0,
        device: None,
        office: 1.5,
        bytes: [1.2e7, 1e8],
        ..hand
    };
    let phone = Handling {
        pace: [0.4, 0.6, 0.7],
        looks: [-0.5, 0.5],
        points: 30_000.0,
        longest: 480.0,
        battery: 3600.0,
        swappable: false,
        device: Some(1.0),
        office: 0.5,
        bytes: [2e6, 3e7],
        ..hand
    };
    vec![
        of("Hand-held", [0.010, 2e-4, 0.001], 60.0, [0.0033, 8e-5, 1e-4, 2e-4], [[1e-4, 2e-5], [4e-4, 1e-4]], hand),
        of("Backpack", [0.010, 2e-4, 0.001], 80.0, [0.004, 7e-5, 1e-4, 2e-4], [[8e-5, 1.6e-5], [4e-4, 1e-4]], pack),
        of("Trolley", [0.006, 1e-4, 0.0007], 80.0, [0.0025, 5e-5, 8e-5, 1e-4], [[5e-5, 1e-5], [3e-4, 6e-5]], trolley),
        of("Phone-grade", [0.015, 4e-3, 0.004], 5.0, [0.014, 3e-4, 4e-4, 6e-4], [[3e-4, 1e-4], [4e-3, 5e-4]], phone),
    ]
}

/// Standing counts as walking so fast, metres a second.
const STANDS: f64 = 0.7;
/// How far the frame of a path may lean, 1σ, radians: gravity tells every unit what is up.
pub const LEANS: f64 = 0.003;
/// Seconds for which a habit is taken as the same.
pub const STEADY: f64 = 40.0;

impl Habits {
    /// What one unit of each of its numbers does to a step (the way in metres, and its seconds): a share of its length, a turn for each
    /// second, and what that turn does to the way. Columns as [`Habits::sigma`] has its rows; those between say nothing.
    pub fn step(step: &Vec3, seconds: f64) -> Matrix6<f64> {
        let mut by = Matrix6::zeros();
        by.fixed_view_mut::<3, 1>(0, 0).copy_from(step);
        by.fixed_view_mut::<3, 1>(0, 5).copy_from(&(Vec3::z().cross(step) * (seconds / 2.0)));
        by[(5, 5)] = seconds;
        by
    }

    /// How far it may be from nil at the start of a walk, or from what it was so many seconds before.
    pub fn sigma(&self, after: Option<f64>) -> Vector6<f64> {
        let of = |s: [f64; 2]| after.map_or(s[0], |t| s[1] * t.sqrt());
        Vector6::new(of(self.scale), 1.0, 1.0, 1.0, 1.0, of(self.rate))
    }
}

impl Unit {
    /// What a step may be off when nothing is known of it but what the profile states, by left increments, m² and rad².
    pub fn open(&self, step: &Vec3, walked: f64, seconds: f64, turned: f64) -> Matrix6<f64> {
        let by = Habits::step(step, seconds);
        let grown = self.habits.sigma(None).map(|s| s * s) + self.habits.sigma(Some(seconds)).map(|s| s * s / 3.0);
        self.drift.covariance(step, walked, seconds, turned) + by * Matrix6::from_diagonal(&grown) * by.transpose()
    }

    /// Lets a walk of so many seconds have habits, which wander as its unit's do; returns the number of the first.
    pub fn in_graph(&self, graph: &mut Graph, seconds: f64) -> usize {
        let first = graph.habits.len();
        for k in 0..=(seconds / STEADY) as usize {
            graph.habits.push(Vector6::zeros());
            let before = k.checked_sub(1).map(|b| first + b);
            let sigma = self.habits.sigma(before.map(|_| STEADY));
            graph.know(Fact::Steady { of: first + k, before, sigma });
        }
        first
    }

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
        // who stands drifts on as who walks slowly: what a unit has of its own, it has by time; and a hand is never still
        let place = self.walked.powi(2) * (walked.max(STANDS * seconds) + 0.05 * seconds);
        let yaw = self.heading.powi(2) * seconds + (self.turned * turned).powi(2);
        let tilt = self.tilt.powi(2) * seconds;
        let own = Matrix6::from_diagonal(&Vector6::new(place, place, place, tilt, tilt, yaw));
        let mut by = Matrix6::identity();
        by.fixed_view_mut::<3, 3>(0, 3).copy_from(&-(step / 2.0).cross_matrix());
        by * own * by.transpose()
    }

    /// What a stretch that is taken as rigid may be off within itself, by left increments about its middle, m² and rad²:
    /// as long, as slow and as much turned as that.
    pub fn blurred(&self, walked: f64, seconds: f64, turned: f64) -> Matrix6<f64> {
        self.covariance(&Vec3::zeros(), walked / 2.0, seconds / 2.0, turned / 2.0) / 3.0
    }
}
