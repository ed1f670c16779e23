//! Where targets that two levelled scans show lie on one another.

use super::search::same;
use crate::geometry::{Pose, Vec3};
use crate::targets::TargetKind;

/// A target that a scan shows: what it is, and its centre in the scanner frame, metres.
pub type Mark = (TargetKind, Vec3);

/// Targets this near to one another are taken for one, metres.
const MEET: f64 = 0.05;
/// Two targets nearer to one another than this say little of a heading, metres.
const APART: f64 = 1.0;
/// Most poses that are told.
const MOST: usize = 8;

/// How many targets of the second lie on one of the first, of the same kind.
pub(super) fn meeting([first, second]: &[Vec<Mark>; 2], pose: &Pose) -> usize {
    let meets = |m: &&Mark| {
        let at = pose.apply(&m.1);
        first.iter().any(|f| f.0 == m.0 && (f.1 - at).norm() < MEET)
    };
    second.iter().filter(meets).count()
}

/// Level poses of the second in the frame of the first in which two targets or more meet, most of them first. One target
/// leaves the heading open, and two do not meet by chance unless they are set up alike in many places.
pub(super) fn poses(targets: &[Vec<Mark>; 2]) -> Vec<Pose> {
    let [first, second] = targets;
    let pairs = |list: &[Mark]| -> Vec<(Mark, Mark)> {
        let all = list
            .iter()
            .enumerate()
            .flat_map(|(i, a)| list.iter().enumerate().filter(move |(j, _)| *j != i).map(move |(_, b)| (*a, *b)));
        all.filter(|(a, b)| (b.1 - a.1).xy().norm() > APART).collect()
    };
    let theirs = pairs(second);
    let mut found: Vec<(usize, Pose)> = Vec::new();
    for (a, b) in pairs(first) {
        let mine = b.1 - a.1;
        for (c, d) in &theirs {
            let other = d.1 - c.1;
            let alike = (mine.xy().norm() - other.xy().norm()).abs() < MEET && (mine.z - other.z).abs() < MEET;
            if !alike || a.0 != c.0 || b.0 != d.0 {
                continue;
            }
            let heading = mine.y.atan2(mine.x) - other.y.atan2(other.x);
            let turned = Pose::levelled(heading, Vec3::zeros());
            let middle = (a.1 + b.1) / 2.0 - turned.apply(&((c.1 + d.1) / 2.0));
            let pose = Pose { translation: middle, ..turned };
            if found.iter().all(|f| !same(&f.1, &pose)) {
                found.push((meeting(targets, &pose), pose));
            }
        }
    }
    found.sort_by_key(|f| std::cmp::Reverse(f.0));
    found.into_iter().take(MOST).map(|f| f.1).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn two_targets_that_both_scans_show_say_where_the_second_stands() {
        let truth = Pose::levelled(2.1, Vec3::new(7.0, -3.0, 0.4));
        let shown = [(3.0, 1.0, 0.2), (9.0, -4.0, 0.5)].map(|p| Vec3::new(p.0, p.1, p.2));
        let seen = |p: &Vec3| (TargetKind::Sphere, *p);
        let mut second: Vec<Mark> = shown.iter().map(|p| seen(&truth.inverse().apply(p))).collect();
        // a board that only the second shows, where a sphere of the first would be
        second.push((TargetKind::Checker, Vec3::new(1.0, 1.0, 0.0)));
        let targets = [shown.iter().map(seen).collect(), second];
        let found = poses(&targets);
        assert!(same(&found[0], &truth) && meeting(&targets, &found[0]) == 2);
        let off = Pose { translation: truth.translation + Vec3::new(0.2, 0.0, 0.0), ..truth };
        assert_eq!(meeting(&targets, &off), 0);
        assert!(
            poses(&[targets[0][..1].to_vec(), targets[1].clone()]).is_empty(),
            "one target leaves the heading open"
        );
    }
}
