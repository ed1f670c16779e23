//! How a day stands at a moment, by what was noted in the field.

use super::{Days, Taken};
use crate::dto::LearnedDto;
use std::collections::HashSet;
use vistazo_core::day::{PersonState, Problem, Standing, Start, UnitState};

/// Fewer stations say nothing about the pace.
const LEAST: usize = 3;

impl Days {
    /// The problem as it is from a moment on, and how everybody stands then. A day on which nothing was noted yet begins
    /// then: it began late.
    pub(super) fn start(&self, now: f64) -> (Problem, Start) {
        let mut p = self.problem.clone();
        let shift = p.shifts.iter().position(|s| s.to > now).unwrap_or(p.shifts.len());
        let taken: Vec<&Taken> = self.taken.iter().filter(|t| t.span.0 <= now).collect();
        let mut start = Start {
            shift,
            done: taken.iter().map(|t| (t.station, t.span)).collect(),
            errands: self.errands_done(&p, now),
            ..Start::default()
        };
        let done: HashSet<usize> = taken.iter().map(|t| t.station).collect();
        let seen = taken.iter().flat_map(|t| &p.stops[t.station].targets);
        let needed = |t: &usize| (0..p.stops.len()).any(|k| !done.contains(&k) && p.stops[k].targets.contains(t));
        let mut standing: Vec<usize> = seen.copied().filter(needed).collect();
        standing.sort_unstable();
        standing.dedup();
        start.standing = standing.into_iter().map(|target| Standing { target, from: now, busy: now }).collect();
        let Some(today) = p.shifts.get(shift).cloned() else { return (p, start) };
        let begun = now > today.from && taken.iter().any(|t| t.span.1 >= today.from);
        let free = if begun { now } else { 0.0 };
        start.people = (0..p.people)
            .map(|_| PersonState { free, place: 0, rested: today.breaks.iter().map(|b| begun && now > b.to).collect() })
            .collect();
        for (u, unit) in p.units.iter().enumerate() {
            let mine: Vec<&&Taken> = taken.iter().filter(|t| self.order[u].contains(&t.station)).collect();
            let last = mine.iter().max_by(|a, b| a.span.1.total_cmp(&b.span.1));
            let lost = self.lost.iter().copied().filter(|t| *t <= now).fold(f64::NEG_INFINITY, f64::max);
            let on = (today.from + p.pace.arrive).max(lost);
            let ran = (now - on).max(0.0);
            let changed = if unit.battery > 0.0 { (ran / unit.battery) as usize } else { 0 };
            let bytes: f64 = mine.iter().map(|t| p.stops[t.station].bytes).sum();
            let full = if unit.card > 0.0 { (bytes / unit.card) as usize } else { 0 };
            start.units.push(UnitState {
                used: begun.then_some(if unit.battery > 0.0 { ran - changed as f64 * unit.battery } else { ran }),
                batteries: unit.batteries.saturating_sub(1 + changed),
                card: if unit.card > 0.0 { bytes - full as f64 * unit.card } else { bytes },
                cards: unit.cards.saturating_sub(1 + full),
                tracked: begun && unit.tracks && last.is_some_and(|l| l.span.1 > lost),
                begun: !mine.is_empty(),
                began: now,
            });
            if let (true, Some(last)) = (begun, last) {
                let person = &mut start.people[unit.person];
                person.place = Problem::place(last.station);
                // whoever is at a station is free when it is over
                person.free = now.max(last.span.1);
            }
        }
        if !begun && now > today.from {
            p.shifts[shift].from = now;
        }
        (p, start)
    }

    fn errands_done(&self, p: &Problem, now: f64) -> Vec<(usize, f64)> {
        let mut out = Vec::new();
        for (k, e) in p.errands.iter().enumerate().filter(|e| !e.1.pass) {
            let (mark, round) = e.name.rsplit_once(' ').unwrap_or((&e.name, "first"));
            let when = self.occupied.get(&mark.to_lowercase());
            if let Some(at) = when.and_then(|w| w.get(usize::from(round == "second"))).filter(|t| **t <= now) {
                out.push((k, *at));
            }
        }
        out
    }

    /// What was noted in the field against what was planned.
    pub(super) fn learned(&self) -> LearnedDto {
        let p = &self.problem;
        let timed: Vec<&Taken> = self.taken.iter().filter(|t| t.timed && t.span.1 > t.span.0).collect();
        let scan = |t: &Taken| p.stops[t.station].scan + p.stops[t.station].photographs;
        let set_ups = timed.iter().map(|t| (t.span.1 - t.span.0 - scan(t)).max(0.0)).collect();
        let mut paces = Vec::new();
        for route in &self.order {
            let mut mine: Vec<&&Taken> = timed.iter().filter(|t| route.contains(&t.station)).collect();
            mine.sort_by(|a, b| a.span.0.total_cmp(&b.span.0));
            for w in mine.windows(2) {
                let way = self.metres[w[0].station + 1][w[1].station + 1];
                let gap = w[1].span.0 - w[0].span.1;
                // a rest between them says nothing about walking
                if way > 3.0 && gap > 1.0 && gap < 900.0 {
                    paces.push(way / gap);
                }
            }
        }
        LearnedDto {
            stations: timed.len(),
            took: timed.iter().map(|t| t.span.1 - t.span.0).fold(0.0, |a, b| a + b),
            planned: timed.iter().map(|t| p.pace.set_up + scan(t)).fold(0.0, |a, b| a + b),
            set_up: median(set_ups),
            walk: median(paces),
        }
    }
}

fn median(mut of: Vec<f64>) -> Option<f64> {
    if of.len() < LEAST {
        return None;
    }
    of.sort_by(f64::total_cmp);
    let n = of.len();
    Some(if n % 2 == 1 { of[n / 2] } else { f64::midpoint(of[n / 2 - 1], of[n / 2]) })
}
