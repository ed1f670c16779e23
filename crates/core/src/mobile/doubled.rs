use super::Piece;
use crate::geometry::{Pose, Vec3};
use crate::stats::median;
use rayon::prelude::*;
use std::collections::HashMap;

/// A surface that was seen at two times and lies at two places.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Sheet {
    /// Where, metres.
    pub at: Vec3,
    /// From the earlier sheet to the later one, along the normal of the surface, metres.
    pub offset: Vec3,
    /// σ of that, metres.
    pub sigma: f64,
    /// When it was seen, earlier and later, seconds.
    pub times: [f64; 2],
}

/// What of the surfaces that were seen twice lies double.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Doubled {
    /// Square metres or so that were seen at two times, and how many of these lie double.
    pub compared: usize,
    /// Of these, lie double.
    pub double: usize,
    /// Root mean square of all offsets, metres.
    pub rms: f64,
    /// The clearest, not more than one within some metres.
    pub worst: Vec<Sheet>,
}

/// Visits are this far apart in time, seconds.
const LATER: f64 = 20.0;
/// Side of the squares that are compared, metres.
const SIDE: f64 = 1.0;
/// Sheets farther apart than this are two surfaces, metres.
const FARTHEST: f64 = 0.5;
/// A point of the one sheet lies over one of the other within this, metres.
const OVER: f64 = 0.1;
/// What lies over one place of a surface differs by more where it has a step, metres.
const STEP: f64 = 0.08;
/// Fewest points of a visit on a square.
const FEWEST: usize = 12;
/// And most, of the visit that is set against the other, and of that.
const OF_LATE: usize = 300;
const OF_EARLY: usize = 1200;
/// What two visits of one surface differ by without any drift: edges, roughness, each piece bent in itself, metres.
const FLOOR: f64 = 0.003;
/// Offsets from this many σ on are double surfaces.
const CLEAR: f64 = 3.0;
/// The clearest are at least this far apart, metres, and so many.
const APART: f64 = 3.0;
const SHOWN: usize = 24;

/// Cosine of the incidence from which on the side is known, and vertical part of the normal of level ground.
const GRAZED: f64 = 0.25;
const LEVEL: f64 = 0.97;

/// A point with its normal and the time it was seen.
#[derive(Clone, Copy)]
struct Spot {
    at: Vec3,
    normal: Vec3,
    time: f64,
}

/// Seen along the surface nobody knows which side of it was seen: the two faces of a thin wall would pass for one that lies
/// double. Level ground has one side.
fn grazed(from: &Vec3, normal: &Vec3) -> bool {
    normal.z.abs() < LEVEL && normal.dot(from).abs() < GRAZED * from.norm()
}

/// Which way a normal looks, of six.
fn facing(n: &Vec3) -> u8 {
    let k = n.iamax();
    2 * k as u8 + u8::from(n[k] < 0.0)
}

/// Looks for surfaces that a pass shows double, where the poses of its pieces put them.
///
/// Two sheets face alike and were seen at two times. A surface with steps, seen twice, is no double surface: each
/// point is set against what of the other visit lies over or under it, and at a step against the nearest of that.
pub fn doubled(pieces: &[Piece], poses: &[Pose]) -> Doubled {
    let mut squares: HashMap<([i32; 3], u8), Vec<Spot>> = HashMap::new();
    for (piece, pose) in pieces.iter().zip(poses) {
        let known = |(at, n): &(Vec3, Vec3)| *n != Vec3::zeros() && !grazed(&(at - pose.translation), n);
        for (at, normal) in piece.cloud.placed(pose).filter(known) {
            let cell = [at.x, at.y, at.z].map(|v| (v / SIDE).floor() as i32);
            squares.entry((cell, facing(&normal))).or_default().push(Spot { at, normal, time: piece.time });
        }
    }
    let mut squares: Vec<_> = squares.into_iter().collect();
    squares.sort_unstable_by_key(|s| s.0);
    let sheets: Vec<Sheet> = squares.par_iter().filter_map(|(_, spots)| compare(spots)).collect();
    let double = |s: &&Sheet| s.offset.norm() > CLEAR * s.sigma;
    let mut clear: Vec<&Sheet> = sheets.iter().filter(double).collect();
    clear.sort_by(|a, b| (b.offset.norm() / b.sigma).total_cmp(&(a.offset.norm() / a.sigma)));
    let mut worst: Vec<Sheet> = Vec::new();
    for s in &clear {
        if worst.len() < SHOWN && worst.iter().all(|w| (w.at - s.at).norm() > APART) {
            worst.push(**s);
        }
    }
    Doubled {
        compared: sheets.len(),
        double: clear.len(),
        rms: (sheets.iter().map(|s| s.offset.norm_squared()).sum::<f64>() / sheets.len().max(1) as f64).sqrt(),
        worst,
    }
}

/// Two visits of one square; `None` where there was one only, or too little of it.
fn compare(spots: &[Spot]) -> Option<Sheet> {
    let mut times: Vec<f64> = spots.iter().map(|s| s.time).collect();
    times.sort_by(f64::total_cmp);
    // the widest gap parts the two visits
    let (gap, cut) =
        times.windows(2).map(|w| (w[1] - w[0], f64::midpoint(w[0], w[1]))).max_by(|a, b| a.0.total_cmp(&b.0))?;
    if gap < LATER {
        return None;
    }
    let (early, late): (Vec<&Spot>, Vec<&Spot>) = spots.iter().partition(|s| s.time < cut);
    if early.len() < FEWEST || late.len() < FEWEST {
        return None;
    }
    // a dense cloud says no more of one square than some hundreds of its points
    let (early, late) = (thinned(early, OF_EARLY), thinned(late, OF_LATE));
    let normal = early.iter().map(|s| s.normal).sum::<Vec3>().try_normalize(1e-9)?;
    // what is not one flat thing has no one offset
    if early.iter().chain(&late).filter(|s| s.normal.dot(&normal) < 0.9).count() * 4 > early.len() + late.len() {
        return None;
    }
    let mut cells: HashMap<[i32; 2], Vec<&Spot>> = HashMap::new();
    let (u, v) = across(&normal);
    let flat = |s: &Spot| [s.at.dot(&u), s.at.dot(&v)].map(|c| (c / OVER).floor() as i32);
    for s in &early {
        cells.entry(flat(s)).or_default().push(s);
    }
    let mut offsets: Vec<f64> = late
        .iter()
        .filter_map(|s| {
            let [x, y] = flat(s);
            let over = (-1..=1).flat_map(|i| (-1..=1).map(move |j| [x + i, y + j]));
            let over = over.filter_map(|c| cells.get(&c)).flatten();
            let lies = |e: &&&Spot| {
                let off = s.at - e.at;
                (off - normal * off.dot(&normal)).norm() < OVER && off.dot(&normal).abs() < FARTHEST
            };
            let mut near: Vec<f64> = over.filter(lies).map(|e| (s.at - e.at).dot(&normal)).collect();
            near.sort_by(f64::total_cmp);
            // of one surface its middle, of a step what lies nearest
            if near.last()? - near[0] < STEP {
                return median(&mut near);
            }
            near.into_iter().min_by(|a, b| a.abs().total_cmp(&b.abs()))
        })
        .collect();
    if offsets.len() < FEWEST {
        return None;
    }
    let middle = median(&mut offsets)?;
    let mut scatter: Vec<f64> = offsets.iter().map(|o| (o - middle).abs()).collect();
    let sigma = 1.4826 * median(&mut scatter)?;
    // neighbours share their noise: a tenth of them know something of their own
    let sigma = (sigma * sigma / (offsets.len() as f64 / 10.0).max(1.0) + FLOOR * FLOOR).sqrt();
    let mean = |of: &[&Spot]| of.iter().map(|s| s.time).sum::<f64>() / of.len() as f64;
    let at = spots.iter().map(|s| s.at).sum::<Vec3>() / spots.len() as f64;
    Some(Sheet { at, offset: normal * middle, sigma, times: [mean(&early), mean(&late)] })
}

/// About so many of them, evenly.
fn thinned(of: Vec<&Spot>, most: usize) -> Vec<&Spot> {
    let step = of.len().div_ceil(most).max(1);
    if step == 1 { of } else { of.into_iter().step_by(step).collect() }
}

/// Two directions in a surface.
fn across(normal: &Vec3) -> (Vec3, Vec3) {
    let other = if normal.z.abs() < 0.9 { Vec3::z() } else { Vec3::x() };
    let u = normal.cross(&other).normalize();
    (u, normal.cross(&u))
}
