//! A measurement as it is stored: a variant a kind of observation.

use super::registration::TargetKind;
use super::{Rows9, StoredPose, mat3, rows9};
use serde::{Deserialize, Serialize};
use vistazo_core::adjust::kinds::{
    Backsight, CloudTie, Distance, Held, Kind, KnownPoint, Level, OccupiedMark, SystematicPrior, TargetCentre,
    TrackedPose,
};
use vistazo_core::geometry::Vec3;
use vistazo_core::targets::TargetKind as Scanned;

/// A measurement, with indices into scans and targets.
#[derive(Clone, Debug, Serialize, Deserialize)]
#[serde(tag = "kind", rename_all = "snake_case")]
pub(crate) enum Measured {
    TargetCentre {
        scan: usize,
        target: usize,
        centre: [f64; 3],
        covariance: Rows9,
        checker: bool,
        /// Neither sphere nor checker: what it is.
        #[serde(default, skip_serializing_if = "Option::is_none")]
        picked: Option<TargetKind>,
        #[serde(default)]
        systematic: [Option<usize>; 2],
    },
    SystematicPrior {
        of: usize,
        parameter: usize,
        sigma: f64,
    },
    CloudTie {
        from: usize,
        to: usize,
        relative: StoredPose,
        covariance: Vec<f64>,
        /// Unknowns of errors that it shares, and what one unit of each does to it.
        #[serde(default)]
        shared: Vec<(usize, Vec<f64>)>,
    },
    TrackedPose {
        from: usize,
        to: usize,
        relative: StoredPose,
        covariance: Vec<f64>,
    },
    Held {
        from: usize,
        to: usize,
        relative: StoredPose,
        worth: Vec<f64>,
    },
    Level {
        scan: usize,
        sigma: f64,
    },
    OccupiedMark {
        scan: usize,
        target: usize,
        height: f64,
        centring_sigma: f64,
        height_sigma: f64,
    },
    Backsight {
        scan: usize,
        target: usize,
        reflector: [f64; 3],
        height: f64,
        sigma: [f64; 3],
    },
    KnownPoint {
        target: usize,
        position: [f64; 3],
        covariance: Rows9,
    },
    Distance {
        from: usize,
        to: usize,
        distance: f64,
        sigma: f64,
    },
}

pub(crate) fn flat(m: &nalgebra::Matrix6<f64>) -> Vec<f64> {
    m.transpose().iter().copied().collect()
}

pub(crate) fn square(rows: &[f64]) -> nalgebra::Matrix6<f64> {
    nalgebra::Matrix6::from_fn(|i, j| rows.get(6 * i + j).copied().unwrap_or(f64::NAN))
}

/// What kind of target a sighting was of.
pub(crate) fn seen_as(checker: bool, picked: Option<TargetKind>) -> Scanned {
    let other = if checker { Scanned::Checker } else { Scanned::Sphere };
    picked.and_then(TargetKind::scanned).unwrap_or(other)
}

impl From<&Kind> for Measured {
    fn from(k: &Kind) -> Self {
        match k {
            Kind::TargetCentre(o) => Self::TargetCentre {
                scan: o.scan,
                target: o.target,
                centre: o.centre.into(),
                covariance: rows9(&o.covariance),
                checker: o.by == Scanned::Checker,
                picked: (!matches!(o.by, Scanned::Sphere | Scanned::Checker)).then(|| o.by.into()),
                systematic: o.systematic,
            },
            Kind::SystematicPrior(o) => Self::SystematicPrior { of: o.of, parameter: o.parameter, sigma: o.sigma },
            Kind::CloudTie(o) => Self::CloudTie {
                from: o.from,
                to: o.to,
                relative: (&o.relative).into(),
                covariance: flat(&o.covariance),
                shared: o.shared.iter().map(|(of, by)| (*of, flat(by))).collect(),
            },
            Kind::TrackedPose(o) => Self::TrackedPose {
                from: o.from,
                to: o.to,
                relative: (&o.relative).into(),
                covariance: flat(&o.covariance),
            },
            Kind::Held(o) => {
                Self::Held { from: o.from, to: o.to, relative: (&o.relative).into(), worth: flat(&o.worth) }
            }
            Kind::Level(o) => Self::Level { scan: o.scan, sigma: o.sigma },
            Kind::OccupiedMark(o) => Self::OccupiedMark {
                scan: o.scan,
                target: o.target,
                height: o.height,
                centring_sigma: o.centring_sigma,
                height_sigma: o.height_sigma,
            },
            Kind::Backsight(o) => Self::Backsight {
                scan: o.scan,
                target: o.target,
                reflector: o.reflector.into(),
                height: o.height,
                sigma: o.sigma.into(),
            },
            Kind::Distance(o) => Self::Distance { from: o.from, to: o.to, distance: o.distance, sigma: o.sigma },
            Kind::KnownPoint(o) => {
                Self::KnownPoint { target: o.target, position: o.position.into(), covariance: rows9(&o.covariance) }
            }
        }
    }
}

impl From<&Measured> for Kind {
    fn from(m: &Measured) -> Self {
        match m {
            Measured::TargetCentre { scan, target, centre, covariance, checker, picked, systematic } => TargetCentre {
                scan: *scan,
                target: *target,
                centre: Vec3::from(*centre),
                covariance: mat3(covariance),
                by: seen_as(*checker, *picked),
                systematic: *systematic,
            }
            .into(),
            Measured::SystematicPrior { of, parameter, sigma } => {
                SystematicPrior { of: *of, parameter: *parameter, sigma: *sigma }.into()
            }
            Measured::CloudTie { from, to, relative, covariance, shared } => CloudTie {
                from: *from,
                to: *to,
                relative: relative.into(),
                covariance: square(covariance),
                shared: shared.iter().map(|(of, by)| (*of, square(by))).collect(),
            }
            .into(),
            Measured::TrackedPose { from, to, relative, covariance } => {
                TrackedPose { from: *from, to: *to, relative: relative.into(), covariance: square(covariance) }.into()
            }
            Measured::Held { from, to, relative, worth } => {
                Held { from: *from, to: *to, relative: relative.into(), worth: square(worth) }.into()
            }
            Measured::Level { scan, sigma } => Level { scan: *scan, sigma: *sigma }.into(),
            Measured::OccupiedMark { scan, target, height, centring_sigma, height_sigma } => OccupiedMark {
                scan: *scan,
                target: *target,
                height: *height,
                centring_sigma: *centring_sigma,
                height_sigma: *height_sigma,
            }
            .into(),
            Measured::Backsight { scan, target, reflector, height, sigma } => Backsight {
                scan: *scan,
                target: *target,
                reflector: Vec3::from(*reflector),
                height: *height,
                sigma: Vec3::from(*sigma),
            }
            .into(),
            Measured::Distance { from, to, distance, sigma } => {
                Distance { from: *from, to: *to, distance: *distance, sigma: *sigma }.into()
            }
            Measured::KnownPoint { target, position, covariance } => {
                KnownPoint { target: *target, position: Vec3::from(*position), covariance: mat3(covariance) }.into()
            }
        }
    }
}
