//! What devices say and what is said to them.

use serde::{Deserialize, Serialize};
use utoipa::ToSchema;

/// What a device is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Kind {
    /// A scanner on a tripod.
    Scanner,
    /// A satellite receiver on a pole.
    Receiver,
    /// A robotic total station.
    TotalStation,
    /// A unit that scans while it is carried.
    Mobile,
}

/// What a device does, in a word.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Word {
    /// No power.
    Off,
    /// Starting, with its self-check.
    Starting,
    /// On, and drifting until it is warm.
    WarmingUp,
    /// It waits.
    Ready,
    /// It measures.
    Measuring,
    /// It hands over what it measured.
    Transferring,
    /// Something is wrong; the message says what.
    Fault,
}

/// A device as it is now. Readings that a device does not have are left out.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct DeviceState {
    /// Name in addresses.
    pub id: String,
    /// What it is.
    pub kind: Kind,
    /// Name for people.
    pub name: String,
    /// What it does.
    pub state: Word,
    /// The same in words, with what to do where something is wrong.
    pub says: String,
    /// Simulated seconds since the site was opened.
    pub time: f64,
    /// Counts the changes of this device.
    pub sequence: u64,
    /// It is a stand-in.
    pub simulated: bool,
    /// Share of what it does that is done.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub progress: Option<f64>,
    /// Seconds until it is warm.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub warm_in: Option<f64>,
    /// Tilt of the standing axis, radians.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tilt: Option<f64>,
    /// Temperature inside, °C.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub temperature: Option<f64>,
    /// Charge of each battery, 0 to 1.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub batteries: Vec<f64>,
    /// Room on the card, bytes.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub storage_free: Option<f64>,
    /// Strength of the radio, 0 to 1.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub radio: Option<f64>,
    /// It knows where it stands beside its last station; lost with the power.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub tracked: Option<bool>,
    /// Scans taken since the site was opened.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub scans: Option<u32>,
    /// Satellites seen.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub satellites: Option<u32>,
    /// Ambiguities are solved.
    #[serde(skip_serializing_if = "Option::is_none")]
    pub fixed: Option<bool>,
    /// Epochs of the occupation that goes on or went on last: time (s), E, N, H, σ of each (m), fixed (1) or not (0).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub epochs: Vec<[f64; 8]>,
    /// What a total station read since it was set up.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub shots: Vec<Shot>,
    /// Where a mobile unit was, in the frame in which it began: time (s), x, y, z (m).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub path: Vec<[f64; 4]>,
    /// What it or a scanner shows while it works: a few of the points, x, y, z (m).
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub preview: Vec<[f64; 3]>,
}

/// What a total station read to a point, or the window that it scanned there.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Shot {
    /// Counts the shots of a set-up.
    pub number: u32,
    /// Name that was sent along.
    pub name: String,
    /// Height of the reflector, metres; 0 without one.
    pub height: f64,
    /// On the horizontal circle, clockwise, radians.
    pub direction: f64,
    /// From the zenith, radians.
    pub zenith: f64,
    /// Slope distance, metres.
    pub distance: f64,
    /// Share of the light that came back.
    pub reflectivity: f64,
    /// A window: direction, zenith, distance and reflectivity of each of its points.
    #[serde(default, skip_serializing_if = "Vec::is_empty")]
    pub window: Vec<[f64; 4]>,
}

impl DeviceState {
    /// The same without what it measured, which may be long.
    pub(crate) fn without_measurements(&self) -> Self {
        Self {
            epochs: Vec::new(),
            shots: Vec::new(),
            path: Vec::new(),
            preview: Vec::new(),
            says: self.says.clone(),
            id: self.id.clone(),
            name: self.name.clone(),
            batteries: self.batteries.clone(),
            ..*self
        }
    }

    pub(crate) fn new(id: &str, kind: Kind, name: &str) -> Self {
        Self {
            id: id.into(),
            kind,
            name: name.into(),
            state: Word::Off,
            says: "off".into(),
            time: 0.0,
            sequence: 0,
            simulated: true,
            progress: None,
            warm_in: None,
            tilt: None,
            temperature: None,
            batteries: Vec::new(),
            storage_free: None,
            radio: None,
            tracked: None,
            scans: None,
            satellites: None,
            fixed: None,
            epochs: Vec::new(),
            shots: Vec::new(),
            path: Vec::new(),
            preview: Vec::new(),
        }
    }
}

/// What can go wrong by plan or by hand.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
#[serde(rename_all = "snake_case")]
pub enum Fault {
    /// The power goes.
    Power,
    /// Somebody kicks the tripod.
    Tilt,
    /// The card is full.
    Storage,
    /// The receiver solves wrongly, and says that it is fixed.
    WrongFix,
    /// A mobile unit loses its way: it says so, and its path goes on wrongly until it is back where it knew.
    Tracking,
}

/// What is said to a device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
#[serde(tag = "do", rename_all = "snake_case")]
pub enum Command {
    /// Switch on.
    PowerOn,
    /// Switch off.
    PowerOff,
    /// Level the tripod.
    Level,
    /// Scan for so many seconds, which takes so many bytes.
    Scan {
        /// Seconds.
        seconds: f64,
        /// Bytes.
        bytes: f64,
    },
    /// Stop what goes on.
    Stop,
    /// Change a battery while the other carries on.
    SwapBattery {
        /// Which, from 0.
        slot: usize,
    },
    /// The operator walks away so far, metres.
    Walk {
        /// Distance from the device.
        metres: f64,
    },
    /// Occupy a mark for so many seconds.
    Occupy {
        /// Seconds.
        seconds: f64,
        /// E, N, H of the mark, metres: where the stand-in is put. A real receiver ignores it.
        at: [f64; 3],
        /// Height of the antenna, metres.
        pole: f64,
    },
    /// Put a total station up: it begins to count its shots anew.
    SetUp {
        /// E, N, H of its axis, metres: where the stand-in is put. A real one ignores it.
        at: [f64; 3],
    },
    /// Aim at a point and read it.
    Sight {
        /// Name of the point.
        name: String,
        /// E, N, H of the point, metres: where the stand-in finds it.
        to: [f64; 3],
        /// Height of the reflector over it, metres; 0 without one.
        height: f64,
    },
    /// Scan a small window by grid, without a reflector.
    Window {
        /// Name of the point.
        name: String,
        /// E, N, H of its middle, metres.
        to: [f64; 3],
        /// Half its width and height, metres.
        half: f64,
        /// Between points, metres.
        spacing: f64,
    },
    /// Begin a walk.
    Begin {
        /// Where the operator goes, metres: where the stand-in is carried. A real unit ignores it.
        #[serde(default)]
        way: Vec<[f64; 3]>,
    },
    /// Something goes wrong (stand-ins only).
    Fault {
        /// What.
        what: Fault,
    },
}

/// A change of a device.
#[derive(Clone, Debug, PartialEq, Serialize, Deserialize, ToSchema)]
pub struct Event {
    /// Counts the events of a site without a gap.
    pub number: u64,
    /// The device as it was then.
    pub device: DeviceState,
}

/// Why a command was not followed; nothing was changed.
#[derive(Clone, Debug, PartialEq, Eq, Serialize, Deserialize, ToSchema)]
pub struct Refused {
    /// What was found and what is expected.
    pub error: String,
}

impl std::fmt::Display for Refused {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(&self.error)
    }
}

impl std::error::Error for Refused {}
