//! Slices through the clouds.
#![allow(missing_docs)] // fields carry the names of the job

use super::LookedDto;
use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::geometry::Vec3;
use vistazo_core::slice::Cut;

/// Where a slice lies and what is drawn of it, in the frame.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CutDto {
    /// Middle, metres.
    pub at: [f64; 3],
    /// Where the right-hand side of the picture points, clockwise from north, degrees.
    pub bearing: f64,
    /// 0 for a level slice seen from above, 90 for an upright one, degrees.
    pub tilt: f64,
    /// Metres.
    pub width: f64,
    pub height: f64,
    pub thickness: f64,
}

impl CutDto {
    /// The slab, its middle where `at` puts it.
    ///
    /// # Errors
    /// Names the field that is out of range.
    pub(crate) fn to_core(self, at: Vec3) -> Result<Cut, ApiError> {
        let within = |field: &str, v: f64, low: f64, high: f64, unit: &str| {
            let inside = (low..=high).contains(&v);
            inside
                .then_some(())
                .ok_or_else(|| ApiError::field(field, format!("expected {low} to {high} {unit}, found {v}")))
        };
        for v in self.at {
            within("at", v, -1e8, 1e8, "m")?;
        }
        within("bearing", self.bearing, -360.0, 360.0, "degrees")?;
        within("tilt", self.tilt, 0.0, 90.0, "degrees")?;
        within("width", self.width, 0.05, 5000.0, "m")?;
        within("height", self.height, 0.05, 5000.0, "m")?;
        within("thickness", self.thickness, 0.001, 5.0, "m")?;
        let size = [self.width, self.height];
        Ok(Cut::new(at, self.bearing.to_radians(), self.tilt.to_radians(), size, self.thickness))
    }
}

/// What lies in a slice.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CutOutDto {
    /// Those that show something, the one that shows most first.
    pub scans: Vec<CutScanDto>,
    /// Points closer to one another than this were not looked for, metres.
    pub spacing: f64,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct CutScanDto {
    pub scan: Uuid,
    /// Its place among the scans of the job: it keeps its mark from slice to slice.
    pub number: usize,
    pub name: String,
    /// Right and up from the middle in turn, tenths of a millimetre; of many an even share.
    pub points: Vec<i32>,
    /// How many there are.
    pub count: usize,
}

/// A part of a slice in which surfaces are set against one another: two corners, right and up from the middle, metres.
#[derive(Clone, Copy, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct StretchDto {
    pub cut: CutDto,
    pub from: [f64; 2],
    pub to: [f64; 2],
}

/// How the surfaces of scans lie beside that of one.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OffsetsDto {
    /// The one that shows most there.
    pub beside: String,
    /// Where, and what direction counts as before it: right and up.
    pub middle: [f64; 2],
    pub normal: [f64; 2],
    pub scans: Vec<OffsetDto>,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OffsetDto {
    pub name: String,
    /// Along the normal in the plane of the slice, and 95 % of it with what the registration is uncertain by, metres.
    pub offset: f64,
    pub offset95: f64,
}

/// Slices that are worth looking at, and those that somebody put their name to.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SlicesDto {
    /// `grid` or `block`: the frame that slices are in.
    pub frame: String,
    /// A level slice of everything, from which one can go on; none before scans have a place.
    pub start: Option<CutDto>,
    /// The scans were set against one another, which shows where doubt is greatest.
    pub compared: bool,
    pub slices: Vec<SliceDto>,
}

#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SliceDto {
    pub key: String,
    /// Why it is worth looking at, or what it was kept for.
    pub said: String,
    /// Chosen because doubt is greatest there.
    pub chosen: bool,
    /// The two scans it is about.
    pub pair: Option<[Uuid; 2]>,
    /// None where it was kept in another frame.
    pub cut: Option<CutDto>,
    pub looked: Option<LookedDto>,
    /// Scans or registration changed since somebody looked.
    pub stale: bool,
}

/// Puts one's name to a slice, or takes it back.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct KeepSliceDto {
    /// One of the list; one's own when left out.
    #[serde(default)]
    pub key: Option<String>,
    /// How it was looked at.
    pub cut: CutDto,
    pub looked: bool,
    #[serde(default)]
    pub note: String,
}
