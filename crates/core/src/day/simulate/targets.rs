//! Targets: put up ahead of the scanner, taken down when nothing needs them.

use super::{HAIR, Run};
use crate::day::problem::{Clock, Problem};
use crate::day::timetable::{Step, Why, Work};

impl Run<'_> {
    /// Who takes targets down in the evening.
    pub(super) fn clearer(&self) -> Option<usize> {
        self.helpers.first().copied().or_else(|| (self.p.people > 0).then_some(0))
    }

    /// Whether all that stands is down and its bearer out in time tonight, where it comes down after `stop`, and a
    /// person is free at a place from a moment on.
    pub(super) fn cleared(&self, stop: usize, person: usize, free: Clock, place: usize) -> bool {
        let count = self.now.standing.iter().flatten().count();
        let Some(who) = self.clearer().filter(|_| count > 0 && self.clears(stop)) else { return true };
        let other = &self.now.people[who];
        let (mine, place) = if who == person { (free, place) } else { (other.free, other.place) };
        let busy = self.now.standing.iter().flatten().map(|s| s.1).fold(self.now.touched.max(mine), f64::max);
        let needs = |t: &usize| self.now.standing.get(*t).is_some();
        let busy =
            if self.p.stops.get(stop).is_some_and(|s| s.targets.iter().any(needs)) { busy.max(free) } else { busy };
        busy + count as f64 * self.p.pace.target_down + self.home(place) <= self.p.shifts[self.now.shift].to + HAIR
    }

    /// Puts up what a stop needs; from when on all of it stands.
    pub(super) fn targets(&mut self, u: usize, stop: usize, began: Clock) -> Result<Clock, Why> {
        let p = self.p;
        let (wanted, standing) = (&p.stops[stop].targets, &self.now.standing);
        let stand = wanted.iter().filter_map(|&t| standing[t]).map(|s| s.0).fold(0.0, f64::max);
        let up: Vec<usize> = wanted.iter().copied().filter(|&t| standing[t].is_none()).collect();
        if up.is_empty() {
            return Ok(stand);
        }
        let over = p.stock.map_or(0, |n| (self.now.standing.iter().flatten().count() + up.len()).saturating_sub(n));
        let needed = |t: usize| {
            let wants = |k: &usize| self.now.done[*k].is_none() && p.stops[*k].targets.contains(&t);
            self.order.iter().flatten().any(wants)
        };
        let mut down: Vec<usize> = (0..standing.len()).filter(|&t| standing[t].is_some() && !needed(t)).collect();
        // what was free first goes first
        let busy = |t: usize| standing[t].map_or(0.0, |s| s.1);
        down.sort_by(|a, b| busy(*a).total_cmp(&busy(*b)));
        if down.len() < over {
            return Err(Why::Stock);
        }
        down.truncate(over);
        // ahead of the scanner, but not before what is taken down is free, nor before what else is carried stands
        let freed = down.iter().map(|&t| busy(t)).fold(0.0, f64::max);
        let others = if p.stock.is_some() { self.now.touched } else { 0.0 };
        let track = &self.now.tracks[u];
        let took = up.len() as f64 * p.pace.target_up + down.len() as f64 * p.pace.target_down;
        let helper = self.helpers.iter().copied().min_by(|a, b| self.free_for(*a).total_cmp(&self.free_for(*b)));
        let end = match helper {
            None => {
                let person = p.units[u].person;
                let t = self.now.people[person].free;
                let from = t.max(freed).max(others);
                let of = |work, from, to| Step { unit: Some(u), stop: Some(stop), ..Step::new(work, from, to) };
                if from > t + HAIR {
                    self.push(of(Work::Wait, t, from), person);
                }
                self.push(Step { up: up.clone(), down: down.clone(), ..of(Work::Targets, from, from + took) }, person);
                from + took
            }
            Some(helper) => {
                let asked = if down.is_empty() { track.began } else { began.min(track.began).max(freed) };
                self.carried(helper, stop, asked.max(others), took, (&up, &down))?
            }
        };
        for &t in &down {
            self.now.standing[t] = None;
        }
        for &t in &up {
            self.now.standing[t] = Some((end, end));
        }
        self.now.touched = end;
        Ok(stand.max(end))
    }

    /// Whoever carries no scanner puts targets up for a stop, once it is asked for; when they stand.
    pub(super) fn carried(
        &mut self,
        helper: usize,
        stop: usize,
        asked: Clock,
        took: f64,
        (up, down): (&[usize], &[usize]),
    ) -> Result<Clock, Why> {
        let p = self.p;
        // errands that are over before it is asked for
        while self.now.people[helper].free + 300.0 < asked && self.errand_of(helper, asked, true) {}
        let way = p.walk[self.now.people[helper].place][Problem::place(stop)];
        let of = |work, from, to| Step { stop: Some(stop), ..Step::new(work, from, to) };
        let due = |run: &Self| {
            let from = run.now.people[helper].free.max(asked);
            run.rest_due(helper, from, from + way + took)
        };
        while let Some(rest) = due(self) {
            self.rest(helper, rest);
        }
        let t = self.now.people[helper].free;
        let from = t.max(asked);
        if from + way + took + self.home(Problem::place(stop)) > p.shifts[self.now.shift].to + HAIR {
            return Err(Why::Time);
        }
        if from > t + HAIR {
            self.push(of(Work::Wait, t, from), helper);
        }
        if way > 0.0 {
            self.push(of(Work::Walk, from, from + way), helper);
        }
        let end = from + way + took;
        self.push(Step { up: up.to_vec(), down: down.to_vec(), ..of(Work::Targets, from + way, end) }, helper);
        self.now.people[helper].place = Problem::place(stop);
        Ok(end)
    }

    pub(super) fn free_for(&self, person: usize) -> Clock {
        self.now.people[person].free
    }
}
