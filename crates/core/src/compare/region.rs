use super::{Cell, SPACING};
use crate::geometry::Vec3;
use crate::stats::median;
use crate::tie::key;
use std::collections::HashMap;

/// What is the matter with a region.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Kind {
    /// Both show a surface, and they lie apart.
    Apart,
    /// The first shows something where the second saw through.
    FirstOnly,
    /// The second shows something where the first saw through.
    SecondOnly,
}

/// Places beside one another that changed.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Region {
    /// What is the matter.
    pub kind: Kind,
    /// Its middle, metres.
    pub middle: Vec3,
    /// How far it reaches from there, metres.
    pub reach: f64,
    /// Area, m².
    pub area: f64,
    /// Median distance, metres; none where only one shows something.
    pub distance: Option<f64>,
    /// 95 % of a single place, metres; 0 where only one shows something.
    pub detectable: f64,
}

/// Places that hang together are no farther apart than this, metres.
const NEAR: f64 = 1.6 * SPACING;
/// Fewest places of a region, and of one whose surfaces lie apart; and how far beyond the level of detection the half of
/// those lie: among the hundred thousands of places of a job some lie beside one another by chance.
const FEWEST: usize = 6;
const FEWEST_APART: usize = 10;
const BEYOND: f64 = 2.0;
/// What stands there in one scan only is so wide across, 1σ of its places, metres: a line is an edge.
const WIDE: f64 = 0.07;

/// Regions whose surfaces lie apart, by what is `left` of the distances of the cells.
pub(super) fn apart(cells: &[Cell], left: &[f64]) -> Vec<Region> {
    let out: Vec<usize> = (0..cells.len()).filter(|&k| left[k].abs() > cells[k].detectable).collect();
    let places: Vec<Vec3> = out.iter().map(|&k| cells[k].at).collect();
    let hangs = |a: usize, b: usize| {
        let (p, q) = (out[a], out[b]);
        left[p] * left[q] > 0.0 && cells[p].normal.dot(&cells[q].normal) > 0.7
    };
    let of = |part: &Vec<usize>| {
        let own: Vec<usize> = part.iter().map(|&k| out[k]).collect();
        let middle = |of: &dyn Fn(usize) -> f64| median(&mut own.iter().map(|&k| of(k)).collect::<Vec<_>>());
        let beyond = middle(&|k| left[k].abs() / cells[k].detectable.max(1e-9))?;
        (beyond > BEYOND).then_some(())?;
        let (distance, detectable) = (middle(&|k| left[k])?, middle(&|k| cells[k].detectable)?);
        Some(Region { distance: Some(distance), detectable, ..region(Kind::Apart, &places, part) })
    };
    parts(&places, &hangs).iter().filter(|p| p.len() >= FEWEST_APART).filter_map(of).collect()
}

/// Regions of places that one scan shows alone.
pub(super) fn alone(places: &[Vec3], kind: Kind) -> Vec<Region> {
    let wide = |part: &Vec<usize>| {
        let n = part.len() as f64;
        let middle = part.iter().map(|&k| places[k]).sum::<Vec3>() / n;
        let square = part.iter().map(|&k| (places[k] - middle) * (places[k] - middle).transpose());
        let mut spread: [f64; 3] = (square.sum::<crate::geometry::Mat3>() / n).symmetric_eigenvalues().into();
        spread.sort_by(f64::total_cmp);
        spread[1].max(0.0).sqrt() > WIDE
    };
    let found = parts(places, &|_, _| true);
    found.iter().filter(|p| p.len() >= FEWEST && wide(p)).map(|p| region(kind, places, p)).collect()
}

fn region(kind: Kind, places: &[Vec3], part: &[usize]) -> Region {
    let middle = part.iter().map(|&k| places[k]).sum::<Vec3>() / part.len() as f64;
    let reach = part.iter().map(|&k| (places[k] - middle).norm()).fold(0.0, f64::max) + SPACING / 2.0;
    let area = part.len() as f64 * SPACING * SPACING;
    Region { kind, middle, reach, area, distance: None, detectable: 0.0 }
}

/// Places that hang together.
fn parts(places: &[Vec3], hangs: &dyn Fn(usize, usize) -> bool) -> Vec<Vec<usize>> {
    let mut cells: HashMap<[i32; 3], Vec<usize>> = HashMap::new();
    for (k, p) in places.iter().enumerate() {
        cells.entry(key(p, NEAR)).or_default().push(k);
    }
    let mut taken = vec![false; places.len()];
    let mut out = Vec::new();
    for first in 0..places.len() {
        if std::mem::replace(&mut taken[first], true) {
            continue;
        }
        let mut part = vec![first];
        let mut next = 0;
        while let Some(&here) = part.get(next) {
            next += 1;
            let [x, y, z] = key(&places[here], NEAR);
            for n in 0..27 {
                for &k in cells.get(&[x + n % 3 - 1, y + n / 3 % 3 - 1, z + n / 9 - 1]).into_iter().flatten() {
                    if !taken[k] && (places[k] - places[here]).norm() < NEAR && hangs(here, k) {
                        taken[k] = true;
                        part.push(k);
                    }
                }
            }
        }
        out.push(part);
    }
    out
}

/// Something that several pairs of scans have seen to have changed.
#[derive(Clone, Debug, PartialEq)]
pub struct Thing {
    /// The largest of its regions, in the common frame.
    pub region: Region,
    /// Pairs that show it, and how: indices into what was given, with the kind there.
    pub pairs: Vec<(usize, Kind)>,
}

/// Brings together what several pairs say of the same place. Regions are in one frame; the number is that of their pair.
pub fn things(regions: &[(usize, Region)]) -> Vec<Thing> {
    let mut by_size: Vec<&(usize, Region)> = regions.iter().collect();
    by_size.sort_by(|a, b| b.1.area.total_cmp(&a.1.area).then(a.0.cmp(&b.0)));
    let mut out: Vec<Thing> = Vec::new();
    for (pair, r) in by_size {
        let same = |t: &&mut Thing| {
            let (a, b) = (t.region.kind == Kind::Apart, r.kind == Kind::Apart);
            a == b && (t.region.middle - r.middle).norm() < t.region.reach.max(0.4)
        };
        match out.iter_mut().find(same) {
            Some(t) => t.pairs.push((*pair, r.kind)),
            None => out.push(Thing { region: *r, pairs: vec![(*pair, r.kind)] }),
        }
    }
    out
}
