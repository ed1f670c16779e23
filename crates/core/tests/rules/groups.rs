//! Groups of scans: held ones keep their shape and say honestly what it is worth, those set apart are left out.

use crate::survey;

use survey::{Recipe, Survey, flat, hall, stays, survey};
use vistazo_core::geometry::Vec3;
use vistazo_core::registration::{Finding, HeldGroup, Input, Registered, WhyUnplaced, register};

/// Scans of the first day, of the five.
const FIRST_DAY: usize = 3;

fn measured(seed: u64, off: &dyn Fn(usize, usize) -> Vec3) -> Survey {
    let (stations, targets) = hall();
    let (stations, targets) = (&stations, &targets);
    // each misses some: with all seen by all, and all as sure, more scans would change nothing among the first
    let sees = |s: usize, t: usize| !(s + t).is_multiple_of(3);
    survey(&Recipe { stations, targets, sees: &sees, noise: 1.0, level: 1.0, up: &flat, off, seed })
}

fn registered(input: &Input) -> Registered {
    register(input).block.unwrap()
}

/// The first day as it was registered alone.
fn held(s: &Survey) -> HeldGroup {
    let day = registered(&Input { scans: s.scans[..FIRST_DAY].to_vec(), ..Input::default() });
    let others = (1..FIRST_DAY).map(|k| {
        let (pose, worth) = day.solution.relative(0, k);
        (k, pose, worth)
    });
    HeldGroup { first: 0, others: others.collect() }
}

#[test]
fn a_held_group_keeps_its_shape_and_what_it_was_worth() {
    const SEEDS: u64 = 120;
    let mut square = [0.0; 2];
    for seed in 0..SEEDS {
        let s = measured(seed, &stays);
        let group = held(&s);
        let with = |held: Vec<HeldGroup>| registered(&Input { scans: s.scans.clone(), held, ..Input::default() });
        let (kept, free) = (with(vec![group.clone()]), with(Vec::new()));
        let mut bent = 0.0_f64;
        for (k, pose, worth) in &group.others {
            let off = pose.difference(&kept.solution.relative(0, *k).0);
            assert!(off.fixed_rows::<3>(0).norm() < 5e-5 && off.fixed_rows::<3>(3).norm() < 5e-6, "{off}");
            bent = bent.max(pose.difference(&free.solution.relative(0, *k).0).fixed_rows::<3>(0).norm());
            // what the shape was uncertain by is not forgotten
            let stated = kept.solution.relative(0, *k).1;
            assert!(stated.trace() > 0.98 * worth.trace(), "{} of {}", stated.trace(), worth.trace());
        }
        assert!(bent > 1e-4, "the second day says something about the first: {bent}");
        // within the group, and from it to a scan of the second day
        for (to, sum) in [1, 3].into_iter().zip(&mut square) {
            let (pose, covariance) = kept.solution.relative(0, to);
            let off = s.poses[0].inverse().compose(&s.poses[to]).difference(&pose);
            *sum += (off.transpose() * covariance.try_inverse().unwrap() * off)[0] / 6.0;
        }
    }
    let means = square.map(|s| s / SEEDS as f64);
    println!("mean square of the errors in units of the stated: {means:?}");
    // to the outside the same sightings count in the shape and beside it, which nothing here knows
    assert!((0.8..1.15).contains(&means[0]) && (0.8..1.4).contains(&means[1]), "{means:?}");
}

#[test]
fn a_shape_that_does_not_agree_is_told_of() {
    let mut s = measured(5, &stays);
    let mut group = held(&s);
    group.others[0].1.translation += Vec3::new(0.0, 0.012, 0.0);
    let r = register(&Input { scans: s.scans.clone(), held: vec![group.clone()], ..Input::default() });
    assert!(r.findings.iter().any(|f| !matches!(f, Finding::Unplaced { .. })), "{:?}", r.findings);
    // set apart, what it shows says nothing of the others, and it is named with the reason
    s.scans[4].apart = true;
    group.others[0].1.translation -= Vec3::new(0.0, 0.012, 0.0);
    let r = register(&Input { scans: s.scans.clone(), held: vec![group], ..Input::default() });
    assert!(matches!(r.findings[..], [Finding::Unplaced { scan: 4, why: WhyUnplaced::Apart }]), "{:?}", r.findings);
    assert_eq!(r.block.unwrap().solution.poses.len(), 4);
}
