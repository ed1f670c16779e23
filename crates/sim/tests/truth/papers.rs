//! Boards as files bring them: every turn, up to 60° from square, intensities of 16, 12 and 8 bit, logarithmic ones.

use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::f64::consts::{FRAC_PI_2, TAU};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Site, Wall};
use vistazo_core::stats::chi2_quantile;
use vistazo_core::targets::{Search, TargetKind, detect};
use vistazo_sim::{Aim, Board, Scanner, Scene, scan_towards};

/// How the light that comes back is written into a file, 0..1.
type Encoding = (&'static str, fn(f32) -> f32);

const ENCODINGS: [Encoding; 4] = [
    ("16 bit", |v| v),
    ("12 bit in 16", |v| (v * 4095.0).floor() / 65_535.0),
    ("8 bit in 16", |v| (v * 255.0).floor() / 65_535.0),
    ("decibels over -60..0, in 8 bit", |v| ((20.0 * v.max(1e-3).log10() + 60.0) / 60.0 * 255.0).floor() / 255.0),
];
const HALF: f64 = 0.15;
const STEP: f64 = 0.0018;
/// Points on a board below which it may be missed.
const ENOUGH: f64 = 150.0;

/// Twelve boards round the scanner, each at a distance, an incidence and a turn of its own.
fn scene(rng: &mut ChaCha8Rng) -> (Scene, Vec<f64>) {
    let corners = [(-24.0, -24.0), (24.0, -24.0), (24.0, 24.0), (-24.0, 24.0), (-24.0, -24.0)];
    let line = corners.map(|p| Vector2::new(p.0, p.1)).to_vec();
    let site = Site { walls: vec![Wall::plain(0, line, 0.0, 6.0)], ..Site::default() };
    let mut expected = Vec::new();
    let boards = (0..12)
        .map(|k| {
            let azimuth = (f64::from(k) + rng.random_range(-0.2..0.2)) / 12.0 * TAU;
            let (distance, incidence) = (rng.random_range(3.0..14.0), rng.random_range(0.0..60.0_f64).to_radians());
            let side = if rng.random_bool(0.5) { 1.0 } else { -1.0 };
            let facing = azimuth + std::f64::consts::PI + side * incidence;
            expected.push((2.0 * HALF / (distance * STEP)).powi(2) * incidence.cos());
            Board {
                centre: Vec3::new(distance * azimuth.cos(), distance * azimuth.sin(), rng.random_range(1.0..2.4)),
                normal: Vec3::new(facing.cos(), facing.sin(), 0.0),
                half: HALF,
                // plumb ones first of all
                turn: if k % 3 == 0 { rng.random_range(-0.01..0.01) } else { rng.random_range(0.0..FRAC_PI_2) },
            }
        })
        .collect();
    (Scene { site, boards, ..Scene::default() }, expected)
}

#[test]
fn boards_are_found_and_their_errors_true_whatever_the_file_says_of_light() {
    let instrument = Instrument { step: STEP, ..Instrument::mid_range() };
    let search = Search { sphere_radius: None, checker_half: Some(HALF) };
    let pose = Pose::levelled(0.3, Vec3::new(0.0, 0.0, 1.6));
    let inside = chi2_quantile(0.95, 3);
    for (name, encode) in ENCODINGS {
        let (mut of, mut found, mut within, mut sum, mut strange) = (0, 0, 0, 0.0, 0);
        for seed in 0..12 {
            let (scene, expected) = scene(&mut ChaCha8Rng::seed_from_u64(seed));
            let aims: Vec<Aim> = scene.boards.iter().map(|b| Aim { at: b.centre, reach: 0.6 }).collect();
            let scanner = Scanner::perfect(&instrument);
            let mut raw = scan_towards(&scene, &scanner, &pose, 0, seed, &aims).unwrap();
            raw.intensity.iter_mut().for_each(|v| *v = encode(*v));
            let seen = detect(&raw.into_scan().unwrap(), &instrument, &search);
            for (board, _) in scene.boards.iter().zip(&expected).filter(|(_, hits)| **hits > ENOUGH) {
                of += 1;
                let truth = pose.inverse().apply(&board.centre);
                let near = |d: &&vistazo_core::targets::Detection| (d.centre - truth).norm() < 0.03;
                let Some(d) = seen.iter().find(near) else {
                    continue;
                };
                found += 1;
                let e = d.centre - truth;
                let square = e.dot(&(d.covariance.try_inverse().unwrap() * e));
                within += usize::from(square < inside);
                sum += square.min(25.0) / 3.0;
            }
            strange += seen
                .iter()
                .filter(|d| {
                    d.kind == TargetKind::Checker
                        && scene.boards.iter().all(|b| (pose.inverse().apply(&b.centre) - d.centre).norm() > 0.03)
                })
                .count();
        }
        let spread = (sum / found as f64).sqrt();
        println!("{name}: {found} of {of}, {strange} that are none, {within} inside 95 %, spread {spread:.2}");
        assert!(found * 100 >= of * 98 && of > 100, "{name}: {found} of {of} found");
        assert_eq!(strange, 0, "{name}");
        assert!(within * 100 >= found * 90 && (0.9..1.1).contains(&spread), "{name}: {within} of {found}, {spread:.2}");
    }
}
