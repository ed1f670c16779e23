use super::Observed;
use crate::geometry::{Pose, Vec3};
use crate::instrument::Systematic;
use crate::targets::{SizeVerdict, TargetKind};
use crate::tie::{Grade, SharedInTie};
use nalgebra::Matrix6;
use std::borrow::Cow;

/// Everything a registration depends on.
#[derive(Clone, Debug, Default)]
pub struct Input {
    /// In the order they were taken.
    pub scans: Vec<ScanInput>,
    /// Places that have a name: planned targets, control.
    pub named: Vec<NamedPlace>,
    /// Distances that were measured between named targets.
    pub distances: Vec<MeasuredDistance>,
    /// Relations between scans from what both show of the same surfaces.
    pub cloud_ties: Vec<CloudTieInput>,
    /// Groups of scans whose shape was found before and is not changed any more.
    pub held: Vec<HeldGroup>,
    /// Ties by clouds that take no part, because somebody has to decide about them first.
    pub waiting: usize,
    /// Errors that many sightings share, of the instrument and its targets.
    pub systematic: Systematic,
    /// Spheres that were found and are not of the job's size.
    pub other_sizes: Vec<SizeEvidence>,
}

/// One scan.
#[derive(Clone, Debug, Default)]
pub struct ScanInput {
    /// Name, unique in the job.
    pub name: String,
    /// σ of the compensator per axis, radians, when it was on.
    pub compensator: Option<f64>,
    /// Usable targets that were not excluded.
    pub targets: Vec<Observed>,
    /// Targets that were excluded by hand: they take no part and keep a residual.
    pub excluded: Vec<Observed>,
    /// What was noted of the set-up.
    pub set_up: Option<SetUp>,
    /// Direction that most of its walls lie along or across, radians from its x axis: the block is turned by it when this
    /// is its first scan.
    pub walls: Option<f64>,
    /// Where the plan has its station, plan coordinates, metres.
    pub planned: Option<Vec3>,
    /// Somebody set it apart: nothing ties it to the others until it is taken in again.
    pub apart: bool,
}

/// Scans that keep the places which they had among themselves.
#[derive(Clone, Debug)]
pub struct HeldGroup {
    /// The first of them, in whose frame the others stand.
    pub first: usize,
    /// Each other with its pose there, and how well that was known: covariance by left increments, m² and rad².
    pub others: Vec<(usize, Pose, Matrix6<f64>)>,
}

impl HeldGroup {
    /// Whether it holds both of two scans.
    pub fn holds(&self, scans: (usize, usize)) -> bool {
        let has = |s: usize| self.first == s || self.others.iter().any(|o| o.0 == s);
        has(scans.0) && has(scans.1)
    }
}

impl Input {
    /// Without what would tie scans that somebody set apart.
    pub(super) fn without_apart(&self) -> Cow<'_, Self> {
        let apart = |s: usize| self.scans[s].apart;
        if !self.scans.iter().any(|s| s.apart) {
            return Cow::Borrowed(self);
        }
        let mut out = self.clone();
        for s in out.scans.iter_mut().filter(|s| s.apart) {
            (s.targets, s.excluded, s.set_up) = (Vec::new(), Vec::new(), None);
        }
        out.cloud_ties.retain(|t| !apart(t.scans.0) && !apart(t.scans.1));
        out.held.retain(|h| !apart(h.first));
        Cow::Owned(out)
    }
}

/// Two scans that were brought together by their clouds.
#[derive(Clone, Debug)]
pub struct CloudTieInput {
    /// Caller's identifier.
    pub id: usize,
    /// Indices of the scans; the second is measured in the frame of the first.
    pub scans: (usize, usize),
    /// Pose of the second in the frame of the first.
    pub relative: Pose,
    /// Its covariance by left increments, m² and rad², without the errors that all points share.
    pub covariance: Matrix6<f64>,
    /// What errors that all points of a scan share do to it.
    pub shared: SharedInTie,
    /// What it is worth taken alone.
    pub grade: Grade,
}

/// A set-up over a mark.
#[derive(Clone, Debug, PartialEq)]
pub struct SetUp {
    /// The mark stood over.
    pub mark: String,
    /// Instrument height over it, metres.
    pub height: f64,
    /// σ of the centring per axis, metres.
    pub centring_sigma: f64,
    /// σ of the height, metres.
    pub height_sigma: f64,
    /// What was sighted.
    pub sights: Vec<Sight>,
}

/// A reflector that was sighted.
#[derive(Clone, Debug, PartialEq)]
pub struct Sight {
    /// The mark under it.
    pub mark: String,
    /// Its place in the scanner frame, metres.
    pub reflector: Vec3,
    /// Its height over the mark, metres.
    pub height: f64,
    /// σ across the line of sight, along it and up, metres.
    pub sigma: Vec3,
}

/// A place with a name, plan coordinates.
#[derive(Clone, Debug, PartialEq)]
pub struct NamedPlace {
    /// Name.
    pub name: String,
    /// Metres.
    pub position: Vec3,
    /// How far the thing may stand from there, 1σ per axis, metres.
    pub sigma: f64,
    /// What stands there, when that is known.
    pub kind: Option<TargetKind>,
    /// Its coordinates are control: automatic names keep clear of these too.
    pub control: bool,
}

/// A distance measured between two targets, by the names they have on the plan.
#[derive(Clone, Debug, PartialEq)]
pub struct MeasuredDistance {
    /// The one.
    pub from: String,
    /// The other.
    pub to: String,
    /// Metres, in space.
    pub distance: f64,
    /// σ, metres.
    pub sigma: f64,
}

/// A sphere of another size.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct SizeEvidence {
    /// What its size says.
    pub verdict: SizeVerdict,
    /// Radius found, metres.
    pub radius: f64,
}
