//! Days on site as they are planned.
#![allow(missing_docs)] // fields carry the names of the job

use super::DaySettingsDto;
use crate::record::mirror;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::day;

mirror!(
    /// What somebody does.
    WorkWord = day::Work {
        Arrive, Induction, WarmUp, Check, Walk, Targets, SetUp, ReTie, Scan, Photographs, Swap, Card, Occupy, Pass,
        Break, Wait, Pack
    }
);

mirror!(
    /// What may take longer than planned.
    PartWord = day::Part { SetUp, Scan, Photographs, Walk, Targets, Errands, Around, Battery }
);

/// When a plan is looked at.
#[derive(Clone, Copy, Debug, Default, Deserialize, utoipa::IntoParams)]
pub struct DayQuery {
    /// From then on it is planned anew, with what was noted in the field by then; the whole of it without.
    pub now: Option<DateTime<Utc>>,
}

/// Days on site: what happens when. Times are seconds from the midnight before the first day, on the clock of the site.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DaysDto {
    pub settings: DaySettingsDto,
    /// It was planned anew from here.
    pub now: Option<f64>,
    pub stations: Vec<DayStationDto>,
    pub errands: Vec<ErrandDto>,
    pub steps: Vec<StepDto>,
    pub ends: Vec<DayEndDto>,
    pub units: Vec<UnitDayDto>,
    /// What gives least first.
    pub gives: Vec<GiveDto>,
    pub totals: DayTotalsDto,
    /// What goes wrong or may, with what to do, worst first.
    pub remarks: Vec<DayRemarkDto>,
    /// What to take along.
    pub kit: Vec<KitLineDto>,
    /// What was noted in the field against what was planned.
    pub learned: LearnedDto,
    /// Ways of measuring the same, with the times they take.
    pub ways: Vec<WayDto>,
    /// Yesterday's scans are worked through before a day begins, by day but the first.
    pub checked: Vec<bool>,
}

/// A station on its day.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DayStationDto {
    pub id: Uuid,
    pub name: String,
    /// Place in the list of scanners.
    pub scanner: usize,
    pub locked: bool,
    /// From the first step there to the last; none where it does not fit.
    pub begins: Option<f64>,
    pub ends: Option<f64>,
    /// Its scan and photographs, seconds.
    pub scan: f64,
    /// Walking there, seconds.
    pub walk: f64,
    pub bytes: f64,
    /// Stations before it that it can be tied to, by name.
    pub ties: Vec<String>,
    /// Nothing before it ties it.
    pub untied: bool,
    /// Targets to put up for it, by name.
    pub up: Vec<String>,
    /// It was taken in the field.
    pub done: bool,
    /// Seconds that it took, where that was noted.
    pub took: Option<f64>,
    /// Why it does not fit.
    pub why: Option<String>,
    /// When its scan is tied in the field, and worked through.
    pub tied: Option<f64>,
    pub worked: Option<f64>,
}

/// Something done without a scanner.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct ErrandDto {
    pub name: String,
    pub begins: Option<f64>,
    pub ends: Option<f64>,
    pub why: Option<String>,
}

/// One thing that is done.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct StepDto {
    pub work: WorkWord,
    pub from: f64,
    pub to: f64,
    /// Place in the list of people.
    pub person: Option<usize>,
    /// Place in the list of scanners.
    pub unit: Option<usize>,
    /// The station or errand it is for.
    pub at: Option<String>,
    /// Targets put up and taken down by it.
    pub up: Vec<String>,
    pub down: Vec<String>,
    /// It was noted in the field.
    pub done: bool,
}

/// How a day ends.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DayEndDto {
    pub from: f64,
    /// Everybody is out; none when nobody comes.
    pub ends: Option<f64>,
    /// Everybody has to be out.
    pub to: f64,
    /// Scans taken.
    pub scans: usize,
}

/// What a scanner lives on, over the days.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct UnitDayDto {
    /// Times, and the share of its battery that is left; empty when it is fed from outside.
    pub battery: Vec<[f64; 2]>,
    /// Times, and bytes on the card that is in it.
    pub card: Vec<[f64; 2]>,
    /// Batteries and cards used on the day that needs most, those that are in it at the beginning included.
    pub batteries: usize,
    pub cards: usize,
}

/// How much longer a part may take.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct GiveDto {
    pub part: PartWord,
    /// Share it may take longer before something falls out; none for more than twice as long.
    pub share: Option<f64>,
    /// What falls out then.
    pub station: Option<String>,
    /// Seconds the end is later when it takes a fifth longer, where nothing falls out by that.
    pub later: Option<f64>,
}

/// Seconds and metres of all together.
#[derive(Clone, Copy, Debug, Default, Serialize, ToSchema)]
pub struct DayTotalsDto {
    pub scanning: f64,
    pub setting_up: f64,
    pub walking: f64,
    pub carried: f64,
    pub targets: f64,
    pub control: f64,
    pub waiting: f64,
    pub bytes: f64,
    /// All is worked through; none without a scan.
    pub worked: Option<f64>,
}

/// Something to look at.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DayRemarkDto {
    pub said: String,
    /// The plan does not hold as it is.
    pub breaks: bool,
    pub station: Option<String>,
}

/// Something to take along.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct KitLineDto {
    pub what: String,
    pub count: usize,
    pub spare: usize,
    /// What it is counted from.
    pub said: String,
}

/// What the field says about the plan's times.
#[derive(Clone, Debug, Default, Serialize, ToSchema)]
pub struct LearnedDto {
    /// Stations noted with their times.
    pub stations: usize,
    /// Seconds these took, and were to take.
    pub took: f64,
    pub planned: f64,
    /// Median of setting up, seconds, with the number it is from; none from fewer than three.
    pub set_up: Option<f64>,
    /// Median pace between stations, metres a second.
    pub walk: Option<f64>,
}

/// A way of measuring the site.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum WayWord {
    /// As it is planned here.
    Planned,
    /// The same scans, tied by hand in the office.
    ByHand,
    /// A walk with a mobile unit in the place of the scans.
    Mobile,
    /// Tape measure and paper: lengths only.
    Tape,
}

/// What a way of measuring takes.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct WayDto {
    pub way: WayWord,
    /// Seconds from the gate to the gate, all days, without rests.
    pub site: f64,
    /// The same times the people.
    pub labour: f64,
    /// Seconds of a person at the office.
    pub office: f64,
    /// Largest 95 % error in space, metres, where it is known.
    pub error: Option<f64>,
    pub said: String,
}

/// An order that was found.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OrderDto {
    /// All stations in the order in which they are taken, with who scans them.
    pub stations: Vec<super::AssignedDto>,
    /// Walking as it is now and in that order, metres.
    pub carried: [f64; 2],
    /// Stations that nothing before them ties.
    pub untied: [usize; 2],
    /// When the last scan ends.
    pub ends: [Option<f64>; 2],
    /// Stations that do not fit.
    pub left: [usize; 2],
}

/// What can be done about what does not fit.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum OptionWord {
    /// Stations that do not fit are not taken.
    Drop,
    /// All that is left is scanned at half the resolution.
    Coarser,
    /// What does not fit is walked with a mobile unit.
    Mobile,
    /// Another day like the last.
    Tomorrow,
}

/// One thing that can be done, with its consequences.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DayOptionDto {
    pub what: OptionWord,
    pub said: String,
    /// Stations that still do not fit.
    pub left: Vec<String>,
    /// When the last day ends.
    pub ends: Option<f64>,
    /// Share of required surfaces that is covered.
    pub cover: Option<f64>,
    /// Largest predicted 95 % error of a target in space, metres, and where.
    pub error: Option<f64>,
    pub weakest: Option<String>,
    /// It keeps the requirement; none where it asks for nothing that is predicted.
    pub met: Option<bool>,
}

/// What can be done about what does not fit, beside the whole plan.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct DayOptionsDto {
    /// Stations that do not fit.
    pub left: Vec<String>,
    /// The whole plan, as if all of it were taken.
    pub whole: DayOptionDto,
    pub options: Vec<DayOptionDto>,
}
