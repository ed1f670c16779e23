//! What the API speaks. Lengths are metres and angles radians unless a field says otherwise; the
//! page converts to the job's unit.

mod brief;
mod plan;
mod result;

pub use brief::{Brief, InstrumentDto, RequirementDto};
pub use plan::{CoverDto, PlanData, PredictionDto, StationCoverDto};
pub use result::*;
