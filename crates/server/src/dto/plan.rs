#![allow(missing_docs)] // the fields are named as the surveyor names them

use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;

/// Kinds of plan items.
pub const KINDS: [&str; 11] =
    ["wall", "obstacle", "column", "floor", "area", "edge", "height", "underlay", "station", "target", "walk"];

/// A hole in a wall: door, window or gate.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct OpeningDto {
    pub name: String,
    /// Distance of its middle along the wall from the first vertex.
    pub at: f64,
    pub width: f64,
    pub sill: f64,
    pub head: f64,
}

/// A distance that is measured to another target.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct DistanceDto {
    /// The other target.
    pub to: Uuid,
    /// σ, metres.
    pub sigma: f64,
    /// What was measured, metres, in space; none while it is planned.
    #[serde(default)]
    pub measured: Option<f64>,
}

/// The data of a plan item; which fields are used depends on its kind. Plan coordinates, metres.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct PlanData {
    pub name: String,
    /// Walls, obstacles, floors, areas, edges and walks: vertices.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub line: Vec<[f64; 2]>,
    /// Walls, obstacles and columns: foot and top; edges: lower and upper ground; floors: their height is
    /// `base`.
    #[serde(default)]
    pub base: f64,
    #[serde(default)]
    pub top: f64,
    /// Walls: holes in them.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub openings: Vec<OpeningDto>,
    /// Walls and floors: point spacing asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub required_spacing: Option<f64>,
    /// Walls and floors: largest incidence asked for, radians; 70° without.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub required_incidence: Option<f64>,
    /// Walls and floors: largest 95 % error of a point asked for.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub required_accuracy: Option<f64>,
    /// Columns: radius.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub radius: Option<f64>,
    /// Areas: `no_go` (no instrument stands there), `hazard`, or `limits`: what is asked for is another there.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub area: Option<String>,
    /// Areas with limits of their own: 95 % error allowed horizontally, in height, in space, metres; what is not given is
    /// the brief's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub horizontal95: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub vertical95: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub spatial95: Option<f64>,
    /// Underlays: width and height of the picture, pixels; metres a pixel; turn, radians anticlockwise;
    /// how strongly it is drawn, 0..1. Its lower left corner lies at `position`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pixels: Option<[u32; 2]>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub scale: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub turn: Option<f64>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub opacity: Option<f64>,
    /// Stations (centre of the instrument), targets (centre), columns (axis), heights of the ground, underlays.
    #[serde(default)]
    pub position: [f64; 3],
    /// Stations: stays where it is when stations are proposed.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub locked: bool,
    /// Stations: angle between points here, radians, when it is not the brief's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub step: Option<f64>,
    /// Stations: measurements averaged for each point, 1 without; photographs are taken as well.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub repeats: Option<u32>,
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub photographs: bool,
    /// Stations: place in the order to take them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<u32>,
    /// Stations: the mark (a target of that kind) that it stands over; its place is the mark's then,
    /// `instrument_height` above it (1.65 m without).
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub over: Option<Uuid>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub instrument_height: Option<f64>,
    /// Stations: marks to sight with a reflector on them, the backsight first.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub sights: Vec<Uuid>,
    /// Targets: `sphere`, `checker`, or `mark`: a point on the ground to set up over or sight.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub target: Option<String>,
    /// Checkers: where the face looks, radians clockwise from north (plan y); without, it is turned
    /// to whoever looks.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub facing: Option<f64>,
    /// Targets that will be control: σ horizontal and vertical.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub control_sigma: Option<[f64; 2]>,
    /// Targets: distances measured from here to others.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub distances: Vec<DistanceDto>,
    /// Walks: name of the mobile unit, and how fast it is carried at most, metres a second.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub unit: Option<String>,
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub pace: Option<f64>,
    /// Targets: known, but held back as a check.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub check: bool,
}

/// Vertices of one item at most.
const MOST_VERTICES: usize = 10_000;

impl PlanData {
    /// Reads and checks the data of an item.
    ///
    /// # Errors
    /// Names the field, what was found and what is expected.
    pub fn parse(kind: &str, value: &serde_json::Value) -> Result<Self, ApiError> {
        let d: Self = serde_json::from_value(value.clone())
            .map_err(|e| ApiError::field("data", format!("a {kind} cannot be read: {e}")))?;
        if d.name.trim().is_empty() || d.name.len() > 80 {
            return Err(ApiError::field("name", format!("a {kind} needs a name of 1 to 80 characters")));
        }
        let finite =
            d.line.iter().flatten().chain(&d.position).chain([&d.base, &d.top]).all(|v| v.is_finite() && v.abs() < 1e6);
        if !finite {
            d.refuse("position", "expected finite plan coordinates within 1000 km")?;
        }
        d.shape(kind)?;
        d.wishes(kind)?;
        d.openings()?;
        Ok(d)
    }

    fn refuse(&self, field: &str, what: &str) -> Result<(), ApiError> {
        Err(ApiError::field(field, format!("{}: {what}", self.name)))
    }

    /// Whether its vertices and sizes make a thing of its kind.
    fn shape(&self, kind: &str) -> Result<(), ApiError> {
        if self.line.len() > MOST_VERTICES {
            let found = self.line.len();
            return self.refuse("line", &format!("found {found} vertices, expected at most {MOST_VERTICES}"));
        }
        let least = match kind {
            "wall" | "edge" | "walk" => 2,
            "obstacle" | "floor" | "area" => 3,
            _ => 0,
        };
        if self.line.len() < least {
            return self.refuse("line", &format!("found {} vertices, expected at least {least}", self.line.len()));
        }
        if matches!(kind, "wall" | "obstacle" | "column" | "edge") && self.top <= self.base {
            return self.refuse("top", &format!("the top ({} m) must be above the base ({} m)", self.top, self.base));
        }
        if kind == "column" && !self.radius.is_some_and(|r| (0.01..=20.0).contains(&r)) {
            return self.refuse("radius", "expected 10 mm to 20 m");
        }
        if kind == "area" && !matches!(self.area.as_deref(), Some("no_go" | "hazard" | "limits")) {
            return self.refuse("area", "expected no_go, hazard or limits");
        }
        if kind == "underlay" {
            let sized = self.pixels.is_some_and(|p| p.iter().all(|v| (1..=30_000).contains(v)));
            if !sized
                || !self.scale.is_some_and(|s| (1e-5..=100.0).contains(&s))
                || !self.turn.unwrap_or(0.0).is_finite()
            {
                return self
                    .refuse("scale", "expected a picture of up to 30 000 pixels a side, 0.01 mm to 100 m a pixel");
            }
        }
        Ok(())
    }

    /// Whether what is required, set and stated of it is within reason.
    fn wishes(&self, kind: &str) -> Result<(), ApiError> {
        if self.required_spacing.is_some_and(|s| !(0.001..=1.0).contains(&s)) {
            return self.refuse("required_spacing", "expected 1 mm to 1 m");
        }
        if self.required_incidence.is_some_and(|s| !(0.1..=1.5).contains(&s)) {
            return self.refuse("required_incidence", "expected 6° to 86°");
        }
        if self.required_accuracy.is_some_and(|s| !(1e-4..=10.0).contains(&s)) {
            return self.refuse("required_accuracy", "expected 0.1 mm to 10 m");
        }
        let limits = [self.horizontal95, self.vertical95, self.spatial95];
        if limits.iter().flatten().any(|v| !(1e-4..=10.0).contains(v)) {
            return self.refuse("spatial95", "expected limits of 0.1 mm to 10 m");
        }
        if self.step.is_some_and(|s| !(2e-4..=0.1).contains(&s)) {
            return self.refuse("step", "expected 0.2 to 100 mrad");
        }
        if self.repeats.is_some_and(|r| !(1..=64).contains(&r)) {
            return self.refuse("repeats", "expected 1 to 64");
        }
        if self.instrument_height.is_some_and(|h| !(0.1..=10.0).contains(&h)) {
            return self.refuse("instrument_height", "expected 0.1 to 10 m above the mark");
        }
        if self.sights.len() > 40 {
            return self.refuse("sights", &format!("found {} marks to sight, expected at most 40", self.sights.len()));
        }
        if kind == "target" && self.target.as_deref().is_some_and(|t| !["sphere", "checker", "mark"].contains(&t)) {
            return self.refuse("target", "expected sphere, checker or mark");
        }
        let known = |u: &String| vistazo_core::mobile::units().iter().any(|own| own.name == *u);
        if kind == "walk" && !self.unit.as_ref().is_some_and(known) {
            let names: Vec<String> = vistazo_core::mobile::units().into_iter().map(|u| u.name).collect();
            return self.refuse("unit", &format!("expected one of {}", names.join(", ")));
        }
        if self.pace.is_some_and(|p| !(0.1..=3.0).contains(&p)) {
            return self.refuse("pace", "expected 0.1 to 3 m a second");
        }
        if self.facing.is_some_and(|f| !f.is_finite()) {
            return self.refuse("facing", "expected a bearing");
        }
        if self.control_sigma.is_some_and(|s| s.iter().any(|v| !(1e-5..=10.0).contains(v))) {
            return self.refuse("control_sigma", "expected standard deviations of 0.01 mm to 10 m");
        }
        for x in &self.distances {
            if !(1e-5..=1.0).contains(&x.sigma) || x.measured.is_some_and(|m| !(0.01..=10_000.0).contains(&m)) {
                return self.refuse("distances", "expected σ of 0.01 mm to 1 m, and a distance of 10 mm to 10 km");
            }
        }
        Ok(())
    }

    /// Whether openings lie on their wall.
    fn openings(&self) -> Result<(), ApiError> {
        let length: f64 = self.line.windows(2).map(|p| (p[1][0] - p[0][0]).hypot(p[1][1] - p[0][1])).sum();
        for o in &self.openings {
            let ok = o.width > 0.0
                && o.head > o.sill
                && o.at - o.width / 2.0 > -1e-6
                && o.at + o.width / 2.0 < length + 1e-6;
            if !ok || ![o.at, o.width, o.sill, o.head].iter().all(|v| v.is_finite()) {
                return self.refuse(
                    "openings",
                    &format!(
                        "the opening “{}” from {:.2} to {:.2} m must lie on the wall of {length:.2} m, its head above its sill",
                        o.name,
                        o.at - o.width / 2.0,
                        o.at + o.width / 2.0
                    ),
                );
            }
        }
        Ok(())
    }
}

/// How to read a drawing.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct ImportQuery {
    /// Unit of a DXF drawing when it does not say: `m`, `mm`, `ft`, `ftUS` or `in`.
    pub unit: Option<String>,
}

/// A picture under the plan.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct UnderlayQuery {
    pub name: String,
    /// Pixels.
    pub width: u32,
    pub height: u32,
}

/// A level slice of a cloud.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct SliceQuery {
    /// The job whose cloud it is; this one without.
    pub source: Option<Uuid>,
    /// Height on the plan, metres.
    pub height: f64,
    /// Metres.
    pub thickness: f64,
}

impl SliceQuery {
    /// Checks every field.
    ///
    /// # Errors
    /// The first field that cannot be.
    pub fn validate(&self) -> Result<(), ApiError> {
        if !self.height.is_finite() || self.height.abs() > 1e4 {
            return Err(ApiError::field("height", "expected a height within 10 km"));
        }
        if !(0.01..=20.0).contains(&self.thickness) {
            return Err(ApiError::field("thickness", format!("found {} m, expected 10 mm to 20 m", self.thickness)));
        }
        Ok(())
    }
}
