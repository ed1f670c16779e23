//! What is to be built, and what is there of it.
#![allow(missing_docs)] // fields carry the names of the job

use crate::record::mirror;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

mirror!(
    /// What is there of an element.
    BuiltWord = vistazo_core::compare::Built { There, Elsewhere, Partly, NotYet, NotSeen }
);

/// A design with what is there of it.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DesignDto {
    pub id: Uuid,
    pub name: String,
    pub by: String,
    pub at: DateTime<Utc>,
    pub version: i32,
    /// How far beside its place something may be, metres.
    pub tolerance: f64,
    /// The clouds were not set against it as things stand.
    pub stale: bool,
    pub elements: Vec<ElementDto>,
    /// What was there each time, the eldest first.
    pub progress: Vec<ProgressDto>,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ElementDto {
    pub name: String,
    /// `wall`, `opening` or `pipe`.
    pub kind: String,
    /// Middle, easting, northing, height, metres.
    pub position: [f64; 3],
    pub state: Option<ElementStateDto>,
    /// When it was first there.
    pub since: Option<DateTime<Utc>>,
}

/// As it was last seen.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
pub struct ElementStateDto {
    pub built: BuiltWord,
    /// How far beside its place, metres: a wall along its normal, an opening along its wall, a pipe across its axis.
    pub distance: Option<f64>,
    /// Distances smaller than this are not told from noise: 95 %, metres.
    pub detectable: f64,
    /// Share of it that some scan could see, and share of that which is there.
    pub seen: f64,
    pub shown: f64,
    /// What stands where it is still to come.
    #[serde(default)]
    pub clash: Option<ClashDto>,
}

#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
pub struct ClashDto {
    /// Easting, northing, height of its middle, and how far it reaches, metres.
    pub at: [f64; 3],
    pub extent: f64,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ProgressDto {
    pub at: DateTime<Utc>,
    /// Elements by what was there of them: there, elsewhere, partly, not yet, not seen.
    pub counts: [usize; 5],
}

/// A design to be looked for.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewDesignDto {
    pub name: String,
    /// Lines of text, or a DXF.
    pub text: String,
    /// `m`, `ft` or `ftUS`: of the text, and of a drawing that does not say.
    pub unit: String,
    /// Metres.
    pub tolerance: f64,
}
