//! Surveys made up from poses and targets, for the tests of registration and georeferencing: no code of the
//! core beside its geometry.
#![allow(dead_code, clippy::unwrap_used, clippy::expect_used, clippy::panic, unreachable_pub)]

use nalgebra::{Rotation3, UnitQuaternion};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_core::instrument::Systematic;
use vistazo_core::registration::{Observed, ScanInput};
use vistazo_core::stats::chi2_quantile;
use vistazo_core::targets::TargetKind;

/// What a centre is said to be good to, metres.
pub const STATED: f64 = 0.0008;
/// What the compensator is said to be good to, radians.
pub const LEVEL: f64 = 1.5e-5;

pub struct Survey {
    pub poses: Vec<Pose>,
    pub targets: Vec<Vec3>,
    pub scans: Vec<ScanInput>,
}

pub struct Recipe<'a> {
    pub stations: &'a [Vec3],
    pub targets: &'a [Vec3],
    /// Whether a station sees a target.
    pub sees: &'a dyn Fn(usize, usize) -> bool,
    /// Real noise over the stated.
    pub noise: f64,
    /// Real levelling error over the stated.
    pub level: f64,
    /// Where up is at a place.
    pub up: &'a dyn Fn(&Vec3) -> Vec3,
    /// What a target was when a station saw it, beside its place.
    pub off: &'a dyn Fn(usize, usize) -> Vec3,
    pub seed: u64,
}

pub fn flat(_: &Vec3) -> Vec3 {
    Vec3::z()
}

pub fn stays(_: usize, _: usize) -> Vec3 {
    Vec3::zeros()
}

pub fn survey(r: &Recipe<'_>) -> Survey {
    let mut rng = ChaCha8Rng::seed_from_u64(r.seed);
    let mut n = move |sigma: f64| rng.sample::<f64, _>(StandardNormal) * sigma;
    let (mut poses, mut scans) = (Vec::new(), Vec::new());
    for (s, at) in r.stations.iter().enumerate() {
        let up = (r.up)(at);
        let upright = UnitQuaternion::from_rotation_matrix(&Rotation3::rotation_between(&Vec3::z(), &up).unwrap());
        let tilt = UnitQuaternion::from_scaled_axis(Vec3::new(n(LEVEL * r.level), n(LEVEL * r.level), 0.0));
        let yaw = UnitQuaternion::from_axis_angle(&Vec3::z_axis(), 1.3 * s as f64 + 0.2);
        let pose = Pose { rotation: tilt * upright * yaw, translation: *at };
        let seen = (0..r.targets.len()).filter(|&t| (r.sees)(s, t));
        let targets = seen
            .map(|t| {
                let p = pose.inverse().apply(&(r.targets[t] + (r.off)(s, t)));
                let noise = Vec3::new(n(STATED), n(STATED), n(STATED)) * r.noise;
                Observed {
                    id: 1000 * s + t,
                    kind: TargetKind::Sphere,
                    group: 0,
                    centre: p + noise,
                    covariance: Mat3::identity() * STATED * STATED,
                }
            })
            .collect();
        scans.push(ScanInput {
            name: format!("S{}", s + 1),
            compensator: Some(LEVEL),
            targets,
            ..ScanInput::default()
        });
        poses.push(pose);
    }
    Survey { poses, targets: r.targets.to_vec(), scans }
}

/// Nine targets about five stations, all seen by all.
pub fn hall() -> (Vec<Vec3>, Vec<Vec3>) {
    let stations = [(0.0, 0.0), (9.0, 2.0), (4.0, 9.0), (12.0, 10.0), (-3.0, 6.0)];
    let targets = [
        (1.0, 6.0, 1.2),
        (8.0, 2.5, 1.5),
        (3.0, -4.0, 0.8),
        (9.0, 9.0, 1.9),
        (-4.0, 3.0, 1.1),
        (12.0, -3.0, 1.6),
        (5.0, 4.0, 2.4),
        (15.0, 6.0, 1.3),
        (0.5, 13.0, 1.7),
    ];
    (
        stations.iter().enumerate().map(|(k, p)| Vec3::new(p.0, p.1, 1.6 + 0.03 * k as f64)).collect(),
        targets.iter().map(|p| Vec3::new(p.0, p.1, p.2)).collect(),
    )
}

/// What an instrument does to a ray, and a tripod to the place it starts from.
pub struct Wrong {
    pub offset: f64,
    pub scale: f64,
    pub collimation: f64,
    pub trunnion: f64,
    pub index: f64,
    pub settles: f64,
    pub turns: f64,
}

impl Wrong {
    pub fn measured(&self, p: &Vec3) -> Vec3 {
        let share = p.y.atan2(p.x).rem_euclid(std::f64::consts::TAU) / std::f64::consts::TAU;
        // the scanner has sunk and turned by then: things stand higher and farther round to the right
        let from = p + Vec3::z() * (self.settles * share);
        let (azimuth, elevation) = (from.y.atan2(from.x) - self.turns * share, from.z.atan2(from.xy().norm()));
        let e = elevation + self.index;
        let a = azimuth + self.collimation / e.cos() + self.trunnion * e.tan();
        Vec3::new(e.cos() * a.cos(), e.cos() * a.sin(), e.sin()) * (from.norm() * (1.0 + self.scale) + self.offset)
    }
}

/// Puts the errors of one instrument on a survey, each `times` what its profile states.
pub fn bend(survey: &mut Survey, s: &Systematic, times: f64, seed: u64) {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0xBE17D);
    let mut n = move |sigma: f64| rng.sample::<f64, _>(StandardNormal) * sigma * times;
    let (offset, scale) = (n(s.range_offset), n(s.range_scale));
    let (collimation, trunnion, index) = (n(s.collimation), n(s.trunnion), n(s.index));
    for scan in &mut survey.scans {
        let index = index + n(s.index_at_set_up);
        let wrong = Wrong { offset, scale, collimation, trunnion, index, settles: n(s.settling), turns: n(s.turning) };
        for t in &mut scan.targets {
            t.centre = wrong.measured(&t.centre) + Vec3::from_fn(|_, _| n(s.roundness));
        }
    }
}

/// Six stations along a street, three targets between each two and at its ends, none of them alike.
pub fn street() -> (Vec<Vec3>, Vec<Vec3>) {
    let mut rng = ChaCha8Rng::seed_from_u64(77);
    let stations = (0..6).map(|k| Vec3::new(9.0 * f64::from(k), f64::from(k % 2), 1.6)).collect();
    let mut place = |k: u32| {
        let (x, y) = (9.0 * f64::from(k / 3) - 4.5, [5.0, -4.0, 6.5][k as usize % 3]);
        Vec3::new(x + rng.random_range(-1.5..1.5), y + rng.random_range(-1.5..1.5), rng.random_range(0.6..2.4))
    };
    (stations, (0..21).map(&mut place).collect())
}

/// A station shows the three targets before it and the three after it, and so shares three with each neighbour.
pub fn neighbours(s: usize, t: usize) -> bool {
    (s..s + 2).contains(&(t / 3))
}

#[derive(Default)]
pub struct Sums {
    pub inside: usize,
    pub of: usize,
    found: f64,
    stated: f64,
}

impl Sums {
    pub fn add(&mut self, e: &Vec3, c: &nalgebra::Matrix3<f64>) {
        let q = e.dot(&(c.try_inverse().unwrap() * e));
        self.inside += usize::from(q < chi2_quantile(0.95, 3));
        self.of += 1;
        self.found += q;
        self.stated += 3.0;
    }
    pub fn percent(&self) -> f64 {
        100.0 * self.inside as f64 / self.of as f64
    }
    pub fn spread(&self) -> f64 {
        (self.found / self.stated).sqrt()
    }
}

/// A site with its stations and targets.
pub struct Network {
    pub name: &'static str,
    pub stations: Vec<Vec3>,
    pub targets: Vec<Vec3>,
    pub sees: Box<dyn Fn(usize, usize) -> bool>,
    /// The compensator was on.
    pub level: bool,
}

impl Network {
    pub fn recipe(&self, seed: u64) -> Recipe<'_> {
        Recipe {
            stations: &self.stations,
            targets: &self.targets,
            sees: &*self.sees,
            noise: 1.0,
            level: 1.0,
            up: &flat,
            off: &stays,
            seed,
        }
    }

    /// A survey of it by an instrument with errors of its own.
    pub fn survey(&self, off: &dyn Fn(usize, usize) -> Vec3, profile: &Systematic, seed: u64) -> Survey {
        let mut made = survey(&Recipe { off, ..self.recipe(seed) });
        bend(&mut made, profile, 1.0, seed);
        if !self.level {
            made.scans.iter_mut().for_each(|s| s.compensator = None);
        }
        made
    }
}

/// Six networks that have little in common: all seen by all, a chain, a ring, storeys over a shaft, long sights, and
/// one without level.
pub fn networks() -> Vec<Network> {
    let scatter = |seed: u64, n: usize, low: [f64; 3], high: [f64; 3]| -> Vec<Vec3> {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut place = || Vec3::from_fn(|k, _| rng.random_range(low[k]..high[k]));
        (0..n).map(|_| place()).collect()
    };
    let near = |stations: &[Vec3], targets: &[Vec3], reach: f64| -> Box<dyn Fn(usize, usize) -> bool> {
        let (stations, targets) = (stations.to_vec(), targets.to_vec());
        Box::new(move |s, t| (stations[s] - targets[t]).norm() < reach)
    };
    let made = |name, stations: Vec<Vec3>, targets: Vec<Vec3>, reach: f64, level| Network {
        name,
        sees: near(&stations, &targets, reach),
        stations,
        targets,
        level,
    };
    let (at, of) = hall();
    let (along, beside) = street();
    let corner = |k: i32| {
        [(0.0, 0.0), (14.0, 0.0), (28.0, 0.0), (28.0, 10.0), (28.0, 20.0), (14.0, 20.0), (0.0, 20.0), (0.0, 10.0)]
            [k as usize]
    };
    let round: Vec<Vec3> = (0..8).map(|k| Vec3::new(corner(k).0, corner(k).1, 1.6)).collect();
    let rim: Vec<Vec3> = scatter(5, 80, [-4.0, -4.0, 0.5], [32.0, 24.0, 2.4])
        .into_iter()
        .filter(|p| !(3.0..25.0).contains(&p.x) || !(3.0..17.0).contains(&p.y))
        .take(30)
        .collect();
    let storeys: Vec<Vec3> =
        (0..6).map(|k| Vec3::new(8.0 * f64::from(k % 2), 2.0, 1.6 + 3.5 * f64::from(k / 2))).collect();
    let floors =
        (0..3).flat_map(|f| scatter(20 + f, 4, [-4.0, -5.0, 0.4 + 3.5 * f as f64], [12.0, 8.0, 2.6 + 3.5 * f as f64]));
    let shaft = scatter(30, 5, [2.0, 4.0, 2.8], [6.0, 8.0, 7.4]);
    let inside: Vec<Vec3> = floors.chain(shaft).collect();
    let (up, seen) = (storeys.clone(), inside.clone());
    let by_storey: Box<dyn Fn(usize, usize) -> bool> =
        Box::new(move |s, t| t >= 12 || (up[s].z - seen[t].z).abs() < 1.8);
    let corners = [(0.0, 0.0), (48.0, 5.0), (44.0, 38.0), (4.0, 33.0), (24.0, 18.0)];
    let yard = corners.map(|p| Vec3::new(p.0, p.1, 1.7)).to_vec();
    vec![
        made("hall", at.clone(), of.clone(), 100.0, true),
        made("street", along, beside, 15.0, true),
        made("ring", round, rim, 13.0, true),
        Network { name: "storeys", stations: storeys, targets: inside, sees: by_storey, level: true },
        made("yard", yard, scatter(40, 9, [2.0, 2.0, 0.6], [46.0, 34.0, 3.0]), 100.0, true),
        made("hall without level", at, of, 100.0, false),
    ]
}
