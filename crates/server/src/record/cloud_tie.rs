//! A tie by clouds as it is stored: what the search found, with all that speaks for and against it.

use super::{StoredPose, measured::flat, measured::square};
use serde::{Deserialize, Serialize};
use vistazo_core::geometry::Pose;
use vistazo_core::tie::{CloudReason, CloudTieFound, PLACES, SharedInTie};

/// What was found of two scans.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct FoundTie {
    pub relative: StoredPose,
    /// By left increments, row by row, m² and rad².
    pub covariance: Vec<f64>,
    /// What errors that all points of a scan share do to it, first in the first scan, then in the second.
    pub shared: [Vec<[f64; 6]>; 2],
    pub rms: f64,
    /// Places of the second that the first saw too, then the other way round: shares.
    pub overlap: [f64; 2],
    /// Places where the other saw through: shares of those it can speak of.
    pub conflict: [f64; 2],
    pub reasons: Vec<TieReason>,
    /// Direction in which the second is held worst, frame of the first, and 95 % there, metres.
    pub weakest: [f64; 3],
    pub weakest95: f64,
    pub heading95: f64,
    pub rival: Option<StoredRival>,
}

/// Another place that the second scan might have.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredRival {
    pub relative: StoredPose,
    pub overlap: [f64; 2],
    pub conflict: [f64; 2],
    pub share: f64,
}

/// What a grade rests on.
#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
#[serde(tag = "why", rename_all = "snake_case")]
pub(crate) enum TieReason {
    Conflict { share: f64 },
    Repeats { share: f64, shift: f64, turn: f64 },
    DistanceDecided { distance: f64 },
    TargetsDecided { targets: usize },
    Elsewhere { shift: f64, turn: f64 },
    LittleOverlap { share: f64 },
    Slides { bound: f64 },
    Rough { rms: f64 },
    Confirmed { others: usize },
    Agrees { overlap: f64, conflict: f64 },
}

impl From<&CloudReason> for TieReason {
    fn from(r: &CloudReason) -> Self {
        match *r {
            CloudReason::Conflict(share) => Self::Conflict { share },
            CloudReason::Repeats { share, shift, turn } => Self::Repeats { share, shift, turn },
            CloudReason::DistanceDecided(distance) => Self::DistanceDecided { distance },
            CloudReason::TargetsDecided(targets) => Self::TargetsDecided { targets },
            CloudReason::Elsewhere { shift, turn } => Self::Elsewhere { shift, turn },
            CloudReason::LittleOverlap(share) => Self::LittleOverlap { share },
            CloudReason::Slides(bound) => Self::Slides { bound },
            CloudReason::Rough(rms) => Self::Rough { rms },
            CloudReason::Confirmed(others) => Self::Confirmed { others },
            CloudReason::Agrees(overlap, conflict) => Self::Agrees { overlap, conflict },
        }
    }
}

impl From<&CloudTieFound> for FoundTie {
    fn from(t: &CloudTieFound) -> Self {
        let rows = |k: usize| t.fit.shared.0[k].iter().map(|v| (*v).into()).collect();
        Self {
            relative: (&t.fit.relative).into(),
            covariance: flat(&t.fit.covariance),
            shared: [rows(0), rows(1)],
            rms: t.fit.rms,
            overlap: t.compared.overlap,
            conflict: t.compared.conflict,
            reasons: t.grade.reasons.iter().map(TieReason::from).collect(),
            weakest: t.grade.weakest.into(),
            weakest95: t.grade.weakest95,
            heading95: t.grade.heading95,
            rival: t.rival.map(|r| StoredRival {
                relative: (&r.pose).into(),
                overlap: r.compared.overlap,
                conflict: r.compared.conflict,
                share: r.share,
            }),
        }
    }
}

impl FoundTie {
    pub(crate) fn pose(&self) -> Pose {
        (&self.relative).into()
    }

    /// Whether others may be looked for from where it stands.
    pub(crate) fn places(&self) -> bool {
        self.weakest95 < PLACES
    }

    pub(crate) fn covariance(&self) -> nalgebra::Matrix6<f64> {
        square(&self.covariance)
    }

    pub(crate) fn shared(&self) -> SharedInTie {
        let of = |k: usize| std::array::from_fn(|p| self.shared[k].get(p).copied().unwrap_or_default().into());
        SharedInTie([of(0), of(1)])
    }
}
