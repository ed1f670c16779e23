#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::InstrumentDto;
use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vistazo_core::check::Requirement;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::target::Search;
use vistazo_core::units::LengthUnit;

/// The brief of a job.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct Brief {
    pub client: String,
    pub site: String,
    pub purpose: String,
    pub hazards: String,
    /// `m`, `ft` or `ftUS`: the unit that lengths are shown and entered in.
    pub unit: String,
    /// EPSG code of the coordinate reference; none for a local grid.
    pub epsg: Option<u16>,
    /// Grid coordinates (E, N, H) of the plan's origin, metres.
    pub origin: [f64; 3],
    pub requirement: RequirementDto,
    /// Diameter of the job's spheres, metres.
    pub sphere_diameter: Option<f64>,
    /// Side of the job's checkers, metres.
    pub checker_side: Option<f64>,
    /// The clouds will tie the scans as well as the targets: the plan counts them.
    #[serde(default)]
    pub tie_by_clouds: bool,
    pub instrument: InstrumentDto,
}

/// What the client asked for, metres.
#[derive(Clone, Copy, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct RequirementDto {
    pub horizontal95: Option<f64>,
    pub vertical95: Option<f64>,
    pub spatial95: Option<f64>,
    pub check_rmse: Option<f64>,
}

impl Default for Brief {
    fn default() -> Self {
        Self {
            client: String::new(),
            site: String::new(),
            purpose: String::new(),
            hazards: String::new(),
            unit: "m".into(),
            epsg: None,
            origin: [0.0; 3],
            requirement: RequirementDto { spatial95: Some(0.010), ..RequirementDto::default() },
            sphere_diameter: Some(0.2),
            checker_side: Some(0.3),
            tie_by_clouds: false,
            instrument: InstrumentDto::from(&Instrument::mid_range()),
        }
    }
}

impl Brief {
    /// The unit lengths are shown in.
    pub fn unit(&self) -> LengthUnit {
        LengthUnit::from_code(&self.unit).unwrap_or_default()
    }

    /// The plan's origin on the grid.
    pub fn origin(&self) -> Vec3 {
        Vec3::from(self.origin)
    }

    /// What to look for in the scans.
    pub fn search(&self) -> Search {
        Search {
            sphere_radius: self.sphere_diameter.map(|d| d / 2.0),
            checker_half: self.checker_side.map(|s| s / 2.0),
        }
    }

    /// The requirement as the core takes it.
    pub fn requirement(&self) -> Requirement {
        let r = self.requirement;
        Requirement {
            horizontal95: r.horizontal95,
            vertical95: r.vertical95,
            spatial95: r.spatial95,
            check_rmse: r.check_rmse,
        }
    }

    /// A length in the job's unit, in words: millimetres for metric jobs under a metre.
    pub fn length(&self, metres: f64) -> String {
        match self.unit() {
            LengthUnit::Metre if metres.abs() < 1.0 => format!("{:.1} mm", metres * 1e3),
            LengthUnit::Metre => format!("{metres:.2} m"),
            unit if metres.abs() < 0.3 => format!("{:.4} {}", metres / unit.metres(), unit.code()),
            unit => format!("{:.2} {}", metres / unit.metres(), unit.code()),
        }
    }

    /// Checks every field.
    ///
    /// # Errors
    /// The first field that cannot be, with what was found and what is expected.
    pub fn validate(&self) -> Result<(), ApiError> {
        let within = |field: &str, value: Option<f64>, low: f64, high: f64| match value {
            Some(v) if !(low..=high).contains(&v) => {
                let u = self.unit().metres();
                Err(ApiError::field(
                    field,
                    format!(
                        "found {:.4} {}, expected {:.4} to {:.1} {}",
                        v / u,
                        self.unit,
                        low / u,
                        high / u,
                        self.unit
                    ),
                ))
            }
            _ => Ok(()),
        };
        if LengthUnit::from_code(&self.unit).is_none() {
            return Err(ApiError::field("unit", format!("found “{}”, expected m, ft or ftUS", self.unit)));
        }
        if let Some(code) = self.epsg {
            vistazo_formats::crs::lookup(code).map_err(|e| ApiError::field("epsg", e))?;
        }
        let r = &self.requirement;
        for (name, value) in [
            ("horizontal95", r.horizontal95),
            ("vertical95", r.vertical95),
            ("spatial95", r.spatial95),
            ("check_rmse", r.check_rmse),
        ] {
            within(name, value, 1e-4, 10.0)?;
        }
        within("sphere_diameter", self.sphere_diameter, 0.02, 1.0)?;
        within("checker_side", self.checker_side, 0.05, 2.0)?;
        if self.origin.iter().any(|v| !v.is_finite() || v.abs() > 1e8) {
            return Err(ApiError::field("origin", "expected finite grid coordinates"));
        }
        self.instrument.validate("instrument.")
    }
}
