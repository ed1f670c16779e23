use crate::cloud::WorkingCloud;
use crate::geometry::{Pose, Vec3};
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;
use std::collections::HashMap;

/// Two clouds brought together.
#[derive(Clone, Debug)]
pub struct CloudFit {
    /// Pose of the second in the frame of the first.
    pub relative: Pose,
    /// Its covariance by left increments, m² and rad², from how the residuals scatter.
    pub covariance: Matrix6<f64>,
    /// Robust root mean square of the distances from the surfaces, metres.
    pub rms: f64,
    /// Share of the second cloud's points that found a surface of the first.
    pub overlap: f64,
    /// Pairs used.
    pub pairs: usize,
}

/// How far a point may lie from the surface it is paired with, in turn, metres.
const REACH: [f64; 4] = [0.4, 0.2, 0.1, 0.1];
/// Steps with each reach.
const STEPS: usize = 8;
/// Least cosine between the normals of a pair.
const ALIKE: f64 = 0.9;
/// Side of the pieces whose residuals are taken as dependent, metres.
const PIECE: f64 = 1.0;
/// Residuals depend on one another beyond the pieces too, where voxels and walls fall into step: by so
/// much more the errors of simulated ties vary than the pieces say (`crates/sim/tests/cloud_ties.rs`).
const FARTHER: f64 = 2.0;
/// Fewest pairs.
const LEAST: usize = 200;

/// Brings two working clouds together from a start that is right to some decimetres.
///
/// Point to plane (Chen & Medioni 1991) with the mean of the two normals, weights by how many points a
/// voxel holds, biweight by the scatter of the residuals. The covariance is that of the estimate under
/// residuals that depend on one another within pieces of a metre (sandwich estimator, White 1980;
/// Liang & Zeger 1986): points on one wall are not independent.
///
/// `None` when too little is shared.
pub fn tie_clouds(first: &WorkingCloud, second: &WorkingCloud, start: &Pose) -> Option<CloudFit> {
    let index = Index::new(first);
    let moving: Vec<(Vec3, Vec3, f64)> = usable(second).collect();
    let mut pose = *start;
    let mut scale = REACH[0] / 3.0;
    for reach in REACH {
        // far from the place a part of the points says as much
        let part: Vec<_> = moving.iter().step_by(if reach > 0.1 { 8 } else { 1 }).copied().collect();
        for _ in 0..STEPS {
            let pairs = index.pairs(first, &part, &pose, reach);
            if pairs.len() < LEAST / 4 {
                return None;
            }
            scale = spread(&pairs).max(1e-5);
            let (normal, right) = pairs.iter().fold((Matrix6::zeros(), Vector6::zeros()), |(n, r), p| {
                let w = p.weight * biweight(p.residual / (p.sigma * scale));
                (n + p.row * p.row.transpose() * w, r - p.row * (w * p.residual))
            });
            let step = normal.cholesky()?.solve(&right);
            pose = pose.moved(&step);
            if step.fixed_rows::<3>(0).norm() < 1e-6 && step.fixed_rows::<3>(3).norm() < 1e-7 {
                break;
            }
        }
    }
    let pairs = index.pairs(first, &moving, &pose, REACH[3]);
    let mut normal = Matrix6::zeros();
    let mut pieces: HashMap<[i32; 3], Vector6<f64>> = HashMap::new();
    let (mut sum, mut used) = (0.0, 0);
    for p in &pairs {
        let b = biweight(p.residual / (p.sigma * scale));
        if b <= 0.0 {
            continue;
        }
        let w = p.weight * b;
        normal += p.row * p.row.transpose() * w;
        *pieces.entry(key(&p.at, PIECE)).or_default() += p.row * (w * p.residual);
        sum += b * p.residual * p.residual;
        used += 1;
    }
    let inverse = normal.try_inverse()?;
    let n = pieces.len() as f64;
    if used < LEAST || n < 12.0 {
        return None;
    }
    let middle: Matrix6<f64> = pieces.values().map(|g| g * g.transpose()).sum();
    let covariance = inverse * middle * inverse * (FARTHER * n / (n - 6.0));
    Some(CloudFit {
        relative: pose,
        covariance: (covariance + covariance.transpose()) / 2.0,
        rms: (sum / used as f64).sqrt(),
        overlap: pairs.len() as f64 / moving.len().max(1) as f64,
        pairs: used,
    })
}

struct Pair {
    at: Vec3,
    row: Vector6<f64>,
    residual: f64,
    /// By the numbers of points, up to a common factor.
    weight: f64,
    sigma: f64,
}

/// Points with a normal: place, normal, number of points.
fn usable(cloud: &WorkingCloud) -> impl Iterator<Item = (Vec3, Vec3, f64)> + '_ {
    let all = cloud.points.iter().zip(&cloud.normals).zip(&cloud.counts);
    all.filter(|((_, n), _)| **n != [0; 3])
        .map(|((p, n), c)| (Vec3::from(p.map(f64::from)), Vec3::from(n.map(f64::from)).normalize(), f64::from(*c)))
}

fn key(p: &Vec3, side: f64) -> [i32; 3] {
    [p.x, p.y, p.z].map(|v| (v / side).floor() as i32)
}

/// The first cloud's points by cells.
struct Index {
    cells: HashMap<[i32; 3], Vec<u32>>,
}

/// Side of the cells, metres.
const CELL: f64 = 0.16;
/// How far round a point its surface is averaged, metres.
const PATCH: f64 = 0.12;

impl Index {
    fn new(cloud: &WorkingCloud) -> Self {
        let mut cells: HashMap<[i32; 3], Vec<u32>> = HashMap::new();
        for (i, p) in cloud.points.iter().enumerate() {
            if cloud.normals[i] != [0; 3] {
                cells.entry(key(&Vec3::from(p.map(f64::from)), CELL)).or_default().push(i as u32);
            }
        }
        Self { cells }
    }

    /// For each moving point the place of the surface beside it: the mean of what lies round the nearest
    /// point of like normal. A single voxel would not do: where a surface runs along the border of
    /// two voxels, each holds the points that the noise put on its side.
    fn pairs(&self, first: &WorkingCloud, moving: &[(Vec3, Vec3, f64)], pose: &Pose, reach: f64) -> Vec<Pair> {
        let like = |i: u32, n: &Vec3| Vec3::from(first.normals[i as usize].map(f64::from)).dot(n) > ALIKE * 127.0;
        let place = |i: u32| Vec3::from(first.points[i as usize].map(f64::from));
        let pair = |(p, n, count): &(Vec3, Vec3, f64)| {
            let q = pose.apply(p);
            let turned = pose.rotation * n;
            let near = self.round(&q, reach).filter(|i| like(*i, &turned));
            let (_, nearest) = near
                .map(|i| ((place(i) - q).norm_squared(), i))
                .min_by(|a, b| a.0.total_cmp(&b.0))
                .filter(|b| b.0 < reach * reach)?;
            let centre = place(nearest);
            let (mut sum, mut facing, mut total) = (Vec3::zeros(), Vec3::zeros(), 0.0);
            for i in self.round(&centre, PATCH).filter(|i| like(*i, &turned)) {
                let at = place(i);
                if (at - centre).norm_squared() < PATCH * PATCH {
                    let c = f64::from(first.counts[i as usize]);
                    sum += at * c;
                    facing += Vec3::from(first.normals[i as usize].map(f64::from)) * c;
                    total += c;
                }
            }
            let normal = (facing.normalize() + turned).normalize();
            let turn = (q - pose.translation).cross(&normal);
            let variance = 1.0 / count + 1.0 / total;
            Some(Pair {
                at: q,
                row: Vector6::new(normal.x, normal.y, normal.z, turn.x, turn.y, turn.z),
                residual: normal.dot(&(q - sum / total)),
                weight: 1.0 / variance,
                sigma: variance.sqrt(),
            })
        };
        moving.par_iter().filter_map(pair).collect()
    }

    /// Points in the cells that a ball touches.
    fn round(&self, centre: &Vec3, radius: f64) -> impl Iterator<Item = u32> + '_ {
        let (low, high) = (key(&centre.add_scalar(-radius), CELL), key(&centre.add_scalar(radius), CELL));
        let cells = (low[0]..=high[0])
            .flat_map(move |x| (low[1]..=high[1]).flat_map(move |y| (low[2]..=high[2]).map(move |z| [x, y, z])));
        cells.filter_map(|c| self.cells.get(&c)).flatten().copied()
    }
}

/// Scatter of the residuals in units of their own σ, robustly: 1.4826 times the median of their sizes.
fn spread(pairs: &[Pair]) -> f64 {
    let mut sizes: Vec<f64> = pairs.iter().map(|p| (p.residual / p.sigma).abs()).collect();
    let middle = sizes.len() / 2;
    1.4826 * *sizes.select_nth_unstable_by(middle, f64::total_cmp).1
}

/// Tukey's biweight with the usual constant.
fn biweight(t: f64) -> f64 {
    let u = t / 4.685;
    if u.abs() < 1.0 { (1.0 - u * u).powi(2) } else { 0.0 }
}
