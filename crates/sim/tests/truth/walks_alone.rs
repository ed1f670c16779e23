//! Passes that no scan and no mark holds: one finds its place by what another saw, and by what it saw through, or it has none.

use crate::sites::{Plan, chest, like_rooms, scene, wall};
use crate::walks::{Taken, registered, way};
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::mobile::PassOut;
use vistazo_sim::Walker;

/// Where the frame of the truth lies, by a place in the middle of the path.
fn frame(taken: &Taken, pass: &PassOut) -> Pose {
    let c = &pass.correction;
    let k = c.times.len() / 2;
    let n = taken.walk.path.partition_point(|s| s.0 < c.times[k]);
    let (believed, truly) = (taken.walk.path[n].1, taken.walk.truth[n]);
    let turned = Pose { translation: c.apply(c.times[k], &believed.translation), ..c.poses[k] };
    // the axes of the path lie as those of the piece do
    let at = Pose { rotation: c.poses[k].rotation * believed.rotation, ..turned };
    at.compose(&truly.inverse())
}

/// How far apart the two say that the site lies, metres over ten metres; nothing where the second has no place.
fn apart(one: &Taken, two: &Taken) -> Option<f64> {
    let out = registered(&[], &[one, two]);
    let first = frame(one, out.passes[0].as_ref().unwrap());
    let second = frame(two, out.passes[1].as_ref().ok()?);
    let corners = [(0.0, 0.0), (10.0, 0.0), (0.0, 10.0)].map(|(x, y)| Vec3::new(x, y, 1.0));
    Some(corners.map(|p| (first.apply(&p) - second.apply(&p)).norm()).into_iter().fold(0.0, f64::max))
}

/// A hall of four walls, and what stands in it.
fn hall(things: &[(f64, f64)]) -> Plan {
    let walls = vec![wall(&[(0.0, 0.0), (14.0, 0.0), (14.0, 9.0), (0.0, 9.0), (0.0, 0.0)], 3.2, &[])];
    (walls, things.iter().map(|(x, y)| chest(*x, *y, 1.1, 0.7, 1.5)).collect(), vec![], vec![])
}

fn round(from: usize) -> Vec<Vec3> {
    let round = [(2.0, 2.0), (12.0, 2.1), (12.1, 7.0), (7.0, 6.8), (2.1, 7.1)];
    (0..7).map(|k| round[(from + k) % 5]).map(|(x, y)| Vec3::new(x, y, 1.45)).collect()
}

#[test]
fn a_pass_finds_its_place_by_another_pass_or_none() {
    let unit = Walker::hand_held();
    // the same after half a turn: nothing can say which it is
    let bare = scene(&hall(&[(4.5, 4.15), (8.4, 4.15)]));
    let (one, two) = (Taken::of(&bare, &unit, &round(0), 0, 1), Taken::of(&bare, &unit, &round(2), 0, 2));
    assert_eq!(apart(&one, &two), None, "a guess between two places that are alike");
    // and where something stands on one side only
    let decided = scene(&hall(&[(4.5, 4.15), (8.4, 4.15), (4.6, 0.3), (9.9, 8.0), (5.2, 7.9)]));
    let (one, two) = (Taken::of(&decided, &unit, &round(0), 0, 3), Taken::of(&decided, &unit, &round(2), 0, 4));
    let off = apart(&one, &two).expect("a place that what stands about decides");
    assert!(off < 0.06, "{off:.3} m");
    // rooms of one size along a corridor, walked from the other end
    let (mut found, seeds) = (0, 2);
    for seed in 1..=seeds {
        let plan = like_rooms(&mut ChaCha8Rng::seed_from_u64(seed));
        let (site, there) = (scene(&plan), way(&plan));
        let back: Vec<Vec3> = there.iter().rev().copied().collect();
        let (one, two) = (Taken::of(&site, &unit, &there, 0, seed), Taken::of(&site, &unit, &back, 0, seed + 50));
        let off = apart(&one, &two);
        println!("seed {seed}: {off:.3?} m");
        assert!(off.is_none_or(|o| o < 0.1), "a wrong place: {off:?}");
        found += usize::from(off.is_some());
    }
    assert!(found > 0, "none of {seeds} found");
}
