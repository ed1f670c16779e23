//! What is done without a scanner, and rests.

use super::{HAIR, Run};
use crate::day::problem::{Break, Clock, opening};
use crate::day::timetable::{Step, Work};

impl Run<'_> {
    /// Seconds that are kept free at the end of a day for whoever stands at a place.
    pub(super) fn home(&self, place: usize) -> f64 {
        self.p.walk[place][0] + self.p.pace.pack
    }

    /// The nearest errand that can be done now, if any; whoever has a scanner that runs comes back to it
    /// before `lasts`, and does not `wait` for one.
    pub(super) fn errand_of(&mut self, person: usize, lasts: Clock, wait: bool) -> bool {
        let (p, shift) = (self.p, &self.p.shifts[self.now.shift]);
        let state = &self.now.people[person];
        let way = |k: usize| p.walk[state.place][p.errand_place(k)];
        let open = (0..p.errands.len()).filter(|&k| self.now.errands[k].is_none());
        let ready = |k: usize| match p.errands[k].after {
            None => Some(state.free),
            Some((b, gap)) => self.now.errands.get(b).copied().flatten().map(|end| end + gap),
        };
        let mut found: Option<(f64, usize, Clock)> = None;
        for k in open {
            let Some(ready) = ready(k) else { continue };
            let e = &p.errands[k];
            let there = (state.free + way(k)).max(ready);
            let Some(at) = opening(&e.open, there, |t| t + e.seconds) else { continue };
            let idle = at - state.free - way(k);
            if (!wait && idle > 60.0) || at + e.seconds > lasts {
                continue;
            }
            let (end, place) = (at + e.seconds, p.errand_place(k));
            if end + self.home(place) > shift.to + HAIR || !self.cleared(usize::MAX, person, end, place) {
                continue;
            }
            if found.is_none_or(|f| at < f.0) {
                found = Some((at, k, at + e.seconds));
            }
        }
        let Some((at, k, end)) = found else { return false };
        let (t, way) = (state.free, way(k));
        if let Some(rest) = self.rest_due(person, t, end) {
            let (rested, place) = (rest.1 + rest.2, p.errand_place(k));
            let late = rested + end - t;
            let in_time = late + self.home(place) <= shift.to && self.cleared(usize::MAX, person, late, place);
            let fits = in_time && rested <= lasts;
            if fits {
                self.rest(person, rest);
            }
            return fits;
        }
        let step = |work, from, to| Step { errand: Some(k), ..Step::new(work, from, to) };
        if way > 0.0 {
            self.push(step(Work::Walk, t, t + way), person);
        }
        if at > t + way + HAIR {
            self.push(step(Work::Wait, t + way, at), person);
        }
        let work = if p.errands[k].pass { Work::Pass } else { Work::Occupy };
        self.push(step(work, at, end), person);
        self.now.people[person].place = p.errand_place(k);
        self.now.errands[k] = Some(end);
        true
    }

    /// A rest of a person: its number, when it begins, how long it is.
    pub(super) fn rest(&mut self, person: usize, (k, from, length): (usize, Clock, f64)) {
        let t = self.now.people[person].free;
        if from > t + HAIR {
            self.push(Step::new(Work::Wait, t, from), person);
        }
        self.push(Step::new(Work::Break, from, from + length), person);
        self.now.people[person].rested[k] = true;
    }

    /// Number, beginning and length of a rest that is due at `t` before something that ends at `end`.
    pub(super) fn rest_due(&self, person: usize, t: Clock, end: Clock) -> Option<(usize, Clock, f64)> {
        let breaks = &self.p.shifts[self.now.shift].breaks;
        let due = |(k, b): (usize, &Break)| {
            let open = !self.now.people[person].rested.get(k).copied().unwrap_or(true);
            (open && (t >= b.from || end > b.to)).then(|| (k, self.now.people[person].free.max(b.from), b.length))
        };
        breaks.iter().enumerate().find_map(due)
    }
}
