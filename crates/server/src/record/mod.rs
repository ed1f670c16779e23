//! What is stored of results: versioned, apart from the core's types and from what the API sends.
//!
//! A record says its version first. A newer program reads older records; a record that cannot be read is
//! an error that names it, never a default.

pub(crate) mod cloud_tie;
pub(crate) mod comparison;
pub(crate) mod georeference;
pub(crate) mod measured;
mod older;
pub(crate) mod passes;
pub(crate) mod registration;
pub(crate) mod stored;
#[cfg(test)]
mod tests;

pub(crate) use older::{detail, registration};

use crate::ApiError;
use serde::{Deserialize, Serialize};
use vistazo_core::geometry::{Error95, Mat3, Pose, Vec3};

/// A covariance, row by row.
pub(crate) type Rows9 = [f64; 9];

pub(crate) fn rows9(m: &Mat3) -> Rows9 {
    std::array::from_fn(|k| m[(k / 3, k % 3)])
}

pub(crate) fn mat3(rows: &Rows9) -> Mat3 {
    Mat3::from_row_slice(rows)
}

/// 95 % regions of a stored covariance.
pub(crate) fn error95(rows: &Rows9) -> Error95 {
    Error95::from_covariance(&mat3(rows))
}

/// A stored pose: quaternion (w, x, y, z) and position, metres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize)]
pub(crate) struct StoredPose {
    rotation: [f64; 4],
    translation: [f64; 3],
}

impl From<&Pose> for StoredPose {
    fn from(p: &Pose) -> Self {
        let q = p.rotation;
        Self { rotation: [q.w, q.i, q.j, q.k], translation: p.translation.into() }
    }
}

impl From<&StoredPose> for Pose {
    fn from(p: &StoredPose) -> Self {
        let [w, x, y, z] = p.rotation;
        Self {
            rotation: nalgebra::UnitQuaternion::from_quaternion(nalgebra::Quaternion::new(w, x, y, z)),
            translation: Vec3::from(p.translation),
        }
    }
}

/// Mirrors an enum of the core by one that can be stored.
macro_rules! mirror {
    ($(#[$m:meta])* $name:ident = $core:path { $($v:ident),* $(,)? }) => {
        $(#[$m])*
        #[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Hash, serde::Serialize, serde::Deserialize, utoipa::ToSchema)]
        #[serde(rename_all = "snake_case")]
        #[allow(missing_docs)] // as in the core
        pub enum $name { $($v),* }
        impl From<$core> for $name {
            fn from(v: $core) -> Self {
                type Core = $core;
                match v { $(Core::$v => Self::$v),* }
            }
        }
        impl From<$name> for $core {
            fn from(v: $name) -> Self {
                type Core = $core;
                match v { $($name::$v => Core::$v),* }
            }
        }
    };
}
pub(crate) use mirror;

mirror!(
    /// What an error comes from.
    Group = vistazo_core::adjust::Group { Control, Spheres, Checkers, Picked, Clouds, Levelling, SetUp, Tracking, Held, Distances, Instrument }
);
mirror!(
    /// An error that many sightings share.
    Parameter = vistazo_core::adjust::Parameter { RangeOffset, BoardOffset, RangeScale, Collimation, Trunnion, Index, Settling, Turning }
);
mirror!(
    /// Grade of a tie.
    GradeWord = vistazo_core::tie::Grade { Sound, NotJudged, Doubtful, Failed }
);

impl GradeWord {
    /// As it is printed.
    pub fn word(self) -> &'static str {
        match self {
            Self::Sound => "sound",
            Self::NotJudged => "not judged",
            Self::Doubtful => "doubtful",
            Self::Failed => "failed",
        }
    }
}

/// One share of an error budget.
pub(crate) type Share = (Group, f64);

pub(crate) fn shares(b: &vistazo_core::adjust::ErrorBudget) -> Vec<Share> {
    b.shares.iter().map(|(g, s)| ((*g).into(), *s)).collect()
}

/// Reads a stored value.
///
/// # Errors
/// Names what it is and why it cannot be read.
pub(crate) fn read<T: serde::de::DeserializeOwned>(what: &str, value: serde_json::Value) -> Result<T, ApiError> {
    serde_json::from_value(value).map_err(|e| ApiError::bad(format!("the stored {what} cannot be read: {e}")))
}
