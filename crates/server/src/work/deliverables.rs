//! What a package may hold: what is asked for, what of it is there, how large it would be.

use super::verdict::State;
use crate::dto::DeliverableDto;
use vistazo_core::deliver::Deliverable;

/// Bytes and seconds of two cores that a million points take, measured by `scripts/bench formats` on rooms as the simulator
/// scans them (with colours and 95 %).
fn usual(d: Deliverable) -> Option<(f64, f64)> {
    Some(match d {
        Deliverable::Laz => (4.2e6, 0.6),
        Deliverable::Copc => (4.7e6, 1.8),
        Deliverable::E57 => (11.5e6, 1.1),
        Deliverable::Ply => (40e6, 0.3),
        Deliverable::Xyz => (69e6, 2.3),
        Deliverable::Tiles => (20e6, 1.6),
        Deliverable::WalkThrough
        | Deliverable::FloorPlans
        | Deliverable::Elevations
        | Deliverable::Ground
        | Deliverable::Features
        | Deliverable::Solids => return None,
    })
}

/// Bytes and seconds of a walk-through: once, and for each place.
const WALK_BYTES: (f64, f64) = (6e6, 0.6e6);
const WALK_SECONDS: (f64, f64) = (1.0, 0.8);

impl State {
    /// Everything a package may hold.
    pub(crate) fn deliverables(&self) -> Vec<DeliverableDto> {
        let points = self.points();
        let millions = points as f64 / 1e6;
        let drawn = self.drawn();
        let walk = |(fixed, each): (f64, f64)| fixed + each * self.places() as f64;
        let of = |d: Deliverable| {
            let of_points = usual(d);
            let bytes = of_points.map(|(usual, _)| self.last_rate(d).unwrap_or(usual / 1e6) * points as f64);
            let whole = (d == Deliverable::WalkThrough).then_some(());
            DeliverableDto {
                what: d.into(),
                asked: self.brief.deliverables.contains(&d.into()),
                drawn: drawn.iter().find(|e| e.0 == d).map(|e| e.1),
                bytes: bytes.or(whole.map(|()| walk(WALK_BYTES))).map(|b| b as u64),
                seconds: of_points.map(|u| u.1 * millions).or(whole.map(|()| walk(WALK_SECONDS))),
            }
        };
        Deliverable::ALL.map(of).into()
    }

    /// Bytes on disk that a package of these needs while it is made: its files, the archive of them, and what lies by blocks
    /// until trees are built and thinned.
    pub(crate) fn room_for(&self, wanted: &[Deliverable]) -> u64 {
        const LAID_DOWN: u64 = 40;
        let sizes = self.deliverables();
        let files: u64 = sizes.iter().filter(|d| wanted.contains(&d.what.into())).filter_map(|d| d.bytes).sum();
        let trees = wanted.iter().filter(|d| matches!(d, Deliverable::Copc | Deliverable::Tiles)).count() as u64;
        2 * files + (trees + 1) * LAID_DOWN * self.points()
    }

    /// Bytes that a point took in the last package that had such a file.
    fn last_rate(&self, d: Deliverable) -> Option<f64> {
        self.packages.iter().find_map(|p| {
            let files = p.manifest["files"].as_array()?;
            let of = files.iter().filter(|f| f["name"].as_str().is_some_and(|n| is_of(d, n)));
            let bytes: f64 = of.filter_map(|f| f["bytes"].as_f64()).sum();
            let points = p.manifest["points"].as_f64().filter(|p| *p > 0.0)?;
            (bytes > 0.0).then_some(bytes / points)
        })
    }
}

/// Whether a file of a package is such a cloud.
fn is_of(d: Deliverable, name: &str) -> bool {
    let indexed = name.ends_with(".copc.laz");
    match d {
        Deliverable::Laz => name.ends_with(".laz") && !indexed,
        Deliverable::Copc => indexed,
        Deliverable::E57 => name.ends_with(".e57"),
        Deliverable::Ply => name.ends_with(".ply"),
        Deliverable::Xyz => name.ends_with(".xyz"),
        Deliverable::Tiles => name.ends_with("-tiles/"),
        Deliverable::WalkThrough
        | Deliverable::FloorPlans
        | Deliverable::Elevations
        | Deliverable::Ground
        | Deliverable::Features
        | Deliverable::Solids => false,
    }
}
