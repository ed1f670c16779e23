//! The scanner: power, warm-up, level, batteries, card, radio, and scans that take their time.

use crate::state::{Command, DeviceState, Fault, Kind, Refused, Word};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;

/// Seconds.
const STARTS: f64 = 40.0;
const WARMS_UP: f64 = 300.0;
/// A battery lasts so long alone, seconds.
const LASTS: f64 = 5400.0;
const CARD: f64 = 64e9;
/// Bytes a second over the radio at full strength.
const RADIO: f64 = 12e6;
/// Points that it shows while it scans.
const PREVIEW: usize = 600;
/// Tilt beyond which the compensator gives up, radians.
const OUT_OF_LEVEL: f64 = 0.0017;
/// Metres at which the radio is half as strong.
const REACH: f64 = 45.0;
const OUTSIDE: f64 = 9.0;

/// A simulated scanner.
pub(crate) struct Scanner {
    pub state: DeviceState,
    on_for: f64,
    /// Seconds left of what goes on, and of how many.
    left: f64,
    of: f64,
    bytes: f64,
    to_send: f64,
    metres: f64,
}

impl Scanner {
    pub(crate) fn new(rng: &mut ChaCha8Rng) -> Self {
        let mut state = DeviceState::new("scanner", Kind::Scanner, "Scanner");
        state.tilt = Some(0.004 + 0.004 * rng.random::<f64>());
        state.temperature = Some(OUTSIDE);
        state.batteries = vec![0.97, 0.88];
        state.storage_free = Some(CARD);
        state.radio = Some(1.0);
        state.tracked = Some(false);
        state.scans = Some(0);
        Self { state, on_for: 0.0, left: 0.0, of: 1.0, bytes: 0.0, to_send: 0.0, metres: 0.0 }
    }

    fn is_on(&self) -> bool {
        !matches!(self.state.state, Word::Off)
    }

    fn tilt(&self) -> f64 {
        self.state.tilt.unwrap_or(0.0)
    }

    fn enter(&mut self, word: Word, says: impl Into<String>) {
        self.state.state = word;
        self.state.says = says.into();
        self.state.sequence += 1;
        if !matches!(word, Word::Measuring | Word::Transferring) {
            self.state.progress = None;
        }
    }

    /// What it does when nothing is asked of it.
    fn rest(&mut self) {
        if self.tilt() > OUT_OF_LEVEL {
            self.enter(Word::Fault, "out of level: the compensator cannot follow. Level the tripod");
        } else if self.state.storage_free.unwrap_or(0.0) <= 0.0 {
            self.enter(Word::Fault, "the card is full: change it, or take scans off it");
        } else if self.on_for < WARMS_UP {
            self.enter(Word::WarmingUp, "warming up: angles drift until it is warm");
        } else {
            self.enter(Word::Ready, "ready");
        }
    }

    fn lose_power(&mut self, says: &str) {
        self.state.tracked = Some(false);
        self.state.warm_in = None;
        self.state.preview.clear();
        (self.on_for, self.left, self.to_send) = (0.0, 0.0, 0.0);
        self.enter(Word::Off, says);
    }

    pub(crate) fn command(&mut self, c: &Command) -> Result<(), Refused> {
        let refuse = |error: &str| Err(Refused { error: error.into() });
        match c {
            Command::PowerOn if self.is_on() => {}
            Command::PowerOn if self.state.batteries.iter().sum::<f64>() < 0.01 => {
                return refuse("both batteries are empty: change one first");
            }
            Command::PowerOn => {
                self.left = STARTS;
                self.enter(Word::Starting, "starting, with its self-check");
            }
            Command::PowerOff => self.lose_power("off"),
            Command::Level => {
                self.state.tilt = Some(0.0003);
                if matches!(self.state.state, Word::Fault | Word::WarmingUp | Word::Ready) {
                    self.rest();
                }
            }
            Command::Scan { seconds, bytes } => {
                if !(1.0..=36_000.0).contains(seconds) || !(0.0..=1e12).contains(bytes) {
                    return refuse("expected a scan of 1 s to 10 h and of at most 1 TB");
                }
                if !matches!(self.state.state, Word::Ready | Word::WarmingUp) {
                    return refuse(&format!("found it “{}”, expected ready", self.state.says));
                }
                if *bytes > self.state.storage_free.unwrap_or(0.0) {
                    return refuse("the scan does not fit on the card");
                }
                (self.left, self.of, self.bytes) = (*seconds, *seconds, *bytes);
                self.state.preview.clear();
                let cold = if self.on_for < WARMS_UP { ", and it is not warm yet" } else { "" };
                self.enter(Word::Measuring, format!("scanning: keep out of its way{cold}"));
            }
            Command::Stop if self.state.state == Word::Measuring => self.rest(),
            Command::Stop => {}
            Command::SwapBattery { slot } => {
                let Some(b) = self.state.batteries.get_mut(*slot) else { return refuse("expected battery 0 or 1") };
                *b = 1.0;
                let other = self.state.batteries[1 - slot];
                self.state.sequence += 1;
                if self.is_on() && other < 0.01 {
                    self.lose_power("off: the other battery was empty when this one came out");
                }
            }
            Command::Walk { metres } if !(0.0..=1e5).contains(metres) => return refuse("expected 0 to 100 km"),
            Command::Walk { metres } => {
                self.metres = *metres;
                self.state.radio = Some((1.0 / (1.0 + (metres / REACH).powi(2))).clamp(0.0, 1.0));
                self.state.sequence += 1;
            }
            Command::Fault { what: Fault::Power } => self.lose_power("off: the power was lost"),
            Command::Fault { what: Fault::Tilt } => {
                self.state.tilt = Some(0.006);
                if self.is_on() && self.state.state != Word::Starting {
                    self.rest();
                }
            }
            Command::Fault { what: Fault::Storage } => {
                self.state.storage_free = Some(0.0);
                if self.is_on() && self.state.state != Word::Starting {
                    self.rest();
                }
            }
            _ => return refuse("a scanner scans, and nothing else"),
        }
        Ok(())
    }

    /// What it has seen of the room it stands in so far, in the order in which it turns: a few points for the eye.
    fn look(&mut self, done: f64, rng: &mut ChaCha8Rng) {
        let expected = (done * PREVIEW as f64) as usize;
        while self.state.preview.len() < expected.min(PREVIEW) {
            let turn = std::f64::consts::TAU * self.state.preview.len() as f64 / PREVIEW as f64;
            let (s, c) = turn.sin_cos();
            // four walls at 7 and 5 m, from the floor to the ceiling
            let reach = (7.0 / c.abs().max(1e-6)).min(5.0 / s.abs().max(1e-6));
            self.state.preview.push([reach * c, reach * s, -1.6 + 4.2 * rng.random::<f64>()]);
        }
    }

    /// One second of simulated time.
    pub(crate) fn second(&mut self, rng: &mut ChaCha8Rng) {
        let target = if self.is_on() { OUTSIDE + 22.0 } else { OUTSIDE };
        let now = self.state.temperature.unwrap_or(OUTSIDE);
        self.state.temperature = Some(now + (target - now) / 900.0 + 0.01 * rng.sample::<f64, _>(StandardNormal));
        if !self.is_on() {
            return;
        }
        self.on_for += 1.0;
        self.state.warm_in = Some((WARMS_UP - self.on_for).max(0.0));
        // one battery after the other
        if let Some(b) = self.state.batteries.iter_mut().find(|b| **b > 0.0) {
            *b = (*b - 1.0 / LASTS).max(0.0);
        }
        if self.state.batteries.iter().sum::<f64>() <= 0.0 {
            self.lose_power("off: both batteries are empty");
            return;
        }
        match self.state.state {
            Word::Starting => {
                self.left -= 1.0;
                if self.left <= 0.0 {
                    self.rest();
                }
            }
            Word::WarmingUp if self.on_for >= WARMS_UP => self.rest(),
            Word::Measuring => {
                self.left -= 1.0;
                let done = (1.0 - self.left / self.of).clamp(0.0, 1.0);
                self.state.progress = Some(done);
                self.look(done, rng);
                if self.left <= 0.0 {
                    self.state.storage_free = self.state.storage_free.map(|s| s - self.bytes);
                    self.state.scans = self.state.scans.map(|s| s + 1);
                    self.state.tracked = Some(true);
                    (self.to_send, self.of) = (self.bytes, self.bytes.max(1.0));
                    self.enter(Word::Transferring, "scan done: handing it over");
                }
            }
            Word::Transferring => {
                let radio = self.state.radio.unwrap_or(0.0);
                self.to_send -= RADIO * radio;
                self.state.progress = Some((1.0 - self.to_send / self.of).clamp(0.0, 1.0));
                if radio < 0.05 {
                    "out of reach of the radio: the scan is on the card, come nearer".clone_into(&mut self.state.says);
                }
                if self.to_send <= 0.0 {
                    self.rest();
                }
            }
            _ => {}
        }
    }
}
