//! What a day on site is made of: stops, errands, people, instruments, hours.

/// Seconds from the midnight before the first day.
pub type Clock = f64;

/// A stretch of time, from and to.
pub type Span = (Clock, Clock);

/// Everything a timetable is made from. Places are numbered: 0 is the gate, then the stops, then the errands.
#[derive(Clone, Debug, Default)]
pub struct Problem {
    /// Set-ups of a scanner.
    pub stops: Vec<Stop>,
    /// What is done without a scanner.
    pub errands: Vec<Errand>,
    /// How many people there are. Those who carry no scanner put targets up and do the errands.
    pub people: usize,
    /// Scanners.
    pub units: Vec<Unit>,
    /// Days on site, in order.
    pub shifts: Vec<Shift>,
    /// Seconds of walking between places.
    pub walk: Vec<Vec<f64>>,
    /// Targets that can stand at once; `None` when there are enough.
    pub stock: Option<usize>,
    /// How long things take.
    pub pace: Pace,
}

/// A station as the timetable sees it.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Stop {
    /// Name.
    pub name: String,
    /// Seconds of its scan, without photographs.
    pub scan: f64,
    /// Seconds of its photographs.
    pub photographs: f64,
    /// Bytes it takes on the card, with photographs.
    pub bytes: f64,
    /// Points of its scan.
    pub points: f64,
    /// Targets (numbers) that have to stand while it is scanned.
    pub targets: Vec<usize>,
    /// Stops that it can be tied to without a tracked position.
    pub ties: Vec<usize>,
    /// When somebody may stand there; empty: whenever the site is open.
    pub open: Vec<Span>,
}

/// Something done without a scanner: a receiver over a mark, a walk with a mobile unit.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Errand {
    /// Name.
    pub name: String,
    /// Seconds it takes, without walking there.
    pub seconds: f64,
    /// It begins at least so many seconds after the end of another: a point is occupied twice, apart in time.
    pub after: Option<(usize, f64)>,
    /// A walk with a mobile unit, no occupation.
    pub pass: bool,
    /// When somebody may be there; empty: whenever the site is open.
    pub open: Vec<Span>,
}

/// A scanner with what it lives on.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Unit {
    /// Name.
    pub name: String,
    /// Who carries it.
    pub person: usize,
    /// Seconds a battery runs; 0 when it is fed from outside.
    pub battery: f64,
    /// Batteries at hand, the one in it included; all are full in the morning.
    pub batteries: usize,
    /// Seconds of changing one.
    pub swap: f64,
    /// Seconds from power-on until measurements are stable.
    pub warm_up: f64,
    /// It tracks its own position from stop to stop, and loses it with the power.
    pub tracks: bool,
    /// Bytes a card holds; 0 when storage does not count.
    pub card: f64,
    /// Cards at hand, the one in it included.
    pub cards: usize,
    /// Seconds of changing one.
    pub change: f64,
}

/// A day on site.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Shift {
    /// The gate opens.
    pub from: Clock,
    /// Everybody is out again.
    pub to: Clock,
    /// Everybody is told of the site's dangers.
    pub induction: bool,
    /// Everybody rests.
    pub breaks: Vec<Break>,
}

/// A rest of everybody.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Break {
    /// It begins here at the earliest.
    pub from: Clock,
    /// It begins here at the latest.
    pub to: Clock,
    /// Seconds.
    pub length: f64,
}

/// How long things take, seconds.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Pace {
    /// From the gate to unpacked.
    pub arrive: f64,
    /// Being told of the site's dangers.
    pub induction: f64,
    /// The check of the instrument before the first scan of a day.
    pub check: f64,
    /// Tripod up, levelled, set.
    pub set_up: f64,
    /// One target put up.
    pub target_up: f64,
    /// One target taken down.
    pub target_down: f64,
    /// Tying a scan back where the tracked position was lost.
    pub re_tie: f64,
    /// Packing at the end of a day.
    pub pack: f64,
}

impl Default for Pace {
    fn default() -> Self {
        Self {
            arrive: 600.0,
            induction: 900.0,
            check: 480.0,
            set_up: crate::plan::SET_UP,
            target_up: 120.0,
            target_down: 45.0,
            re_tie: 240.0,
            pack: 600.0,
        }
    }
}

/// Which stops each scanner takes, in order.
pub type Order = Vec<Vec<usize>>;

impl Problem {
    /// The place of a stop.
    pub fn place(stop: usize) -> usize {
        stop + 1
    }

    /// The place of an errand.
    pub fn errand_place(&self, errand: usize) -> usize {
        1 + self.stops.len() + errand
    }

    /// Who carries no scanner.
    pub fn helpers(&self) -> Vec<usize> {
        (0..self.people).filter(|p| self.units.iter().all(|u| u.person != *p)).collect()
    }

    /// Stops in the order given, dealt out in equal stretches of time to all scanners.
    pub fn dealt(&self) -> Order {
        let units = self.units.len().max(1);
        let took = |s: &Stop| s.scan + s.photographs + self.pace.set_up;
        let all: f64 = self.stops.iter().map(took).sum();
        let mut order = vec![Vec::new(); units];
        let mut sum = 0.0;
        for (k, s) in self.stops.iter().enumerate() {
            let at = ((sum + took(s) / 2.0) / all.max(1e-9) * units as f64) as usize;
            order[at.min(units - 1)].push(k);
            sum += took(s);
        }
        order
    }
}

/// The first moment from `t` on from which `open` holds for a stretch that ends as `end` says of its beginning.
pub(super) fn opening(open: &[Span], t: Clock, end: impl Fn(Clock) -> Clock) -> Option<Clock> {
    if open.is_empty() {
        return Some(t);
    }
    let starts = open.iter().filter_map(|&(from, to)| {
        let at = t.max(from);
        (end(at) <= to + 1e-6).then_some(at)
    });
    starts.min_by(f64::total_cmp)
}
