use crate::scene::{Board, Scene, Sphere, Truth};
use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Column, Site, Wall};

/// A small scene with its stations: for tests that need many.
pub struct SmallJob {
    /// The scene.
    pub scene: Scene,
    /// Where the stations were set up, and how: the truth.
    pub truth: Truth,
    /// The instrument, at a coarse setting.
    pub instrument: Instrument,
}

/// A room of about 12 by 9 metres with columns and clutter, six spheres of 100 mm radius, two
/// boards of 300 mm, and four stations turned at random and levelled to the compensator's noise.
pub fn small_job(seed: u64) -> SmallJob {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let instrument = Instrument { step: 0.004, name: "Coarse test setting".into(), ..Instrument::mid_range() };
    let (w, d) = (rng.random_range(11.0..13.0), rng.random_range(8.0..10.0));
    let line: Vec<_> =
        [(0.0, 0.0), (w, 0.0), (w, d), (0.0, d), (0.0, 0.0)].iter().map(|p| Vector2::new(p.0, p.1)).collect();
    let column = |x: f64, y: f64, radius: f64| Column { centre: Vector2::new(x, y), radius, base: 0.0, top: 4.0 };
    let columns = vec![column(w * 0.5, d * 0.5, 0.1), column(w * 0.7, d * 0.3, 0.05)];
    let site = Site { walls: vec![Wall::plain(0, line, 0.0, 4.0)], columns, ..Site::default() };
    let mut spheres: Vec<Sphere> = Vec::new();
    while spheres.len() < 6 {
        let c = Vec3::new(rng.random_range(0.8..w - 0.8), rng.random_range(0.8..d - 0.8), rng.random_range(0.6..2.4));
        if spheres.iter().all(|s| (s.centre - c).xy().norm() > 1.5) {
            spheres.push(Sphere { centre: c, radius: 0.1, knocked: None });
        }
    }
    let boards = vec![
        Board {
            centre: Vec3::new(rng.random_range(3.0..w - 3.0), 0.02, rng.random_range(1.0..2.2)),
            normal: Vec3::y(),
            half: 0.15,
            turn: rng.random_range(0.2..1.3),
        },
        Board {
            centre: Vec3::new(0.02, rng.random_range(3.0..d - 3.0), rng.random_range(1.0..2.2)),
            normal: Vec3::x(),
            half: 0.15,
            turn: rng.random_range(0.2..1.3),
        },
    ];
    let mut poses: Vec<Pose> = Vec::new();
    while poses.len() < 4 {
        let t = Vec3::new(rng.random_range(1.5..w - 1.5), rng.random_range(1.5..d - 1.5), rng.random_range(1.5..1.8));
        let free = spheres.iter().all(|s| (s.centre - t).xy().norm() > 1.0)
            && site.columns.iter().all(|c| (c.centre - t.xy()).norm() > 0.8);
        if free && poses.iter().all(|p| (p.translation - t).norm() > 2.0) {
            poses.push(levelled(&mut rng, &instrument, t));
        }
    }
    SmallJob {
        scene: Scene { site, ground: 0.0, spheres, boards, ..Scene::default() },
        truth: Truth { poses },
        instrument,
    }
}

/// A set-up turned at random, its axes tilted by what the compensator leaves.
pub(crate) fn levelled(rng: &mut ChaCha8Rng, instrument: &Instrument, at: Vec3) -> Pose {
    let yaw = rng.random_range(0.0..std::f64::consts::TAU);
    let sigma = instrument.compensator_sigma.unwrap_or(0.01);
    let tilt =
        Vec3::new(rng.sample::<f64, _>(StandardNormal) * sigma, rng.sample::<f64, _>(StandardNormal) * sigma, 0.0);
    let mut pose = Pose::levelled(yaw, at);
    pose.rotation = nalgebra::UnitQuaternion::from_scaled_axis(tilt) * pose.rotation;
    pose
}

/// A set-up within some centimetres of a planned position, turned and tilted at random.
pub fn set_up_near(planned: Vec3, instrument: &Instrument, seed: u64) -> Pose {
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x5EED);
    let off = Vec3::new(rng.random_range(-0.15..0.15), rng.random_range(-0.15..0.15), rng.random_range(-0.05..0.05));
    levelled(&mut rng, instrument, planned + off)
}
