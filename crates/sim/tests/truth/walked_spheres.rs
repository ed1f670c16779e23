//! Spheres that a walk comes by are found where they are, to within what is stated, and hold the walk.

use crate::sites::{like_rooms, scene};
use crate::walks::{Taken, known, registered, stations};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use vistazo_core::geometry::{Mat3, Vec3};
use vistazo_core::mobile::{KnownSphere, Mark, Noted, PassIn, TimedPoint, register, spheres_seen, units};
use vistazo_sim::{Sphere, Walker};

const RADIUS: f64 = 0.0725;

#[test]
fn spheres_on_the_way_are_seen_where_they_are() {
    let plan = like_rooms(&mut ChaCha8Rng::seed_from_u64(3));
    let mut scene = scene(&plan);
    let centres: Vec<Vec3> =
        (0..7).map(|k| Vec3::new(2.0 + 4.2 * f64::from(k), if k % 2 == 0 { 5.9 } else { 7.1 }, 1.1)).collect();
    scene.spheres = centres.iter().map(|c| Sphere { centre: *c, radius: RADIUS, knocked: None }).collect();
    let scans = stations(&scene, &plan.3[..5], 3);
    let high = |x: f64| Vec3::new(x, 6.5, 1.45);
    let walker = Walker { rays: 120_000.0, ..Walker::hand_held() };
    let taken = Taken::of(&scene, &walker, &[high(0.8), high(29.0), high(0.9)], 0, 3);
    let anchors = known(&scans);
    let out = registered(&anchors, &[&taken]);
    let pass = out.passes[0].as_ref().unwrap();
    let points: Vec<TimedPoint> = taken.walk.points.iter().map(|p| TimedPoint { time: p.time, at: p.at }).collect();
    let sphere = |at: &Vec3| KnownSphere { at: *at, covariance: Mat3::identity() * 1e-6, radius: RADIUS };
    let mut told: Vec<KnownSphere> = centres.iter().map(sphere).collect();
    // one that was carried off, and one on a wall where nothing is
    told.push(sphere(&Vec3::new(14.6, 6.5, 1.1)));
    told.push(sphere(&Vec3::new(10.0, 5.5, 1.3)));
    let unit = &units()[0];
    let seen = spheres_seen(&points, &taken.path, &pass.correction, unit, &told);
    let (mut squares, mut worst) = (0.0, 0.0_f64);
    for s in &seen {
        let k = taken.walk.path.partition_point(|p| p.0 < s.time).min(taken.walk.path.len() - 1);
        let there = taken.walk.path[k].1.compose(&taken.walk.truth[k].inverse()).apply(&told[s.sphere].at);
        let off = s.at - there;
        squares += off.dot(&(s.covariance.try_inverse().unwrap() * off)) / 3.0 / seen.len() as f64;
        worst = worst.max(off.norm());
        println!("sphere {}: {} points, {:.1} mm off, rms {:.1} mm", s.sphere, s.points, 1e3 * off.norm(), 1e3 * s.rms);
    }
    println!("{} visits, squares {squares:.2}, worst {:.1} mm", seen.len(), 1e3 * worst);
    assert!(seen.len() >= 10 && seen.iter().all(|s| s.sphere < 7), "both ways past most of them");
    assert!(squares < 1.6 && worst < 0.012);
    // one that the scans measured elsewhere contradicts, the others hold
    let mark = |s: &vistazo_core::mobile::SeenSphere| Mark {
        noted: Noted::Shown(s.at, Some(s.time)),
        at: told[s.sphere].at + if s.sphere == 2 { Vec3::new(0.09, 0.0, 0.0) } else { Vec3::zeros() },
        covariance: told[s.sphere].covariance + s.covariance,
    };
    let marks: Vec<Mark> = seen.iter().map(mark).collect();
    let given = PassIn { path: &taken.path, pieces: &taken.pieces, unit, start: None, marks: &marks };
    let again = register(&anchors, &[given], &|_| true).unwrap().unwrap();
    let wrong: Vec<usize> = again.wrong_marks.iter().map(|m| seen[m.1].sphere).collect();
    // one in ten of the right ones may be accused beside it
    let of_it = wrong.iter().filter(|s| **s == 2).count();
    assert!(of_it == seen.iter().filter(|s| s.sphere == 2).count() && wrong.len() <= of_it + 1, "{wrong:?}");
}
