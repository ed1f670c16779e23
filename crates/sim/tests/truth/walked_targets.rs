//! Spheres and boards that a walk comes by are found where they are, to within what is stated, and hold the walk.

use crate::sites::{like_rooms, scene};
use crate::walks::{Taken, known, registered, stations};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use vistazo_core::geometry::Vec3;
use vistazo_core::mobile::{
    Correction, KnownTarget, Mark, Noted, PassIn, Sighting, TargetSize, TimedPoint, register, targets_seen, units,
};
use vistazo_sim::{Board, Scene, Sphere, Walker};

const RADIUS: f64 = 0.0725;
const HALF: f64 = 0.15;

/// A corridor with something each four metres, on this side and on that.
fn corridor(put: impl Fn(&mut Scene, Vec3, f64)) -> (Scene, crate::sites::Plan, Vec<Vec3>) {
    let plan = like_rooms(&mut ChaCha8Rng::seed_from_u64(3));
    let mut scene = scene(&plan);
    let side = |k: usize| if k.is_multiple_of(2) { -1.0 } else { 1.0 };
    let at: Vec<Vec3> = (0..7).map(|k| Vec3::new(2.0 + 4.2 * k as f64, 6.5 + 0.6 * side(k), 1.1)).collect();
    at.iter().enumerate().for_each(|(k, p)| put(&mut scene, *p, side(k)));
    (scene, plan, at)
}

/// There and back along it.
fn walked(scene: &Scene) -> Taken {
    let high = |x: f64| Vec3::new(x, 6.5, 1.45);
    let walker = Walker { rays: 120_000.0, ..Walker::hand_held() };
    Taken::of(scene, &walker, &[high(0.8), high(29.0), high(0.9)], 0, 3)
}

fn seen(taken: &Taken, correction: &Correction, told: &[KnownTarget]) -> Vec<Sighting> {
    let points: Vec<TimedPoint> = taken.walk.points.iter().map(|p| TimedPoint { time: p.time, at: p.at }).collect();
    let levels: Vec<u16> = taken.walk.points.iter().map(|p| (p.intensity * 65_535.0) as u16).collect();
    targets_seen(&points, &levels, &taken.path, correction, &units()[0], told)
}

/// Mean square of what sightings are off in units of their σ, an axis, and the worst, metres.
fn judged(taken: &Taken, seen: &[Sighting], told: &[KnownTarget]) -> (f64, f64) {
    let (mut squares, mut worst) = (0.0, 0.0_f64);
    for s in seen {
        let k = taken.walk.path.partition_point(|p| p.0 < s.time).min(taken.walk.path.len() - 1);
        let there = taken.walk.path[k].1.compose(&taken.walk.truth[k].inverse()).apply(&told[s.target].at);
        let off = s.at - there;
        squares += off.dot(&(s.covariance.try_inverse().unwrap() * off)) / 3.0 / seen.len() as f64;
        worst = worst.max(off.norm());
        println!("{}: {} points, {:.1} mm off, rms {:.1} mm", s.target, s.points, 1e3 * off.norm(), 1e3 * s.rms);
    }
    println!("{} visits, squares {squares:.2}, worst {:.1} mm", seen.len(), 1e3 * worst);
    (squares, worst)
}

#[test]
fn spheres_on_the_way_are_seen_where_they_are() {
    let ball = |scene: &mut Scene, centre, _| scene.spheres.push(Sphere { centre, radius: RADIUS, knocked: None });
    let (scene, plan, centres) = corridor(ball);
    let scans = stations(&scene, &plan.3[..5], 3);
    let taken = walked(&scene);
    let anchors = known(&scans);
    let out = registered(&anchors, &[&taken]);
    let pass = out.passes[0].as_ref().unwrap();
    let sphere = |at: &Vec3| KnownTarget { at: *at, size: TargetSize::Sphere(RADIUS) };
    let mut told: Vec<KnownTarget> = centres.iter().map(sphere).collect();
    // one that was carried off, and one on a wall where nothing is
    told.push(sphere(&Vec3::new(14.6, 6.5, 1.1)));
    told.push(sphere(&Vec3::new(10.0, 5.5, 1.3)));
    let seen = seen(&taken, &pass.correction, &told);
    let (squares, worst) = judged(&taken, &seen, &told);
    assert!(seen.len() >= 10 && seen.iter().all(|s| s.target < 7), "both ways past most of them");
    assert!(squares < 1.6 && worst < 0.012);
    // one that the scans measured elsewhere contradicts, the others hold
    let mark = |s: &Sighting| Mark {
        noted: Noted::Shown(s.at, Some(s.time)),
        at: told[s.target].at + if s.target == 2 { Vec3::new(0.09, 0.0, 0.0) } else { Vec3::zeros() },
        covariance: vistazo_core::geometry::Mat3::identity() * 1e-6 + s.covariance,
    };
    let marks: Vec<Mark> = seen.iter().map(mark).collect();
    let given = PassIn { path: &taken.path, pieces: &taken.pieces, unit: &units()[0], start: None, marks: &marks };
    let again = register(&anchors, &[given], &|_| true).unwrap().unwrap();
    let wrong: Vec<usize> = again.wrong_marks.iter().map(|m| seen[m.1].target).collect();
    // one in ten of the right ones may be accused beside it
    let of_it = wrong.iter().filter(|s| **s == 2).count();
    assert!(of_it == seen.iter().filter(|s| s.target == 2).count() && wrong.len() <= of_it + 1, "{wrong:?}");
}

#[test]
fn boards_on_the_way_are_seen_where_they_are() {
    let board = |scene: &mut Scene, centre: Vec3, side: f64| {
        let turn = 0.2 + centre.x;
        scene.boards.push(Board { centre, normal: Vec3::y() * -side, half: HALF, turn });
    };
    let (scene, plan, crossings) = corridor(board);
    let scans = stations(&scene, &plan.3[..5], 3);
    let taken = walked(&scene);
    let anchors = known(&scans);
    let out = registered(&anchors, &[&taken]);
    let pass = out.passes[0].as_ref().unwrap();
    let board = |at: Vec3| KnownTarget { at, size: TargetSize::Board(HALF) };
    // where scans say they are to a centimetre or two, one that was carried off, and one on a plain wall
    let told: Vec<KnownTarget> = crossings.iter().map(|p| board(*p)).collect();
    let mut asked: Vec<KnownTarget> = told
        .iter()
        .enumerate()
        .map(|(k, t)| board(t.at + Vec3::new(0.05 * (k as f64 - 3.0) / 3.0, 0.0, -0.04)))
        .collect();
    asked.push(board(Vec3::new(14.6, 6.5, 1.1)));
    asked.push(board(Vec3::new(10.0, 5.5, 1.3)));
    let seen = seen(&taken, &pass.correction, &asked);
    assert!(seen.iter().all(|s| s.target < 7), "{seen:?}");
    let (squares, worst) = judged(&taken, &seen, &told);
    assert!(seen.len() >= 10, "both ways past most of them");
    assert!(squares < 1.6 && worst < 0.015);
}
