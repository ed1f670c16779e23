use super::roughness::roughness;
use super::{CheckerFit, SizeVerdict, TargetKind, checker_fit, checker_search, sphere_fit, sphere_search};
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use crate::scan::Scan;
use rayon::prelude::*;

/// What to look for.
#[derive(Clone, Debug, PartialEq)]
pub struct Search {
    /// Nominal radius of the job's spheres, metres; `None` when there are none.
    pub sphere_radius: Option<f64>,
    /// Half-side of the job's checkers, metres; `None` when there are none.
    pub checker_half: Option<f64>,
}

/// A target found in one scan.
#[derive(Clone, Debug)]
pub struct Detection {
    /// What it is.
    pub kind: TargetKind,
    /// Centre in the scanner frame, metres.
    pub centre: Vec3,
    /// Covariance of the centre, m².
    pub covariance: Mat3,
    /// Points used.
    pub hits: usize,
    /// Root mean square distance of the points from the fitted surface, metres.
    pub rms: f64,
    /// Ratio of the noise seen to the noise of the profile.
    pub s0: f64,
    /// Spheres: the radius when it is not held, metres, and its standard deviation.
    pub free_radius: Option<(f64, f64)>,
    /// Spheres: half-angle of the cap used, radians.
    pub cap: Option<f64>,
    /// Spheres: what the free radius says; checkers always agree.
    pub size: SizeVerdict,
}

/// Sizes tried around the nominal one, so that a wrong size is named instead of missed.
pub(super) const SCALES: [f64; 5] = [1.0, 0.5, 2.0, 0.71, 1.41];
/// So many spheres of the nominal size leave no doubt about it.
const SIZE_SHOWN: usize = 3;

/// Finds spheres and checkers in a scan, nearest first.
///
/// Spheres of other sizes are returned too, marked by [`Detection::size`], because a diameter
/// entered as a radius is found that way; only those that agree should be used.
pub fn detect(scan: &Scan, instrument: &Instrument, search: &Search) -> Vec<Detection> {
    let mut found: Vec<Detection> = Vec::new();
    let rough = roughness(scan, instrument);
    let noise = instrument.range_noise(15.0, 0.9) * rough;
    let image = sphere_search::RangeImage::new(scan);
    if let Some(nominal) = search.sphere_radius {
        for (k, scale) in SCALES.iter().enumerate() {
            // a scan that shows the job's spheres says that their size is right
            if k > 0 && found.iter().filter(|d| d.size == SizeVerdict::Agrees).count() >= SIZE_SHOWN {
                break;
            }
            let radius = nominal * scale;
            let candidates = sphere_search::search(scan, &image, radius, noise);
            let measured: Vec<Detection> = candidates
                .par_iter()
                .filter_map(|c| measure(scan, instrument, (&c.centre, Some(c.cell)), radius, nominal, rough))
                .collect();
            for d in measured {
                keep_better(&mut found, d, nominal);
            }
        }
    }
    if let Some(half) = search.checker_half {
        let candidates = checker_search::search(scan, &image, half);
        let fits: Vec<_> = candidates
            .par_iter()
            .filter_map(|c| {
                let found = checker_fit::fit(scan, instrument, &c.point, half, Some(c.cell))?;
                checker_fit::stands_out(scan, &found, half, c.cell).then_some(found)
            })
            .collect();
        for f in fits {
            keep_better(&mut found, of_board(&f), half);
        }
    }
    found.sort_by(|a, b| a.centre.norm_squared().total_cmp(&b.centre.norm_squared()));
    found
}

pub(super) fn of_board(f: &CheckerFit) -> Detection {
    Detection {
        kind: TargetKind::Checker,
        centre: f.centre,
        covariance: f.covariance,
        hits: f.hits,
        rms: f.rms,
        s0: f.s0,
        free_radius: None,
        cap: None,
        size: SizeVerdict::Agrees,
    }
}

/// Fits at the searched radius, and when the free radius disagrees, once more at that radius, so
/// that a sphere of another size is measured as what it is.
pub(super) fn measure(
    scan: &Scan,
    instrument: &Instrument,
    (centre, cell): (&Vec3, Option<(i64, i64)>),
    radius: f64,
    nominal: f64,
    rough: f64,
) -> Option<Detection> {
    let again = |centre: &Vec3, r: f64| sphere_fit::fit(scan, instrument, centre, r, rough, cell);
    let mut fit = again(centre, radius)?;
    let mut used = radius;
    if fit.size != SizeVerdict::Agrees {
        used = fit.free_radius;
        fit = again(&fit.centre, used)?;
    }
    let tolerance = sphere_fit::radius_tolerance(fit.free_radius_sigma, nominal);
    let off = |r: f64| (fit.free_radius - r).abs();
    let size = if off(nominal) <= tolerance {
        if (used - nominal).abs() > f64::EPSILON {
            fit = again(&fit.centre, nominal)?;
        }
        SizeVerdict::Agrees
    } else if off(2.0 * nominal) <= tolerance.max(0.06 * nominal) || off(0.5 * nominal) <= tolerance.max(0.03 * nominal)
    {
        SizeVerdict::DiameterRadiusMixUp
    } else {
        SizeVerdict::WrongSize
    };
    // a surface of another size with a poor radius is a knob or a head, not somebody's sphere
    if size != SizeVerdict::Agrees && (fit.free_radius_sigma > 0.02 * fit.free_radius || fit.s0 > 1.5 * rough) {
        return None;
    }
    Some(Detection {
        kind: TargetKind::Sphere,
        centre: fit.centre,
        covariance: fit.covariance,
        hits: fit.hits,
        rms: fit.rms,
        s0: fit.s0,
        free_radius: Some((fit.free_radius, fit.free_radius_sigma)),
        cap: Some(fit.cap),
        size,
    })
}

/// Of two detections in one place, keeps the one that agrees with the nominal size, then the one
/// with more hits.
fn keep_better(found: &mut Vec<Detection>, d: Detection, reach: f64) {
    let rank = |d: &Detection| (d.size == SizeVerdict::Agrees, d.hits);
    if let Some(old) = found.iter_mut().find(|o| (o.centre - d.centre).norm() < reach) {
        if rank(&d) > rank(old) {
            *old = d;
        }
    } else {
        found.push(d);
    }
}

/// The cell whose ray is nearest to a direction; `hint` is a cell that looks nearly there.
///
/// From a near cell, or a coarse look over the grid, the steps say how many rows and columns away the
/// direction lies. Which way rows and columns run is not known, so all four are tried; an empty background
/// (sky) between does not matter.
pub(super) fn locate(scan: &Scan, direction: &Vec3, hint: Option<(i64, i64)>) -> Option<(i64, i64)> {
    let mut best: Option<(f64, i64, i64)> = None;
    let consider = |r: i64, c: i64, best: &mut Option<(f64, i64, i64)>| {
        if let Some(p) = scan.point(r, c) {
            let d = (p / p.norm() - direction).norm_squared();
            if best.is_none_or(|b| d < b.0) {
                *best = Some((d, r, c));
            }
        }
    };
    if let Some((r, c)) = hint {
        consider(r, c, &mut best);
    }
    if best.is_none() {
        let (hr, hc) = ((i64::from(scan.rows) / 48).max(1), (i64::from(scan.cols) / 96).max(1));
        for r in (0..i64::from(scan.rows)).step_by(hr as usize) {
            for c in (0..i64::from(scan.cols)).step_by(hc as usize) {
                consider(r, c, &mut best);
            }
        }
    }
    let angles = |v: &Vec3| (v.z.atan2(v.x.hypot(v.y)), v.y.atan2(v.x));
    let (elevation, azimuth) = angles(direction);
    // twice: the second jump starts near, where uneven steps no longer matter
    for reach in [4, 3] {
        let (_, r0, c0) = best?;
        let (e0, a0) = angles(&scan.point(r0, c0)?);
        let rows = ((elevation - e0) / scan.row_step).round() as i64;
        let turn = azimuth - a0;
        let cols = (turn.sin().atan2(turn.cos()) / scan.col_step).round() as i64;
        for (dr, dc) in [(rows, cols), (rows, -cols), (-rows, cols), (-rows, -cols)] {
            for i in -reach..=reach {
                for j in -reach..=reach {
                    consider(r0 + dr + i, c0 + dc + j, &mut best);
                }
            }
        }
    }
    best.map(|(_, r, c)| (r, c))
}
