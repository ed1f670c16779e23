//! How near the proposals come to the best there is: on generated sites the fewest stations of the same
//! places are found by a public integer-programming solver, for the cover alone and hanging together.
#![allow(missing_docs, clippy::unwrap_used, clippy::expect_used, clippy::panic)]

#[path = "../../crates/core/tests/sites/mod.rs"]
mod sites;

use microlp::{ComparisonOp, OptimizationDirection, Problem, Variable};
use std::collections::HashMap;
use std::time::{Duration, Instant};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{LEAST_OVERLAP, Station, Wish, candidates, cover, propose};

/// Longest time for one site.
const PATIENCE: Duration = Duration::from_secs(60);

/// What is to be solved: for each place, the groups of pieces that it covers and the places that hang
/// together with it; the area of each group.
struct Task {
    covers: Vec<Vec<usize>>,
    near: Vec<Vec<usize>>,
    area: Vec<f64>,
    wanted: f64,
}

fn task(seed: u64, wish: &Wish, instrument: &Instrument) -> Task {
    let (_, site) = sites::site(seed);
    let stations: Vec<Station> = candidates(&site, wish).into_iter().map(|p| Station::at("", p)).collect();
    let c = cover(&site, &stations, instrument, wish.sample_grid);
    // pieces covered from the same places are one
    let mut groups: HashMap<Vec<usize>, f64> = HashMap::new();
    for (i, s) in c.samples.iter().enumerate().filter(|(_, s)| s.demand.is_some()) {
        let from: Vec<usize> = (0..stations.len()).filter(|&k| c.stations[k].samples[i].is_ok()).collect();
        if !from.is_empty() {
            *groups.entry(from).or_default() += s.area();
        }
    }
    let mut covers = vec![Vec::new(); stations.len()];
    let mut area = Vec::new();
    for (g, (from, a)) in groups.into_iter().enumerate() {
        from.iter().for_each(|&k| covers[k].push(g));
        area.push(a);
    }
    let linked = |a: usize, b: usize| a != b && c.overlap[a][b].min(c.overlap[b][a]) >= LEAST_OVERLAP;
    let n = stations.len();
    let near = (0..n).map(|a| (0..n).filter(|&b| linked(a, b)).collect()).collect();
    let wanted = wish.share * area.iter().sum::<f64>();
    Task { covers, near, area, wanted }
}

/// Groups of the chosen that hang together.
fn groups(t: &Task, chosen: &[usize]) -> Vec<Vec<usize>> {
    let mut left = chosen.to_vec();
    let mut out = Vec::new();
    while let Some(first) = left.pop() {
        let mut group = vec![first];
        let mut k = 0;
        while k < group.len() {
            let at = group[k];
            let (join, stay): (Vec<usize>, Vec<usize>) = left.iter().partition(|c| t.near[at].contains(c));
            group.extend(join);
            left = stay;
            k += 1;
        }
        out.push(group);
    }
    out
}

/// The fewest places; `None` when the time was not enough. With `connected`, whatever falls apart is
/// cut off: if a group stands, so does one of the places it can hang on.
fn fewest(t: &Task, connected: bool) -> Option<usize> {
    let begin = Instant::now();
    let mut problem = Problem::new(OptimizationDirection::Minimize);
    let place: Vec<Variable> = t.covers.iter().map(|_| problem.add_binary_var(1.0)).collect();
    let group: Vec<Variable> = t.area.iter().map(|_| problem.add_var(0.0, (0.0, 1.0))).collect();
    for (g, v) in group.iter().enumerate() {
        let mut row: Vec<(Variable, f64)> =
            (0..place.len()).filter(|&k| t.covers[k].contains(&g)).map(|k| (place[k], 1.0)).collect();
        row.push((*v, -1.0));
        problem.add_constraint(row, ComparisonOp::Ge, 0.0);
    }
    let all: Vec<(Variable, f64)> = group.iter().zip(&t.area).map(|(v, a)| (*v, *a)).collect();
    problem.add_constraint(all, ComparisonOp::Ge, t.wanted);
    for _ in 0..400 {
        problem.set_time_limit(PATIENCE.checked_sub(begin.elapsed())?);
        let outcome = problem.solve().ok()?;
        if !outcome.is_optimal() {
            return None;
        }
        let solved = outcome.into_solution().ok()?;
        let chosen: Vec<usize> = (0..place.len()).filter(|&k| solved.var_value(place[k]) > 0.5).collect();
        let parts = groups(t, &chosen);
        if !connected || parts.len() < 2 {
            return Some(chosen.len());
        }
        // of two that are not linked, all that could stand between must not be left out together:
        // the places next to the part of the one, as far as the other can be reached through them
        for part in &parts {
            let other = parts.iter().find(|p| p[0] != part[0]).map(|p| p[0])?;
            let beside: Vec<usize> =
                (0..place.len()).filter(|k| !part.contains(k) && part.iter().any(|p| t.near[*p].contains(k))).collect();
            let mut row: Vec<(Variable, f64)> = beside.iter().map(|&k| (place[k], 1.0)).collect();
            row.push((place[part[0]], -1.0));
            row.push((place[other], -1.0));
            problem.add_constraint(row, ComparisonOp::Ge, -1.0);
        }
    }
    None
}

fn main() {
    let instrument = Instrument::mid_range();
    let wish = Wish::default();
    for seed in 0..10 {
        let (kind, site) = sites::site(seed);
        let begin = Instant::now();
        let p = propose(&site, &instrument, &wish, &|_| true).unwrap();
        let own = begin.elapsed().as_secs_f64();
        let t = task(seed, &wish, &instrument);
        let begin = Instant::now();
        let alone = fewest(&t, false);
        let first = begin.elapsed().as_secs_f64();
        let begin = Instant::now();
        let together = fewest(&t, true);
        let second = begin.elapsed().as_secs_f64();
        let say = |v: Option<usize>| v.map_or("not solved".into(), |v| v.to_string());
        println!(
            "{kind} ({seed}), {} places: proposed {} for cover (at least {}), {} hanging together, {own:.1} s; best for cover {} in {first:.0} s, best hanging together {} in {second:.0} s",
            p.candidates,
            p.for_cover,
            p.at_least,
            p.stations.len(),
            say(alone),
            say(together)
        );
    }
}
