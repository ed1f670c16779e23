//! Cylinders among the places of a cloud: two places with the directions they face tell one, those about them whether it is
//! there (after Schnabel, Wahl & Klein 2007, about one place at a time), then it is followed along its axis.

use super::Start;
use super::voxels::{Place, Voxels};
use crate::geometry::Vec3;
use nalgebra::{Matrix5, Vector5};
use std::collections::HashMap;

/// Radii that are looked for, metres.
const RADII: [f64; 2] = [0.035, 1.5];
/// Neighbourhoods that a start is looked for in, metres.
const ABOUT: [f64; 2] = [0.2, 0.6];
const TRIALS: usize = 80;
const MANY: usize = 1500;
/// How far off a place may lie: metres, and for each metre of the radius; and how far it may face elsewhere (cosine).
const OFF: [f64; 2] = [0.007, 0.02];
const FACES: f64 = 0.88;
/// Fewer places tell no cylinder.
const FEWEST: usize = 12;
/// Length along the axis that is looked at together, metres, and what of it may be hidden.
const BIN: f64 = 0.06;
const HIDDEN: f64 = 0.4;
/// How far it is looked on along the axis at once, metres.
const ON: f64 = 0.8;
/// Shorter ones are none, metres.
pub(super) const SHORTEST: f64 = 0.3;
/// So much of it is seen round at least, radians.
pub(super) const ARC: f64 = 1.2;
/// Side of the cells that places are found by, metres.
const COARSE: f64 = 0.25;

/// A cylinder as it is followed: a place on its axis, its direction, its radius, from where to where.
#[derive(Clone, Copy, Debug)]
struct Axis {
    at: Vec3,
    along: Vec3,
    radius: f64,
    reach: [f64; 2],
}

impl Axis {
    /// Along the axis, and away from it.
    fn of(&self, p: &Vec3) -> (f64, Vec3) {
        let d = p - self.at;
        let s = d.dot(&self.along);
        (s, d - self.along * s)
    }

    fn holds(&self, p: &Place) -> Option<f64> {
        let (s, away) = self.of(&p.at);
        let d = away.norm();
        let on = (d - self.radius).abs() < OFF[0] + OFF[1] * self.radius;
        (on && p.normal?.dot(&away) > FACES * d).then_some(s)
    }

    fn sides(&self) -> [Vec3; 2] {
        let u = self.along.cross(&if self.along.z.abs() < 0.8 { Vec3::z() } else { Vec3::x() }).normalize();
        [u, self.along.cross(&u)]
    }

    /// Once more by the places that lie on it: distances from the surface, Gauss–Newton.
    fn refined(&self, on: &[&Place]) -> Option<Self> {
        let mut a = *self;
        for _ in 0..4 {
            let [u, v] = a.sides();
            let (mut normal, mut right) = (Matrix5::zeros(), Vector5::zeros());
            for p in on {
                let (s, away) = a.of(&p.at);
                let d = away.norm().max(1e-6);
                let (x, y) = (away.dot(&u) / d, away.dot(&v) / d);
                let row = Vector5::new(x, y, s * x, s * y, 1.0);
                normal += row * row.transpose();
                right += row * (d - a.radius);
            }
            let step = normal.try_inverse()? * right;
            a.at += u * step[0] + v * step[1];
            a.along = (a.along + u * step[2] + v * step[3]).normalize();
            a.radius += step[4];
            if !(RADII[0]..RADII[1]).contains(&a.radius) {
                return None;
            }
        }
        Some(a)
    }
}

/// Cylinders that stand or lie in what was counted. `go_on` is told the share that was looked through; none when it says no.
pub fn rods(voxels: &Voxels, go_on: &mut dyn FnMut(f64) -> bool) -> Option<Vec<Start>> {
    let places = voxels.places();
    let found = Search::new(&places).all(go_on)?;
    Some(found.into_iter().map(|a| Start::Rod(a.reach.map(|s| a.at + a.along * s), a.radius)).collect())
}

struct Search<'a> {
    places: &'a [Place],
    cells: HashMap<[i32; 3], Vec<u32>>,
    free: Vec<bool>,
}

fn cell(p: &Vec3) -> [i32; 3] {
    [p.x, p.y, p.z].map(|v| (v / COARSE).floor() as i32)
}

impl<'a> Search<'a> {
    fn new(places: &'a [Place]) -> Self {
        let mut cells: HashMap<_, Vec<u32>> = HashMap::new();
        for (k, p) in places.iter().enumerate().filter(|p| p.1.normal.is_some()) {
            cells.entry(cell(&p.at)).or_default().push(k as u32);
        }
        Self { places, cells, free: vec![true; places.len()] }
    }

    fn within(&self, at: &Vec3, reach: f64) -> impl Iterator<Item = usize> + '_ {
        let n = (reach / COARSE).ceil() as i32;
        let ([x, y, z], at) = (cell(at), *at);
        let keys = (-n..=n).flat_map(move |i| (-n..=n).flat_map(move |j| (-n..=n).map(move |k| [x + i, y + j, z + k])));
        keys.filter_map(|k| self.cells.get(&k))
            .flatten()
            .map(|k| *k as usize)
            .filter(move |k| (self.places[*k].at - at).norm_squared() < reach * reach)
    }

    fn all(mut self, go_on: &mut dyn FnMut(f64) -> bool) -> Option<Vec<Axis>> {
        let mut out: Vec<Axis> = Vec::new();
        let mut tried = vec![false; self.places.len()];
        for seed in 0..self.places.len() {
            if seed % 1024 == 0 && !go_on(seed as f64 / self.places.len() as f64) {
                return None;
            }
            let p = &self.places[seed];
            if !self.free[seed] || tried[seed] || p.flat || p.normal.is_none() {
                continue;
            }
            let found = ABOUT.iter().find_map(|reach| self.followed(&self.start(seed, *reach)?));
            if let Some(axis) = found {
                self.take(&axis);
                out.push(axis);
            } else {
                for k in self.within(&p.at, 0.08).collect::<Vec<_>>() {
                    tried[k] = true;
                }
            }
        }
        Some(out)
    }

    /// A cylinder through a place, by what lies about it.
    fn start(&self, seed: usize, reach: f64) -> Option<Axis> {
        let p = &self.places[seed];
        let n = p.normal?;
        let about: Vec<&Place> = (self.within(&p.at, reach))
            .filter(|k| self.free[*k] && !self.places[*k].flat)
            .map(|k| &self.places[k])
            .collect();
        if about.len() < FEWEST {
            return None;
        }
        // in a hedge everything bends: no more than are needed are asked
        let every = about.len().div_ceil(MANY);
        let about: Vec<&Place> = about.into_iter().step_by(every).collect();
        let mut best: Option<(usize, Axis)> = None;
        // evenly out of all of them: the same each time
        for k in 0..TRIALS.min(about.len()) {
            let q = about[k * about.len() / TRIALS.min(about.len())];
            let m = q.normal?;
            let Some(along) = n.cross(&m).try_normalize(0.2) else { continue };
            // both are the radius away from the axis, against where they face
            let across = |v: Vec3| v - along * v.dot(&along);
            let (dp, dn) = (across(p.at - q.at), n - m);
            let radius = dp.dot(&dn) / dn.norm_squared();
            if !(RADII[0]..RADII[1]).contains(&radius) || (dp - dn * radius).norm() > OFF[0] + 0.1 * radius {
                continue;
            }
            let axis = Axis { at: p.at - n * radius, along, radius, reach: [-reach, reach] };
            let on = about.iter().filter(|p| axis.holds(p).is_some()).count();
            if best.as_ref().is_none_or(|b| on > b.0) {
                best = Some((on, axis));
            }
        }
        let (on, axis) = best?;
        if on < FEWEST {
            return None;
        }
        let on: Vec<&Place> = about.into_iter().filter(|p| axis.holds(p).is_some()).collect();
        let axis = axis.refined(&on)?;
        let along: Vec<f64> = on.iter().filter_map(|p| axis.holds(p)).collect();
        let reach = [along.iter().copied().fold(f64::MAX, f64::min), along.iter().copied().fold(f64::MIN, f64::max)];
        (reach[1] - reach[0] > 0.1).then_some(Axis { reach, ..axis })
    }

    /// Places on a cylinder within a part of it, with where along it.
    fn on(&self, axis: &Axis, part: [f64; 2]) -> Vec<(f64, &Place)> {
        let mut seen = std::collections::HashSet::new();
        let mut out = Vec::new();
        let steps = ((part[1] - part[0]) / COARSE).ceil() as i32;
        let n = ((axis.radius + 0.05) / COARSE).ceil() as i32;
        for k in 0..=steps {
            let [x, y, z] = cell(&(axis.at + axis.along * (part[0] + f64::from(k) * COARSE)));
            for i in -n..=n {
                for j in -n..=n {
                    for l in -n..=n {
                        let key = [x + i, y + j, z + l];
                        if !seen.insert(key) {
                            continue;
                        }
                        for &k in self.cells.get(&key).into_iter().flatten() {
                            let p = &self.places[k as usize];
                            if self.free[k as usize]
                                && let Some(s) = axis.holds(p)
                                && (part[0]..=part[1]).contains(&s)
                            {
                                out.push((s, p));
                            }
                        }
                    }
                }
            }
        }
        out
    }

    /// Followed along its axis as far as it is seen; none where it is none.
    fn followed(&self, start: &Axis) -> Option<Axis> {
        let mut axis = *start;
        for _ in 0..60 {
            let on = self.on(&axis, [axis.reach[0] - ON, axis.reach[1] + ON]);
            let near: Vec<&Place> =
                (on.iter()).filter(|p| p.0 > axis.reach[0] - BIN && p.0 < axis.reach[1] + BIN).map(|p| p.1).collect();
            if near.len() < FEWEST {
                return None;
            }
            axis = axis.refined(&near)?;
            let reach = stretch(&axis, &on)?;
            let grown = reach[0] < axis.reach[0] - BIN || reach[1] > axis.reach[1] + BIN;
            axis.reach = reach;
            if !grown {
                break;
            }
        }
        let on = self.on(&axis, axis.reach);
        let [u, v] = axis.sides();
        let angle = |p: &(f64, &Place)| {
            let away = axis.of(&p.1.at).1;
            away.dot(&v).atan2(away.dot(&u))
        };
        let long = axis.reach[1] - axis.reach[0];
        let arc = crate::draw::round::arc(on.iter().map(angle).collect());
        // so much of what is seen round is covered, in cells of the places
        let covered = on.len() as f64 * 9e-4 / (arc * axis.radius * long);
        (long > SHORTEST.max(0.8 * axis.radius) && on.len() >= 3 * FEWEST && arc > ARC && covered > 0.35)
            .then_some(axis)
    }

    fn take(&mut self, axis: &Axis) {
        let wide = Axis { reach: [axis.reach[0] - BIN, axis.reach[1] + BIN], ..*axis };
        let mut gone = Vec::new();
        for (k, p) in self.places.iter().enumerate() {
            let (s, away) = wide.of(&p.at);
            if s > wide.reach[0] && s < wide.reach[1] && (away.norm() - wide.radius).abs() < 0.03 {
                gone.push(k);
            }
        }
        for k in gone {
            self.free[k] = false;
        }
    }
}

/// From where to where places lie on it without too long a break, from its middle on.
fn stretch(axis: &Axis, on: &[(f64, &Place)]) -> Option<[f64; 2]> {
    let mut bins: HashMap<i32, usize> = HashMap::new();
    let bin = |s: f64| (s / BIN).floor() as i32;
    for p in on {
        *bins.entry(bin(p.0)).or_default() += 1;
    }
    // a quarter of what would lie on a third of it round
    let least = ((0.25 * 2.0 * axis.radius * 2.0 * BIN / 9e-4) as usize).clamp(2, 12);
    let full = |b: &i32| bins.get(b).is_some_and(|n| *n >= least);
    let middle = bin(f64::midpoint(axis.reach[0], axis.reach[1]));
    let first = (0..20).flat_map(|k| [middle - k, middle + k]).find(|b| full(b))?;
    let gap = (HIDDEN / BIN) as i32;
    let end = |step: i32| {
        let mut last = first;
        while let Some(next) = (1..=gap).map(|k| last + k * step).find(|b| full(b)) {
            last = next;
        }
        last
    };
    let (a, b) = (end(-1), end(1));
    Some([f64::from(a) * BIN, f64::from(b + 1) * BIN])
}
