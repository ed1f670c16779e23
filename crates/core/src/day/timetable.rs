//! What happens when: the answer of a plan for days on site.

use super::problem::{Clock, Span};

/// What somebody does.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub enum Work {
    /// From the gate, unpacking.
    Arrive,
    /// Being told of the site's dangers.
    Induction,
    /// The scanner warms up; nobody is held by it.
    WarmUp,
    /// The check of the instrument.
    Check,
    /// Walking.
    Walk,
    /// Targets put up and taken down.
    Targets,
    /// Tripod up, levelled.
    SetUp,
    /// Tying back where the tracked position was lost.
    ReTie,
    /// A scan.
    Scan,
    /// Its photographs.
    Photographs,
    /// A battery is changed.
    Swap,
    /// A card is changed.
    Card,
    /// A receiver over a mark.
    Occupy,
    /// A walk with a mobile unit.
    Pass,
    /// A rest.
    Break,
    /// Nothing can be done: a place is closed, the instrument is not warm, targets do not stand yet.
    Wait,
    /// Packing.
    Pack,
}

/// One thing that is done.
#[derive(Clone, Debug, PartialEq)]
pub struct Step {
    /// What.
    pub work: Work,
    /// When.
    pub from: Clock,
    /// Until when.
    pub to: Clock,
    /// Who.
    pub person: Option<usize>,
    /// With which scanner.
    pub unit: Option<usize>,
    /// At or for which stop.
    pub stop: Option<usize>,
    /// For which errand.
    pub errand: Option<usize>,
    /// Targets put up by it.
    pub up: Vec<usize>,
    /// Targets taken down by it.
    pub down: Vec<usize>,
}

impl Step {
    pub(super) fn new(work: Work, from: Clock, to: Clock) -> Self {
        Self { work, from, to, person: None, unit: None, stop: None, errand: None, up: Vec::new(), down: Vec::new() }
    }
}

/// Why something does not fit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Why {
    /// The days are over.
    Time,
    /// It is closed whenever somebody could be there.
    Closed,
    /// No battery is left, or none lasts through it.
    Battery,
    /// No card is left, or none holds it.
    Storage,
    /// It needs more targets than there are.
    Stock,
    /// Nobody carries a scanner there.
    NoUnit,
}

/// Where a scanner stands at some moment.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct UnitState {
    /// Seconds its battery ran; `None` when it is off.
    pub used: Option<f64>,
    /// Full batteries beside the one in it.
    pub batteries: usize,
    /// Bytes on the card in it.
    pub card: f64,
    /// Empty cards beside the one in it.
    pub cards: usize,
    /// It knows where it is from its last stop.
    pub tracked: bool,
    /// It has scanned on this job.
    pub begun: bool,
    /// When its last stop was begun: what the next one needs can be put up from there on.
    pub began: Clock,
}

/// A target that stands.
#[derive(Clone, Copy, Debug, Default, PartialEq)]
pub struct Standing {
    /// Which.
    pub target: usize,
    /// From then on.
    pub from: Clock,
    /// A scan that needs it runs until then.
    pub busy: Clock,
}

/// Where a person stands at some moment.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct PersonState {
    /// Free from then on.
    pub free: Clock,
    /// Number of the place.
    pub place: usize,
    /// Rests of the shift that are over.
    pub rested: Vec<bool>,
}

/// A day that has begun: what is done, and how everybody stands.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Start {
    /// The shift that runs.
    pub shift: usize,
    /// Each scanner.
    pub units: Vec<UnitState>,
    /// Each person.
    pub people: Vec<PersonState>,
    /// Stops that are done, and when their scans began and ended.
    pub done: Vec<(usize, Span)>,
    /// Errands that are done, and when they ended.
    pub errands: Vec<(usize, Clock)>,
    /// Targets that stand.
    pub standing: Vec<Standing>,
    /// When targets were last touched.
    pub touched: Clock,
}

/// What happens when.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Timetable {
    /// In the order they were planned; of each person in the order of time.
    pub steps: Vec<Step>,
    /// Stops that do not fit, and why.
    pub left: Vec<(usize, Why)>,
    /// Errands that do not fit, and why.
    pub errands_left: Vec<(usize, Why)>,
    /// When the last person leaves, by shift; `None` where nobody comes.
    pub ends: Vec<Option<Clock>>,
}

impl Timetable {
    /// Seconds spent with one kind of work, by all.
    pub fn spent(&self, work: Work) -> f64 {
        self.steps.iter().filter(|s| s.work == work).map(|s| s.to - s.from).fold(0.0, |a, b| a + b)
    }

    /// When the last scan ends; `None` without one.
    pub fn last_scan(&self) -> Option<Clock> {
        self.steps.iter().filter(|s| s.stop.is_some() && s.work != Work::Targets).map(|s| s.to).max_by(f64::total_cmp)
    }
}
