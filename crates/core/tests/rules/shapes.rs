//! Spheres among what is not one, scanned by code of this test's own: surfaces as distance fields, noise that grows on
//! dark things, a range bias by reflectivity that no profile knows of.

use nalgebra::UnitQuaternion;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;
use vistazo_core::targets::{Search, SizeVerdict, TargetKind, detect};

const RADIUS: f64 = 0.0725;
const STEP: f64 = 0.0015;
const SIDE: u32 = 90;

/// Distance of a point from the surface of a thing at the origin, metres.
type Thing = fn(&Vec3) -> f64;

fn ball(p: &Vec3, radius: f64) -> f64 {
    p.norm() - radius
}

fn rod(p: &Vec3, radius: f64) -> f64 {
    p.xy().norm() - radius
}

/// A pipe that turns by a right angle about an axis beside it.
fn elbow(p: &Vec3) -> f64 {
    let ring = p.xy().norm() - 0.12;
    ring.hypot(p.z) - RADIUS
}

fn crate_of(p: &Vec3, half: f64) -> f64 {
    let q = p.abs() - Vec3::repeat(half);
    q.map(|v| v.max(0.0)).norm() + q.max().min(0.0)
}

/// A post with a round top.
fn bollard(p: &Vec3) -> f64 {
    let top = Vec3::new(p.x, p.y, p.z.max(0.0));
    top.norm() - RADIUS
}

const NOT: [(&str, Thing); 9] = [
    ("pipe of its radius", |p| rod(p, RADIUS)),
    ("thin pipe", |p| rod(p, 0.055)),
    ("thick pipe", |p| rod(p, 0.11)),
    ("column", |p| rod(p, 0.2)),
    ("elbow", elbow),
    ("crate", |p| crate_of(p, 0.09)),
    ("ball of 200 mm", |p| ball(p, 0.1)),
    ("ball of 110 mm", |p| ball(p, 0.055)),
    ("post with a round top", bollard),
];

/// A window of a scan on a thing at `at`, turned anyhow, before a wall two metres behind.
fn look(thing: Thing, at: Vec3, turn: UnitQuaternion<f64>, rng: &mut ChaCha8Rng) -> Scan {
    let mut n = |sigma: f64| rng.sample::<f64, _>(StandardNormal) * sigma;
    let (elevation, azimuth) = (at.z.atan2(at.xy().norm()), at.y.atan2(at.x));
    let (off_row, off_col) = (n(0.4), n(0.4));
    let (mut cells, mut points, mut levels) = (Vec::new(), Vec::new(), Vec::new());
    for row in 0..SIDE {
        for col in 0..SIDE {
            let from_middle = |k: u32, off: f64| (f64::from(k) - f64::from(SIDE) / 2.0 + off) * STEP;
            let (e, a) = (elevation + from_middle(row, off_row), azimuth + from_middle(col, off_col));
            let (ea, aa) = (e + n(2e-5), a + n(2e-5));
            let ray = Vec3::new(ea.cos() * aa.cos(), ea.cos() * aa.sin(), ea.sin());
            let wall = (at.norm() + 2.0) / ray.dot(&at.normalize());
            let mut range = at.norm() - 1.0;
            for _ in 0..80 {
                let d = thing(&turn.inverse_transform_vector(&(ray * range - at)));
                range += d;
                if d < 1e-6 || range > wall {
                    break;
                }
            }
            let hit = range < wall;
            let (true_range, bright) = if hit { (range, 0.8) } else { (wall, 0.3) };
            let measured = true_range + n(0.0012 / f64::sqrt(bright)) + 0.0012 * (0.5 - bright) + 0.0006;
            let seen = Vec3::new(e.cos() * a.cos(), e.cos() * a.sin(), e.sin()) * measured;
            cells.push((row, col));
            points.push([seen.x as f32, seen.y as f32, seen.z as f32]);
            levels.push((bright * 60_000.0) as u16);
        }
    }
    Scan::from_grid(SIDE, SIDE, cells.into_iter(), points, levels).unwrap()
}

fn anywhere(rng: &mut ChaCha8Rng) -> (Vec3, UnitQuaternion<f64>) {
    let (range, a, e) = (rng.random_range(3.0..8.5), rng.random_range(-3.0..3.0_f64), rng.random_range(-0.5..0.5_f64));
    let at = Vec3::new(e.cos() * a.cos(), e.cos() * a.sin(), e.sin()) * range;
    let axis = Vec3::new(rng.random_range(-1.0..1.0), rng.random_range(-1.0..1.0), rng.random_range(-1.0..1.0));
    (at, UnitQuaternion::from_scaled_axis(axis * 3.0))
}

fn spheres(scan: &Scan) -> Vec<Vec3> {
    let search = Search { sphere_radius: Some(RADIUS), checker_half: None };
    let found = detect(scan, &Instrument::mid_range(), &search);
    let agrees = |d: &&vistazo_core::targets::Detection| d.kind == TargetKind::Sphere && d.size == SizeVerdict::Agrees;
    found.iter().filter(agrees).map(|d| d.centre).collect()
}

#[test]
fn nothing_but_a_sphere_is_taken_for_one() {
    let mut rng = ChaCha8Rng::seed_from_u64(17);
    let (mut wrong, mut looks) = (Vec::new(), 0);
    for (name, thing) in NOT {
        for _ in 0..16 {
            let (mut at, mut turn) = anywhere(&mut rng);
            if name.starts_with("post") {
                // its top towards the scanner, a post shows what a sphere shows: upright, and seen from the side
                (at.z, turn) = (0.2 * at.z, UnitQuaternion::identity());
            }
            let found = spheres(&look(thing, at, turn, &mut rng));
            looks += 1;
            if !found.is_empty() {
                wrong.push(format!("{name} at {:.1} m", at.norm()));
            }
        }
    }
    println!("{} of {looks} looks at other things show a sphere: {wrong:?}", wrong.len());
    // one in a hundred
    assert!(wrong.len() <= looks / 100, "{wrong:?}");
}

#[test]
fn spheres_are_found_and_measured() {
    let mut rng = ChaCha8Rng::seed_from_u64(18);
    let (mut found, mut off, looks) = (0, 0.0_f64, 100);
    for _ in 0..looks {
        let (at, turn) = anywhere(&mut rng);
        if let [centre] = spheres(&look(|p| ball(p, RADIUS), at, turn, &mut rng))[..] {
            found += 1;
            off = off.max((centre - at).norm());
        }
    }
    println!("{found} of {looks} found, farthest off {:.1} mm", off * 1e3);
    assert!(found >= 99, "{found} of {looks}");
    assert!(off < 0.0025, "{off}");
}
