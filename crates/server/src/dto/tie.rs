//! Ties by clouds as they are sent.
#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::PoseDto;
use crate::record::GradeWord;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Two scans brought together by what both show.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CloudTieDto {
    pub id: Uuid,
    /// Names of the scans; the second is measured in the frame of the first.
    pub a: String,
    pub b: String,
    pub scan_a: Uuid,
    pub scan_b: Uuid,
    pub grade: GradeWord,
    /// It is part of the registration: sound and not turned down, or accepted.
    pub takes_part: bool,
    /// A scan or the instrument changed since: look for it again.
    pub stale: bool,
    /// `accepted`, `rejected`, or empty.
    pub decision: String,
    pub decided_by: Option<String>,
    /// Why it was decided so, or laid so.
    pub reason: String,
    /// Who laid it by hand.
    pub laid_by: Option<String>,
    /// What its grade rests on, the weightiest first.
    pub reasons: Vec<String>,
    pub relative: PoseDto,
    /// Between the stations, metres.
    pub distance: f64,
    /// Of the distances from the surfaces, metres.
    pub rms: f64,
    /// Share of the places of the second that the first saw too, then the other way round.
    pub overlap: [f64; 2],
    /// Share of the places where the other saw through.
    pub conflict: [f64; 2],
    /// Direction in which the second is held worst, frame of the first, and 95 % there, metres.
    pub weakest: [f64; 3],
    pub weakest95: f64,
    /// 95 % of the heading, radians.
    pub heading95: f64,
    pub rival: Option<RivalDto>,
    pub version: i32,
}

/// The next best place of the second scan.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct RivalDto {
    /// From the place chosen, metres.
    pub shift: f64,
    /// Radians.
    pub turn: f64,
    /// How well it stands beside the one chosen: 1 is as well.
    pub share: f64,
    pub overlap: [f64; 2],
    pub conflict: [f64; 2],
}

/// What the block says of a tie by clouds.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct CloudTieResidualDto {
    pub tie: Uuid,
    /// Between what the tie says and where the scans came out, metres.
    pub shift: f64,
    /// The same, radians.
    pub turn: f64,
    pub p_value: f64,
    pub redundancy: f64,
    /// Smallest wrong shift that would be noticed, metres.
    pub detectable: Option<f64>,
    /// What that would do to the station it harms most, metres.
    pub reliability: Option<f64>,
    pub active: bool,
    pub suspect: bool,
}

/// A decision about a tie.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct TieDecisionDto {
    pub id: Uuid,
    /// As it was seen.
    pub version: i32,
    /// `accepted`, `rejected`, or empty to leave it to its grade.
    pub decision: String,
    /// Why.
    #[serde(default)]
    pub reason: String,
}

/// What is needed to judge a tie by eye.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct TieCardDto {
    pub slices: Vec<TieSliceDto>,
    /// Distances between the surfaces of the two scans, counted, millimetre by millimetre.
    pub distances: Vec<CountedDto>,
    /// What the registration would be with the other decision about this tie.
    pub otherwise: OtherwiseDto,
}

/// A slice 10 cm thick, axes along the walls of the first scan, metres.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct TieSliceDto {
    /// `plan`, `along` or `across`.
    pub cut: CutWord,
    /// Height above the first scanner, or distance from it sideways, metres.
    pub at: f64,
    pub first: Vec<[f32; 2]>,
    pub second: Vec<[f32; 2]>,
    /// Places of either where the other saw through.
    pub conflict: Vec<[f32; 2]>,
    /// How far the second lies beside the first in the plane of the slice, metres, and its 95 %.
    pub offset: Option<f64>,
    pub offset95: f64,
}

crate::record::mirror!(
    /// How a slice is cut.
    CutWord = vistazo_core::tie::Cut { Plan, Along, Across }
);

/// What a decision would change.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OtherwiseDto {
    /// The tie would take part.
    pub with: bool,
    /// Largest 3-D 95 % among the stations, metres, and that station: now, and then.
    pub now: Option<WorstDto>,
    pub then: Option<WorstDto>,
    /// Chance of residuals this large when nothing is wrong: now, and then.
    pub p: Option<f64>,
    pub p_then: Option<f64>,
    /// What asks for a decision: now, and then.
    pub findings: usize,
    pub findings_then: usize,
    /// Scans without a place: now, and then.
    pub unplaced: Vec<String>,
    pub unplaced_then: Vec<String>,
    /// Why there would be no registration.
    pub refused: Option<String>,
}

/// A decision about observations that is thought of.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct ChoiceDto {
    /// Detections, or ties by clouds.
    pub ids: Vec<Uuid>,
    pub excluded: Option<bool>,
    /// Another target from here on: its number.
    pub part: Option<i32>,
}

crate::record::mirror!(
    /// What scans are brought together by.
    SchoolWord = vistazo_core::registration::School { Targets, Clouds, Both }
);

/// What to register the site by, with what each way gives.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SchoolsDto {
    pub take: SchoolWord,
    pub why: Vec<String>,
    pub outcomes: Vec<OutcomeDto>,
    /// Scans that a scanner took.
    pub scans: usize,
}

/// What a registration by one of them gives.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OutcomeDto {
    pub by: SchoolWord,
    /// Scans that have a place.
    pub placed: usize,
    pub worst: Option<WorstDto>,
    /// What asks for a decision.
    pub to_decide: usize,
    /// Chance of residuals this large when nothing is wrong.
    pub p: Option<f64>,
}

/// So many distances within a millimetre.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CountedDto {
    /// Its lower end, metres.
    pub from: f64,
    pub count: usize,
}

/// The station that is known worst.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct WorstDto {
    pub station: String,
    /// 3-D 95 %, metres.
    pub spatial: f64,
}
