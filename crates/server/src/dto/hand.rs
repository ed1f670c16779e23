//! Two scans brought together by hand, as it is sent.
#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::{PoseDto, TieSliceDto};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Two scans, the second laid over the first.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
pub struct LaidDto {
    pub a: Uuid,
    pub b: Uuid,
    /// Pose of the second in the frame of the first; left out to begin from what is known.
    pub pose: Option<PoseDto>,
    /// Show all scans that hang together with either, not the two alone.
    #[serde(default)]
    pub parts: bool,
}

/// What the two show of one another where the second was laid.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct TrialDto {
    pub pose: PoseDto,
    /// Where the pose came from.
    pub from: BeginWord,
    /// Share of the places of the second that the first saw too, then the other way round.
    pub overlap: [f64; 2],
    /// Share of the places where the other saw through.
    pub conflict: [f64; 2],
    /// Of the distances from the surfaces, metres; nothing where no surfaces lie near one another.
    pub rms: Option<f64>,
    /// Direction of the slices' first axis in the frame of the first, radians.
    pub heading: f64,
    pub slices: Vec<TieSliceDto>,
    /// Names of the scans that hang together with each.
    pub together: [Vec<String>; 2],
}

/// Where laying by hand begins.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum BeginWord {
    /// As it was asked for.
    Given,
    /// The tie that is there.
    Tie,
    /// Both hang together with the same scans.
    Block,
    /// The stations of the plan.
    Plan,
    /// What the files say.
    File,
    /// Nothing: both scanners in one place.
    Nothing,
}

/// Lay a scan by hand.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct LayDto {
    pub a: Uuid,
    pub b: Uuid,
    /// Pose of the second in the frame of the first, right to some decimetres: the clouds do the rest.
    pub pose: PoseDto,
    /// Why.
    #[serde(default)]
    pub reason: String,
}

/// What is pointed at in a scan.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
pub struct PointingDto {
    /// From the scanner, scanner frame, any length.
    pub direction: [f64; 3],
}

/// A target that is pointed at.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
pub struct MarkDto {
    /// From the scanner to its surface, scanner frame, any length.
    pub direction: [f64; 3],
    /// What it is.
    pub kind: MarkWord,
}

/// What can be pointed at.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum MarkWord {
    /// Measured in all points, with the diameter of the brief.
    Sphere,
    /// Measured in all points, with the side of the brief.
    Checkerboard,
    /// Where three surfaces meet.
    Corner,
    /// Any place, as well as it is pointed at.
    Point,
}

/// What was found there.
#[derive(Clone, Copy, Debug, Serialize, ToSchema)]
pub struct PointedDto {
    /// Scanner frame, metres.
    pub at: [f64; 3],
    pub feature: FeatureWord,
    /// 1σ in the worst direction, metres.
    pub sigma: f64,
}

crate::record::mirror!(
    /// What was found where somebody pointed.
    FeatureWord = vistazo_core::cloud::Feature { Corner, Edge, Surface, Point }
);

/// A place that was picked in two scans.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
pub struct PickedPairDto {
    /// Frame of the first, metres.
    pub first: [f64; 3],
    /// Frame of the second, metres.
    pub second: [f64; 3],
    /// 1σ of both together, metres.
    pub sigma: f64,
}

/// Places picked in two scans.
#[derive(Clone, Debug, Deserialize, ToSchema)]
pub struct PairsDto {
    pub a: Uuid,
    pub b: Uuid,
    pub pairs: Vec<PickedPairDto>,
}

/// Where the second stands by them.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ByPairsDto {
    pub pose: PoseDto,
    /// How far the two places of each pair lie apart, metres.
    pub residuals: Vec<f64>,
    /// Pairs that do not go with the others, and took no part.
    pub wrong: Vec<bool>,
    /// Of those that took part, metres.
    pub rms: f64,
}

/// Scans that hang together by what is sound or accepted.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PartDto {
    pub scans: Vec<Uuid>,
    pub names: Vec<String>,
    /// It is the one that the registration holds.
    pub registered: bool,
}

/// The spot from which one more scan would mend a tie.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct MendDto {
    /// Frame of the first scan, metres.
    pub at: [f64; 3],
    /// From the first station, and from the second, metres.
    pub distance: [f64; 2],
    /// Share of the places of the first, and of the second, that it would see.
    pub overlap: [f64; 2],
    /// 95 % in the weakest direction from the first to the second: now, and over the new scan, metres.
    pub now95: f64,
    pub then95: f64,
    /// Where that is on the plan, when the plan has both stations, metres.
    pub on_plan: Option<[f64; 3]>,
}
