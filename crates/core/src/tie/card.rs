use super::cloud_index::{CELL, Index, Pair};
use super::shown::{CLOSE, surfaces};
use super::{Compared, Seen, Shown};
use crate::geometry::{Pose, Vec3};
use crate::stats::K95_1D;
use nalgebra::{Matrix2, Vector2};
use std::sync::Arc;

/// A tie to be looked at: thin slices through where both scans show most, and how far their surfaces lie apart.
#[derive(Clone, Debug)]
pub struct TieCard {
    /// A plan and two sections.
    pub slices: Vec<TieSlice>,
    /// Direction of their first axis in the frame of the first, radians.
    pub heading: f64,
    /// Distances between the surfaces of the two, counted: lower end of each millimetre, metres, and how many.
    pub distances: Vec<(f64, usize)>,
    /// What the two say of one another there.
    pub compared: Compared,
    /// Robust root mean square of the distances, metres (1.4826 times the median of their sizes); `None` when
    /// nothing is shared.
    pub rms: Option<f64>,
}

/// How a slice is cut.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Cut {
    /// Level.
    Plan,
    /// Upright, along the main direction of the walls.
    Along,
    /// Upright, across it.
    Across,
}

/// A slice 10 cm thick, in axes along the main direction of the walls of the first scan, metres.
#[derive(Clone, Debug)]
pub struct TieSlice {
    /// How it is cut.
    pub cut: Cut,
    /// Height above the first scanner, or distance from it sideways, metres.
    pub at: f64,
    /// Places of the first.
    pub first: Vec<[f32; 2]>,
    /// Places of the second.
    pub second: Vec<[f32; 2]>,
    /// Those of either where the other saw through.
    pub conflict: Vec<[f32; 2]>,
    /// How far the second lies beside the first in the plane of the slice, metres: the shift that brings their surfaces
    /// together here, as far as these hold one.
    pub offset: Option<f64>,
    /// Its 95 %, metres.
    pub offset95: f64,
}

/// Half the thickness of a slice, metres.
const HALF: f64 = 0.05;
/// A surface says something of a shift in the plane of a slice when so much of its normal lies in it.
const IN_PLANE: f64 = 0.5;
/// A direction is held when the normals hold it at least so well beside the other.
const HELD: f64 = 0.02;
/// Most places of one scan in a slice.
const MOST: usize = 4000;
/// Most places that conflicts are looked for among.
const ASKED: usize = 20_000;
/// Distances counted each way, millimetres.
const REACH: i32 = 25;

impl TieCard {
    /// Of two scans; `relative` is the pose of the second in the frame of the first.
    pub fn of(first: &Shown, second: &Shown, relative: &Pose) -> Self {
        Self::with(first, second, relative, &[Vec::new(), Vec::new()])
    }

    /// The same with scans that hang together with the first and with the second, in the frame of each: they are drawn
    /// with it and say nothing.
    pub fn with(first: &Shown, second: &Shown, relative: &Pose, beside: &[Vec<(Arc<Shown>, Pose)>; 2]) -> Self {
        // everything in axes along the walls of the first
        let heading = first.plan.main_direction();
        let turned = Pose::levelled(-heading, Vec3::zeros()).compose(&Pose { rotation: first.up, ..Pose::identity() });
        let theirs = turned.compose(relative);
        let moving = Index::patches(&second.cloud, 1);
        let pairs = Index::new(&first.cloud, CELL, 1).pairs(&moving, relative, 0.1);
        let shared: Vec<(Vec3, &Pair)> = pairs.iter().map(|p| (turned.apply(&p.at), p)).collect();
        let back = relative.inverse();
        let against = |of: &Shown, by: &Shown, pose: &Pose, to: &Pose| -> Vec<Vec3> {
            let through = |p: &Vec3| by.sight.look(&pose.apply(p), CLOSE) == Seen::Through;
            of.sample(ASKED).map(|s| s.0).filter(through).map(|p| to.apply(&p)).collect()
        };
        let mut conflict = against(second, first, relative, &theirs);
        conflict.extend(against(first, second, &back, &turned));
        let places = |of: &Shown, to: &Pose| -> Vec<Vec3> {
            of.cloud.points.iter().map(|p| to.apply(&Vec3::from(p.map(f64::from)))).collect()
        };
        let (mut mine, mut other) = (places(first, &turned), places(second, &theirs));
        for (of, to, all) in [(&beside[0], &turned, &mut mine), (&beside[1], &theirs, &mut other)] {
            all.extend(of.iter().flat_map(|(s, pose)| places(s, &to.compose(pose))));
        }
        // a plan through upright surfaces, sections through whatever both show; where nothing is shared, through what
        // the first shows, and through its scanner
        let face = turned.rotation;
        let upright = shared.iter().filter(|s| (face * s.1.normal).z.abs() < 0.3);
        // a section within a wall shows its face, which says nothing
        let across = |of: &[(Vec3, &Pair)], n: fn(&Vec3) -> f64, p: fn(&Vec3) -> f64| -> Vec<f64> {
            of.iter().filter(|s| n(&(face * s.1.normal)).abs() < 0.5).map(|s| p(&s.0)).collect()
        };
        let own = || {
            let upright = surfaces(&first.cloud).filter(|s| (face * s.1).z.abs() < 0.3);
            busiest(upright.map(|s| (face * s.0).z))
        };
        let cuts = [
            (Cut::Plan, busiest(upright.map(|s| s.0.z)).or_else(own)),
            (Cut::Along, busiest(across(&shared, |n| n.y, |p| p.y).into_iter())),
            (Cut::Across, busiest(across(&shared, |n| n.x, |p| p.x).into_iter())),
        ];
        let slices = cuts.into_iter().map(|(cut, at)| {
            let at = at.unwrap_or(0.0);
            let flat = |all: &[Vec3]| thinned(all.iter().filter_map(|p| cut.flat(p, at)).collect());
            let apart = shared
                .iter()
                .filter(|s| cut.flat(&s.0, at).is_some())
                .map(|(_, p)| (cut.within(&(face * p.normal)), p.residual))
                .filter(|(n, _)| n.norm() > IN_PLANE);
            let (offset, offset95) = shift(apart.collect());
            TieSlice { cut, at, first: flat(&mine), second: flat(&other), conflict: flat(&conflict), offset, offset95 }
        });
        let mut sizes: Vec<f64> = pairs.iter().map(|p| p.residual.abs()).collect();
        let half = sizes.len() / 2;
        Self {
            slices: slices.collect(),
            heading,
            distances: counted(&pairs),
            compared: Compared::of(first, second, relative, CLOSE, usize::MAX),
            rms: (!sizes.is_empty()).then(|| 1.4826 * *sizes.select_nth_unstable_by(half, f64::total_cmp).1),
        }
    }
}

impl Cut {
    /// What of a direction lies in the plane of the slice.
    fn within(self, n: &Vec3) -> Vector2<f64> {
        match self {
            Self::Plan => n.xy(),
            Self::Along => Vector2::new(n.x, n.z),
            Self::Across => Vector2::new(n.y, n.z),
        }
    }

    /// A place on the slice, when it lies in it.
    fn flat(self, p: &Vec3, at: f64) -> Option<[f32; 2]> {
        let (off, u, v) = match self {
            Self::Plan => (p.z, p.x, p.y),
            Self::Along => (p.y, p.x, p.z),
            Self::Across => (p.x, p.y, p.z),
        };
        ((off - at).abs() <= HALF).then_some([u as f32, v as f32])
    }
}

/// The middle of the stretch of a slice's thickness that holds most.
fn busiest(along: impl Iterator<Item = f64>) -> Option<f64> {
    let mut cells: Vec<i64> = along.map(|v| (v / (2.0 * HALF)).floor() as i64).collect();
    cells.sort_unstable();
    let runs = cells.chunk_by(|a, b| a == b);
    runs.max_by_key(|r| r.len()).map(|r| (r[0] as f64 + 0.5) * 2.0 * HALF)
}

fn thinned(all: Vec<[f32; 2]>) -> Vec<[f32; 2]> {
    let step = all.len().div_ceil(MOST).max(1);
    all.into_iter().step_by(step).collect()
}

/// The shift by which surfaces with these normals lie at these distances from one another, its length and 95 % along it.
/// A median would say nothing of it: walls that face one another lie off by as much the other way. A direction that the
/// normals hardly hold takes no part.
fn shift(mut apart: Vec<(Vector2<f64>, f64)>) -> (Option<f64>, f64) {
    let mut found = (None, 0.0);
    // what lies off more than three times as far as the rest is another thing
    for _ in 0..4 {
        let normal: Matrix2<f64> = apart.iter().map(|(n, _)| n * n.transpose()).sum();
        let right: Vector2<f64> = apart.iter().map(|(n, r)| n * *r).sum();
        let eigen = normal.symmetric_eigen();
        let most = eigen.eigenvalues.max();
        if most <= 0.0 {
            return found;
        }
        let held = eigen.eigenvalues.map(|v| if v > HELD * most { 1.0 / v } else { 0.0 });
        let inverse = eigen.eigenvectors * Matrix2::from_diagonal(&held) * eigen.eigenvectors.transpose();
        let by = inverse * right;
        let mut sizes: Vec<f64> = apart.iter().map(|(n, r)| (r - n.dot(&by)).abs()).collect();
        let half = sizes.len() / 2;
        let sigma = (1.4826 * *sizes.select_nth_unstable_by(half, f64::total_cmp).1).max(1e-6);
        let along = by.try_normalize(1e-9).map_or_else(|| inverse.trace(), |u| u.dot(&(inverse * u)));
        found = (Some(by.norm()), K95_1D * sigma * along.max(0.0).sqrt());
        let before = apart.len();
        apart.retain(|(n, r)| (r - n.dot(&by)).abs() < 3.0 * sigma);
        if apart.len() == before {
            break;
        }
    }
    found
}

fn counted(pairs: &[Pair]) -> Vec<(f64, usize)> {
    let mut counts = vec![0; 2 * REACH as usize];
    for p in pairs {
        let k = (p.residual * 1000.0).floor() as i32 + REACH;
        if let Some(c) = usize::try_from(k).ok().and_then(|k| counts.get_mut(k)) {
            *c += 1;
        }
    }
    (-REACH..REACH).map(|k| f64::from(k) / 1000.0).zip(counts).collect()
}
