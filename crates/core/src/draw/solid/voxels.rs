//! The clouds of all scans cell by cell, with which way each place faces.

use crate::geometry::Vec3;
use nalgebra::Matrix3;
use rayon::prelude::*;
use std::collections::HashMap;

/// Side of a cell, metres: pipes of four centimetres still show their roundness.
const SIDE: f64 = 0.03;
/// A direction needs so many places about it.
const ENOUGH: usize = 5;
/// Places so far off are looked at for whether a surface is flat, metres, and how far their directions may differ there.
const FLAT: [(f64, f64); 2] = [(0.12, 0.087), (0.24, 0.105)];

type Key = [i16; 3];

/// Means of points, cell by cell.
#[derive(Clone, Debug)]
pub struct Voxels {
    low: Vec3,
    size: Key,
    cells: HashMap<Key, Sum>,
}

#[derive(Clone, Copy, Debug, Default)]
struct Sum {
    at: [f32; 3],
    towards: [f32; 3],
    count: f32,
}

/// A place of the clouds.
#[derive(Clone, Copy, Debug)]
pub(super) struct Place {
    pub(super) at: Vec3,
    /// Out of the surface, towards where it was seen from; none where too little lies about it.
    pub(super) normal: Option<Vec3>,
    /// The surface goes on as a plane.
    pub(super) flat: bool,
}

impl Voxels {
    /// Nothing yet; what lies outside of the box is not counted. Metres; a side is at most 900 m.
    pub fn new(low: Vec3, high: Vec3) -> Self {
        let size = (high - low).map(|v| (v.clamp(0.0, 900.0) / SIDE).ceil() as i16);
        Self { low, size: size.into(), cells: HashMap::new() }
    }

    /// Counts a point seen from a place.
    pub fn add(&mut self, p: &Vec3, from: &Vec3) {
        let d = (p - self.low) / SIDE;
        if (0..3).any(|k| d[k] < 0.0 || d[k] >= f64::from(self.size[k])) {
            return;
        }
        let key = [d.x as i16, d.y as i16, d.z as i16];
        let towards = (from - p).normalize();
        let sum = self.cells.entry(key).or_default();
        for k in 0..3 {
            sum.at[k] += (d[k] - f64::from(key[k])) as f32;
            sum.towards[k] += towards[k] as f32;
        }
        sum.count += 1.0;
    }

    /// Adds what another counted in the same box.
    pub fn merge(&mut self, mut other: Self) {
        if other.cells.len() > self.cells.len() {
            std::mem::swap(&mut self.cells, &mut other.cells);
        }
        for (key, s) in other.cells {
            let sum = self.cells.entry(key).or_default();
            for k in 0..3 {
                sum.at[k] += s.at[k];
                sum.towards[k] += s.towards[k];
            }
            sum.count += s.count;
        }
    }

    /// Every place with the direction that its surface faces, in an order that is the same each time.
    pub(super) fn places(&self) -> Vec<Place> {
        let mut keys: Vec<Key> = self.cells.keys().copied().collect();
        keys.sort_unstable();
        let normals: HashMap<Key, Vec3> = keys.par_iter().filter_map(|k| Some((*k, self.normal(*k)?))).collect();
        let place = |k: &Key| {
            let normal = normals.get(k).copied();
            let flat = normal.is_some_and(|n| is_flat(*k, &n, &normals));
            Place { at: self.at(*k, &self.cells[k]), normal, flat }
        };
        keys.par_iter().map(place).collect()
    }

    fn at(&self, key: Key, s: &Sum) -> Vec3 {
        self.low + Vec3::from_fn(|k, _| (f64::from(key[k]) + f64::from(s.at[k] / s.count)) * SIDE)
    }

    fn normal(&self, key: Key) -> Option<Vec3> {
        let mut about = [Vec3::zeros(); 27];
        let mut n = 0;
        for dx in -1..=1 {
            for dy in -1..=1 {
                for dz in -1..=1 {
                    let k = [key[0] + dx, key[1] + dy, key[2] + dz];
                    if let Some(s) = self.cells.get(&k) {
                        about[n] = self.at(k, s);
                        n += 1;
                    }
                }
            }
        }
        if n < ENOUGH {
            return None;
        }
        let mean = about[..n].iter().sum::<Vec3>() / n as f64;
        let spread: Matrix3<f64> = about[..n].iter().map(|p| (p - mean) * (p - mean).transpose()).sum();
        let eigen = spread.symmetric_eigen();
        let mut order = [0, 1, 2];
        order.sort_by(|a, b| eigen.eigenvalues[*a].total_cmp(&eigen.eigenvalues[*b]));
        // a thread of places faces nowhere
        if eigen.eigenvalues[order[1]] < 3.0 * eigen.eigenvalues[order[0]] {
            return None;
        }
        let normal: Vec3 = eigen.eigenvectors.column(order[0]).into();
        let towards = Vec3::from(self.cells[&key].towards.map(f64::from));
        Some(if normal.dot(&towards) < 0.0 { -normal } else { normal })
    }
}

/// Whether a surface goes on as a plane about a place.
fn is_flat(key: Key, n: &Vec3, normals: &HashMap<Key, Vec3>) -> bool {
    let u = n.cross(&if n.z.abs() < 0.8 { Vec3::z() } else { Vec3::x() }).normalize();
    let v = n.cross(&u);
    let middle = Vec3::new(f64::from(key[0]), f64::from(key[1]), f64::from(key[2])).add_scalar(0.5);
    let mut seen = 0;
    for (reach, most) in FLAT {
        let mut bent = 0;
        for k in 0..8 {
            let (s, c) = (f64::from(k) * std::f64::consts::FRAC_PI_4).sin_cos();
            let at = middle + (u * c + v * s) * (reach / SIDE);
            let there = [0.0, 1.0, -1.0].iter().find_map(|off| {
                let p = at + n * *off;
                normals.get(&[p.x.floor() as i16, p.y.floor() as i16, p.z.floor() as i16])
            });
            if let Some(m) = there {
                seen += usize::from(reach < 0.2);
                bent += usize::from(m.dot(n) < most.cos());
            }
        }
        if bent >= 2 {
            return false;
        }
    }
    seen >= 3
}
