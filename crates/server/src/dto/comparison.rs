//! Scans set against one another.
#![allow(missing_docs)] // fields carry the names of the job

use super::CountedDto;
use crate::record::comparison::ChangeWord;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// All pairs that were compared, and what changed.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ComparisonsDto {
    /// `grid` or `block`: the frame that positions are in.
    pub frame: String,
    /// Pairs that are not compared as things stand.
    pub to_do: usize,
    pub pairs: Vec<ComparedPairDto>,
    pub things: Vec<ChangedThingDto>,
}

/// Two scans.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ComparedPairDto {
    pub id: Uuid,
    pub a: String,
    pub b: String,
    /// Places where both show a surface.
    pub places: usize,
    /// Share of them that lie apart by more than could be told from noise; some 5 % do by chance.
    pub beyond: f64,
    /// Median distance, metres.
    pub distance: f64,
    /// Median level of detection, 95 %, metres.
    pub detectable: f64,
    /// Where the second lies beside the first as a whole: how far surfaces are apart by it, 95 % of that (metres), and the
    /// share of the places that are.
    pub misfit: Option<[f64; 3]>,
    /// Regions that changed.
    pub regions: usize,
    /// Scans or registration changed since.
    pub stale: bool,
    /// What is to be thought of it.
    pub said: String,
}

/// Something that changed between scans.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ChangedThingDto {
    /// Stays the same while the thing is there.
    pub key: String,
    /// In the frame, metres.
    pub position: [f64; 3],
    /// How far it reaches from there, metres.
    pub reach: f64,
    /// m².
    pub area: f64,
    /// How far surfaces lie apart, metres; none where only one shows something.
    pub distance: Option<f64>,
    /// Level of detection, 95 %, metres.
    pub detectable: f64,
    pub said: String,
    /// Pairs that show it.
    pub pairs: Vec<String>,
    pub looked: Option<LookedDto>,
}

/// Somebody looked at it.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct LookedDto {
    pub by: String,
    pub at: DateTime<Utc>,
    pub note: String,
}

/// Puts one's name to a thing that changed, or takes it back.
#[derive(Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LookAtDto {
    pub key: String,
    pub looked: bool,
    #[serde(default)]
    pub note: String,
}

/// The places of a pair.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ComparedPlacesDto {
    /// Positions are about this point of the frame, metres.
    pub origin: [f64; 3],
    /// Position about the origin, distance of the second before the first, level of detection: metres. Those beyond it, and
    /// some of the others.
    pub places: Vec<[f64; 5]>,
    /// Where both scanners stood, about the origin.
    pub stations: [[f64; 3]; 2],
    /// All places by their distance.
    pub counted: Vec<CountedDto>,
    /// How a region changed, where, and how far it reaches.
    pub regions: Vec<ChangedRegionDto>,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ChangedRegionDto {
    pub kind: ChangeWord,
    pub at: [f64; 3],
    pub reach: f64,
}
