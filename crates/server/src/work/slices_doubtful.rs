//! Slices at the places of a job where doubt is greatest: across a surface that two scans show.

use super::compare::result;
use super::slices::{ASPECT, Sliced};
use super::ties;
use crate::dto::CutDto;
use crate::record::comparison::{ChangeWord, StoredComparison, StoredPlace};
use crate::{ApiError, App, words};
use rayon::prelude::*;
use std::collections::HashSet;
use uuid::Uuid;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::slice::{self, Choice, Doubt, doubtful};
use vistazo_formats::working_cloud;
use vistazo_store::comparisons::{self, ComparisonRow};

/// Width of a slice at a doubtful place, metres; its thickness at least and at most, and as a share of the farther distance:
/// a thinner one falls between the points of a scan.
const CLOSE: f64 = 1.6;
const THIN: [f64; 2] = [0.03, 0.2];
const SHARE: f64 = 0.006;
/// Fewer places shared say little of two scans.
const FEWEST: usize = 300;
/// So near a place its surface is looked at, metres.
const NEAR: f64 = 0.25;
/// Steeper than this is cut by a level slice: vertical part of the normal.
const STEEP: f64 = 0.7;

/// A slice where doubt is great.
pub(super) struct Doubtful {
    pub key: String,
    pub said: String,
    pub pair: [Uuid; 2],
    pub cut: CutDto,
}

impl Sliced {
    /// Where doubt is greatest.
    pub(super) async fn chosen(&self, app: &App, job: Uuid) -> Result<Vec<Doubtful>, ApiError> {
        let rows: Vec<&ComparisonRow> = {
            let here = |id: Uuid| self.all.stands.pose(id).is_some();
            // what was compared of other poses says nothing of those that stand
            let stale: Vec<(Uuid, Uuid)> = self.all.to_do().iter().map(|p| (p.a.id, p.b.id)).collect();
            let fresh = |r: &&ComparisonRow| !stale.contains(&(r.scan_a, r.scan_b));
            self.all.rows.iter().filter(|r| here(r.scan_a) && here(r.scan_b)).filter(fresh).collect()
        };
        let results = rows.iter().map(|r| result(r)).collect::<Result<Vec<_>, _>>()?;
        let usable: Vec<usize> = (0..rows.len()).filter(|&k| results[k].places >= FEWEST).collect();
        if usable.is_empty() {
            return Ok(Vec::new());
        }
        let tied = self.tied(app, job).await?;
        let pairs: Vec<slice::Compared> = usable
            .iter()
            .map(|&k| {
                let (row, c) = (rows[k], &results[k]);
                let apart = c.regions.iter().filter(|r| matches!(r.kind, ChangeWord::Apart));
                let first = self.all.stands.pose(row.scan_a).map_or_else(Pose::identity, |s| s.1);
                let place = |r: &crate::record::comparison::StoredRegion| {
                    let times = r.distance.unwrap_or_default().abs() / r.detectable.max(1e-6);
                    (first.apply(&Vec3::from(r.middle)), times)
                };
                slice::Compared {
                    misfit: c.misfit.map(|m| m[0]),
                    detectable: c.detectable,
                    tied: tied.contains(&sorted(row.scan_a, row.scan_b)),
                    apart: apart.map(place).collect(),
                }
            })
            .collect();
        let mut out = Vec::new();
        for c in doubtful(&pairs) {
            let k = usable[c.pair];
            out.extend(self.at_place(app, job, (rows[k], &results[k]), &c).await?);
        }
        Ok(out)
    }

    /// Pairs of scans that a tie or shared targets join.
    async fn tied(&self, app: &App, job: Uuid) -> Result<HashSet<(Uuid, Uuid)>, ApiError> {
        let mut out = HashSet::new();
        if let Some(block) = &self.all.block {
            let detail = super::registration::detail(app, block.row.id).await?;
            let scan = |k: usize| block.record.scans.get(k).map(|s| s.id);
            out.extend(detail.ties.iter().filter_map(|t| Some(sorted(scan(t.scans.0)?, scan(t.scans.1)?))));
        }
        let clouds = vistazo_store::ties::cloud_ties(&app.db, job).await?;
        out.extend(clouds.iter().filter(|t| ties::takes_part(t)).map(|t| sorted(t.scan_a, t.scan_b)));
        Ok(out)
    }

    /// A slice across the surface at a doubtful place.
    async fn at_place(
        &self,
        app: &App,
        job: Uuid,
        (row, c): (&ComparisonRow, &StoredComparison),
        choice: &Choice,
    ) -> Result<Option<Doubtful>, ApiError> {
        let (Some((_, first, _)), Some((_, second, _)), Some(scan)) = (
            self.all.stands.pose(row.scan_a),
            self.all.stands.pose(row.scan_b),
            self.all.scans.iter().find(|s| s.id == row.scan_a),
        ) else {
            return Ok(None);
        };
        let (_, places) = comparisons::comparison(&app.db, job, row.id).await?;
        let places: Vec<StoredPlace> = crate::record::read(&format!("places of the comparison {}", row.id), places)?;
        let Some(own) = place(&places, choice, (first, second)) else { return Ok(None) };
        let at = first.apply(&own);
        let bytes = app.objects.bytes(&format!("{}/cloud", scan.key)).await?;
        let normal = first.rotation * super::blocking(move || facing(&bytes, &own)).await??;
        let bearing = if normal.z.abs() < STEEP {
            90.0
        } else {
            // along the line between the scanners, so that both slopes show
            let line = second.translation - first.translation;
            line.x.atan2(line.y).to_degrees().rem_euclid(180.0)
        };
        let pair = format!("{}–{}", self.all.name(row.scan_a), self.all.name(row.scan_b));
        let apart = c
            .regions
            .iter()
            .filter(|r| matches!(r.kind, ChangeWord::Apart))
            .min_by(|p, q| (Vec3::from(p.middle) - own).norm().total_cmp(&(Vec3::from(q.middle) - own).norm()))
            .and_then(|r| r.distance);
        let cut = CutDto {
            at: self.all.stands.position(&at),
            bearing,
            tilt: if normal.z.abs() < STEEP { 0.0 } else { 90.0 },
            width: CLOSE,
            height: CLOSE / ASPECT,
            thickness: (SHARE * own.norm().max((at - second.translation).norm())).clamp(THIN[0], THIN[1]),
        };
        let coarse =
            if choice.at.is_some() { format!(" {:.0} {:.0} {:.0}", own.x, own.y, own.z) } else { String::new() };
        let key = format!("{:?} {} {}{coarse}", choice.why, row.scan_a, row.scan_b);
        let said = words::slices::why(&self.all.brief, choice.why, &pair, c, apart);
        Ok(Some(Doubtful { key, said, pair: [row.scan_a, row.scan_b], cut }))
    }
}

fn sorted(a: Uuid, b: Uuid) -> (Uuid, Uuid) {
    (a.min(b), a.max(b))
}

/// The place of a choice in the frame of the first scan: the one that is named, or of the third that both stand nearest to
/// the one that is as doubtful as three in four are not.
fn place(places: &[StoredPlace], choice: &Choice, (first, second): (&Pose, &Pose)) -> Option<Vec3> {
    let at = |p: &StoredPlace| Vec3::new(p[0], p[1], p[2]);
    if let Some(named) = choice.at {
        let own = first.inverse().apply(&named);
        return places.iter().map(at).min_by(|p, q| (p - own).norm().total_cmp(&(q - own).norm()));
    }
    let other = first.inverse().apply(&second.translation);
    let far = |p: &StoredPlace| at(p).norm().max((at(p) - other).norm());
    let doubt = |p: &StoredPlace| if choice.why == Doubt::Twice { p[3].abs() } else { p[4] };
    let mut all: Vec<&StoredPlace> = places.iter().collect();
    all.sort_by(|p, q| far(p).total_cmp(&far(q)));
    all.truncate(places.len().div_ceil(3));
    all.sort_by(|p, q| doubt(p).total_cmp(&doubt(q)));
    all.get(all.len() * 3 / 4).map(|p| at(p))
}

/// The normal of the surface at a place, in the scanner's frame.
fn facing(cloud: &[u8], at: &Vec3) -> Result<Vec3, ApiError> {
    let cloud = working_cloud::read(cloud).map_err(|e| ApiError::bad(e.to_string()))?;
    let near = |(p, n): (&[f32; 3], &[i8; 3])| {
        let off = (Vec3::from(p.map(f64::from)) - at).norm();
        (off < NEAR && *n != [0; 3]).then(|| (off, Vec3::from(n.map(f64::from))))
    };
    let all: Vec<(f64, Vec3)> = cloud.points.par_iter().zip(&cloud.normals).filter_map(near).collect();
    let Some((_, nearest)) = all.iter().min_by(|a, b| a.0.total_cmp(&b.0)) else { return Ok(Vec3::x()) };
    let alike = all.iter().filter(|(_, n)| n.dot(nearest) > 0.0).map(|n| n.1).sum::<Vec3>();
    Ok(alike.try_normalize(1e-6).unwrap_or_else(Vec3::x))
}
