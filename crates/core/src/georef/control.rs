use crate::adjust::kinds::KnownPoint;
use crate::geometry::{Mat3, Vec3};

/// A point with known coordinates.
#[derive(Clone, Debug)]
pub struct ControlPoint {
    /// Name.
    pub name: String,
    /// Easting, northing, height, metres; 0 where unknown.
    pub position: Vec3,
    /// Standard deviations of the three, metres. [`KnownPoint::FREE`] where a coordinate is not known.
    pub sigma: Vec3,
    /// Held back as a check: never used to fit.
    pub check: bool,
    /// The target of the block that it is, when matched.
    pub target: Option<usize>,
}

impl ControlPoint {
    /// Easting and northing are known.
    pub fn has_plan(&self) -> bool {
        self.sigma.x < KnownPoint::FREE && self.sigma.y < KnownPoint::FREE
    }

    /// The height is known.
    pub fn has_height(&self) -> bool {
        self.sigma.z < KnownPoint::FREE
    }

    /// Covariance, m².
    pub fn covariance(&self) -> Mat3 {
        Mat3::from_diagonal(&self.sigma.map(|s| s.max(1e-5).powi(2)))
    }
}

/// Why a block cannot be put on the grid.
#[derive(Clone, Debug, thiserror::Error, PartialEq)]
pub enum GeorefError {
    /// Too few control points to fit.
    #[error("{plan} control point{} with plan coordinates and {height} with a height matched to targets (check points are not used to fit); at least {needed} with plan coordinates and {needed_height} with a height are needed for a {parameters}-parameter fit that can be checked", if *.plan == 1 { "" } else { "s" })]
    TooFew {
        /// Matched control points with plan coordinates.
        plan: usize,
        /// Matched control points with a height.
        height: usize,
        /// Plan coordinates needed.
        needed: usize,
        /// Heights needed.
        needed_height: usize,
        /// Parameters of the model.
        parameters: usize,
    },
    /// Control in a line, or in one place.
    #[error(
        "the matched control points do not fix the block: they lie in one place or in one line; add a point off that line"
    )]
    Degenerate,
    /// The block could not be adjusted.
    #[error("{0}")]
    Adjust(#[from] crate::adjust::AdjustError),
}

/// How one control or check point fits.
#[derive(Clone, Debug)]
pub struct PointResidual {
    /// Index of the control point.
    pub control: usize,
    /// Block minus control, grid axes (E, N, H), metres; 0 where the point has no coordinate.
    pub residual: Vec3,
    /// 95 % half-widths of that residual when nothing is wrong, metres.
    pub expected: Vec3,
    /// χ² when the point is right, with `dof` degrees of freedom.
    pub statistic: f64,
    /// Degrees of freedom: the coordinates it has, less what nothing checks.
    pub dof: usize,
    /// Probability of a statistic as large as this, the noise taken as the other points show it.
    pub p_value: f64,
    /// The same corrected for the number of points looked at.
    pub p_family: f64,
    /// Minimal detectable bias, metres, in the worst direction; infinite when not checked.
    pub detectable: f64,
}
