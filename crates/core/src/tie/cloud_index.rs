use crate::cloud::WorkingCloud;
use crate::geometry::{Mat3, Pose, Vec3};
use nalgebra::Vector6;
use rayon::prelude::*;
use std::collections::HashMap;

/// Least cosine between the normals of a pair.
const ALIKE: f64 = 0.9;
/// Side of the cells that surfaces are averaged in, metres: no less than [`PATCH`] and the last reach.
pub(crate) const CELL: f64 = 0.12;
/// How far round a point its surface is averaged, metres.
const PATCH: f64 = 0.12;
/// Scatter about the plane of a patch that counts as much as the noise of a single point, metres.
pub(super) const EVEN: f64 = 0.003;
/// How far round a point it is looked how wide its surface is, metres.
const WIDE: f64 = 0.3;
/// A surface that scatters less far across is narrow, metres.
const NARROW: f64 = 0.07;
/// How well a round thing is known where it is seen from two sides, metres.
const ROUND: f64 = 0.006;

/// A surface round a point.
#[derive(Clone, Copy, Debug)]
pub(super) struct Patch {
    /// Mean of its points, metres.
    pub middle: Vec3,
    /// Mean of their normals.
    pub facing: Vec3,
    /// How many points.
    pub total: f64,
    /// Mean square distance from its plane, m².
    pub uneven: f64,
    /// No wider than a post.
    pub narrow: bool,
}

/// A point of the second and the surface of the first beside it.
pub(super) struct Pair {
    /// The point in the frame of the first, metres.
    pub at: Vec3,
    /// The same from the second scanner.
    pub lever: Vec3,
    /// Normal of the surface as the first and as the second has it, frame of the first.
    pub facing: [Vec3; 2],
    /// The mean of both.
    pub normal: Vec3,
    /// Distance from the surface, metres.
    pub residual: f64,
    /// Scatter of the surface about its plane, metres.
    pub uneven: f64,
    /// By the numbers of points, up to a common factor.
    pub weight: f64,
    /// By the same, up to its inverse root.
    pub sigma: f64,
}

impl Pair {
    /// Derivative of the residual by the pose.
    pub(super) fn row(&self) -> Vector6<f64> {
        row(&self.lever, &self.normal)
    }

    /// Goes with the second when that moves, to its new pose; the surface of the first stays the same one.
    pub(super) fn move_along(&mut self, motion: &Pose, pose: &Pose) {
        let at = motion.apply(&self.at);
        self.residual += self.normal.dot(&(at - self.at));
        self.at = at;
        self.lever = at - pose.translation;
    }

    /// The same by each scan's own normal.
    pub(super) fn rows(&self) -> [Vector6<f64>; 2] {
        self.facing.map(|n| row(&self.lever, &n))
    }
}

fn row(lever: &Vec3, normal: &Vec3) -> Vector6<f64> {
    let turn = lever.cross(normal);
    Vector6::new(normal.x, normal.y, normal.z, turn.x, turn.y, turn.z)
}

/// Points with a normal: place, normal, number of points.
pub(super) fn usable(cloud: &WorkingCloud) -> impl Iterator<Item = (Vec3, Vec3, f64)> + '_ {
    let all = cloud.points.iter().zip(&cloud.normals).zip(&cloud.counts);
    all.filter(|((_, n), _)| **n != [0; 3])
        .map(|((p, n), c)| (Vec3::from(p.map(f64::from)), Vec3::from(n.map(f64::from)).normalize(), f64::from(*c)))
}

pub(crate) fn key(p: &Vec3, side: f64) -> [i32; 3] {
    [p.x, p.y, p.z].map(|v| (v / side).floor() as i32)
}

/// A point with a normal, kept beside those of its cell: what is near in space is near in memory.
#[derive(Clone, Copy)]
pub(crate) struct Spot {
    at: [f32; 3],
    normal: [i8; 3],
    count: u16,
}

impl Spot {
    /// Where it is, metres.
    pub(crate) fn place(&self) -> Vec3 {
        Vec3::from(self.at.map(f64::from))
    }

    /// Its normal, of the length 127.
    pub(crate) fn facing(&self) -> Vec3 {
        Vec3::from(self.normal.map(f64::from))
    }

    /// How many points it is the mean of.
    pub(crate) fn count(&self) -> u16 {
        self.count
    }

    fn alike(&self, normal: &Vec3) -> bool {
        self.facing().dot(normal) > ALIKE * 127.0
    }
}

/// The first cloud's points with a normal, by cells.
pub(crate) struct Index {
    side: f64,
    /// Cell by cell.
    spots: Vec<Spot>,
    /// Stretch of `spots` of each cell.
    cells: HashMap<u64, (u32, u32), Spread>,
}

impl Index {
    /// Of every `step`th point, with cells of a side, metres.
    pub(crate) fn new(cloud: &WorkingCloud, side: f64, step: usize) -> Self {
        let known = (0..cloud.points.len()).filter(|&i| cloud.normals[i] != [0; 3]).step_by(step);
        let mut keyed: Vec<(u64, u32)> =
            known.map(|i| (packed(key(&Vec3::from(cloud.points[i].map(f64::from)), side)), i as u32)).collect();
        keyed.par_sort_unstable();
        let mut cells = HashMap::with_capacity_and_hasher(keyed.len() / 4, Spread);
        let mut from = 0;
        for run in keyed.chunk_by(|a, b| a.0 == b.0) {
            cells.insert(run[0].0, (from, from + run.len() as u32));
            from += run.len() as u32;
        }
        let spot = |i: usize| Spot { at: cloud.points[i], normal: cloud.normals[i], count: cloud.counts[i] };
        Self { side, spots: keyed.into_iter().map(|k| spot(k.1 as usize)).collect(), cells }
    }

    /// Points about so far from one another, metres: of each cell of that side one for each way that something in it faces.
    pub(crate) fn thinned(&self, side: f64) -> Vec<Spot> {
        let mut keyed: Vec<(u64, u32)> =
            self.spots.iter().zip(0..).map(|(s, i)| (packed(key(&s.place(), side)), i)).collect();
        keyed.par_sort_unstable();
        let mut out: Vec<Spot> = Vec::new();
        for run in keyed.chunk_by(|a, b| a.0 == b.0) {
            let first = out.len();
            for s in run.iter().map(|k| self.spots[k.1 as usize]) {
                if out[first..].iter().all(|o| o.facing().dot(&s.facing()) < 0.7 * 127.0 * 127.0) {
                    out.push(s);
                }
            }
        }
        out
    }

    /// The nearest point of like normal within reach, metres, which is no more than the side of a cell.
    fn nearest(&self, q: &Vec3, normal: &Vec3, reach: f64) -> Option<&Spot> {
        let (mut least, mut best) = (reach * reach, None);
        self.about(q, |cell, apart| {
            if apart >= least {
                return;
            }
            for s in self.spots_of(cell) {
                let off = (s.place() - q).norm_squared();
                if off < least && s.alike(normal) {
                    (least, best) = (off, Some(s));
                }
            }
        });
        best
    }

    /// Points of like normal within reach of a place, metres, with where they lie from there.
    pub(crate) fn near<'s>(
        &'s self,
        q: &'s Vec3,
        normal: &'s Vec3,
        reach: f64,
    ) -> impl Iterator<Item = (Vec3, &'s Spot)> {
        let square = reach * reach;
        self.cells_about(q).filter(move |c| c.1 < square).flat_map(|c| self.spots_of(c.0)).filter_map(move |s| {
            Some((s.place() - q, s)).filter(|(off, s)| off.norm_squared() < square && s.alike(normal))
        })
    }

    /// Points within reach of a place, metres, whatever way they face, with where they lie from there.
    pub(crate) fn all_near<'s>(&'s self, q: &'s Vec3, reach: f64) -> impl Iterator<Item = (Vec3, &'s Spot)> {
        let square = reach * reach;
        let near = self.cells_about(q).filter(move |c| c.1 < square).flat_map(|c| self.spots_of(c.0));
        near.map(move |s| (s.place() - q, s)).filter(move |(off, _)| off.norm_squared() < square)
    }

    /// The surface round a point, of what faces as it is said to. A single voxel would not do: where a surface runs
    /// along the border of two voxels, each holds the points that the noise put on its side.
    fn patch(&self, centre: &Vec3, normal: &Vec3) -> Patch {
        let (mut sum, mut facing, mut total, mut squares) = (Vec3::zeros(), Vec3::zeros(), 0.0, Mat3::zeros());
        self.each_near(centre, normal, PATCH, |off, spot| {
            let c = f64::from(spot.count);
            sum += off * c;
            squares += off * off.transpose() * c;
            facing += spot.facing() * c;
            total += c;
        });
        let (middle, facing) = (sum / total, facing.normalize());
        let uneven = facing.dot(&((squares / total - middle * middle.transpose()) * facing)).max(0.0);
        Patch { middle: centre + middle, facing, total, uneven, narrow: false }
    }

    /// Whether what faces this way about a place is no wider than a post, a pipe or an edge. Which part of a round
    /// thing is seen depends on who looks, and so does its mean.
    fn narrow(&self, centre: &Vec3, normal: &Vec3) -> bool {
        let (mut sum, mut squares, mut n) = (Vec3::zeros(), Mat3::zeros(), 0.0);
        self.each_near(centre, normal, self.side, |off, _| {
            sum += off;
            squares += off * off.transpose();
            n += 1.0;
        });
        let middle = sum / n;
        let mut wide: [f64; 3] = (squares / n - middle * middle.transpose()).symmetric_eigenvalues().into();
        wide.sort_by(f64::total_cmp);
        wide[1] < NARROW * NARROW
    }

    /// The surface round every `step`th point of a cloud.
    pub(super) fn patches(cloud: &WorkingCloud, step: usize) -> Vec<Patch> {
        let (close, wide) = (Self::new(cloud, CELL, 1), Self::new(cloud, WIDE, 1));
        let some: Vec<&Spot> = close.spots.iter().step_by(step.max(1)).collect();
        let patch = |s: &&Spot| {
            let (at, normal) = (s.place(), s.facing().normalize());
            Patch { narrow: wide.narrow(&at, &normal), ..close.patch(&at, &normal) }
        };
        some.par_iter().with_min_len(512).map(patch).collect()
    }

    /// For each moving patch the surface beside it. Both are means over patches of one size, so that on a round or
    /// uneven surface both lie beside it by as much.
    pub(super) fn pairs(&self, moving: &[Patch], pose: &Pose, reach: f64) -> Vec<Pair> {
        let pair = |theirs: &Patch| {
            let q = pose.apply(&theirs.middle);
            let turned = pose.rotation * theirs.facing;
            let mine = self.patch(&self.nearest(&q, &turned, reach)?.place(), &turned);
            let normal = (mine.facing + turned).normalize();
            let uneven = mine.uneven.max(theirs.uneven).max(if theirs.narrow { ROUND * ROUND } else { 0.0 });
            let variance = 1.0 / theirs.total + 1.0 / mine.total + uneven / (EVEN * EVEN);
            Some(Pair {
                at: q,
                lever: q - pose.translation,
                facing: [mine.facing, turned],
                normal,
                residual: normal.dot(&(q - mine.middle)),
                uneven: uneven.sqrt(),
                weight: 1.0 / variance,
                sigma: variance.sqrt(),
            })
        };
        moving.par_iter().with_min_len(512).filter_map(pair).collect()
    }

    /// Each moving point with the nearest point alone: enough on the way.
    pub(super) fn near_pairs(&self, moving: &[(Vec3, Vec3, f64)], pose: &Pose, reach: f64) -> Vec<Pair> {
        let pair = |(p, n, _): &(Vec3, Vec3, f64)| {
            let q = pose.apply(p);
            let turned = pose.rotation * n;
            let nearest = self.nearest(&q, &turned, reach)?;
            let facing = nearest.facing().normalize();
            let normal = (facing + turned).normalize();
            Some(Pair {
                at: q,
                lever: q - pose.translation,
                facing: [facing, turned],
                normal,
                residual: normal.dot(&(q - nearest.place())),
                weight: 1.0,
                sigma: 1.0,
                uneven: 0.0,
            })
        };
        moving.par_iter().with_min_len(256).filter_map(pair).collect()
    }

    /// Calls with each of what [`near`](Self::near) gives: what is done millions of times is done in plain loops.
    fn each_near(&self, q: &Vec3, normal: &Vec3, reach: f64, mut of: impl FnMut(Vec3, &Spot)) {
        let square = reach * reach;
        self.about(q, |cell, apart| {
            if apart < square {
                for s in self.spots_of(cell) {
                    let off = s.place() - q;
                    if off.norm_squared() < square && s.alike(normal) {
                        of(off, s);
                    }
                }
            }
        });
    }

    /// Calls with each of [`cells_about`](Self::cells_about), in its order.
    #[inline]
    fn about(&self, q: &Vec3, mut of: impl FnMut([i32; 3], f64)) {
        let middle = key(q, self.side);
        let apart: [[f64; 3]; 3] = std::array::from_fn(|k| {
            let inside = q[k] - f64::from(middle[k]) * self.side;
            [0.0, inside * inside, (self.side - inside).powi(2)]
        });
        const ABOUT: [i32; 3] = [0, -1, 1];
        for (x, i) in ABOUT.into_iter().zip(0..) {
            for (y, j) in ABOUT.into_iter().zip(0..) {
                for (z, k) in ABOUT.into_iter().zip(0..) {
                    let far: f64 = apart[0][i] + apart[1][j] + apart[2][k];
                    of([middle[0] + x, middle[1] + y, middle[2] + z], far);
                }
            }
        }
    }

    /// The cell of a place and those about it, the nearer first along each axis, with the square of how far they lie from
    /// the place at least, m².
    fn cells_about(&self, q: &Vec3) -> impl Iterator<Item = ([i32; 3], f64)> + use<> {
        let middle = key(q, self.side);
        let side = self.side;
        let inside = [0, 1, 2].map(|k| q[k] - f64::from(middle[k]) * side);
        let apart = move |k: usize, d: i32| match d {
            -1 => inside[k].powi(2),
            0 => 0.0,
            _ => (side - inside[k]).powi(2),
        };
        const ABOUT: [i32; 3] = [0, -1, 1];
        ABOUT.into_iter().flat_map(move |x| {
            ABOUT.into_iter().flat_map(move |y| {
                ABOUT.into_iter().map(move |z| {
                    ([middle[0] + x, middle[1] + y, middle[2] + z], apart(0, x) + apart(1, y) + apart(2, z))
                })
            })
        })
    }

    fn spots_of(&self, cell: [i32; 3]) -> &[Spot] {
        self.cells.get(&packed(cell)).map_or(&[], |&(from, to)| &self.spots[from as usize..to as usize])
    }
}

/// A cell in one number: 21 bits an axis.
pub(super) fn packed(cell: [i32; 3]) -> u64 {
    cell.iter().fold(0, |k, &c| k << 21 | (i64::from(c) + (1 << 20)) as u64 & 0x1f_ffff)
}

/// Hashes packed cells: one multiplication (Knuth 1973, 6.4) is enough for keys that nobody chooses.
#[derive(Clone, Copy, Default)]
pub(super) struct Spread;

impl std::hash::BuildHasher for Spread {
    type Hasher = Multiplied;
    fn build_hasher(&self) -> Multiplied {
        Multiplied(0)
    }
}

#[derive(Default)]
pub(super) struct Multiplied(u64);

impl std::hash::Hasher for Multiplied {
    fn finish(&self) -> u64 {
        self.0
    }
    fn write(&mut self, bytes: &[u8]) {
        for b in bytes {
            self.write_u64(self.0 << 8 | u64::from(*b));
        }
    }
    fn write_u64(&mut self, k: u64) {
        let m = k.wrapping_mul(0x9E37_79B9_7F4A_7C15);
        self.0 = m ^ m >> 32;
    }
}
