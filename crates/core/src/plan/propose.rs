use super::bvh::Bvh;
use super::cover::{Sample, faces, look_round, sample};
use super::graph::LEAST_OVERLAP;
use super::lower_bound::{Cells, lower_bound};
use super::site::{Site, Station};
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
/// the shortest path of places, then tidied once more. `go_on` gets the share done and may end it.
///
/// # Errors
/// [`ProposeError`].
pub fn propose(
    site: &Site,
    instrument: &Instrument,
    wish: &Wish,
    go_on: &(dyn Fn(f64) -> bool + Sync),
) -> Result<Proposal, ProposeError> {
    let samples: Vec<Sample> = sample(site, wish.sample_grid);
    if !samples.iter().any(|s| s.demand.is_some()) {
        return Err(ProposeError::NothingRequired);
    }
    let places = candidates(site, wish);
    let bvh = Bvh::new(site);
    let all: Vec<Vec3> = wish.locked.iter().copied().chain(places).collect();
    let done = std::sync::atomic::AtomicUsize::new(0);
    let views: Vec<Option<View>> = all
        .par_iter()
        .map(|p| {
            let n = done.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
            go_on(0.6 * n as f64 / all.len() as f64).then(|| View::new(&bvh, &samples, p, instrument))
        })
        .collect();
    let views: Vec<View> = views.into_iter().collect::<Option<_>>().ok_or(ProposeError::Stopped)?;
    // what anything covers, and only places that cover something
    let locked: Vec<usize> = (0..wish.locked.len()).collect();
    let keep: Vec<usize> =
        (0..all.len()).filter(|&c| c < locked.len() || views[c].covers.iter().any(|w| *w != 0)).collect();
    let views: Vec<View> = keep.iter().map(|&c| views[c].clone()).collect();
    let places: Vec<Vec3> = keep.iter().map(|&c| all[c]).collect();
    let area: Vec<f64> = samples.iter().map(|s| if s.demand.is_some() { s.area() } else { 0.0 }).collect();
    let total: f64 = area.iter().sum();
    let often: Vec<u16> =
        (0..samples.len()).map(|i| views.iter().filter(|v| v.has(i)).take(wish.times).count() as u16).collect();
    // a piece that fewer places than wished can see is wanted as often as can be
    let reachable: f64 = (0..samples.len()).filter(|&i| often[i] > 0).map(|i| area[i]).sum();
    if reachable <= 0.0 {
        return Err(ProposeError::NothingReachable);
    }
    let problem = Problem {
        links: links(&views),
        views: &views,
        area: &area,
        need: &often,
        wanted: wish.share * reachable,
        locked: &locked,
    };
    let cells = Cells {
        sets: views.iter().map(|v| ones(&v.covers).filter(|&i| area[i] > 0.0).map(|i| i as u32).collect()).collect(),
        area: area.clone(),
        need: often.clone(),
        wanted: problem.wanted,
        fixed: locked.len(),
    };
    let mut best = problem.tidy(problem.greedy(&vec![1.0; views.len()]), false);
    let bound = lower_bound(&cells, best.len(), &mut |round, rounds, reduced| {
        // every so often the prices are asked for a choice of their own
        if round.is_multiple_of(20) {
            let cost: Vec<f64> = reduced.iter().map(|c| c.max(0.02)).collect();
            let found = problem.tidy(problem.greedy(&cost), false);
            if found.len() < best.len() {
                best = found;
            }
        }
        go_on(0.6 + 0.35 * round as f64 / rounds as f64).then_some(best.len())
    })
    .ok_or(ProposeError::Stopped)?;
    let for_cover = best.len();
    let chosen = problem.tidy(problem.join(best), true);
    let connected = problem.is_connected(&chosen);
    let covered = problem.covered(&chosen) / reachable;
    let mut stations: Vec<Vec3> = locked.iter().map(|&c| places[c]).collect();
    stations.extend(walking_order(chosen.iter().filter(|c| **c >= locked.len()).map(|&c| places[c]).collect()));
    Ok(Proposal {
        stations,
        locked: locked.len(),
        covered,
        reachable: reachable / total,
        for_cover,
        at_least: bound,
        connected,
        candidates: places.len(),
    })
}

/// What one place covers and sees, as bit sets over the samples.
#[derive(Clone)]
struct View {
    covers: Vec<u64>,
    sees: Vec<u64>,
}

impl View {
    fn new(bvh: &Bvh, samples: &[Sample], at: &Vec3, instrument: &Instrument) -> Self {
        let c = look_round(bvh, samples, &Station::at("", *at), instrument);
        let words = samples.len().div_ceil(64);
        let mut covers = vec![0; words];
        for (i, s) in samples.iter().enumerate() {
            if s.demand.is_some() && c.samples[i].is_ok() {
                covers[i / 64] |= 1 << (i % 64);
            }
        }
        Self { covers, sees: faces(samples, at, &c) }
    }

    fn has(&self, i: usize) -> bool {
        self.covers[i / 64] & (1 << (i % 64)) != 0
    }
}

fn ones(set: &[u64]) -> impl Iterator<Item = usize> + '_ {
    set.iter().enumerate().flat_map(|(w, bits)| {
        let mut left = *bits;
        std::iter::from_fn(move || {
            (left != 0).then(|| {
                let k = left.trailing_zeros() as usize;
                left &= left - 1;
                w * 64 + k
            })
        })
    })
}

/// For each place, those that share enough with it of what they see, both ways.
fn links(views: &[View]) -> Vec<Vec<usize>> {
    // pieces are nearly equal in size: their number stands for their area
    let seen: Vec<f64> = views.iter().map(|v| f64::from(v.sees.iter().map(|w| w.count_ones()).sum::<u32>())).collect();
    let linked = |a: usize, b: usize| {
        let both: u32 = views[a].sees.iter().zip(&views[b].sees).map(|(p, q)| (p & q).count_ones()).sum();
        both > 0 && f64::from(both) >= LEAST_OVERLAP * seen[a].max(seen[b])
    };
    (0..views.len()).into_par_iter().map(|a| (0..views.len()).filter(|&b| b != a && linked(a, b)).collect()).collect()
}

struct Problem<'a> {
    /// Sorted.
    links: Vec<Vec<usize>>,
    views: &'a [View],
    area: &'a [f64],
    need: &'a [u16],
    wanted: f64,
    locked: &'a [usize],
}

impl Problem<'_> {
    fn counts(&self, chosen: &[usize]) -> Vec<u16> {
        let mut count = vec![0; self.area.len()];
        for &c in chosen {
            ones(&self.views[c].covers).for_each(|i| count[i] += 1);
        }
        count
    }

    fn covered(&self, chosen: &[usize]) -> f64 {
        let count = self.counts(chosen);
        (0..count.len()).filter(|&i| self.need[i] > 0 && count[i] >= self.need[i]).map(|i| self.area[i]).sum()
    }

    /// What a place would add, each piece counted as far as it is still needed.
    fn gain(&self, c: usize, count: &[u16]) -> f64 {
        ones(&self.views[c].covers)
            .filter(|&i| count[i] < self.need[i])
            .map(|i| self.area[i] / f64::from(self.need[i]))
            .sum()
    }

    /// Adds the place with the most area for its cost until enough is covered.
    fn greedy(&self, cost: &[f64]) -> Vec<usize> {
        let mut chosen = self.locked.to_vec();
        self.complete(&mut chosen, cost);
        chosen
    }

    fn complete(&self, chosen: &mut Vec<usize>, cost: &[f64]) {
        let mut count = self.counts(chosen);
        while self.covered(chosen) < self.wanted {
            let best = (0..self.views.len())
                .into_par_iter()
                .filter(|c| !chosen.contains(c))
                .map(|c| (c, self.gain(c, &count) / cost[c]))
                .max_by(|a, b| a.1.total_cmp(&b.1).then(b.0.cmp(&a.0)));
            let Some((c, _)) = best.filter(|b| b.1 > 1e-12) else { return };
            ones(&self.views[c].covers).for_each(|i| count[i] += 1);
            chosen.push(c);
        }
    }

    /// Drops what is not needed, then exchanges two for one while that is possible.
    fn tidy(&self, chosen: Vec<usize>, connected: bool) -> Vec<usize> {
        let mut chosen = self.drop_unneeded(chosen, connected);
        let connected = connected && self.is_connected(&chosen);
        'again: loop {
            for a in self.locked.len()..chosen.len() {
                for b in a + 1..chosen.len() {
                    let rest: Vec<usize> =
                        chosen.iter().enumerate().filter(|(k, _)| *k != a && *k != b).map(|(_, c)| *c).collect();
                    let count = self.counts(&rest);
                    let missing = self.wanted - self.covered(&rest);
                    let one = (0..self.views.len()).into_par_iter().find_any(|&c| {
                        let adds: f64 = ones(&self.views[c].covers)
                            .filter(|&i| count[i] + 1 == self.need[i])
                            .map(|i| self.area[i])
                            .sum();
                        adds >= missing && !rest.contains(&c) && {
                            let with: Vec<usize> = rest.iter().copied().chain([c]).collect();
                            !connected || self.is_connected(&with)
                        }
                    });
                    if let Some(c) = one {
                        chosen = rest;
                        chosen.push(c);
                        continue 'again;
                    }
                }
            }
            return chosen;
        }
    }

    /// Leaves out stations, those that add least first, while enough stays covered (and connected).
    fn drop_unneeded(&self, mut chosen: Vec<usize>, connected: bool) -> Vec<usize> {
        loop {
            let count = self.counts(&chosen);
            let mut order: Vec<(f64, usize)> = (self.locked.len()..chosen.len())
                .map(|k| {
                    let own: f64 = ones(&self.views[chosen[k]].covers)
                        .filter(|&i| count[i] == self.need[i])
                        .map(|i| self.area[i])
                        .sum();
                    (own, k)
                })
                .collect();
            order.sort_by(|a, b| a.0.total_cmp(&b.0));
            let gone = order.into_iter().find(|&(_, k)| {
                let mut rest = chosen.clone();
                rest.remove(k);
                self.covered(&rest) >= self.wanted
                    && (!connected || self.is_connected(&rest) || !self.is_connected(&chosen))
            });
            match gone {
                Some((_, k)) => chosen.remove(k),
                None => return chosen,
            };
        }
    }

    fn group_of_first(&self, chosen: &[usize]) -> Vec<usize> {
        let mut group = vec![0];
        let mut next = 0;
        while next < group.len() {
            let a = group[next];
            next += 1;
            for b in 0..chosen.len() {
                if !group.contains(&b) && self.links[chosen[a]].binary_search(&chosen[b]).is_ok() {
                    group.push(b);
                }
            }
        }
        group
    }

    fn is_connected(&self, chosen: &[usize]) -> bool {
        chosen.is_empty() || self.group_of_first(chosen).len() == chosen.len()
    }

    /// Joins what does not hang together: the shortest path of places, breadth first from the first
    /// group to any station outside it.
    fn join(&self, mut chosen: Vec<usize>) -> Vec<usize> {
        while !self.is_connected(&chosen) {
            let group: Vec<usize> = self.group_of_first(&chosen).into_iter().map(|k| chosen[k]).collect();
            let goal = |c: usize| chosen.contains(&c) && !group.contains(&c);
            let mut from: Vec<Option<usize>> = vec![None; self.views.len()];
            let mut queue: std::collections::VecDeque<usize> = group.iter().copied().collect();
            let mut seen: Vec<bool> = (0..self.views.len()).map(|c| group.contains(&c)).collect();
            let mut end = None;
            while let Some(c) = queue.pop_front() {
                if goal(c) {
                    end = Some(c);
                    break;
                }
                for &b in &self.links[c] {
                    if !seen[b] {
                        seen[b] = true;
                        from[b] = Some(c);
                        queue.push_back(b);
                    }
                }
            }
            let Some(mut c) = end else { return chosen };
            while let Some(before) = from[c] {
                if !chosen.contains(&before) {
                    chosen.push(before);
                }
                c = before;
            }
        }
        chosen
    }
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
                if site.is_free(&at, floor + 0.05, floor + 1.9, 0.5) {
                    out.push(at.push(floor + wish.instrument_height));
                }
            }
        }
    }
    out
}

/// A short way round: the nearest next, then two-opt.
pub(super) fn walking_order(mut points: Vec<Vec3>) -> Vec<Vec3> {
    for k in 1..points.len() {
        let last = points[k - 1];
        let next = (k..points.len()).min_by(|a, b| (points[*a] - last).norm().total_cmp(&(points[*b] - last).norm()));
        points.swap(k, next.unwrap_or(k));
    }
    let n = points.len();
    let leg = |a: &Vec3, b: &Vec3| (a - b).norm();
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
