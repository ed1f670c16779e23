//! A scan with what of it stays after cleaning, counted on all cores.

use super::cleaning::{self, Cleaning};
use super::files;
use crate::{ApiError, App};
use rayon::prelude::*;
use vistazo_core::clean::Class;
use vistazo_core::geometry::Vec3;
use vistazo_core::scan::Scan;
use vistazo_store::field::ScanRow;

/// A scan and the classes of its points; none where nothing was cleaned.
pub(crate) struct Staying {
    pub scan: Scan,
    classes: Vec<Class>,
}

impl Staying {
    pub(crate) async fn load(app: &App, cleaned: &Cleaning, row: &ScanRow) -> Result<Self, ApiError> {
        let scan = files::scan(app, row).await?;
        let classes = match cleaned.kept.get(&row.id) {
            Some(c) => cleaning::classes(app, c).await?,
            None => Vec::new(),
        };
        Ok(Self { scan, classes })
    }

    pub(crate) fn stays(&self, k: usize) -> bool {
        self.classes.get(k).is_none_or(|c| *c == Class::Kept)
    }

    /// Takes the points that stay, in the frame of the scan, in parts side by side, and joins what came of each.
    pub(crate) fn counted<T: Send>(
        &self,
        part: impl Fn(&mut dyn Iterator<Item = Vec3>) -> T + Sync,
        join: impl Fn(T, T) -> T + Sync + Send,
    ) -> Option<T> {
        counted([0, self.scan.points.len()], |k| self.stays(k).then(|| self.scan.at(k)), part, join)
    }
}

/// Takes points by their numbers, from and to, in parts side by side, and joins what came of each.
pub(super) fn counted<T: Send>(
    [from, to]: [usize; 2],
    point: impl Fn(usize) -> Option<Vec3> + Sync,
    part: impl Fn(&mut dyn Iterator<Item = Vec3>) -> T + Sync,
    join: impl Fn(T, T) -> T + Sync + Send,
) -> Option<T> {
    let chunk = (to - from).div_ceil(rayon::current_num_threads()).max(1);
    let of = |k: usize| {
        let first = from + k * chunk;
        part(&mut (first..(first + chunk).min(to)).filter_map(&point))
    };
    (0..(to - from).div_ceil(chunk)).into_par_iter().map(of).reduce_with(join)
}
