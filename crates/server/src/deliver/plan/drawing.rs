use super::{PlanDocument, PlanPackage};
use crate::ApiError;
use crate::work::carrying;
use vistazo_formats::plan::write_geojson;
use vistazo_formats::plan_dxf::write_dxf;

/// The plan as DXF, metres; what it holds comes in again by the import.
pub(super) struct Dxf;

impl PlanDocument for Dxf {
    fn name(&self) -> &'static str {
        "plan.dxf"
    }

    fn media_type(&self) -> &'static str {
        "image/vnd.dxf"
    }

    fn write(&self, p: &PlanPackage) -> Result<Vec<u8>, ApiError> {
        write_dxf(&carrying::shapes(&p.items)).map(String::into_bytes).map_err(|e| ApiError::conflict(e.to_string()))
    }
}

/// The plan as GeoJSON in plan coordinates, metres; what it holds comes in again by the import.
pub(super) struct GeoJson;

impl PlanDocument for GeoJson {
    fn name(&self) -> &'static str {
        "plan.geojson"
    }

    fn media_type(&self) -> &'static str {
        "application/geo+json"
    }

    fn write(&self, p: &PlanPackage) -> Result<Vec<u8>, ApiError> {
        Ok(write_geojson(&carrying::shapes(&p.items)).into_bytes())
    }
}
