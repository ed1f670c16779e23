//! How well what a slice shows of one scan or pass is known beside what it shows of another.

use super::slices::Sliced;
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::compare::by_pose;
use vistazo_core::geometry::{Pose, Vec3};

impl Sliced {
    /// How well a place lies along a direction in a scan or a pass, beside where it lies in the first: variances, m². What
    /// passes have in common with the scans is not counted off.
    pub(super) async fn beside(
        &self,
        app: &App,
        first: Uuid,
        (at, normal): (&Vec3, &Vec3),
    ) -> Result<impl Fn(Uuid) -> f64, ApiError> {
        let walked = |pass: Uuid| {
            let (_, c) = self.walked.iter().find(|w| w.0.id == pass)?;
            let off = |k: usize| (c.poses[k].translation - at).norm();
            let nearest = (0..c.times.len()).min_by(|a, b| off(*a).total_cmp(&off(*b)))?;
            Some(normal.dot(&(c.covariance(c.times[nearest], at) * normal)))
        };
        let known: Vec<(Uuid, f64)> = self.walked.iter().filter_map(|w| Some((w.0.id, walked(w.0.id)?))).collect();
        let own = move |id: Uuid| known.iter().find(|k| k.0 == id).map(|k| k.1);
        let of_first = own(first);
        let relations = if self.all.scans.is_empty() { None } else { Some(self.all.relations(app).await?) };
        let (a, at, normal) = (self.all.stands.of_scan(first), *at, *normal);
        let poses: Vec<(Uuid, Pose)> =
            (self.all.scans.iter()).filter_map(|s| self.all.stands.of_scan(s.id).map(|p| (p.0, p.1))).collect();
        Ok(move |scan: Uuid| {
            if scan == first {
                return 0.0;
            }
            let pass = own(scan);
            if pass.is_some() || of_first.is_some() {
                return pass.unwrap_or_default() + of_first.unwrap_or_default();
            }
            let (Some(relations), Some((_, a, _)), Some((_, b))) = (&relations, &a, poses.iter().find(|p| p.0 == scan))
            else {
                return 0.0;
            };
            let back = a.inverse();
            relations.of(first, scan).map_or(0.0, |covariance| {
                by_pose((&back.apply(&at), &(back.rotation * normal)), &back.compose(b), &covariance)
            })
        })
    }
}
