use crate::geometry::Vec3;
use std::f64::consts::TAU;

/// A planned station as the day goes.
#[derive(Clone, Debug, Default)]
pub struct Stop {
    /// Where the instrument will stand, plan coordinates, metres.
    pub position: Vec3,
    /// It was taken.
    pub taken: bool,
    /// Targets it is to see (indices).
    pub sees: Vec<usize>,
}

/// The one thing to do next.
#[derive(Clone, Debug, PartialEq)]
pub enum Next {
    /// Go to a station and take it.
    Go(Way),
    /// All are taken.
    AllTaken,
}

/// The way to the next station.
#[derive(Clone, Debug, PartialEq)]
pub struct Way {
    /// Which.
    pub station: usize,
    /// Why this one.
    pub because: Because,
    /// From the last one taken, metres on the ground; `None` for the first.
    pub distance: Option<f64>,
    /// In which direction, radians clockwise from north (plan y), in 0..2π.
    pub bearing: Option<f64>,
    /// Targets (indices) that have to stand for it and that no station taken saw: they have to be set up.
    pub set_up: Vec<usize>,
    /// Targets that stations taken saw and that this one has to see again: they stay.
    pub keep: Vec<usize>,
    /// Targets that were seen and that no station to come is to see: they can be taken along.
    pub free: Vec<usize>,
}

/// Why a station is the next.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Because {
    /// It is the first of the plan.
    First,
    /// It is the next of the plan.
    Order,
    /// It was passed by: so many later ones are taken.
    PassedBy(usize),
}

/// The next thing to do, from the stations in the order planned and the one taken last. The order is kept; what was passed
/// by comes before anything after it, while it is nearer than going on and coming back.
///
/// ```
/// use vistazo_core::field::{Because, Next, Stop, next};
/// use vistazo_core::geometry::Vec3;
/// let at = |x: f64, taken| Stop { position: Vec3::new(x, 0.0, 1.6), taken, sees: vec![] };
/// let stops = [at(0.0, true), at(10.0, false), at(20.0, false)];
/// let Next::Go(way) = next(&stops, Some(0)) else { panic!("two are left") };
/// assert_eq!((way.station, way.because, way.distance), (1, Because::Order, Some(10.0)));
/// assert!((way.bearing.unwrap().to_degrees() - 90.0).abs() < 1e-9);
/// ```
pub fn next(stops: &[Stop], last: Option<usize>) -> Next {
    let left: Vec<usize> = (0..stops.len()).filter(|&k| !stops[k].taken).collect();
    let Some(&first) = left.first() else { return Next::AllTaken };
    let on = last.and_then(|l| left.iter().copied().find(|&k| k > l));
    let far = |k: usize| last.map_or(0.0, |l| (stops[k].position - stops[l].position).xy().norm());
    // going back now, or going on and coming back later
    let station = match on {
        Some(on) if first < on => {
            if far(first) <= far(on) {
                first
            } else {
                on
            }
        }
        Some(on) => on,
        None => first,
    };
    let later = stops[station + 1..].iter().filter(|s| s.taken).count();
    let because = match (later, last) {
        (0, None) => Because::First,
        (0, Some(_)) => Because::Order,
        (n, _) => Because::PassedBy(n),
    };
    let seen = |t: usize| stops.iter().any(|s| s.taken && s.sees.contains(&t));
    let wanted = |t: usize| left.iter().any(|&k| stops[k].sees.contains(&t));
    let (keep, set_up) = stops[station].sees.iter().partition(|t| seen(**t));
    let mut free: Vec<usize> = stops.iter().filter(|s| s.taken).flat_map(|s| s.sees.iter().copied()).collect();
    free.sort_unstable();
    free.dedup();
    free.retain(|&t| !wanted(t));
    let step = last.map(|l| stops[station].position - stops[l].position);
    Next::Go(Way {
        station,
        because,
        distance: step.map(|s| s.xy().norm()),
        bearing: step.map(|s| s.x.atan2(s.y).rem_euclid(TAU)),
        set_up,
        keep,
        free,
    })
}

#[cfg(test)]
mod tests {
    use super::*;
    use proptest::prelude::*;

    fn at(x: f64, taken: bool, sees: &[usize]) -> Stop {
        Stop { position: Vec3::new(x, 5.0, 1.6), taken, sees: sees.to_vec() }
    }

    #[test]
    fn targets_are_carried_along_and_none_is_taken_too_early() {
        let stops = [at(0.0, true, &[0, 1]), at(10.0, true, &[1, 2]), at(20.0, false, &[2, 3]), at(30.0, false, &[3])];
        let Next::Go(way) = next(&stops, Some(1)) else { panic!() };
        assert_eq!((way.station, way.set_up, way.keep, way.free), (2, vec![3], vec![2], vec![0, 1]));
    }

    #[test]
    fn what_was_passed_by_is_not_forgotten() {
        let stops = [at(0.0, true, &[]), at(10.0, false, &[]), at(12.0, true, &[]), at(40.0, false, &[])];
        let Next::Go(way) = next(&stops, Some(2)) else { panic!() };
        assert_eq!((way.station, way.because), (1, Because::PassedBy(1)));
    }

    proptest! {
        /// Whoever follows the advice takes every station once, and never stands before one whose targets are gone.
        #[test]
        fn following_it_ends(xs in prop::collection::vec((-50.0..50.0f64, prop::collection::vec(0usize..6, 0..4)), 1..12)) {
            let mut stops: Vec<Stop> = xs.iter().map(|(x, sees)| at(*x, false, sees)).collect();
            let (mut last, mut gone) = (None, Vec::new());
            for _ in 0..stops.len() {
                let Next::Go(way) = next(&stops, last) else { panic!("one is left") };
                prop_assert!(!stops[way.station].taken);
                prop_assert!(stops[way.station].sees.iter().all(|t| !gone.contains(t)));
                gone.extend(way.free.iter().copied());
                stops[way.station].taken = true;
                last = Some(way.station);
            }
            prop_assert_eq!(next(&stops, last), Next::AllTaken);
        }
    }
}
