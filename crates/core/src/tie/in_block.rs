//! Where a scan stands that shares little with any other, by all that a block shows and saw through.

use super::clouds::{Approach, tie_near};
use super::correlate::{both_ways, peaks, smooth, wrap};
use super::plan_view::PlanView;
use super::search::{HARM, same};
use super::shown::CLOSE;
use super::{Compared, Shown};
use crate::cloud::WorkingCloud;
use crate::geometry::{Pose, Vec3};
use rayon::prelude::*;
use rustfft::FftPlanner;
use rustfft::num_complex::Complex32;

/// The place of a scan in a block, with what the scans of the block say of it.
#[derive(Clone, Debug, PartialEq)]
pub struct PlaceInBlock {
    /// Pose in the frame of the block.
    pub pose: Pose,
    /// Scans of the block that see something of it, as indices into those given, who shares most first.
    pub witnesses: Vec<usize>,
    /// Sum over them of what is shared, the better way round, as shares of a scan.
    pub shared: f64,
    /// The same less what was seen through, so many times.
    score: f64,
}

/// Side of a pixel, metres, where the block is not too wide for it.
const PIXEL: f64 = 0.2;
/// Most pixels a side.
const WIDEST: usize = 2048;
/// Places kept of one heading.
const PLACES: usize = 200;
/// A pixel that was seen through speaks so many times louder than one that agrees.
const LOUDER: f32 = 0.7;
/// Places looked at by what the scans saw, and those of them that are followed to their end.
const LOOKED_AT: usize = 1500;
const FOLLOWED: usize = 24;
/// So many lots of them at most.
const ROUNDS: usize = 6;
/// What is taken for a conflict while the place is roughly known, metres.
const ROUGH: f64 = 0.25;
/// Upright surfaces this near to the height of an instrument are what its level rays meet, metres.
const BAND: f64 = 0.3;
/// A scanner that leans less looks level, radians.
const LEVEL: f64 = 0.01;
/// A level ray is taken to pass freely to here before what it met, metres.
const BEFORE: f64 = 0.4;
/// Points of each scan that a place is fitted to while it is roughly known.
const ENOUGH: usize = 50_000;
/// Scans that a place is fitted to at once.
const AT_ONCE: usize = 6;
/// Share of what a scan shows, or of what it is asked about, that makes it a witness.
const WITNESS: f64 = 0.02;
/// Share of its places that a scan sees through by chance where it sees nothing of another: edges, and what moved. A block
/// has many scans, and each of them is asked.
const STRAY: f64 = 0.001;
/// Less than this in all decides nothing.
const LEAST: f64 = 0.08;
/// What is seen through, counted [`HARM`] times, leaves so much of what is shared at the right place; at wrong ones in a
/// row of like rooms it leaves less than nothing (`crates/sim/tests/truth/ties.rs`).
const AGREED: f64 = 0.4;
/// Another place this near to the best leaves it open which is the right one,
const RIVAL: f64 = 0.5;
/// and so does one that shares this much beside it while nothing speaks against it.
const RIVAL_SHARE: f64 = 0.25;
/// So many places that look alike are told.
const ALIKE: usize = 4;

/// Finds the place of a scan in a block of scans, each with its pose in the frame of the block.
///
/// Pairs of scans that see one another through a door share a tenth and less, and in a row of like rooms many places are
/// as good for one pair. For a block as a whole they are not: somebody saw through nearly all of them. Plan views are
/// correlated over heading and shift (as in [`PlanView::starts`]), surfaces that face alike speaking for a place and what
/// one saw through and the other shows against it; the likeliest places are looked at and fitted in space with all scans
/// of the block that see something there.
///
/// `None` where too little is shared, something was seen through, or another place is nearly as good.
pub fn place_in_block(block: &[(&Shown, Pose)], loose: &Shown) -> Option<PlaceInBlock> {
    placed(block, loose, (CLOSE, HARM)).ok()
}

/// The same of what is bent by so much (metres) within itself: places that lie nearer to one another say nothing of it. The pose
/// is as good as that.
///
/// # Errors
/// The places that nothing contradicts, the likeliest first, where there are several or none.
pub(crate) fn place_bent_in_block(block: &[(&Shown, Pose)], bent: &Shown, by: f64) -> Result<PlaceInBlock, Vec<Pose>> {
    placed(block, bent, (CLOSE + by, HARM * CLOSE / (CLOSE + by)))
}

/// By what is taken for a conflict, metres, and the harm it does.
type Judged = (f64, f64);

fn placed(block: &[(&Shown, Pose)], loose: &Shown, judged: Judged) -> Result<PlaceInBlock, Vec<Pose>> {
    // about its middle: single precision is enough there
    let middle = block.iter().map(|b| b.1.translation).sum::<Vec3>() / block.len().max(1) as f64;
    // and upright, by what its first scan takes for it
    let (first, at) = block.first().ok_or_else(Vec::new)?;
    let upright = first.up * at.rotation.inverse();
    let there = Pose { rotation: upright, translation: -(upright * middle) };
    let block: Vec<(&Shown, Pose)> = block.iter().map(|(s, at)| (*s, there.compose(at))).collect();
    let back = there.inverse();
    let of = |p: &Pose| back.compose(p);
    best_place(&block, loose, judged)
        .map(|best| PlaceInBlock { pose: of(&best.pose), ..best })
        .map_err(|alike| alike.iter().map(of).collect())
}

fn best_place(block: &[(&Shown, Pose)], loose: &Shown, judged: Judged) -> Result<PlaceInBlock, Vec<Pose>> {
    let starts = starts(block, loose);
    let mut rough: Vec<(f64, Pose)> =
        starts.par_iter().take(LOOKED_AT).map(|p| (asked(block, loose, p, (ROUGH, 600, 3.0)).score, *p)).collect();
    rough.sort_by(|a, b| b.0.total_cmp(&a.0));
    let mut apart: Vec<Pose> = Vec::new();
    for (_, pose) in rough {
        if apart.len() < ROUNDS * FOLLOWED && apart.iter().all(|p| !same(p, &pose)) {
            apart.push(pose);
        }
    }
    // where rooms are alike, dozens of wrong places look better at first sight: on to the next lot while nothing agrees,
    // and one lot farther for what is as good
    let uncontradicted = |p: &PlaceInBlock| p.score > AGREED * p.shared;
    let (mut found, mut agreed): (Vec<PlaceInBlock>, bool) = (Vec::new(), false);
    for lot in apart.chunks(FOLLOWED) {
        let more: Vec<PlaceInBlock> = lot.par_iter().filter_map(|p| followed(block, loose, p, judged)).collect();
        found.extend(more);
        if agreed {
            break;
        }
        agreed = found.iter().any(|p| p.shared >= LEAST && uncontradicted(p));
    }
    found.sort_by(|a, b| b.score.total_cmp(&a.score));
    let mut best = found.first().ok_or_else(Vec::new)?.clone();
    let rival = |p: &PlaceInBlock| {
        !same(&p.pose, &best.pose)
            && (p.score > RIVAL * best.score || uncontradicted(p) && p.shared > RIVAL_SHARE * best.shared)
    };
    if best.shared < LEAST || !uncontradicted(&best) || found.iter().any(rival) {
        let mut alike: Vec<Pose> = Vec::new();
        for p in found.iter().filter(|p| p.shared >= LEAST.max(RIVAL_SHARE * best.shared) && uncontradicted(p)) {
            if alike.len() < ALIKE && alike.iter().all(|o| !same(o, &p.pose)) {
                alike.push(p.pose);
            }
        }
        return Err(alike);
    }
    if judged.0 > CLOSE {
        return Ok(best);
    }
    let seen_by = together(block, &best.witnesses, usize::MAX);
    best.pose = tie_near(&seen_by, &loose.cloud, &best.pose).ok_or_else(Vec::new)?.relative;
    Ok(best)
}

/// A place fitted to all scans of the block that see something of it there, and what they say then.
fn followed(block: &[(&Shown, Pose)], loose: &Shown, start: &Pose, (close, harm): Judged) -> Option<PlaceInBlock> {
    let seen = asked(block, loose, start, (ROUGH, 600, 3.0));
    let pose = Approach::new(&together(block, &seen.witnesses, ENOUGH), &loose.cloud).from(start)?;
    Some(asked(block, loose, &pose, (close, 3000, harm)))
}

/// The surfaces of those scans of the block that share most, in its frame, about so many points of each.
fn together(block: &[(&Shown, Pose)], witnesses: &[usize], enough: usize) -> WorkingCloud {
    let mut out = WorkingCloud::default();
    for (Shown { cloud, .. }, at) in witnesses.iter().take(AT_ONCE).map(|&k| block[k]) {
        let all = cloud.points.iter().zip(&cloud.normals).zip(&cloud.counts).filter(|((_, n), _)| **n != [0; 3]);
        for ((p, n), c) in all.step_by((cloud.points.len() / enough).max(1)) {
            out.points.push(at.apply(&Vec3::from(p.map(f64::from))).map(|v| v as f32).into());
            out.normals.push((at.rotation * Vec3::from(n.map(f64::from))).map(|v| v.round() as i8).into());
            out.counts.push(*c);
        }
    }
    out
}

/// What the scans of the block say of a place: by a tolerance in metres, about so many points a scan, and so much harm
/// that what was seen through does.
fn asked(
    block: &[(&Shown, Pose)],
    loose: &Shown,
    pose: &Pose,
    (tolerance, most, harm): (f64, usize, f64),
) -> PlaceInBlock {
    let mut sharing: Vec<(f64, usize)> = Vec::new();
    let mut out = PlaceInBlock { pose: *pose, witnesses: Vec::new(), shared: 0.0, score: 0.0 };
    for (k, (shown, at)) in block.iter().enumerate() {
        let c = Compared::of(shown, loose, &at.inverse().compose(pose), tolerance, most);
        let shared = c.overlap[0].max(c.overlap[1]);
        if shared > WITNESS {
            sharing.push((shared, k));
            out.shared += shared;
            out.score += c.score(harm);
        } else {
            // who sees nothing of it there, and through it, speaks too
            out.score -= harm * c.through.iter().map(|t| (t - STRAY).max(0.0)).sum::<f64>() / 2.0;
        }
    }
    sharing.sort_by(|a, b| b.0.total_cmp(&a.0));
    out.witnesses = sharing.into_iter().map(|s| s.1).collect();
    out
}

/// Places by the plan views, the likeliest first.
fn starts(block: &[(&Shown, Pose)], loose: &Shown) -> Vec<Pose> {
    let views: Vec<(&PlanView, Pose)> = block.iter().map(|(s, at)| (&s.plan, standing(s, at))).collect();
    let whole = PlanView::together(&views);
    let rises = whole.rises(&loose.plan);
    let span = whole.reach + 2.0 * loose.plan.reach;
    let size = smooth((2.0 * span / PIXEL) as usize).clamp(64, WIDEST);
    let pixel = (2.0 * span / size as f64).max(PIXEL);
    let mut planner = FftPlanner::new();
    let (there, back) = (planner.plan_fft_forward(size), planner.plan_fft_inverse(size));
    let transformed = |picture| both_ways(&*there, picture, size);
    let pictures = |view: &PlanView, heading: f64| faces(view, heading, size, pixel).map(transformed);
    let (mine, passed) = (pictures(&whole, 0.0), transformed(Level::of(block).picture(0.0, size, pixel)));
    let alone = Level::of(&[(loose, Pose { rotation: loose.up, ..Pose::identity() })]);
    let at = |heading: f64| {
        let theirs = pictures(&loose.plan, heading);
        // real and imaginary part of the one changed: what the one saw through meets what the other shows
        let mut met = alone.picture(heading, size, pixel);
        for v in &mut met {
            *v = Complex32::new(v.im, v.re);
        }
        let met = transformed(met);
        let alike = (0..size * size).map(|k| {
            let faced: Complex32 = (0..2).map(|f| mine[f][k] * theirs[f][k].conj()).sum();
            faced - passed[k] * met[k].conj() * LOUDER
        });
        let alike = both_ways(&*back, alike.collect(), size);
        let places = peaks(&alike, size, PLACES).into_iter().flat_map(|(x, y, likeness)| {
            rises.iter().map(move |(rise, part)| {
                (likeness * part, Pose::levelled(heading, Vec3::new(x * pixel, y * pixel, *rise)))
            })
        });
        places.collect::<Vec<_>>()
    };
    let mut found: Vec<(f64, Pose)> = Vec::new();
    found.par_extend(whole.turns(&loose.plan).into_par_iter().flat_map_iter(at));
    found.sort_by(|a, b| b.0.total_cmp(&a.0));
    found.into_iter().map(|f| Pose { rotation: f.1.rotation * loose.up, ..f.1 }).collect()
}

/// The pose of the upright axes of a scan.
fn standing(scan: &Shown, at: &Pose) -> Pose {
    Pose { rotation: at.rotation * scan.up.inverse(), ..*at }
}

/// The upright surfaces on pixels by the way they face: east and north as real and imaginary parts, west and south. The
/// two sides of a wall are two things, and say nothing of one another.
fn faces(view: &PlanView, heading: f64, size: usize, pixel: f64) -> [Vec<Complex32>; 2] {
    let place = Turned::new(heading, size, pixel);
    let mut out = [vec![Complex32::default(); size * size], vec![Complex32::default(); size * size]];
    for u in &view.upright {
        let (cell, n) = (place.cell(u.at), place.turn(u.normal));
        out[0][cell] += Complex32::new(n[0].max(0.0), n[1].max(0.0));
        out[1][cell] += Complex32::new((-n[0]).max(0.0), (-n[1]).max(0.0));
    }
    // a high wall says no more than a low one
    out.iter_mut().flatten().for_each(|v| *v /= v.norm().max(1.0));
    out
}

/// From places on the plan to pixels.
struct Turned {
    sin: f32,
    cos: f32,
    half: f32,
    scale: f32,
    size: usize,
}

impl Turned {
    fn new(heading: f64, size: usize, pixel: f64) -> Self {
        let (sin, cos) = (heading.sin() as f32, heading.cos() as f32);
        Self { sin, cos, half: size as f32 / 2.0, scale: 1.0 / pixel as f32, size }
    }

    fn turn(&self, v: [f32; 2]) -> [f32; 2] {
        [self.cos * v[0] - self.sin * v[1], self.sin * v[0] + self.cos * v[1]]
    }

    fn cell(&self, at: [f32; 2]) -> usize {
        let [i, j] = self.turn(at).map(|v| wrap((v * self.scale + self.half).floor() as i64, self.size));
        j * self.size + i
    }
}

/// What level rays met, and where they passed.
struct Level {
    solid: Vec<[f32; 2]>,
    free: Vec<[f32; 2]>,
}

impl Level {
    fn of(scans: &[(&Shown, Pose)]) -> Self {
        let (mut solid, mut free) = (Vec::new(), Vec::new());
        for (shown, at) in scans {
            let stands = standing(shown, at);
            let put = |to: &mut Vec<[f32; 2]>, p: Vec3| to.push(stands.apply(&p).xy().map(|v| v as f32).into());
            for u in shown.plan.upright.iter().filter(|u| f64::from(u.up).abs() < BAND) {
                put(&mut solid, Vec3::new(u.at[0].into(), u.at[1].into(), 0.0));
            }
            // what a leaning scanner takes for level rises and falls
            if shown.up.angle() > LEVEL {
                continue;
            }
            for (azimuth, range) in shown.sight.level() {
                let (sin, cos) = azimuth.sin_cos();
                let steps = ((range - BEFORE) / (0.7 * PIXEL)).max(0.0) as usize;
                (2..steps)
                    .map(|k| k as f64 * 0.7 * PIXEL)
                    .for_each(|d| put(&mut free, Vec3::new(d * cos, d * sin, 0.0)));
            }
        }
        Self { solid, free }
    }

    /// Passed pixels as ones, met ones as imaginary ones.
    fn picture(&self, heading: f64, size: usize, pixel: f64) -> Vec<Complex32> {
        let place = Turned::new(heading, size, pixel);
        let mut out = vec![Complex32::default(); size * size];
        self.free.iter().for_each(|p| out[place.cell(*p)].re = 1.0);
        self.solid.iter().for_each(|p| out[place.cell(*p)].im = 1.0);
        out
    }
}
