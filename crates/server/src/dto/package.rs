#![allow(missing_docs)] // the fields are named as the surveyor names them

use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vistazo_core::cloud::ClipBox;
use vistazo_core::geometry::Vec3;

/// How the clouds of a package are to be written.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(default)]
pub struct PackageOptions {
    /// A LAZ file for each scan, rather than one for all.
    pub per_scan: bool,
    /// Lowest and highest easting, northing, height, metres; null on open sides.
    pub clip_min: [Option<f64>; 3],
    pub clip_max: [Option<f64>; 3],
    /// One point a cell of this size, metres; all points when left out.
    pub thin: Option<f64>,
    /// What was taken out of the clouds is not in the files; else it is, with its class.
    pub leave_out: bool,
}

impl PackageOptions {
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
    pub fn words(&self) -> String {
        let clipped = self.clip_min.iter().chain(&self.clip_max).any(Option::is_some);
        let mut out =
            vec![if self.per_scan { "a LAZ file for each scan" } else { "all scans in one LAZ file" }.to_owned()];
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
