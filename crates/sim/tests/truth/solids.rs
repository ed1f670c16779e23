//! Pipes, columns and what stands about, found in scans of a room and measured: the truth lies within what is stated, and
//! nothing is found that is not there.

use super::features::{Seen, seeds};
use nalgebra::Vector2;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use vistazo_core::draw::solid::{Cylinder, Kept, Limit, Near, Start, Voxels, block, cylinder, rods};
use vistazo_core::geometry::Vec3;
use vistazo_core::plan::{Column, Obstacle};
use vistazo_sim::{SmallJob, small_job};

/// Pipes across the room at some height, one that slopes, posts of two sizes, and a crate in the middle.
fn furnished(seed: u64) -> (SmallJob, Vec<([Vec3; 2], f64)>, Obstacle) {
    let mut job = small_job(seed);
    let mut rng = ChaCha8Rng::seed_from_u64(seed ^ 0x50_11D);
    let walls: Vec<Vector2<f64>> = job.scene.site.walls[0].line.clone();
    let low = walls.iter().copied().reduce(|a, b| a.inf(&b)).unwrap();
    let high = walls.iter().copied().reduce(|a, b| a.sup(&b)).unwrap();
    let at = |x: f64, y: f64, z: f64| Vec3::new(low.x + x * (high.x - low.x), low.y + y * (high.y - low.y), z);
    let mut pipes = Vec::new();
    for k in 0..3 {
        let (y, z) = (0.2 + 0.27 * f64::from(k) + rng.random_range(0.0..0.06), rng.random_range(2.6..3.4));
        let drop = rng.random_range(-0.25..0.25);
        pipes.push((
            [at(0.08, y, z), at(0.92, y + rng.random_range(-0.05..0.05), z + drop)],
            [0.06, 0.1, 0.16][k as usize],
        ));
    }
    job.scene.pipes = pipes.clone();
    job.scene.site.columns.clear();
    // the instruments stand about the middle: columns near the corners
    for (x, y, radius) in [(0.07, 0.5, 0.15), (0.93, 0.45, 0.3)] {
        let p = at(x, y, 0.0);
        job.scene.site.columns.push(Column { centre: p.xy(), radius, base: 0.0, top: 3.0 });
        pipes.push(([p, p + Vec3::z() * 3.0], radius));
    }
    let (turn, top) = (rng.random_range(0.0..1.5_f64), rng.random_range(0.6..1.1));
    let along = Vector2::new(turn.cos(), turn.sin());
    let across = Vector2::new(-along.y, along.x);
    let middle = at(0.5, 0.12, 0.0).xy();
    let outline =
        [(-0.5, -0.3), (0.5, -0.3), (0.5, 0.3), (-0.5, 0.3)].iter().map(|c| middle + along * c.0 + across * c.1);
    let crate_ = Obstacle { outline: outline.collect(), base: 0.0, top };
    job.scene.site.obstacles.push(crate_.clone());
    (job, pipes, crate_)
}

fn kept(near: &[Vec<Kept>], k: usize) -> Vec<&Kept> {
    near.iter().map(|scan| &scan[k]).collect()
}

#[test]
fn cylinders_and_blocks_lie_within_what_is_stated() {
    let (mut axis, mut radius, mut heights) = ([0; 2], [0; 2], [0; 2]);
    let (mut found, mut there, mut false_ones, mut worst) = (0, 0, 0, [0.0_f64; 2]);
    let mut of: [Vec<f64>; 3] = Default::default();
    for seed in 1..=seeds() {
        let (job, pipes, crate_) = furnished(seed);
        let seen = Seen::of(&job, seed);
        let mut cells = Voxels::new(Vec3::repeat(-30.0), Vec3::new(60.0, 60.0, 8.0));
        for (points, stand) in seen.points.iter().zip(&seen.stands) {
            points.iter().for_each(|p| cells.add(p, &stand.pose.translation));
        }
        let mut starts = rods(&cells, &mut |_| true).unwrap();
        // drawn by hand: some millimetres off
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        let by_hand = |p: &Vector2<f64>| p + Vector2::from_fn(|_, _| rng.random_range(-0.004..0.004));
        starts.push(Start::Block(crate_.outline.iter().map(by_hand).collect(), [0.0, 3.0]));
        let near: Vec<Vec<Kept>> = {
            let near = Near::new(&starts);
            seen.points.iter().map(|s| near.collect(s.iter().copied())).collect()
        };
        there += pipes.len();
        let mut taken = vec![false; pipes.len()];
        for (k, start) in starts.iter().enumerate() {
            match start {
                Start::Rod(ends, r) => {
                    let none = |_: usize, _: usize| None;
                    let Some(c) = cylinder((*ends, *r), &kept(&near, k), &seen.stands, &none, &seen.instrument) else {
                        continue;
                    };
                    let Some(p) = pipes.iter().position(|p| is(&c, p)) else {
                        println!("seed {seed}: nothing there: {:?} radius {:.3}", c.ends, c.radius);
                        // the tripods of spheres are round as well
                        false_ones += usize::from(c.radius > 0.03);
                        continue;
                    };
                    found += usize::from(!std::mem::replace(&mut taken[p], true));
                    let ([a, b], r) = pipes[p];
                    let along = (b - a).normalize();
                    for (e, e95) in c.ends.iter().zip(c.axis95) {
                        let off = (e - a - along * (e - a).dot(&along)).norm();
                        axis[0] += usize::from(off <= e95);
                        axis[1] += 1;
                        worst[0] = worst[0].max(off);
                        of[0].push(off / e95);
                    }
                    let off = (c.radius - r).abs();
                    radius[0] += usize::from(off <= c.radius95);
                    radius[1] += 1;
                    worst[1] = worst[1].max(off);
                    of[1].push(off / c.radius95);
                    assert!(c.rests.spread.within(0.01) > 0.8, "seed {seed}: {:?}", c.rests.spread);
                }
                Start::Block(outline, _) => {
                    let b = block(outline, true, &kept(&near, k), &seen.stands, &seen.instrument).unwrap();
                    assert_eq!(b.limits, [Limit::Floor, Limit::Top], "seed {seed}: {:?}", b.heights);
                    for (h, (e, t)) in b.heights.iter().zip(b.error95.iter().zip([0.0, crate_.top])) {
                        heights[0] += usize::from((h - t).abs() <= *e);
                        heights[1] += 1;
                        of[2].push((h - t).abs() / e);
                    }
                }
            }
        }
        for (p, _) in pipes.iter().zip(&taken).filter(|t| !t.1) {
            println!("seed {seed}: not found: radius {:.3} from {:?}", p.1, p.0[0]);
        }
    }
    let share = |v: [usize; 2]| 100.0 * v[0] as f64 / v[1] as f64;
    let half = of.map(|mut v| vistazo_core::stats::median(&mut v).unwrap());
    println!(
        "{found} of {there} cylinders found, {false_ones} where none is; inside the 95 %: axes {:.1} % of {} (worst {:.1} mm), radii {:.1} % of {} (worst {:.1} mm), heights {:.1} % of {}",
        share(axis),
        axis[1],
        worst[0] * 1e3,
        share(radius),
        radius[1],
        worst[1] * 1e3,
        share(heights),
        heights[1]
    );
    println!(
        "half of the errors within so much of the 95 %: axes {:.2}, radii {:.2}, heights {:.2}",
        half[0], half[1], half[2]
    );
    assert!(found * 10 >= there * 9 && false_ones * 20 <= there, "{found} of {there}, {false_ones}");
    for (what, v) in [("axes", axis), ("radii", radius), ("heights", heights)] {
        assert!(v[0] * 100 >= v[1] * 88, "{what}: {v:?}");
    }
}

/// Whether a cylinder is that pipe: no more than some centimetres beside it, and as thick.
fn is(c: &Cylinder, ([a, b], radius): &([Vec3; 2], f64)) -> bool {
    let along = (b - a).normalize();
    let off = |e: &Vec3| (e - a - along * (e - a).dot(&along)).norm();
    c.ends.iter().all(|e| off(e) < 0.05) && (c.radius - radius).abs() < 0.03
}
