use super::{Observation, Parameter, SystematicUnknown};
use crate::geometry::{Pose, Vec3};
use nalgebra::Vector6;

/// A scan whose pose is unknown.
#[derive(Clone, Debug)]
pub struct ScanUnknown {
    /// Name, for messages.
    pub name: String,
    /// Approximate pose in the block frame.
    pub pose: Pose,
}

/// A target whose position is unknown.
#[derive(Clone, Debug)]
pub struct TargetUnknown {
    /// Name, for messages.
    pub name: String,
    /// Approximate position in the block frame, metres.
    pub position: Vec3,
}

/// Where the plumb line is the z axis, and how it turns away from there.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Plumb {
    /// The place, block frame, metres.
    pub origin: Vec3,
    /// Radius of the earth, metres; infinite for plumb lines that are parallel.
    pub radius: f64,
}

/// Mean radius of the earth, metres (IUGG, R₁).
pub const EARTH_RADIUS: f64 = 6_371_008.8;

impl Default for Plumb {
    fn default() -> Self {
        Self { origin: Vec3::zeros(), radius: EARTH_RADIUS }
    }
}

impl Plumb {
    /// The direction up at a place: 1 m of distance turns it by 0.16 µrad (0.03″).
    pub fn up(&self, at: &Vec3) -> Vec3 {
        Vec3::new((at.x - self.origin.x) / self.radius, (at.y - self.origin.y) / self.radius, 1.0).normalize()
    }
}

/// A block to be adjusted. Scans are in the order they were taken.
#[derive(Clone, Debug, Default)]
pub struct Network {
    /// Scans.
    pub scans: Vec<ScanUnknown>,
    /// Targets.
    pub targets: Vec<TargetUnknown>,
    /// Observations of any kind.
    pub observations: Vec<Observation>,
    /// Errors that many observations share.
    pub systematic: Vec<SystematicUnknown>,
    /// The plumb lines.
    pub plumb: Plumb,
}

impl Network {
    /// Adds a scan with its approximate pose; returns its index.
    pub fn add_scan(&mut self, name: &str, pose: Pose) -> usize {
        self.scans.push(ScanUnknown { name: name.to_owned(), pose });
        self.scans.len() - 1
    }

    /// Adds a target with its approximate position, metres; returns its index.
    pub fn add_target(&mut self, name: &str, position: Vec3) -> usize {
        self.targets.push(TargetUnknown { name: name.to_owned(), position });
        self.targets.len() - 1
    }

    /// Adds errors that many observations share, of a scan's set-up or of the instrument of all; returns
    /// their index. What is known of them beforehand comes in as observations.
    pub fn add_systematic(&mut self, scan: Option<usize>, parameters: Vec<Parameter>) -> usize {
        let at = self.systematic.last().map_or(0, |s| s.at + s.wide());
        self.systematic.push(SystematicUnknown { scan, parameters, values: Vector6::zeros(), at });
        self.systematic.len() - 1
    }

    /// Adds an observation.
    pub fn observe(&mut self, o: Observation) {
        self.observations.push(o);
    }

    /// Number of unknowns: 6 a scan, 3 a target, then those of the systematic errors.
    pub fn unknowns(&self) -> usize {
        6 * self.scans.len() + 3 * self.targets.len() + self.systematic_unknowns()
    }

    /// Number of systematic unknowns.
    pub(super) fn systematic_unknowns(&self) -> usize {
        self.systematic.last().map_or(0, |s| s.at + s.wide())
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

    /// First column of an unknown, and how many it has.
    pub fn columns(&self, unknown: super::Unknown) -> (usize, usize) {
        match unknown {
            super::Unknown::Scan(s) => (self.scan_column(s), 6),
            super::Unknown::Target(t) => (self.target_column(t), 3),
            super::Unknown::Systematic(k) => {
                let s = &self.systematic[k];
                (self.target_column(self.targets.len()) + s.at, s.wide())
            }
        }
    }

    /// Sets the plumb line along z in the middle of the scans.
    pub fn centre_plumb(&mut self) {
        let n = self.scans.len().max(1) as f64;
        self.plumb.origin = self.scans.iter().map(|s| s.pose.translation).sum::<Vec3>() / n;
    }

    /// Which targets at least two active observations hold: those that something checks or ties.
    pub fn shared(&self) -> Vec<bool> {
        let mut count = vec![0; self.targets.len()];
        for o in self.observations.iter().filter(|o| o.active) {
            if let Some(t) = o.target_index() {
                count[t] += 1;
            }
        }
        count.into_iter().map(|c| c > 1).collect()
    }
}
