//! The receiver: epochs with white noise, drift that lasts half a minute, what a session has alike, and wrong fixes.

use crate::state::{Command, DeviceState, Fault, Kind, Refused, Word};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;

/// Seconds to the first fix.
const FIXES: f64 = 25.0;
/// σ of an epoch: what changes from one to the next, E, N, H, metres.
const WHITE: [f64; 3] = [0.004, 0.004, 0.008];
/// What lasts some half a minute.
const SLOW: [f64; 3] = [0.004, 0.004, 0.007];
const KEEPS: f64 = 0.967;
/// What a session has alike.
const SESSION: [f64; 3] = [0.005, 0.005, 0.008];
/// Where a wrong fix lies.
const WRONG: [f64; 3] = [0.19, -0.11, 0.24];
/// What it says of itself.
const STATED: [f64; 3] = [0.006, 0.006, 0.011];

/// A simulated receiver.
pub(crate) struct Receiver {
    pub state: DeviceState,
    left: f64,
    of: f64,
    /// The antenna, metres.
    at: [f64; 3],
    session: [f64; 3],
    drift: [f64; 3],
    fixes_in: f64,
    wrong: bool,
}

impl Receiver {
    pub(crate) fn new() -> Self {
        let mut state = DeviceState::new("receiver", Kind::Receiver, "Receiver");
        state.batteries = vec![0.92];
        state.satellites = Some(0);
        state.fixed = Some(false);
        Self {
            state,
            left: 0.0,
            of: 1.0,
            at: [0.0; 3],
            session: [0.0; 3],
            drift: [0.0; 3],
            fixes_in: FIXES,
            wrong: false,
        }
    }

    fn enter(&mut self, word: Word, says: &str) {
        self.state.state = word;
        self.state.says = says.into();
        self.state.sequence += 1;
        if word != Word::Measuring {
            self.state.progress = None;
        }
    }

    fn off(&mut self, says: &str) {
        self.state.fixed = Some(false);
        self.state.satellites = Some(0);
        self.enter(Word::Off, says);
    }

    pub(crate) fn command(&mut self, c: &Command, rng: &mut ChaCha8Rng) -> Result<(), Refused> {
        let refuse = |error: &str| Err(Refused { error: error.into() });
        match c {
            Command::PowerOn if self.state.state == Word::Off => {
                self.fixes_in = FIXES;
                self.enter(Word::Starting, "looking for satellites");
            }
            Command::PowerOn | Command::Level | Command::Walk { .. } => {}
            Command::PowerOff => self.off("off"),
            Command::Occupy { seconds, at, pole } => {
                if !(1.0..=10_800.0).contains(seconds) || !(0.0..=20.0).contains(pole) {
                    return refuse("expected 1 s to 3 h, and a pole of 0 to 20 m");
                }
                if at.iter().any(|v| !v.is_finite()) {
                    return refuse("expected finite coordinates");
                }
                if self.state.state != Word::Ready {
                    return refuse(&format!("found it “{}”, expected ready", self.state.says));
                }
                (self.left, self.of) = (*seconds, *seconds);
                self.at = [at[0], at[1], at[2] + pole];
                self.session = std::array::from_fn(|a| SESSION[a] * rng.sample::<f64, _>(StandardNormal));
                self.drift = std::array::from_fn(|a| SLOW[a] * rng.sample::<f64, _>(StandardNormal));
                self.state.epochs.clear();
                self.enter(Word::Measuring, "occupying: hold the bubble in");
            }
            Command::Stop if self.state.state == Word::Measuring => self.enter(Word::Ready, "stopped"),
            Command::Stop => {}
            Command::SwapBattery { slot: 0 } => {
                self.state.batteries = vec![1.0];
                self.off("off: the battery was changed");
            }
            Command::SwapBattery { .. } => return refuse("expected battery 0"),
            Command::Fault { what: Fault::WrongFix } => self.wrong = !self.wrong,
            Command::Fault { what: Fault::Power } => self.off("off: the power was lost"),
            _ => return refuse("a receiver occupies marks, and nothing else"),
        }
        Ok(())
    }

    /// One second of simulated time.
    pub(crate) fn second(&mut self, rng: &mut ChaCha8Rng) {
        if self.state.state == Word::Off {
            return;
        }
        self.state.batteries[0] = (self.state.batteries[0] - 1.0 / 28_800.0).max(0.0);
        if self.state.batteries[0] <= 0.0 {
            self.off("off: the battery is empty");
            return;
        }
        self.fixes_in -= 1.0;
        self.state.satellites = Some(11 + (rng.random::<f64>() * 5.0) as u32);
        self.state.fixed = Some(self.fixes_in <= 0.0);
        match self.state.state {
            Word::Starting if self.fixes_in <= 0.0 => self.enter(Word::Ready, "ready, ambiguities solved"),
            Word::Measuring => {
                let mut noise = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
                for (drift, slow) in self.drift.iter_mut().zip(SLOW) {
                    *drift = KEEPS * *drift + noise(slow * (1.0 - KEEPS * KEEPS).sqrt());
                }
                let [e, n, h] = std::array::from_fn(|a| {
                    let wrong = if self.wrong { WRONG[a] } else { 0.0 };
                    self.at[a] + self.session[a] + self.drift[a] + noise(WHITE[a]) + wrong
                });
                let fixed = f64::from(u8::from(self.fixes_in <= 0.0));
                self.state.epochs.push([self.of - self.left, e, n, h, STATED[0], STATED[1], STATED[2], fixed]);
                self.left -= 1.0;
                self.state.progress = Some((1.0 - self.left / self.of).clamp(0.0, 1.0));
                if self.left <= 0.0 {
                    self.enter(Word::Ready, "occupation done");
                }
            }
            _ => {}
        }
    }
}
