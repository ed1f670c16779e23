use crate::scanner::Scanner;
use crate::scene::Scene;
use crate::shapes::{Light, Shape, nearest, passers, shapes};
use nalgebra::UnitQuaternion;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use rayon::prelude::*;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;

/// A mobile unit as one is carried: what it measures, and how it loses its way. The model is the simulator's own: rates
/// that wander, integrated.
#[derive(Clone, Copy, Debug)]
pub struct Walker {
    /// Points a second.
    pub rays: f64,
    /// Farthest return, metres.
    pub reach: f64,
    /// Noise of a range, 1σ, metres.
    pub range_sigma: f64,
    /// How fast it is carried, metres a second.
    pub speed: f64,
    /// Rate of the heading: what it is off at the start, and what that wanders in the root of a second, radians a second.
    pub gyro: [f64; 2],
    /// Share that ways are too long or short: at the start, and what that wanders in the root of a second.
    pub scale: [f64; 2],
    /// What the tilt is off, radians: gravity draws it back within some twenty seconds.
    pub tilt: f64,
    /// What each step is off by itself, metres in the root of a second.
    pub steps: f64,
}

impl Walker {
    /// A hand-held unit, with fewer points than a real one so that tests are quick.
    pub fn hand_held() -> Self {
        Self {
            rays: 12_000.0,
            reach: 50.0,
            range_sigma: 0.010,
            speed: 0.9,
            gyro: [1.0e-4, 2.0e-5],
            scale: [4e-4, 1e-4],
            tilt: 6e-4,
            steps: 0.003,
        }
    }

    /// What a telephone does.
    pub fn phone_grade() -> Self {
        Self {
            reach: 5.0,
            range_sigma: 0.012,
            speed: 0.7,
            gyro: [3e-4, 1e-4],
            scale: [4e-3, 5e-4],
            tilt: 2e-3,
            steps: 0.012,
            ..Self::hand_held()
        }
    }
}

/// A point of a walk, in the frame that the unit believes in.
#[derive(Clone, Copy, Debug)]
pub struct WalkPoint {
    /// Seconds.
    pub time: f64,
    /// Metres.
    pub at: [f32; 3],
    /// Intensity, 0..1.
    pub intensity: f32,
}

/// What a walk hands over, and beside it what was true.
#[derive(Clone, Debug, Default)]
pub struct Walk {
    /// In the order of time.
    pub points: Vec<WalkPoint>,
    /// Time and pose as the unit believes, twenty a second.
    pub path: Vec<(f64, Pose)>,
    /// Of each line of the path the true pose. Read by tests and by nothing else.
    pub truth: Vec<Pose>,
    /// Of each point the true place of what it met. Read by tests and by nothing else.
    pub met: Vec<Vec3>,
    /// Seconds at which it was stood still, in the order of the way: what an operator notes.
    pub stood: Vec<f64>,
}

/// Lines of the path a second.
const RATE: f64 = 20.0;
/// Seconds that a corner is stood on.
const STANDS: f64 = 8.0;
/// Turns of the head a second.
const SPINS: f64 = 10.0;
/// It looks from so far below the horizon to so far above, radians.
const LOOKS: [f64; 2] = [-0.75, 0.95];

/// Walks along a way (places of the unit, metres), standing still for a moment at both ends, and for longer on corners that
/// follow themselves. `epoch` says what stands there, as for a scan.
pub fn walk(scene: &Scene, walker: &Walker, way: &[Vec3], epoch: usize, seed: u64) -> Walk {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0xA1_0C_4E);
    let (truth, stood) = carried(way, walker.speed, &mut rng);
    let believed = drifted(&truth, walker, &mut rng);
    let mut out = Walk {
        path: believed.iter().enumerate().map(|(k, p)| (k as f64 / RATE, *p)).collect(),
        truth,
        stood,
        ..Walk::default()
    };
    let eye = Instrument { max_range: walker.reach, min_range: 0.3, ..Instrument::mid_range() };
    let mut there = shapes(scene, epoch, &Scanner::perfect(&eye), seed);
    there.extend(passers(scene, epoch));
    let per = (walker.rays / RATE) as usize;
    let parts: Vec<Vec<(WalkPoint, Vec3)>> = (0..out.path.len() - 1)
        .into_par_iter()
        .map(|k| {
            let near = about(&there, &out.truth[k].translation, walker.reach);
            let mut rng = ChaCha8Rng::seed_from_u64(seed.wrapping_mul(0x9E37_79B9_7F4A_7C15) ^ k as u64);
            let mut normal = || rng.sample::<f64, _>(StandardNormal);
            let between = |p: &Pose, q: &Pose, w: f64| Pose {
                rotation: p.rotation.slerp(&q.rotation, w),
                translation: p.translation.lerp(&q.translation, w),
            };
            let beam = |n: usize| {
                let w = (n as f64 + 0.5) / per as f64;
                let time = (k as f64 + w) / RATE;
                // heads that turn: every spin looks between where the one before looked
                let turn = (time * SPINS * 1.013).fract() * std::f64::consts::TAU;
                let rise =
                    LOOKS[0] + (LOOKS[1] - LOOKS[0]) * (n as f64 * 0.618_033_988_749_9 + k as f64 * 0.37).fract();
                let ray = Vec3::new(turn.cos() * rise.cos(), turn.sin() * rise.cos(), rise.sin());
                let truly = between(&out.truth[k], &out.truth[k + 1], w);
                let world = truly.rotation * ray;
                let hit = nearest(&there, &near, scene.ground, &truly.translation, &world, &eye)?;
                if hit.range < eye.min_range || hit.range > walker.reach || hit.cos < 0.05 {
                    return None;
                }
                let range = hit.range + walker.range_sigma * normal();
                let aside = Vec3::new(normal(), normal(), normal()) * (4e-4 * hit.range);
                let at = between(&out.path[k].1, &out.path[k + 1].1, w).apply(&(ray * range + aside));
                let met = truly.translation + world * hit.range;
                let light = match hit.light {
                    Light::Share(s) => s,
                    Light::Of(m) => m.albedo(&met, scene.ground),
                };
                let intensity = (light * (0.4 + 0.6 * hit.cos) + 0.02 * normal()).clamp(0.0, 1.0) as f32;
                Some((WalkPoint { time, at: at.map(|v| v as f32).into(), intensity }, met))
            };
            (0..per).filter_map(beam).collect()
        })
        .collect();
    (out.points, out.met) = parts.into_iter().flatten().unzip();
    out
}

/// Shapes that a ray may meet from a place.
fn about(shapes: &[Shape], at: &Vec3, reach: f64) -> Vec<u32> {
    let far = |s: &Shape| match s {
        Shape::Panel { a, b, .. } | Shape::Mirror { a, b, .. } => {
            let (d, w) = ([b[0] - a[0], b[1] - a[1]], [at.x - a[0], at.y - a[1]]);
            let along = ((d[0] * w[0] + d[1] * w[1]) / (d[0] * d[0] + d[1] * d[1]).max(1e-9)).clamp(0.0, 1.0);
            (w[0] - d[0] * along).hypot(w[1] - d[1] * along) > reach
        }
        Shape::Sphere { c, r } => (c - at).norm() > reach + r,
        Shape::Post { x, y, r, .. } => (x - at.x).hypot(y - at.y) > reach + r,
        Shape::Pipe { .. } | Shape::Board { .. } | Shape::Level { .. } => false,
    };
    (0..shapes.len() as u32).filter(|k| !far(&shapes[*k as usize])).collect()
}

/// How the unit is carried along a way: corners are rounded, the hand moves, the head looks where one goes; and when it was stood
/// still on a corner.
fn carried(way: &[Vec3], speed: f64, rng: &mut ChaCha8Rng) -> (Vec<Pose>, Vec<f64>) {
    let dt = 1.0 / RATE;
    let mut along: Vec<Vec3> = vec![way[0]; RATE as usize];
    let mut stood = Vec::new();
    for leg in way.windows(2) {
        if (leg[1] - leg[0]).norm() < 1e-6 {
            stood.push(along.len() as f64 * dt + STANDS / 2.0);
            along.extend(vec![leg[0]; (STANDS * RATE) as usize]);
            continue;
        }
        let steps = ((leg[1] - leg[0]).norm() / (speed * dt)).ceil().max(1.0) as usize;
        along.extend((1..=steps).map(|k| leg[0].lerp(&leg[1], k as f64 / steps as f64)));
    }
    along.extend(vec![way[way.len() - 1]; RATE as usize]);
    // a second's mean rounds corners
    let half = RATE as usize / 2;
    let mean = |k: usize| {
        let (a, b) = (k.saturating_sub(half), (k + half + 1).min(along.len()));
        along[a..b].iter().sum::<Vec3>() / (b - a) as f64
    };
    let smooth: Vec<Vec3> = (0..along.len()).map(mean).collect();
    let phases: [f64; 3] = std::array::from_fn(|_| rng.random_range(0.0..6.0));
    let first = way.windows(2).map(|l| l[1] - l[0]).find(|d| d.xy().norm() > 0.1).unwrap_or_else(Vec3::x);
    let mut heading = first.y.atan2(first.x);
    let poses = (0..smooth.len())
        .map(|k| {
            let t = k as f64 * dt;
            let (a, b) = (k.saturating_sub(half), (k + half).min(smooth.len() - 1));
            let ahead = smooth[b] - smooth[a];
            if ahead.xy().norm() > 0.1 {
                let to = ahead.y.atan2(ahead.x) - heading;
                heading += to.sin().atan2(to.cos()) * 0.15;
            }
            let sway = |hz: f64, size: f64, phase: f64| size * (std::f64::consts::TAU * hz * t + phase).sin();
            // who stands, and sets it down on a mark, holds it still
            let walks = (ahead.norm() / (0.5 * speed)).min(1.0);
            let at = smooth[k] + Vec3::new(0.0, 0.0, walks * sway(1.7, 0.02, phases[0]));
            let tilt = Vec3::new(sway(0.85, 0.03, phases[1]), sway(0.6, 0.04, phases[2]), 0.0);
            let turned = UnitQuaternion::from_axis_angle(&Vec3::z_axis(), heading);
            Pose { rotation: turned * UnitQuaternion::from_scaled_axis(tilt), translation: at }
        })
        .collect();
    (poses, stood)
}

/// What the unit believes: steps and turns with what is wrong in them, put together from the first.
fn drifted(truth: &[Pose], w: &Walker, rng: &mut ChaCha8Rng) -> Vec<Pose> {
    let dt = 1.0 / RATE;
    let mut normal = || rng.sample::<f64, _>(StandardNormal);
    let (mut gyro, mut scale) = (w.gyro[0] * normal(), w.scale[0] * normal());
    let mut tilt = Vec3::new(normal(), normal(), 0.0) * w.tilt;
    // it begins where it takes the origin to be, upright, and looks along x
    let first = truth[0];
    let ahead = first.rotation * Vec3::x();
    let start = Pose::levelled(ahead.y.atan2(ahead.x), first.translation).inverse();
    let (mut yaw, mut at) = (0.0, start.apply(&first.translation));
    let mut out = Vec::with_capacity(truth.len());
    for k in 0..truth.len() {
        let wrong = UnitQuaternion::from_axis_angle(&Vec3::z_axis(), yaw) * UnitQuaternion::from_scaled_axis(tilt);
        if k > 0 {
            let step = start.rotation * (truth[k].translation - truth[k - 1].translation);
            let own = Vec3::new(normal(), normal(), normal()) * (w.steps * dt.sqrt());
            at += wrong * step * (1.0 + scale) + own;
        }
        out.push(Pose { rotation: wrong * start.rotation * truth[k].rotation, translation: at });
        yaw += gyro * dt;
        gyro += w.gyro[1] * dt.sqrt() * normal();
        scale += w.scale[1] * dt.sqrt() * normal();
        let back = dt / 20.0;
        tilt += -tilt * back + Vec3::new(normal(), normal(), 0.0) * (w.tilt * (2.0 * back).sqrt());
    }
    out
}
