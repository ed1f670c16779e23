use super::SPACING;
use crate::geometry::{Pose, Vec3};
use crate::stats::K95_1D;
use crate::tie::{Index, Seen, Shown, Sight};
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;

/// A place where both scans show a surface.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cell {
    /// On the surface of the first, frame of the first, metres.
    pub at: Vec3,
    /// Unit normal there, towards the first scanner.
    pub normal: Vec3,
    /// How far the surface of the second lies before that of the first, along the normal, metres.
    pub distance: f64,
    /// Distances smaller than this are not told from noise and from what the registration is uncertain by: 95 %, metres.
    pub detectable: f64,
}

impl Cell {
    /// Whether the distance is more than could be told from noise.
    pub fn is_beyond(&self) -> bool {
        self.distance.abs() > self.detectable
    }
}

/// The same before it is known what noise there is between these two scans.
#[derive(Clone, Copy, Debug)]
pub(super) struct Raw {
    pub at: Vec3,
    pub normal: Vec3,
    pub distance: f64,
    /// Variance of the distance by how it scatters within the cylinder, m².
    pub own: f64,
}

impl Raw {
    /// What a change of the second's pose does to the distance.
    pub(super) fn row(&self, relative: &Pose) -> Vector6<f64> {
        row(&self.at, &self.normal, relative)
    }

    pub(super) fn cell(&self, floor: f64, relative: &Pose, covariance: &Matrix6<f64>) -> Cell {
        let variance = self.own + floor * floor + by_pose((&self.at, &self.normal), relative, covariance);
        let (at, normal, distance) = (self.at, self.normal, self.distance);
        Cell { at, normal, distance, detectable: K95_1D * variance.sqrt() }
    }
}

fn row(at: &Vec3, normal: &Vec3, relative: &Pose) -> Vector6<f64> {
    let turn = (at - relative.translation).cross(normal);
    Vector6::new(normal.x, normal.y, normal.z, turn.x, turn.y, turn.z)
}

/// Variance, by how well the pose of the second in the frame of the first is known, of how far surfaces at a place lie apart
/// along a normal there (both in the frame of the first), m².
pub fn by_pose((at, normal): (&Vec3, &Vec3), relative: &Pose, covariance: &Matrix6<f64>) -> f64 {
    let row = row(at, normal, relative);
    row.dot(&(covariance * row)).max(0.0)
}

/// Half the width of the cylinder, here a square prism, metres.
const HALF: f64 = 0.2;
/// How far along the normal the other surface is looked for, metres.
const ALONG: f64 = 0.2;
/// Farthest corner of the prism, and side of the cells of the index, metres.
pub(super) const REACH: f64 = 0.35;
/// Cells across the prism, each way.
const ACROSS: usize = 5;
/// Fewest cells that both filled.
const FEWEST: usize = 6;
/// What fills no more rows or columns than this and whose normals differ (length of their mean) is a post or a pipe: which
/// part of it is seen depends on who looks, and so does where its surface lies, 1σ, metres.
const NARROW: u32 = 4;
const TURNED: f64 = 0.992;
const ROUND: f64 = 0.006;

/// Places of a scan that are compared.
fn places(index: &Index) -> Vec<(Vec3, Vec3)> {
    index.thinned(SPACING).iter().map(|s| (s.place(), s.facing().normalize())).collect()
}

/// Mean height of what lies in each cell across a prism, and how many points that is.
#[derive(Clone, Copy, Default)]
struct Across([[f64; 2]; ACROSS * ACROSS]);

impl Across {
    fn of<'s>(near: impl Iterator<Item = (Vec3, f64)> + 's, axes: &[Vec3; 3]) -> Self {
        let mut out = Self::default();
        for (off, n) in near {
            let [u, v, h] = axes.each_ref().map(|a| a.dot(&off));
            if u.abs() < HALF && v.abs() < HALF && h.abs() < ALONG {
                let cell = |x: f64| (((x + HALF) / (2.0 * HALF) * ACROSS as f64) as usize).min(ACROSS - 1);
                let c = &mut out.0[cell(u) * ACROSS + cell(v)];
                c[0] += h * n;
                c[1] += n;
            }
        }
        out
    }
}

pub(super) fn between([first, second]: &[Index; 2], relative: &Pose) -> Vec<Raw> {
    let back = relative.inverse();
    let one = |(p, n): &(Vec3, Vec3)| {
        // both ways of facing, so that neither scan's noise alone turns the prism
        let (q, turned) = (back.apply(p), back.rotation * n);
        let (mut facing, mut spots) = (Vec3::zeros(), 0.0);
        for (_, s) in first.near(p, n, HALF) {
            facing += s.facing() / 127.0;
            spots += 1.0;
        }
        for (_, s) in second.near(&q, &turned, HALF) {
            facing += relative.rotation * s.facing() / 127.0;
            spots += 1.0;
        }
        let is_round = facing.norm() < TURNED * spots;
        let normal = facing.try_normalize(1e-6)?;
        let aside = if normal.z.abs() < 0.9 { Vec3::z() } else { Vec3::x() };
        let u = normal.cross(&aside).normalize();
        let axes = [u, normal.cross(&u), normal];
        let theirs = axes.map(|a| back.rotation * a);
        let of = |off: Vec3, count: u16| (off, f64::from(count));
        let a = Across::of(first.near(p, n, REACH).map(|(off, s)| of(off, s.count())), &axes);
        let b = Across::of(second.near(&q, &turned, REACH).map(|(off, s)| of(off, s.count())), &theirs);
        let mut apart: Vec<f64> = Vec::with_capacity(ACROSS * ACROSS);
        let (mut height, mut across) = (0.0, [0_u32; 2]);
        for (k, (a, b)) in a.0.iter().zip(&b.0).enumerate().filter(|(_, c)| c.0[1] > 0.0 && c.1[1] > 0.0) {
            apart.push(b[0] / b[1] - a[0] / a[1]);
            height += a[0] / a[1];
            across[0] |= 1 << (k / ACROSS);
            across[1] |= 1 << (k % ACROSS);
        }
        if apart.len() < FEWEST {
            return None;
        }
        let m = apart.len() as f64;
        let distance = crate::stats::median(&mut apart)?;
        let mut off: Vec<f64> = apart.iter().map(|d| (d - distance).abs()).collect();
        let scatter = 1.4826 * crate::stats::median(&mut off)?;
        // of a median, from few: π / 2 times that of a mean, and wider as a t is
        let own = std::f64::consts::FRAC_PI_2 * scatter * scatter / (m - 3.0);
        let round = if is_round && across.iter().any(|a| a.count_ones() <= NARROW) { ROUND * ROUND } else { 0.0 };
        Some(Raw { at: p + normal * (height / m), normal, distance, own: own + round })
    };
    places(first).par_iter().with_min_len(256).filter_map(one).collect()
}

/// What is nearer to a surface than this is taken for it, metres; and so much more for each metre of distance.
const BESIDE: [f64; 2] = [0.06, 0.004];

/// Places of one scan, in its frame, where the other shows nothing and saw through: `pose` is from the one to the other.
pub(super) fn alone(of: &Index, beside: &Index, other: &Shown, pose: &Pose, sigma: f64) -> Vec<Vec3> {
    let clear = other.sight.clear();
    let is_alone = |(p, n): &(Vec3, Vec3)| {
        let there = pose.apply(p);
        let tolerance = BESIDE[0] + BESIDE[1] * there.norm() + 3.0 * sigma;
        other.sight.look(&there, tolerance) == Seen::Through
            && there.norm() < f64::from(clear[Sight::direction(&there)]) - tolerance
            && beside.near(&there, &(pose.rotation * n), HALF).next().is_none()
    };
    places(of).into_par_iter().filter(is_alone).map(|(p, _)| p).collect()
}
