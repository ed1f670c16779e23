//! What days on site are planned from.
#![allow(missing_docs)] // fields carry the names of the job

use crate::ApiError;
use chrono::NaiveDate;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::day::{Machines, Pace};

/// A day, seconds.
const DAY: f64 = 86_400.0;

/// What days on site are planned from. Times of day are seconds from midnight, on the clock of the site.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DaySettingsDto {
    /// The version that was seen; 0 for none yet.
    #[serde(default)]
    pub version: i32,
    /// Minutes that the clock of the site is ahead of UTC.
    pub offset: i32,
    pub dates: Vec<DateDto>,
    /// Who comes, by name.
    pub people: Vec<String>,
    pub scanners: Vec<DayScannerDto>,
    /// Where one comes in, plan coordinates, metres; the first station without.
    #[serde(default)]
    pub gate: Option<[f64; 2]>,
    /// Metres a second, carrying.
    pub walk: f64,
    /// Spheres and boards that can stand at once; as many as are planned without.
    #[serde(default)]
    pub stock: Option<usize>,
    pub breaks: Vec<BreakDto>,
    pub windows: Vec<WindowDto>,
    /// From and to: photographs in the open are taken within.
    #[serde(default)]
    pub daylight: Option<[f64; 2]>,
    pub control: OccupyDto,
    pub pace: DayPaceDto,
    pub machines: MachinesDto,
    /// Bytes of a set of photographs.
    pub photograph_bytes: f64,
    /// Temperatures where the instrument is checked and where it scans, °C.
    #[serde(default)]
    pub check_temperature: Option<f64>,
    #[serde(default)]
    pub site_temperature: Option<f64>,
    /// Who scans a station, and whether its place in the order stays; the order is that of the plan.
    #[serde(default)]
    pub stations: Vec<AssignedDto>,
    /// What other ways of measuring are reckoned with.
    #[serde(default)]
    pub assumed: AssumedDto,
    /// Walks with a mobile unit on these days.
    #[serde(default)]
    pub passes: Vec<PlannedPassDto>,
}

/// A day on site.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DateDto {
    #[schema(value_type = String, format = Date)]
    pub date: NaiveDate,
    pub from: f64,
    pub to: f64,
}

/// A scanner with what it lives on; its profile is the brief's.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DayScannerDto {
    pub name: String,
    /// Who carries it: place in the list of people.
    pub person: usize,
    pub batteries: usize,
    pub cards: usize,
    /// Bytes of a card; 0 when storage does not count.
    pub card: f64,
    /// It tracks its own position from station to station, and loses it with the power.
    pub tracks: bool,
}

/// A rest of everybody, each day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct BreakDto {
    pub name: String,
    /// It begins from then on, and then at the latest.
    pub from: f64,
    pub to: f64,
    pub length: f64,
}

/// Hours at which a place is closed, or the only ones at which it is open, each day.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct WindowDto {
    pub name: String,
    /// An area of the plan; the whole site without.
    #[serde(default)]
    pub area: Option<Uuid>,
    pub from: f64,
    pub to: f64,
    pub closed: bool,
}

/// Occupations of control points by a receiver.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OccupyDto {
    /// Control points of the plan that were not measured yet are occupied twice.
    pub occupy: bool,
    /// Seconds of one occupation.
    pub seconds: f64,
    /// Seconds between the two.
    pub apart: f64,
}

/// How long things take, seconds.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct DayPaceDto {
    pub arrive: f64,
    pub induction: f64,
    pub check: f64,
    pub set_up: f64,
    pub target_up: f64,
    pub target_down: f64,
    pub re_tie: f64,
    pub swap: f64,
    pub card: f64,
    pub pack: f64,
}

/// What scans are worked through on.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct MachinesDto {
    /// Seconds that a million points take to be tied to the scan before, on the device in the field.
    pub tie: f64,
    /// Seconds to the office.
    pub travel: f64,
    /// Bytes a second from card to office machine.
    pub copy: f64,
    /// Seconds that a million points take at the office.
    pub office: f64,
    /// Scans worked on at once.
    pub lanes: usize,
    /// Seconds that a million points take on the device, where all is worked through there.
    #[serde(default)]
    pub device: Option<f64>,
    /// Seconds of looking at the first scan before the others follow; none when none goes first.
    #[serde(default)]
    pub trial: Option<f64>,
}

/// What other ways of measuring are reckoned with.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct AssumedDto {
    /// Seconds of tying two scans by hand in the office.
    pub tie_by_hand: f64,
    /// Seconds of one length by tape measure, with writing it down; two people hold the tape.
    pub taped: f64,
    /// Lengths taken at each wall, and at each opening.
    pub lengths: [f64; 2],
    /// Metres a second of a walk with a mobile unit.
    pub mobile_pace: f64,
    /// Times as long as its walk that a mobile pass is worked through.
    pub mobile_office: f64,
}

impl Default for AssumedDto {
    fn default() -> Self {
        Self { tie_by_hand: 720.0, taped: 75.0, lengths: [2.0, 3.0], mobile_pace: 0.7, mobile_office: 4.0 }
    }
}

/// What is kept about a station.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct AssignedDto {
    pub station: Uuid,
    /// Place in the list of scanners.
    pub scanner: usize,
    #[serde(default)]
    pub locked: bool,
}

/// A walk with a mobile unit that is planned.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PlannedPassDto {
    pub name: String,
    pub seconds: f64,
    /// Where it begins and ends, plan coordinates, metres.
    pub place: [f64; 2],
}

/// Names of people, scanners, breaks, windows and passes: characters at most.
const NAME: usize = 60;

impl DaySettingsDto {
    /// What a job starts from: one person, one scanner, one day from eight to five.
    pub fn usual(date: NaiveDate) -> Self {
        let pace = Pace::default();
        Self {
            version: 0,
            offset: 0,
            dates: vec![DateDto { date, from: 8.0 * 3600.0, to: 17.0 * 3600.0 }],
            people: vec!["Operator".into()],
            scanners: vec![DayScannerDto {
                name: "Scanner".into(),
                person: 0,
                batteries: 3,
                cards: 2,
                card: 64e9,
                tracks: false,
            }],
            gate: None,
            walk: 1.0,
            stock: None,
            breaks: vec![BreakDto { name: "Noon".into(), from: 43_200.0, to: 46_800.0, length: 1800.0 }],
            windows: Vec::new(),
            daylight: None,
            control: OccupyDto { occupy: false, seconds: 240.0, apart: 3600.0 },
            pace: DayPaceDto {
                arrive: pace.arrive,
                induction: pace.induction,
                check: pace.check,
                set_up: pace.set_up,
                target_up: pace.target_up,
                target_down: pace.target_down,
                re_tie: pace.re_tie,
                swap: vistazo_core::plan::SWAP,
                card: 60.0,
                pack: pace.pack,
            },
            machines: MachinesDto {
                tie: 2.0,
                travel: 2400.0,
                copy: 80e6,
                office: 25.0,
                lanes: 2,
                device: None,
                trial: Some(600.0),
            },
            photograph_bytes: 150e6,
            check_temperature: None,
            site_temperature: None,
            stations: Vec::new(),
            assumed: AssumedDto::default(),
            passes: Vec::new(),
        }
    }

    /// Checks every field.
    ///
    /// # Errors
    /// The first that cannot be: its name, what was found, what is expected.
    pub fn checked(self) -> Result<Self, ApiError> {
        self.days()?;
        self.kit()?;
        self.times()?;
        self.works()?;
        Ok(self)
    }

    fn days(&self) -> Result<(), ApiError> {
        count("dates", self.dates.len(), 1, 60)?;
        for (k, d) in self.dates.iter().enumerate() {
            span(&format!("dates[{k}]"), d.from, d.to)?;
            if k > 0 && d.date <= self.dates[k - 1].date {
                let says = format!("found {} after {}, expected days in order", d.date, self.dates[k - 1].date);
                return Err(ApiError::field(&format!("dates[{k}].date"), says));
            }
        }
        if let (Some(first), Some(last)) = (self.dates.first(), self.dates.last())
            && (last.date - first.date).num_days() > 366
        {
            return Err(ApiError::field("dates", "expected days within a year"));
        }
        number("offset", f64::from(self.offset), -840.0, 840.0)
    }

    fn kit(&self) -> Result<(), ApiError> {
        count("people", self.people.len(), 1, 12)?;
        count("scanners", self.scanners.len(), 1, 8)?;
        self.people.iter().enumerate().try_for_each(|(k, p)| name(&format!("people[{k}]"), p))?;
        for (k, s) in self.scanners.iter().enumerate() {
            let of = |field: &str| format!("scanners[{k}].{field}");
            name(&of("name"), &s.name)?;
            if s.person >= self.people.len() {
                let says = format!("found {}, expected one of the {} people", s.person, self.people.len());
                return Err(ApiError::field(&of("person"), says));
            }
            if self.scanners[..k].iter().any(|o| o.person == s.person) {
                return Err(ApiError::field(&of("person"), "who carries another scanner cannot carry this one too"));
            }
            count(&of("batteries"), s.batteries, 1, 40)?;
            count(&of("cards"), s.cards, 1, 40)?;
            number(&of("card"), s.card, 0.0, 1e14)?;
        }
        if let Some(stock) = self.stock {
            count("stock", stock, 3, 500)?;
        }
        if self.gate.is_some_and(|g| g.iter().any(|v| !v.is_finite() || v.abs() > 1e6)) {
            return Err(ApiError::field("gate", "expected finite plan coordinates within 1000 km"));
        }
        count("stations", self.stations.len(), 0, 5000)?;
        match self.stations.iter().find(|a| a.scanner >= self.scanners.len()) {
            Some(a) => Err(ApiError::field(
                "stations",
                format!("found scanner {}, expected one of {}", a.scanner, self.scanners.len()),
            )),
            None => Ok(()),
        }
    }

    fn times(&self) -> Result<(), ApiError> {
        number("walk", self.walk, 0.1, 5.0)?;
        count("breaks", self.breaks.len(), 0, 10)?;
        for (k, b) in self.breaks.iter().enumerate() {
            name(&format!("breaks[{k}].name"), &b.name)?;
            span(&format!("breaks[{k}]"), b.from, b.to)?;
            number(&format!("breaks[{k}].length"), b.length, 60.0, 4.0 * 3600.0)?;
        }
        count("windows", self.windows.len(), 0, 60)?;
        for (k, w) in self.windows.iter().enumerate() {
            name(&format!("windows[{k}].name"), &w.name)?;
            span(&format!("windows[{k}]"), w.from, w.to)?;
        }
        if let Some([from, to]) = self.daylight {
            span("daylight", from, to)?;
        }
        number("control.seconds", self.control.seconds, 5.0, 4.0 * 3600.0)?;
        number("control.apart", self.control.apart, 0.0, DAY)?;
        count("passes", self.passes.len(), 0, 60)?;
        for (k, p) in self.passes.iter().enumerate() {
            name(&format!("passes[{k}].name"), &p.name)?;
            number(&format!("passes[{k}].seconds"), p.seconds, 10.0, 4.0 * 3600.0)?;
            p.place.iter().try_for_each(|v| number(&format!("passes[{k}].place"), *v, -1e6, 1e6))?;
        }
        Ok(())
    }

    fn works(&self) -> Result<(), ApiError> {
        let p = &self.pace;
        let all = [
            ("arrive", p.arrive),
            ("induction", p.induction),
            ("check", p.check),
            ("set_up", p.set_up),
            ("target_up", p.target_up),
            ("target_down", p.target_down),
            ("re_tie", p.re_tie),
            ("swap", p.swap),
            ("card", p.card),
            ("pack", p.pack),
        ];
        all.iter().try_for_each(|(n, v)| number(&format!("pace.{n}"), *v, 0.0, 4.0 * 3600.0))?;
        let m = &self.machines;
        number("machines.tie", m.tie, 0.0, 3600.0)?;
        number("machines.travel", m.travel, 0.0, DAY)?;
        number("machines.copy", m.copy, 1e3, 1e11)?;
        number("machines.office", m.office, 0.0, 3600.0)?;
        count("machines.lanes", m.lanes, 1, 64)?;
        m.device.map_or(Ok(()), |v| number("machines.device", v, 0.0, 36_000.0))?;
        m.trial.map_or(Ok(()), |v| number("machines.trial", v, 0.0, DAY))?;
        let a = &self.assumed;
        number("assumed.tie_by_hand", a.tie_by_hand, 0.0, 4.0 * 3600.0)?;
        number("assumed.taped", a.taped, 0.0, 3600.0)?;
        a.lengths.iter().try_for_each(|v| number("assumed.lengths", *v, 0.0, 100.0))?;
        number("assumed.mobile_pace", a.mobile_pace, 0.1, 5.0)?;
        number("assumed.mobile_office", a.mobile_office, 0.0, 100.0)?;
        number("photograph_bytes", self.photograph_bytes, 0.0, 1e11)?;
        for (n, v) in [("check_temperature", self.check_temperature), ("site_temperature", self.site_temperature)] {
            v.map_or(Ok(()), |v| number(n, v, -60.0, 80.0))?;
        }
        Ok(())
    }

    /// How long things take, as the core has it.
    pub fn pace(&self) -> Pace {
        let p = &self.pace;
        Pace {
            arrive: p.arrive,
            induction: p.induction,
            check: p.check,
            set_up: p.set_up,
            target_up: p.target_up,
            target_down: p.target_down,
            re_tie: p.re_tie,
            pack: p.pack,
        }
    }

    /// What scans are worked through on, as the core has it.
    pub fn machines(&self) -> Machines {
        let m = &self.machines;
        Machines {
            tie: m.tie / 1e6,
            travel: m.travel,
            copy: m.copy,
            office: m.office / 1e6,
            lanes: m.lanes,
            device: m.device.map(|d| d / 1e6),
            trial: m.trial,
        }
    }
}

fn name(field: &str, text: &str) -> Result<(), ApiError> {
    if text.trim().is_empty() || text.chars().count() > NAME {
        let says = format!("found {} characters, expected 1 to {NAME}", text.trim().chars().count());
        return Err(ApiError::field(field, says));
    }
    Ok(())
}

fn count(field: &str, found: usize, least: usize, most: usize) -> Result<(), ApiError> {
    if (least..=most).contains(&found) {
        return Ok(());
    }
    Err(ApiError::field(field, format!("found {found}, expected {least} to {most}")))
}

fn number(field: &str, found: f64, least: f64, most: f64) -> Result<(), ApiError> {
    if (least..=most).contains(&found) {
        return Ok(());
    }
    Err(ApiError::field(field, format!("found {found}, expected {least} to {most}")))
}

/// A stretch of a day.
fn span(field: &str, from: f64, to: f64) -> Result<(), ApiError> {
    if (0.0..=DAY).contains(&from) && (0.0..=DAY).contains(&to) && from < to {
        return Ok(());
    }
    Err(ApiError::field(field, format!("found {from} to {to} s, expected times of one day, the earlier first")))
}
