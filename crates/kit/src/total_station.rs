//! The robotic total station: a circle that lies as it was put up, shots with noise, and windows scanned by grid.

use crate::state::{Command, DeviceState, Fault, Kind, Refused, Shot, Word};
use rand::Rng;
use rand_chacha::ChaCha8Rng;
use rand_distr::StandardNormal;

/// σ of a direction and of a zenith angle, radians.
const ANGLE: f64 = 9.7e-6;
/// σ of a distance, metres, and more for each metre.
const DISTANCE: [f64; 2] = [0.0015, 2e-6];
/// Without a reflector.
const BARE: f64 = 0.002;
/// σ of a pole held over a point, metres.
const POLE: f64 = 0.001;
/// Seconds for a shot, and for each point of a window.
const SHOT: f64 = 6.0;
const EACH: f64 = 0.02;
/// Tilt beyond which the compensator gives up, radians.
const OUT_OF_LEVEL: f64 = 0.0012;
/// Points of one window, at most.
const MOST: f64 = 40_000.0;
/// The disc that hangs where a window is asked for, metres.
const DISC: f64 = 0.03;

/// A simulated total station.
pub(crate) struct TotalStation {
    pub state: DeviceState,
    /// The axis, metres; none before it is put up.
    at: Option<[f64; 3]>,
    /// Bearing of zero on the circle, radians.
    zero: f64,
    left: f64,
    of: f64,
    /// What is read when the time is over.
    next: Option<Shot>,
}

impl TotalStation {
    pub(crate) fn new() -> Self {
        let mut state = DeviceState::new("total-station", Kind::TotalStation, "Total station");
        state.batteries = vec![0.81];
        state.tilt = Some(0.003);
        Self { state, at: None, zero: 0.0, left: 0.0, of: 1.0, next: None }
    }

    fn enter(&mut self, word: Word, says: &str) {
        self.state.state = word;
        self.state.says = says.into();
        self.state.sequence += 1;
        if word != Word::Measuring {
            self.state.progress = None;
            self.next = None;
        }
    }

    fn off(&mut self, says: &str) {
        // the circle is another one after this
        self.at = None;
        self.enter(Word::Off, says);
    }

    fn rest(&mut self) {
        if self.state.tilt.unwrap_or(0.0) > OUT_OF_LEVEL {
            self.enter(Word::Fault, "out of level: level it, and set it up again");
        } else if self.at.is_none() {
            self.enter(Word::Ready, "ready: put it up over a point, or anywhere");
        } else {
            self.enter(Word::Ready, "ready");
        }
    }

    /// Where something is from here: direction on the circle, zenith angle, distance.
    fn towards(&self, to: [f64; 3]) -> Option<[f64; 3]> {
        let at = self.at?;
        let [x, y, z] = [0, 1, 2].map(|a| to[a] - at[a]);
        let flat = x.hypot(y);
        let distance = flat.hypot(z);
        (0.3..2000.0).contains(&distance).then(|| [x.atan2(y) - self.zero, flat.atan2(z), distance])
    }

    pub(crate) fn command(&mut self, c: &Command, rng: &mut ChaCha8Rng) -> Result<(), Refused> {
        let refuse = |error: &str| Err(Refused { error: error.into() });
        let mut noise = |s: f64| s * rng.sample::<f64, _>(StandardNormal);
        let good = |p: &[f64; 3]| p.iter().all(|v| v.is_finite());
        match c {
            Command::PowerOn if self.state.state == Word::Off => {
                self.left = 20.0;
                self.enter(Word::Starting, "starting, with its self-check");
            }
            Command::PowerOn | Command::Walk { .. } => {}
            Command::PowerOff => self.off("off"),
            Command::Level => {
                self.state.tilt = Some(0.0002);
                if matches!(self.state.state, Word::Fault | Word::Ready) {
                    self.rest();
                }
            }
            Command::SetUp { at } if !good(at) => return refuse("expected finite coordinates"),
            Command::SetUp { .. } | Command::Sight { .. } | Command::Window { .. }
                if self.state.state != Word::Ready =>
            {
                return refuse(&format!("found it “{}”, expected ready", self.state.says));
            }
            Command::SetUp { at } => {
                self.at = Some(*at);
                self.zero = std::f64::consts::TAU * (0.5 + noise(0.2)).rem_euclid(1.0);
                self.state.shots.clear();
                self.rest();
            }
            Command::Sight { name, to, height } => {
                let held = if *height > 0.0 { [noise(POLE), noise(POLE)] } else { [0.0; 2] };
                let at = [to[0] + held[0], to[1] + held[1], to[2] + height];
                let Some([d, z, s]) = self.towards(at).filter(|_| good(to) && (0.0..=20.0).contains(height)) else {
                    return refuse("expected a point 0.3 m to 2 km away, after it was set up");
                };
                let bare = if *height > 0.0 { 0.0 } else { BARE };
                let shot = Shot {
                    number: self.state.shots.len() as u32 + 1,
                    name: name.chars().take(60).collect(),
                    height: *height,
                    direction: (d + noise(ANGLE)).rem_euclid(std::f64::consts::TAU),
                    zenith: z + noise(ANGLE),
                    distance: s + noise(DISTANCE[0] + DISTANCE[1] * s) + noise(bare),
                    reflectivity: if *height > 0.0 { 0.95 } else { 0.3 },
                    window: Vec::new(),
                };
                (self.left, self.of, self.next) = (SHOT, SHOT, Some(shot));
                self.enter_measuring("aiming and reading");
            }
            Command::Window { name, to, half, spacing } => {
                let across = 2.0 * half / spacing;
                if !(0.01..=2.0).contains(half) || !(0.0005..=0.1).contains(spacing) || !(6.0..=200.0).contains(&across)
                {
                    return refuse("expected a window of 2 cm to 4 m, with 6 to 200 points across");
                }
                let Some([d, z, s]) = self.towards(*to).filter(|_| good(to)) else {
                    return refuse("expected a point 0.3 m to 2 km away, after it was set up");
                };
                let steps = (half / spacing).floor() as i32;
                // a wall that is not quite square to the sight
                let slope = noise(0.15);
                let mut window = Vec::new();
                for i in -steps..=steps {
                    for j in -steps..=steps {
                        let (u, v) = (f64::from(i) * spacing, f64::from(j) * spacing);
                        let reflectivity = if u.hypot(v) < DISC { 0.9 } else { 0.25 };
                        let far = (s * s + u * u + v * v).sqrt() + slope * u;
                        window.push([
                            (d + u / s / z.sin().max(0.05) + noise(ANGLE)).rem_euclid(std::f64::consts::TAU),
                            z - v / s + noise(ANGLE),
                            far + noise(BARE),
                            (reflectivity + noise(0.03)).clamp(0.0, 1.0),
                        ]);
                    }
                }
                let seconds = SHOT + EACH * (window.len() as f64).min(MOST);
                let shot = Shot {
                    number: self.state.shots.len() as u32 + 1,
                    name: name.chars().take(60).collect(),
                    height: 0.0,
                    direction: d.rem_euclid(std::f64::consts::TAU),
                    zenith: z,
                    distance: s + noise(BARE),
                    reflectivity: 0.9,
                    window,
                };
                (self.left, self.of, self.next) = (seconds, seconds, Some(shot));
                self.enter_measuring("scanning a window: nobody walks through it");
            }
            Command::Stop if self.state.state == Word::Measuring => self.rest(),
            Command::Stop => {}
            Command::SwapBattery { slot: 0 } => {
                self.state.batteries = vec![1.0];
                self.off("off: the battery was changed; set it up again");
            }
            Command::SwapBattery { .. } => return refuse("expected battery 0"),
            Command::Fault { what: Fault::Power } => self.off("off: the power was lost"),
            Command::Fault { what: Fault::Tilt } => {
                self.state.tilt = Some(0.004);
                self.at = None;
                if !matches!(self.state.state, Word::Off | Word::Starting) {
                    self.rest();
                }
            }
            _ => return refuse("a total station reads points and windows, and nothing else"),
        }
        Ok(())
    }

    fn enter_measuring(&mut self, says: &str) {
        self.state.state = Word::Measuring;
        self.state.says = says.into();
        self.state.progress = Some(0.0);
        self.state.sequence += 1;
    }

    /// One second of simulated time.
    pub(crate) fn second(&mut self) {
        if self.state.state == Word::Off {
            return;
        }
        self.state.batteries[0] = (self.state.batteries[0] - 1.0 / 25_000.0).max(0.0);
        if self.state.batteries[0] <= 0.0 {
            self.off("off: the battery is empty");
            return;
        }
        if !matches!(self.state.state, Word::Starting | Word::Measuring) {
            return;
        }
        self.left -= 1.0;
        if self.state.state == Word::Measuring {
            self.state.progress = Some((1.0 - self.left / self.of).clamp(0.0, 1.0));
        }
        if self.left <= 0.0 {
            self.state.shots.extend(self.next.take());
            self.rest();
        }
    }
}
