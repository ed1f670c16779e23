use super::detect::{SCALES, measure, of_board};
use super::roughness::roughness;
use super::{Detection, Search, SizeVerdict, TargetKind, fit_checker};
use crate::cloud::{Feature, Picked};
use crate::geometry::Vec3;
use crate::instrument::Instrument;
use crate::scan::Scan;

/// A board's crossing lies this far from where somebody pointed, at most, in half-sides: so far starts are tried.
const TRIES: [f64; 3] = [0.0, -0.5, 0.5];

/// Measures the target that somebody pointed at: `at` is a place on its surface, scanner frame, metres.
///
/// It is fitted as one that was found by the search, so nothing passes here that is not a sphere or a board; what the
/// search takes for too little or too hidden to begin with may. `None` when there is none, or no size to look for.
pub fn mark(scan: &Scan, instrument: &Instrument, search: &Search, kind: TargetKind, at: &Vec3) -> Option<Detection> {
    let along = at.try_normalize(0.1)?;
    if kind == TargetKind::Sphere {
        let nominal = search.sphere_radius?;
        let rough = roughness(scan, instrument);
        let fits = SCALES.iter().filter_map(|s| {
            let radius = nominal * s;
            measure(scan, instrument, (&(at + along * radius), None), radius, nominal, rough)
        });
        return fits
            .filter(|d| (d.centre - at).norm() < 2.5 * nominal)
            .max_by_key(|d| (d.size == SizeVerdict::Agrees, d.hits));
    }
    let half = search.checker_half?;
    let side = along.cross(&Vec3::z()).try_normalize(1e-6)?;
    let up = side.cross(&along);
    let starts = TRIES.iter().flat_map(|u| TRIES.iter().map(move |v| at + (side * *u + up * *v) * half));
    // what was begun beside the crossing holds points of what lies behind the rim: it is fitted again about its own
    let centred = |s: Vec3| fit_checker(scan, instrument, &fit_checker(scan, instrument, &s, half)?.centre, half);
    let fits = starts.filter_map(centred).map(|f| of_board(&f));
    fits.filter(|d| (d.centre - at).norm() < 1.5 * half).max_by_key(|d| d.hits)
}

/// A place that somebody pointed at, as a target: a corner where three surfaces meet, else a point that is as good as one
/// points. The same place is pointed at in two scans or more to tie them.
pub fn picked(p: &Picked) -> Detection {
    Detection {
        kind: if p.feature == Feature::Corner { TargetKind::Corner } else { TargetKind::Point },
        centre: p.at,
        covariance: p.covariance,
        hits: p.points,
        rms: p.rms,
        s0: 1.0,
        free_radius: None,
        cap: None,
        size: SizeVerdict::Agrees,
    }
}
