//! The devices of one site, on simulated time.

use crate::mobile::Mobile;
use crate::receiver::Receiver;
use crate::scanner::Scanner;
use crate::state::{Command, DeviceState, Event, Refused};
use crate::total_station::TotalStation;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use std::collections::VecDeque;

/// Events that are kept for who was away.
const KEPT: usize = 2000;
/// Commands whose identifiers are remembered.
const REMEMBERED: usize = 1000;

/// The devices of one site. Its time is its own: [`Self::advance`] lets it go on.
pub struct Fleet {
    scanner: Scanner,
    receiver: Receiver,
    total_station: TotalStation,
    mobile: Mobile,
    rng: ChaCha8Rng,
    time: f64,
    /// Simulated seconds in one of ours.
    pub speed: f64,
    number: u64,
    events: VecDeque<Event>,
    said: [u64; 4],
    done: VecDeque<u128>,
}

impl Fleet {
    /// A fresh fleet: everything is off. The same seed is the same fleet.
    pub fn new(seed: u64, speed: f64) -> Self {
        let mut rng = ChaCha8Rng::seed_from_u64(seed);
        Self {
            scanner: Scanner::new(&mut rng),
            receiver: Receiver::new(),
            total_station: TotalStation::new(),
            mobile: Mobile::new(),
            rng,
            time: 0.0,
            speed,
            number: 0,
            events: VecDeque::new(),
            said: [0; 4],
            done: VecDeque::new(),
        }
    }

    /// Lets so many simulated seconds pass.
    pub fn advance(&mut self, seconds: f64) {
        let until = self.time + seconds.clamp(0.0, 1e6);
        while self.time + 1.0 <= until {
            self.time += 1.0;
            self.scanner.second(&mut self.rng);
            self.receiver.second(&mut self.rng);
            self.total_station.second();
            self.mobile.second(&mut self.rng);
            self.note();
        }
    }

    /// Notes changes as events.
    fn note(&mut self) {
        let devices = [&self.scanner.state, &self.receiver.state, &self.total_station.state, &self.mobile.state];
        for (k, d) in devices.into_iter().enumerate() {
            if d.sequence != self.said[k] {
                self.said[k] = d.sequence;
                self.number += 1;
                // what was measured is asked for: an event says that something changed
                let device = DeviceState { time: self.time, ..d.without_measurements() };
                self.events.push_back(Event { number: self.number, device });
                if self.events.len() > KEPT {
                    self.events.pop_front();
                }
            }
        }
    }

    /// All devices.
    pub fn devices(&self) -> Vec<DeviceState> {
        [&self.scanner.state, &self.receiver.state, &self.total_station.state, &self.mobile.state]
            .map(|d| DeviceState { time: self.time, ..d.clone() })
            .to_vec()
    }

    /// One of them.
    pub fn device(&self, id: &str) -> Option<DeviceState> {
        self.devices().into_iter().find(|d| d.id == id)
    }

    /// Events after a number, in order. When some of them are not kept any more, the first number tells.
    pub fn events_after(&self, number: u64) -> Vec<Event> {
        self.events.iter().filter(|e| e.number > number).cloned().collect()
    }

    /// Says something to a device, once however often it is sent under one identifier.
    ///
    /// # Errors
    /// [`Refused`] when the device does not follow; nothing is changed then.
    pub fn command(&mut self, device: &str, id: u128, c: &Command) -> Result<(), Refused> {
        if self.done.contains(&id) {
            return Ok(());
        }
        match device {
            "scanner" => self.scanner.command(c)?,
            "receiver" => self.receiver.command(c, &mut self.rng)?,
            "total-station" => self.total_station.command(c, &mut self.rng)?,
            "mobile" => self.mobile.command(c)?,
            other => return Err(Refused { error: format!("found no device “{other:.40}”") }),
        }
        self.done.push_back(id);
        if self.done.len() > REMEMBERED {
            self.done.pop_front();
        }
        self.note();
        Ok(())
    }
}
