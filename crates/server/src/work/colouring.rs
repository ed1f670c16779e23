//! Photographs: where they were taken from, which of them colour a scan, and the colours of its points.

use super::stands::{Standing, Stands};
use crate::dto::{CameraFitDto, ColouredScanDto, PhotoDto, PhotosDto, PickedDto};
use crate::{ApiError, App};
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::colour::{Camera, Fit, Pair, resect};
use vistazo_core::geometry::Vec3;
use vistazo_core::scan::Scan;
use vistazo_store::cleaning::{self, ClassesRow};
use vistazo_store::field::ScanRow;
use vistazo_store::photos::{self, ColoursRow, PhotoRow};

/// A photograph with what was picked in it.
pub(crate) struct Photograph {
    pub row: PhotoRow,
    pub picks: Vec<PickedDto>,
    pub masks: Vec<[f64; 4]>,
    /// Where it was taken from, in the frame that the scans stand in; or why that is not known.
    pub fit: Result<Fit, String>,
}

impl Photograph {
    /// The camera, where the photograph colours something.
    pub(crate) fn camera(&self) -> Option<Camera> {
        self.fit.as_ref().ok().filter(|_| self.row.used).map(|f| f.camera)
    }

    pub(crate) fn size(&self) -> [f64; 2] {
        [f64::from(self.row.width), f64::from(self.row.height)]
    }
}

/// Everything that colours depend on.
pub(crate) struct Colouring {
    pub scans: Vec<ScanRow>,
    pub stands: Stands,
    pub photos: Vec<Photograph>,
    pub classes: HashMap<Uuid, ClassesRow>,
    kept: Vec<ColoursRow>,
}

impl Colouring {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let Standing { scans, stands, .. } = Standing::load(app, job).await?;
        let mut read = Vec::new();
        for row in photos::photos(&app.db, job).await? {
            let picks: Vec<PickedDto> = crate::record::read("picks of a photograph", row.picks.clone())?;
            let masks: Vec<[f64; 4]> = crate::record::read("masks of a photograph", row.masks.clone())?;
            read.push((row, picks, masks));
        }
        let (photos, stands) = super::blocking(move || {
            let of = |(row, picks, masks): (PhotoRow, Vec<PickedDto>, Vec<[f64; 4]>)| {
                let fit = placed(&row, &picks, &stands);
                Photograph { row, picks, masks, fit }
            };
            (read.into_iter().map(of).collect::<Vec<_>>(), stands)
        })
        .await?;
        let classes = cleaning::scan_classes(&app.db, job).await?.into_iter().map(|c| (c.scan_id, c)).collect();
        Ok(Self { kept: photos::scan_colours(&app.db, job).await?, scans, stands, photos, classes })
    }

    /// Whether some photograph colours something.
    pub(crate) fn has_camera(&self) -> bool {
        self.photos.iter().any(|p| p.camera().is_some())
    }

    /// The sum of the classes of a scan; empty without.
    pub(crate) fn classes_of(&self, scan: Uuid) -> String {
        self.classes.get(&scan).map_or_else(String::new, |c| c.inputs.clone())
    }

    /// What the colours of a scan are made from; none where it has no place.
    pub(crate) fn inputs(&self, scan: &ScanRow) -> Option<String> {
        self.stands.of_scan(scan.id)?;
        let photos: Vec<_> = self.photos.iter().map(|p| (p.row.id, p.row.used, &p.row.picks, &p.row.masks)).collect();
        // all scans: what one shows may stand before what another shows
        Some(super::fingerprint(&(1, scan.id, self.stands.state(&self.scans), photos)))
    }

    fn is_stale(&self, scan: &ScanRow) -> bool {
        let now = self.inputs(scan);
        let kept = self.kept.iter().find(|k| k.scan_id == scan.id);
        kept.is_none_or(|k| Some(&k.inputs) != now.as_ref() || k.classes != self.classes_of(scan.id))
    }

    /// The scans that are not coloured as things stand.
    pub(crate) fn to_do(&self) -> Vec<&ScanRow> {
        self.scans.iter().filter(|s| self.inputs(s).is_some() && self.is_stale(s)).collect()
    }

    pub(crate) fn to_dto(&self) -> PhotosDto {
        let photo = |p: &Photograph| PhotoDto {
            id: p.row.id,
            name: p.row.name.clone(),
            width: p.row.width,
            height: p.row.height,
            picks: p.picks.clone(),
            masks: p.masks.clone(),
            used: p.row.used,
            version: p.row.version,
            by: p.row.by.clone(),
            at: p.row.made_at,
            fit: p.fit.as_ref().ok().map(|f| CameraFitDto {
                position: self.stands.position(&f.camera.pose.translation),
                position95: f.position95.into(),
                focal: f.camera.focal,
                sigma: f.sigma,
                drawn95: f.drawn95,
                residuals: f.residuals.clone(),
                p_family: f.p_family.clone(),
            }),
            refused: p.fit.as_ref().err().cloned(),
        };
        let scan = |k: &ColoursRow| {
            let row = self.scans.iter().find(|s| s.id == k.scan_id)?;
            let (coloured, unseen) = (k.coloured, k.unseen);
            Some(ColouredScanDto { scan: row.id, name: row.name.clone(), coloured, unseen, stale: self.is_stale(row) })
        };
        PhotosDto {
            photos: self.photos.iter().map(photo).collect(),
            scans: self.kept.iter().filter_map(scan).collect(),
            to_do: if self.has_camera() { self.to_do().len() } else { 0 },
        }
    }
}

/// Where a photograph was taken from.
fn placed(row: &PhotoRow, picks: &[PickedDto], stands: &Stands) -> Result<Fit, String> {
    let pair = |p: &PickedDto| {
        let (_, pose, _) = stands.of_scan(p.scan)?;
        Some(Pair { point: pose.apply(&Vec3::from(p.at)), pixel: p.pixel })
    };
    let pairs: Option<Vec<Pair>> = picks.iter().map(pair).collect();
    let pairs = pairs.ok_or("a pick is in a scan that has no place now: register it, or take the pick away")?;
    resect(&pairs, [f64::from(row.width), f64::from(row.height)]).map_err(|e| e.to_string())
}

/// Puts the colours that photographs gave to a scan into it; what none saw stays black, as it is counted. Whether it has any.
pub(crate) async fn put_on(app: &App, row: &ColoursRow, scan: &mut Scan) -> Result<bool, ApiError> {
    let bytes = app.objects.bytes(&format!("{}/colours", row.key)).await?;
    if bytes.len() != scan.points.len() * 3 {
        return Ok(false);
    }
    scan.colour = bytes.chunks_exact(3).map(|c| [c[0], c[1], c[2]]).collect();
    Ok(true)
}
