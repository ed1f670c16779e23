use crate::geometry::{Mat3, Pose, Vec3};
use nalgebra::Matrix6;

/// A scan whose pose is unknown.
#[derive(Clone, Debug)]
pub struct ScanUnknown {
    /// Name, for messages.
    pub name: String,
    /// Approximate pose in the block frame.
    pub pose: Pose,
    /// Standard deviation of its compensator per axis, radians; `None` when it was off.
    pub level_sigma: Option<f64>,
}

/// A target whose position is unknown.
#[derive(Clone, Debug)]
pub struct TargetUnknown {
    /// Name, for messages.
    pub name: String,
    /// Approximate position in the block frame, metres.
    pub position: Vec3,
}

/// The centre of a target measured in a scan.
#[derive(Clone, Debug)]
pub struct Observation {
    /// Index of the scan.
    pub scan: usize,
    /// Index of the target.
    pub target: usize,
    /// Centre in the scanner frame, metres.
    pub centre: Vec3,
    /// Its covariance, m².
    pub covariance: Mat3,
    /// Takes part. Excluded observations keep their place and still get a residual.
    pub active: bool,
}

/// A measured relation between two scans, from what both show of the same surfaces.
#[derive(Clone, Debug)]
pub struct CloudTie {
    /// Index of the scan in whose frame the other is measured.
    pub from: usize,
    /// Index of the other.
    pub to: usize,
    /// Pose of `to` in the scanner frame of `from`.
    pub relative: Pose,
    /// Its covariance by left increments, m² and rad².
    pub covariance: Matrix6<f64>,
    /// Takes part.
    pub active: bool,
}

/// A block to be adjusted. Scans are in the order they were taken.
#[derive(Clone, Debug, Default)]
pub struct Network {
    /// Scans.
    pub scans: Vec<ScanUnknown>,
    /// Targets.
    pub targets: Vec<TargetUnknown>,
    /// Observations.
    pub observations: Vec<Observation>,
    /// Ties by clouds.
    pub ties: Vec<CloudTie>,
}

impl Network {
    /// Number of unknowns: 6 a scan and 3 a target.
    pub fn unknowns(&self) -> usize {
        6 * self.scans.len() + 3 * self.targets.len()
    }

    /// First column of a scan's unknowns.
    pub fn scan_column(&self, scan: usize) -> usize {
        debug_assert!(scan < self.scans.len());
        6 * scan
    }

    /// First column of a target's unknowns.
    pub fn target_column(&self, target: usize) -> usize {
        6 * self.scans.len() + 3 * target
    }

    /// Degrees of freedom of the frame that the observations leave open: position and heading
    /// always; with no levelled scan the two tilts as well.
    pub fn datum_defect(&self) -> usize {
        if self.scans.iter().any(|s| s.level_sigma.is_some()) { 4 } else { 6 }
    }
}
