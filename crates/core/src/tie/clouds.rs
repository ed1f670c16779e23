use super::cloud_index::{CELL, EVEN, Index, Pair, Patch, key, usable};
use super::information::{Information, Piece, agreed};
use super::likeness::{FACINGS, Likeness, PIECE, facing};
use crate::adjust::Parameter;
use crate::cloud::WorkingCloud;
use crate::geometry::{Pose, Vec3};
use crate::instrument::Systematic;
use crate::targets::TargetKind;
use nalgebra::{Matrix6, Vector6};
use std::collections::{BTreeMap, HashSet};

/// Two clouds brought together.
#[derive(Clone, Debug)]
pub struct CloudFit {
    /// Pose of the second in the frame of the first.
    pub relative: Pose,
    /// Its covariance by left increments, m² and rad², from how the residuals scatter.
    pub covariance: Matrix6<f64>,
    /// What it does when each piece of a surface is off by itself with a σ of one metre: clouds that bend, as those of who walks
    /// do, are held badly where little holds them.
    pub bent: Matrix6<f64>,
    /// What errors of the instrument do to it, that all points of a scan share.
    pub shared: SharedInTie,
    /// What one metre of difference between the ranges of black and white does to it (left increments): the two see
    /// their surfaces at different incidence, and so in different light.
    pub light: Vector6<f64>,
    /// Robust root mean square of the distances from the surfaces, metres.
    pub rms: f64,
    /// Share of the second cloud's points that found a surface of the first.
    pub overlap: f64,
    /// Pairs used.
    pub pairs: usize,
}

impl CloudFit {
    /// The same, its covariance with what the instrument's range does with the light that comes back.
    pub(super) fn in_light(mut self, profile: &Systematic) -> Self {
        self.covariance += self.light * self.light.transpose() * profile.reflectivity.powi(2);
        self
    }
}

/// What one unit of each error in [`SharedInTie::PARAMETERS`] does to a tie by clouds (left increments), when the
/// first scan has it and when the second has it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct SharedInTie(pub [[Vector6<f64>; 7]; 2]);

impl SharedInTie {
    /// The errors, in order.
    pub const PARAMETERS: [Parameter; 7] = [
        Parameter::RangeOffset,
        Parameter::RangeScale,
        Parameter::Collimation,
        Parameter::Trunnion,
        Parameter::Index,
        Parameter::Settling,
        Parameter::Turning,
    ];

    /// What a parameter does to the tie when the first, the second, or both have it; zero for what is not listed.
    pub fn of(&self, parameter: Parameter, scans: [bool; 2]) -> Vector6<f64> {
        let Some(k) = Self::PARAMETERS.iter().position(|p| *p == parameter) else { return Vector6::zeros() };
        (0..2).filter(|&s| scans[s]).map(|s| self.0[s][k]).sum()
    }

    /// What all of them add to the covariance of a tie that stands alone, m² and rad².
    pub fn covariance(&self, profile: &Systematic) -> Matrix6<f64> {
        let square = |v: Vector6<f64>| v * v.transpose();
        Self::PARAMETERS
            .iter()
            .map(|&p| {
                let both = square(self.of(p, [true, true]) * p.sigma(profile));
                let each = [[true, false], [false, true]].map(|of| square(self.of(p, of) * p.sigma_at_set_up(profile)));
                both + each[0] + each[1]
            })
            .sum()
    }
}

/// How far a point may lie from the surface it is paired with while the scans come nearer, in turn, metres.
const REACH: [f64; 2] = [0.5, 0.2];
/// How many points of the first are enough for each.
const ENOUGH: [usize; 2] = [10_000, 100_000];
/// The same at the end.
const NEAR: f64 = 0.1;
/// Residuals up to these count whatever their scatter, in turn, metres: where most of what is shared lies level,
/// its scatter says nothing of how far upright surfaces are off.
const WIDTHS: [f64; 4] = [0.08, 0.03, 0.012, 0.0];
/// Steps with each reach, and with the same pairs.
const STEPS: usize = 8;
/// So often points are paired anew for each width,
const MATCHED: usize = 4;
/// if that moves the second by more than this, metres.
const SETTLED: f64 = 1e-5;
/// Points of the second that are moved while the scans come nearer.
const PART: usize = 2000;
/// The same at the end: more of them lie on the same pieces of wall, and say little that is new.
const MOVING: usize = 60_000;
/// The same before the last width.
const FEWER: usize = 10_000;
/// Light that comes back from a surface of middling brightness goes with the cosine of the incidence by so much, of what
/// lies between black and white.
const LAMBERT: f64 = 0.27;
/// The same where a cloud is one of hundreds.
const OFTEN: usize = 2500;
/// Fewest pairs.
const LEAST: usize = 200;
/// Of the points that are moved while scans come nearer, every so manieth where many starts are tried.
const FEW: usize = 3;
/// Ways that end this near to one another lead to one place, metres at ten metres.
const SAME: f64 = 0.08;

/// Brings two working clouds together from a start that is right to some decimetres.
///
/// Point to plane (Chen & Medioni 1991) with the mean of the two normals, weights by how many points a
/// voxel holds, biweight by the scatter of the residuals. The covariance is that of the estimate under
/// residuals that depend on one another within pieces of a metre: points on one wall are not independent. A
/// direction that nothing holds stays where the start has it, and is stated as not known.
///
/// `None` when too little is shared.
pub fn tie_clouds(first: &WorkingCloud, second: &WorkingCloud, start: &Pose) -> Option<CloudFit> {
    tie_near(first, second, &Approach::new(first, second).from(start)?)
}

/// The same from a start that is right to some centimetres: the other side of a wall does not draw it away.
pub(super) fn tie_near(first: &WorkingCloud, second: &WorkingCloud, start: &Pose) -> Option<CloudFit> {
    near(&Index::new(first, CELL, 1), &moving(second, MOVING), start)
}

/// About so many surfaces of a cloud that is moved.
fn moving(cloud: &WorkingCloud, most: usize) -> Vec<Patch> {
    Index::patches(cloud, (usable(cloud).count() / most).max(1))
}

/// A cloud that is to be tied many times, with what is made of it for that.
pub(crate) struct Prepared {
    index: Index,
    moving: Vec<Patch>,
    approach: Approach,
}

impl Prepared {
    pub(crate) fn of(cloud: &WorkingCloud) -> Self {
        let approach = Approach::new(cloud, cloud);
        Self { index: Index::new(cloud, CELL, 1), moving: moving(cloud, OFTEN), approach }
    }

    /// Ties another to this one from a start that is right to some centimetres.
    pub(crate) fn tie(&self, second: &Self, start: &Pose) -> Option<CloudFit> {
        near(&self.index, &second.moving, start)
    }

    /// Where a start leads that is right to some decimetres.
    pub(crate) fn approach(&self, second: &Self, start: &Pose) -> Option<Pose> {
        approach(&self.approach.indexes, &second.approach.part, start)
    }

    /// Where several starts lead, by few points: the places that differ.
    pub(crate) fn approaches(&self, second: &Self, starts: impl Iterator<Item = Pose>) -> Vec<Pose> {
        let few: Vec<_> = second.approach.part.iter().copied().step_by(FEW).collect();
        let mut out: Vec<Pose> = Vec::new();
        for found in starts.filter_map(|s| approach(&self.approach.indexes, &few, &s)) {
            if out.iter().all(|o| length(&o.difference(&found)) > SAME) {
                out.push(found);
            }
        }
        out
    }
}

fn near(index: &Index, moving: &[Patch], start: &Pose) -> Option<CloudFit> {
    let mut pose = *start;
    let some: Vec<Patch> = moving.iter().copied().step_by((moving.len() / FEWER).max(1)).collect();
    let mut scale = Scale::default();
    for width in WIDTHS {
        for _ in 0..MATCHED {
            let from = pose;
            let mut pairs = index.pairs(if width > 0.0 { &some } else { moving }, &pose, NEAR);
            for _ in 0..STEPS {
                let (moved, found, size) = step(&pairs, &pose, width)?;
                let along = moved.compose(&pose.inverse());
                for p in &mut pairs {
                    p.move_along(&along, &moved);
                }
                (pose, scale) = (moved, found);
                if size < 1e-6_f64.max(width * 0.01) {
                    break;
                }
            }
            if length(&from.difference(&pose)) < SETTLED.max(width * 0.05) {
                break;
            }
        }
    }
    let pairs = index.pairs(moving, &pose, NEAR);
    let back = pose.inverse();
    let mut shared = SharedInTie::default();
    let (mut pieces, mut likeness) = (BTreeMap::<([i32; 3], usize), Piece>::new(), Likeness::default());
    let (mut sum, mut used, mut light) = (0.0, 0, Vector6::zeros());
    let weighed = |p: &Pair| p.weight * biweight(p.residual / (p.sigma * scale.of_pair(p)));
    let squared_cosine = |ray: &Vec3, normal: &Vec3| normal.dot(ray).powi(2) / ray.norm_squared().max(1e-6);
    for p in &pairs {
        let b = biweight(p.residual / (p.sigma * scale.of_pair(p)));
        if b <= 0.0 {
            continue;
        }
        let w = p.weight * b;
        let row = p.row();
        let piece = pieces.entry((key(&p.at, PIECE), facing(p))).or_default();
        likeness.add(p, w);
        piece.information += agreed(p, w);
        piece.residual += row * (w * p.residual);
        piece.off += row * w;
        piece.uneven += row * (w * (p.uneven * p.uneven - EVEN * EVEN).max(0.0).sqrt());
        // an error moves the point of the second along the normal, and the surface of the first
        let (there, facing) = (back.apply(&p.at), back.rotation * p.normal);
        let unlike = squared_cosine(&p.at, &p.normal) - squared_cosine(&there, &facing);
        light += row * (w * LAMBERT * unlike);
        for (k, e) in SharedInTie::PARAMETERS.iter().enumerate() {
            shared.0[0][k] += row * (w * p.normal.dot(&e.effect(&p.at, TargetKind::Sphere)));
            shared.0[1][k] -= row * (w * facing.dot(&e.effect(&there, TargetKind::Sphere)));
        }
        sum += b * p.residual * p.residual;
        used += 1;
    }
    let factors = likeness.factors();
    for (at, piece) in &mut pieces {
        piece.residual *= factors[at.1].sqrt();
    }
    let n = pieces.len() as f64;
    let information = Information::of(pairs.iter().map(|p| (p, weighed(p))), n)?;
    let inverse = information.inverse();
    if used < LEAST || n < 12.0 {
        return None;
    }
    shared.0.iter_mut().flatten().for_each(|v| *v = inverse * *v);
    let pieces: Vec<Piece> = pieces.into_values().collect();
    Some(CloudFit {
        relative: pose,
        bent: information.piecewise(&pieces),
        shared,
        light: inverse * light,
        covariance: information.covariance(&pieces),
        rms: (sum / used as f64).sqrt(),
        overlap: pairs.len() as f64 / moving.len().max(1) as f64,
        pairs: used,
    })
}

/// The way to the right place, with a part of the points: what many starts can be tried by.
pub(super) struct Approach {
    indexes: [Index; 2],
    part: Vec<(Vec3, Vec3, f64)>,
}

impl Approach {
    pub(super) fn new(first: &WorkingCloud, second: &WorkingCloud) -> Self {
        let (mine, theirs) = (usable(first).count(), usable(second).count());
        let part = usable(second).step_by((theirs / PART).max(1)).collect();
        let indexes = [0, 1].map(|k| Index::new(first, REACH[k], (mine / ENOUGH[k]).max(1)));
        Self { indexes, part }
    }

    /// Where a start leads; `None` when too little is shared there.
    pub(super) fn from(&self, start: &Pose) -> Option<Pose> {
        approach(&self.indexes, &self.part, start)
    }
}

fn approach(indexes: &[Index; 2], part: &[(Vec3, Vec3, f64)], start: &Pose) -> Option<Pose> {
    let mut pose = *start;
    for (index, reach) in indexes.iter().zip(REACH) {
        for _ in 0..STEPS {
            let (moved, _, size) = step(&index.near_pairs(part, &pose, reach), &pose, reach)?;
            pose = moved;
            if size < reach * 5e-3 {
                break;
            }
        }
    }
    Some(pose)
}

/// One step of the fit: the pose, the scatter of the residuals, and how far it went.
fn step(pairs: &[Pair], pose: &Pose, width: f64) -> Option<(Pose, Scale, f64)> {
    if pairs.len() < LEAST / 4 {
        return None;
    }
    let scale = Scale::of(pairs);
    let weight = |p: &Pair| p.weight * biweight(p.residual / (p.sigma * scale.of_pair(p)).max(width / BIWEIGHT));
    let right = pairs.iter().fold(Vector6::zeros(), |r, p| r - p.row() * (weight(p) * p.residual));
    // a piece has dozens of pairs: some of them name it
    let pieces: HashSet<[i32; 3]> = pairs.iter().step_by(8).map(|p| key(&p.at, PIECE)).collect();
    let d = Information::of(pairs.iter().map(|p| (p, weight(p))), pieces.len() as f64)?.inverse() * right;
    Some((pose.moved(&d), scale, length(&d)))
}

/// How far an increment moves what lies ten metres away, metres.
fn length(d: &Vector6<f64>) -> f64 {
    d.fixed_rows::<3>(0).norm() + 10.0 * d.fixed_rows::<3>(3).norm()
}

/// Scatter of the residuals in units of their own σ, by the way surfaces face: level ground scatters little and is
/// most of what a yard shows, and by its scatter alone the few walls would count as wrong while they are a
/// centimetre off.
#[derive(Clone, Copy, Default)]
struct Scale([f64; FACINGS]);

impl Scale {
    /// So much more than all together may one way of facing scatter.
    const MOST: f64 = 4.0;

    fn of(pairs: &[Pair]) -> Self {
        let all = spread(pairs.iter()).max(1e-5);
        Self(std::array::from_fn(|k| {
            let these = || pairs.iter().filter(|p| facing(p) == k);
            if these().nth(LEAST / 4).is_none() { all } else { spread(these()).clamp(1e-5, Self::MOST * all) }
        }))
    }

    fn of_pair(&self, p: &Pair) -> f64 {
        self.0[facing(p)]
    }
}

/// 1.4826 times the median of the sizes in units of their σ.
fn spread<'a>(pairs: impl Iterator<Item = &'a Pair>) -> f64 {
    let mut sizes: Vec<f64> = pairs.map(|p| (p.residual / p.sigma).abs()).collect();
    let middle = sizes.len() / 2;
    1.4826 * *sizes.select_nth_unstable_by(middle, f64::total_cmp).1
}

/// The usual constant of Tukey's biweight.
const BIWEIGHT: f64 = 4.685;

/// Tukey's biweight.
fn biweight(t: f64) -> f64 {
    let u = t / BIWEIGHT;
    if u.abs() < 1.0 { (1.0 - u * u).powi(2) } else { 0.0 }
}
