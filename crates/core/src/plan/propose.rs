use super::bvh::Bvh;
use super::choose::Problem;
use super::cover::{Sample, sample};
use super::graph::LEAST_OVERLAP;
use super::lower_bound::{Cells, lower_bound};
use super::site::Site;
use super::together::separators;
use super::views::{View, links, ones};
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use nalgebra::Vector2;
use rayon::prelude::*;

/// What a proposal should reach.
#[derive(Clone, Debug)]
pub struct Wish {
    /// Stations that stand already and stay.
    pub locked: Vec<Vec3>,
    /// Heights of the floors that stations may stand on, metres.
    pub floors: Vec<f64>,
    /// Height of the instrument above the floor, metres.
    pub instrument_height: f64,
    /// Distance between the places tried, metres.
    pub candidate_grid: f64,
    /// Size of the pieces of surface, metres.
    pub sample_grid: f64,
    /// Share of the required area that can be covered at all that has to be covered, 0..1.
    pub share: f64,
    /// How often it has to be covered.
    pub times: usize,
    /// Overlap, both ways, from which two stations hang together, 0..1.
    pub overlap: f64,
}

impl Default for Wish {
    fn default() -> Self {
        Self {
            locked: Vec::new(),
            floors: vec![0.0],
            instrument_height: 1.6,
            candidate_grid: 1.5,
            sample_grid: 0.5,
            share: 0.99,
            times: 1,
            overlap: LEAST_OVERLAP,
        }
    }
}

/// Stations proposed.
#[derive(Clone, Debug)]
pub struct Proposal {
    /// Where the instrument would stand, metres; locked ones first, then in the order to walk.
    pub stations: Vec<Vec3>,
    /// How many of them were locked.
    pub locked: usize,
    /// Share of the reachable required area that they cover as often as wished.
    pub covered: f64,
    /// Share of the required area that can be covered from anywhere.
    pub reachable: f64,
    /// Stations that cover as much without having to hang together.
    pub for_cover: usize,
    /// No set of the tried places with fewer stations covers as much, hanging together or not.
    pub at_least: usize,
    /// No set of the tried places with fewer stations covers as much and hangs together.
    pub at_least_together: usize,
    /// All stations hang together by overlap.
    pub connected: bool,
    /// Places tried.
    pub candidates: usize,
}

/// Why nothing can be proposed.
#[derive(Clone, Copy, Debug, PartialEq, Eq, thiserror::Error)]
pub enum ProposeError {
    /// No surface is marked as required.
    #[error("no surface is marked as required: say which walls are wanted and at what spacing")]
    NothingRequired,
    /// No free place sees any required surface.
    #[error("no free place on the plan sees a required surface within the spacing and angle asked for")]
    NothingReachable,
    /// The caller ended it.
    #[error("stopped")]
    Stopped,
}

/// Proposes stations for the required surfaces.
///
/// Places on a grid of the free ground are tried. Prices from a Lagrangian relaxation (Held & Karp
/// 1971; Beasley 1990 for set covering) both bound the number of stations from below and guide a
/// greedy choice, which is repeated as the prices settle; what is redundant is dropped, two
/// stations are exchanged for one where one does, and groups that share too little are joined over
/// the cheapest path of places. This is done for the cover alone, then with rows of places of which
/// one has to stand so that all hang together. `go_on` gets the share done and may end it.
///
/// # Errors
/// [`ProposeError`].
pub fn propose(
    site: &Site,
    instrument: &Instrument,
    wish: &Wish,
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Result<Proposal, ProposeError> {
    let field = Field::see(site, instrument, wish, go_on)?;
    let locked = wish.locked.len();
    let reachable: f64 = field.area.iter().zip(&field.often).filter(|(_, n)| **n > 0).map(|(a, _)| a).sum();
    if reachable <= 0.0 {
        return Err(ProposeError::NothingReachable);
    }
    let problem = Problem {
        links: links(&field.views, wish.overlap),
        views: &field.views,
        area: &field.area,
        need: &field.often,
        wanted: wish.share * reachable,
        locked,
    };
    let cells = field.cells(&problem);
    let (best, at_least) = for_cover(&problem, &cells, go_on)?;
    let for_cover = best.len();
    let (chosen, bound) = together(&problem, cells, best, go_on)?;
    let mut stations = wish.locked.clone();
    stations.extend(walking_order(chosen.iter().filter(|c| **c >= locked).map(|&c| field.places[c]).collect()));
    Ok(Proposal {
        stations,
        locked,
        covered: problem.covered(&chosen) / reachable,
        reachable: reachable / field.area.iter().sum::<f64>(),
        for_cover,
        at_least,
        at_least_together: bound.max(at_least),
        connected: problem.groups(&chosen).len() < 2,
        candidates: field.places.len(),
    })
}

/// The places tried and what each of them covers.
struct Field {
    /// Locked places first; of the others only those that cover something.
    places: Vec<Vec3>,
    views: Vec<View>,
    /// Of every piece of surface, m²; 0 where nothing is required.
    area: Vec<f64>,
    /// How often a piece has to be covered: one that fewer places than wished can see, as often as can be.
    often: Vec<u16>,
}

impl Field {
    fn see(
        site: &Site,
        instrument: &Instrument,
        wish: &Wish,
        go_on: &(dyn Fn(f64) -> bool + Sync),
    ) -> Result<Self, ProposeError> {
        let samples: Vec<Sample> = sample(site, wish.sample_grid);
        if !samples.iter().any(|s| s.demand.is_some()) {
            return Err(ProposeError::NothingRequired);
        }
        let bvh = Bvh::new(site);
        let all: Vec<Vec3> = wish.locked.iter().copied().chain(candidates(site, wish)).collect();
        let done = std::sync::atomic::AtomicUsize::new(0);
        let views: Vec<Option<View>> = all
            .par_iter()
            .map(|p| {
                let n = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                go_on(0.5 * n as f64 / all.len() as f64).then(|| View::new(&bvh, &samples, p, instrument))
            })
            .collect();
        let views: Vec<View> = views.into_iter().collect::<Option<_>>().ok_or(ProposeError::Stopped)?;
        let some = |c: usize, v: &View| c < wish.locked.len() || v.covers.iter().any(|w| *w != 0);
        let (places, views): (Vec<_>, Vec<_>) =
            all.into_iter().zip(views).enumerate().filter(|(c, (_, v))| some(*c, v)).map(|(_, at)| at).unzip();
        let area = samples.iter().map(|s| if s.demand.is_some() { s.area() } else { 0.0 }).collect();
        let often =
            (0..samples.len()).map(|i| views.iter().filter(|v| v.has(i)).take(wish.times).count() as u16).collect();
        Ok(Self { places, views, area, often })
    }

    fn cells(&self, problem: &Problem<'_>) -> Cells {
        let required = |v: &View| ones(&v.covers).filter(|&i| self.area[i] > 0.0).map(|i| i as u32).collect();
        Cells {
            sets: self.views.iter().map(required).collect(),
            area: self.area.clone(),
            need: self.often.clone(),
            wanted: problem.wanted,
            fixed: problem.locked,
            certain: 0,
        }
    }
}

/// Rounds of prices after which they are asked for a choice of their own.
const OFTEN: usize = 20;

fn priced(reduced: &[f64]) -> Vec<f64> {
    reduced.iter().map(|c| c.max(0.02)).collect()
}

/// The choice for the cover alone, and how many stations it takes at least.
fn for_cover(
    problem: &Problem<'_>,
    cells: &Cells,
    go_on: &dyn Fn(f64) -> bool,
) -> Result<(Vec<usize>, usize), ProposeError> {
    let mut best = problem.tidy(problem.greedy(&vec![1.0; problem.views.len()]), false);
    let at_least = lower_bound(cells, best.len(), &mut |round, rounds, reduced| {
        if round.is_multiple_of(OFTEN) {
            let found = problem.tidy(problem.greedy(&priced(reduced)), false);
            if found.len() < best.len() {
                best = found;
            }
        }
        go_on(0.5 + 0.2 * round as f64 / rounds as f64).then_some(best.len())
    });
    Ok((best, at_least.ok_or(ProposeError::Stopped)?))
}

/// The choice that also hangs together, from the one for the cover, and how many stations it takes at least.
fn together(
    problem: &Problem<'_>,
    mut cells: Cells,
    best: Vec<usize>,
    go_on: &dyn Fn(f64) -> bool,
) -> Result<(Vec<usize>, usize), ProposeError> {
    // what cannot hang together with the rest is left out, if enough is covered without it
    let open = problem.largest_group();
    let inside: Vec<usize> = (0..open.len()).filter(|&k| open[k]).collect();
    let spare = problem.covered(&inside) >= problem.wanted;
    let barred = |k: usize, cost: f64| if spare && !open[k] { f64::INFINITY } else { cost };
    let flat: Vec<f64> = (0..open.len()).map(|k| barred(k, 1.0)).collect();
    let start = if best.iter().any(|&k| flat[k].is_infinite()) { problem.greedy(&flat) } else { best };
    let mut chosen = problem.tidy(problem.join(start, &flat), true);
    let mut groups = problem.groups(&chosen).len();
    // rows of places of which one has to stand so that all hang together
    let pieces = problem.area.len();
    let mut by = vec![vec![0_u64; problem.views.len().div_ceil(64)]; pieces];
    for (k, v) in problem.views.iter().enumerate() {
        ones(&v.covers).for_each(|i| by[i][k / 64] |= 1 << (k % 64));
    }
    let can: Vec<f64> = (0..pieces).map(|i| if problem.need[i] > 0 { problem.area[i] } else { 0.0 }).collect();
    let rows = separators(&by, &can, problem.wanted, &problem.links, problem.locked);
    cells.certain = rows.len();
    for (r, row) in rows.iter().enumerate() {
        for &k in row {
            cells.sets[k].push((pieces + r) as u32);
        }
    }
    cells.area.resize(pieces + rows.len(), 0.0);
    cells.need.resize(pieces + rows.len(), 1);
    let bound = lower_bound(&cells, chosen.len(), &mut |round, rounds, reduced| {
        if round.is_multiple_of(OFTEN) {
            let cost: Vec<f64> = priced(reduced).into_iter().enumerate().map(|(k, c)| barred(k, c)).collect();
            let found = problem.tidy(problem.join(problem.greedy(&cost), &cost), true);
            let fall = problem.groups(&found).len();
            if (fall, found.len()) < (groups, chosen.len()) {
                (chosen, groups) = (found, fall);
            }
        }
        go_on(0.7 + 0.3 * round as f64 / rounds as f64).then_some(chosen.len())
    });
    Ok((chosen, bound.ok_or(ProposeError::Stopped)?))
}

/// The places that are tried: free ones on a grid, on every floor; metres.
pub fn candidates(site: &Site, wish: &Wish) -> Vec<Vec3> {
    let Some((low, high)) = site.extent() else { return Vec::new() };
    let step = wish.candidate_grid;
    let (nx, ny) = (((high.x - low.x) / step).ceil() as usize, ((high.y - low.y) / step).ceil() as usize);
    let mut out = Vec::new();
    for &floor in &wish.floors {
        for i in 0..=nx {
            for j in 0..=ny {
                let at = low + Vector2::new(i as f64 * step, j as f64 * step);
                let centre = at.push(floor + wish.instrument_height);
                if site.is_free(&at, floor + 0.05, floor + 1.9, 0.5) && site.has_floor(&centre) {
                    out.push(centre);
                }
            }
        }
    }
    out
}

/// A metre up or down counts as so many along the floor: one storey after the other.
const CLIMB: f64 = 20.0;

/// A short way round: the nearest next, then two-opt.
pub(super) fn walking_order(mut points: Vec<Vec3>) -> Vec<Vec3> {
    let leg = |a: &Vec3, b: &Vec3| (a - b).xy().norm() + CLIMB * (a.z - b.z).abs();
    for k in 1..points.len() {
        let last = points[k - 1];
        let next = (k..points.len()).min_by(|a, b| leg(&points[*a], &last).total_cmp(&leg(&points[*b], &last)));
        points.swap(k, next.unwrap_or(k));
    }
    let n = points.len();
    let mut better = n > 3;
    while better {
        better = false;
        for i in 0..n - 2 {
            for j in i + 2..n {
                let before = leg(&points[i], &points[i + 1]) + points.get(j + 1).map_or(0.0, |p| leg(&points[j], p));
                let after = leg(&points[i], &points[j]) + points.get(j + 1).map_or(0.0, |p| leg(&points[i + 1], p));
                if after + 1e-9 < before {
                    points[i + 1..=j].reverse();
                    better = true;
                }
            }
        }
    }
    points
}
