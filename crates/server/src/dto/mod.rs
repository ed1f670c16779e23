//! What the API speaks. Lengths are metres and angles radians unless a field says otherwise; the
//! page converts to the job's unit.

mod brief;
mod built;
mod cleaning;
mod cloud;
mod comparison;
mod design;
mod field_day;
mod group;
mod hand;
mod instrument;
mod instrument_check;
mod journal;
mod package;
mod plan;
mod result;
mod set_up;
mod site_facts;
mod slices;
mod survey;
mod tie;
mod upload;

pub use brief::{Brief, RequirementDto};
pub use built::*;
pub use cleaning::*;
pub use cloud::*;
pub use comparison::*;
pub use design::*;
pub use field_day::*;
pub use group::*;
pub use hand::*;
pub use instrument::{InstrumentDto, InstrumentEntry, KeepInstrument, SystematicErrorsDto};
pub use instrument_check::*;
pub use journal::*;
pub use package::PackageOptions;
pub use plan::*;
pub use result::*;
pub use set_up::{SetUpDto, SightDto};
pub use site_facts::*;
pub use slices::*;
pub use survey::*;
pub use tie::*;
pub use upload::UploadOptions;
