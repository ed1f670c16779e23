//! Receiver occupations against epochs made by another model: what a receiver does over time, wrong fixes among them.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;
use vistazo_core::field::{Epoch, OccupationError, occupied, repeated};
use vistazo_core::geometry::Vec3;

/// Epochs of a second each: white noise, drift that lasts a minute, and what the whole session has alike.
fn epochs(truth: &Vec3, pole: f64, n: usize, wrong: usize, rng: &mut ChaCha8Rng) -> Vec<Epoch> {
    let mut noise = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
    let session = Vec3::new(noise(0.005), noise(0.005), noise(0.008));
    let mut drift = Vec3::zeros();
    let keep = (-1.0_f64 / 30.0).exp();
    let slow = [0.004, 0.004, 0.008];
    (0..n)
        .map(|k| {
            for a in 0..3 {
                drift[a] = keep * drift[a] + noise(slow[a] * (1.0 - keep * keep).sqrt());
            }
            let white = Vec3::new(noise(0.004), noise(0.004), noise(0.007));
            let off = if k < wrong { Vec3::new(0.19, -0.11, 0.24) } else { Vec3::zeros() };
            Epoch {
                time: k as f64,
                position: truth + Vec3::new(0.0, 0.0, pole) + session + drift + white + off,
                sigma: Vec3::new(0.006, 0.006, 0.011),
                fixed: k % 17 != 5,
            }
        })
        .collect()
}

#[test]
fn marks_hold_their_stated_error_and_wrong_fixes_are_left_out() {
    let mut rng = ChaCha8Rng::seed_from_u64(12);
    let truth = Vec3::new(4_512.3, 880.1, 61.7);
    let mut independent = 0.0;
    let (mut within, mut all, mut agree) = (0_u32, 0_u32, 0);
    for _ in 0..300 {
        let first = occupied(&epochs(&truth, 2.0, 180, 30, &mut rng), 2.0).unwrap();
        let second = occupied(&epochs(&truth, 1.8, 180, 0, &mut rng), 1.8).unwrap();
        assert!(first.used <= 142 && first.of == 180, "{first:?}");
        independent += first.independent / 300.0;
        for o in [&first, &second] {
            for a in 0..3 {
                all += 1;
                within += u32::from((o.position[a] - truth[a]).abs() < 1.96 * o.sigma[a]);
            }
        }
        agree += usize::from(repeated(&first, &second, 3600.0).agrees);
    }
    let share = f64::from(within) / f64::from(all);
    println!("{:.1} % of coordinates within their 95 %, {agree} of 300 repeats agree", 100.0 * share);
    assert!((0.93..=0.995).contains(&share), "{share}");
    // drift of half a minute: three minutes hold some ten of them beside white noise
    assert!(independent < 30.0, "correlated epochs do not count in full: {independent}");
    assert!(agree >= 290, "{agree}");
}

#[test]
fn two_solutions_give_no_point_and_a_repeat_tells_a_wrong_session() {
    let mut rng = ChaCha8Rng::seed_from_u64(13);
    let truth = Vec3::new(10.0, 20.0, 3.0);
    assert_eq!(occupied(&epochs(&truth, 2.0, 100, 50, &mut rng), 2.0), Err(OccupationError::TwoSolutions));
    assert_eq!(occupied(&epochs(&truth, 2.0, 4, 0, &mut rng), 2.0), Err(OccupationError::TooFew { found: 4 }));
    // all of a session on a wrong fix looks fine by itself: only coming back shows it
    let wrong = occupied(&epochs(&truth, 2.0, 120, 120, &mut rng), 2.0).unwrap();
    let right = occupied(&epochs(&truth, 2.0, 120, 0, &mut rng), 2.0).unwrap();
    let r = repeated(&wrong, &right, 3600.0);
    assert!(!r.agrees && (r.difference.norm() - 0.33).abs() < 0.05, "{r:?}");
}
