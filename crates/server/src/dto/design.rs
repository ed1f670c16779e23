#![allow(missing_docs)] // the fields are named as the surveyor names them

use crate::ApiError;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::plan::Day;

/// What a station covers.
#[derive(Serialize, Deserialize, ToSchema)]
pub struct StationCoverDto {
    pub station: Uuid,
    pub name: String,
    /// Area covered, m².
    pub area: f64,
    /// Targets it measures: in its scan, by standing over them or by sighting them.
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
    /// Targets that both scans show, by name.
    pub targets: Vec<String>,
    /// Marks that both stand over or sight, by name.
    pub marks: Vec<String>,
    /// Predicted 95 % error of the tie by the clouds alone, when the brief counts them, metres.
    pub cloud95: Option<f64>,
    /// Nothing else holds its two sides together.
    pub bridge: bool,
    /// What is wrong with the shared targets, when three or more are shared: in words.
    pub faults: Vec<String>,
}

impl LinkDto {
    /// Whether it holds two levelled scans: by two targets or marks, or by what the clouds share where they count.
    pub fn holds(&self, by_clouds: bool) -> bool {
        self.targets.len() + self.marks.len() >= 2 || by_clouds && self.overlap > 0.25
    }
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
    /// What the page can offer to mend it: `control`.
    pub mend: Option<String>,
}

/// Which targets to survey.
#[derive(Serialize, ToSchema)]
pub struct ControlChoiceDto {
    pub fit: Vec<Uuid>,
    pub check: Vec<Uuid>,
    /// σ horizontal and vertical that they would be known to, metres.
    pub sigma: [f64; 2],
}

/// What the plan takes, by the instrument's profile: seconds, metres, bytes.
#[derive(Clone, Serialize, Deserialize, ToSchema)]
pub struct DayDto {
    pub time: f64,
    pub walking: f64,
    pub batteries: usize,
    pub points: f64,
    pub bytes: f64,
    /// Seconds from the beginning at which each station is done, in their order.
    pub done: Vec<f64>,
    /// Stations (places in the order) before which the battery is changed.
    pub swaps: Vec<usize>,
}

impl From<&Day> for DayDto {
    fn from(d: &Day) -> Self {
        Self {
            time: d.time,
            walking: d.stops.iter().map(|s| s.walk).sum(),
            batteries: d.batteries,
            points: d.stops.iter().map(|s| s.points).sum(),
            bytes: d.bytes,
            done: d.stops.iter().map(|s| s.done).collect(),
            swaps: d.stops.iter().enumerate().filter(|s| s.1.swap).map(|s| s.0).collect(),
        }
    }
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
    pub day: DayDto,
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
    pub budget: Vec<super::SourceDto>,
    /// Groups of observations it counts on.
    pub groups: Vec<crate::record::Group>,
    /// What each target would hide if it were knocked.
    pub knocks: Vec<KnockDto>,
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
    /// Required 95 % error of a point, metres.
    pub accuracy: Option<f64>,
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
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
pub struct ProposeRequest {
    /// Height of the instrument above the floor, metres.
    pub instrument_height: f64,
    /// Floors to stand on, metres.
    pub floors: Vec<f64>,
    /// Share of what can be covered that has to be, 0.5..1.
    pub share: f64,
    /// Overlap from which two stations hang together, 0.3..0.7; without, 0.35: somewhat more than what
    /// the plan takes for thin, so that a tripod set up a little beside its place does not fall below.
    pub overlap: Option<f64>,
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
    /// Stations that cover as much without hanging together, and the fewest that can.
    pub for_cover: usize,
    pub at_least: usize,
    /// No fewer of the places tried cover as much and hang together.
    pub at_least_together: usize,
    /// Groups of stations that hang together by overlap: 1 when all do.
    pub groups: usize,
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
        if let Some(o) = self.overlap.filter(|o| !(0.3..=0.7).contains(o)) {
            return Err(ApiError::field("overlap", format!("found {o}, expected 0.3 to 0.7")));
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
