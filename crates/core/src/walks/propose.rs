use super::course::course;
use super::split::straightened;
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use crate::mobile::Unit;
use crate::plan::{Bvh, Demand, Floor, Sample, Site, Station, Wish, candidates, length, look_round, sample};
use nalgebra::Vector2;
use rayon::prelude::*;

/// What walks are wanted.
#[derive(Clone, Debug)]
pub struct WalkWish {
    /// Where each begins and ends: a door. Metres.
    pub start: Vector2<f64>,
    /// Height of the floor, metres.
    pub floor: f64,
    /// Share of what can be shown from the floor that has to be, 0..1.
    pub share: f64,
}

/// Walks that were found.
#[derive(Clone, Debug, PartialEq)]
pub struct Proposed {
    /// Their lines, metres: each from the start and back to it.
    pub lines: Vec<Vec<Vector2<f64>>>,
    /// Share of what can be shown that they show by their places of looking.
    pub covered: f64,
    /// Places looked from, with a small loop at each where there is room.
    pub places: usize,
}

/// Why none was found.
#[derive(Clone, Copy, Debug, PartialEq, thiserror::Error)]
pub enum WalkError {
    /// Nothing stands on the plan.
    #[error("nothing is drawn that a walk could show; draw walls, or sweep an area")]
    Empty,
    /// Nobody gets there.
    #[error("from the start no way leads to a place that shows anything; a door of at least 0.55 m is walked through")]
    Shut,
    /// A place lies too far for a pass.
    #[error(
        "there and back to the farthest room takes {0:.0} s, longer than the pass of {1:.0} s that the unit lasts: begin nearer"
    )]
    Far(f64, f64),
    /// The caller ended it.
    #[error("stopped")]
    Stopped,
}

/// Size of the pieces of surface, and distance of the places tried, metres.
const SAMPLES: f64 = 0.5;
const PLACES: f64 = 1.5;
/// Seconds of looking from a place with its loop.
const LOOKS: f64 = 6.0;
/// Radius of the loop, metres, and what stays free about it.
const LOOP: f64 = 0.8;
const CLEAR: f64 = 0.4;
/// Farther than this a walk is not asked to look, metres: it goes there.
const FAR: f64 = 8.0;
/// A spacing wanted where nothing is.
const USUAL: f64 = 0.05;
/// Places tried, at most.
const MOST_TRIED: f64 = 6000.0;
/// Places at most; a tour of more is drawn by hand, part by part.
const MOST: usize = 150;

/// Finds walks: places from which all that is wanted is seen closely (greedy set cover), a short tour of them through doors and
/// round what stands (two-opt over real ways), a small loop at each, cut into passes that each begin and end at the start
/// and are no longer than the unit lasts (Beasley 1983: route first, cluster second). Where no surface is marked as
/// required, all are wanted. `go_on` hears the share done and may end it.
///
/// # Errors
/// [`WalkError`].
pub fn propose(
    site: &Site,
    unit: &Unit,
    wish: &WalkWish,
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Result<Proposed, WalkError> {
    let mut samples: Vec<Sample> = sample(site, SAMPLES);
    if samples.is_empty() {
        return Err(WalkError::Empty);
    }
    if !samples.iter().any(|s| s.demand.is_some()) {
        for s in &mut samples {
            s.demand = Some(Demand::spaced(USUAL));
        }
    }
    let bvh = Bvh::new(site);
    // a large site is looked at from places farther apart
    let wide = site.extent().map_or(0.0, |(low, high)| (high - low).product());
    let tried = Wish {
        floors: vec![wish.floor],
        instrument_height: unit.handling.height,
        candidate_grid: PLACES.max((wide / MOST_TRIED).sqrt()),
        ..Wish::default()
    };
    let start = wish.start.push(wish.floor + unit.handling.height);
    let mut places = vec![start];
    places.extend(candidates(site, &tried));
    let floor = Floor::new(site, &places).ok_or(WalkError::Empty)?;
    let out = floor.from(&wish.start);
    places.retain(|p| out.way(&p.xy()).is_some());
    let looks = looks(&bvh, &samples, &places, unit, go_on)?;
    let (chosen, covered) = cover(&samples, &looks, wish.share);
    if chosen.is_empty() {
        return Err(WalkError::Shut);
    }
    if !go_on(0.8) {
        return Err(WalkError::Stopped);
    }
    let places: Vec<Vector2<f64>> = std::iter::once(wish.start).chain(chosen.iter().map(|c| places[*c].xy())).collect();
    let ways: Vec<Vec<Option<Vec<Vector2<f64>>>>> = places
        .par_iter()
        .map(|a| {
            let from = floor.from(a);
            places.iter().map(|b| from.way(b)).collect()
        })
        .collect();
    let far = |a: usize, b: usize| ways[a][b].as_ref().map_or(1e9, |w| length(w));
    let tour = tour(places.len(), &far);
    let looped: Vec<Vec<Vector2<f64>>> = places.iter().map(|p| round(site, p, wish.floor)).collect();
    let line = |stops: &[usize]| {
        let mut all: Vec<Vector2<f64>> = Vec::new();
        let mut at = 0;
        for &k in stops.iter().chain([&0]) {
            all.extend(ways[at][k].iter().flatten());
            if k > 0 {
                all.extend(&looped[k]);
            }
            at = k;
        }
        straightened(&all)
    };
    let takes = |line: &[Vector2<f64>]| course(&bvh, line, wish.floor, unit, None, &[]).seconds();
    let leg = |a: usize, b: usize| ways[a][b].as_ref().map_or(f64::INFINITY, |w| takes(w));
    let legs = Legs {
        out: tour.iter().map(|&k| leg(0, k)).collect(),
        home: tour.iter().map(|&k| leg(k, 0)).collect(),
        on: tour.windows(2).map(|w| leg(w[0], w[1])).collect(),
        round: tour.iter().map(|&k| takes(&looped[k])).collect(),
    };
    let lines = legs.passes(unit.handling.longest)?.into_iter().map(|s| line(&tour[s[0]..s[1]])).collect();
    Ok(Proposed { lines, covered, places: chosen.len() })
}

/// For each place, which samples it shows closely enough.
fn looks(
    bvh: &Bvh,
    samples: &[Sample],
    places: &[Vec3],
    unit: &Unit,
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Result<Vec<Vec<u32>>, WalkError> {
    let h = &unit.handling;
    let solid = std::f64::consts::TAU * (h.looks[1].sin() - h.looks[0].sin());
    let eye = Instrument {
        min_range: 0.3,
        max_range: unit.max_range.min(FAR),
        elevation_min: h.looks[0],
        elevation_max: h.looks[1],
        step: (solid / (h.points * LOOKS)).sqrt(),
        ..Instrument::mid_range()
    };
    let done = std::sync::atomic::AtomicUsize::new(0);
    let look = |p: &Vec3| {
        let n = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
        go_on(0.7 * n as f64 / places.len() as f64).then(|| {
            let seen = look_round(bvh, samples, &Station::at("", *p), &eye);
            let wanted = (0..samples.len()).filter(|&i| samples[i].demand.is_some() && seen.samples[i].is_ok());
            wanted.map(|i| i as u32).collect()
        })
    };
    places.par_iter().map(look).collect::<Option<_>>().ok_or(WalkError::Stopped)
}

/// The places to look from, each the one that adds most, and what share of all that can be seen they see.
fn cover(samples: &[Sample], looks: &[Vec<u32>], share: f64) -> (Vec<usize>, f64) {
    let mut open = vec![false; samples.len()];
    looks.iter().flatten().for_each(|i| open[*i as usize] = true);
    let area = |i: &u32| samples[*i as usize].area();
    let all: f64 = (0..samples.len() as u32).filter(|i| open[*i as usize]).map(|i| area(&i)).fold(0.0, |a, b| a + b);
    let mut left = all;
    let mut chosen = Vec::new();
    while all > 0.0 && left > (1.0 - share) * all && chosen.len() < MOST {
        let adds = |k: usize| looks[k].iter().filter(|i| open[**i as usize]).map(area).fold(0.0, |a, b| a + b);
        let best = (0..looks.len()).into_par_iter().map(|k| (adds(k), k)).max_by(|a, b| a.0.total_cmp(&b.0));
        let Some((gain, k)) = best.filter(|b| b.0 > 0.0) else { break };
        looks[k].iter().for_each(|i| open[*i as usize] = false);
        left -= gain;
        chosen.push(k);
    }
    (chosen, if all > 0.0 { 1.0 - left / all } else { 0.0 })
}

/// A short way round from the first of some places through all others and back: the nearest next, then two-opt.
fn tour(count: usize, far: &impl Fn(usize, usize) -> f64) -> Vec<usize> {
    let mut way: Vec<usize> = vec![0];
    let mut left: Vec<usize> = (1..count).collect();
    while let Some(k) = (0..left.len()).min_by(|a, b| {
        let at = way[way.len() - 1];
        far(at, left[*a]).total_cmp(&far(at, left[*b]))
    }) {
        way.push(left.swap_remove(k));
    }
    way.push(0);
    let mut better = true;
    while better {
        better = false;
        for i in 0..way.len() - 2 {
            for j in i + 2..way.len() - 1 {
                let before = far(way[i], way[i + 1]) + far(way[j], way[j + 1]);
                if far(way[i], way[j]) + far(way[i + 1], way[j + 1]) + 1e-9 < before {
                    way[i + 1..=j].reverse();
                    better = true;
                }
            }
        }
    }
    way[1..way.len() - 1].to_vec()
}

/// A small loop about a place, as far as there is room.
fn round(site: &Site, at: &Vector2<f64>, floor: f64) -> Vec<Vector2<f64>> {
    let corner = |k: usize| {
        let turn = std::f64::consts::TAU * k as f64 / 6.0;
        at + Vector2::new(turn.cos(), turn.sin()) * LOOP
    };
    let free: Vec<Vector2<f64>> =
        (0..6).map(corner).filter(|p| site.is_free(p, floor + 0.05, floor + 1.9, CLEAR)).collect();
    if free.len() < 4 { Vec::new() } else { [free.clone(), vec![free[0], *at]].concat() }
}

/// Seconds of the parts of a tour: from the start to each place, back from it, on to the next, round its loop.
struct Legs {
    out: Vec<f64>,
    home: Vec<f64>,
    on: Vec<f64>,
    round: Vec<f64>,
}

impl Legs {
    /// Cuts the tour into passes, each of which begins and ends at the start and takes no longer than `limit` seconds, so that
    /// all together take least: the shortest way through all cuts, exact.
    fn passes(&self, limit: f64) -> Result<Vec<[usize; 2]>, WalkError> {
        let n = self.out.len();
        let mut best: Vec<(f64, usize)> = vec![(f64::INFINITY, 0); n + 1];
        best[0].0 = 0.0;
        let mut longest: f64 = 0.0;
        for from in 0..n {
            let mut there = self.out[from];
            for to in from + 1..=n {
                there += self.round[to - 1];
                let takes = there + self.home[to - 1];
                if to == from + 1 {
                    longest = longest.max(takes);
                }
                if takes <= limit && best[from].0 + takes < best[to].0 {
                    best[to] = (best[from].0 + takes, from);
                }
                there += self.on.get(to - 1).copied().unwrap_or(0.0);
                if there > limit {
                    break;
                }
            }
        }
        if best[n].0.is_infinite() {
            return Err(WalkError::Far(longest, limit));
        }
        let mut out = Vec::new();
        let mut to = n;
        while to > 0 {
            out.push([best[to].1, to]);
            to = best[to].1;
        }
        out.reverse();
        Ok(out)
    }
}
