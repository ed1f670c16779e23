//! Spheres that something hides in part are found where half of them shows, and say what they are worth.

use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Column, Site, Wall};
use vistazo_core::stats::chi2_quantile;
use vistazo_core::targets::{Search, SizeVerdict, detect};
use vistazo_sim::{Aim, Scanner, Scene, Sphere, scan_towards};

const RADIUS: f64 = 0.1;

/// Ten spheres round the scanner, a post in front of each: it hides what is beyond 0.1 to 0.6 radii from the middle,
/// up to 44 % of the sphere.
fn scene(rng: &mut ChaCha8Rng) -> Scene {
    let corners = [(-24.0, -24.0), (24.0, -24.0), (24.0, 24.0), (-24.0, 24.0), (-24.0, -24.0)];
    let line = corners.map(|p| Vector2::new(p.0, p.1)).to_vec();
    let mut site = Site { walls: vec![Wall::plain(0, line, 0.0, 6.0)], ..Site::default() };
    let mut spheres = Vec::new();
    for k in 0..10 {
        let azimuth = f64::from(k) / 10.0 * std::f64::consts::TAU + rng.random_range(-0.1..0.1);
        let distance = rng.random_range(4.0..11.0);
        let at = |a: f64, d: f64| Vector2::new(d * a.cos(), d * a.sin());
        spheres.push(Sphere {
            centre: at(azimuth, distance).push(rng.random_range(1.0..2.2)),
            radius: RADIUS,
            knocked: None,
        });
        let side = if rng.random_bool(0.5) { 1.0 } else { -1.0 };
        let (near, width) = (distance - rng.random_range(1.0..2.0), 0.08);
        // the edge of the post as seen from the scanner, in radii from the middle of the sphere
        let edge = rng.random_range(0.1..0.6) * RADIUS / distance;
        let middle = azimuth + side * (width / near + edge);
        site.columns.push(Column { centre: at(middle, near), radius: width, base: 0.0, top: 3.0 });
    }
    Scene { site, spheres, ..Scene::default() }
}

#[test]
fn half_hidden_spheres_are_found_with_true_errors() {
    let instrument = Instrument { step: 0.0018, ..Instrument::mid_range() };
    let search = Search { sphere_radius: Some(RADIUS), checker_half: None };
    let pose = Pose::levelled(0.3, Vec3::new(0.0, 0.0, 1.6));
    let (mut found, mut inside, mut of, mut strange, mut sum) = (0_usize, 0, 0, 0, 0.0);
    for seed in 0..20 {
        let scene = scene(&mut ChaCha8Rng::seed_from_u64(seed));
        let aims: Vec<Aim> = scene.spheres.iter().map(|b| Aim { at: b.centre, reach: 0.6 }).collect();
        let raw = scan_towards(&scene, &Scanner::perfect(&instrument), &pose, 0, seed, &aims).unwrap();
        let seen = detect(&raw.into_scan().unwrap(), &instrument, &search);
        let truths: Vec<Vec3> = scene.spheres.iter().map(|s| pose.inverse().apply(&s.centre)).collect();
        for truth in &truths {
            of += 1;
            let near = |d: &&vistazo_core::targets::Detection| {
                d.size == SizeVerdict::Agrees && (d.centre - truth).norm() < 0.03
            };
            let Some(d) = seen.iter().find(near) else { continue };
            let e = d.centre - truth;
            let square = e.dot(&(d.covariance.try_inverse().unwrap() * e));
            found += 1;
            inside += usize::from(square < chi2_quantile(0.95, 3));
            sum += square.min(25.0) / 3.0;
        }
        strange += seen
            .iter()
            .filter(|d| d.size == SizeVerdict::Agrees && truths.iter().all(|t| (t - d.centre).norm() > 0.03))
            .count();
    }
    println!(
        "{found} of {of} found, {strange} that are none, {inside} inside, spread {:.2}",
        (sum / found as f64).sqrt()
    );
}
