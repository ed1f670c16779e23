//! When what was scanned is tied, copied, and worked through.

use super::problem::{Clock, Problem};
use super::timetable::{Timetable, Work};

/// What the scans are worked through on.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Machines {
    /// Seconds a point of tying a scan to the one before it on the device in the field.
    pub tie: f64,
    /// Seconds from the gate to the office.
    pub travel: f64,
    /// Bytes a second from card to office machine.
    pub copy: f64,
    /// Seconds a point of working a scan through at the office: reading, cleaning, registering.
    pub office: f64,
    /// Scans the office machine works on at once.
    pub lanes: usize,
    /// Seconds a point of working it through on the device in the field, where that is to be; it takes
    /// the place of the office machine.
    pub device: Option<f64>,
    /// One scan goes through everything and is looked at before the others follow: seconds of looking.
    pub trial: Option<f64>,
}

/// When a scan is where.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Ready {
    /// Which.
    pub stop: usize,
    /// By which scanner.
    pub unit: usize,
    /// Its scan is over.
    pub scanned: Clock,
    /// Tied to the one before it, in the field.
    pub tied: Clock,
    /// On the office machine.
    pub copied: Clock,
    /// Worked through.
    pub worked: Clock,
}

/// When each scan of a timetable is tied, copied and worked through, in the order in which they are scanned.
pub fn ready(problem: &Problem, timetable: &Timetable, machines: &Machines) -> Vec<Ready> {
    let ends = |k: usize| {
        let of = timetable.steps.iter().filter(|s| s.stop == Some(k));
        of.filter(|s| matches!(s.work, Work::Scan | Work::Photographs)).map(|s| s.to).fold(0.0, f64::max)
    };
    let scans = timetable.steps.iter().filter(|s| s.work == Work::Scan);
    let mut scans: Vec<(Clock, usize, usize)> =
        scans.filter_map(|s| Some((ends(s.stop?), s.stop?, s.unit.unwrap_or_default()))).collect();
    scans.sort_by(|a, b| a.0.total_cmp(&b.0));
    let mut device = vec![0.0_f64; problem.units.len().max(1)];
    let mut lanes = vec![0.0_f64; machines.lanes.max(1)];
    let (mut copied, mut looked) = (0.0_f64, 0.0_f64);
    let mut out: Vec<Ready> = Vec::new();
    for (scanned, stop, unit) in scans {
        let s = &problem.stops[stop];
        let at = unit.min(device.len() - 1);
        device[at] = device[at].max(scanned) + s.points * machines.tie;
        let tied = device[at];
        let worked = if let Some(slow) = machines.device {
            device[at] += s.points * slow;
            copied = device[at];
            device[at]
        } else {
            let home = problem.shifts.iter().zip(&timetable.ends).find(|(d, _)| scanned <= d.to + 1e-6);
            let there = home.and_then(|h| *h.1).unwrap_or(scanned) + machines.travel;
            copied = copied.max(there) + if machines.copy > 0.0 { s.bytes / machines.copy } else { 0.0 };
            let lane = lanes.iter_mut().min_by(|a, b| a.total_cmp(b));
            let end = copied.max(looked) + s.points * machines.office;
            lane.map_or(end, |lane| {
                *lane = lane.max(copied).max(looked) + s.points * machines.office;
                *lane
            })
        };
        if let Some(look) = machines.trial.filter(|_| out.is_empty()) {
            looked = worked + look;
        }
        out.push(Ready { stop, unit, scanned, tied, copied, worked });
    }
    out
}
