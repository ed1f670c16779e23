//! What a profile across the ground shows: how high it is at a place, where it breaks and on what two heights, where two
//! slopes meet. Points and corners of features are measured in these.

use super::Stand;
use super::ground::{joined, shared};
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use crate::slice::Cut;
use crate::stats::{K95_1D, median};

/// What scans show in an upright slab.
#[derive(Clone, Copy, Debug)]
pub struct Profile<'a> {
    /// The slab: metres along it and upwards are from its middle.
    pub cut: &'a Cut,
    /// Points of each scan in it.
    pub scans: &'a [Vec<[f64; 2]>],
    /// Where each stood.
    pub stands: &'a [Stand],
    /// What they were taken with.
    pub instrument: &'a Instrument,
}

/// What of a profile is meant.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Snap {
    /// The lowest surface in the middle of it.
    Ground,
    /// The upper rim of the step that crosses it.
    Top,
    /// The foot of that step.
    Foot,
    /// Where two slopes meet, as at a ridge or in a ditch.
    Ridge,
}

/// A measured place of a feature.
#[derive(Clone, Debug, PartialEq)]
pub struct Shot {
    /// Where, in the frame of the slab, metres.
    pub at: Vec3,
    /// 95 % along the profile and in height, metres. Nothing along it where the place was given and the height was asked.
    pub error95: [f64; 2],
    /// Single points scatter about the surface by this, 1σ, metres.
    pub scatter: f64,
    /// Points it rests on.
    pub points: u32,
    /// Which scans show them.
    pub scans: Vec<usize>,
}

/// The ground about a place is taken from so far on both sides, metres.
const ABOUT: f64 = 0.12;
/// Points so near a break belong to neither side, and those of a side reach so far from it, metres.
const CLEAR: f64 = 0.015;
const REACH: f64 = 0.3;
/// Steps of the search for a break, metres.
const STEP: f64 = 0.005;
/// Points farther from a surface do not belong to it, metres.
const OFF: f64 = 0.02;
/// Slices that the lowest surface is looked for in, metres, and the share of the fullest that makes one a surface.
const SLICE: f64 = 0.02;
const FULL: f64 = 0.5;
/// Floors and kerbs are uneven by this, 1σ, metres: less than open ground.
const UNEVEN: f64 = 0.0012;
/// The face of a step is never known better than this, 1σ, metres.
const FINEST: f64 = 0.0007;
/// Fewer points tell no surface.
const FEW: usize = 6;
/// A step is at least so high, and slopes that meet differ at least by this (rise over run).
const LEAST_STEP: f64 = 0.015;
const LEAST_BEND: f64 = 0.06;

/// A straight surface in a profile: height at the middle and slope.
#[derive(Clone, Copy, Debug)]
struct Slope {
    z: f64,
    rise: f64,
    scatter: f64,
}

impl Slope {
    fn at(&self, u: f64) -> f64 {
        self.z + self.rise * u
    }

    fn off(&self, p: &[f64; 2]) -> f64 {
        p[1] - self.at(p[0])
    }
}

impl Profile<'_> {
    /// The place that is meant; none where the profile does not show it.
    pub fn shot(&self, snap: Snap) -> Option<Shot> {
        let floor = self.lowest()?;
        // what stands well over it is no ground
        let all: Vec<[f64; 2]> = self.scans.iter().flatten().filter(|p| (p[1] - floor).abs() < 0.6).copied().collect();
        match snap {
            Snap::Ground => {
                let near: Vec<_> = all.iter().filter(|p| p[0].abs() < ABOUT).copied().collect();
                let lowest = slices(&near)?;
                let slope = fitted(near.iter().filter(|p| (p[1] - lowest).abs() < 1.5 * SLICE))?;
                self.on(&slope, [-ABOUT, ABOUT], 0.0)
            }
            Snap::Top | Snap::Foot => {
                let (s, [left, right]) = broken(&all, |s, [a, b]| {
                    let step = (a.at(s) - b.at(s)).abs();
                    step > LEAST_STEP && step > 4.0 * a.scatter.max(b.scatter)
                })?;
                let left_is_high = left.at(s) > right.at(s);
                let (s, own) = rim(&all, s, &left, &right);
                let (side, part) = if left_is_high == (snap == Snap::Top) {
                    (left, [s - REACH, s - CLEAR])
                } else {
                    (right, [s + CLEAR, s + REACH])
                };
                self.across(self.on(&side, part, s)?, own)
            }
            Snap::Ridge => {
                let meet = |[a, b]: [Slope; 2]| (a.z - b.z) / (b.rise - a.rise);
                let (s, sides) =
                    broken(&all, |s, [a, b]| (a.rise - b.rise).abs() > LEAST_BEND && (meet([a, b]) - s).abs() < 0.06)?;
                let u = meet(sides);
                let [a, b] =
                    [self.on(&sides[0], [s - REACH, s - CLEAR], u)?, self.on(&sides[1], [s + CLEAR, s + REACH], u)?];
                let own = a.error95[1].hypot(b.error95[1]) / K95_1D / (sides[0].rise - sides[1].rise).abs();
                self.across(if a.error95[1] < b.error95[1] { a } else { b }, own)
            }
        }
    }

    /// Height of the lowest surface about the middle, or of any where nothing lies there.
    fn lowest(&self) -> Option<f64> {
        let near = |reach: f64| -> Vec<[f64; 2]> {
            self.scans.iter().flatten().filter(|p| p[0].abs() < reach).copied().collect()
        };
        slices(&near(2.0 * ABOUT)).or_else(|| slices(&near(f64::MAX)))
    }

    /// The height of a surface at `u`, from what each scan says of it on a part of the profile.
    fn on(&self, slope: &Slope, part: [f64; 2], u: f64) -> Option<Shot> {
        let at = self.cut.point([u, slope.at(u)]);
        let mut said = Vec::new();
        let mut scans = Vec::new();
        for (k, (points, stand)) in self.scans.iter().zip(self.stands).enumerate() {
            let off: Vec<f64> = points
                .iter()
                .filter(|p| p[0] >= part[0] && p[0] <= part[1])
                .map(|p| slope.off(p))
                .filter(|o| o.abs() < OFF)
                .collect();
            if off.len() < FEW {
                continue;
            }
            let n = off.len() as f64;
            let mean = off.iter().sum::<f64>() / n;
            let scatter = off.iter().map(|o| (o - mean).powi(2)).sum::<f64>() / (n - 1.0);
            // a height beside the part is known by its slope as well
            let middle = f64::midpoint(part[0], part[1]);
            let lever = 1.0 + 12.0 * ((u - middle) / (part[1] - part[0])).powi(2);
            said.push((at.z + mean, scatter / n * lever, shared(stand, self.instrument, &at), off.len() as u32));
            scans.push(k);
        }
        let cell = joined(&said, UNEVEN)?;
        let height95 = K95_1D * (cell.own + cell.common).sqrt();
        Some(Shot {
            at: Vec3::new(at.x, at.y, cell.height),
            error95: [0.0, height95],
            scatter: slope.scatter,
            points: cell.points,
            scans,
        })
    }

    /// With what its place along the profile is uncertain by: `own` (1σ), and what its scans have in common.
    fn across(&self, shot: Shot, own: f64) -> Option<Shot> {
        let along = self.cut.across;
        let common = shot.scans.iter().map(|&k| {
            let stand = &self.stands[k];
            let turn = (shot.at - stand.pose.translation).cross(&along);
            let row = nalgebra::Vector6::new(along.x, along.y, along.z, turn.x, turn.y, turn.z);
            let away = shot.at - stand.pose.translation;
            let d = away.norm().max(0.1);
            let s = &self.instrument.systematic;
            let range = s.common_range(d) * away.dot(&along).abs() / d;
            row.dot(&(stand.covariance * row)).max(0.0) + range * range
        });
        let least = common.reduce(f64::min)?;
        Some(Shot { error95: [K95_1D * (own * own + least).sqrt(), shot.error95[1]], ..shot })
    }
}

/// The height of the lowest slices that hold many points.
fn slices(points: &[[f64; 2]]) -> Option<f64> {
    let mut z: Vec<f64> = points.iter().map(|p| p[1]).collect();
    z.sort_by(f64::total_cmp);
    if z.len() < FEW {
        return None;
    }
    // points within a window from each on
    let held = |k: usize| z.partition_point(|v| *v <= z[k] + 2.0 * SLICE) - k;
    let most = (0..z.len()).map(held).max()?;
    let k = (0..z.len()).find(|&k| held(k) as f64 >= FULL * most as f64)?;
    Some(z[k + held(k) / 2])
}

/// A straight surface through points, once more without those that lie off it.
fn fitted<'a>(points: impl Iterator<Item = &'a [f64; 2]>) -> Option<Slope> {
    let mut points: Vec<[f64; 2]> = points.copied().collect();
    let mut last = None;
    for _ in 0..3 {
        if points.len() < FEW {
            return None;
        }
        let n = points.len() as f64;
        let mean = |k: usize| points.iter().map(|p| p[k]).sum::<f64>() / n;
        let [u, z] = [mean(0), mean(1)];
        let [mut uu, mut uz] = [0.0; 2];
        for p in &points {
            uu += (p[0] - u).powi(2);
            uz += (p[0] - u) * (p[1] - z);
        }
        // points at one place tell a height, and no slope
        let rise = if uu / n > 4e-4 { uz / uu } else { 0.0 };
        let mut slope = Slope { z: z - rise * u, rise, scatter: 0.0 };
        let mut off: Vec<f64> = points.iter().map(|p| slope.off(p).abs()).collect();
        slope.scatter = 1.4826 * median(&mut off)?;
        let limit = (3.0 * slope.scatter).clamp(0.003, OFF);
        let before = points.len();
        points.retain(|p| slope.off(p).abs() <= limit);
        last = Some(slope);
        if points.len() == before {
            break;
        }
    }
    last
}

/// Where a profile breaks into two straight surfaces that are as asked: the place that leaves least over.
fn broken(points: &[[f64; 2]], is: impl Fn(f64, [Slope; 2]) -> bool) -> Option<(f64, [Slope; 2])> {
    let far = points.iter().map(|p| p[0].abs()).fold(0.0, f64::max) - 0.08;
    let steps = (far / STEP).floor() as i32;
    let mut best: Option<(f64, f64, [Slope; 2])> = None;
    for s in (-steps..=steps).map(|k| f64::from(k) * STEP) {
        let side = |from: f64, to: f64| points.iter().filter(move |p| p[0] >= from && p[0] <= to);
        let surface = |from: f64, to: f64| {
            // of what lies on that side the surface that most points are on
            let first = fitted(side(from, to))?;
            let on = side(from, to).filter(|p| first.off(p).abs() < OFF).count();
            (on * 2 >= side(from, to).count()).then_some(first)
        };
        let (Some(a), Some(b)) = (surface(s - REACH, s - CLEAR), surface(s + CLEAR, s + REACH)) else { continue };
        if !is(s, [a, b]) {
            continue;
        }
        let left = |slope: &Slope, from: f64, to: f64| {
            let (sum, n) = side(from, to).fold((0.0, 0), |(sum, n), p| (sum + slope.off(p).abs().min(OFF), n + 1));
            (sum, n)
        };
        let ((p, n), (q, m)) = (left(&a, s - REACH, s - CLEAR), left(&b, s + CLEAR, s + REACH));
        let over = (p + q) / f64::from(n + m);
        if best.as_ref().is_none_or(|b| over < b.0) {
            best = Some((over, s, [a, b]));
        }
    }
    best.map(|(_, s, sides)| (s, sides))
}

/// Where a step stands, by the points that lie on its face or, where none do, by where the two surfaces end; and its 1σ.
fn rim(points: &[[f64; 2]], s: f64, left: &Slope, right: &Slope) -> (f64, f64) {
    let near = || points.iter().filter(|p| (p[0] - s).abs() < 0.05);
    let between = |p: &[f64; 2]| {
        let share = (p[1] - left.at(p[0])) / (right.at(p[0]) - left.at(p[0]));
        (0.2..=0.8).contains(&share)
    };
    let mut face: Vec<f64> = near().filter(|p| between(p)).map(|p| p[0]).collect();
    if face.len() >= 4
        && let Some(middle) = median(&mut face)
    {
        let mut off: Vec<f64> = face.iter().map(|u| (u - middle).abs()).collect();
        let spread = 1.4826 * median(&mut off).unwrap_or(0.0);
        if spread < 0.01 {
            return (middle, (spread / (face.len() as f64).sqrt()).max(FINEST));
        }
    }
    let ends = |p: &&[f64; 2], of: &Slope, other: &Slope| of.off(p).abs() < other.off(p).abs() && of.off(p).abs() < OFF;
    let last = near().filter(|p| ends(p, left, right)).map(|p| p[0]).reduce(f64::max);
    let first = near().filter(|p| ends(p, right, left)).map(|p| p[0]).reduce(f64::min);
    match (last, first) {
        (Some(last), Some(first)) => {
            let apart = (first - last).abs().max(2.0 * STEP);
            (f64::midpoint(first, last).clamp(s - 0.05, s + 0.05), apart / 12_f64.sqrt())
        }
        _ => (s, CLEAR),
    }
}
