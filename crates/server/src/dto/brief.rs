#![allow(missing_docs)] // the fields are named as the surveyor names them

use super::InstrumentDto;
use crate::ApiError;
use crate::record::georeference::GridOutput;
use crate::record::mirror;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use vistazo_core::check::Requirement;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::targets::Search;
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
    /// What coordinates are handed over: those of the grid, or stretched to distances on site.
    #[serde(default = "grid_output")]
    pub output: GridOutput,
    /// Height of the geoid over the ellipsoid at the site, metres: none when it is not known or heights are
    /// ellipsoidal. 6 m change lengths on the grid by 1 ppm.
    #[serde(default)]
    pub undulation: Option<f64>,
    /// Name of the vertical reference.
    #[serde(default)]
    pub vertical: String,
    pub instrument: InstrumentDto,
    /// What is to be handed over, beside the report and the coordinates.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub deliverables: Vec<DeliverableWord>,
}

mirror!(
    /// What a client may ask for.
    DeliverableWord = vistazo_core::deliver::Deliverable { Laz, Copc, E57, Ply, Xyz, Tiles, WalkThrough, FloorPlans, Elevations, Ground, Features, Solids }
);

fn grid_output() -> GridOutput {
    GridOutput::Grid
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
            output: GridOutput::Grid,
            undulation: None,
            vertical: String::new(),
            instrument: InstrumentDto::from(&Instrument::mid_range()),
            deliverables: Vec::new(),
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
            spacing: None,
            areas: Vec::new(),
            deliverables: self.deliverables.iter().map(|d| (*d).into()).collect(),
        }
    }

    /// What coordinates are handed over.
    pub fn output(&self) -> vistazo_core::georef::Output {
        self.output.into()
    }

    /// The vertical reference in words.
    pub fn vertical_words(&self) -> String {
        let own = self.vertical.trim();
        if !own.is_empty() {
            return own.to_owned();
        }
        let of_reference = self.epsg.and_then(|e| vistazo_formats::crs::lookup(e).ok()).and_then(|r| r.vertical);
        of_reference.unwrap_or_else(|| "as control (not named)".into())
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

    /// A way or a pace: in the unit of lengths however short it is, with so many decimals.
    pub fn way(&self, metres: f64, digits: usize) -> String {
        let unit = self.unit();
        format!("{:.digits$} {}", metres / unit.metres(), unit.code())
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
            let reference = vistazo_formats::crs::lookup(code).map_err(|e| ApiError::field("epsg", e.to_string()))?;
            self.same_unit(&reference)?;
        }
        within("undulation", self.undulation.map(f64::abs), 0.0, 150.0)?;
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

    /// The unit of the job is that of its reference: files in one unit under the definition of the other
    /// would put the site elsewhere.
    fn same_unit(&self, reference: &vistazo_formats::crs::Reference) -> Result<(), ApiError> {
        if reference.unit() == Some(self.unit()) {
            return Ok(());
        }
        let cost = reference.cost_of(self.unit(), &self.origin());
        let words =
            if cost > 0.0 { format!("; at the plan's origin that would cost {cost:.2} m") } else { String::new() };
        Err(ApiError::field(
            "unit",
            format!(
                "found {}, expected the unit of EPSG:{} ({}), which is {}: coordinates in another unit under this reference would be read in the wrong place{words}",
                self.unit, reference.code, reference.name, reference.unit_name
            ),
        ))
    }
}
