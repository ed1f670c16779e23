//! What came of passes, as it is stored.

use super::{Rows9, StoredPose, mirror};
use nalgebra::Matrix6;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::mobile::{Correction, Doubled, Drift, PassOut, Sheet};

/// Version that is written.
pub(crate) const VERSION: u32 = 1;

mirror!(
    /// Why a pass has no place.
    RefusedWord = vistazo_core::mobile::Refused { Empty, NoPlace, FewMarks }
);

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Passes {
    pub version: u32,
    pub inputs: String,
    pub at: chrono::DateTime<chrono::Utc>,
    /// `grid` or `block`.
    pub frame: String,
    pub passes: Vec<StoredPass>,
    pub ties: Vec<StoredTie>,
    /// By how much more than stated: the drift of the unit that lost its way most, ties to scans, and ties of passes.
    pub factors: [f64; 3],
    /// Marks that contradict the rest: pass and mark.
    pub wrong_marks: Vec<(usize, usize)>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredPass {
    pub id: Uuid,
    pub key: String,
    pub placed: Result<StoredPlace, RefusedWord>,
    /// Targets that it saw on its way, counted on after its marks.
    #[serde(default)]
    pub seen: Vec<SeenTarget>,
    /// What came of its marks, in their order; none in records from before they were compared.
    #[serde(default)]
    pub marks: Option<Vec<StoredMark>>,
}

/// A known point of a pass, and where the pass came to lie there.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredMark {
    /// Name of the control point.
    pub point: String,
    /// Over it, metres.
    pub height: f64,
    /// Where the pass came to lie, in the frame of the record, metres.
    pub at: [f64; 3],
    /// Of that by the path alone, m².
    pub covariance: Rows9,
    /// Of noting it, 1σ each way, metres.
    pub noted: f64,
    pub role: MarkRole,
}

/// What a mark is to its pass.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize)]
#[serde(rename_all = "snake_case")]
pub(crate) enum MarkRole {
    /// It holds the pass.
    Holds,
    /// It contradicts the rest, and does not count.
    Wrong,
    /// It is of a check point, and was held back.
    Check,
}

/// A visit of a target whose place the scans know.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct SeenTarget {
    pub name: String,
    pub time: f64,
    pub points: usize,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredPlace {
    times: Vec<f64>,
    places: Vec<[f64; 3]>,
    poses: Vec<StoredPose>,
    covariances: Vec<Vec<f64>>,
    cross: Vec<Vec<f64>>,
    walked: Vec<f64>,
    drift: [f64; 4],
    /// So many times what its profile says; that of all in records from before each had its own.
    #[serde(default)]
    pub drifted: Option<f64>,
    rigid: StoredPose,
    /// It is laid down as one piece.
    #[serde(default)]
    pub whole: bool,
    pub bends: [f64; 2],
    pub doubled: [StoredDoubled; 2],
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredDoubled {
    pub compared: usize,
    pub double: usize,
    pub rms: f64,
    pub worst: Vec<StoredSheet>,
}

#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub(crate) struct StoredSheet {
    pub at: [f64; 3],
    pub offset: [f64; 3],
    pub sigma: f64,
    pub times: [f64; 2],
}

/// Pass and piece that were tied, to a scan or to another pass and its piece.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
pub(crate) struct StoredTie {
    pub of: (usize, usize),
    pub to: Result<Uuid, (usize, usize)>,
    pub rms: f64,
    pub overlap: f64,
    pub off: f64,
    pub left_out: bool,
}

fn rows(m: &Matrix6<f64>) -> Vec<f64> {
    m.transpose().iter().copied().collect()
}

impl StoredPlace {
    pub(crate) fn of(p: &PassOut, whole: bool) -> Self {
        let c = &p.correction;
        let Drift { walked, heading, turned, tilt } = c.drift;
        Self {
            times: c.times.clone(),
            places: c.places.iter().map(|p| (*p).into()).collect(),
            poses: c.poses.iter().map(StoredPose::from).collect(),
            covariances: c.covariances.iter().map(rows).collect(),
            cross: c.cross.iter().map(rows).collect(),
            walked: c.walked.clone(),
            drift: [walked, heading, turned, tilt],
            drifted: Some(p.drifted),
            rigid: (&p.rigid).into(),
            whole,
            bends: p.bends,
            doubled: [StoredDoubled::of(&p.doubled[0]), StoredDoubled::of(&p.doubled[1])],
        }
    }

    /// Where its points are taken to lie: along the corrected path, or as one piece.
    pub(crate) fn correction(&self) -> Correction {
        let corrected = self.corrected();
        if self.whole { corrected.laid_whole(&self.rigid()) } else { corrected }
    }

    /// Its path without its drift, whatever is made of it.
    pub(crate) fn corrected(&self) -> Correction {
        let square = |rows: &Vec<f64>| Matrix6::from_row_iterator(rows.iter().copied().chain(std::iter::repeat(0.0)));
        let [walked, heading, turned, tilt] = self.drift;
        Correction {
            times: self.times.clone(),
            places: self.places.iter().map(|p| Vec3::from(*p)).collect(),
            poses: self.poses.iter().map(Pose::from).collect(),
            covariances: self.covariances.iter().map(square).collect(),
            cross: self.cross.iter().map(square).collect(),
            walked: self.walked.clone(),
            drift: Drift { walked, heading, turned, tilt },
        }
    }

    pub(crate) fn rigid(&self) -> Pose {
        (&self.rigid).into()
    }
}

impl StoredDoubled {
    fn of(d: &Doubled) -> Self {
        let sheet =
            |s: &Sheet| StoredSheet { at: s.at.into(), offset: s.offset.into(), sigma: s.sigma, times: s.times };
        Self { compared: d.compared, double: d.double, rms: d.rms, worst: d.worst.iter().map(sheet).collect() }
    }
}
