use crate::geometry::Vec3;
use crate::mobile::Unit;
use crate::plan::{Bvh, Sample, Surface};
use nalgebra::{Matrix6, Vector6};
use rayon::prelude::*;
use std::collections::HashMap;

/// How far two looks of a mobile unit at one surface lie apart beyond their noise, 1σ, metres.
const SURFACE: f64 = 0.002;
/// Part of what the points say that a tie makes use of, as for scans.
const USED: f64 = 0.5;
/// Farther than this a unit's points tie nothing, metres.
const REACH: f64 = 20.0;
/// Least share of what is seen that both see.
const SHARE: f64 = 0.35;

/// Where surfaces lie that hold a turn, metres, and what a direction must at least be held by, 1/m²: a decimetre.
const LEVER: f64 = 3.0;
const HELD: f64 = 100.0;

/// What is seen from a place: a bit for each side of each sample.
pub(super) struct Look {
    pub at: Vec3,
    faces: Vec<u64>,
    count: u32,
}

impl Look {
    pub(super) fn all(bvh: &Bvh, samples: &[Sample], places: &[Vec3], unit: &Unit) -> Vec<Self> {
        let reach = REACH.min(unit.max_range);
        let of = |at: &Vec3| {
            let mut faces = vec![0_u64; (2 * samples.len()).div_ceil(64)];
            for (i, s) in samples.iter().enumerate() {
                let d = s.position - at;
                let range = d.norm();
                let side = d.dot(&s.normal);
                let steep = side.abs() > 0.2 * range && !(matches!(s.surface, Surface::Slab(_)) && side > 0.0);
                if range < reach && range > 0.3 && steep && !bvh.blocked(at, &s.position) {
                    let k = 2 * i + usize::from(side > 0.0);
                    faces[k / 64] |= 1 << (k % 64);
                }
            }
            let count = faces.iter().map(|w| w.count_ones()).sum();
            Self { at: *at, faces, count }
        };
        places.par_iter().map(of).collect()
    }

    /// Share of what the one sees that the other sees too, of the one that sees less.
    pub(super) fn shares(&self, o: &Self) -> Option<f64> {
        let both: u32 = self.faces.iter().zip(&o.faces).map(|(a, b)| (a & b).count_ones()).sum();
        let share = f64::from(both) / f64::from(self.count.min(o.count).max(1));
        (share > SHARE).then_some(share)
    }

    /// Covariance of the tie of the other in this one's frame, by left increments, m² and rad²: what the points on common
    /// surfaces say along their normals, an offset common to each surface, and the floor that both stand on. With it what of
    /// that nothing holds.
    pub(super) fn tie(&self, o: &Self, samples: &[Sample], unit: &Unit) -> [Matrix6<f64>; 2] {
        let mut normal = Matrix6::identity();
        let mut of_surface: HashMap<Option<Surface>, Vector6<f64>> = HashMap::new();
        let mut add = |surface: Option<Surface>, position: &Vec3, n: &Vec3, area: f64| {
            let v = position - o.at;
            let range = v.norm().max(0.5);
            // a second's points, spread over the whole sphere
            let points = unit.handling.points * area / (4.0 * std::f64::consts::PI * range * range);
            let weight = USED / (2.0 * unit.point_variance(range) / points.max(1.0));
            let turn = v.cross(n);
            let row = Vector6::new(n.x, n.y, n.z, turn.x, turn.y, turn.z);
            normal += row * row.transpose() * weight;
            *of_surface.entry(surface).or_default() += row * weight;
        };
        for (w, (a, b)) in self.faces.iter().zip(&o.faces).enumerate() {
            let mut left = a & b;
            while left != 0 {
                let s = &samples[w * 32 + left.trailing_zeros() as usize / 2];
                left &= left - 1;
                add(Some(s.surface), &s.position, &s.normal, s.area());
            }
        }
        // floors are seldom drawn; whoever carries a unit stands on one
        let apart = self.at - o.at;
        if apart.xy().norm() < 8.0 && apart.z.abs() < 1.0 {
            for (x, y) in [(-1.0, -1.0), (1.0, -1.0), (-1.0, 1.0), (1.0, 1.0)] {
                let under = (self.at + o.at) / 2.0 + Vec3::new(x, y, -unit.handling.height);
                add(None, &under, &Vec3::z(), 1.0);
            }
        }
        let common: Matrix6<f64> = of_surface.values().map(|g| g * g.transpose()).sum();
        let inverse = normal.try_inverse().unwrap_or_else(Matrix6::identity);
        let all = inverse + inverse * common * inverse * SURFACE.powi(2);
        // a turn by what it does some metres away
        let scale = Matrix6::from_diagonal(&Vector6::from_fn(|k, _| if k < 3 { 1.0 } else { 1.0 / LEVER }));
        let eigen = (scale * normal * scale).symmetric_eigen();
        let loose = (0..6).filter(|k| eigen.eigenvalues[*k] < HELD);
        let unheld = loose.map(|k| scale * eigen.eigenvectors.column(k)).map(|v| v * v.transpose()).sum();
        [(all + all.transpose()) / 2.0, unheld]
    }
}
