use super::site::Station;
use crate::instrument::Instrument;

/// Setting up, levelling and packing, seconds.
pub const SET_UP: f64 = 120.0;
/// Walking with the instrument, metres a second.
pub const WALK: f64 = 1.0;
/// Changing a battery and starting the instrument again, without its warm-up, seconds.
pub const SWAP: f64 = 180.0;

/// What one station takes.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Stop {
    /// Walking there from the station before, seconds.
    pub walk: f64,
    /// Its scan with repeats and photographs, seconds.
    pub scan: f64,
    /// The battery is changed before it.
    pub swap: bool,
    /// When the instrument can be taken down again, seconds from the beginning of the day.
    pub done: f64,
    /// Points of its scan.
    pub points: f64,
}

/// What the plan takes in time, batteries and storage.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Day {
    /// In the order of the stations.
    pub stops: Vec<Stop>,
    /// From power-on to the end of the last scan, seconds.
    pub time: f64,
    /// Batteries that are needed.
    pub batteries: usize,
    /// Bytes as the instrument stores them, without photographs.
    pub bytes: f64,
}

/// Adds up a day: warm-up, then for each station walking, setting up, scanning. A battery that would not
/// last through a station is changed before it, and the instrument warms up again: what it had
/// tracked of its position is lost with the power.
pub fn day(stations: &[Station], instrument: &Instrument) -> Day {
    let mut out = Day { batteries: usize::from(!stations.is_empty()), ..Day::default() };
    let mut now = instrument.warm_up;
    let mut used = instrument.warm_up;
    for (k, s) in stations.iter().enumerate() {
        let walk = k.checked_sub(1).map_or(0.0, |b| (s.position - stations[b].position).norm() / WALK);
        let set = s.set(instrument);
        let needs = walk + SET_UP + set.scan_time;
        let swap = instrument.battery_time > 0.0 && used + needs > instrument.battery_time && used > instrument.warm_up;
        if swap {
            out.batteries += 1;
            now += SWAP + instrument.warm_up;
            used = instrument.warm_up;
        }
        now += needs;
        used += needs;
        let points = set.points(set.step);
        out.bytes += points * instrument.bytes_per_point;
        out.stops.push(Stop { walk, scan: set.scan_time, swap, done: now, points });
    }
    out.time = if stations.is_empty() { 0.0 } else { now };
    out
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::geometry::Vec3;

    #[test]
    fn a_day_adds_up_and_batteries_are_changed_in_time() {
        let mid = Instrument::mid_range();
        let instrument = Instrument { warm_up: 300.0, scan_time: 200.0, battery_time: 1000.0, ..mid };
        let at = |x: f64| Station::at("S", Vec3::new(x, 0.0, 1.6));
        let mut stations = vec![at(0.0), at(30.0), at(60.0), at(90.0)];
        let d = day(&stations, &instrument);
        // 300 + 320, then 350 each: the third no longer fits into 1000 s
        assert_eq!(d.stops.iter().map(|s| s.swap).collect::<Vec<_>>(), [false, false, true, false]);
        assert_eq!((d.batteries, d.stops[1].done, d.time), (2, 970.0, 970.0 + 180.0 + 300.0 + 700.0));
        // four repeats take four times as long, photographs their own time, and halve the noise
        stations[0].repeats = 4;
        stations[0].photographs = true;
        let set = stations[0].set(&instrument);
        assert!((set.scan_time - 800.0 - instrument.photograph_time).abs() < 1e-9);
        assert!((set.range_noise(10.0, 1.0) / instrument.range_noise(10.0, 1.0) - 0.5).abs() < 1e-12);
    }
}
