//! A day from the gate to the gate.

use super::{Going, HAIR, Now, Run};
use crate::day::problem::Clock;
use crate::day::swaps::{Stretch, swaps};
use crate::day::timetable::{PersonState, Step, Why, Work};
use std::collections::HashSet;

/// What a lost tracked position weighs where a battery could be changed elsewhere, seconds.
const LOST: f64 = 1e6;

impl Run<'_> {
    /// One day: once with batteries changed when they must be, and, knowing what that day holds, once where
    /// it costs least; the better of both is kept.
    pub(super) fn shift(&mut self) {
        let before = (self.now.clone(), self.steps.len(), self.why.clone());
        if self.until.is_finite() {
            self.wanted = self.swaps.get(self.now.shift).cloned().unwrap_or_default();
            self.run_shift();
            return;
        }
        self.wanted.clear();
        self.run_shift();
        let wanted = self.cheapest_swaps(before.1, &before.0);
        self.swaps.resize_with(self.now.shift + 1, HashSet::new);
        self.swaps[self.now.shift] = self.swapped(before.1);
        if wanted == self.swaps[self.now.shift] {
            return;
        }
        let late = (self.now.clone(), self.steps.split_off(before.1), self.ends[self.now.shift], self.why.clone());
        let measure = |run: &Self, steps: &[Step]| {
            let reties = steps.iter().filter(|s| s.work == Work::ReTie).count();
            let last = steps.iter().filter(|s| s.work == Work::Scan).map(|s| s.to).fold(0.0, f64::max);
            (run.now.done.iter().filter(|d| d.is_none()).count(), reties, (last * 10.0) as i64)
        };
        let first = measure(self, &late.1);
        self.restore(&before);
        self.wanted.clone_from(&wanted);
        self.run_shift();
        if measure(self, &self.steps[before.1..]) > first {
            self.steps.truncate(before.1);
            self.now = late.0;
            self.steps.extend(late.1);
            self.ends[self.now.shift] = late.2;
            self.why = late.3;
        } else {
            self.swaps[self.now.shift] = self.swapped(before.1);
        }
    }

    pub(super) fn restore(&mut self, before: &(Now, usize, Vec<Option<Why>>)) {
        self.now.clone_from(&before.0);
        self.steps.truncate(before.1);
        self.why.clone_from(&before.2);
    }

    /// Stops before which a battery was changed.
    pub(super) fn swapped(&self, from: usize) -> HashSet<usize> {
        self.steps[from..].iter().filter(|s| s.work == Work::Swap).filter_map(|s| s.stop).collect()
    }

    /// Before which of the stops that the day holds batteries are best changed.
    pub(super) fn cheapest_swaps(&self, from: usize, before: &Now) -> HashSet<usize> {
        let mut out = HashSet::new();
        let mut done = before.done.clone();
        for (u, unit) in self.p.units.iter().enumerate().filter(|u| u.1.battery > 0.0) {
            let of = |s: &&Step| s.unit == Some(u);
            let mut powered = before.tracks[u].powered;
            let (mut stops, mut stretches) = (Vec::new(), Vec::new());
            let (mut rest, mut end): (f64, Option<Clock>) = (0.0, None);
            for s in self.steps[from..].iter().filter(|s| of(s) || s.person == Some(unit.person)) {
                match s.work {
                    Work::WarmUp if powered.is_none() => powered = Some(s.from),
                    Work::Break => rest = s.to - s.from,
                    Work::Check => end = Some(s.to),
                    Work::Photographs | Work::Scan => {
                        let k = s.stop.unwrap_or_default();
                        let last = s.work == Work::Photographs || self.p.stops[k].photographs <= 0.0;
                        if last {
                            let swap = self.steps[from..]
                                .iter()
                                .filter(|w| w.work == Work::Swap && w.unit == Some(u) && w.stop == Some(k));
                            let gone: f64 = swap.map(|w| w.to - w.from).sum();
                            let since = end.or(before.begun(u)).unwrap_or(s.from);
                            let cold = (unit.warm_up - self.p.pace.set_up).max(0.0);
                            let held = self.p.stops[k].ties.iter().any(|&t| done[t].is_some_and(|d| d.1 <= s.from))
                                || (stops.is_empty() && !before.tracks[u].begun);
                            let lost = if unit.tracks && !held { LOST } else { 0.0 };
                            let in_rest = if rest > unit.warm_up { 0.0 } else { cold };
                            stretches.push(Stretch { need: s.to - since - gone, cost: unit.swap + in_rest + lost });
                            stops.push(k);
                            done[k] = Some((s.from, s.to));
                            end = Some(s.to);
                            rest = 0.0;
                        }
                    }
                    _ => {}
                }
            }
            let first = self.steps[from..].iter().filter(|s| s.unit == Some(u) && s.work == Work::Check).map(|s| s.to);
            let begun = first.max_by(f64::total_cmp).or(before.begun(u));
            let used = powered.zip(begun).map_or(0.0, |(at, now)| (now - at).max(0.0));
            if let Some(found) = swaps(&stretches, unit.battery, used) {
                out.extend(found.into_iter().map(|i| stops[i]));
            }
        }
        out
    }

    pub(super) fn run_shift(&mut self) {
        if !self.begun {
            self.morning();
        }
        for t in &mut self.now.tracks {
            t.going = Going::On;
        }
        // what was closed yesterday may be open today
        self.why.fill(None);
        loop {
            let people = &self.now.people;
            let free = |u: usize| people[self.p.units[u].person].free;
            let next = (0..self.p.units.len()).filter(|&u| self.now.tracks[u].going == Going::On);
            let Some(u) = next.min_by(|a, b| free(*a).total_cmp(&free(*b))) else { break };
            let person = self.p.units[u].person;
            if self.now.people[person].free >= self.until {
                self.stopped = true;
                return;
            }
            if self.helpers.is_empty() && self.errand_of(person, self.unit_lasts(u), false) {
                continue;
            }
            if self.next_stop(u) {
                // what others were done with may be what it waits for
                for t in self.now.tracks.iter_mut().filter(|t| t.going == Going::Blocked) {
                    t.going = Going::On;
                }
                continue;
            }
            let short = |k: &usize| self.now.done[*k].is_none() && self.why[*k] == Some(Why::Stock);
            let blocked = self.order.get(u).into_iter().flatten().any(short);
            let track = &mut self.now.tracks[u];
            track.going = if blocked { Going::Blocked } else { Going::Over };
            if !blocked {
                (track.powered, track.tracked) = (None, false);
            }
        }
        for t in self.now.tracks.iter_mut().filter(|t| t.going == Going::Blocked) {
            (t.going, t.powered, t.tracked) = (Going::Over, None, false);
        }
        for h in self.helpers.clone() {
            while self.errand_of(h, f64::INFINITY, true) {}
        }
        if self.helpers.is_empty() {
            for person in 0..self.p.people {
                while self.errand_of(person, f64::INFINITY, true) {}
            }
        }
        self.evening();
    }

    /// How long the battery of a scanner lasts, as a moment.
    pub(super) fn unit_lasts(&self, u: usize) -> Clock {
        let battery = self.p.units[u].battery;
        self.now.tracks[u].powered.filter(|_| battery > 0.0).map_or(f64::INFINITY, |at| at + battery)
    }

    /// Everybody arrives, is told of the dangers, and the scanners warm up and are checked.
    pub(super) fn morning(&mut self) {
        let (p, shift) = (self.p, &self.p.shifts[self.now.shift]);
        for person in 0..p.people {
            self.now.people[person] =
                PersonState { free: shift.from, place: 0, rested: vec![false; shift.breaks.len()] };
            self.push(Step::new(Work::Arrive, shift.from, shift.from + p.pace.arrive), person);
            if shift.induction {
                let t = self.now.people[person].free;
                self.push(Step::new(Work::Induction, t, t + p.pace.induction), person);
            }
        }
        // a scanner that nothing is left for stays in its box
        let needed = |u: &usize| self.order.get(*u).into_iter().flatten().any(|&k| self.now.done[k].is_none());
        let needed: Vec<usize> = (0..p.units.len()).filter(needed).collect();
        for u in needed {
            let unit = &p.units[u];
            let on = shift.from + p.pace.arrive;
            let track = &mut self.now.tracks[u];
            track.powered = Some(on);
            track.batteries = unit.batteries.saturating_sub(1);
            track.tracked = false;
            if unit.warm_up > 0.0 {
                self.steps.push(Step { unit: Some(u), ..Step::new(Work::WarmUp, on, on + unit.warm_up) });
            }
            let free = self.now.people[unit.person].free;
            let warm = free.max(on + unit.warm_up);
            if warm > free + HAIR {
                self.push(Step { unit: Some(u), ..Step::new(Work::Wait, free, warm) }, unit.person);
            }
            if p.pace.check > 0.0 {
                let step = Step { unit: Some(u), ..Step::new(Work::Check, warm, warm + p.pace.check) };
                self.push(step, unit.person);
            }
            // whoever carries no scanner need not wait for it
            self.now.tracks[u].began = on;
        }
    }

    /// Targets come down when nothing needs them any more, everybody packs and goes.
    pub(super) fn evening(&mut self) {
        let p = self.p;
        let who = self.clearer();
        let down: Vec<usize> = (0..self.now.standing.len()).filter(|&t| self.now.standing[t].is_some()).collect();
        if let Some(person) = who.filter(|_| !down.is_empty() && self.clears(usize::MAX)) {
            // not before the last scan that needs them is over
            let free = self.now.standing.iter().flatten().map(|s| s.1).fold(self.now.touched, f64::max);
            while let Some(rest) = self.rest_due(person, 0.0, free).filter(|r| r.1 + r.2 <= free) {
                self.rest(person, rest);
            }
            let t = self.now.people[person].free;
            if free > t + HAIR {
                self.push(Step::new(Work::Wait, t, free), person);
            }
            let t = self.now.people[person].free;
            let end = t + down.len() as f64 * p.pace.target_down;
            self.now.standing.fill(None);
            self.push(Step { down, ..Step::new(Work::Targets, t, end) }, person);
        }
        for person in 0..p.people {
            let state = &self.now.people[person];
            let home = p.walk[state.place][0];
            let t = state.free;
            if home > 0.0 {
                self.push(Step::new(Work::Walk, t, t + home), person);
            }
            let t = t + home;
            self.push(Step::new(Work::Pack, t, t + p.pace.pack), person);
            self.now.people[person].place = 0;
        }
        self.ends[self.now.shift] = self.now.people.iter().map(|p| p.free).max_by(f64::total_cmp);
    }

    /// Whether targets come down tonight, after `stop`: nothing is left to scan, or nobody comes again.
    pub(super) fn clears(&self, stop: usize) -> bool {
        let last_day = self.now.shift + 1 == self.p.shifts.len();
        last_day || self.order.iter().flatten().all(|&k| k == stop || self.now.done[k].is_some())
    }
}
