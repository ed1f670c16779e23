//! The mobile unit: a walk along a way, or round a corridor where nobody says one, with the path and a few of its points shown
//! as it goes.

use crate::state::{Command, DeviceState, Fault, Kind, Refused, Word};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;

/// Metres a second.
const WALKS: f64 = 0.9;
/// The round where nobody says a way, metres.
const ROUND: [[f64; 2]; 5] = [[0.0, 0.0], [24.0, 0.0], [24.0, 9.0], [0.0, 9.0], [0.0, 0.0]];
/// A walk is closed when it comes back this near to where it began, metres, and a way has so many corners at most.
const CLOSED: f64 = 2.0;
const CORNERS: usize = 5000;
/// Half the width of the corridor, and how high it is over and under the unit, metres.
const HALF: f64 = 1.4;
const HIGH: [f64; 2] = [-1.5, 1.3];
/// What the path wanders off in a metre, σ, metres.
const WANDERS: f64 = 0.0015;
/// And when it has lost its way.
const LOST: f64 = 0.12;
/// Points shown in a second, and at most.
const SHOWS: usize = 12;
const MOST: usize = 4000;

/// A simulated mobile unit.
pub(crate) struct Mobile {
    pub state: DeviceState,
    left: f64,
    walked: f64,
    /// From corner to corner, about where it begins, metres; and whether it goes on round and round.
    way: Vec<[f64; 2]>,
    round: bool,
    off: [f64; 3],
    lost_at: Option<f64>,
}

fn long(way: &[[f64; 2]]) -> f64 {
    way.windows(2).map(|w| (w[1][0] - w[0][0]).hypot(w[1][1] - w[0][1])).sum()
}

/// Where a way is after so many metres, and its heading; its end where it is not as long.
fn along(way: &[[f64; 2]], metres: f64) -> ([f64; 2], [f64; 2]) {
    let (mut left, mut heading) = (metres, [1.0, 0.0]);
    for w in way.windows(2) {
        let d = [w[1][0] - w[0][0], w[1][1] - w[0][1]];
        let length = d[0].hypot(d[1]);
        if length < 1e-9 {
            continue;
        }
        heading = d.map(|v| v / length);
        if left <= length {
            return ([w[0][0] + heading[0] * left, w[0][1] + heading[1] * left], heading);
        }
        left -= length;
    }
    (way.last().copied().unwrap_or_default(), heading)
}

impl Mobile {
    pub(crate) fn new() -> Self {
        let mut state = DeviceState::new("mobile", Kind::Mobile, "Mobile unit");
        state.batteries = vec![0.94];
        state.storage_free = Some(128e9);
        state.tracked = Some(false);
        state.scans = Some(0);
        let way = ROUND.to_vec();
        Self { state, left: 0.0, walked: 0.0, way, round: true, off: [0.0; 3], lost_at: None }
    }

    fn enter(&mut self, word: Word, says: &str) {
        self.state.state = word;
        self.state.says = says.into();
        self.state.sequence += 1;
    }

    fn off(&mut self, says: &str) {
        self.state.tracked = Some(false);
        self.enter(Word::Off, says);
    }

    pub(crate) fn command(&mut self, c: &Command) -> Result<(), Refused> {
        let refuse = |error: &str| Err(Refused { error: error.into() });
        match c {
            Command::PowerOn if self.state.state == Word::Off => {
                self.left = 30.0;
                self.enter(Word::Starting, "starting: leave it still");
            }
            Command::PowerOn | Command::Walk { .. } | Command::Level => {}
            Command::PowerOff => self.off("off"),
            Command::Begin { way } if self.state.state == Word::Ready => {
                if way.len() == 1 || way.len() > CORNERS || way.iter().flatten().any(|v| !v.is_finite()) {
                    return refuse(&format!("found a way of {} corners, expected none, or 2 to {CORNERS}", way.len()));
                }
                let own = |p: &[f64; 3]| [p[0] - way[0][0], p[1] - way[0][1]];
                self.round = way.is_empty();
                self.way = if self.round { ROUND.to_vec() } else { way.iter().map(own).collect() };
                (self.walked, self.off, self.lost_at) = (0.0, [0.0; 3], None);
                self.state.path.clear();
                self.state.preview.clear();
                self.state.tracked = Some(true);
                self.enter(Word::Measuring, "walk slowly, and end where you began");
            }
            Command::Begin { .. } => return refuse(&format!("found it “{}”, expected ready", self.state.says)),
            Command::Stop if self.state.state == Word::Measuring => {
                let ([x, y], _) = self.at();
                let closed = self.walked > 2.0 * CLOSED && x.hypot(y) < CLOSED;
                let says = match (closed, self.lost_at.is_some()) {
                    (_, true) => "ended lost: walk it again from where it knew its way",
                    (true, _) => "ready: the walk is closed",
                    (false, _) => "ready: the walk is open, and nothing checks it",
                };
                self.state.scans = self.state.scans.map(|n| n + 1);
                self.enter(Word::Ready, says);
            }
            Command::Stop => {}
            Command::SwapBattery { slot: 0 } => {
                self.state.batteries = vec![1.0];
                self.off("off: the battery was changed");
            }
            Command::SwapBattery { .. } => return refuse("expected battery 0"),
            Command::Fault { what: Fault::Power } => self.off("off: the power was lost, and the walk with it"),
            Command::Fault { what: Fault::Tracking } if self.state.state == Word::Measuring => {
                self.lost_at = Some(self.walked);
                self.state.tracked = Some(false);
                self.enter(Word::Measuring, "it lost its way: stop, go back some metres, and wait until it knows it");
            }
            Command::Fault { what: Fault::Tracking } => {}
            _ => return refuse("a mobile unit begins and stops walks, and nothing else"),
        }
        Ok(())
    }

    /// One second of simulated time.
    pub(crate) fn second(&mut self, rng: &mut ChaCha8Rng) {
        if self.state.state == Word::Off {
            return;
        }
        self.state.batteries[0] = (self.state.batteries[0] - 1.0 / 4_500.0).max(0.0);
        if self.state.batteries[0] <= 0.0 {
            self.off("off: the battery is empty, and the walk is lost");
            return;
        }
        match self.state.state {
            Word::Starting => {
                self.left -= 1.0;
                if self.left <= 0.0 {
                    self.enter(Word::Ready, "ready");
                }
            }
            Word::Measuring => self.walk(rng),
            _ => {}
        }
    }

    /// Where it is by now, and its heading.
    fn at(&self) -> ([f64; 2], [f64; 2]) {
        let metres = if self.round { self.walked.rem_euclid(long(&self.way)) } else { self.walked };
        along(&self.way, metres)
    }

    fn walk(&mut self, rng: &mut ChaCha8Rng) {
        let mut noise = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
        let before = self.walked;
        self.walked += WALKS;
        let whole = long(&self.way);
        if !self.round && before < whole && self.walked >= whole {
            self.enter(Word::Measuring, "at the end of its way: stop it");
        }
        // who stands at the end waits there
        self.walked = if self.round { self.walked } else { self.walked.min(whole) };
        let wander = if self.lost_at.is_some() { LOST } else { WANDERS * WALKS.sqrt() };
        for o in &mut self.off {
            *o += noise(wander);
        }
        // once round it is where it knew its way
        let home = |l: f64| match self.round {
            true => (self.walked / whole).floor() > (l / whole).floor(),
            false => self.walked > l + CLOSED && self.at().0.into_iter().fold(0.0, f64::hypot) < CLOSED,
        };
        if self.lost_at.is_some_and(home) {
            (self.lost_at, self.off) = (None, [0.0; 3]);
            self.state.tracked = Some(true);
            self.enter(Word::Measuring, "it knows its way again; what lies between is doubtful");
        }
        let ([x, y], [hx, hy]) = self.at();
        let at = [x + self.off[0], y + self.off[1], self.off[2]];
        let time = self.state.path.last().map_or(0.0, |p| p[0]) + 1.0;
        self.state.path.push([time, at[0], at[1], at[2]]);
        for k in 0..SHOWS {
            let side = if k % 2 == 0 { HALF } else { -HALF };
            let along = rng.random::<f64>() * 2.0 - 1.0;
            let up = HIGH[0] + (HIGH[1] - HIGH[0]) * rng.random::<f64>();
            let p = [at[0] + along * hx - side * hy, at[1] + along * hy + side * hx, at[2] + up];
            self.state.preview.push(p);
        }
        let more = self.state.preview.len().saturating_sub(MOST);
        self.state.preview.drain(..more);
        self.state.path.drain(..self.state.path.len().saturating_sub(MOST));
        self.state.storage_free = self.state.storage_free.map(|s| (s - 9e6).max(0.0));
        self.state.sequence += u64::from(self.state.path.len().is_multiple_of(10));
    }
}
