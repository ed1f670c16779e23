use super::checker_error::{Expected, View};
use crate::geometry::{Mat3, Vec3};
use crate::instrument::Instrument;
use std::collections::HashMap;
use std::sync::{LazyLock, Mutex};

/// Hits from which the search finds a sphere dependably; the fit itself takes 14.
pub const DEPENDABLE_HITS: f64 = 20.0;

/// Rays expected on a sphere's usable cap at `range` metres: `π (0.82 r)² / (R δ)²`.
pub fn predicted_hits(radius: f64, range: f64, instrument: &Instrument) -> f64 {
    std::f64::consts::PI * (0.82 * radius / (range * instrument.step)).powi(2)
}

/// Longest distance at which a sphere of `radius` metres still gets `hits` usable points.
pub fn usable_distance(radius: f64, hits: f64, instrument: &Instrument) -> f64 {
    let r = (std::f64::consts::PI / hits).sqrt() * 0.82 * radius / instrument.step;
    r.min(instrument.max_range)
}

/// Covariance of a sphere's centre, m², predicted for a sphere at `p` (scanner frame, metres):
/// the normal matrix of the rays that would hit it, laid out on the instrument's grid.
///
/// `None` when fewer than [`DEPENDABLE_HITS`] rays would hit, or the sphere is out of range.
pub fn predicted_sphere_covariance(p: &Vec3, radius: f64, instrument: &Instrument) -> Option<Mat3> {
    let range = p.norm();
    if range < instrument.min_range
        || range > instrument.max_range
        || predicted_hits(radius, range, instrument) < DEPENDABLE_HITS
    {
        return None;
    }
    let ray = p / range;
    let side = ray.cross(&Vec3::z()).try_normalize(1e-9).unwrap_or_else(Vec3::x);
    let up = side.cross(&ray);
    let spacing = range * instrument.step;
    let reach = 0.82 * radius;
    let cells = (reach / spacing).floor() as i64;
    let mut normal_matrix = Mat3::zeros();
    for i in -cells..=cells {
        for j in -cells..=cells {
            let (a, b) = (i as f64 * spacing, j as f64 * spacing);
            let miss = a.hypot(b);
            if miss > reach {
                continue;
            }
            let normal = (side * a + up * b - ray * (radius * radius - miss * miss).sqrt()) / radius;
            let hit = p + normal * radius;
            let cos_incidence = -normal.dot(&(hit / hit.norm()));
            let variance = (normal.transpose() * instrument.point_covariance(&hit, cos_incidence) * normal)[0];
            normal_matrix += normal * normal.transpose() / variance;
        }
    }
    normal_matrix.try_inverse()
}

/// Incidence cosine up to which the search finds boards dependably: 45°.
const LEAST_FACING: f64 = 0.707;

/// What has been computed, by setting and place of the series: the same boards are asked for again
/// with every edit of a plan.
static KNOWN: LazyLock<Mutex<Known>> = LazyLock::new(Mutex::default);
type Known = HashMap<(Setting, [i32; 3]), Option<Expected>>;
/// The most that is kept; then all is let go.
const MOST_KNOWN: usize = 50_000;

/// All that the picture of a board depends on but range and incidence, bit by bit.
type Setting = [u64; 7];

/// Steps of the series: of the logarithm of the range, and of both angles, radians.
const STEPS: [f64; 3] = [0.04, 0.035, 0.03];

/// Predicted covariances of checkers. What the picture gives depends on where the scanner stands as the
/// board sees it and takes some milliseconds to compute, so each is computed once, at the next of a
/// fine series.
pub struct CheckerTable<'a> {
    half: f64,
    instrument: &'a Instrument,
    setting: Setting,
}

impl<'a> CheckerTable<'a> {
    /// For boards of half-side `half` metres.
    pub fn new(half: f64, instrument: &'a Instrument) -> Self {
        let i = instrument;
        let setting =
            [half, i.step, i.range_sigma, i.range_sigma_per_m, i.angular_sigma, i.beam_exit, i.beam_divergence];
        Self { half, instrument, setting: setting.map(f64::to_bits) }
    }

    /// Covariance of the crossing, m², of a board at `p` (scanner frame, metres) whose face looks
    /// along the horizontal unit vector `normal`, when `stations` of them measure it.
    ///
    /// How well a coarse grid meets the edges differs from one station to the next. One alone is
    /// worth the mean of what may come; of several the adjustment trusts those that state the smallest
    /// errors, so that together they are worth more than their means.
    ///
    /// `None` when it is seen from behind, too obliquely, with too few points, or out of range.
    pub fn covariance(&self, p: &Vec3, normal: &Vec3, stations: usize) -> Option<Mat3> {
        let range = p.norm();
        let cos_incidence = -normal.dot(p) / range;
        if range < self.instrument.min_range || range > self.instrument.max_range || cos_incidence < LEAST_FACING {
            return None;
        }
        let right = Vec3::z().cross(normal).try_normalize(1e-6)?;
        let up = normal.cross(&right);
        let (oblique, elevation) = (right.dot(p).atan2(-normal.dot(p)), (p.z / range).asin());
        // the same picture upside down
        let side = if oblique < 0.0 { -1.0 } else { 1.0 };
        let place = [range.ln(), oblique * side, elevation * side];
        let key = (self.setting, std::array::from_fn(|k| (place[k] / STEPS[k]).round() as i32));
        let kept = KNOWN.lock().ok().and_then(|k| k.get(&key).copied());
        let e = kept.unwrap_or_else(|| {
            let at: [f64; 3] = std::array::from_fn(|k| f64::from(key.1[k]) * STEPS[k]);
            let view = View { half: self.half, range: at[0].exp(), oblique: at[1], elevation: at[2] };
            let found = super::checker_error::expected(&view, self.instrument);
            if let Ok(mut k) = KNOWN.lock() {
                if k.len() >= MOST_KNOWN {
                    k.clear();
                }
                k.insert(key, found);
            }
            found
        })?;
        let edges = e.weighted + (e.mean - e.weighted) / stations.max(1) as f64;
        let sigma = self.instrument.range_noise(range, cos_incidence) * cos_incidence;
        Some(
            right * right.transpose() * edges[(0, 0)]
                + up * up.transpose() * edges[(1, 1)]
                + (right * up.transpose() + up * right.transpose()) * edges[(0, 1)]
                + normal * normal.transpose() * (sigma * sigma / e.hits as f64),
        )
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn board(oblique: f64, elevation: f64, range: f64, stations: usize) -> Option<Mat3> {
        let instrument = Instrument { step: 0.004, ..Instrument::mid_range() };
        let horizontal = range * elevation.cos();
        let p = Vec3::new(horizontal * oblique.sin(), horizontal * oblique.cos(), range * elevation.sin());
        CheckerTable::new(0.15, &instrument).covariance(&p, &-Vec3::y(), stations)
    }

    /// A picture and the same upside down are worth the same; one that climbs the other way is not.
    #[test]
    fn a_board_is_worth_what_its_picture_is() {
        let one = board(0.6, 0.05, 4.9, 1).unwrap();
        assert_eq!(one, board(-0.6, -0.05, 4.9, 1).unwrap());
        let other = board(0.6, -0.05, 4.9, 1).unwrap();
        assert!((one - other).norm() > 0.2 * one.norm());
        // along the normal the noise of the points alone counts
        let along = |c: &Mat3| c[(1, 1)];
        assert!((along(&one) / along(&other) - 1.0).abs() < 0.05);
    }

    /// Stations together are worth more than their means, but none is better than it is in the mean of the weights.
    #[test]
    fn several_stations_are_worth_more_than_their_means() {
        for (oblique, elevation, range) in [(0.0, 0.0, 6.0), (0.5, 0.1, 4.0), (-0.3, 0.06, 5.0)] {
            let trace: Vec<f64> =
                [1, 2, 4, 400].iter().map(|&m| board(oblique, elevation, range, m).unwrap().trace()).collect();
            assert!(trace.windows(2).all(|w| w[1] <= w[0]), "{trace:?}");
            assert!(trace[3] > 0.3 * trace[0], "{trace:?}");
        }
    }

    /// Boards are not counted on from behind, from the side, from afar.
    #[test]
    fn boards_that_are_not_found_are_not_counted_on() {
        assert!(board(0.0, 0.0, 4.0, 1).is_some());
        for (oblique, range) in [(0.85, 4.0), (std::f64::consts::PI, 4.0), (0.0, 9.0), (0.0, 500.0), (0.0, 0.01)] {
            assert!(board(oblique, 0.0, range, 1).is_none(), "{oblique} {range}");
        }
    }
}
