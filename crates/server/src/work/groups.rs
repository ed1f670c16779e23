//! Groups of scans: what is kept of their shape, and what of it goes into a registration.

use super::registration::{Inputs, current};
use super::{blocking, ties};
use crate::dto::{HoldWord, NewScanGroupDto, ScanGroupDto};
use crate::record::StoredPose;
use crate::record::measured::{flat, square};
use crate::{ApiError, App};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use uuid::Uuid;
use vistazo_core::geometry::{Error95, Pose};
use vistazo_core::registration::{HeldGroup, register};
use vistazo_store::field::{self, ScanRow};
use vistazo_store::groups::{self, GroupRow, GroupSet};

/// Where the scans of a held group stand in the frame of its first, and how well that is known.
#[derive(Debug, Serialize, Deserialize)]
struct Shape {
    first: Uuid,
    others: Vec<Standing>,
}

#[derive(Debug, Serialize, Deserialize)]
struct Standing {
    scan: Uuid,
    pose: StoredPose,
    /// Covariance by left increments, m² and rad², row by row.
    covariance: Vec<f64>,
}

fn shape(g: &GroupRow) -> Result<Option<Shape>, ApiError> {
    g.shape.as_ref().map(|v| crate::record::read(&format!("shape of the group “{}”", g.name), v.clone())).transpose()
}

/// What a held group says to the registration; `None` when its first scan is gone.
///
/// # Errors
/// Names the group whose shape cannot be read.
pub(crate) fn held(g: &GroupRow, index: impl Fn(Uuid) -> Option<usize>) -> Result<Option<HeldGroup>, ApiError> {
    let Some(shape) = shape(g)? else { return Ok(None) };
    let Some(first) = index(shape.first) else { return Ok(None) };
    let others = shape.others.iter().filter_map(|s| Some((index(s.scan)?, Pose::from(&s.pose), square(&s.covariance))));
    Ok(Some(HeldGroup { first, others: others.collect() }))
}

/// All groups of a job.
pub(crate) async fn list(app: &App, job: Uuid) -> Result<Vec<ScanGroupDto>, ApiError> {
    let scans = field::scans(&app.db, job).await?;
    groups::scan_groups(&app.db, job).await?.iter().map(|g| dto(g, &scans)).collect()
}

fn dto(g: &GroupRow, scans: &[ScanRow]) -> Result<ScanGroupDto, ApiError> {
    let there: Vec<&ScanRow> = scans.iter().filter(|s| g.scans.contains(&s.id)).collect();
    let spatial =
        |s: &Standing| Error95::from_covariance(&square(&s.covariance).fixed_view::<3, 3>(0, 0).into_owned()).spatial;
    Ok(ScanGroupDto {
        id: g.id,
        name: g.name.clone(),
        scans: there.iter().map(|s| s.id).collect(),
        names: there.iter().map(|s| s.name.clone()).collect(),
        hold: match g.hold.as_str() {
            "held" => HoldWord::Held,
            "apart" => HoldWord::Apart,
            _ => HoldWord::Free,
        },
        worst: shape(g)?.and_then(|s| s.others.iter().map(spatial).max_by(f64::total_cmp)),
        version: g.version,
    })
}

/// Keeps a new group, or what becomes of one.
pub(crate) async fn put(
    app: &App,
    job: Uuid,
    seen: Option<(Uuid, i32)>,
    to_be: &NewScanGroupDto,
) -> Result<ScanGroupDto, ApiError> {
    let name = to_be.name.trim();
    if name.is_empty() || name.chars().count() > 80 {
        return Err(ApiError::field("name", "expected a name of at most 80 characters"));
    }
    let scans = field::scans(&app.db, job).await?;
    let chosen: HashSet<Uuid> = to_be.scans.iter().copied().collect();
    let there: Vec<&ScanRow> = scans.iter().filter(|s| chosen.contains(&s.id)).collect();
    if there.is_empty() || there.len() != chosen.len() {
        return Err(ApiError::field(
            "scans",
            format!(
                "found {} that are of this job among {}, expected all of them, and at least one",
                there.len(),
                chosen.len()
            ),
        ));
    }
    let ids: Vec<Uuid> = there.iter().map(|s| s.id).collect();
    let was = match seen {
        Some((id, _)) => Some(groups::scan_group(&app.db, job, id).await?),
        None => None,
    };
    let shape = match (to_be.hold, was.filter(|w| w.hold == "held")) {
        (HoldWord::Held, Some(w)) => {
            if w.scans.iter().copied().collect::<HashSet<_>>() != chosen {
                return Err(ApiError::conflict(format!(
                    "“{}” is held in its shape; let it go to change its scans",
                    w.name
                )));
            }
            w.shape
        }
        (HoldWord::Held, None) => Some(serde_json::json!(as_registered(app, job, &there).await?)),
        _ => None,
    };
    let set = GroupSet { name, scans: &ids, hold: to_be.hold.word(), shape: shape.as_ref() };
    dto(&groups::put_group(&app.db, job, seen, &set).await?, &scans)
}

/// The shape of a group as the registration that stands has it.
async fn as_registered(app: &App, job: Uuid, group: &[&ScanRow]) -> Result<Shape, ApiError> {
    if group.len() < 2 {
        return Err(ApiError::field(
            "scans",
            format!("found {}, expected at least 2: one scan has no shape", group.len()),
        ));
    }
    let fresh = current(app, job).await?.is_some_and(|c| !c.stale && c.record.refused.is_none());
    if !fresh {
        return Err(ApiError::conflict(
            "nothing is registered as things stand; register first, then hold what came out",
        ));
    }
    let inputs = Inputs::load(app, job).await?;
    let ids: Vec<Uuid> = inputs.scans.iter().filter(|s| s.has_scanner).map(|s| s.id).collect();
    let wanted: Vec<(Uuid, String)> = group.iter().map(|s| (s.id, s.name.clone())).collect();
    let (input, _) = inputs.core_and_names()?;
    blocking(move || {
        let registration = register(&input);
        let place = |id: Uuid| registration.placed.scans.iter().position(|&s| ids[s] == id);
        let standing = |(id, name): &(Uuid, String)| {
            place(*id).ok_or_else(|| {
                ApiError::conflict(format!("{name} has no place in the registration; leave it out, or tie it first"))
            })
        };
        let places = wanted.iter().map(standing).collect::<Result<Vec<usize>, _>>()?;
        let block = registration
            .block
            .as_ref()
            .map_err(|_| ApiError::conflict("the block cannot be adjusted; nothing can be held"))?;
        let others = wanted.iter().zip(&places).skip(1).map(|((scan, _), &k)| {
            let (pose, covariance) = block.solution.relative(places[0], k);
            Standing { scan: *scan, pose: (&pose).into(), covariance: flat(&covariance) }
        });
        Ok(Shape { first: wanted[0].0, others: others.collect() })
    })
    .await?
}

/// Whether a scan is looked for among the others: not when its group is set apart.
pub(crate) fn is_apart(groups: &[GroupRow], scan: &ScanRow) -> bool {
    groups.iter().any(|g| g.hold == "apart" && g.scans.contains(&scan.id))
}

/// Scans that a search takes: those that a scanner took and that were not set apart.
pub(crate) fn searched<'a>(groups: &[GroupRow], all: &'a [ScanRow]) -> Vec<&'a ScanRow> {
    all.iter().filter(|s| ties::can_be_tied(s) && !is_apart(groups, s)).collect()
}
