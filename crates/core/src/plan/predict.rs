use super::bvh::Bvh;
use super::site::{Site, Station};
use crate::adjust::kinds::{Backsight, CloudTie, Distance, OccupiedMark, TargetCentre};
use crate::adjust::{AdjustError, ErrorBudget, Network, Observation, Scaling, Shared, Solution, precision};
use crate::geometry::{Error95, Mat3, Pose, Vec3};
use crate::instrument::Instrument;
use crate::targets::{CheckerTable, TargetKind, predicted_sphere_covariance};
use rayon::prelude::*;
use std::collections::HashSet;

/// What stands at a planned target.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum PlannedKind {
    /// A sphere.
    Sphere,
    /// A checker, whose face looks along a horizontal direction; `None` when it is turned to whoever
    /// looks, as one on a pivot is.
    Checker(Option<Vec3>),
    /// A mark on the ground, to be set up over or sighted; the scans do not show it.
    Mark,
}

/// How a station comes to measure a target.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Means {
    /// A sphere in its scan.
    Sphere,
    /// A checker in its scan.
    Checker,
    /// Set up over it, or sighted with a reflector on it.
    SetUp,
}

/// A target that a station will measure.
#[derive(Clone, Copy, Debug)]
pub struct Sighting {
    /// Index of the target.
    pub target: usize,
    /// Expected covariance of its centre in the scanner frame, m².
    pub covariance: Mat3,
    /// How.
    pub by: Means,
}

/// A target on the plan.
#[derive(Clone, Debug, PartialEq)]
pub struct PlannedTarget {
    /// Name.
    pub name: String,
    /// Centre, metres.
    pub position: Vec3,
    /// What it is.
    pub kind: PlannedKind,
    /// Standard deviations of its control coordinates, metres, when they will be known.
    pub control_sigma: Option<Vec3>,
    /// Known, but held back as a check: takes no part in the fit.
    pub check: bool,
}

/// Sizes of the targets in the van, metres.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Kit {
    /// Radius of the spheres.
    pub sphere_radius: f64,
    /// Half-side of the checkers.
    pub checker_half: f64,
}

impl Default for Kit {
    fn default() -> Self {
        Self { sphere_radius: 0.1, checker_half: 0.15 }
    }
}

/// A plan as the prediction takes it.
#[derive(Clone, Debug)]
pub struct Design<'a> {
    /// What stands in the way.
    pub site: &'a Site,
    /// In the order they will be taken.
    pub stations: &'a [Station],
    /// All targets.
    pub targets: &'a [PlannedTarget],
    /// Their sizes.
    pub kit: Kit,
    /// The scanner.
    pub instrument: &'a Instrument,
    /// Ties by clouds that will be measured as well: see [`super::cloud_ties`].
    pub ties: &'a [CloudTie],
    /// Distances between targets that will be measured as well.
    pub distances: &'a [PlannedDistance],
}

impl<'a> Design<'a> {
    /// Stations and targets, without ties by clouds or measured distances.
    pub const fn new(
        site: &'a Site,
        instrument: &'a Instrument,
        kit: Kit,
        stations: &'a [Station],
        targets: &'a [PlannedTarget],
    ) -> Self {
        Self { site, stations, targets, kit, instrument, ties: &[], distances: &[] }
    }
}

/// A distance that will be measured between two targets (indices).
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PlannedDistance {
    /// The one.
    pub from: usize,
    /// The other.
    pub to: usize,
    /// σ, metres.
    pub sigma: f64,
}

/// What the plan will come out at.
#[derive(Clone, Debug)]
pub struct Prediction {
    /// For each station, the targets its scan will show well enough to measure (indices).
    pub sees: Vec<Vec<usize>>,
    /// For each station, all that it will measure.
    pub sightings: Vec<Vec<Sighting>>,
    /// Targets in the network (seen by at least one station), in the order of the solutions.
    pub used: Vec<usize>,
    /// What was adjusted.
    pub network: Network,
    /// The free network, or why there is none.
    pub block: Result<Solution, AdjustError>,
    /// With control in the adjustment, when the plan has three control targets or more.
    pub on_grid: Option<Solution>,
}

impl Prediction {
    /// For each station, the marks that it stands over or sights (indices into the plan).
    pub fn marks(&self) -> Vec<Vec<usize>> {
        let of = |s: &Vec<Sighting>| s.iter().filter(|x| x.by == Means::SetUp).map(|x| x.target).collect();
        self.sightings.iter().map(of).collect()
    }

    /// What counts: on the grid where there is control, else the free block.
    fn best(&self) -> Option<&Solution> {
        self.on_grid.as_ref().or(self.block.as_ref().ok())
    }

    /// Predicted 95 % regions of a used target: on the grid where there is one, else in the block.
    pub fn target_error(&self, used: usize) -> Option<Error95> {
        self.best().map(|s| s.target_error(used))
    }

    /// Predicted 95 % regions of a station's position.
    pub fn station_error(&self, station: usize) -> Option<Error95> {
        self.best().map(|s| s.station_error(station))
    }

    /// What the error of a used target is made of.
    pub fn budget(&self, used: usize) -> Option<ErrorBudget> {
        self.best().map(|s| s.target_budget(used))
    }

    /// Predicted covariance, m², of a point that a station measures at `position` (plan, metres):
    /// its pose carried to there, without the noise of the point itself.
    pub fn point_covariance(&self, station: usize, from: &Vec3, position: &Vec3) -> Option<Mat3> {
        Some(carried(&self.best()?.pose_covariance(station), &(position - from)))
    }

    /// The largest predicted 3-D error of any target, metres at 95 %, and which (index into the plan).
    pub fn weakest(&self) -> Option<(usize, f64)> {
        let error = |k: usize| self.target_error(k).map(|e| (self.used[k], e.spatial));
        (0..self.used.len()).filter_map(error).max_by(|a, b| a.1.total_cmp(&b.1))
    }
}

/// Predicts the error of a planned block with the same adjustment that will treat the scans: the
/// observations are what each station will see of each target, with the covariance the
/// instrument's noise and density give them (zero- to third-order design, Grafarend 1974).
pub fn predict(design: &Design<'_>) -> Prediction {
    adjust(design, sightings(design))
}

/// For each station the targets it will measure, with the covariance in the scanner frame.
pub(super) fn sightings(design: &Design<'_>) -> Vec<Vec<Sighting>> {
    let bvh = Bvh::new(design.site);
    let instruments: Vec<Instrument> = design.stations.iter().map(|s| s.set(design.instrument)).collect();
    // tables of checkers serve all stations of one setting
    let setting = |i: &Instrument| [i.step, i.range_sigma].map(f64::to_bits);
    let same = |a: &Instrument, b: &Instrument| setting(a) == setting(b);
    let mut tables: Vec<(&Instrument, CheckerTable<'_>)> = Vec::new();
    for i in &instruments {
        if !tables.iter().any(|t| same(t.0, i)) {
            tables.push((i, CheckerTable::new(design.kit.checker_half, i)));
        }
    }
    let table_of = |i: &Instrument| tables.iter().find(|t| same(t.0, i)).map(|t| &t.1);
    let checker = |s: &Station, i: &Instrument, t: usize, by: usize| {
        let PlannedKind::Checker(facing) = design.targets[t].kind else { return None };
        let p = design.targets[t].position - s.position;
        let turned = || (-p.xy()).push(0.0).try_normalize(1e-9).unwrap_or_else(Vec3::x);
        table_of(i)?.covariance(&p, &facing.unwrap_or_else(turned), by)
    };
    let mut all: Vec<Vec<Sighting>> = design
        .stations
        .par_iter()
        .zip(&instruments)
        .map(|(s, instrument)| {
            let scanned = |t: usize| {
                let target = &design.targets[t];
                let p = target.position - s.position;
                let elevation = (p.z / p.norm()).asin();
                if elevation < instrument.elevation_min || elevation > instrument.elevation_max {
                    return None;
                }
                let (by, covariance) = match target.kind {
                    PlannedKind::Sphere => {
                        (Means::Sphere, predicted_sphere_covariance(&p, design.kit.sphere_radius, instrument)?)
                    }
                    PlannedKind::Checker(_) => (Means::Checker, checker(s, instrument, t, 1)?),
                    PlannedKind::Mark => return None,
                };
                let free = !bvh.blocked(&s.position, &target.position)
                    && !(0..design.targets.len()).any(|u| u != t && hides(design, &s.position, u, t));
                free.then_some(Sighting { target: t, covariance, by })
            };
            (0..design.targets.len()).filter_map(scanned).chain(set_up(design, &bvh, s, instrument)).collect()
        })
        .collect();
    // what a board is worth depends on how many see it
    let mut seen_by = vec![0; design.targets.len()];
    all.iter().flatten().for_each(|x| seen_by[x.target] += 1);
    for ((s, i), sightings) in design.stations.iter().zip(&instruments).zip(&mut all) {
        for x in sightings.iter_mut().filter(|x| x.by == Means::Checker && seen_by[x.target] > 1) {
            x.covariance = checker(s, i, x.target, seen_by[x.target]).unwrap_or(x.covariance);
        }
    }
    all
}

/// Height of a reflector over its mark, metres: what the line of sight is tried at.
const REFLECTOR: f64 = 1.5;

/// What a station measures of marks: the one it stands over and those it sights.
fn set_up(design: &Design<'_>, bvh: &Bvh, s: &Station, instrument: &Instrument) -> Vec<Sighting> {
    let mark = |t: usize| design.targets.get(t).filter(|m| m.kind == PlannedKind::Mark);
    let over = s.over.filter(|&t| mark(t).is_some());
    let stands = over.map(|target| Sighting { target, covariance: instrument.plumbing(), by: Means::SetUp });
    let sighted = s.sights.iter().filter(|&&t| Some(t) != over).filter_map(|&target| {
        let reflector = mark(target)?.position + Vec3::z() * REFLECTOR;
        let covariance = instrument.sighting_covariance(&(reflector - s.position))?;
        (!bvh.blocked(&s.position, &reflector)).then_some(Sighting { target, covariance, by: Means::SetUp })
    });
    stands.into_iter().chain(sighted).collect()
}

/// Whether a sphere stands so near to the line of sight to another target that part of that is hidden.
fn hides(design: &Design<'_>, from: &Vec3, sphere: usize, target: usize) -> bool {
    let (s, t) = (&design.targets[sphere], &design.targets[target]);
    let size = match t.kind {
        PlannedKind::Sphere => design.kit.sphere_radius,
        PlannedKind::Checker(_) => design.kit.checker_half,
        PlannedKind::Mark => 0.0,
    };
    let d = t.position - from;
    let along = (s.position - from).dot(&d) / d.norm_squared();
    // the share of the target's size that is near the sphere, as the sphere sees it from the scanner
    s.kind == PlannedKind::Sphere
        && (0.0..1.0).contains(&along)
        && (s.position - (from + d * along)).norm() < design.kit.sphere_radius + size * along
}

/// The covariance of a pose carried over an arm: that of a point which the scan shows there, m².
pub fn carried(pose: &nalgebra::Matrix6<f64>, arm: &Vec3) -> Mat3 {
    let mut j = nalgebra::Matrix3x6::identity();
    j.fixed_view_mut::<3, 3>(0, 3).copy_from(&-crate::geometry::skew(arm));
    j * pose * j.transpose()
}

pub(super) fn adjust(design: &Design<'_>, sightings: Vec<Vec<Sighting>>) -> Prediction {
    let Design { stations, targets, instrument, .. } = *design;
    let scanned = |s: &Vec<Sighting>| s.iter().filter(|x| x.by != Means::SetUp).map(|x| x.target).collect();
    let sees: Vec<Vec<usize>> = sightings.iter().map(scanned).collect();
    let measured: HashSet<usize> = sightings.iter().flatten().map(|s| s.target).collect();
    let used: Vec<usize> = (0..targets.len()).filter(|t| measured.contains(t)).collect();
    let mut place = vec![None; targets.len()];
    used.iter().enumerate().for_each(|(k, &t)| place[t] = Some(k));
    let mut network = Network::default();
    for s in stations {
        let scan = network.add_scan(&s.name, Pose::levelled(0.0, s.position));
        if let Some(sigma) = instrument.compensator_sigma {
            network.observe(Observation::level(scan, sigma));
        }
    }
    network.centre_plumb();
    let boards = sightings.iter().flatten().any(|s| s.by == Means::Checker);
    let shared = Shared::add(&mut network, &instrument.systematic, boards);
    for &t in &used {
        network.add_target(&targets[t].name, targets[t].position);
    }
    for (scan, list) in sightings.iter().enumerate() {
        for s in list {
            if let Some(target) = place[s.target] {
                network.observe(observation(design, scan, target, s, shared.of(scan)));
            }
        }
    }
    design.ties.iter().for_each(|t| network.observe(Observation::new(t.clone())));
    for d in design.distances {
        if let (Some(from), Some(to)) = (place[d.from], place[d.to]) {
            let distance = (targets[d.to].position - targets[d.from].position).norm();
            network.observe(Observation::new(Distance { from, to, distance, sigma: d.sigma }));
        }
    }
    let block = precision(&network, Scaling::Stated);
    let on_grid = block.as_ref().ok().and_then(|_| {
        let mut held = network.clone();
        let mut known = 0;
        for (k, &t) in used.iter().enumerate().filter(|(_, t)| !targets[**t].check) {
            if let Some(sigma) = targets[t].control_sigma {
                let covariance = Mat3::from_diagonal(&sigma.map(|s| s.max(1e-5).powi(2)));
                held.observe(Observation::known(k, targets[t].position, covariance));
                known += 1;
            }
        }
        if known < 3 { None } else { precision(&held, Scaling::Stated).ok() }
    });
    Prediction { sees, sightings, used, network, block, on_grid }
}

/// What a sighting will be in the adjustment.
fn observation(
    design: &Design<'_>,
    scan: usize,
    target: usize,
    s: &Sighting,
    systematic: [Option<usize>; 2],
) -> Observation {
    let (station, at) = (&design.stations[scan], design.targets[s.target].position);
    let i = station.set(design.instrument);
    let centre = at - station.position;
    let by = match s.by {
        Means::Sphere => TargetKind::Sphere,
        Means::Checker => TargetKind::Checker,
        Means::SetUp if station.over == Some(s.target) => {
            return Observation::new(OccupiedMark {
                scan,
                target,
                height: station.position.z - at.z,
                centring_sigma: i.centring_sigma,
                height_sigma: i.height_sigma,
            });
        }
        Means::SetUp => {
            let reflector = centre + Vec3::z() * REFLECTOR;
            return Observation::new(Backsight {
                scan,
                target,
                reflector,
                height: REFLECTOR,
                sigma: i.sighting_sigmas(reflector.norm()),
            });
        }
    };
    let covariance = s.covariance + i.systematic.of_sighting(&centre, by);
    Observation::new(TargetCentre { scan, target, centre, covariance, by, systematic })
}
