//! What the work is held against, and the answer.

use crate::record::mirror;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

mirror!(
    /// Which requirement a row answers.
    AskedWord = vistazo_core::check::Asked { Horizontal, Vertical, Spatial, Checks, Spacing, Agreement, Survey, Design, Deliverables }
);

/// The answer to a requirement.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord, Serialize, Deserialize, ToSchema)]
pub enum VerdictWord {
    /// It is shown to be met.
    #[serde(rename = "met")]
    Met,
    /// Nothing shows whether it is.
    #[serde(rename = "not demonstrated")]
    NotDemonstrated,
    /// It is shown not to be.
    #[serde(rename = "not met")]
    NotMet,
}

impl VerdictWord {
    /// As it is printed.
    pub fn word(self) -> &'static str {
        match self {
            Self::Met => "met",
            Self::NotDemonstrated => "not demonstrated",
            Self::NotMet => "not met",
        }
    }
}

/// One row of the verdict.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct VerdictDto {
    /// What is asked for; rows that were signed before it was kept do not say.
    #[serde(default)]
    pub asked: Option<AskedWord>,
    /// In words.
    pub requirement: String,
    /// The limit, metres; none where no length is asked for.
    pub required: Option<f64>,
    /// What the plan promised, metres.
    pub predicted: Option<f64>,
    /// What came out, metres.
    pub achieved: Option<f64>,
    /// At most that, with 95 %, metres.
    pub bound: Option<f64>,
    /// What it rests on.
    pub evidence: String,
    /// The same one by one, the deciding one first; rows that were signed before it was kept have none.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub grounds: Vec<String>,
    /// The answer.
    pub verdict: VerdictWord,
}
