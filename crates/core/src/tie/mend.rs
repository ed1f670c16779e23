use super::cloud_index::key;
use super::shown::{CLOSE, surfaces};
use super::{Seen, Shown};
use crate::geometry::{Pose, Vec3};
use crate::stats::K95_3D;
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;
use std::collections::HashSet;

/// A spot from which one more scan would share much with both scans of a weak tie.
#[derive(Clone, Debug, PartialEq)]
pub struct Mend {
    /// Where the instrument would stand, frame of the first, metres.
    pub at: Vec3,
    /// Share of the places of the first, and of the second, that it would see.
    pub overlap: [f64; 2],
    /// 95 % in the weakest direction of the way over it from the first to the second, metres.
    pub weakest95: f64,
}

/// Distance of the spots that are tried, metres, and the most of them along a side.
const STEP: f64 = 0.75;
const MOST: f64 = 60.0;
/// So much must be free round the instrument, metres.
const ELBOW: f64 = 0.6;
/// Farther away a scan shares little, metres.
const FAR: f64 = 40.0;
/// Places of each scan that it is asked for.
const PLACES: usize = 500;
/// Steps along a line of sight, metres.
const ALONG: f64 = 0.4;
/// Surfaces seen flatter than this say nothing: cosine.
const FLAT: f64 = 0.17;
/// Pieces of surface that stand alone, metres.
const PIECE: f64 = 1.0;

/// Looks for the spot at the height of the first scanner that sees most of what both scans show.
///
/// What is free is what either saw through: a line of sight counts where each step of it is known to be free, so the
/// shares are never flattered by what nobody saw. `rms` is how far the surfaces of the two lie apart, metres; each
/// piece of a metre is held to that along its normal. `None` where no spot sees something of both.
pub fn one_more(first: &Shown, second: &Shown, relative: &Pose, rms: f64) -> Option<Mend> {
    let back = relative.inverse();
    let free = |p: &Vec3| {
        let said = [first.sight.look(p, CLOSE), second.sight.look(&back.apply(p), CLOSE)];
        said.contains(&Seen::Through) && !said.contains(&Seen::Surface)
    };
    let places = |of: &Shown, pose: &Pose| -> Vec<(Vec3, Vec3)> {
        let all = surfaces(&of.cloud);
        let step = (surfaces(&of.cloud).count() / PLACES).max(1);
        all.step_by(step).map(|(p, n)| (pose.apply(&p), pose.rotation * n)).collect()
    };
    let shown = [places(first, &Pose::identity()), places(second, relative)];
    let other = relative.translation;
    let (low, high) =
        (Vec3::zeros().inf(&other).add_scalar(-FAR / 4.0), Vec3::zeros().sup(&other).add_scalar(FAR / 4.0));
    let step = STEP.max((high - low).xy().max() / MOST);
    let along = |from: f64, to: f64| (0..=((to - from) / step) as usize).map(move |k| from + step * k as f64);
    let spots: Vec<Vec3> = along(low.x, high.x)
        .flat_map(|x| along(low.y, high.y).map(move |y| Vec3::new(x, y, 0.0)))
        .filter(|p| {
            let round = [(1.0, 0.0), (-1.0, 0.0), (0.0, 1.0), (0.0, -1.0)];
            free(p) && round.iter().all(|r| free(&(p + Vec3::new(r.0, r.1, 0.0) * ELBOW)))
        })
        .collect();
    let sees = |from: &Vec3, place: &(Vec3, Vec3)| {
        let way = place.0 - from;
        let range = way.norm();
        if !(0.5..FAR).contains(&range) || -way.dot(&place.1) < FLAT * range {
            return false;
        }
        let steps = (range / ALONG).ceil();
        (1..steps as usize).map(|k| from + way * (k as f64 / steps)).all(|p| {
            // the last of it lies at the surface itself
            (place.0 - p).norm() < 2.0 * ALONG || free(&p)
        })
    };
    let seen = |from: &Vec3| shown.each_ref().map(|s| s.iter().map(|p| sees(from, p)).collect::<Vec<bool>>());
    let share = |of: &[bool]| of.iter().filter(|s| **s).count() as f64 / of.len().max(1) as f64;
    let best = spots
        .into_par_iter()
        .map(|spot| {
            let seen = seen(&spot);
            let shares = seen.each_ref().map(|s| share(s));
            (shares[0].min(shares[1]), spot, shares, seen)
        })
        .max_by(|a, b| a.0.total_cmp(&b.0))
        .filter(|b| b.0 > 0.03)?;
    let (_, at, overlap, seen) = best;
    let held = |k: usize| information(shown[k].iter().zip(&seen[k]).filter(|p| *p.1).map(|p| p.0), &at, rms);
    let way = held(0)?.try_inverse()? + held(1)?.try_inverse()?;
    let worst = way.fixed_view::<3, 3>(0, 0).symmetric_eigenvalues().max();
    Some(Mend { at, overlap, weakest95: worst.max(0.0).sqrt() * K95_3D })
}

/// What pieces of surface say about a scanner that stands there, each piece once, by left increments about the scanner.
fn information<'a>(places: impl Iterator<Item = &'a (Vec3, Vec3)>, at: &Vec3, rms: f64) -> Option<Matrix6<f64>> {
    let mut told = HashSet::new();
    let mut out = Matrix6::zeros();
    for (p, n) in places {
        let facing = n.map(|v| (v * 1.5).round() as i32);
        if told.insert((key(p, PIECE), [facing.x, facing.y, facing.z])) {
            let turn = (p - at).cross(n);
            let row = Vector6::new(n.x, n.y, n.z, turn.x, turn.y, turn.z);
            out += row * row.transpose() / rms.max(0.001).powi(2);
        }
    }
    (told.len() >= 6).then_some(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::cloud::WorkingCloud;
    use crate::scan::Scan;
    use crate::tie::Sight;

    /// Two rooms of 6 by 6 metres beside one another with a door of a metre in the wall between, seen from a place.
    fn seen(from: Vec3) -> Shown {
        let mut cloud = WorkingCloud::default();
        let walls: [(f64, f64); 3] = [(0.0, 1.0), (6.0, 0.0), (12.0, -1.0)];
        let in_door = |x: f64, y: f64, z: f64| (x - 6.0).abs() < 0.01 && (2.5..3.5).contains(&y) && z < 2.1;
        // a line of sight that crosses the wall does so in the door
        let open = |p: &Vec3| {
            if (p.x - 6.0) * (from.x - 6.0) >= -1e-9 {
                return true;
            }
            let q = from + (p - from) * ((6.0 - from.x) / (p.x - from.x));
            in_door(6.0, q.y, q.z)
        };
        let mut add = |p: Vec3, n: Vec3| {
            let q = p - from;
            if open(&p) && q.dot(&n) < 0.0 {
                cloud.points.push([q.x as f32, q.y as f32, q.z as f32]);
                cloud.normals.push([(n.x * 127.0) as i8, (n.y * 127.0) as i8, (n.z * 127.0) as i8]);
                cloud.counts.push(8);
            }
        };
        let steps = |to: f64| (0..(to / 0.04) as usize).map(|k| 0.02 + 0.04 * k as f64);
        for x in steps(12.0) {
            for y in steps(6.0) {
                add(Vec3::new(x, y, 0.0), Vec3::z());
                add(Vec3::new(x, y, 3.0), -Vec3::z());
            }
            for z in steps(3.0) {
                add(Vec3::new(x, 0.0, z), Vec3::y());
                add(Vec3::new(x, 6.0, z), -Vec3::y());
            }
        }
        for (y, z) in steps(6.0).flat_map(|y| steps(3.0).map(move |z| (y, z))) {
            for (x, side) in walls {
                let sides: &[f64] = if side == 0.0 { &[1.0, -1.0] } else { &[side] };
                for s in sides.iter().filter(|_| !in_door(x, y, z)) {
                    add(Vec3::new(x, y, z), Vec3::x() * *s);
                }
            }
        }
        let scan = Scan { points: cloud.points.clone(), ..Scan::default() };
        Shown::new(cloud, Sight::of(&scan))
    }

    #[test]
    fn one_more_scan_is_put_into_the_door_between_two_rooms() {
        let (a, b) = (Vec3::new(2.0, 1.0, 1.5), Vec3::new(10.0, 5.0, 1.5));
        let (first, second) = (seen(a), seen(b));
        let relative = Pose::levelled(0.0, b - a);
        let mend = one_more(&first, &second, &relative, 0.002).unwrap();
        let at = mend.at + a;
        assert!((at - Vec3::new(6.0, 3.0, 1.5)).norm() < 1.6, "found {at:?}, expected the door");
        assert!(mend.overlap[0].min(mend.overlap[1]) > 0.35, "{mend:?}");
        assert!(mend.weakest95 < 0.01, "{mend:?}");
    }

    #[test]
    fn where_the_two_share_no_free_space_there_is_no_spot() {
        let at = Vec3::new(3.0, 3.0, 1.5);
        let (first, second) = (seen(at), seen(at));
        assert!(one_more(&first, &second, &Pose::levelled(0.0, Vec3::new(300.0, 0.0, 0.0)), 0.002).is_none());
    }
}
