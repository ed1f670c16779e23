use super::Piece;
use crate::cloud::WorkingCloud;
use crate::geometry::{Pose, Vec3};
use crate::scan::Scan;
use crate::tie::{Shown, Sight, place_bent_in_block};

/// Pieces that are looked at together with how far they may be bent, metres, and at most so many stretches of each length.
const WIDTHS: [(usize, f64); 3] = [(24, 0.2), (12, 0.1), (6, 0.04)];
const MOST: usize = 6;

/// Surfaces of some pieces in the frame of the middle one, as they lie on the path.
pub(super) fn together(pieces: &[Piece]) -> WorkingCloud {
    let middle = pieces[pieces.len() / 2].place;
    let mut out = WorkingCloud::default();
    for p in pieces {
        let shift = (p.place - middle).map(|v| v as f32);
        out.points.extend(p.cloud.points.iter().map(|q| [q[0] + shift.x, q[1] + shift.y, q[2] + shift.z]));
        out.normals.extend(&p.cloud.normals);
        out.counts.extend(&p.cloud.counts);
    }
    out
}

/// What some pieces show, for whoever looks for their place. How far they saw is not kept: it was from many places.
pub(super) fn shown(pieces: &[Piece]) -> Shown {
    Shown::new(together(pieces), Sight::of(&Scan::default()))
}

/// Where a pass begins to be known: the piece in the middle of a stretch that a block of scans holds in one place only, and its
/// pose in the frame of the block. The whole pass is the least likely to lie elsewhere as well, and bent the most: long stretches
/// are looked at first, then shorter ones. Where no stretch lies in one place only, the places of the first that lies in several;
/// none where no stretch finds any.
pub(super) fn place(block: &[(&Shown, Pose)], pieces: &[Piece]) -> Vec<(usize, Pose)> {
    let mut alike = Vec::new();
    let mut widths: Vec<(usize, f64)> = WIDTHS.iter().map(|w| (w.0.min(pieces.len()), w.1)).collect();
    widths.dedup_by_key(|w| w.0);
    for (wide, by) in widths {
        let last = pieces.len() - wide;
        let lots = last.div_ceil((wide / 2).max(1)).min(MOST - 1);
        for k in 0..=lots {
            let from = last * k / lots.max(1);
            let some = &pieces[from..from + wide];
            if some.iter().all(|p| p.cloud.points.is_empty()) {
                continue;
            }
            let of = |pose: Pose| (from + wide / 2, pose);
            match place_bent_in_block(block, &shown(some), by) {
                Ok(found) => return vec![of(found.pose)],
                Err(places) if alike.is_empty() && places.len() > 1 => alike = places.into_iter().map(of).collect(),
                Err(_) => {}
            }
        }
    }
    alike
}

/// A pass that nothing else is there to be tied to keeps its own frame.
pub(super) fn own_frame(pieces: &[Piece]) -> Option<(usize, Pose)> {
    let first = pieces.iter().position(|p| !p.cloud.points.is_empty())?;
    Some((first, Pose { translation: pieces[first].place, ..Pose::identity() }))
}

/// The pose of a piece by that of another and by how the unit says it went.
pub(super) fn by_odometry(of: &Piece, from: &Piece, pose: &Pose) -> Pose {
    let step: Vec3 = of.place - from.place;
    Pose { translation: pose.apply(&step), ..*pose }
}
