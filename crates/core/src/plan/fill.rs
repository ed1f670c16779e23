use super::bvh::Bvh;
use super::cover::{Sample, look_round};
use super::graph::LEAST_OVERLAP;
use super::propose::{Wish, candidates};
use super::site::{Site, Station};
use super::views::View;
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use rayon::prelude::*;

/// One more station that would cover what is missing.
#[derive(Clone, Debug, PartialEq)]
pub struct Filling {
    /// Where the instrument would stand, metres.
    pub position: Vec3,
    /// What it adds to those before it, m².
    pub area: f64,
    /// Which of the parts asked for it covers at least half of.
    pub parts: Vec<usize>,
    /// The station it shares most with, those proposed after those that stand, and the smaller of the two overlaps, 0..1.
    pub beside: Option<(usize, f64)>,
}

/// Looks asked for at most: places tried times pieces missing.
const MOST_LOOKS: f64 = 2e7;
/// Stations proposed at most, and the least that is worth setting up for: m², and a share of what is missing.
const MOST: usize = 6;
const LEAST_GAIN: f64 = 0.5;
const LEAST_SHARE: f64 = 0.03;
/// Places that are looked at closely before one is taken.
const CLOSELY: usize = 12;

/// Stations that would cover parts of the required surfaces which nobody covered: greedily the one that adds most first.
///
/// `parts` are indices of `samples`, part by part; `stand` is where stations stand. A wall is looked at from the side that
/// they look at it from near the part: its other face is another room's. Of the places that bring nearly as
/// much (nine tenths of the most) one is taken that shares enough with a station which stands, if there is one. Returns
/// the stations and the area that no free place covers, m².
pub fn fill(
    site: &Site,
    samples: &[Sample],
    instrument: &Instrument,
    parts: &[Vec<usize>],
    stand: &[Vec3],
    wish: &Wish,
) -> (Vec<Filling>, f64) {
    let bvh = Bvh::new(site);
    let mut wish = wish.clone();
    let mut places = candidates(site, &wish);
    let missing: Vec<(usize, usize)> =
        parts.iter().enumerate().flat_map(|(k, p)| p.iter().map(move |s| (k, *s))).collect();
    // a very large site is tried more coarsely: places and pieces
    while places.len() as f64 * missing.len() as f64 > MOST_LOOKS && wish.candidate_grid < 8.0 {
        wish.candidate_grid *= 1.5;
        places = candidates(site, &wish);
    }
    let stride = (places.len() as f64 * missing.len() as f64 / MOST_LOOKS).ceil().max(1.0) as usize;
    let asked: Vec<(usize, Sample)> = missing.iter().step_by(stride).map(|m| (m.0, samples[m.1])).collect();
    let pieces: Vec<Sample> = asked.iter().map(|a| a.1).collect();
    let area = |i: usize| pieces[i].area() * stride as f64;
    let mut views: Vec<View> = stand.par_iter().map(|p| View::new(&bvh, samples, p, instrument)).collect();
    let sides: Vec<[bool; 2]> = parts.iter().map(|p| sides(samples, p, &views)).collect();
    let covers: Vec<Vec<u32>> = places
        .par_iter()
        .map(|p| {
            let c = look_round(&bvh, &pieces, &Station::at("", *p), instrument);
            let right = |i: usize| sides[asked[i].0][side(&pieces[i], p)];
            (0..pieces.len()).filter(|i| c.samples[*i].is_ok() && right(*i)).map(|i| i as u32).collect()
        })
        .collect();
    let mut reachable = vec![false; pieces.len()];
    covers.iter().flatten().for_each(|i| reachable[*i as usize] = true);
    let beyond = (0..pieces.len()).filter(|i| !reachable[*i]).map(area).sum();

    let least = LEAST_GAIN.max(LEAST_SHARE * (0..pieces.len()).map(area).sum::<f64>());
    let mut open = vec![true; pieces.len()];
    let mut out: Vec<Filling> = Vec::new();
    while out.len() < MOST {
        let gain = |c: &Vec<u32>| c.iter().filter(|i| open[**i as usize]).map(|i| area(*i as usize)).sum::<f64>();
        let mut ranked: Vec<(usize, f64)> = covers.par_iter().map(gain).enumerate().collect();
        ranked.sort_by(|a, b| b.1.total_cmp(&a.1).then(a.0.cmp(&b.0)));
        let Some(most) = ranked.first().map(|r| r.1).filter(|g| *g >= least) else { break };
        let near: Vec<(usize, f64)> = ranked.into_iter().take_while(|r| r.1 >= 0.9 * most).take(CLOSELY).collect();
        let closer: Vec<View> =
            near.par_iter().map(|(c, _)| View::new(&bvh, samples, &places[*c], instrument)).collect();
        let shared: Vec<Option<(usize, f64)>> = closer.iter().map(|v| most_shared(&views, v)).collect();
        let tied = |s: &Option<(usize, f64)>| s.is_some_and(|s| s.1 >= LEAST_OVERLAP);
        let k = shared.iter().position(tied).unwrap_or(0);
        let (c, gain) = near[k];
        covers[c].iter().for_each(|i| open[*i as usize] = false);
        let parts = half_covered(&asked, &covers[c]);
        out.push(Filling { position: places[c], area: gain, parts, beside: shared[k] });
        views.extend(closer.into_iter().nth(k));
    }
    (out, beyond)
}

/// How far about a part the side that it is seen from is looked up, metres; and how many times oftener than the other.
const ABOUT: f64 = 4.0;
const OFTENER: u32 = 4;

/// Which sides of a wall a part is wanted from: those that its surroundings are seen from.
fn sides(samples: &[Sample], part: &[usize], views: &[View]) -> [bool; 2] {
    let Some(first) = part.first().map(|i| &samples[*i]) else { return [true; 2] };
    let middle = part.iter().map(|i| samples[*i].position).sum::<Vec3>() / part.len() as f64;
    let reach = part.iter().map(|i| (samples[*i].position - middle).norm()).fold(0.0, f64::max) + ABOUT;
    let near = (0..samples.len())
        .filter(|&i| samples[i].surface == first.surface && (samples[i].position - middle).norm() < reach);
    let mut seen = [0_u32; 2];
    for i in near {
        for (k, n) in seen.iter_mut().enumerate() {
            let bit = 2 * i + k;
            *n += views.iter().filter(|v| v.sees[bit / 64] & (1 << (bit % 64)) != 0).count() as u32;
        }
    }
    [0, 1].map(|k| seen[k] * OFTENER > seen[1 - k] || seen[1 - k] == 0)
}

/// The side of a sample that a place looks at, as views number them.
fn side(s: &Sample, from: &Vec3) -> usize {
    usize::from((s.position - from).dot(&s.normal) > 0.0)
}

/// Parts of which at least half the pieces are covered.
fn half_covered(asked: &[(usize, Sample)], covers: &[u32]) -> Vec<usize> {
    let parts = asked.iter().map(|a| a.0 + 1).max().unwrap_or(0);
    let (mut of, mut seen) = (vec![0_usize; parts], vec![0_usize; parts]);
    for a in asked {
        of[a.0] += 1;
    }
    for i in covers {
        seen[asked[*i as usize].0] += 1;
    }
    (0..parts).filter(|&k| seen[k] > 0 && 2 * seen[k] >= of[k]).collect()
}

/// Which view shares most with another, and the smaller of the two overlaps.
fn most_shared(views: &[View], view: &View) -> Option<(usize, f64)> {
    let count = |set: &[u64]| f64::from(set.iter().map(|w| w.count_ones()).sum::<u32>());
    let own = count(&view.sees);
    views
        .iter()
        .enumerate()
        .map(|(k, v)| {
            let both: u32 = v.sees.iter().zip(&view.sees).map(|(p, q)| (p & q).count_ones()).sum();
            (k, f64::from(both) / own.max(count(&v.sees)).max(1.0))
        })
        .max_by(|a, b| a.1.total_cmp(&b.1))
}
