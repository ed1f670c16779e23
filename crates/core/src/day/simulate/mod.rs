//! The timetable of an order: every step of everybody, one after the other, within what is allowed.

mod errand;
mod shift;
mod targets;
mod visit;

use super::problem::{Clock, Order, Problem, Span, Unit};
use super::timetable::{PersonState, Standing, Start, Step, Timetable, UnitState, Why, Work};
use std::collections::HashSet;

/// Hair's breadth, seconds.
const HAIR: f64 = 1e-6;

/// The timetable of an order, from the first morning on or from where a day stands.
///
/// Each scanner goes from stop to stop with whoever carries it; whoever carries none puts up targets ahead of the
/// scanners and does the errands. Nothing is placed where it would break a rule: batteries end between stops, cards
/// hold what is on them, places are entered while they are open, targets stand from the first scan that
/// needs them to the last, rests are taken. What does not fit is named with the reason.
///
/// Batteries are changed where it costs least ([`super::swaps()`]), and where a tracked position would be lost only if there
/// is no other way; a scan that nothing else ties is then tied back.
///
/// ```
/// use vistazo_core::day::{Problem, Shift, Stop, Unit, Work, timetable};
/// let stop = |name: &str| Stop { name: name.into(), scan: 180.0, ..Stop::default() };
/// let day = Problem {
///     stops: vec![stop("S1"), stop("S2")],
///     people: 1,
///     units: vec![Unit { name: "A".into(), cards: 1, batteries: 1, ..Unit::default() }],
///     shifts: vec![Shift { from: 8.0 * 3600.0, to: 17.0 * 3600.0, ..Shift::default() }],
///     walk: vec![vec![0.0, 30.0, 60.0], vec![30.0, 0.0, 30.0], vec![60.0, 30.0, 0.0]],
///     ..Problem::default()
/// };
/// let t = timetable(&day, &vec![vec![0, 1]], None);
/// assert!(t.left.is_empty());
/// assert_eq!(t.spent(Work::Scan), 360.0);
/// // there, between, and back
/// assert_eq!(t.spent(Work::Walk), 30.0 + 30.0 + 60.0);
/// ```
pub fn timetable(problem: &Problem, order: &Order, start: Option<&Start>) -> Timetable {
    Run::new(problem, order, start).all()
}

/// How everybody stands at the first moment from `at` on at which the next stop of a timetable begins: what
/// [`timetable`] goes on from.
pub fn standing_at(problem: &Problem, order: &Order, at: Clock) -> Start {
    let mut whole = Run::new(problem, order, None);
    whole.all();
    let mut run = Run::new(problem, order, None);
    (run.until, run.swaps) = (at, whole.swaps);
    run.all();
    run.now.into_start(&problem.units)
}

/// Whether a scanner goes on in a shift.
#[derive(Clone, Copy, Debug, Default, PartialEq, Eq)]
enum Going {
    #[default]
    On,
    /// Once others take targets down that it needs.
    Blocked,
    Over,
}

#[derive(Clone, Debug, Default)]
struct Track {
    /// The clock when its battery began, the seconds it ran before counted in; `None` while it is off.
    powered: Option<Clock>,
    batteries: usize,
    card: f64,
    cards: usize,
    tracked: bool,
    /// It has scanned on this job: its first scan begins a frame and hangs on nothing.
    begun: bool,
    /// Its last visit began then: what the next one needs can be put up from there on.
    began: Clock,
    going: Going,
}

/// Everything that changes.
#[derive(Clone, Debug, Default)]
struct Now {
    shift: usize,
    tracks: Vec<Track>,
    people: Vec<PersonState>,
    /// When the scan of each stop that is done began and ended, with its photographs.
    done: Vec<Option<Span>>,
    errands: Vec<Option<Clock>>,
    /// From when on each target stands, and until when a scan needs it; none while it lies in its box.
    standing: Vec<Option<(Clock, Clock)>>,
    /// When targets were last touched.
    touched: Clock,
}

impl Now {
    fn into_start(self, units: &[Unit]) -> Start {
        let of = |t: &Track, p: &PersonState| UnitState {
            used: t.powered.map(|at| p.free - at),
            batteries: t.batteries,
            card: t.card,
            cards: t.cards,
            tracked: t.tracked,
            begun: t.begun,
            began: t.began,
        };
        let standing = self.standing.iter().enumerate();
        Start {
            shift: self.shift,
            units: self.tracks.iter().zip(units).map(|(t, u)| of(t, &self.people[u.person])).collect(),
            standing: standing
                .filter_map(|(target, s)| s.map(|(from, busy)| Standing { target, from, busy }))
                .collect(),
            touched: self.touched,
            done: self.done.iter().enumerate().filter_map(|(k, d)| Some((k, (*d)?))).collect(),
            errands: self.errands.iter().enumerate().filter_map(|(k, e)| Some((k, (*e)?))).collect(),
            people: self.people,
        }
    }
}

/// Why a stop cannot be taken as it was tried.
enum No {
    Why(Why),
    /// A rest would be missed: it takes so many seconds longer than was thought.
    Rest(f64),
}

impl From<Why> for No {
    fn from(why: Why) -> Self {
        Self::Why(why)
    }
}

struct Run<'a> {
    p: &'a Problem,
    order: &'a Order,
    helpers: Vec<usize>,
    now: Now,
    steps: Vec<Step>,
    /// Before which stops a battery is changed, whether it has to or not.
    wanted: HashSet<usize>,
    why: Vec<Option<Why>>,
    ends: Vec<Option<Clock>>,
    /// Before which stops batteries were changed, by shift.
    swaps: Vec<HashSet<usize>>,
    /// No stop is begun from then on.
    until: Clock,
    /// That moment is reached.
    stopped: bool,
    begun: bool,
}

impl<'a> Run<'a> {
    fn new(p: &'a Problem, order: &'a Order, start: Option<&Start>) -> Self {
        let targets = p.stops.iter().flat_map(|s| &s.targets).max().map_or(0, |t| t + 1);
        let mut now = Now {
            done: vec![None; p.stops.len()],
            errands: vec![None; p.errands.len()],
            standing: vec![None; targets],
            touched: 0.0,
            people: vec![PersonState::default(); p.people],
            tracks: vec![Track::default(); p.units.len()],
            shift: 0,
        };
        for (t, u) in now.tracks.iter_mut().zip(&p.units) {
            t.cards = u.cards.saturating_sub(1);
        }
        if let Some(s) = start {
            now.shift = s.shift;
            s.done.iter().filter(|d| d.0 < p.stops.len()).for_each(|d| now.done[d.0] = Some(d.1));
            s.errands.iter().filter(|e| e.0 < p.errands.len()).for_each(|e| now.errands[e.0] = Some(e.1));
            s.standing
                .iter()
                .filter(|t| t.target < targets)
                .for_each(|t| now.standing[t.target] = Some((t.from, t.busy)));
            now.touched = s.touched;
            now.people.iter_mut().zip(&s.people).for_each(|(p, s)| p.clone_from(s));
            let rests = p.shifts.get(s.shift).map_or(0, |s| s.breaks.len());
            now.people.iter_mut().for_each(|p| p.rested.resize(rests, false));
            for (k, (t, s)) in now.tracks.iter_mut().zip(&s.units).enumerate() {
                let free = now.people.get(p.units[k].person).map_or(0.0, |p| p.free);
                *t = Track {
                    powered: s.used.map(|u| free - u),
                    batteries: s.batteries,
                    card: s.card,
                    cards: s.cards,
                    tracked: s.tracked,
                    begun: s.begun,
                    began: s.began,
                    ..Track::default()
                };
            }
        }
        Self {
            helpers: p.helpers(),
            steps: Vec::new(),
            wanted: HashSet::new(),
            why: vec![None; p.stops.len()],
            ends: vec![None; p.shifts.len()],
            swaps: Vec::new(),
            until: f64::INFINITY,
            stopped: false,
            begun: start.is_some(),
            p,
            order,
            now,
        }
    }

    fn all(&mut self) -> Timetable {
        while self.now.shift < self.p.shifts.len() {
            let from = self.p.shifts[self.now.shift].from;
            if !self.begun && self.nothing_left() {
                break;
            }
            // whoever has not come yet comes in the morning
            self.begun &= self.now.people.iter().any(|p| p.free > from);
            let before = (self.now.clone(), self.steps.len(), self.why.clone());
            self.shift();
            let useful = |s: &Step| matches!(s.work, Work::Scan | Work::Occupy | Work::Pass);
            if !self.begun && !self.stopped && !self.steps[before.1..].iter().any(useful) {
                // a day on which nothing can be done is none
                let why = self.why.clone();
                self.restore(&before);
                self.why = why;
                self.ends[self.now.shift] = None;
            }
            if self.stopped {
                break;
            }
            self.begun = false;
            self.now.shift += 1;
        }
        let taken: HashSet<usize> = self.order.iter().flatten().copied().collect();
        let why = |k: usize| if taken.contains(&k) { self.why[k].unwrap_or(Why::Time) } else { Why::NoUnit };
        let left = (0..self.p.stops.len()).filter(|&k| self.now.done[k].is_none()).map(|k| (k, why(k))).collect();
        let errands = (0..self.p.errands.len()).filter(|&k| self.now.errands[k].is_none());
        let closed = |k: usize| {
            let open = &self.p.errands[k].open;
            let some = self.p.shifts.iter().any(|s| {
                open.is_empty() || open.iter().any(|o| o.1.min(s.to) - o.0.max(s.from) >= self.p.errands[k].seconds)
            });
            if some { Why::Time } else { Why::Closed }
        };
        Timetable {
            errands_left: errands.map(|k| (k, closed(k))).collect(),
            steps: std::mem::take(&mut self.steps),
            left,
            ends: std::mem::take(&mut self.ends),
        }
    }

    fn nothing_left(&self) -> bool {
        self.now.errands.iter().all(Option::is_some) && self.order.iter().flatten().all(|&k| self.now.done[k].is_some())
    }

    fn push(&mut self, step: Step, person: usize) {
        self.now.people[person].free = step.to;
        self.steps.push(Step { person: Some(person), ..step });
    }
}

impl Now {
    /// When a scanner was last left, where a day goes on.
    fn begun(&self, u: usize) -> Option<Clock> {
        self.tracks.get(u).filter(|t| t.powered.is_some()).map(|t| t.began)
    }
}
