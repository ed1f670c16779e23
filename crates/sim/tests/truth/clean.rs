//! What does not belong into a cloud is found, and what belongs stays: people who were in the way of one scan, ranges mixed
//! at edges, over sites drawn by chance. The truth of each point is the simulator's own.

use crate::sites;

use nalgebra::UnitQuaternion;
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use sites::{Plan, hall, rooms, scene, works, yard};
use vistazo_core::clean::{Class, Other, in_mirrors, mirrors, moved, over, stray};
use vistazo_core::cloud::{Order, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;
use vistazo_core::tie::{Shown, Sight};
use vistazo_sim::{Passer, Really, Scanner, scan, set_up_near};

/// Of each kind of site; more with `VISTAZO_CLEAN_SEEDS`.
fn seeds() -> u64 {
    std::env::var("VISTAZO_CLEAN_SEEDS").ok().and_then(|s| s.parse().ok()).unwrap_or(1)
}

#[derive(Default, Debug)]
struct Tally {
    people: [usize; 2],
    mixed: [usize; 2],
    good: [usize; 2],
    by_class: [usize; 6],
    /// Points on people at places that no other scan saw past.
    alone: usize,
}

/// Whether a scan measured something well behind a place, in just that direction.
fn saw_past(scan: &Scan, at: &Vec3) -> bool {
    let first = scan.at(scan.grid.iter().position(|g| *g != u32::MAX).map_or(0, |c| scan.grid[c] as usize));
    let cell = scan.grid.iter().position(|g| *g != u32::MAX).unwrap_or(0);
    let (row, col) = ((cell / scan.cols as usize) as f64, (cell % scan.cols as usize) as f64);
    let elevation = |p: &Vec3| p.z.atan2(p.xy().norm());
    let down = row + (elevation(&first) - elevation(at)) / scan.row_step;
    let on = col + (at.y.atan2(at.x) - first.y.atan2(first.x)) / scan.col_step;
    scan.point(down.round() as i64, on.round() as i64).is_some_and(|p| p.norm() > at.norm() + 0.4)
}

fn tally(name: &str, make: &dyn Fn(&mut ChaCha8Rng) -> Plan, seed: u64) -> Tally {
    let instrument = Instrument { step: 0.004, ..Instrument::mid_range() };
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    let plan = make(&mut rng);
    let mut scene = scene(&plan);
    let stands: Vec<Vec3> = plan.3.iter().take(6).copied().collect();
    // two people about each scanner, and one near the next station
    for (epoch, at) in stands.iter().enumerate() {
        let next = stands[(epoch + 1) % stands.len()];
        for (from, out) in [(at, 1.6..3.0), (at, 1.2..2.2), (&next, 0.6..1.2)] {
            let (r, a) = (rng.random_range(out), rng.random_range(0.0..std::f64::consts::TAU));
            let height = rng.random_range(1.55..1.95);
            scene.passers.push(Passer { epoch, at: [from.x + r * a.cos(), from.y + r * a.sin()], height });
        }
    }
    let scanner = Scanner::drawn(&instrument, seed);
    let poses: Vec<Pose> =
        stands.iter().enumerate().map(|(k, p)| set_up_near(*p, &instrument, seed + k as u64)).collect();
    let raws: Vec<_> = (poses.iter().enumerate())
        .map(|(k, p)| scan(&scene, &scanner, p, k, 100 * seed + k as u64, &|_| true).unwrap())
        .collect();
    let truths: Vec<Vec<Really>> = raws.iter().map(|r| r.truth.clone()).collect();
    let scans: Vec<_> = raws.into_iter().map(|r| r.into_scan().unwrap()).collect();
    let sights: Vec<Sight> = scans.par_iter().map(Sight::of).collect();
    // where registration has them: some millimetres off
    let off = |rng: &mut ChaCha8Rng| Pose {
        rotation: UnitQuaternion::from_scaled_axis(Vec3::z() * rng.random_range(-1e-4..1e-4)),
        translation: Vec3::from_fn(|_, _| rng.random_range(-0.003..0.003)),
    };
    let known: Vec<Pose> = poses.iter().map(|p| p.compose(&scanner.frame()).compose(&off(&mut rng))).collect();
    let mut sum = Tally::default();
    for (k, s) in scans.iter().enumerate() {
        let others: Vec<Other<'_>> = (0..scans.len())
            .filter(|&o| o != k)
            .map(|o| Other { sight: &sights[o], pose: known[o].inverse().compose(&known[k]), sigma: 0.003 })
            .collect();
        let mut classes = stray(s);
        over(&mut classes, &moved(s, &others));
        for (i, (class, really)) in classes.iter().zip(&truths[k]).enumerate() {
            if *really == Really::Surface {
                sum.by_class[*class as usize] += 1;
            }
            // who stands where no other scan looked is seen through by none
            let looked =
                |o: &usize| *o != k && saw_past(&scans[*o], &known[*o].inverse().compose(&known[k]).apply(&s.at(i)));
            if *really == Really::Passer && !(0..scans.len()).any(|o| looked(&o)) {
                sum.alone += 1;
                continue;
            }
            let counted = match really {
                Really::Passer => &mut sum.people,
                Really::Mixed => &mut sum.mixed,
                Really::Surface => &mut sum.good,
                Really::Ghost => continue,
            };
            counted[0] += usize::from(*class != Class::Kept);
            counted[1] += 1;
        }
    }
    let share = |c: [usize; 2]| 100.0 * c[0] as f64 / c[1].max(1) as f64;
    println!(
        "{name} {seed}: {:.2} % of {} points on people, {:.2} % of {} mixed, {:.3} % of {} that belong {:?}, {} on people unseen",
        share(sum.people),
        sum.people[1],
        share(sum.mixed),
        sum.mixed[1],
        share(sum.good),
        sum.good[1],
        sum.by_class,
        sum.alone
    );
    sum
}

#[test]
fn what_does_not_belong_is_found_and_what_belongs_stays() {
    type Make = fn(&mut ChaCha8Rng) -> Plan;
    let kinds: [(&str, Make); 4] =
        [("rooms", rooms), ("hall", hall), ("yard", yard), ("works", |rng| works(rng, (3, 2)))];
    let mut all = Tally::default();
    for (name, make) in kinds {
        for seed in 1..=seeds() {
            let t = tally(name, &make, seed);
            let wrong = t.good[0] as f64 / t.good[1] as f64;
            assert!(wrong < 0.005, "{name} {seed}: {:.2} % of what belongs", 100.0 * wrong);
            for (to, from) in [(&mut all.people, t.people), (&mut all.mixed, t.mixed)] {
                (to[0], to[1]) = (to[0] + from[0], to[1] + from[1]);
            }
        }
    }
    let found = |c: [usize; 2]| c[0] as f64 / c[1] as f64;
    assert!(found(all.people) > 0.95 && found(all.mixed) > 0.95, "{all:?}");
}

#[test]
fn what_is_seen_in_a_mirror_is_found_and_a_door_is_none() {
    let (mut ghosts, mut found, mut good, mut wrong) = (0, 0, 0, 0);
    for seed in 1..=2 * seeds() {
        let mut rng = ChaCha8Rng::seed_from_u64(700 + seed);
        let plan = if seed % 2 == 0 { rooms(&mut rng) } else { hall(&mut rng) };
        let mut scene = scene(&plan);
        // before a wall of the first room, where the first scanner sees it
        let mut places = plan.3[..3].to_vec();
        let wall = &scene.site.walls[0];
        let (a, b) = (wall.line[0], wall.line[1]);
        let along = (b - a).normalize();
        let inward = nalgebra::Vector2::new(-along.y, along.x);
        let length = (b - a).norm();
        // clear of doors, as near to the scanner as that allows
        let abreast = (places[0].xy() - a).dot(&along);
        let clear = |t: &f64| wall.openings.iter().all(|o| (o.at - t).abs() > o.width / 2.0 + 1.0);
        let free = (12..).map(|k| 0.1 * f64::from(k)).take_while(|t| *t < length - 1.2).filter(clear);
        let at = free.min_by(|s, t| (s - abreast).abs().total_cmp(&(t - abreast).abs())).expect("a clear place");
        let foot = a + along * at + inward * 0.02;
        let ends = [foot - along * 0.9, foot + along * 0.9].map(|p| [p.x, p.y]);
        // what is seen in one from afar shows too little of itself to be told
        if seed % 2 == 1 {
            places[0] = (foot + inward * 3.0).push(places[0].z);
        }
        scene.mirrors.push((ends, 0.4, 2.2));
        let instrument = Instrument { step: 0.004, ..Instrument::mid_range() };
        let scanner = Scanner::drawn(&instrument, seed);
        let poses: Vec<Pose> =
            places.iter().enumerate().map(|(k, p)| set_up_near(*p, &instrument, seed + k as u64)).collect();
        let raws: Vec<_> = (poses.iter().enumerate())
            .map(|(k, p)| scan(&scene, &scanner, p, k, 100 * seed + k as u64, &|_| true).unwrap())
            .collect();
        let truths: Vec<Vec<Really>> = raws.iter().map(|r| r.truth.clone()).collect();
        let scans: Vec<_> = raws.into_iter().map(|r| r.into_scan().unwrap()).collect();
        let shown: Vec<Shown> =
            scans.par_iter().map(|s| Shown::new(working(s, &Order::of(s)).0, Sight::of(s))).collect();
        let known: Vec<Pose> = poses.iter().map(|p| p.compose(&scanner.frame())).collect();
        // one scan finds it, all scans are the better for it
        let mut all = Vec::new();
        for k in 0..scans.len() {
            let others: Vec<(&Shown, Pose)> = (0..scans.len())
                .filter(|&o| o != k)
                .map(|o| (&shown[o], known[k].inverse().compose(&known[o])))
                .collect();
            all.extend(mirrors(&shown[k], &others).iter().map(|m| m.seen_from(&known[k])));
        }
        for k in 0..scans.len() {
            let here: Vec<_> = all.iter().map(|m| m.seen_from(&known[k].inverse())).collect();
            let classes = in_mirrors(&scans[k], &here);
            for (class, really) in classes.iter().zip(&truths[k]) {
                let out = usize::from(*class == Class::Ghost);
                if *really == Really::Ghost {
                    (ghosts, found) = (ghosts + 1, found + out);
                } else {
                    (good, wrong) = (good + 1, wrong + out);
                }
            }
        }
    }
    let share = |n: usize, of: usize| 100.0 * n as f64 / of.max(1) as f64;
    println!(
        "{:.2} % of {ghosts} ghosts found, {:.3} % of {good} others with them",
        share(found, ghosts),
        share(wrong, good)
    );
    assert!(ghosts > 10_000 && share(found, ghosts) > 95.0 && share(wrong, good) < 0.5);
}
