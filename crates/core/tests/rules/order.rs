//! Points of a list in the order of a walk: what was swapped, passed over or walked the other way is told by distances, along
//! a walk that drifts as nobody said.

use nalgebra::{Rotation3, Vector3};
use proptest::prelude::*;
use vistazo_core::geometry::{Mat3, Vec3};
use vistazo_core::mobile::{KnownPoint, Marked, Ordered, Sample, Trajectory, in_order, units};

/// A walk past all points in turn at a metre a second: as a unit believes it, turned, shifted and losing its direction.
fn walk(points: &[Vec3], lost: f64) -> (Trajectory, Vec<Marked>) {
    let (mut samples, mut marked, mut t, mut at) = (Vec::new(), Vec::new(), 0.0, Vec3::zeros());
    let mut bent = Vec3::new(40.0, -7.0, 2.0);
    let turned = |t: f64, v: Vec3| Rotation3::from_axis_angle(&Vector3::z_axis(), 0.8 + lost * t) * v;
    for (k, p) in points.iter().enumerate() {
        let way = if k == 0 { Vec3::zeros() } else { p - at };
        let steps = (way.norm() * 5.0).ceil().max(5.0) as usize;
        for s in 0..steps {
            samples.push(Sample { time: t, place: bent, turn: None });
            t += 0.2;
            bent += turned(t, way / steps as f64) * (1.0 + 2.0 * lost);
            let _ = s;
        }
        (at, _) = (*p, ());
        marked.push((t, bent));
    }
    for _ in 0..5 {
        t += 0.2;
        samples.push(Sample { time: t, place: bent, turn: None });
    }
    let path = Trajectory::new(samples).unwrap();
    let mark = |(time, at): (f64, Vec3)| Marked { time, at: at - path.origin(), variance: 0.005_f64.powi(2) };
    let marks = marked.into_iter().map(mark).collect();
    (path, marks)
}

fn known(points: &[Vec3]) -> Vec<KnownPoint> {
    points.iter().map(|p| KnownPoint { at: *p, covariance: Mat3::identity() * 4e-6 }).collect()
}

/// Points that lie unevenly, as control does.
fn list() -> Vec<Vec3> {
    [[0.0, 0.0], [14.0, 3.0], [31.0, -2.0], [37.0, 16.0], [22.0, 27.0], [3.0, 21.0], [-9.0, 33.0]]
        .iter()
        .enumerate()
        .map(|(k, p)| Vec3::new(500.0 + p[0], 900.0 + p[1], 10.0 + 0.2 * k as f64))
        .collect()
}

fn asked(walked: &[usize], said: &[Option<usize>], lost: f64) -> Ordered {
    let list = list();
    let (path, marks) = walk(&walked.iter().map(|k| list[*k]).collect::<Vec<_>>(), lost);
    in_order(&path, &units()[0], &marks, &known(&list), said)
}

fn all(of: &[usize]) -> Vec<Option<usize>> {
    of.iter().copied().map(Some).collect()
}

#[test]
fn the_order_of_the_list_is_confirmed() {
    let o = asked(&[0, 1, 2, 3, 4, 5, 6], &all(&[0, 1, 2, 3, 4, 5, 6]), 1e-4);
    assert!(o.wrong.is_empty() && o.found.is_none(), "{o:?}");
    assert!(o.off[1] < 0.3, "{o:?}");
}

#[test]
fn two_that_were_swapped_are_named_and_put_right() {
    let o = asked(&[0, 1, 3, 2, 4, 5, 6], &all(&[0, 1, 2, 3, 4, 5, 6]), 1e-4);
    assert_eq!(o.wrong, [2, 3]);
    assert_eq!(o.found, Some(all(&[0, 1, 3, 2, 4, 5, 6])));
    assert!(!o.alike && o.off[1] > 5.0, "{o:?}");
}

#[test]
fn one_passed_over_moves_all_after_it() {
    let o = asked(&[0, 1, 3, 4, 5, 6], &all(&[0, 1, 2, 3, 4, 5]), 1e-4);
    assert!(!o.wrong.is_empty(), "{o:?}");
    assert_eq!(o.found, Some(all(&[0, 1, 3, 4, 5, 6])));
}

#[test]
fn a_list_walked_from_its_end_is_seen_to_be_so() {
    let o = asked(&[6, 5, 4, 3, 2], &all(&[0, 1, 2, 3, 4]), 1e-4);
    assert_eq!(o.found, Some(all(&[6, 5, 4, 3, 2])));
}

#[test]
fn a_mark_beside_all_points_is_left_without_a_name() {
    let list = list();
    let mut walked = list.clone();
    walked[3] += Vec3::new(3.0, 4.0, 0.0);
    let (path, marks) = walk(&walked, 1e-4);
    let o = in_order(&path, &units()[0], &marks, &known(&list), &all(&[0, 1, 2, 3, 4, 5, 6]));
    assert_eq!(o.wrong, [3]);
    assert_eq!(o.found, None, "no other order has more that agree: {o:?}");
}

#[test]
fn what_is_alike_both_ways_round_is_not_decided() {
    // a square, walked round from another corner than the list says, one of them measured wrong
    let square = [[0.0, 0.0], [10.0, 0.0], [10.0, 10.0], [0.0, 10.0]].map(|p| Vec3::new(p[0], p[1], 0.0));
    let (path, marks) = walk(&square, 1e-4);
    let said = [Some(0), Some(2), Some(1), Some(3)];
    let o = in_order(&path, &units()[0], &marks, &known(&square), &said);
    assert!(!o.wrong.is_empty() && (o.alike || o.found == Some(all(&[0, 1, 2, 3]))), "{o:?}");
}

proptest! {
    #![proptest_config(ProptestConfig::with_cases(60))]

    /// Any order of any drift that a unit has is found, whatever was said.
    #[test]
    fn any_order_is_found(order in Just(vec![0usize, 1, 2, 3, 4, 5, 6]).prop_shuffle(), lost in -2e-4..2e-4) {
        let said = all(&[0, 1, 2, 3, 4, 5, 6]);
        let o = asked(&order, &said, lost);
        if order == [0, 1, 2, 3, 4, 5, 6] {
            prop_assert!(o.wrong.is_empty(), "{o:?}");
        } else {
            prop_assert_eq!(o.found, Some(all(&order)), "off {:?}, wrong {:?}", o.off, o.wrong);
        }
    }
}
