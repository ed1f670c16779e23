//! Where the scans of a job stand as things are now, and how well that is known.

use super::{grid, planning, registration};
use crate::dto::Brief;
use crate::record::measured::square;
use crate::record::registration::TargetKind;
use crate::{ApiError, App};
use nalgebra::Matrix6;
use uuid::Uuid;
use vistazo_core::geometry::{Mat3, Pose, Vec3};
use vistazo_core::georef::{GridMap, Output};
use vistazo_store::field::{self, ScanRow};

/// The scans of a job, where they stand, and what says so.
pub(crate) struct Standing {
    pub scans: Vec<ScanRow>,
    pub stands: Stands,
    pub block: Option<registration::Current>,
    pub georef: Option<grid::Current>,
    pub plan: planning::Plan,
    pub brief: Brief,
}

impl Standing {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (_, brief) = super::brief(app, job).await?;
        let (plan, scans) = (planning::load(app, job).await?, field::scans(&app.db, job).await?);
        let block = registration::current_at(app, job, &brief, &plan, &scans).await?;
        let georef = grid::current_of(app, job, &brief, block.as_ref()).await?;
        let stands = match scans.is_empty() {
            true => Stands::of_passes(app, job, &brief).await?,
            false => Stands::new(block.as_ref(), georef.as_ref()),
        };
        Ok(Self { stands, scans, block, georef, plan, brief })
    }
}

/// A target that scans measured, in the frame that they stand in, metres and m².
#[derive(Clone)]
pub(crate) struct Measured {
    pub name: String,
    pub kind: TargetKind,
    pub at: Vec3,
    pub covariance: Mat3,
}

/// Where scans stand.
#[derive(Clone)]
pub(crate) struct Stands {
    pub frame: &'static str,
    /// From the frame they stand in to the grid, where it is that of the grid.
    map: Option<GridMap>,
    of: Vec<(Uuid, Pose, Matrix6<f64>)>,
    /// Spheres and boards that scans measured.
    pub targets: Vec<Measured>,
}

impl Stands {
    /// On the grid where the block is, else in the block.
    pub(crate) fn new(block: Option<&registration::Current>, georef: Option<&grid::Current>) -> Self {
        if let Some(g) = georef.filter(|g| !g.stale) {
            let of = |s: &crate::record::georeference::Station| (s.scan, Pose::from(&s.local), square(&s.covariance));
            let map = GridMap::from(&g.record.map);
            let target = |t: &crate::record::georeference::Target| Measured {
                name: t.name.clone(),
                kind: t.kind,
                at: map.inverse(&t.position.into()),
                covariance: Mat3::from_row_slice(&t.covariance),
            };
            let targets = g.record.targets.iter().filter(|t| t.used).map(target).collect();
            return Self { frame: "grid", of: g.record.stations.iter().map(of).collect(), targets, map: Some(map) };
        }
        let fresh = block.filter(|b| !b.stale && b.record.refused.is_none());
        let of = |s: &crate::record::registration::Scan| (s.id, Pose::from(&s.pose), square(&s.covariance));
        let targets = fresh.iter().flat_map(|b| &b.record.targets);
        let target = |t: &crate::record::registration::Target| Measured {
            name: t.name.clone(),
            kind: t.kind,
            at: t.position.into(),
            covariance: Mat3::from_row_slice(&t.covariance),
        };
        let targets = targets.filter(|t| t.scans > 1 || t.named).map(target).collect();
        let of = fresh.iter().flat_map(|b| b.record.scans.iter()).map(of).collect();
        Self { frame: "block", map: None, of, targets }
    }

    /// Where no scan stands, passes are on the grid as soon as one of them has a mark on control.
    async fn of_passes(app: &App, job: Uuid, brief: &Brief) -> Result<Self, ApiError> {
        let nowhere = Self::new(None, None);
        let passes = vistazo_store::passes::passes(&app.db, job).await?;
        if passes.iter().all(|p| p.marks == serde_json::json!([])) {
            return Ok(nowhere);
        }
        let control = vistazo_store::results::control(&app.db, job).await?;
        let map = grid::map_of_control(brief, &control)?;
        Ok(map.map_or(nowhere, |map| Self { frame: "grid", map: Some(map), of: Vec::new(), targets: Vec::new() }))
    }

    /// Whether the scans stand on the grid, or in a system of their own that is kept.
    pub(crate) fn is_on_grid(&self) -> bool {
        self.frame == "grid"
    }

    /// Where a scan stands, and how well that is known.
    pub(crate) fn of_scan(&self, scan: Uuid) -> Option<(Uuid, Pose, Matrix6<f64>)> {
        self.pose(scan).copied()
    }

    /// From where the scans stand to the grid; none where that is the block.
    pub(crate) fn map(&self) -> Option<GridMap> {
        self.map.clone()
    }

    /// Metres of the ground in one of the grid.
    pub(crate) fn ground_in_grid(&self) -> f64 {
        let grid = self.map.as_ref().filter(|m| m.output == Output::Grid);
        grid.and_then(|m| m.factors).map_or(1.0, |f| 1.0 / f.combined())
    }

    /// From the grid to where the scans stand.
    pub(crate) fn inverse(&self, grid: &Vec3) -> Vec3 {
        self.map.as_ref().map_or(*grid, |m| m.inverse(grid))
    }

    /// A sum over all scans and where they stand; none where that is not the grid.
    pub(crate) fn sum(&self, scans: &[ScanRow]) -> Option<String> {
        self.is_on_grid().then(|| self.state(scans))
    }

    /// A sum over all scans and where they stand, whatever they stand in.
    pub(crate) fn state(&self, scans: &[ScanRow]) -> String {
        let of = |(id, pose, known): &(Uuid, Pose, Matrix6<f64>)| {
            let key = scans.iter().find(|s| s.id == *id).map(|s| s.key.clone());
            (*id, key, rounded(pose), spread(known))
        };
        let origin = self.position(&Vec3::zeros());
        super::fingerprint(&(origin, self.of.iter().map(of).collect::<Vec<_>>()))
    }

    pub(crate) fn pose(&self, scan: Uuid) -> Option<&(Uuid, Pose, Matrix6<f64>)> {
        self.of.iter().find(|s| s.0 == scan)
    }

    /// A place as it is read.
    pub(crate) fn position(&self, p: &Vec3) -> [f64; 3] {
        self.map.as_ref().map_or(*p, |m| m.apply(p)).into()
    }
}

// to a hundredth of a millimetre: a registration that comes to the same changes nothing
fn round(v: f64) -> i64 {
    (v * 1e5).round() as i64
}

pub(super) fn rounded(pose: &Pose) -> Vec<i64> {
    pose.matrix().iter().chain(pose.translation.iter()).map(|v| round(*v)).collect()
}

pub(super) fn spread(known: &Matrix6<f64>) -> Vec<i64> {
    known.diagonal().iter().map(|v| round(v.max(0.0).sqrt())).collect()
}
