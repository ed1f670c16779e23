//! What is noted in the field.
#![allow(missing_docs)] // fields carry the names of the job

use super::{
    ByHandDto, CameraCheckDto, CheckPolicyDto, ErrorFoundDto, InstrumentCheckDto, LengthDto, SetUpDto, SetUpFoundDto,
    ShotsDto, SightDto,
};
use crate::ApiError;
use chrono::{DateTime, Utc};
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::field::{Epoch, Tape, upright};
use vistazo_core::geometry::Vec3;

/// What an entry says.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(tag = "kind", content = "data", rename_all = "snake_case")]
pub enum FactDto {
    /// A station was taken.
    Visit(VisitDto),
    /// An item of a checklist was looked at.
    Tick(TickDto),
    /// Something seen on site.
    Note(NoteDto),
    /// A receiver stood on a mark.
    Occupied(OccupationDto),
    /// The instrument was checked.
    Instrument(InstrumentCheckDto),
    /// The instrument lost its power, and what it had tracked of its position.
    PowerLost(PowerLostDto),
    /// A total station was set up and read points.
    Shots(ShotsDto),
    /// A length was picked in a cloud.
    Measured(LengthDto),
    /// How a camera sits on the instrument was checked.
    Camera(CameraCheckDto),
    /// When the instrument is to be checked.
    Policy(CheckPolicyDto),
    /// What people who work by hand would need.
    ByHand(ByHandDto),
}

/// How a height of an instrument was measured.
#[derive(Clone, Copy, Debug, Default, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TapeDto {
    /// What the tape showed, metres.
    pub read: f64,
    /// Along a slope to a rim of the instrument.
    #[serde(default)]
    pub slope: bool,
    /// From the plumb line to that rim, metres.
    #[serde(default)]
    pub radius: f64,
    /// From the rim up to the axis, metres.
    #[serde(default)]
    pub below: f64,
}

impl TapeDto {
    /// The height over the mark along the plumb line, metres.
    pub(crate) fn upright(&self) -> Option<f64> {
        let how = if self.slope { Tape::Slope { radius: self.radius, below: self.below } } else { Tape::Vertical };
        upright(self.read, how)
    }
}

/// How a target was found.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum TargetState {
    Stands,
    Moved,
    Knocked,
    Missing,
}

/// A target as it was found at a station.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TargetFoundDto {
    pub name: String,
    pub state: TargetState,
}

/// How the instrument was set for a scan.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct ScanSettingsDto {
    /// Angle between points, radians; none for that of the plan.
    pub step: Option<f64>,
    /// Measurements averaged for each point; none for that of the plan.
    pub repeats: Option<u32>,
    pub photographs: bool,
    /// Photographs at several exposures.
    pub exposures: bool,
    /// A second pass against what moves.
    pub against_moving: bool,
}

/// A station that was taken.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct VisitDto {
    pub station: Uuid,
    pub started: Option<DateTime<Utc>>,
    pub ended: Option<DateTime<Utc>>,
    /// Height of the instrument over the mark or the ground.
    pub height: Option<TapeDto>,
    /// Name of the occupied point; empty for none.
    pub mark: String,
    pub sights: Vec<SightDto>,
    pub targets: Vec<TargetFoundDto>,
    pub settings: ScanSettingsDto,
    /// Where the operator stood while it scanned.
    pub operator_at: String,
    /// Who and what was in view and moved.
    pub in_view: String,
    pub note: String,
}

/// An item of a checklist.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct TickDto {
    pub item: String,
    pub done: bool,
    #[serde(default)]
    pub note: String,
}

/// Something seen on site.
#[derive(Clone, Debug, Default, Serialize, Deserialize, ToSchema)]
#[serde(default, deny_unknown_fields)]
pub struct NoteDto {
    /// The note that this is, or a version of.
    pub note: Uuid,
    pub text: String,
    /// It can hurt somebody: shown first.
    pub hazard: bool,
    /// Where on the plan, metres.
    pub place: Option<[f64; 2]>,
    pub station: Option<Uuid>,
    /// Photographs, voices, papers.
    pub files: Vec<Uuid>,
    /// A point of a scan that it is about.
    pub pin: Option<PinDto>,
    /// It goes into the report.
    pub in_report: bool,
}

/// A point of a scan, in the frame of its scanner, metres: it goes where the scan goes.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PinDto {
    pub scan: Uuid,
    pub at: [f64; 3],
}

/// The instrument lost its power.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct PowerLostDto {
    pub id: Uuid,
    /// The station taken last before it; none when it was the first.
    pub after: Option<Uuid>,
    #[serde(default)]
    pub note: String,
}

/// A receiver on a mark.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OccupationDto {
    pub id: Uuid,
    /// The control point.
    pub mark: String,
    /// Height of the antenna over it, metres.
    pub pole: f64,
    pub epochs: Vec<EpochDto>,
}

/// A position of a receiver, grid, metres.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct EpochDto {
    /// Seconds from the beginning.
    pub time: f64,
    /// E, N, H of the antenna.
    pub position: [f64; 3],
    /// Standard deviations that the receiver states.
    pub sigma: [f64; 3],
    pub fixed: bool,
}

impl From<&EpochDto> for Epoch {
    fn from(e: &EpochDto) -> Self {
        Self { time: e.time, position: Vec3::from(e.position), sigma: Vec3::from(e.sigma), fixed: e.fixed }
    }
}

fn expect(good: bool, field: &str, what: impl Into<String>) -> Result<(), ApiError> {
    if good { Ok(()) } else { Err(ApiError::field(field, what)) }
}

impl FactDto {
    /// What the entry is about: entries about the same can follow one another.
    pub(crate) fn subject(&self) -> String {
        match self {
            Self::Visit(v) => format!("station {}", v.station),
            Self::Tick(t) => format!("check {}", t.item),
            Self::Note(n) => format!("note {}", n.note),
            Self::Occupied(o) => format!("mark {}", o.id),
            Self::Instrument(c) => format!("instrument {}", c.id),
            Self::PowerLost(p) => format!("power {}", p.id),
            Self::Shots(s) => format!("shots {}", s.id),
            Self::Measured(m) => format!("length {}", m.id),
            Self::Camera(c) => format!("camera {}", c.id),
            Self::Policy(p) => format!("policy {}", p.instrument.trim().to_lowercase()),
            Self::ByHand(_) => "by hand".to_owned(),
        }
    }

    /// Checks every field.
    ///
    /// # Errors
    /// The first that cannot be, with what was found and what is expected.
    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        match self {
            Self::Visit(v) => v.validate(),
            Self::Tick(t) => expect(!t.item.trim().is_empty(), "item", "expected the name of an item"),
            Self::Note(n) => {
                expect(!n.text.trim().is_empty() || !n.files.is_empty(), "text", "expected some text, or a file")?;
                let near = |p: [f64; 2]| p.iter().all(|v| v.is_finite() && v.abs() < 1e6);
                expect(n.place.is_none_or(near), "place", "expected plan coordinates within 1000 km")?;
                let reached = |p: PinDto| p.at.iter().all(|v| v.is_finite() && v.abs() < 1e5);
                expect(n.pin.is_none_or(reached), "pin", "expected a point within 100 km of the scanner")
            }
            Self::Occupied(o) => o.validate(),
            Self::Instrument(c) => c.validate(),
            Self::PowerLost(_) => Ok(()),
            Self::Shots(s) => s.validate(),
            Self::Measured(m) => m.validate(),
            Self::Camera(c) => c.validate(),
            Self::Policy(p) => p.validate(),
            Self::ByHand(b) => b.validate(),
        }
    }
}

impl VisitDto {
    fn validate(&self) -> Result<(), ApiError> {
        if let Some(h) = &self.height {
            let rim = [h.radius, h.below].iter().all(|v| (0.0..=1.0).contains(v));
            expect(rim, "height", "expected a rim within 1 m of the axis")?;
            let found = h.upright().filter(|u| (0.0..=20.0).contains(u));
            let said = format!("found {} m on the tape, expected what gives a height of 0 to 20 m", h.read);
            expect(found.is_some(), "height", said)?;
        }
        if let (Some(from), Some(to)) = (self.started, self.ended) {
            expect(from <= to, "ended", format!("found {to}, expected a time after {from}"))?;
        }
        if let Some(step) = self.settings.step {
            expect((1e-5..=0.1).contains(&step), "settings.step", format!("found {step}, expected 0.01 to 100 mrad"))?;
        }
        let repeats = self.settings.repeats.unwrap_or(1);
        expect((1..=64).contains(&repeats), "settings.repeats", format!("found {repeats}, expected 1 to 64"))?;
        SetUpDto { mark: self.mark.clone(), height: 0.0, sights: self.sights.clone() }.validate()
    }

    /// As the log of a scan has it; `None` where no point is occupied, or nobody measured how high above it: a height that
    /// was forgotten is none, and no observation.
    pub(crate) fn set_up(&self) -> Option<SetUpDto> {
        let height = self.height?.upright()?;
        let mark = self.mark.trim();
        (!mark.is_empty()).then(|| SetUpDto { mark: mark.to_owned(), height, sights: self.sights.clone() })
    }
}

/// Epochs of one occupation, at most: three hours of seconds.
const MOST_EPOCHS: usize = 10_800;

impl OccupationDto {
    fn validate(&self) -> Result<(), ApiError> {
        expect(!self.mark.trim().is_empty(), "mark", "expected the name of a control point")?;
        expect((0.0..=20.0).contains(&self.pole), "pole", format!("found {} m, expected 0 to 20 m", self.pole))?;
        let n = self.epochs.len();
        expect(n <= MOST_EPOCHS, "epochs", format!("found {n}, expected at most {MOST_EPOCHS}"))?;
        let sound = |e: &EpochDto| {
            e.time.is_finite()
                && e.position.iter().all(|v| v.is_finite() && v.abs() < 1e8)
                && e.sigma.iter().all(|s| (1e-5..=100.0).contains(s))
        };
        match self.epochs.iter().position(|e| !sound(e)) {
            Some(k) => expect(false, &format!("epochs.{k}"), "expected finite coordinates, and σ of 0.01 mm to 100 m"),
            None => Ok(()),
        }
    }
}

/// Entries of a device, in the order in which they were made.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct JournalSent {
    /// What its owner calls the device.
    pub device: String,
    /// By the clock of the device, when it sends.
    pub sent_at: DateTime<Utc>,
    pub entries: Vec<NewEntryDto>,
}

/// An entry to be kept. Its identifier is made by the device: sent twice, it is there once.
#[derive(Clone, Debug, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct NewEntryDto {
    pub id: Uuid,
    pub fact: FactDto,
    /// Entries about the same that its author saw and puts this one in the place of.
    #[serde(default)]
    pub follows: Vec<Uuid>,
    /// By the clock of the device.
    pub taken_at: DateTime<Utc>,
}

/// What became of an entry that was sent.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct EntryReply {
    pub id: Uuid,
    pub kept: bool,
    /// Why it was not kept; it stays on the device.
    pub why: Option<String>,
}

/// An entry of the journal.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct EntryDto {
    pub id: Uuid,
    pub subject: String,
    pub fact: FactDto,
    pub follows: Vec<Uuid>,
    /// Who wrote it.
    pub by: String,
    pub device: String,
    /// When, by the clock of the server: that of the device less what it was ahead.
    pub at: DateTime<Utc>,
    /// Seconds by which the clock of the device was ahead.
    pub ahead: f64,
    /// No other entry follows it.
    pub stands: bool,
    /// What its height draws attention to.
    pub remarks: Vec<String>,
    /// What an occupation came out at.
    pub occupied: Option<OccupiedDto>,
    /// What a check of the instrument found.
    pub errors: Vec<ErrorFoundDto>,
    /// What a set-up of a total station came out at.
    pub set_up: Option<SetUpFoundDto>,
    /// What keeps a check of a camera from being valid; none of another kind of entry.
    pub camera: Option<Vec<String>>,
}

/// A mark from one occupation or more, grid, metres.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct OccupiedDto {
    /// None when the epochs give no point.
    pub position: Option<[f64; 3]>,
    pub sigma: Option<[f64; 3]>,
    pub said: String,
}

/// A file that entries speak of.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct JournalFileDto {
    pub id: Uuid,
    pub name: String,
    pub media: String,
    pub bytes: i64,
}

/// The journal of a job.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct JournalDto {
    pub entries: Vec<EntryDto>,
    pub files: Vec<JournalFileDto>,
}
