//! Ties by clouds without any start, over five kinds of site: what is called sound must be right, and what repeats
//! must be noticed.

use crate::sites;

use nalgebra::{UnitQuaternion, Vector6};
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use sites::{Plan, corridor, hall, like_rooms, ring, rooms, scene, shown, yard};
use vistazo_core::cloud::{Order, working};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::registration::{CloudTieInput, Input, ScanInput, register};
use vistazo_core::stats::chi2_quantile;
use vistazo_core::tie::{Expected, Grade, Shown, Sight, place_in_block, tie_by_clouds};
use vistazo_sim::{Scanner, set_up_near};

/// Every scan in turn is taken out of its block, of rooms that are alike every other one at once: what is found must be
/// right, where bays repeat nothing may be found, and rooms seen through a door find their place.
#[test]
fn a_scan_finds_its_place_in_a_block_or_none() {
    let instrument = Instrument { step: 0.005, ..Instrument::mid_range() };
    type Make = fn(&mut ChaCha8Rng) -> Plan;
    let kinds: [(&str, Make, usize); 4] =
        [("like rooms", like_rooms, 5), ("rooms", rooms, 6), ("ring", ring, 0), ("yard", yard, 2)];
    for (name, make, least) in kinds {
        let mut rng = ChaCha8Rng::seed_from_u64(4);
        let plan = make(&mut rng);
        let scene = scene(&plan);
        let scanner = Scanner::drawn(&instrument, 9);
        let poses: Vec<Pose> = plan.3.iter().enumerate().map(|(k, p)| set_up_near(*p, &instrument, k as u64)).collect();
        let scans: Vec<Shown> =
            poses.par_iter().enumerate().map(|(k, p)| shown(&scene, &scanner, p, 40 + k as u64)).collect();
        let at = |k: usize| poses[k].compose(&scanner.frame());
        let (mut found, mut asked) = (0, 0);
        for loose in 0..scans.len() {
            // the corridor holds the block of rooms together, and every other room
            let alike = name == "like rooms";
            if alike && (loose < 5 || loose.is_multiple_of(2)) {
                continue;
            }
            let stays = |k: usize| if alike { k < 5 || k.is_multiple_of(2) } else { k != loose };
            let block: Vec<(&Shown, Pose)> =
                (0..scans.len()).filter(|&k| stays(k)).map(|k| (&scans[k], at(k))).collect();
            asked += 1;
            let Some(place) = place_in_block(&block, &scans[loose]) else { continue };
            let off = at(loose).difference(&place.pose);
            assert!(
                off.fixed_rows::<3>(0).norm() < 0.06 && off.fixed_rows::<3>(3).norm() < 0.006,
                "{name} {loose}: {:.3} m off, sharing {:.3}",
                off.fixed_rows::<3>(0).norm(),
                place.shared
            );
            found += 1;
        }
        println!("{name}: {found} of {asked} found their place among the others, none a wrong one");
        assert!(found >= least, "{name}: {found}");
        assert!(name != "ring" || found == 0, "what decides between like bays?");
    }
}

/// Scanners without a compensator lean as the ground does: walls and floors say what is upright, and a block that
/// begins with such a scan stands upright by one that was levelled.
#[test]
fn scans_that_lean_find_their_place() {
    let instrument = Instrument { step: 0.005, ..Instrument::mid_range() };
    let mut rng = ChaCha8Rng::seed_from_u64(12);
    let plan = rooms(&mut rng);
    let (scene, scanner) = (scene(&plan), Scanner::perfect(&instrument));
    // of the corridor and the first rooms, all but the third lean
    let poses: Vec<Pose> = (0..5)
        .map(|k| {
            let upright = set_up_near(plan.3[k], &instrument, k as u64);
            let (about, lean) = (rng.random_range(0.0..std::f64::consts::TAU), rng.random_range(0.05..0.4));
            let tilt = Vec3::new(about.cos(), about.sin(), 0.0) * if k == 2 { 0.0 } else { lean };
            Pose { rotation: UnitQuaternion::from_scaled_axis(tilt) * upright.rotation, ..upright }
        })
        .collect();
    let scans: Vec<Shown> = poses
        .par_iter()
        .enumerate()
        .map(|(k, p)| {
            let scan = vistazo_sim::scan(&scene, &scanner, p, 0, 3 + k as u64, &|_| true).unwrap().into_scan().unwrap();
            let (cloud, sight) = (working(&scan, &Order::of(&scan)).0, Sight::of(&scan));
            if k == 2 { Shown::new(cloud, sight) } else { Shown::leaning(cloud, sight) }
        })
        .collect();
    for (pose, shown) in poses.iter().zip(&scans) {
        let off = (pose.rotation * shown.up.inverse() * Vec3::z()).angle(&Vec3::z());
        assert!(off < 0.003, "{off} rad off upright");
    }
    let (mut right, mut shared, mut ties) = (0, 0, Vec::new());
    for (i, j) in (0..5).flat_map(|i| (i + 1..5).map(move |j| (i, j))) {
        let truth = poses[i].inverse().compose(&poses[j]);
        let real = vistazo_core::tie::Compared::of(&scans[i], &scans[j], &truth, 0.08, 100_000);
        let tie = tie_by_clouds(&scans[i], &scans[j], &Expected::default());
        let Some(tie) = tie.filter(|t| t.grade.grade == Grade::Sound) else {
            shared += usize::from(real.overlap[0].max(real.overlap[1]) >= 0.35);
            continue;
        };
        let e = truth.difference(&tie.fit.relative);
        assert!(e.fixed_rows::<3>(0).norm() < 0.002, "{i}-{j}: {e:?}");
        shared += 1;
        right += 1;
        ties.push(CloudTieInput {
            id: ties.len(),
            scans: (i, j),
            relative: tie.fit.relative,
            covariance: tie.fit.covariance,
            shared: tie.fit.shared,
            grade: Grade::Sound,
        });
    }
    println!("{right} of {shared} pairs of leaning scans that share 35 % or more were found");
    assert!(right >= 3 && right + 1 >= shared);
    let levelled = |k| if k == 2 { instrument.compensator_sigma } else { None };
    let scan = |k| ScanInput { name: format!("S{k}"), compensator: levelled(k), ..ScanInput::default() };
    let input = Input { scans: (0..5).map(scan).collect(), cloud_ties: ties, ..Input::default() };
    let r = register(&input);
    let block = r.block.unwrap();
    for (k, pose) in r.placed.scans.iter().zip(&block.solution.poses) {
        let (up, truth) = (pose.rotation.inverse() * Vec3::z(), poses[*k].rotation.inverse() * Vec3::z());
        assert!(up.angle(&truth) < 2e-4, "S{k} leans {} rad from the truth", up.angle(&truth));
    }
}

#[test]
fn sound_ties_are_right_and_repetition_is_noticed() {
    let instrument = Instrument { step: 0.005, ..Instrument::mid_range() };
    type Make = fn(&mut ChaCha8Rng) -> Plan;
    let kinds: [(&str, Make); 5] =
        [("rooms", rooms), ("hall", hall), ("ring", ring), ("yard", yard), ("corridor", corridor)];
    let seeds: u64 = std::env::var("VISTAZO_TIE_SEEDS").ok().and_then(|v| v.parse().ok()).unwrap_or(1);
    let verbose = std::env::var("VISTAZO_TIE_SAY").is_ok();
    for (name, make) in kinds {
        let (mut pairs, mut shared, mut found, mut sound, mut wrong, mut failed) = (0, 0, 0, 0, 0, 0);
        let (mut scaled, mut n) = (Vec::new(), 0);
        let begun = std::time::Instant::now();
        let mut spent = 0.0;
        for seed in 0..seeds {
            let mut rng = ChaCha8Rng::seed_from_u64(77 + seed);
            let plan = make(&mut rng);
            let scene = scene(&plan);
            let scanner = Scanner::drawn(&instrument, seed);
            let poses: Vec<Pose> =
                plan.3.iter().enumerate().map(|(k, p)| set_up_near(*p, &instrument, 31 * seed + k as u64)).collect();
            let scans: Vec<Shown> =
                poses.par_iter().enumerate().map(|(k, p)| shown(&scene, &scanner, p, 100 * seed + k as u64)).collect();
            for (i, j) in (0..poses.len()).flat_map(|i| (i + 1..poses.len()).map(move |j| (i, j))) {
                let cloud = |k: usize| poses[k].compose(&scanner.frame());
                let truth = cloud(i).inverse().compose(&cloud(j));
                let real = vistazo_core::tie::Compared::of(&scans[i], &scans[j], &truth, 0.08, 100_000);
                let overlap = real.overlap[0].max(real.overlap[1]);
                pairs += 1;
                let clock = std::time::Instant::now();
                let tie = tie_by_clouds(
                    &scans[i],
                    &scans[j],
                    &Expected { profile: instrument.systematic, ..Expected::default() },
                );
                spent += clock.elapsed().as_secs_f64();
                let Some(tie) = tie else { continue };
                let e: Vector6<f64> = truth.difference(&tie.fit.relative);
                // what is stated as not held may be anywhere within what is stated
                let (shift, weakest) = (e.fixed_rows::<3>(0).into_owned(), tie.grade.weakest);
                let along = shift.dot(&weakest);
                let loose = tie.grade.weakest95 > 0.2 && along.abs() < tie.grade.weakest95;
                let shift = if loose { shift - weakest * along } else { shift };
                let right = shift.norm() < 0.05 && e.fixed_rows::<3>(3).norm() < 0.005;
                let covariance = tie.fit.covariance + tie.fit.shared.covariance(&instrument.systematic);
                let q = (e.transpose() * covariance.try_inverse().unwrap() * e)[0];
                if verbose {
                    println!(
                        "{name} {seed} {i}-{j} {:.2} s: {} {:?} off {:.4} m {:.5} rad; true overlap {:.2?} conflict {:.4?}; found {:.2?} {:.4?} rival {:.2?} weak {:.4} q {q:.1} {:?}",
                        clock.elapsed().as_secs_f64(),
                        if right { "right" } else { "WRONG" },
                        tie.grade.grade,
                        e.fixed_rows::<3>(0).norm(),
                        e.fixed_rows::<3>(3).norm(),
                        real.overlap,
                        real.conflict,
                        tie.compared.overlap,
                        tie.compared.conflict,
                        tie.rival.map(|r| r.share),
                        tie.grade.weakest95,
                        tie.grade.reasons[0],
                    );
                }
                if overlap >= 0.35 {
                    shared += 1;
                    found += usize::from(right);
                    sound += usize::from(right && tie.grade.grade == Grade::Sound);
                }
                wrong += usize::from(!right && tie.grade.grade == Grade::Sound);
                failed += usize::from(!right && tie.grade.grade != Grade::Sound);
                if right && tie.grade.grade == Grade::Sound {
                    scaled.push(q);
                    n += usize::from(q < chi2_quantile(0.95, 6));
                }
            }
        }
        let ratio = (scaled.iter().sum::<f64>() / (6.0 * scaled.len().max(1) as f64)).sqrt();
        println!(
            "{name}: {pairs} pairs, {shared} share 35 % or more: {found} right, {sound} of them sound; wrong and called sound {wrong}, wrong and noticed {failed}; errors {ratio:.2} of the stated, {n} of {} inside 95 %; {:.2} s a pair, {:.1} s in all",
            scaled.len(),
            spent / f64::from(pairs),
            begun.elapsed().as_secs_f64()
        );
        assert_eq!(wrong, 0, "{name}: a wrong tie is called sound");
        if name == "ring" {
            assert_eq!(sound, 0, "a ring of identical bays decides nothing by itself");
            continue;
        }
        assert!(10 * found >= 8 * shared && 10 * sound >= 6 * shared, "{name}");
        assert!((0.6..1.4).contains(&ratio) || scaled.len() < 8, "{name}: {ratio}");
    }
}
