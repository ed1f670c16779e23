//! A stop: walking there, setting up, scanning.

use super::{HAIR, No, Now, Run};
use crate::day::problem::{Clock, Problem, opening};
use crate::day::timetable::{Step, Why, Work};

/// A stop that would have to be waited for longer is taken later, seconds.
const PATIENCE: f64 = 900.0;

impl Run<'_> {
    /// The next stop that can be taken, in order; a stop that is closed for long is left for later.
    pub(super) fn next_stop(&mut self, u: usize) -> bool {
        let mut patient: Option<(Clock, usize, Now, Vec<Step>)> = None;
        for &k in self.order.get(u).into_iter().flatten() {
            if self.now.done[k].is_some() {
                continue;
            }
            match self.visit(u, k) {
                Ok((now, steps, waited)) if waited <= PATIENCE => {
                    self.take(now, steps, k);
                    return true;
                }
                Ok((now, steps, _)) => {
                    // of those that open first the first in order
                    let begins = now.done[k].map_or(f64::INFINITY, |d| d.0);
                    if patient.as_ref().is_none_or(|p| begins < p.0 - PATIENCE) {
                        patient = Some((begins, k, now, steps));
                    }
                }
                Err(why) => {
                    self.why[k] = Some(why);
                    if !matches!(why, Why::Closed | Why::Stock) {
                        break;
                    }
                }
            }
        }
        let Some((_, k, now, steps)) = patient else { return false };
        self.take(now, steps, k);
        true
    }

    pub(super) fn take(&mut self, now: Now, steps: Vec<Step>, stop: usize) {
        self.now = now;
        self.steps.extend(steps);
        self.why[stop] = None;
    }

    /// A stop with the battery as it is, or, where it would not last or the plan says so, with a fresh one.
    pub(super) fn visit(&mut self, u: usize, stop: usize) -> Result<(Now, Vec<Step>, f64), Why> {
        let wanted = self.wanted.contains(&stop);
        let kept = (self.now.clone(), self.steps.len());
        let mut attempt = |swap: bool| {
            let mut longer = 0.0;
            loop {
                let waited = self.attempt(u, stop, swap, longer);
                let steps = self.steps.split_off(kept.1);
                let now = std::mem::replace(&mut self.now, kept.0.clone());
                match waited {
                    Ok(w) => return Ok((now, steps, w)),
                    Err(No::Why(why)) => return Err(why),
                    Err(No::Rest(by)) => longer += by,
                }
            }
        };
        match attempt(wanted) {
            Err(Why::Battery) => attempt(!wanted),
            other => other,
        }
    }

    /// Takes a stop; seconds it was waited for it to open. Rests are taken before it that would be due before
    /// it is over, which takes so much `longer` than walking, setting up and scanning.
    pub(super) fn attempt(&mut self, u: usize, stop: usize, swap: bool, longer: f64) -> Result<f64, No> {
        let (p, unit, s) = (self.p, &self.p.units[u], &self.p.stops[stop]);
        let shift = &p.shifts[self.now.shift];
        let (person, place) = (unit.person, Problem::place(stop));
        let of = |work, from, to| Step { unit: Some(u), stop: Some(stop), ..Step::new(work, from, to) };
        let began = self.now.people[person].free;
        if self.now.tracks[u].powered.is_none() && !swap {
            return Err(Why::Battery.into());
        }
        if swap {
            // in the rest if there is one, but not at its cost
            while let Some(rest) = self.rest_due(person, 0.0, self.now.people[person].free + unit.swap) {
                self.rest(person, rest);
            }
            self.swap(u, stop)?;
        }
        // a rest that is due before this would be over
        let guess = p.walk[self.now.people[person].place][place] + p.pace.set_up + s.scan + s.photographs + longer;
        while let Some(rest) = self.rest_due(person, self.now.people[person].free, self.now.people[person].free + guess)
        {
            self.rest(person, rest);
        }
        self.card(u, stop)?;
        let t = self.now.people[person].free;
        let way = p.walk[self.now.people[person].place][place];
        if way > 0.0 {
            self.push(of(Work::Walk, t, t + way), person);
        }
        self.now.people[person].place = place;
        let stand = self.targets(u, stop, began)?;
        let track = &self.now.tracks[u];
        let warm = track.powered.map_or(0.0, |at| at + unit.warm_up);
        let t = self.now.people[person].free;
        let scan_at = |from: Clock| (from + p.pace.set_up).max(warm).max(stand);
        // what others scan later ties nothing now
        let before = scan_at(t);
        let tied = s.ties.iter().any(|&k| self.now.done[k].is_some_and(|d| d.1 <= before));
        let lost = unit.tracks && track.begun && !track.tracked && !tied;
        let tying = if lost { p.pace.re_tie } else { 0.0 };
        let end = |from: Clock| scan_at(from) + tying + s.scan + s.photographs;
        let at = opening(&s.open, t, end).ok_or(Why::Closed)?;
        let end = end(at);
        if self.rest_due(person, 0.0, end).is_some() {
            return Err(No::Rest((end - began - guess).max(1.0)));
        }
        if unit.battery > 0.0 && self.now.tracks[u].powered.is_some_and(|from| end - from > unit.battery + HAIR) {
            return Err(Why::Battery.into());
        }
        if end + self.home(place) > shift.to + HAIR || !self.cleared(stop, person, end, place) {
            return Err(Why::Time.into());
        }
        if at > t + HAIR {
            self.push(of(Work::Wait, t, at), person);
        }
        self.push(of(Work::SetUp, at, at + p.pace.set_up), person);
        let ready = scan_at(at);
        if ready > at + p.pace.set_up + HAIR {
            self.push(of(Work::Wait, at + p.pace.set_up, ready), person);
        }
        if lost {
            self.push(of(Work::ReTie, ready, ready + tying), person);
        }
        self.push(of(Work::Scan, ready + tying, ready + tying + s.scan), person);
        if s.photographs > 0.0 {
            self.push(of(Work::Photographs, ready + tying + s.scan, end), person);
        }
        self.now.done[stop] = Some((ready + tying, end));
        let track = &mut self.now.tracks[u];
        track.card += s.bytes;
        track.tracked = unit.tracks;
        track.begun = true;
        track.began = began;
        for &k in &s.targets {
            if let Some(stands) = &mut self.now.standing[k] {
                stands.1 = stands.1.max(end);
            }
        }
        Ok(at - t)
    }

    pub(super) fn swap(&mut self, u: usize, stop: usize) -> Result<(), Why> {
        let unit = &self.p.units[u];
        let t = self.now.people[unit.person].free;
        let track = &mut self.now.tracks[u];
        // one that was switched off counts as spent
        if track.batteries == 0 {
            return Err(Why::Battery);
        }
        track.batteries -= 1;
        track.powered = Some(t + unit.swap);
        track.tracked = false;
        let of = |work, from, to| Step { unit: Some(u), stop: Some(stop), ..Step::new(work, from, to) };
        self.push(of(Work::Swap, t, t + unit.swap), unit.person);
        if unit.warm_up > 0.0 {
            self.steps.push(of(Work::WarmUp, t + unit.swap, t + unit.swap + unit.warm_up));
        }
        Ok(())
    }

    pub(super) fn card(&mut self, u: usize, stop: usize) -> Result<(), Why> {
        let (unit, bytes) = (&self.p.units[u], self.p.stops[stop].bytes);
        let track = &mut self.now.tracks[u];
        if unit.card <= 0.0 || track.card + bytes <= unit.card {
            return Ok(());
        }
        if track.cards == 0 || bytes > unit.card {
            return Err(Why::Storage);
        }
        track.cards -= 1;
        track.card = 0.0;
        let t = self.now.people[unit.person].free;
        let step = Step { unit: Some(u), stop: Some(stop), ..Step::new(Work::Card, t, t + unit.change) };
        self.push(step, unit.person);
        Ok(())
    }
}
