//! A registration as it is stored: the light part with every result, the long part only where it is
//! asked for.

pub(crate) use super::measured::Measured;
use super::{GradeWord, Rows9, Share, StoredPose, mirror};
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_core::adjust::{self, Network, Plumb};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::registration::TargetKindOf;
use vistazo_core::targets::TargetKind as Scanned;

/// Version that is written.
pub(crate) const VERSION: u32 = 2;

/// What a target is.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Serialize, Deserialize, utoipa::ToSchema)]
#[serde(rename_all = "snake_case")]
#[allow(missing_docs)] // said by their names
pub enum TargetKind {
    Sphere,
    Checker,
    Corner,
    Point,
    Mark,
}

impl From<TargetKindOf> for TargetKind {
    fn from(k: TargetKindOf) -> Self {
        match k {
            TargetKindOf::Scanned(k) => k.into(),
            TargetKindOf::Mark => Self::Mark,
        }
    }
}

impl From<Scanned> for TargetKind {
    fn from(k: Scanned) -> Self {
        match k {
            Scanned::Sphere => Self::Sphere,
            Scanned::Checker => Self::Checker,
            Scanned::Corner => Self::Corner,
            Scanned::Point => Self::Point,
        }
    }
}

impl TargetKind {
    /// What of it a scan sees; marks on the ground are occupied, not seen.
    pub(crate) fn scanned(self) -> Option<Scanned> {
        match self {
            Self::Sphere => Some(Scanned::Sphere),
            Self::Checker => Some(Scanned::Checker),
            Self::Corner => Some(Scanned::Corner),
            Self::Point => Some(Scanned::Point),
            Self::Mark => None,
        }
    }

    /// The word it is kept and sent by.
    pub(crate) fn word(self) -> &'static str {
        match self {
            Self::Sphere => "sphere",
            Self::Checker => "checker",
            Self::Corner => "corner",
            Self::Point => "point",
            Self::Mark => "mark",
        }
    }
}

/// What a person or a page needs at every turn.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Registration {
    pub version: u32,
    pub refused: Option<Refusal>,
    pub scans: Vec<Scan>,
    pub targets: Vec<Target>,
    pub findings: Vec<Finding>,
    pub statistics: Statistics,
    /// Kinds of observations that took part, by group.
    pub groups: Vec<super::Group>,
    /// Names of scans without a place.
    pub unplaced: Vec<String>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Scan {
    pub id: Uuid,
    pub name: String,
    pub pose: StoredPose,
    /// Of the pose by left increments, row by row, m² and rad².
    pub covariance: Vec<f64>,
    pub targets: usize,
    pub grade: GradeWord,
    pub residual: Option<f64>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Target {
    pub name: String,
    pub kind: TargetKind,
    /// The name is of the plan or of control.
    pub named: bool,
    pub position: [f64; 3],
    pub covariance: Rows9,
    /// Scans that see it.
    pub scans: usize,
    pub budget: Vec<Share>,
}

#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Statistics {
    pub sum: f64,
    pub dof: usize,
    pub global_p: f64,
    /// Estimate, 95 % interval, and what was applied.
    pub variance: [f64; 4],
    pub iterations: usize,
    pub components: Vec<(super::Group, f64, f64)>,
    /// Errors that many sightings share.
    #[serde(default)]
    pub systematic: Vec<Systematic>,
}

/// Errors of the instrument, or of the set-up of a scan (index).
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Systematic {
    pub scan: Option<usize>,
    pub parameters: Vec<Estimate>,
}

/// How one came out, in the unit of the parameter: metres, radians, or metres per metre.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Estimate {
    pub parameter: super::Parameter,
    pub value: f64,
    pub sigma: f64,
    /// σ that the profile gave it.
    pub stated: f64,
}

/// The long part: what was measured, and what the adjustment says of each.
#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct Detail {
    pub version: u32,
    pub plumb: [f64; 4],
    pub observations: Vec<Observation>,
    pub ties: Vec<Tie>,
    pub loops: Vec<Loop>,
    pub joins: Vec<Join>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Observation {
    /// The row it came from, for those that have one.
    pub id: Option<Uuid>,
    pub active: bool,
    pub measured: Measured,
    pub residual: Residual,
    pub suspect: bool,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Residual {
    pub rows: Vec<f64>,
    pub vector: [f64; 3],
    pub expected: f64,
    pub statistic: f64,
    pub dof: usize,
    pub p_value: f64,
    pub redundancy: f64,
    /// None when a direction is not checked.
    pub detectable: Option<f64>,
    /// What that would do to the station it harms most, metres.
    pub reliability: Option<f64>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Tie {
    pub scans: (usize, usize),
    pub shared: Vec<usize>,
    pub rms: f64,
    pub worst: f64,
    pub spread: f64,
    pub breadth: f64,
    pub grade: GradeWord,
    pub reasons: Vec<Reason>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "why", rename_all = "snake_case")]
pub(crate) enum Reason {
    TooFew { count: usize },
    Apart { gap: f64 },
    Suspect { targets: Vec<usize> },
    InLine { count: usize, breadth: f64 },
    OnlyThree,
    AmbiguousAlone,
    WellSpread { count: usize, spread: f64, gap: f64 },
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Loop {
    pub scans: Vec<usize>,
    pub shift: f64,
    pub shift95: f64,
    pub turn: f64,
    pub turn95: f64,
    pub p_value: f64,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Join {
    pub target: usize,
    pub gap: [f64; 3],
    pub covariance: Rows9,
    pub p_value: f64,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "why", rename_all = "snake_case")]
pub(crate) enum Refusal {
    TooFewScans {
        found: usize,
    },
    NoTargets {
        other_size: usize,
        #[serde(default)]
        waiting: usize,
    },
    NothingTied {
        #[serde(default)]
        waiting: usize,
    },
    /// Scan, and the targets by which it hangs.
    Loose {
        scans: Vec<(String, Vec<String>, bool)>,
    },
    Diverged {
        iterations: usize,
    },
    /// Anything else, in the program's own words.
    Other {
        reason: String,
    },
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct Finding {
    /// Stays the same while the finding is about the same thing: what a decision to keep it refers to.
    pub key: String,
    pub what: What,
}

mirror!(
    /// What is wrong with the sizes of spheres.
    SizeFault = vistazo_core::registration::SizeFault { MixUp, Other }
);

#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "snake_case")]
pub(crate) enum What {
    Moved {
        target: String,
        before_scan: String,
        after_scan: String,
        shift: [f64; 3],
        /// 1σ along the shift, metres.
        sigma: f64,
        statistic: f64,
        dof: usize,
        p_family: f64,
        single_sided: bool,
        others: usize,
        #[serde(default)]
        rivals: Vec<Rival>,
        before: Vec<Uuid>,
        after: Vec<Uuid>,
    },
    Outlier {
        kind: String,
        target: Option<String>,
        scan: Option<String>,
        observation: Option<Uuid>,
        /// Metres, or radians when `angular`.
        residual: f64,
        angular: bool,
        statistic: f64,
        dof: usize,
        p_family: f64,
        detectable: Option<f64>,
        others: usize,
        #[serde(default)]
        rivals: Vec<Rival>,
        /// The block could not be adjusted with it.
        #[serde(default)]
        left_out: bool,
    },
    Instrument {
        scan: Option<String>,
        estimate: Estimate,
        p_family: f64,
        others: usize,
        #[serde(default)]
        rivals: Vec<Rival>,
    },
    /// A tripod knocked while its scan ran.
    Tripod {
        scan: String,
        /// Azimuths of the scanner frame between which it happened, radians.
        between: [f64; 2],
        shift: [f64; 3],
        /// 1σ along the shift, metres.
        sigma: f64,
        /// About the vertical axis, anticlockwise, radians, and its 1σ.
        turn: f64,
        turn_sigma: f64,
        statistic: f64,
        dof: usize,
        p_family: f64,
        others: usize,
        rivals: Vec<Rival>,
        before: Vec<Uuid>,
        after: Vec<Uuid>,
    },
    NotLevel {
        scan: String,
        tilt: f64,
        sigma: f64,
    },
    Unplaced {
        scan: String,
        why: Unplaced,
    },
    Size {
        fault: SizeFault,
        count: usize,
        agreeing: usize,
        typical: f64,
    },
}

/// Another explanation that the observations cannot tell from the one given.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "what", rename_all = "snake_case")]
pub(crate) enum Rival {
    Moved { target: String, before_scan: String, after_scan: String },
    Tripod { scan: String },
    Outlier { kind: String, target: Option<String>, scan: Option<String> },
    Instrument { scan: Option<String>, parameter: super::Parameter },
}

#[derive(Clone, Copy, Debug, Serialize, Deserialize)]
#[serde(tag = "why", content = "count", rename_all = "snake_case")]
pub(crate) enum Unplaced {
    NoTargets,
    Few(usize),
    Ambiguous(usize),
    NoLayout(usize),
    Apart,
}

/// The stored network at its solution, for what is built on it.
pub(crate) fn network(r: &Registration, d: &Detail) -> Network {
    let mut net = Network::default();
    for s in &r.scans {
        net.add_scan(&s.name, Pose::from(&s.pose));
    }
    for t in &r.targets {
        net.add_target(&t.name, Vec3::from(t.position));
    }
    for s in &r.statistics.systematic {
        let of = net.add_systematic(s.scan, s.parameters.iter().map(|p| p.parameter.into()).collect());
        for (k, p) in s.parameters.iter().enumerate() {
            net.systematic[of].values[k] = p.value;
        }
    }
    for o in &d.observations {
        net.observe(adjust::Observation { active: o.active, ..adjust::Observation::new(&o.measured) });
    }
    let [x, y, z, radius] = d.plumb;
    net.plumb = Plumb { origin: Vec3::new(x, y, z), radius };
    net
}
