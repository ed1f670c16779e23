//! The plan on paper and in open formats. Every file is a row of [`PLAN_DOCUMENTS`].

mod carried;
mod drawing;
mod sheet;
mod table;

use crate::ApiError;
use crate::dto::{Brief, CoverDto};
use crate::work::carrying::Item;
use crate::work::planning::Plan;
use uuid::Uuid;

/// Everything that the files of a plan are made from.
pub(crate) struct PlanPackage {
    pub job: Uuid,
    pub name: String,
    pub plan: Plan,
    /// The items that the plan was taken apart from.
    pub items: Vec<Item>,
    pub brief: Brief,
    pub cover: CoverDto,
    /// The job is one to learn on: what is scanned in it is simulated.
    pub simulated: bool,
}

/// A file of the plan.
pub(crate) trait PlanDocument: Sync {
    /// Its name.
    fn name(&self) -> &'static str;
    /// What kind of file it is.
    fn media_type(&self) -> &'static str;
    /// Its bytes.
    fn write(&self, package: &PlanPackage) -> Result<Vec<u8>, ApiError>;
}

/// The files of a plan.
pub(crate) const PLAN_DOCUMENTS: &[&dyn PlanDocument] =
    &[&sheet::Sheet, &carried::Carried, &drawing::Dxf, &drawing::GeoJson, &table::Table];
