//! What is taken out of the clouds: which steps count, what each scan is cleaned from, the classes of its points.

use super::cloud;
use crate::dto::{CleanDto, CleanedScanDto, CleaningDto, CleaningStepDto, CloudDto};
use crate::{ApiError, App};
use nalgebra::Matrix6;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::clean::Class;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_store::cleaning::{self, ClassesRow, CleaningRow};
use vistazo_store::field::{self, ScanRow};

/// Scans beside one that are asked what they saw through: the nearest.
const ASKED: usize = 12;

/// Everything that classes depend on.
pub(crate) struct Cleaning {
    pub scans: Vec<ScanRow>,
    steps: Vec<(CleaningRow, CleanDto)>,
    pub kept: HashMap<Uuid, ClassesRow>,
    /// The clouds in the frame that what moved is judged in, and in each frame that a box is of.
    frames: HashMap<String, CloudDto>,
    best: CloudDto,
}

impl Cleaning {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let rows = cleaning::cleanings(&app.db, job).await?;
        let read = |r: CleaningRow| {
            let asked = serde_json::json!({ "what": r.what, "options": r.options });
            Ok::<_, ApiError>((r, crate::record::read::<CleanDto>("a step of cleaning", asked)?))
        };
        let steps = rows.into_iter().map(read).collect::<Result<Vec<_>, _>>()?;
        let mut frames = HashMap::new();
        for (_, asked) in steps.iter().filter(|s| s.0.active) {
            if let CleanDto::Box(b) = asked
                && !frames.contains_key(&b.frame)
            {
                let own = cloud::cloud(app, job, Some(&b.frame)).await?;
                // a frame that is not there any more is told by its name
                frames.insert(b.frame.clone(), own);
            }
        }
        Ok(Self {
            scans: field::scans(&app.db, job).await?,
            kept: cleaning::scan_classes(&app.db, job).await?.into_iter().map(|c| (c.scan_id, c)).collect(),
            best: cloud::cloud(app, job, None).await?,
            steps,
            frames,
        })
    }

    fn active(&self) -> impl Iterator<Item = &CleanDto> {
        self.steps.iter().filter(|s| s.0.active).map(|s| &s.1)
    }

    pub(crate) fn looks_for(&self, what: &CleanDto) -> bool {
        self.active().any(|s| s == what)
    }

    /// The scans that may have seen through places of one: nearest first, with the pose from its frame to theirs and how
    /// far both may be beside each other, 1σ, metres. None where it was not registered.
    pub(crate) fn others(&self, scan: Uuid) -> Vec<(Uuid, Pose, f64)> {
        let Some(own) = self.best.scans.iter().find(|s| s.id == scan).filter(|s| s.covariance.len() == 36) else {
            return Vec::new();
        };
        let place = Pose::from(&own.pose);
        let sigma = |c: &[f64]| (Matrix6::from_row_slice(c).fixed_view::<3, 3>(0, 0).trace() / 3.0).max(0.0).sqrt();
        let mut out: Vec<_> = (self.best.scans.iter())
            .filter(|s| s.id != scan && s.covariance.len() == 36)
            .map(|s| {
                let there = Pose::from(&s.pose).inverse().compose(&place);
                (s.id, there, sigma(&own.covariance).hypot(sigma(&s.covariance)))
            })
            .collect();
        out.sort_by(|a, b| a.1.translation.norm().total_cmp(&b.1.translation.norm()));
        out.truncate(ASKED);
        out
    }

    /// The boxes in the frame of a scan: from there to the cube from −1 to 1.
    pub(crate) fn boxes(&self, scan: Uuid) -> Vec<(Pose, Vec3)> {
        let of = |step: &CleanDto| {
            let CleanDto::Box(b) = step else { return None };
            let frame = self.frames.get(&b.frame).filter(|f| f.frame == b.frame)?;
            let own = frame.scans.iter().find(|s| s.id == scan)?;
            let mut pose = Pose::from(&own.pose);
            pose.translation += Vec3::from(frame.origin);
            Some((Pose::levelled(b.turn, Vec3::from(b.middle)).inverse().compose(&pose), Vec3::from(b.half)))
        };
        self.active().filter_map(of).collect()
    }

    /// What the classes of a scan are made from; none where nothing is looked for.
    pub(crate) fn inputs(&self, scan: &ScanRow) -> Option<String> {
        self.active().next()?;
        let moved = self.looks_for(&CleanDto::Moved {});
        let others = if moved { self.others(scan.id) } else { Vec::new() };
        // to a tenth of a millimetre: a registration that comes to the same changes nothing
        let round =
            |p: &Pose| p.matrix().iter().chain(p.translation.iter()).map(|v| (v * 1e4) as i64).collect::<Vec<_>>();
        let others: Vec<_> = others.iter().map(|(id, p, _)| (id, round(p))).collect();
        let boxes: Vec<_> = self.boxes(scan.id).iter().map(|(p, h)| (round(p), [h.x, h.y, h.z])).collect();
        Some(super::fingerprint(&(1, &scan.key, self.looks_for(&CleanDto::Stray {}), others, boxes)))
    }

    /// A box that was drawn in a frame which is not there any more: why nothing can be said of it.
    pub(crate) fn lost_box(&self) -> Option<String> {
        let lost = |(r, asked): &&(CleaningRow, CleanDto)| matches!(asked, CleanDto::Box(b) if r.active && self.frames.get(&b.frame).is_none_or(|f| f.frame != b.frame));
        let (row, _) = self.steps.iter().find(lost)?;
        let frame = row.options["frame"].as_str().unwrap_or_default();
        Some(format!(
            "a box of {} was drawn in the frame “{frame}”, and the clouds are not there now: bring them there again, or undo the box",
            row.by
        ))
    }

    /// The scans whose classes are not those of what is asked for now.
    pub(crate) fn to_do(&self) -> Vec<&ScanRow> {
        let kept = |s: &ScanRow| self.kept.get(&s.id).map(|k| k.inputs.clone());
        self.scans.iter().filter(|s| kept(s) != self.inputs(s)).collect()
    }

    pub(crate) fn to_dto(&self) -> CleaningDto {
        let stale: Vec<Uuid> = self.to_do().iter().map(|s| s.id).collect();
        let scans = self.scans.iter().filter_map(|s| {
            let counts: [u64; 5] = serde_json::from_value(self.kept.get(&s.id)?.counts.clone()).ok()?;
            let of = |c: Class| counts[c as usize];
            Some(CleanedScanDto {
                id: s.id,
                name: s.name.clone(),
                points: s.points,
                single: of(Class::Single),
                edge: of(Class::Edge),
                moved: of(Class::Moved),
                chosen: of(Class::Chosen),
                stale: stale.contains(&s.id),
            })
        });
        let steps = self.steps.iter().map(|(r, asked)| CleaningStepDto {
            id: r.id,
            asked: asked.clone(),
            active: r.active,
            version: r.version,
            by: r.by.clone(),
            at: r.made_at,
        });
        CleaningDto { steps: steps.collect(), scans: scans.collect(), stale: !stale.is_empty() }
    }
}

/// The classes of the points of a scan; none where nothing is taken out of it.
pub(crate) async fn classes(app: &App, row: &ClassesRow) -> Result<Vec<Class>, ApiError> {
    let bytes = app.objects.bytes(&format!("{}/classes", row.key)).await?;
    Ok(bytes.iter().map(|b| Class::from_u8(*b)).collect())
}

/// A sum of what is taken out, for what is made of the clouds; empty where nothing is.
pub(crate) async fn state(app: &App, job: Uuid) -> Result<String, ApiError> {
    let rows = cleaning::scan_classes(&app.db, job).await?;
    let of: Vec<_> = rows.iter().map(|r| (r.scan_id, &r.inputs)).collect();
    Ok(if of.is_empty() { String::new() } else { super::fingerprint(&of) })
}
