//! Two scans set against one another, as it is stored.

use super::mirror;
use serde::{Deserialize, Serialize};
use vistazo_core::compare::{Comparison, Region};
use vistazo_core::geometry::{Pose, Vec3};

/// Version that is written.
pub(crate) const VERSION: u32 = 1;
/// Most places that are kept for the map: all that are beyond what could be told from noise, and some of the others.
const MOST: usize = 1600;
/// Distances counted each way, millimetres.
const REACH: i32 = 30;

mirror!(
    /// How a region changed.
    ChangeWord = vistazo_core::compare::Kind { Apart, FirstOnly, SecondOnly }
);

/// What came of a pair.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredComparison {
    pub version: u32,
    pub places: usize,
    /// Share of the places beyond what could be told from noise.
    pub beyond: f64,
    /// Medians, metres.
    pub distance: f64,
    pub detectable: f64,
    pub floor: f64,
    /// How far surfaces lie apart as a whole, 95 % of it (metres), share of the places.
    pub misfit: Option<[f64; 3]>,
    /// In the frame of the first.
    pub regions: Vec<StoredRegion>,
    /// How many places by whole millimetres: lower end, metres.
    pub counted: Vec<(f64, usize)>,
}

#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub(crate) struct StoredRegion {
    pub kind: ChangeWord,
    pub middle: [f64; 3],
    pub reach: f64,
    pub area: f64,
    pub distance: Option<f64>,
    pub detectable: f64,
}

/// A place: where in the frame of the first, distance and what could be told from noise, metres.
pub(crate) type StoredPlace = [f64; 5];

impl From<&Comparison> for StoredComparison {
    fn from(c: &Comparison) -> Self {
        let (distance, detectable) = c.medians();
        let mut counts = vec![0; 2 * REACH as usize];
        for cell in &c.cells {
            let k = (cell.distance * 1e3).floor() as i32 + REACH;
            if let Some(n) = usize::try_from(k).ok().and_then(|k| counts.get_mut(k)) {
                *n += 1;
            }
        }
        Self {
            version: VERSION,
            places: c.cells.len(),
            beyond: c.beyond(),
            distance,
            detectable,
            floor: c.floor,
            misfit: c.misfit.map(|m| [m.apart, m.apart95, m.share]),
            regions: c.regions.iter().map(StoredRegion::from).collect(),
            counted: (-REACH..REACH).map(|k| f64::from(k) / 1e3).zip(counts).collect(),
        }
    }
}

/// Its places, thinned, to tenths of a millimetre.
pub(crate) fn places(c: &Comparison) -> Vec<StoredPlace> {
    let beyond = c.cells.iter().filter(|p| p.is_beyond()).count();
    let others = MOST.saturating_sub(beyond.min(MOST / 2)).max(1);
    let (every, other) = (beyond.div_ceil(MOST / 2).max(1), (c.cells.len() - beyond).div_ceil(others).max(1));
    let round = |v: f64| (v * 1e4).round() / 1e4;
    let mut seen = [0; 2];
    let keep = |p: &&vistazo_core::compare::Cell| {
        let k = usize::from(p.is_beyond());
        seen[k] += 1;
        (seen[k] - 1) % [other, every][k] == 0
    };
    let of = |p: &vistazo_core::compare::Cell| [p.at.x, p.at.y, p.at.z, p.distance, p.detectable].map(round);
    c.cells.iter().filter(keep).map(of).collect()
}

impl From<&Region> for StoredRegion {
    fn from(r: &Region) -> Self {
        Self {
            kind: r.kind.into(),
            middle: r.middle.into(),
            reach: r.reach,
            area: r.area,
            distance: r.distance,
            detectable: r.detectable,
        }
    }
}

impl StoredRegion {
    /// In the frame that the first scan has this pose in.
    pub(crate) fn placed(&self, first: &Pose) -> Region {
        Region {
            kind: self.kind.into(),
            middle: first.apply(&Vec3::from(self.middle)),
            reach: self.reach,
            area: self.area,
            distance: self.distance,
            detectable: self.detectable,
        }
    }
}
