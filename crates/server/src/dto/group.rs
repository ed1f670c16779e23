//! Scans that a registrar takes together.
#![allow(missing_docs)] // fields carry the names of the job

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// What is done with a group.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum HoldWord {
    /// Its scans are registered like any others.
    Free,
    /// Its shape stays as it was registered; what comes later moves it as a whole.
    Held,
    /// Nothing ties it to the others until it is taken in again.
    Apart,
}

impl HoldWord {
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Free => "free",
            Self::Held => "held",
            Self::Apart => "apart",
        }
    }
}

/// A group of scans.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ScanGroupDto {
    pub id: Uuid,
    pub name: String,
    pub scans: Vec<Uuid>,
    /// Their names.
    pub names: Vec<String>,
    pub hold: HoldWord,
    /// How well its scans stood to its first one when it was held: the largest 95 % error in space, metres.
    pub worst: Option<f64>,
    pub version: i32,
}

/// A group that is to be.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewScanGroupDto {
    pub name: String,
    /// At least one; to be held, at least two.
    pub scans: Vec<Uuid>,
    pub hold: HoldWord,
}

/// A group as it is to be, changed from a version that was seen. A held one keeps its scans and its shape.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ScanGroupEditDto {
    pub version: i32,
    pub name: String,
    pub scans: Vec<Uuid>,
    pub hold: HoldWord,
}
