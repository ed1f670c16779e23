//! What is derived from a scan, against what must hold for any scan.

use proptest::prelude::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use std::sync::Mutex;
use vistazo_core::cloud::{Measured, Order, TileNode, TilePoints, span, tiles, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;

/// A room of 12 × 8 × 4 m about the scanner with `n` points on its six faces.
fn room(n: usize, seed: u64) -> Scan {
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let half = [6.0, 4.0, 2.0];
    let points: Vec<[f32; 3]> = (0..n)
        .map(|_| {
            let face = rng.random_range(0..3);
            let mut p: [f64; 3] = std::array::from_fn(|k| rng.random_range(-half[k]..half[k]));
            p[face] = if rng.random_bool(0.5) { half[face] } else { -half[face] } + rng.random_range(-0.001..0.001);
            p.map(|v| v as f32)
        })
        .collect();
    let intensity = (0..n).map(|k| (k % 60_000) as u16).collect();
    let mut scan = Scan::from_unordered(points, intensity).unwrap();
    // numbered from one: black is no colour
    scan.colour = (1..=n).map(|k| [k as u8, (k >> 8) as u8, (k >> 16) as u8]).collect();
    scan
}

fn check(node: &TileNode<usize>, all: &[TilePoints]) -> usize {
    let t = &all[node.content];
    assert_eq!(t.positions.len(), node.points);
    for p in &t.positions {
        for k in 0..3 {
            let v = t.centre[k] + f64::from(p[k]);
            assert!((v - node.middle[k]).abs() <= node.half[k] + 1e-6, "a point lies outside the box of its tile");
        }
    }
    for c in &node.children {
        assert!(c.error < node.error, "a part must be finer than the whole");
        for k in 0..3 {
            assert!((c.middle[k] - node.middle[k]).abs() + c.half[k] <= node.half[k] + 1e-6);
        }
    }
    node.points + node.children.iter().map(|c| check(c, all)).sum::<usize>()
}

#[test]
fn every_point_is_in_exactly_one_tile_exactly_as_measured() {
    let scan = room(400_000, 3);
    let order = Order::of(&scan);
    let (_, incidence) = working(&scan, &order);
    let all: Mutex<Vec<TilePoints>> = Mutex::default();
    let root = tiles::<usize, ()>(&scan, &order, &incidence, &[], &|p| {
        let mut all = all.lock().unwrap();
        all.push(p);
        Ok(all.len() - 1)
    })
    .unwrap();
    let all = all.into_inner().unwrap();
    assert_eq!(check(&root, &all), scan.points.len());
    assert!(all.len() > 20 && root.points < 8_000, "{} tiles, {} points at the root", all.len(), root.points);
    // the colours number the points: each is there once, where it was measured
    let mut seen = vec![false; scan.points.len()];
    for t in &all {
        for (p, c) in t.positions.iter().zip(&t.colours) {
            let k = usize::from(c[0]) | usize::from(c[1]) << 8 | usize::from(c[2]) << 16;
            let k = k - 1;
            let at = Vec3::from(t.centre) + Vec3::new(f64::from(p[0]), f64::from(p[1]), f64::from(p[2]));
            assert!((at - scan.at(k)).amax() < 1e-6 && !seen[k]);
            seen[k] = true;
        }
    }
    // the root shows the whole room evenly: no cell of a metre of wall is left out
    let t = &all[root.content];
    for x in -5..5 {
        for y in -3..3 {
            let cell = |p: &[f32; 3]| (p[0] + t.centre[0] as f32 - x as f32, p[1] + t.centre[1] as f32 - y as f32);
            assert!(
                t.positions.iter().map(cell).any(|(a, b)| (0.0..1.0).contains(&a) && (0.0..1.0).contains(&b)),
                "{x} {y}"
            );
        }
    }
    let stopped = tiles::<(), &str>(&scan, &order, &incidence, &[], &|_| Err("stop"));
    assert_eq!(stopped.err(), Some("stop"));
}

#[test]
fn the_working_cloud_has_a_point_a_voxel_and_the_normals_of_the_walls() {
    let scan = room(900_000, 5);
    let order = Order::of(&scan);
    let (cloud, incidence) = working(&scan, &order);
    assert_eq!(cloud.counts.iter().map(|c| usize::from(*c)).sum::<usize>(), scan.points.len());
    let mut keys: Vec<[i32; 3]> =
        cloud.points.iter().map(|p| p.map(|v| ((f64::from(v) + order.half) / 0.05).floor() as i32)).collect();
    let n = keys.len();
    keys.sort_unstable();
    keys.dedup();
    assert_eq!(keys.len(), n, "one point a voxel");
    let (mut good, mut all) = (0, 0);
    for (p, normal) in cloud.points.iter().zip(&cloud.normals).filter(|c| *c.1 != [0; 3]) {
        let face = [6.0, 4.0, 2.0].iter().zip(p).map(|(h, v)| (h - f64::from(v.abs())).abs());
        // away from the edges, where two walls meet in a cell
        let near: Vec<usize> = face.enumerate().filter(|f| f.1 < 0.25).map(|f| f.0).collect();
        if let [k] = near[..] {
            all += 1;
            // the main component, towards the scanner
            good += usize::from(f64::from(normal[k]) * -f64::from(p[k].signum()) > 120.0);
        }
    }
    assert!(all > n / 2 && good * 100 >= all * 97, "{good} of {all} normals");
    let place =
        (0..order.len()).find(|&k| scan.points[order.index(k)][2] < -1.9 && scan.at(order.index(k)).xy().norm() < 0.3);
    assert!(incidence[place.unwrap()] > 245, "straight down is met squarely");
}

/// The stated error of a measured point and of a distance holds what is simulated.
#[test]
fn measured_points_and_distances_are_as_good_as_stated() {
    let instrument = Instrument::mid_range();
    let mut rng = ChaCha8Rng::seed_from_u64(8);
    let mut normal = move || -> f64 { rng.sample(rand_distr::StandardNormal) };
    let sigmas = [0.002, 0.001, 0.0015, 2e-5, 3e-5, 8e-5];
    let covariance = nalgebra::Matrix6::from_diagonal(&nalgebra::Vector6::from(sigmas.map(|s: f64| s * s)));
    let pose = Pose::levelled(0.7, Vec3::new(3e6, 5e6, 90.0));
    let (p, q) = (Vec3::new(20.0, 5.0, 1.0), Vec3::new(-8.0, 12.0, 3.0));
    let of = |p: &Vec3, c: &nalgebra::Matrix6<f64>| Measured::of(&pose, c, p, &instrument);
    let (a, b) = (of(&p, &covariance), of(&q, &covariance));
    let alone = nalgebra::Matrix6::zeros();
    let stated = span(&of(&p, &alone), &of(&q, &alone));
    let (mut inside, mut within) = (0, 0);
    const RUNS: usize = 2000;
    for _ in 0..RUNS {
        let moved = pose.moved(&nalgebra::Vector6::from(sigmas.map(|s| s * normal())));
        // one instrument: the same zero offset and scale for both; the paint of each wall is its own
        let (offset, scale) =
            (instrument.systematic.range_offset * normal(), instrument.systematic.range_scale * normal());
        let mut noisy = |p: &Vec3| {
            let l = instrument.point_covariance(p, std::f64::consts::FRAC_1_SQRT_2).cholesky().unwrap().l();
            let paint = 0.5 * instrument.systematic.reflectivity * normal();
            let longer = p.normalize() * (offset + scale * p.norm() + paint);
            moved.apply(&(p + longer + l * Vec3::new(normal(), normal(), normal())))
        };
        let (x, y) = (noisy(&p), noisy(&q));
        let e = x - a.position;
        inside += usize::from(
            e.dot(&(a.covariance.try_inverse().unwrap() * e)) < vistazo_core::stats::chi2_quantile(0.95, 3),
        );
        within += usize::from(((y - x).norm() - (b.position - a.position).norm()).abs() < stated.slope95);
    }
    for (what, n) in [("points", inside), ("distances", within)] {
        let share = n as f64 / RUNS as f64;
        assert!((0.93..0.97).contains(&share), "{what}: {share}");
    }
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(24))]

    /// Whatever the spread of the points: the order holds each once, and neighbours share cells.
    #[test]
    fn the_order_holds_every_point_once(seed in 0_u64..1000, reach in 0.5..900.0_f64, n in 200_usize..3000) {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let points: Vec<[f32; 3]> = (0..n).map(|_| std::array::from_fn(|_| rng.random_range(-reach..reach) as f32)).collect();
        let scan = Scan { intensity: vec![0; n], points, ..Scan::default() };
        let order = Order::of(&scan);
        let mut places: Vec<usize> = (0..n).map(|k| order.index(k)).collect();
        places.sort_unstable();
        prop_assert!(places.iter().enumerate().all(|(a, b)| a == *b));
        prop_assert!(order.half > reach * 0.5 && order.half <= (reach * 2.0).max(1.7));
    }
}

/// A hundredth of the circle on the columns of all of it took 30 times the memory of its points.
#[test]
fn a_narrow_window_has_columns_for_its_own_width_only() {
    for (from, width) in [(0.3, 0.06), (3.1, 0.08)] {
        let points: Vec<[f32; 3]> = (0..200_000_u32)
            .map(|k| {
                let (row, col) = (f64::from(k / 500), f64::from(k % 500));
                let (az, el) = (from + width * col / 500.0, 0.05 * row / 400.0);
                [5.0 * az.cos(), 5.0 * az.sin(), 5.0 * el.tan()].map(|v: f64| v as f32)
            })
            .collect();
        let n = points.len();
        let scan = Scan::from_unordered(points, vec![0; n]).unwrap();
        assert!(scan.has_scanner());
        assert!(scan.grid.len() < 2 * n, "{} cells for {n} points", scan.grid.len());
        let held = scan.grid.iter().filter(|c| **c != vistazo_core::scan::NO_POINT).count();
        assert!(held as f64 > 0.6 * n as f64, "{held} of {n}");
    }
}
