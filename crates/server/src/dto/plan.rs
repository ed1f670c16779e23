#![allow(missing_docs)] // the fields are named as the surveyor names them

use crate::ApiError;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;

/// Kinds of plan items.
pub const KINDS: [&str; 8] = ["wall", "obstacle", "column", "floor", "area", "underlay", "station", "target"];

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

/// The data of a plan item; which fields are used depends on its kind. Plan coordinates, metres.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
pub struct PlanData {
    pub name: String,
    /// Walls, obstacles, floors and areas: vertices.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub line: Vec<[f64; 2]>,
    /// Walls, obstacles and columns: foot and top; floors: their height is `base`.
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
    /// Areas: `no_go` (no instrument stands there) or `hazard`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub area: Option<String>,
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
    /// Stations (centre of the instrument), targets (centre), columns (axis) and underlays.
    #[serde(default)]
    pub position: [f64; 3],
    /// Stations: stays where it is when stations are proposed.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub locked: bool,
    /// Stations: angle between points here, radians, when it is not the brief's.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub step: Option<f64>,
    /// Stations: place in the order to take them.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub order: Option<u32>,
    /// Targets: `sphere` or `checker`.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub target: Option<String>,
    /// Checkers: where the face looks, radians clockwise from north (plan y); without, it is turned
    /// to whoever looks.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub facing: Option<f64>,
    /// Targets that will be control: σ horizontal and vertical.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub control_sigma: Option<[f64; 2]>,
    /// Targets: known, but held back as a check.
    #[serde(default, skip_serializing_if = "std::ops::Not::not")]
    pub check: bool,
}

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
        let refuse = |field: &str, what: &str| Err(ApiError::field(field, format!("{}: {what}", d.name)));
        let finite =
            d.line.iter().flatten().chain(&d.position).chain([&d.base, &d.top]).all(|v| v.is_finite() && v.abs() < 1e6);
        if !finite {
            return refuse("position", "expected finite plan coordinates within 1000 km");
        }
        let least = match kind {
            "wall" => 2,
            "obstacle" | "floor" | "area" => 3,
            _ => 0,
        };
        if d.line.len() < least {
            return refuse("line", &format!("found {} vertices, expected at least {least}", d.line.len()));
        }
        if matches!(kind, "wall" | "obstacle" | "column") && d.top <= d.base {
            return refuse("top", &format!("the top ({} m) must be above the base ({} m)", d.top, d.base));
        }
        if kind == "column" && !d.radius.is_some_and(|r| (0.01..=20.0).contains(&r)) {
            return refuse("radius", "expected 10 mm to 20 m");
        }
        if kind == "area" && !matches!(d.area.as_deref(), Some("no_go" | "hazard")) {
            return refuse("area", "expected no_go or hazard");
        }
        if kind == "underlay" {
            let sized = d.pixels.is_some_and(|p| p.iter().all(|v| (1..=30_000).contains(v)));
            if !sized || !d.scale.is_some_and(|s| (1e-5..=100.0).contains(&s)) || !d.turn.unwrap_or(0.0).is_finite() {
                return refuse("scale", "expected a picture of up to 30 000 pixels a side, 0.01 mm to 100 m a pixel");
            }
        }
        if d.required_spacing.is_some_and(|s| !(0.001..=1.0).contains(&s)) {
            return refuse("required_spacing", "expected 1 mm to 1 m");
        }
        if d.required_incidence.is_some_and(|s| !(0.1..=1.5).contains(&s)) {
            return refuse("required_incidence", "expected 6° to 86°");
        }
        if d.required_accuracy.is_some_and(|s| !(1e-4..=10.0).contains(&s)) {
            return refuse("required_accuracy", "expected 0.1 mm to 10 m");
        }
        if d.step.is_some_and(|s| !(2e-4..=0.1).contains(&s)) {
            return refuse("step", "expected 0.2 to 100 mrad");
        }
        if d.facing.is_some_and(|f| !f.is_finite()) {
            return refuse("facing", "expected a bearing");
        }
        if d.control_sigma.is_some_and(|s| s.iter().any(|v| !(1e-5..=10.0).contains(v))) {
            return refuse("control_sigma", "expected standard deviations of 0.01 mm to 10 m");
        }
        let length: f64 = d.line.windows(2).map(|p| (p[1][0] - p[0][0]).hypot(p[1][1] - p[0][1])).sum();
        for o in &d.openings {
            let ok = o.width > 0.0
                && o.head > o.sill
                && o.at - o.width / 2.0 > -1e-6
                && o.at + o.width / 2.0 < length + 1e-6;
            if !ok || ![o.at, o.width, o.sill, o.head].iter().all(|v| v.is_finite()) {
                return refuse(
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
        Ok(d)
    }
}

/// What a station covers.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct StationCoverDto {
    pub station: Uuid,
    pub name: String,
    /// Area covered, m².
    pub area: f64,
    /// Targets it sees well enough to measure.
    pub targets: Vec<Uuid>,
    /// Area not covered by reason, m².
    pub missing: HashMap<String, f64>,
    /// Stretches of wall that it covers, seen from above: x1, y1, x2, y2, and the share of the
    /// height covered.
    pub seen: Vec<[f64; 5]>,
}

/// Two stations that hang together.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct LinkDto {
    pub from: String,
    pub to: String,
    /// The smaller of the two overlaps, 0..1.
    pub overlap: f64,
    /// Targets that both measure, by name.
    pub targets: Vec<String>,
    /// Nothing else holds its two sides together.
    pub bridge: bool,
    /// What is wrong with the shared targets, when three or more are shared: in words.
    pub faults: Vec<String>,
}

/// Something on the plan that goes wrong on site, in words.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct TrapDto {
    /// `failed` or `doubtful`.
    pub grade: String,
    pub title: String,
    /// The evidence, and what to do.
    pub text: String,
    /// Names of the stations and targets it is about.
    pub about: Vec<String>,
    /// A place of the plan, where there is one.
    pub at: Option<[f64; 2]>,
}

/// What the plan covers.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct CoverDto {
    pub stations: Vec<StationCoverDto>,
    pub links: Vec<LinkDto>,
    /// Groups of stations that hang together, the largest first.
    pub groups: Vec<Vec<String>>,
    /// Stations without which others would not hang together.
    pub cuts: Vec<String>,
    pub traps: Vec<TrapDto>,
    /// `overlap[a][b]`: share of what `b` covers that `a` covers too.
    pub overlap: Vec<Vec<f64>>,
    /// Share of required area covered once and twice.
    pub once: Option<f64>,
    pub twice: Option<f64>,
    pub prediction: PredictionDto,
}

/// What error the plan will come out at.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct PredictionDto {
    /// Why there is none.
    pub refused: Option<String>,
    /// On control (true), or within the block only.
    pub on_grid: bool,
    pub targets: Vec<super::PointDto>,
    pub stations: Vec<super::PointDto>,
    /// What the error of the weakest target is made of, shares of the variance.
    pub budget: Vec<ShareDto>,
    /// What each target would hide if it were knocked.
    pub knocks: Vec<KnockDto>,
}

/// A part of an error.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct ShareDto {
    pub what: String,
    /// Share of the variance, 0..1.
    pub share: f64,
}

/// A knock that nobody would notice.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct KnockDto {
    pub target: String,
    /// Between these two stations, where it is noticed least.
    pub before: String,
    pub after: String,
    /// The largest knock that is missed one time in five, metres; none when any would be missed.
    pub size: Option<f64>,
    /// What it does to the station it harms most, metres.
    pub effect: Option<f64>,
    pub harms: String,
}

/// One surface of the plan, piece by piece.
#[derive(Serialize, ToSchema)]
pub struct SurfaceDto {
    pub item: Uuid,
    pub name: String,
    /// `wall` or `floor`.
    pub kind: String,
    pub wanted: bool,
    /// Required spacing, metres.
    pub required: Option<f64>,
    /// Length along the wall and heights.
    pub length: f64,
    pub base: f64,
    pub top: f64,
    /// Area wanted, and covered once and twice, m².
    pub area: f64,
    pub once: f64,
    pub twice: f64,
    /// Of each piece: x, y, z, distance along the wall, width, height, number of stations that cover
    /// it, best spacing [m] and incidence [rad] (0 when not covered), and why not: 0 covered,
    /// 1 hidden, 2 outside the field of view, 3 out of range, 4 too oblique, 5 too coarse; predicted
    /// 95 % error of a point there [m], 0 when not known.
    pub cells: Vec<[f32; 11]>,
}

/// A place to look from, while a station is dragged.
#[derive(Deserialize, ToSchema)]
pub struct LookRequest {
    pub position: [f64; 3],
    pub step: Option<f64>,
    /// The station that would stand there.
    pub instead_of: Option<Uuid>,
}

/// What would be covered from there.
#[derive(Serialize, ToSchema)]
pub struct LookDto {
    pub area: f64,
    /// Share of the required area that all stations would cover.
    pub once: Option<f64>,
    pub seen: Vec<[f64; 5]>,
    /// Targets it would measure.
    pub targets: Vec<String>,
}

/// What to propose.
#[derive(Clone, Serialize, Deserialize, ToSchema)]
pub struct ProposeRequest {
    /// Height of the instrument above the floor, metres.
    pub instrument_height: f64,
    /// Floors to stand on, metres.
    pub floors: Vec<f64>,
    /// Share of what can be covered that has to be, 0.5..1.
    pub share: f64,
}

/// One way to do it.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct AlternativeDto {
    /// `fewest`, `quickest` or `most accurate`.
    pub name: String,
    /// In the order to walk.
    pub stations: Vec<[f64; 3]>,
    /// How many of them stood already and are locked.
    pub locked: usize,
    pub for_cover: usize,
    pub at_least: usize,
    pub connected: bool,
    /// Share of the required area covered once and twice.
    pub once: f64,
    pub twice: f64,
    /// Angle between points, radians.
    pub step: f64,
    /// Scanning, setting up and walking, seconds.
    pub time: f64,
    /// Points of all scans.
    pub points: f64,
    /// Largest predicted 95 % error of a target with the targets of the plan, metres.
    pub predicted: Option<f64>,
    /// Why the block would not hang together by the targets of the plan.
    pub refused: Option<String>,
}

/// The last proposal.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct ProposalDto {
    pub request: ProposeRequest,
    pub reachable: f64,
    pub places: usize,
    pub alternatives: Vec<AlternativeDto>,
    /// Whether the plan has changed since.
    pub stale: bool,
}

/// How to go across open ground.
#[derive(Deserialize, ToSchema)]
pub struct LeapfrogRequest {
    /// Stations in the order to take them; all in their order when empty.
    pub stations: Vec<Uuid>,
    /// Spheres in stock.
    pub spheres: usize,
}

/// One move.
#[derive(Serialize, ToSchema)]
pub struct MoveDto {
    pub station: String,
    /// Spheres that stay.
    pub stay: Vec<String>,
    /// Spheres to carry, and where to.
    pub carry: Vec<CarryDto>,
    /// Where every sphere stands during this scan.
    pub places: Vec<[f64; 3]>,
    /// Predicted 95 % error against the station before, metres.
    pub tie95: Option<f64>,
    pub faults: Vec<String>,
}

#[derive(Serialize, ToSchema)]
pub struct CarryDto {
    pub sphere: String,
    pub to: [f64; 3],
    /// Horizontal distance from the station, metres, and bearing from it, radians clockwise from north.
    pub distance: f64,
    pub bearing: f64,
}

/// A change that would help.
#[derive(Serialize, ToSchema)]
pub struct AdviceDto {
    /// In words.
    pub what: String,
    /// Largest predicted 95 % error now and with it, metres.
    pub now: f64,
    pub then: f64,
    /// A target to add, where that is it.
    pub add: Option<[f64; 3]>,
    /// A target to mark as control, where that is it.
    pub control: Option<Uuid>,
}

impl ProposeRequest {
    /// Checks every field.
    ///
    /// # Errors
    /// The first field that cannot be.
    pub fn validate(&self) -> Result<(), ApiError> {
        if !(0.2..=10.0).contains(&self.instrument_height) {
            return Err(ApiError::field(
                "instrument_height",
                format!("found {} m, expected 0.2 to 10 m", self.instrument_height),
            ));
        }
        if self.floors.is_empty()
            || self.floors.len() > 20
            || self.floors.iter().any(|f| !f.is_finite() || f.abs() > 1e4)
        {
            return Err(ApiError::field("floors", "expected 1 to 20 floors at finite heights"));
        }
        if !(0.5..=1.0).contains(&self.share) {
            return Err(ApiError::field("share", format!("found {}, expected 0.5 to 1", self.share)));
        }
        Ok(())
    }
}

/// A spacing wanted at a range.
#[derive(Deserialize, utoipa::IntoParams)]
pub struct DensityQuery {
    /// Metres.
    pub range: f64,
    /// Metres.
    pub spacing: f64,
    /// Radians; square without.
    pub incidence: Option<f64>,
    /// Largest range noise, 1σ, metres; 2 mm without.
    pub noise: Option<f64>,
}

/// How an instrument would have to be set.
#[derive(Serialize, ToSchema)]
pub struct DensityDto {
    pub instrument: super::InstrumentDto,
    /// The job's own.
    pub own: bool,
    /// None when it cannot do that.
    pub setting: Option<SettingDto>,
    /// Why not.
    pub refused: Option<String>,
}

#[derive(Serialize, ToSchema)]
pub struct SettingDto {
    /// Radians.
    pub step: f64,
    pub repeats: u32,
    /// Metres: distance between points at that range, range noise (1σ), spacing of the spheres' usable range.
    pub spacing: f64,
    pub noise: f64,
    /// Distance up to which the job's spheres are measured at this setting.
    pub sphere_range: f64,
    /// Seconds for one scan, and with photographs.
    pub time: f64,
    pub time_photographs: f64,
    pub points: f64,
    /// As the instrument stores them.
    pub bytes: f64,
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
