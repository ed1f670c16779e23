//! What is taken out of the clouds: which steps count, what each scan is cleaned from, the classes of its points.

use super::cloud;
use super::stands::{Standing, Stands};
use crate::dto::{CleanDto, CleanedScanDto, CleaningDto, CleaningStepDto, CloudDto, CutDto};
use crate::{ApiError, App};
use nalgebra::Matrix6;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::clean::{Chosen, Class};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::slice::Cut;
use vistazo_store::cleaning::{self, ClassesRow, CleaningRow};
use vistazo_store::field::ScanRow;

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
    stands: Stands,
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
            if let Some(frame) = asked.frame()
                && !frames.contains_key(frame)
            {
                let own = cloud::cloud(app, job, Some(frame)).await?;
                // a frame that is not there any more is told by its name
                frames.insert(frame.to_owned(), own);
            }
        }
        let Standing { scans, stands, .. } = Standing::load(app, job).await?;
        Ok(Self {
            scans,
            stands,
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

    /// What somebody chose, in the frame of a scan.
    pub(crate) fn chosen(&self, scan: Uuid) -> Vec<Chosen> {
        let placed = |frame: &str| {
            let frame = self.frames.get(frame).filter(|f| f.frame == frame)?;
            let own = frame.scans.iter().find(|s| s.id == scan)?;
            let mut pose = Pose::from(&own.pose);
            pose.translation += Vec3::from(frame.origin);
            Some(pose)
        };
        let slab = |frame: &str, cut: &CutDto| {
            // slices speak of the grid by its map, clouds of true metres about its origin
            let at = if frame == self.stands.frame { self.stands.inverse(&Vec3::from(cut.at)) } else { return None };
            let (_, pose, _) = self.stands.of_scan(scan)?;
            Some(cut.to_core(at).ok()?.seen_by(&pose))
        };
        let of = |step: &CleanDto| match step {
            CleanDto::Stray {} | CleanDto::Moved {} | CleanDto::Mirror {} => None,
            CleanDto::Box(b) => {
                let to = Pose::levelled(b.turn, Vec3::from(b.middle)).inverse().compose(&placed(&b.frame)?);
                Some(Chosen::Box(to, Vec3::from(b.half)))
            }
            CleanDto::Outline(o) => {
                let cut = slab(&o.frame, &o.cut)?;
                Some(Chosen::Outline { cut, line: o.line.clone(), outside: o.outside })
            }
            CleanDto::Behind(b) => Some(Chosen::Behind(slab(&b.frame, &b.cut)?)),
            CleanDto::Gate(g) => Some(Chosen::Gate { range: g.range, intensity: g.intensity }),
        };
        self.active().filter_map(of).collect()
    }

    /// What the classes of a scan are made from; none where nothing is looked for.
    pub(crate) fn inputs(&self, scan: &ScanRow) -> Option<String> {
        self.active().next()?;
        let moved = self.looks_for(&CleanDto::Moved {}) || self.looks_for(&CleanDto::Mirror {});
        let others = if moved { self.others(scan.id) } else { Vec::new() };
        // to a tenth of a millimetre: a registration that comes to the same changes nothing
        let round =
            |p: &Pose| p.matrix().iter().chain(p.translation.iter()).map(|v| (v * 1e4) as i64).collect::<Vec<_>>();
        let others: Vec<_> = others.iter().map(|(id, p, _)| (id, round(p))).collect();
        let chosen: Vec<_> = self.chosen(scan.id).iter().map(|c| summed(c, round)).collect();
        Some(super::fingerprint(&(
            1,
            &scan.key,
            self.looks_for(&CleanDto::Stray {}),
            others,
            chosen,
            self.looks_for(&CleanDto::Mirror {}),
        )))
    }

    /// Something that was drawn in a frame which is not there any more: why nothing can be said of it.
    pub(crate) fn lost(&self) -> Option<String> {
        let there = |frame: &str| self.frames.get(frame).is_some_and(|f| f.frame == frame);
        let lost = |(r, asked): &&(CleaningRow, CleanDto)| r.active && asked.frame().is_some_and(|f| !there(f));
        let (row, _) = self.steps.iter().find(lost)?;
        let frame = row.options["frame"].as_str().unwrap_or_default();
        Some(format!(
            "what {} chose was drawn in the frame “{frame}”, and the clouds are not there now: bring them there again, or undo it",
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
            // rows of earlier programs know fewer classes
            let counts: Vec<u64> = serde_json::from_value(self.kept.get(&s.id)?.counts.clone()).ok()?;
            let of = |c: Class| counts.get(c as usize).copied().unwrap_or_default();
            Some(CleanedScanDto {
                id: s.id,
                name: s.name.clone(),
                points: s.points,
                single: of(Class::Single),
                edge: of(Class::Edge),
                moved: of(Class::Moved),
                chosen: of(Class::Chosen),
                ghost: of(Class::Ghost),
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

/// What somebody chose, to a tenth of a millimetre.
fn summed(c: &Chosen, round: impl Fn(&Pose) -> Vec<i64>) -> serde_json::Value {
    let fine = |v: f64| (v * 1e4) as i64;
    let slab = |cut: &Cut| {
        let own = [cut.at, cut.across, cut.up].map(|v| [fine(v.x), fine(v.y), fine(v.z)]);
        serde_json::json!([own, fine(cut.thickness)])
    };
    match c {
        // as it was summed before there was anything but boxes
        Chosen::Box(p, h) => serde_json::json!((round(p), [h.x, h.y, h.z])),
        Chosen::Outline { cut, line, outside } => serde_json::json!((slab(cut), line, outside)),
        Chosen::Behind(cut) => serde_json::json!(("behind", slab(cut))),
        Chosen::Gate { range, intensity } => serde_json::json!((range, intensity)),
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
