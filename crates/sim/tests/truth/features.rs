//! Heights of floors at doors and kerbs on a yard, measured in profiles as the page asks for them: the truth lies within what
//! is stated, and the step is found where it stands.

use nalgebra::{Matrix6, Vector2, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use rayon::prelude::*;
use vistazo_core::draw::{Profile, Shot, Snap, Stand};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::Obstacle;
use vistazo_core::slice::Cut;
use vistazo_sim::{Scanner, SmallJob, scan, small_job};

pub(super) fn seeds() -> u64 {
    std::env::var("VISTAZO_DRAW_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(3)
}

/// How well a registration knows a place: 0.8 mm, 1 mm in height, 20 and 50 µrad.
fn known() -> Matrix6<f64> {
    Matrix6::from_diagonal(&Vector6::new(8e-4, 8e-4, 1e-3, 2e-5, 2e-5, 5e-5).map(|s| s * s))
}

/// What scans of a job show, each placed as well as a registration knows.
pub(super) struct Seen {
    pub(super) points: Vec<Vec<Vec3>>,
    pub(super) stands: Vec<Stand>,
    pub(super) instrument: Instrument,
}

impl Seen {
    pub(super) fn of(job: &SmallJob, seed: u64) -> Self {
        let instrument = Instrument { step: 0.003, ..job.instrument.clone() };
        let scanner = Scanner::drawn(&instrument, seed);
        let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0xFEA7);
        let mut off = || {
            let c = known();
            Vector6::from_fn(|k, _| c[(k, k)].sqrt() * rng.sample::<f64, _>(StandardNormal))
        };
        let stands: Vec<Stand> = (job.truth.poses.iter())
            .map(|p| Stand { pose: p.compose(&scanner.frame()).moved(&off()), covariance: known() })
            .collect();
        let points = (job.truth.poses.par_iter().zip(&stands).enumerate())
            .map(|(k, (p, stand))| {
                let raw = scan(&job.scene, &scanner, p, k, 100 * seed + k as u64, &|_| true).unwrap();
                let taken = raw.into_scan().unwrap();
                (0..taken.points.len()).map(|i| stand.pose.apply(&taken.at(i))).collect()
            })
            .collect();
        Self { points, stands, instrument }
    }

    fn shot(&self, at: Vec3, bearing: f64, thickness: f64, snap: Snap) -> Option<Shot> {
        let cut = Cut::new(at, bearing, std::f64::consts::FRAC_PI_2, [1.2, 2.0], thickness);
        let scans: Vec<Vec<[f64; 2]>> =
            self.points.iter().map(|s| s.iter().filter_map(|p| cut.place(p)).collect()).collect();
        Profile { cut: &cut, scans: &scans, stands: &self.stands, instrument: &self.instrument }.shot(snap)
    }
}

/// A platform in the room, as a kerb stands in a yard; its corners and its height.
fn kerb(job: &mut SmallJob, rng: &mut ChaCha8Rng) -> (Vec<Vector2<f64>>, f64) {
    let middle = job.truth.poses.iter().map(|p| p.translation.xy()).sum::<Vector2<f64>>() / 4.0;
    let (turn, top) = (rng.random_range(0.0..1.5_f64), rng.random_range(0.06..0.18));
    let along = Vector2::new(turn.cos(), turn.sin());
    let across = Vector2::new(-along.y, along.x);
    let outline: Vec<_> = [(-1.4, -0.7), (1.4, -0.7), (1.4, 0.7), (-1.4, 0.7)]
        .iter()
        .map(|c| middle + along * c.0 + across * c.1)
        .collect();
    // columns and targets would stand on it
    job.scene.site.columns.clear();
    job.scene.spheres.clear();
    job.scene.site.obstacles.push(Obstacle { outline: outline.clone(), base: 0.0, top });
    (outline, top)
}

#[test]
fn floors_and_kerbs_lie_within_what_is_stated() {
    let (mut floor, mut rim, mut height) = ([0; 2], [0; 2], [0; 2]);
    let (mut asked, mut found, mut worst) = (0, 0, 0.0_f64);
    // errors in what is stated: half of them lie within 0.34 where that is just right
    let mut of: [Vec<f64>; 3] = Default::default();
    for seed in 1..=seeds() {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let mut job = small_job(seed);
        let (outline, top) = kerb(&mut job, &mut rng);
        let seen = Seen::of(&job, seed);
        let walls = &job.scene.site.walls[0].line;
        // floors beside the walls, where doors would be
        for leg in walls.windows(2) {
            for share in [0.2, 0.35, 0.5, 0.65, 0.8] {
                let d = (leg[1] - leg[0]).normalize();
                let at = leg[0] + (leg[1] - leg[0]) * share + Vector2::new(-d.y, d.x) * 0.25;
                let Some(s) = seen.shot(at.push(0.1), d.x.atan2(d.y), 0.2, Snap::Ground) else { continue };
                of[0].push(s.at.z.abs() / s.error95[1]);
                floor[0] += usize::from(s.at.z.abs() <= s.error95[1]);
                floor[1] += 1;
            }
        }
        // the kerb, a profile across it at some places of every side
        for (a, b) in outline.iter().zip(outline.iter().cycle().skip(1)) {
            let d = (b - a).normalize();
            let n = Vector2::new(-d.y, d.x);
            for share in [0.2, 0.4, 0.6, 0.8] {
                // drawn by hand: some centimetres off
                let at = a + (b - a) * share + n * rng.random_range(-0.08..0.08);
                asked += 2;
                for (snap, z) in [(Snap::Top, top), (Snap::Foot, 0.0)] {
                    let Some(s) = seen.shot(at.push(0.1), n.x.atan2(n.y), 0.06, snap) else { continue };
                    let off = n.dot(&(s.at.xy() - a)).abs();
                    found += 1;
                    worst = worst.max(off);
                    of[1].push(off / s.error95[0]);
                    of[2].push((s.at.z - z).abs() / s.error95[1]);
                    rim[0] += usize::from(off <= s.error95[0]);
                    rim[1] += 1;
                    height[0] += usize::from((s.at.z - z).abs() <= s.error95[1]);
                    height[1] += 1;
                }
            }
        }
    }
    let share = |v: [usize; 2]| 100.0 * v[0] as f64 / v[1] as f64;
    println!(
        "inside the 95 %: floors {:.1} % of {}, kerbs across {:.1} % of {} (worst {:.1} mm off), their heights {:.1} % of {}; {found} of {asked} found",
        share(floor),
        floor[1],
        share(rim),
        rim[1],
        worst * 1e3,
        share(height),
        height[1]
    );
    let half = of.map(|mut v| vistazo_core::stats::median(&mut v).unwrap());
    println!(
        "half of the errors within so much of the 95 %: floors {:.2}, across {:.2}, heights {:.2}",
        half[0], half[1], half[2]
    );
    assert!(found * 10 >= asked * 8, "{found} of {asked}");
    for (what, v) in [("floors", floor), ("kerbs", rim), ("heights", height)] {
        assert!(v[1] >= 40 && share(v) >= 91.0, "{what}: {:.1} % of {}", share(v), v[1]);
    }
    assert!(worst < 0.02, "a kerb was put {worst:.3} m beside itself");
}
