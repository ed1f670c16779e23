//! From an adjusted block to the grid.

use super::network::StoredNetwork;
use crate::dto::{ControlResidualDto, Error95Dto, GeorefDto, GeorefResult, PoseDto, SourceDto, StationDto, TargetDto};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::adjust::solve;
use vistazo_core::geometry::{Error95, FitModel, Mat3, Vec3};
use vistazo_core::georef::{ControlPoint, Georeferenced, PointResidual, diagnose, georeference, match_control};
use vistazo_core::stats::K95_1D;
use vistazo_store::results::{self, ControlRow};

/// What georeferencing depends on.
fn fingerprint(adjustment: &results::Adjustment, control: &[ControlRow]) -> String {
    let control: Vec<_> =
        control.iter().map(|c| (&c.name, c.e, c.n, c.h, c.sigma_h, c.sigma_v, c.is_check, &c.target)).collect();
    super::fingerprint(&(adjustment.id, control))
}

/// The last georeferencing, and whether it is still of what is there.
pub(crate) async fn current(app: &App, job: Uuid) -> Result<Option<(String, GeorefDto)>, ApiError> {
    let Some(stored) = results::georef(&app.db, job).await? else { return Ok(None) };
    let result: GeorefResult = serde_json::from_value(stored.result)
        .map_err(|e| ApiError::bad(format!("the stored georeferencing cannot be read: {e}")))?;
    let stale = match super::block::current(app, job).await? {
        Some((row, dto)) => dto.stale || fingerprint(&row, &results::control(&app.db, job).await?) != stored.inputs,
        None => true,
    };
    Ok(Some((stored.inputs, GeorefDto { stale, result })))
}

/// Fits the block to control and stores the result.
pub(crate) async fn run(app: &App, job: Uuid, model: FitModel) -> Result<GeorefDto, ApiError> {
    let Some((row, dto)) = super::block::current(app, job).await? else {
        return Err(ApiError::conflict(
            "the block is not adjusted yet: run the registration first, control only goes on an adjusted network",
        ));
    };
    if let Some(reason) = &dto.result.refused {
        return Err(ApiError::conflict(format!("the block is not adjusted: {reason}")));
    }
    if dto.stale {
        return Err(ApiError::conflict(
            "scans or observations changed since the block was adjusted: run the registration again first",
        ));
    }
    let control = results::control(&app.db, job).await?;
    let inputs = fingerprint(&row, &control);
    let stored: StoredNetwork = serde_json::from_value(results::network(&app.db, row.id).await?)
        .map_err(|e| ApiError::bad(format!("the stored network cannot be read: {e}")))?;
    let result = super::blocking(move || compute(&stored, &control, model)).await??;
    results::put_georef(&app.db, job, &inputs, &serde_json::json!(result)).await?;
    Ok(GeorefDto { stale: false, result })
}

fn compute(stored: &StoredNetwork, control: &[ControlRow], model: FitModel) -> Result<GeorefResult, ApiError> {
    let block = solve(stored.to_core()).map_err(|e| ApiError::conflict(e.to_string()))?;
    let levelled = stored.scans.iter().any(|s| s.level_sigma.is_some());
    let known: Vec<(String, Vec3, Vec3)> = control
        .iter()
        .map(|c| (c.name.clone(), Vec3::new(c.e, c.n, c.h), Vec3::new(c.sigma_h, c.sigma_h, c.sigma_v)))
        .collect();
    let targets: Vec<(String, Vec3, Mat3)> = stored
        .targets
        .iter()
        .enumerate()
        .map(|(k, t)| (t.name.clone(), block.targets[k], block.target_covariance(k)))
        .collect();
    let mut matched = match_control(&known, &targets, levelled);
    for (i, c) in control.iter().enumerate() {
        if let Some(name) = &c.target {
            let at = stored.targets.iter().position(|t| t.name.eq_ignore_ascii_case(name));
            matched.targets.iter_mut().for_each(|t| {
                if at.is_some() && *t == at {
                    *t = None
                }
            });
            matched.targets[i] = at;
            matched.by_name[i] = at.is_some();
        }
    }
    let points: Vec<ControlPoint> = control
        .iter()
        .zip(&known)
        .zip(&matched.targets)
        .map(|((c, k), t)| ControlPoint {
            name: c.name.clone(),
            position: k.1,
            sigma: k.2,
            check: c.is_check,
            target: *t,
        })
        .collect();
    let usable = points.iter().filter(|p| !p.check && p.target.is_some()).count();
    let hint = || {
        let words = diagnose(&known, &targets, levelled).map(|d| format!(". {d}"));
        words.unwrap_or_else(|| {
            if matched.ambiguous {
                ". The layout fits in more than one way: name the targets".into()
            } else {
                String::new()
            }
        })
    };
    let fitted = georeference(&block, &points, model)
        .map_err(|e| ApiError::conflict(format!("{e}{}", if usable < 3 { hint() } else { String::new() })))?;
    Ok(to_dto(stored, &points, control, &matched.by_name, fitted))
}

fn to_dto(
    stored: &StoredNetwork,
    points: &[ControlPoint],
    control: &[ControlRow],
    by_name: &[bool],
    g: Georeferenced,
) -> GeorefResult {
    let residual = |r: &PointResidual| ControlResidualDto {
        control: control[r.control].id,
        name: points[r.control].name.clone(),
        target: points[r.control].target.map_or(String::new(), |t| stored.targets[t].name.clone()),
        residual: r.residual.into(),
        expected: r.expected.into(),
        p_value: r.p_value,
        by_name: by_name[r.control],
    };
    let sources = |k: usize| {
        let all = g.target_covariances[k].trace().max(1e-18);
        let (control, level) = (g.from_control[k].trace() / all, g.from_level[k].trace() / all);
        vec![
            SourceDto { name: "control".into(), share: control },
            SourceDto { name: "measuring the targets".into(), share: (1.0 - control - level).max(0.0) },
            SourceDto { name: "levelling".into(), share: level },
        ]
    };
    GeorefResult {
        model: match g.model {
            FitModel::Levelled => "levelled",
            FitModel::Rigid => "rigid",
            FitModel::Similarity => "similarity",
        }
        .into(),
        scale: g.fit.scale,
        scale_sigma: g.scale_sigma,
        transform: PoseDto::from(&g.fit.pose),
        stations: stored
            .scans
            .iter()
            .enumerate()
            .map(|(k, s)| StationDto {
                scan: s.id,
                name: s.name.clone(),
                pose: PoseDto::from(&g.poses[k]),
                error: Error95Dto::from(Error95::from_covariance(
                    &g.pose_covariances[k].fixed_view::<3, 3>(0, 0).into_owned(),
                )),
                heading95: g.pose_covariances[k][(5, 5)].max(0.0).sqrt() * K95_1D,
                targets: stored.observations.iter().filter(|o| o.active && o.scan == k).count(),
                covariance: g.pose_covariances[k].transpose().iter().copied().collect(),
            })
            .collect(),
        targets: stored
            .targets
            .iter()
            .enumerate()
            .map(|(k, t)| TargetDto {
                name: t.name.clone(),
                kind: t.kind.clone(),
                position: g.targets[k].into(),
                error: Error95Dto::from(g.target_error(k)),
                scans: stored.observations.iter().filter(|o| o.active && o.target == k).count(),
                sources: sources(k),
            })
            .collect(),
        residuals: g.residuals.iter().map(residual).collect(),
        checks: g.checks.iter().map(residual).collect(),
        unmatched: points.iter().filter(|p| p.target.is_none()).map(|p| p.name.clone()).collect(),
        sum: g.sum,
        dof: g.dof,
        global_p: g.global_p,
        variance_factor: g.variance_factor,
        warnings: g.warnings,
    }
}
