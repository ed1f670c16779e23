use super::polar::{Accuracy, FITS, Known, Reading, SightLeft, Stand, read, set_up, turn};
use crate::geometry::Vec3;
use std::f64::consts::{PI, TAU};

/// What a set-up draws attention to.
#[derive(Clone, Debug, PartialEq)]
pub enum SetUpRemark {
    /// A sight does not fit the others: the point, and by how much, metres.
    Unlike(String, f64),
    /// The sights do not fit, and which one is wrong cannot be told.
    Torn(f64),
    /// All known points lie within so narrow an angle, radians.
    Narrow(f64),
    /// A slip shows, and not where: too few points.
    Thin(usize),
    /// Nothing checks it.
    Unchecked,
    /// New points farther than so many metres are beyond the farthest known one.
    Short(f64),
}

/// Known points within this angle hold a free station badly.
const NARROW: f64 = 30.0 * PI / 180.0;
/// New points may be farther than the farthest known one by this.
const BEYOND: f64 = 1.5;

/// Which sight does not fit, where the others agree without it and it stands out among those that could be left out; by how
/// much it is off beside them.
pub(super) fn unlike(
    stand: &Stand,
    sights: &[(Known, Reading)],
    left: &[SightLeft],
    accuracy: &Accuracy,
    scale: f64,
) -> SetUpRemark {
    let off =
        |l: &SightLeft| [l.across, l.along.unwrap_or(0.0), l.up].into_iter().fold(0.0, |m: f64, v| m.max(v.abs()));
    let mut fits = (0..sights.len()).filter_map(|k| {
        let others: Vec<(Known, Reading)> =
            sights.iter().enumerate().filter(|(i, _)| *i != k).map(|(_, s)| s.clone()).collect();
        let without = set_up(stand, &others, accuracy, scale).ok()?;
        // what nothing checks fits always
        let checked = !without.remarks.contains(&SetUpRemark::Unchecked);
        (checked && without.chance >= FITS).then_some((k, without))
    });
    match (fits.next(), fits.next()) {
        (Some((k, without)), None) => {
            let (to, r) = &sights[k];
            let [direction, zenith, distance] =
                read(&without.position, without.orientation, &to.position, r.height, scale);
            let across = turn(r.direction - direction) * distance * zenith.sin();
            let along = r.distance.map_or(0.0, |d| d - distance);
            SetUpRemark::Unlike(to.name.clone(), across.hypot(along).hypot((r.zenith - zenith) * distance))
        }
        _ => SetUpRemark::Torn(left.iter().map(off).fold(0.0, f64::max)),
    }
}

pub(super) fn remarks(stand: &Stand, sights: &[(Known, Reading)], at: &Vec3, free: usize) -> Vec<SetUpRemark> {
    let mut out = Vec::new();
    let points = sights.len() + usize::from(matches!(stand, Stand::Over(..)));
    if matches!(stand, Stand::Free) {
        let mut bearings: Vec<f64> = sights
            .iter()
            .map(|s| {
                let d = s.0.position - at;
                d.x.atan2(d.y).rem_euclid(TAU)
            })
            .collect();
        bearings.sort_by(f64::total_cmp);
        // the narrowest angle that holds all of them leaves out the widest gap, that from the last to the first included
        let round = bearings.last().zip(bearings.first()).map_or(TAU, |(last, first)| TAU - (last - first));
        let widest = bearings.windows(2).map(|w| w[1] - w[0]).fold(round, f64::max);
        let spread = TAU - widest;
        if spread < NARROW {
            out.push(SetUpRemark::Narrow(spread));
        }
    }
    match (free, points) {
        (0, _) => out.push(SetUpRemark::Unchecked),
        (_, 2) => out.push(SetUpRemark::Thin(points)),
        _ => {}
    }
    let farthest = sights.iter().map(|s| (s.0.position - at).xy().norm()).fold(0.0, f64::max);
    out.push(SetUpRemark::Short(BEYOND * farthest));
    out
}
