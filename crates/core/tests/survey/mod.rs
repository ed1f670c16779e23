//! Surveys made up from poses and targets, for the tests of registration and georeferencing: no code of the
//! core beside its geometry.
#![allow(dead_code, unreachable_pub, missing_docs, clippy::unwrap_used)]

use nalgebra::{Rotation3, UnitQuaternion};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_core::registration::{Observed, ScanInput};
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
