//! Ties by clouds without any start, over five kinds of site: what is called sound must be right, and what repeats
//! must be noticed.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

mod sites;

use nalgebra::Vector6;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use rayon::prelude::*;
use sites::{Plan, corridor, hall, like_rooms, ring, rooms, scene, shown, yard};
use vistazo_core::geometry::Pose;
use vistazo_core::instrument::Instrument;
use vistazo_core::stats::chi2_quantile;
use vistazo_core::tie::{Expected, Grade, Shown, place_in_block, tie_by_clouds};
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
                let right = e.fixed_rows::<3>(0).norm() < 0.05 && e.fixed_rows::<3>(3).norm() < 0.005;
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
