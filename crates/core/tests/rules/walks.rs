//! Walks that are planned: what is shown against rays thrown one by one, strips and passes against what they promise, a known point
//! against the same graph solved anew.

use nalgebra::{Matrix6, Vector2, Vector6};
use proptest::prelude::*;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_core::mobile::{Fact, Graph, units};
use vistazo_core::plan::{Bvh, Demand, Site, Wall, inside, length, sample};
use vistazo_core::walks::{OFTEN, OVERLAP, WalkError, WalkWish, course, propose, seen, split, strips};

fn wall(id: usize, a: (f64, f64), b: (f64, f64)) -> Wall {
    let line = vec![Vector2::new(a.0, a.1), Vector2::new(b.0, b.1)];
    Wall { demand: Some(Demand::spaced(0.01)), ..Wall::plain(id, line, 0.0, 3.0) }
}

fn line(of: &[(f64, f64)]) -> Vec<Vector2<f64>> {
    of.iter().map(|p| Vector2::new(p.0, p.1)).collect()
}

/// Rays thrown evenly over what the unit looks at, from places along the walk, onto a wall half hidden by another: so many meet each
/// square metre.
#[test]
fn what_a_walk_shows_is_what_rays_meet() {
    let site =
        Site { walls: vec![wall(0, (-8.0, 4.0), (8.0, 4.0)), wall(1, (-14.0, 2.0), (0.0, 2.0))], ..Site::default() };
    let (bvh, unit) = (Bvh::new(&site), units().swap_remove(0));
    let walk = course(&bvh, &line(&[(-6.0, 0.0), (-1.0, 0.0)]), 0.0, &unit, Some(0.25), &[]);
    assert!((walk.metres() - 5.0).abs() < 1e-9 && (walk.seconds() - 20.0).abs() < 1e-6);
    let samples = sample(&site, 1.0);
    let (of, _) = seen(&bvh, &samples, &[(&walk, &unit)]);
    let mut rng = ChaCha8Rng::seed_from_u64(7);
    let [low, high] = unit.handling.looks.map(f64::sin);
    let rays = 6_000_000_u32;
    let mut met = vec![0_u32; samples.len()];
    for k in 0..rays {
        let from = Vec3::new(-6.0 + 5.0 * (f64::from(k) + 0.5) / f64::from(rays), 0.0, unit.handling.height);
        let (turn, up): (f64, f64) = (rng.random_range(0.0..std::f64::consts::TAU), rng.random_range(low..high));
        let flat = (1.0 - up * up).sqrt();
        let d = Vec3::new(flat * turn.cos(), flat * turn.sin(), up);
        if d.y < 70.0_f64.to_radians().cos() {
            continue;
        }
        // the nearer wall first, where it reaches
        let at = |y: f64| (d.y > 1e-9).then(|| from + d * (y / d.y)).filter(|p| (0.0..3.0).contains(&p.z));
        let near = at(2.0).filter(|p| (-14.0..0.0).contains(&p.x));
        let Some(hit) = near.or_else(|| at(4.0).filter(|p| (-8.0..8.0).contains(&p.x))) else { continue };
        if let Some(s) = (0..samples.len()).find(|s| (samples[*s].position - hit).amax() <= 0.5) {
            met[s] += 1;
        }
    }
    let thrown = unit.handling.points * walk.seconds() / f64::from(rays);
    let (mut compared, mut hidden) = (0, 0);
    for (s, seen) in of.iter().enumerate() {
        let density = f64::from(met[s]) * thrown / samples[s].area();
        match seen.why {
            Some(vistazo_core::plan::NotCovered::Hidden) => {
                hidden += 1;
                // its middle is hidden: an edge of it may be seen
                assert!(density < 4000.0, "{:?}: {density}", samples[s].position);
            }
            // what is met too obliquely, or seen for a moment only, differs by where its middle lies
            _ if met[s] > 4000 && seen.seconds > 10.0 => {
                compared += 1;
                let ratio = seen.spacing.powi(-2) / density;
                assert!((0.75..1.3).contains(&ratio), "{:?}: {ratio}", samples[s].position);
            }
            _ => {}
        }
    }
    assert!(compared > 20 && hidden > 3, "{compared} {hidden}");
}

/// Passed too fast where what is wanted is fine, and dense enough at the pace that is said.
#[test]
fn the_pace_that_is_said_would_do() {
    let mut fine = wall(0, (-8.0, 3.0), (8.0, 3.0));
    fine.demand = Some(Demand::spaced(0.0045));
    let site = Site { walls: vec![fine], ..Site::default() };
    let (bvh, unit) = (Bvh::new(&site), units().swap_remove(0));
    let samples = sample(&site, 0.5);
    let at = |pace: f64| {
        let walk = course(&bvh, &line(&[(-7.0, 0.0), (7.0, 0.0)]), 0.0, &unit, Some(pace), &[]);
        let (of, slow) = seen(&bvh, &samples, &[(&walk, &unit)]);
        let coarse = of.iter().filter(|s| s.why == Some(vistazo_core::plan::NotCovered::Coarse)).count();
        (coarse, slow)
    };
    let (coarse, slow) = at(0.7);
    let worst = slow.iter().map(|s| s.pace).fold(f64::INFINITY, f64::min);
    assert!(coarse > 20 && worst < 0.7, "{coarse} {slow:?}");
    let (then, _) = at(worst);
    assert!(then * 5 < coarse, "{coarse} at 0.7 m/s, {then} at {worst} m/s");
}

#[test]
fn a_second_look_after_some_metres_is_another_visit() {
    let site = Site { walls: vec![wall(0, (0.0, 2.0), (3.0, 2.0))], ..Site::default() };
    let (bvh, unit) = (Bvh::new(&site), units().swap_remove(0));
    let samples = sample(&site, 1.0);
    let visits = |far: f64| {
        // behind a corner nothing of it is seen
        let walk =
            course(&bvh, &line(&[(1.5, 0.0), (1.5, 2.2), (far, 2.2), (1.5, 2.2), (1.5, 0.0)]), 0.0, &unit, None, &[]);
        let (of, _) = seen(&bvh, &samples, &[(&walk, &unit)]);
        of.iter().map(|s| s.visits).max().unwrap()
    };
    assert_eq!((visits(3.0), visits(3.0 + OFTEN + 70.0)), (1, 2));
}

#[test]
fn nothing_is_proposed_where_nothing_is_or_nobody_gets() {
    let wish = WalkWish { start: Vector2::new(-5.0, 0.0), floor: 0.0, share: 0.98 };
    let unit = units().swap_remove(0);
    assert_eq!(propose(&Site::default(), &unit, &wish, &|_| true), Err(WalkError::Empty));
    let room = line(&[(0.0, -4.0), (10.0, -4.0), (10.0, 4.0), (0.0, 4.0), (0.0, -4.0)]);
    let site = Site {
        walls: vec![Wall { demand: Some(Demand::spaced(0.02)), ..Wall::plain(0, room, 0.0, 3.0) }],
        ..Site::default()
    };
    assert_eq!(propose(&site, &unit, &wish, &|_| false), Err(WalkError::Stopped));
    // a closed room shows its outside to whoever goes round it
    let round = propose(&site, &unit, &wish, &|_| true).unwrap();
    assert!(round.lines.iter().flatten().all(|p| !(p.x > 0.1 && p.x < 9.9 && p.y.abs() < 3.9)), "{:?}", round.lines);
}

/// A known place changes what is known of all others as it would if everything were solved anew.
#[test]
fn a_known_place_helps_as_it_is_said_to() {
    let mut g = Graph::default();
    let sigma = Vector6::new(0.01, 0.01, 0.01, 1e-3, 1e-3, 2e-3);
    let covariance = Matrix6::from_diagonal(&sigma.map(|s| s * s));
    for k in 0..40 {
        let turn = 0.15 * f64::from(k);
        g.add(Pose::levelled(turn, Vec3::new(9.0 * turn.sin(), 9.0 * (1.0 - turn.cos()), 1.4)));
    }
    for k in 0..39 {
        let pose = g.poses[k].inverse().compose(&g.poses[k + 1]);
        g.know(Fact::Relative { from: k, to: k + 1, pose, covariance, unheld: Matrix6::zeros(), kind: 0, habit: None });
    }
    g.know(Fact::Known { of: 0, pose: g.poses[0], covariance: covariance * 0.1 });
    let known = Mat3::from_diagonal(&Vec3::new(4e-6, 9e-6, 1e-6));
    let said = g.if_known(&[(25, known), (39, known)]).unwrap();
    for (of, said) in [25, 39].into_iter().zip(said) {
        let mut again = g.clone();
        again.know(Fact::Point { of, local: Vec3::zeros(), at: g.poses[of].translation, covariance: known });
        let solved = again.precision().unwrap();
        for (k, c) in said.iter().enumerate() {
            let own = solved.covariances[k].fixed_view::<3, 3>(0, 0).into_owned();
            assert!((c - own).amax() < 1e-9 * (1.0 + own.amax() / 1e-6), "{of} {k}: {c} {own}");
        }
    }
}

proptest! {
    #![proptest_config(ProptestConfig { cases: 60, ..ProptestConfig::default() })]

    /// Every place of a field lies within half a swath of a strip, and strips stay in it.
    #[test]
    fn strips_sweep_the_whole_field(corners in prop::collection::vec(15.0..40.0_f64, 5..9), turn in 0.0..3.0_f64, swath in 3.0..9.0_f64) {
        // any star about its middle that is nearly round
        let n = corners.len() as f64;
        let outline: Vec<Vector2<f64>> = corners.iter().enumerate().map(|(k, r)| {
            let a = turn + std::f64::consts::TAU * k as f64 / n;
            Vector2::new(a.cos(), a.sin()) * (30.0 + 0.2 * r)
        }).collect();
        let way = strips(&outline, swath, 0.2);
        prop_assert!(way.iter().all(|p| inside(&outline, p)));
        let mut rng = ChaCha8Rng::seed_from_u64(1);
        for _ in 0..300 {
            let p = Vector2::new(rng.random_range(-38.0..38.0), rng.random_range(-38.0..38.0));
            if !inside(&outline, &p) {
                continue;
            }
            let off = way.windows(2).map(|w| {
                let d = w[1] - w[0];
                let t = ((p - w[0]).dot(&d) / d.norm_squared().max(1e-12)).clamp(0.0, 1.0);
                (p - w[0] - d * t).norm()
            }).fold(f64::INFINITY, f64::min);
            // at the ends of strips the field goes on by as much as they keep from its edge
            prop_assert!(off <= 1.5 * swath, "{p} is {off} m from the way, {swath} wide");
        }
    }

    /// Passes are short enough, hang together by what two have in common, and are the whole walk.
    #[test]
    fn passes_of_a_walk_are_short_enough_and_hang_together(
        corners in prop::collection::vec((-60.0..60.0_f64, -60.0..60.0_f64), 4..14), limit in 60.0..400.0_f64,
    ) {
        let (bvh, unit) = (Bvh::new(&Site::default()), units().swap_remove(0));
        let walk = course(&bvh, &line(&corners), 0.0, &unit, None, &[]);
        let passes = split(&walk, limit);
        prop_assert!(!passes.is_empty());
        for p in &passes {
            let again = course(&bvh, p, 0.0, &unit, None, &[]);
            prop_assert!(again.seconds() <= limit + 1.0, "{} of {limit}", again.seconds());
        }
        prop_assert_eq!(passes[0][0], Vector2::new(corners[0].0, corners[0].1));
        let all: f64 = passes.iter().map(|p| length(p)).sum();
        let common = OVERLAP * (passes.len() - 1) as f64;
        // a spot is 0.7 m: what two have in common is that much longer at most
        prop_assert!((all - walk.metres() - common).abs() < 1.0 * passes.len() as f64, "{all} of {}", walk.metres());
        for w in passes.windows(2) {
            let off = w[0].windows(2).map(|l| {
                let d = l[1] - l[0];
                let t = ((w[1][0] - l[0]).dot(&d) / d.norm_squared().max(1e-12)).clamp(0.0, 1.0);
                (w[1][0] - l[0] - d * t).norm()
            }).fold(f64::INFINITY, f64::min);
            prop_assert!(off < 1e-6, "a pass begins on the one before it");
        }
    }
}
