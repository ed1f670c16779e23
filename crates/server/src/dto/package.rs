#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::{Brief, DeliverableWord};
use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vistazo_core::cloud::ClipBox;
use vistazo_core::deliver::Deliverable;
use vistazo_core::geometry::Vec3;

/// How the clouds of a package are to be written.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct PackageOptions {
    /// Formats of the clouds, and the walk-through; when none is said those that the brief asks for, else LAZ and E57.
    pub formats: Vec<DeliverableWord>,
    /// Each point says its 95 % in plan and in height, where the format can.
    pub errors: bool,
    /// A file for each scan, rather than one for all.
    pub per_scan: bool,
    /// Lowest and highest easting, northing, height, metres; null on open sides.
    pub clip_min: [Option<f64>; 3],
    pub clip_max: [Option<f64>; 3],
    /// One point a cell of this size, metres; all points when left out.
    pub thin: Option<f64>,
    /// What was taken out of the clouds is not in the files; else it is, with its class.
    pub leave_out: bool,
}

impl Default for PackageOptions {
    fn default() -> Self {
        Self {
            formats: Vec::new(),
            errors: true,
            per_scan: false,
            clip_min: [None; 3],
            clip_max: [None; 3],
            thin: None,
            leave_out: false,
        }
    }
}

impl PackageOptions {
    /// The formats that clouds are to be written in.
    pub(crate) fn formats(&self, brief: &Brief) -> Vec<Deliverable> {
        let clouds = |of: &[DeliverableWord]| -> Vec<Deliverable> {
            let mut all: Vec<Deliverable> =
                of.iter().map(|d| Deliverable::from(*d)).filter(|d| !d.is_drawn()).collect();
            all.sort_unstable();
            all.dedup();
            all
        };
        let usual = || vec![Deliverable::Laz, Deliverable::E57];
        [clouds(&self.formats), clouds(&brief.deliverables)].into_iter().find(|f| !f.is_empty()).unwrap_or_else(usual)
    }

    /// Checks every field.
    ///
    /// # Errors
    /// The first that cannot be.
    pub fn validate(&self) -> Result<(), ApiError> {
        if let Some(d) = self.formats.iter().find(|d| Deliverable::from(**d).is_drawn()) {
            let found = crate::words::verdict::deliverable((*d).into());
            return Err(ApiError::field("formats", format!("found {found}, expected formats of clouds")));
        }
        self.clip().map(drop)
    }

    /// The box, open where nothing is said.
    ///
    /// # Errors
    /// When nothing could lie inside, or the thinning is absurd.
    pub fn clip(&self) -> Result<ClipBox, ApiError> {
        let corner = |of: [Option<f64>; 3], open: f64| Vec3::from(of.map(|v| v.unwrap_or(open)));
        let clip = ClipBox { min: corner(self.clip_min, f64::NEG_INFINITY), max: corner(self.clip_max, f64::INFINITY) };
        if !clip.is_valid() {
            return Err(ApiError::field("clip_max", "the clip box is empty: a highest coordinate is below the lowest"));
        }
        if self.thin.is_some_and(|t| !(0.0005..=5.0).contains(&t)) {
            return Err(ApiError::field("thin", "expected a spacing of 0.5 mm to 5 m"));
        }
        Ok(clip)
    }

    /// In words, for the manifest and the report.
    pub fn words(&self, formats: &[Deliverable]) -> String {
        let clipped = self.clip_min.iter().chain(&self.clip_max).any(Option::is_some);
        let mut out =
            vec![formats.iter().map(|d| crate::words::verdict::deliverable(*d)).collect::<Vec<_>>().join(", ")];
        out.push(if self.per_scan { "a file for each scan" } else { "all scans in one file" }.to_owned());
        if self.errors {
            out.push("points with their 95 %".into());
        }
        if clipped {
            out.push("clipped to a box".into());
        }
        if let Some(t) = self.thin {
            out.push(format!("thinned to one point a cell of {:.1} mm", t * 1e3));
        }
        if self.leave_out {
            out.push("without what was taken out of them".into());
        }
        out.join(", ")
    }
}

/// Something that a package may hold.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DeliverableDto {
    pub what: DeliverableWord,
    /// The brief asks for it.
    pub asked: bool,
    /// Of what has to be drawn: it is there, and from the clouds as they stand; null where nobody drew it.
    pub drawn: Option<bool>,
    /// Of what is written with the package: bytes for all points of the job, from the last package, else from what is usual.
    pub bytes: Option<u64>,
    /// Of the same: about how long writing it takes, seconds.
    pub seconds: Option<f64>,
}
