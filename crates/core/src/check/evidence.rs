use crate::adjust::Group;
use crate::deliver::Deliverable;
use crate::geometry::{Error95, Vec3};

/// What the client asked for. Lengths in metres; `None` where nothing was asked.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Requirement {
    /// Limit of the 95 % horizontal error.
    pub horizontal95: Option<f64>,
    /// Limit of the 95 % vertical error.
    pub vertical95: Option<f64>,
    /// Limit of the 95 % error in space.
    pub spatial95: Option<f64>,
    /// Limit of the root mean square distance at check points.
    pub check_rmse: Option<f64>,
    /// Point spacing on required surfaces.
    pub spacing: Option<f64>,
    /// Parts of the site with limits of their own.
    pub areas: Vec<AreaLimits>,
    /// What is to be handed over.
    pub deliverables: Vec<Deliverable>,
}

/// Limits that hold in a part of the site; those not given there are those of the whole. Metres.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct AreaLimits {
    /// Its name.
    pub name: String,
    /// Limit of the 95 % horizontal error.
    pub horizontal95: Option<f64>,
    /// Limit of the 95 % vertical error.
    pub vertical95: Option<f64>,
    /// Limit of the 95 % error in space.
    pub spatial95: Option<f64>,
}

/// The answer to one requirement.
#[derive(Clone, Copy, Debug, PartialEq, Eq, PartialOrd, Ord)]
pub enum Verdict {
    /// Shown to be within the limit, by evidence that took no part in the result.
    Met,
    /// The evidence does not decide.
    NotDemonstrated,
    /// Shown to be beyond the limit.
    NotMet,
}

/// Which requirement a row answers.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash)]
pub enum Asked {
    /// 95 % horizontally.
    Horizontal,
    /// 95 % vertically.
    Vertical,
    /// 95 % in space.
    Spatial,
    /// Root mean square at check points.
    Checks,
    /// Point spacing on required surfaces.
    Spacing,
    /// Scans against one another: what both show lies in one place.
    Agreement,
    /// The clouds against points that were measured by other means.
    Survey,
    /// What is built against what was to be built.
    Design,
    /// What is to be handed over is there.
    Deliverables,
}

/// What a judged place is.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum PlaceKind {
    /// A target.
    Target,
    /// A station.
    Station,
    /// A required surface.
    Surface,
    /// The worst point of a pass.
    Pass,
}

/// A place whose error counts.
#[derive(Clone, Debug, PartialEq)]
pub struct Judged {
    /// What it is.
    pub kind: PlaceKind,
    /// Its name.
    pub name: String,
    /// Its 95 % regions on the grid.
    pub error: Error95,
    /// The area with limits of its own that it lies in.
    pub area: Option<usize>,
}

/// What speaks for or against a *met*.
#[derive(Clone, Debug, PartialEq)]
pub enum Ground {
    /// Asked for, and nobody drew it.
    NotDrawn(Vec<Deliverable>),
    /// Asked for, and drawn from clouds that changed since.
    DrawnBefore(Vec<Deliverable>),
    /// Asked for and there, or written when the package is made.
    Ready(Vec<Deliverable>),
    /// The block is not on the grid, or out of date.
    NotOnGrid,
    /// So many of so many places are within the limit; the worst of them.
    Within {
        /// Within.
        within: usize,
        /// Of all.
        of: usize,
        /// What the worst is.
        kind: PlaceKind,
        /// Its name.
        worst: String,
    },
    /// Findings of the registration that are not settled.
    Unsettled(usize),
    /// Scans that have no place: nothing is known about what they show.
    Unplaced(usize),
    /// Control that does not fit, by name.
    ControlOff(Vec<String>),
    /// Control and block do not pass the test of one another.
    TestFailed,
    /// Check points that are farther off than what is stated explains, by name.
    ChecksOff(Vec<String>),
    /// No single check point, but all together, are farther off than is stated: the chance of it.
    ChecksTogether(f64),
    /// Check points that fit no target, by name.
    ChecksMissing(Vec<String>),
    /// No check points: nothing independent shows the accuracy.
    NoChecks,
    /// Check points found, of the number an accuracy is usually stated from; quadrants they are in.
    Checks {
        /// Found.
        count: usize,
        /// Usual.
        usual: usize,
        /// Quadrants of the site that hold one.
        quadrants: usize,
    },
    /// More check points would decide.
    MoreChecks,
    /// Required surfaces that no placed scan shows, by name.
    SurfacesMissing(Vec<String>),
    /// The prediction counted observations that the adjustment does not have.
    NotMeasured(Vec<Group>),
    /// Area with the required spacing, of all that is asked for, m².
    SpacingShare(f64, f64),
    /// Share of the area that the plan said.
    SpacingPlanned(f64),
    /// The spacing was not measured.
    SpacingNotMeasured,
    /// Pairs of scans that were compared, and what could be told from noise in the half of them, metres.
    Compared {
        /// How many.
        pairs: usize,
        /// 95 %, metres.
        detectable: f64,
    },
    /// Pairs whose surfaces show twice, the worst first.
    ShowTwice(Vec<String>),
    /// Pairs that were not compared as things stand.
    NotCompared(usize),
    /// Points of an independent survey that lie on a surface, of so many.
    Surveyed(usize, usize),
    /// Points of it that are farther off than what is stated explains, by name.
    SurveyOff(Vec<String>),
    /// The clouds were not set against it as things stand.
    SurveyNotCompared,
    /// Elements of a design: there, elsewhere, in part, not yet, not seen.
    Built([usize; 5]),
    /// Elements that stand elsewhere, the farthest first.
    BuiltElsewhere(Vec<String>),
    /// Elements still to come where something else stands.
    InTheWay(Vec<String>),
    /// The design was not looked for as things stand.
    DesignNotLookedFor,
}

/// One row of the verdict.
#[derive(Clone, Debug, PartialEq)]
pub struct VerdictRow {
    /// What was asked.
    pub asked: Asked,
    /// Of what part: an area with limits of its own, a design; none for the whole.
    pub of: Option<String>,
    /// The limit, metres; none where no length is asked for.
    pub required: Option<f64>,
    /// What the plan predicted, metres.
    pub predicted: Option<f64>,
    /// What was achieved, metres.
    pub achieved: Option<f64>,
    /// Upper end of a 95 % statement about the achieved figure, metres, where there is one.
    pub bound: Option<f64>,
    /// What it rests on, the deciding ground first.
    pub grounds: Vec<Ground>,
    /// Answer.
    pub verdict: Verdict,
}

/// A check point that was compared with a target.
#[derive(Clone, Debug, PartialEq)]
pub struct Check {
    /// Its name.
    pub name: String,
    /// Block minus check point (E, N, H), metres.
    pub residual: Vec3,
    /// Chance of that when everything stated is true, over all check points.
    pub p_family: f64,
    /// The area with limits of its own that it lies in.
    pub area: Option<usize>,
}

/// What the check points show.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Checks {
    /// Those that were compared.
    pub compared: Vec<Check>,
    /// Names of those that fit no target.
    pub missing: Vec<String>,
    /// Root mean square in space, metres.
    pub spatial: f64,
    /// Its 95 % upper bound, metres.
    pub bound: f64,
    /// Quadrants of the site that hold one.
    pub quadrants: usize,
    /// Chance of residuals as large as these, all together, when everything stated is true; 1 without any.
    pub p_value: f64,
}

/// What scans say of one another where they were compared.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Agreement {
    /// Pairs that were compared and share enough.
    pub pairs: usize,
    /// Pairs that were not compared as things stand.
    pub missing: usize,
    /// Median distance of each pair, metres.
    pub typical: Vec<f64>,
    /// Median level of detection of each pair, 95 %, metres.
    pub detectable: Vec<f64>,
    /// Pairs whose surfaces show twice.
    pub misfits: Vec<Misfit>,
}

/// Two scans whose surfaces show twice.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Misfit {
    /// Their names.
    pub pair: String,
    /// How far apart, metres.
    pub apart: f64,
    /// 95 % of that, metres.
    pub apart95: f64,
    /// The area with limits of its own that both were taken in.
    pub area: Option<usize>,
}

/// What an independent survey says of the clouds.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Surveyed {
    /// Points that lie on a surface.
    pub count: usize,
    /// Of all.
    pub of: usize,
    /// 95 % of their distances are within this, metres.
    pub error95: f64,
    /// Upper end of a 95 % statement on that, metres.
    pub bound: f64,
    /// Points that are farther off than what is stated explains, by name.
    pub off: Vec<String>,
    /// The clouds were not set against it as things stand.
    pub stale: bool,
}

/// What there is of a design.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Designed {
    /// Its name.
    pub name: String,
    /// How far beside its place something may be, metres.
    pub tolerance: f64,
    /// Elements: there, elsewhere, in part, not yet, not seen.
    pub counts: [usize; 5],
    /// Of what stands farthest beside its place beyond noise: how far, and what is told from noise there, 95 %, metres.
    pub worst: Option<(f64, f64)>,
    /// Elements that stand elsewhere, the farthest first.
    pub elsewhere: Vec<String>,
    /// Elements still to come where something else stands.
    pub in_the_way: Vec<String>,
    /// It was not looked for as things stand.
    pub stale: bool,
}

/// What the evidence of a job is.
#[derive(Clone, Debug, Default)]
pub struct Evidence {
    /// Places on the grid, when the block is there and not out of date. Only targets that are used: seen
    /// twice, or known to the plan or to control.
    pub places: Option<Vec<Judged>>,
    /// Check points.
    pub checks: Checks,
    /// Findings of the registration that are not settled.
    pub unsettled: usize,
    /// Scans without a place.
    pub unplaced: usize,
    /// Control points that do not fit, by name.
    pub control_off: Vec<String>,
    /// Control and block passed the test of one another.
    pub test_passed: bool,
    /// Required surfaces that no placed scan shows, by name.
    pub surfaces_missing: Vec<String>,
    /// Groups that the prediction counted and the adjustment does not have.
    pub not_measured: Vec<Group>,
    /// Area at the required spacing, area asked for (m²), typical spacing (m).
    pub spacing: Option<(f64, f64, f64)>,
    /// Share of the required area that the plan covers at the spacing.
    pub planned_share: Option<f64>,
    /// Predicted worst error by requirement, metres: outside of all areas with limits of their own, then in each.
    pub predicted: Vec<[Option<f64>; 3]>,
    /// Scans against one another, where they were compared.
    pub agreement: Option<Agreement>,
    /// The clouds against an independent survey, where there is one.
    pub survey: Option<Surveyed>,
    /// The clouds against what is to be built.
    pub designs: Vec<Designed>,
    /// What was drawn; false where the clouds changed since.
    pub drawn: Vec<(Deliverable, bool)>,
}
