use super::bvh::Bvh;
use super::site::{Site, Station};
use crate::adjust::{AdjustError, Network, Observation, ScanUnknown, Solution, TargetUnknown, solve};
use crate::geometry::{FitModel, Mat3, Pose, Vec3};
use crate::georef::{ControlPoint, Georeferenced, georeference};
use crate::instrument::Instrument;
use crate::target::predicted_sphere_covariance;

/// A target on the plan.
#[derive(Clone, Debug)]
pub struct PlannedTarget {
    /// Name.
    pub name: String,
    /// Centre, metres.
    pub position: Vec3,
    /// Standard deviations of its control coordinates, metres, when it will be control.
    pub control_sigma: Option<Vec3>,
}

/// What the plan will come out at.
#[derive(Clone, Debug)]
pub struct Prediction {
    /// For each station, the targets it will see (indices).
    pub sees: Vec<Vec<usize>>,
    /// Targets in the network (seen by at least one station), in the order of the solutions.
    pub used: Vec<usize>,
    /// The free network, or why there is none.
    pub block: Result<Solution, AdjustError>,
    /// On control, when the plan has three control targets or more.
    pub on_grid: Option<Georeferenced>,
}

/// Predicts the error of a planned block with the same adjustment that will treat the scans: the
/// observations are what each station will see of each target, with the covariance the
/// instrument's noise and density give them (zero- to third-order design, Grafarend 1974).
///
/// `radius` is that of the spheres, metres.
pub fn predict(
    site: &Site,
    stations: &[Station],
    targets: &[PlannedTarget],
    radius: f64,
    instrument: &Instrument,
) -> Prediction {
    let bvh = Bvh::new(site.panels());
    let seen: Vec<Vec<(usize, Mat3)>> = stations
        .iter()
        .map(|s| {
            (0..targets.len())
                .filter_map(|t| {
                    let p = targets[t].position - s.position;
                    let elevation = (p.z / p.norm()).asin();
                    let inside = elevation > instrument.elevation_min && elevation < instrument.elevation_max;
                    (inside && !bvh.blocked(&s.position, &targets[t].position))
                        .then(|| predicted_sphere_covariance(&p, radius, instrument).map(|c| (t, c)))
                        .flatten()
                })
                .collect()
        })
        .collect();
    let sees: Vec<Vec<usize>> = seen.iter().map(|s| s.iter().map(|x| x.0).collect()).collect();
    let used: Vec<usize> = (0..targets.len()).filter(|t| sees.iter().any(|s| s.contains(t))).collect();
    let network = Network {
        scans: stations
            .iter()
            .map(|s| ScanUnknown {
                name: s.name.clone(),
                pose: Pose::levelled(0.0, s.position),
                level_sigma: instrument.compensator_sigma,
            })
            .collect(),
        targets: used
            .iter()
            .map(|&t| TargetUnknown { name: targets[t].name.clone(), position: targets[t].position })
            .collect(),
        observations: seen
            .iter()
            .enumerate()
            .flat_map(|(scan, list)| {
                let used = &used;
                list.iter().filter_map(move |(t, covariance)| {
                    let target = used.iter().position(|u| u == t)?;
                    Some(Observation {
                        scan,
                        target,
                        centre: targets[*t].position - stations[scan].position,
                        covariance: *covariance,
                        active: true,
                    })
                })
            })
            .collect(),
    };
    let levelled = instrument.compensator_sigma.is_some();
    let block = solve(network);
    let on_grid = block.as_ref().ok().and_then(|b| {
        let control: Vec<ControlPoint> = used
            .iter()
            .enumerate()
            .filter_map(|(k, &t)| {
                targets[t].control_sigma.map(|sigma| ControlPoint {
                    name: targets[t].name.clone(),
                    position: targets[t].position,
                    sigma,
                    check: false,
                    target: Some(k),
                })
            })
            .collect();
        georeference(b, &control, if levelled { FitModel::Levelled } else { FitModel::Rigid }).ok()
    });
    Prediction { sees, used, block, on_grid }
}
