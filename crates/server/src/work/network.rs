//! The network as it is stored with a result, so that a locked result stands on its own.

use crate::dto::PoseDto;
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_core::adjust::{Network, Observation, ScanUnknown, TargetUnknown};
use vistazo_core::geometry::{Mat3, Pose, Vec3};

#[derive(Clone, Debug, Default, Serialize, Deserialize)]
pub(crate) struct StoredNetwork {
    pub scans: Vec<StoredScan>,
    pub targets: Vec<StoredTarget>,
    pub observations: Vec<StoredObservation>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredScan {
    pub id: Uuid,
    pub name: String,
    pub pose: PoseDto,
    pub level_sigma: Option<f64>,
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredTarget {
    pub name: String,
    pub kind: String,
    pub position: [f64; 3],
}

#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredObservation {
    pub detection: Uuid,
    pub scan: usize,
    pub target: usize,
    pub centre: [f64; 3],
    pub covariance: [f64; 9],
    pub active: bool,
}

impl StoredNetwork {
    pub(crate) fn to_core(&self) -> Network {
        Network {
            scans: self
                .scans
                .iter()
                .map(|s| ScanUnknown { name: s.name.clone(), pose: Pose::from(&s.pose), level_sigma: s.level_sigma })
                .collect(),
            targets: self
                .targets
                .iter()
                .map(|t| TargetUnknown { name: t.name.clone(), position: Vec3::from(t.position) })
                .collect(),
            observations: self
                .observations
                .iter()
                .map(|o| Observation {
                    scan: o.scan,
                    target: o.target,
                    centre: Vec3::from(o.centre),
                    covariance: Mat3::from_row_slice(&o.covariance),
                    active: o.active,
                })
                .collect(),
            ties: Vec::new(),
        }
    }
}
