//! What instruments other than the scanner say in the field, and what the job decides about them.
#![allow(missing_docs)] // fields carry the names of the job

use crate::ApiError;
use serde::{Deserialize, Serialize};
use utoipa::ToSchema;
use uuid::Uuid;
use vistazo_core::field::{Accuracy, ByHand, CameraDoubt, Reading, Room, camera_doubts};
use vistazo_core::instrument::CheckPolicy;

fn expect(good: bool, field: &str, what: impl Into<String>) -> Result<(), ApiError> {
    if good { Ok(()) } else { Err(ApiError::field(field, what)) }
}

/// A total station over a known point.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct OverDto {
    pub mark: String,
    /// Height of its axis over the point, metres.
    pub height: f64,
}

/// What a total station read to a point.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ShotDto {
    pub name: String,
    /// Height of the reflector over the point, metres; 0 without one.
    pub height: f64,
    /// On the circle, clockwise, radians.
    pub direction: f64,
    /// From the zenith, radians.
    pub zenith: f64,
    /// Slope distance, metres; none when only angles were read.
    pub distance: Option<f64>,
    /// A point that is to be found, not one that is known.
    #[serde(default)]
    pub new: bool,
    /// A small window scanned by grid about a bright disc: direction, zenith, distance and light of each point.
    #[serde(default)]
    pub window: Vec<[f64; 4]>,
}

impl ShotDto {
    pub(crate) fn reading(&self) -> Reading {
        Reading {
            direction: self.direction,
            zenith: self.zenith,
            distance: self.distance,
            height: self.height,
            sigma: None,
        }
    }
}

/// How well a total station reads, as its papers say: one σ.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ReadingAccuracyDto {
    /// Of a direction and of a zenith angle, radians.
    pub angle: f64,
    /// Of a distance, metres.
    pub distance: f64,
    /// And more for each metre of it.
    pub per_metre: f64,
}

/// A set-up of a total station, and what was read from it.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ShotsDto {
    pub id: Uuid,
    /// The point it stood over; none when it stood freely.
    pub over: Option<OverDto>,
    pub shots: Vec<ShotDto>,
    /// That of a common instrument without.
    #[serde(default)]
    pub accuracy: Option<ReadingAccuracyDto>,
}

/// Shots of one set-up, and points of one window, at most.
const MOST: [usize; 2] = [300, 40_401];

impl ShotsDto {
    /// As the core takes it: heights and centring by hand, readings as stated.
    pub(crate) fn accuracy(&self) -> Accuracy {
        let Some(a) = self.accuracy else { return Accuracy::USUAL };
        Accuracy { angle: a.angle, distance: a.distance, per_metre: a.per_metre, ..Accuracy::USUAL }
    }

    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        if let Some(o) = &self.over {
            expect(!o.mark.trim().is_empty(), "over.mark", "expected the name of the occupied point")?;
            expect(
                (0.0..=20.0).contains(&o.height),
                "over.height",
                format!("found {} m, expected 0 to 20 m", o.height),
            )?;
        }
        if let Some(a) = &self.accuracy {
            let within = |f: &str, v: f64, low: f64, high: f64| {
                expect(
                    (low..=high).contains(&v),
                    &format!("accuracy.{f}"),
                    format!("found {v}, expected {low} to {high}"),
                )
            };
            within("angle", a.angle, 1e-7, 1e-3)?;
            within("distance", a.distance, 1e-5, 0.1)?;
            within("per_metre", a.per_metre, 0.0, 1e-3)?;
        }
        let n = self.shots.len();
        expect((1..=MOST[0]).contains(&n), "shots", format!("found {n}, expected 1 to {}", MOST[0]))?;
        for (k, s) in self.shots.iter().enumerate() {
            let at = |f: &str| format!("shots.{k}.{f}");
            let within = |f: &str, v: f64, low: f64, high: f64| {
                expect((low..=high).contains(&v), &at(f), format!("found {v}, expected {low} to {high}"))
            };
            expect(!s.name.trim().is_empty(), &at("name"), "expected the name of a point")?;
            within("height", s.height, 0.0, 20.0)?;
            within("direction", s.direction, -7.0, 7.0)?;
            within("zenith", s.zenith, 0.02, 3.12)?;
            within("distance", s.distance.unwrap_or(1.0), 0.1, 3000.0)?;
            let points = s.window.len();
            expect(points <= MOST[1], &at("window"), format!("found {points} points, expected at most {}", MOST[1]))?;
            let sound = |w: &[f64; 4]| w.iter().all(|v| v.is_finite()) && (0.1..=3000.0).contains(&w[2]);
            expect(
                s.window.iter().all(sound),
                &at("window"),
                "expected finite readings, and distances of 0.1 to 3000 m",
            )?;
        }
        Ok(())
    }
}

/// A length that was picked in a cloud.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct LengthDto {
    pub id: Uuid,
    pub name: String,
    /// Value and 95 %, metres; 95 % is none where nothing tells it.
    pub slope: [Option<f64>; 2],
    pub horizontal: [Option<f64>; 2],
    pub vertical: [Option<f64>; 2],
    /// Scans that the two points are from.
    pub scans: [String; 2],
}

impl LengthDto {
    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        for (field, [v, e]) in [("slope", self.slope), ("horizontal", self.horizontal), ("vertical", self.vertical)] {
            let found = format!("found {v:?} ± {e:?}, expected a finite length and its 95 %");
            let good = v.is_some_and(|v| v.is_finite() && v.abs() < 1e6) && e.is_none_or(|e| (0.0..1e6).contains(&e));
            expect(good, field, found)?;
        }
        Ok(())
    }
}

/// What the room of a check was.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum RoomWord {
    /// Everything within reach.
    Closed,
    /// Its walls show texture.
    Textured,
    /// Nothing moved.
    Still,
    /// Nobody was in it.
    Empty,
}

/// A check of how a camera sits on the instrument.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CameraCheckDto {
    pub id: Uuid,
    /// Which camera, and how it is mounted: each mounting is checked anew.
    pub mounting: String,
    /// What the room was.
    pub room: Vec<RoomWord>,
    /// How far colours lie off edges in the first scan, pixels.
    pub off: Option<f64>,
}

impl CameraCheckDto {
    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        expect(!self.mounting.trim().is_empty(), "mounting", "expected the camera and how it is mounted")?;
        let off = self.off.unwrap_or(0.0);
        expect((0.0..=1000.0).contains(&off), "off", format!("found {off}, expected 0 to 1000 pixels"))
    }

    /// What keeps it from being valid.
    pub(crate) fn doubts(&self) -> Vec<CameraDoubt> {
        let room: Vec<Room> = self
            .room
            .iter()
            .map(|r| match r {
                RoomWord::Closed => Room::Closed,
                RoomWord::Textured => Room::Textured,
                RoomWord::Still => Room::Still,
                RoomWord::Empty => Room::Empty,
            })
            .collect();
        camera_doubts(&room, self.off)
    }
}

/// When an instrument is to be checked.
#[derive(Clone, Copy, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum PolicyWord {
    EachJob,
    Weeks,
    OnSuspicion,
}

/// A policy, for one instrument.
#[derive(Clone, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct CheckPolicyDto {
    pub instrument: String,
    pub when: PolicyWord,
    /// After how many.
    #[serde(default)]
    pub weeks: Option<f64>,
}

impl CheckPolicyDto {
    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        expect(!self.instrument.trim().is_empty(), "instrument", "expected the name of an instrument")?;
        let weeks = self.weeks.unwrap_or(if self.when == PolicyWord::Weeks { 0.0 } else { 1.0 });
        expect((1.0..=520.0).contains(&weeks), "weeks", format!("found {weeks}, expected 1 to 520 weeks"))
    }

    pub(crate) fn to_core(&self) -> CheckPolicy {
        match self.when {
            PolicyWord::EachJob => CheckPolicy::EachJob,
            PolicyWord::Weeks => CheckPolicy::Weeks(self.weeks.unwrap_or(1.0)),
            PolicyWord::OnSuspicion => CheckPolicy::OnSuspicion,
        }
    }
}

/// What the job's people need by hand, seconds.
#[derive(Clone, Copy, Debug, Serialize, Deserialize, ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ByHandDto {
    /// To measure one length by tape, and write it down.
    pub length: f64,
    /// To bring two scans together by hand.
    pub tie: f64,
}

impl ByHandDto {
    pub(crate) fn validate(&self) -> Result<(), ApiError> {
        for (field, v) in [("length", self.length), ("tie", self.tie)] {
            expect((0.0..=86_400.0).contains(&v), field, format!("found {v} s, expected 0 to a day"))?;
        }
        Ok(())
    }

    pub(crate) fn to_core(self) -> ByHand {
        ByHand { length: self.length, tie: self.tie }
    }
}

/// A set-up as it came out, grid, metres.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SetUpFoundDto {
    /// None when it is not determined.
    pub position: Option<[f64; 3]>,
    pub sigma: Option<[f64; 3]>,
    /// Nothing speaks against it.
    pub sound: bool,
    pub said: Vec<String>,
    pub residuals: Vec<SightLeftDto>,
    pub points: Vec<PolarPointDto>,
}

/// What is left of a sight, metres at the point.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct SightLeftDto {
    pub name: String,
    pub across: f64,
    pub along: Option<f64>,
    pub up: f64,
}

/// A new point, grid, metres.
#[derive(Clone, Debug, Serialize, ToSchema)]
pub struct PolarPointDto {
    pub name: String,
    pub position: [f64; 3],
    pub sigma: [f64; 3],
    pub said: String,
}
