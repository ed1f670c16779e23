//! What two scans say of one another, in rooms whose every range this test works out by itself: no simulator, no noise,
//! nothing but flat walls.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use vistazo_core::cloud::{Order, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::Scan;
use vistazo_core::tie::{
    Compared, Expected, Grade, PlanView, Seen, Shown, Sight, TieCard, one_more, place_in_block, tie_by_clouds,
    tie_clouds,
};

/// A building of upright walls between a floor and a ceiling: each wall is what a ray may meet.
struct Building {
    /// From, to, on the plan.
    walls: Vec<([f64; 2], [f64; 2])>,
    floor: f64,
    ceiling: f64,
}

impl Building {
    /// An L with a block in its corner, so that nothing repeats when it is turned.
    fn bent() -> Self {
        let outline = [[0.0, 0.0], [9.0, 0.0], [9.0, 4.0], [5.0, 4.0], [5.0, 7.5], [0.0, 7.5]];
        let block = [[0.6, 5.8], [1.9, 5.8], [1.9, 6.9], [0.6, 6.9]];
        let ring = |c: &[[f64; 2]]| (0..c.len()).map(|k| (c[k], c[(k + 1) % c.len()])).collect::<Vec<_>>();
        Self { walls: [ring(&outline), ring(&block)].concat(), floor: 0.0, ceiling: 2.9 }
    }

    /// How far a ray goes.
    fn range(&self, from: &Vec3, d: &Vec3) -> f64 {
        let level = if d.z < 0.0 { (self.floor - from.z) / d.z } else { (self.ceiling - from.z) / d.z };
        let cross = |a: [f64; 2], b: [f64; 2]| a[0] * b[1] - a[1] * b[0];
        let upright = self.walls.iter().filter_map(|(a, b)| {
            let (along, to) = ([b[0] - a[0], b[1] - a[1]], [a[0] - from.x, a[1] - from.y]);
            let turn = cross([d.x, d.y], along);
            let (t, s) = (cross(to, along) / turn, cross(to, [d.x, d.y]) / turn);
            (turn.abs() > 1e-12 && t > 1e-9 && (0.0..=1.0).contains(&s)).then_some(t)
        });
        upright.fold(if level > 0.0 { level } else { f64::INFINITY }, f64::min)
    }

    fn scan(&self, pose: &Pose, step: f64) -> Scan {
        let (rows, cols) = ((2.4 / step) as u32, (std::f64::consts::TAU / step) as u32);
        let (mut cells, mut points) = (Vec::new(), Vec::new());
        for c in 0..cols {
            for r in 0..rows {
                let (a, e) = (f64::from(c) * step, 1.4 - f64::from(r) * step);
                let own = Vec3::new(e.cos() * a.cos(), e.cos() * a.sin(), e.sin());
                let p = own * self.range(&pose.translation, &(pose.rotation * own));
                cells.push((r, c));
                points.push(p.map(|v| v as f32).into());
            }
        }
        let light = vec![30_000; points.len()];
        Scan::from_grid(rows, cols, cells.into_iter(), points, light).unwrap()
    }
}

fn shown(scan: &Scan) -> Shown {
    Shown::new(working(scan, &Order::of(scan)).0, Sight::of(scan))
}

/// Three set-ups in the two arms and the bend.
fn set_ups() -> [Pose; 3] {
    [(6.4, 1.7, 0.4), (2.1, 1.5, 2.5), (3.0, 5.0, -1.9)].map(|(x, y, yaw)| Pose::levelled(yaw, Vec3::new(x, y, 1.6)))
}

#[test]
fn a_sight_says_what_was_passed_what_was_met_and_nothing_of_what_lies_behind() {
    let b = Building::bent();
    let pose = set_ups()[0];
    let sight = Sight::of(&b.scan(&pose, 0.01));
    let kept = Sight::from_bytes(&sight.to_bytes()).unwrap();
    assert!(Sight::from_bytes(&sight.to_bytes()[1..]).is_none(), "half a sight is none");
    let mut rng = ChaCha8Rng::seed_from_u64(2);
    let mut said = [0; 3];
    for _ in 0..4000 {
        let (a, e): (f64, f64) = (rng.random_range(-3.1..3.1), rng.random_range(-0.8..1.2));
        let own = Vec3::new(e.cos() * a.cos(), e.cos() * a.sin(), e.sin());
        let met = b.range(&pose.translation, &(pose.rotation * own));
        let (free, there, behind) = (own * met * rng.random_range(0.2..0.8), own * met, own * (met + 0.6));
        for s in [&sight, &kept] {
            // near an edge the neighbouring rays differ, and nothing is said for sure
            let (f, t, h) = (s.look(&free, 0.05), s.look(&there, 0.05), s.look(&behind, 0.05));
            assert!(f != Seen::Surface || free.norm() > 0.8 * met, "nothing stands half-way");
            assert!(t != Seen::Through, "{a} {e}: seen through a wall");
            assert!(h != Seen::Through, "{a} {e}: seen through a wall, to 0.6 m behind");
            said[0] += u32::from(f == Seen::Through);
            said[1] += u32::from(t == Seen::Surface);
            said[2] += u32::from(h == Seen::Unknown);
        }
    }
    let share = said.map(|n: u32| f64::from(n) / 8000.0);
    assert!(share.iter().all(|s| *s > 0.75), "of what could be said: {share:?}");
}

#[test]
fn two_scans_agree_where_they_stand_and_nowhere_else() {
    let b = Building::bent();
    let poses = set_ups();
    let scans = poses.map(|p| shown(&b.scan(&p, 0.012)));
    let truth = poses[0].inverse().compose(&poses[1]);
    let right = Compared::of(&scans[0], &scans[1], &truth, 0.08, 4000);
    assert!(right.agrees() && right.overlap.iter().all(|o| *o > 0.4), "{right:?}");
    // told the other way round, it is the other way round
    let back = Compared::of(&scans[1], &scans[0], &truth.inverse(), 0.08, 4000);
    assert_eq!((back.overlap[0], back.conflict[1]), (right.overlap[1], right.conflict[0]));
    for (x, y, yaw) in [(0.5, 0.0, 0.0), (0.0, -0.6, 0.0), (0.0, 0.0, 0.1), (0.0, 0.0, 3.0), (2.0, 1.0, 1.57)] {
        let off = Pose::levelled(yaw, Vec3::new(x, y, 0.0));
        let wrong = Compared::of(&scans[0], &scans[1], &truth.compose(&off), 0.08, 4000);
        assert!(!wrong.agrees() && wrong.worst_conflict() > 0.02, "{x} {y} {yaw}: {wrong:?}");
    }
}

#[test]
fn a_tie_of_flat_walls_is_exact_and_found_without_a_start() {
    let b = Building::bent();
    let poses = set_ups();
    let raw = poses.map(|p| b.scan(&p, 0.008));
    let scans = raw.each_ref().map(shown);
    for (i, j) in [(0, 1), (1, 2), (0, 2)] {
        let truth = poses[i].inverse().compose(&poses[j]);
        let start = truth.moved(&nalgebra::Vector6::new(0.08, -0.06, 0.03, 0.0, 0.0, 0.015));
        let clouds = [i, j].map(|k| working(&raw[k], &Order::of(&raw[k])).0);
        let fit = tie_clouds(&clouds[0], &clouds[1], &start).unwrap();
        let off = truth.difference(&fit.relative);
        assert!(off.fixed_rows::<3>(0).norm() < 5e-4 && off.fixed_rows::<3>(3).norm() < 1e-4, "{i}-{j}: {off:?}");
        let found = tie_by_clouds(&scans[i], &scans[j], &Expected::default()).unwrap();
        let off = truth.difference(&found.fit.relative);
        println!("{i}-{j}: {:?}, {:.2} mm", found.grade.grade, 1e3 * off.fixed_rows::<3>(0).norm());
        let right = off.fixed_rows::<3>(0).norm() < 2e-3 && off.fixed_rows::<3>(3).norm() < 5e-4;
        assert!(right || found.grade.grade != Grade::Sound, "{i}-{j} is called sound: {off:?}");
        assert!(right || (i, j) != (0, 1), "the two that share most: {off:?}");
    }
    // and the third has its place among the other two
    let block = [(&scans[0], poses[0]), (&scans[1], poses[1])];
    if let Some(place) = place_in_block(&block, &scans[2]) {
        let off = poses[2].difference(&place.pose);
        assert!(off.fixed_rows::<3>(0).norm() < 5e-3, "{off:?}");
    }
    assert!(place_in_block(&[], &scans[2]).is_none());
}

/// The direction of the walls follows the scanner's heading, within a quarter turn.
#[test]
fn the_direction_of_walls_is_found_whatever_the_heading() {
    let b = Building::bent();
    for yaw in [0.0, 0.3, 0.8, 1.2, 2.0, -2.9] {
        let pose = Pose::levelled(yaw, Vec3::new(3.0, 2.0, 1.5));
        let scan = b.scan(&pose, 0.015);
        let found = PlanView::of(&working(&scan, &Order::of(&scan)).0).main_direction();
        // walls lie along and across the axes of the building
        let quarter = std::f64::consts::FRAC_PI_2;
        let off = (found + yaw).rem_euclid(quarter);
        assert!(off.min(quarter - off) < 0.01, "turned by {yaw}: {found}");
    }
}

/// A scan laid 20 and 12 mm beside its place: the slices of its card say so, each of what lies in its plane, although
/// walls that face one another are off both ways. In its place nothing is off, and nothing contradicts.
#[test]
fn a_card_shows_how_far_a_scan_lies_beside_its_place() {
    let b = Building::bent();
    let poses = set_ups();
    let scans = [0, 1].map(|k| shown(&b.scan(&poses[k], 0.008)));
    let laid = |by: Vec3| {
        let beside = Pose { translation: poses[1].translation + by, ..poses[1] };
        TieCard::of(&scans[0], &scans[1], &poses[0].inverse().compose(&beside))
    };
    let right = laid(Vec3::zeros());
    assert!(right.slices.iter().all(|s| s.offset.unwrap() < 5e-4 && s.conflict.is_empty()), "{:?}", offsets(&right));
    assert!(right.rms.unwrap() < 5e-4 && right.compared.agrees());
    for by in [Vec3::new(0.02, 0.012, 0.0), Vec3::new(-0.012, 0.02, 0.0)] {
        let card = laid(by);
        let [plan, along, across] = offsets(&card)[..] else { panic!("three slices") };
        assert!((plan - by.norm()).abs() < 1e-3, "{plan} for {}", by.norm());
        // the card lies along the one or the other wall
        let (mut found, mut planted) = ([along, across], [by.x.abs(), by.y.abs()]);
        found.sort_by(f64::total_cmp);
        planted.sort_by(f64::total_cmp);
        assert!((0..2).all(|k| (found[k] - planted[k]).abs() < 1.5e-3), "{found:?} for {planted:?}");
        assert!(card.slices.iter().all(|s| s.offset95 < 1e-3));
    }
    // and by height: the sections, not the plan
    let [plan, along, across] = offsets(&laid(Vec3::new(0.0, 0.0, 0.015)))[..] else { panic!("three slices") };
    assert!(plan < 1e-3 && (along - 0.015).abs() < 1e-3 && (across - 0.015).abs() < 1e-3, "{plan} {along} {across}");
    // metres off, it is seen through
    let wrong = laid(Vec3::new(1.5, 0.0, 0.0));
    assert!(wrong.slices.iter().any(|s| !s.conflict.is_empty()) && !wrong.compared.agrees());
}

fn offsets(card: &TieCard) -> Vec<f64> {
    card.slices.iter().filter_map(|s| s.offset).collect()
}

/// The spot for one more scan is free, and sees what it is said to see of both.
#[test]
fn one_more_scan_would_see_both() {
    let b = Building::bent();
    let poses = set_ups();
    let [first, _, third] = poses.map(|p| shown(&b.scan(&p, 0.012)));
    let mend = one_more(&first, &third, &poses[0].inverse().compose(&poses[2]), 0.002).unwrap();
    let at = poses[0].apply(&mend.at);
    // in the bend, away from walls and from the block
    assert!((0.3..8.7).contains(&at.x) && (0.3..7.2).contains(&at.y) && !(at.x > 5.0 && at.y > 4.0), "{at:?}");
    let there = Pose::levelled(0.0, at);
    let more = shown(&b.scan(&there, 0.012));
    for (k, (scan, pose)) in [(&first, poses[0]), (&third, poses[2])].into_iter().enumerate() {
        let c = Compared::of(&more, scan, &there.inverse().compose(&pose), 0.08, 6000);
        assert!(c.agrees(), "{c:?}");
        // what is said is never flattered
        assert!(
            c.overlap[0] > mend.overlap[k] - 0.1,
            "{} of the scan is seen, {} was said",
            c.overlap[0],
            mend.overlap[k]
        );
    }
    assert!(mend.overlap.iter().all(|o| *o > 0.15) && mend.weakest95 > 0.0 && mend.weakest95 < 0.02, "{mend:?}");
}
