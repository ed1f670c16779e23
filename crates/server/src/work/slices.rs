//! Slices through the clouds of a job: cut out of the view tiles, measured, chosen where doubt is greatest, and kept with
//! the name of who looked.

use super::cloud;
use super::compare::{Compared, result};
use super::passes::{Looked, Walked};
use super::slices_doubtful::Doubtful;
use crate::dto::{
    CutDto, CutOutDto, CutScanDto, KeepSliceDto, LookedDto, OffsetDto, OffsetsDto, SliceDto, SlicesDto, StretchDto,
    TilesDto,
};
use crate::{ApiError, App};
use futures::{StreamExt, TryStreamExt};
use serde::{Deserialize, Serialize};
use std::collections::HashSet;
use uuid::Uuid;
use vistazo_core::clean::Class;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::mobile::Correction;
use vistazo_core::slice::{self, Cut};
use vistazo_core::stats::{K95_1D, median};
use vistazo_formats::{Extent, tile_document, tile_points};
use vistazo_store::comparisons::{self, ComparisonRow, TickRow};

/// Points of one scan that are sent, at most.
const MOST: usize = 40_000;
/// Tiles read at once.
const AT_ONCE: usize = 8;
/// Width over height of a slice that is offered.
pub(super) const ASPECT: f64 = 2.0;
/// A level slice of everything reaches no farther than this beyond the scanners, metres; its thickness; the share of its
/// points at each end that may lie outside; and how much wider than the others it is.
const ROUND: f64 = 60.0;
const START_THICK: f64 = 0.05;
const FAR: f64 = 0.002;
const MARGIN: f64 = 1.08;
/// By how much surfaces differ with the light and the angle where these scans were not compared, 1σ, metres.
const FLOOR: f64 = 0.002;
/// A slice with a name to it, as it is stored.
#[derive(Clone, Serialize, Deserialize)]
struct Kept {
    frame: String,
    cut: CutDto,
    /// Key of a slice that was chosen.
    key: Option<String>,
    said: String,
    /// The two scans it is about.
    pair: Option<[Uuid; 2]>,
    /// Sum of the scans and where they stood.
    stands: String,
}

/// All scans with a place, and their tiles.
pub(crate) struct Sliced {
    pub(crate) all: Compared,
    tiles: Vec<(Uuid, TilesDto)>,
    pub(super) walked: Vec<(Looked, Correction)>,
    /// Sum of what slices were cut through: scans, passes, and where they lie.
    stands: String,
    ticks: Vec<TickRow>,
}

/// A slice that somebody looked at, for the report.
pub(crate) struct Figure {
    pub said: String,
    pub looked: LookedDto,
    pub stale: bool,
    pub cut: CutDto,
    /// By scan, the one that shows most first.
    pub scans: Vec<Drawn>,
}

/// What a scan shows in a slice: its place among the scans, its name, and its points.
pub(crate) type Drawn = (usize, String, Vec<[f64; 2]>);

/// Points by scan.
pub(crate) type ByScan = Vec<(Uuid, Vec<[f64; 2]>)>;

impl Sliced {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let all = Compared::load(app, job).await?;
        let tiles = cloud::tiles(app, job, &all.scans).await?;
        let walked = Walked::load(app, job).await?;
        let stands = walked.with_passes(all.stands.state(&all.scans), |_| true);
        let ticks = comparisons::ticks(&app.db, job, "slice").await?;
        Ok(Self { ticks, tiles, walked: walked.looked_at(), stands, all })
    }

    /// Passes are counted on after the scans.
    fn number(&self, scan: Uuid) -> usize {
        let walked = || self.walked.iter().position(|w| w.0.id == scan).map(|k| self.all.scans.len() + k);
        self.all.scans.iter().position(|s| s.id == scan).or_else(walked).unwrap_or_default()
    }

    fn name(&self, scan: Uuid) -> String {
        let pass = self.walked.iter().find(|w| w.0.id == scan).map(|w| w.0.name.clone());
        pass.unwrap_or_else(|| self.all.name(scan))
    }

    fn to_core(&self, cut: &CutDto) -> Result<Cut, ApiError> {
        cut.to_core(self.all.stands.inverse(&Vec3::from(cut.at)))
    }

    /// What each scan shows in a slab.
    pub(crate) async fn points(&self, app: &App, cut: &Cut) -> Result<ByScan, ApiError> {
        let mut out = Vec::new();
        for (scan, tiles) in &self.tiles {
            let (Some((_, pose, _)), Some(row)) =
                (self.all.stands.pose(*scan), self.all.scans.iter().find(|s| s.id == *scan))
            else {
                continue;
            };
            let beside = row.key.rsplit_once('/').map_or("", |k| k.0);
            let points = gather(app, &format!("{beside}/{}/tiles", tiles.build), tiles, cut.seen_by(pose)).await?;
            if !points.is_empty() {
                out.push((*scan, points));
            }
        }
        for (pass, _) in &self.walked {
            let about = Pose { translation: pass.made.origin.into(), ..Pose::identity() };
            let pack = format!("{}/tiles", pass.key);
            let points = gather(app, &pack, &pass.made.tiles, cut.seen_by(&about)).await?;
            if !points.is_empty() {
                out.push((pass.id, points));
            }
        }
        out.sort_by_key(|s| std::cmp::Reverse(s.1.len()));
        Ok(out)
    }

    pub(crate) async fn cut(&self, app: &App, cut: &CutDto) -> Result<CutOutDto, ApiError> {
        let cut = self.to_core(cut)?;
        let found = self.points(app, &cut).await?;
        let scan = |(scan, points): (Uuid, Vec<[f64; 2]>)| CutScanDto {
            number: self.number(scan),
            scan,
            name: self.name(scan),
            count: points.len(),
            points: even(&points).flatten().map(|v| (v * 1e4).round() as i32).collect(),
        };
        Ok(CutOutDto { spacing: cut.spacing(), scans: found.into_iter().map(scan).collect() })
    }

    /// How the surfaces in a part of a slice lie beside one another.
    pub(crate) async fn offsets(&self, app: &App, of: &StretchDto) -> Result<OffsetsDto, ApiError> {
        let cut = self.to_core(&of.cut)?;
        let found = self.points(app, &cut).await?;
        let points: Vec<Vec<[f64; 2]>> = found.iter().map(|s| s.1.clone()).collect();
        let o = slice::offsets(&points, of.from, of.to).ok_or_else(|| {
            ApiError::field(
                "to",
                "what lies in this part of the slice is no single surface: draw it along one, a decimetre or more",
            )
        })?;
        let first = found[o.beside].0;
        let at = cut.point(o.middle);
        let normal = cut.across * o.normal[0] + cut.up * o.normal[1];
        let known = self.beside(app, first, (&at, &normal)).await?;
        let mut scans = Vec::new();
        for ((scan, _), o) in found.iter().zip(&o.of) {
            let Some(o) = o else { continue };
            let floor = self.floor(first, *scan);
            let offset95 = K95_1D * (o.own + floor * floor + known(*scan)).sqrt();
            scans.push(OffsetDto { name: self.name(*scan), offset: o.distance, offset95 });
        }
        Ok(OffsetsDto { beside: self.name(first), middle: o.middle, normal: o.normal, scans })
    }

    /// By how much surfaces of two scans differ where nothing is wrong, by their comparison or by that of the others.
    fn floor(&self, a: Uuid, b: Uuid) -> f64 {
        let of = |r: &ComparisonRow| result(r).ok().map(|c| c.floor).filter(|f| *f > 0.0);
        let own = |r: &&ComparisonRow| [r.scan_a, r.scan_b] == [a, b] || [r.scan_a, r.scan_b] == [b, a];
        let own = self.all.rows.iter().find(own).and_then(of);
        own.or_else(|| median(&mut self.all.rows.iter().filter_map(of).collect::<Vec<_>>())).unwrap_or(FLOOR)
    }

    /// Those that are worth looking at and those that were looked at.
    pub(crate) async fn to_dto(&self, app: &App, job: Uuid) -> Result<SlicesDto, ApiError> {
        let frame = self.all.stands.frame;
        let mut slices = Vec::new();
        let mut done = HashSet::new();
        for t in &self.ticks {
            let kept = kept(t)?;
            slices.push(SliceDto {
                key: kept.key.clone().unwrap_or_else(|| t.id.to_string()),
                said: kept.said.clone(),
                chosen: kept.key.is_some(),
                pair: kept.pair,
                cut: (kept.frame == frame).then_some(kept.cut),
                looked: Some(looked(t)),
                stale: kept.stands != self.stands,
            });
            done.extend(kept.key);
        }
        let mut open = Vec::new();
        for Doubtful { key, said, pair, cut } in self.chosen(app, job).await? {
            if done.insert(key.clone()) {
                let (pair, cut) = (Some(pair), Some(cut));
                open.push(SliceDto { key, said, chosen: true, pair, cut, looked: None, stale: false });
            }
        }
        open.append(&mut slices);
        let compared = !self.all.rows.is_empty() && self.all.to_do().len() < self.all.rows.len();
        Ok(SlicesDto { frame: frame.into(), start: self.start(app).await?, compared, slices: open })
    }

    /// A level slice of everything, at the height of the scanners, as wide as what it shows.
    async fn start(&self, app: &App) -> Result<Option<CutDto>, ApiError> {
        let placed: Vec<&Pose> = self.tiles.iter().filter_map(|t| Some(&self.all.stands.pose(t.0)?.1)).collect();
        let Some(height) = median(&mut placed.iter().map(|p| p.translation.z).collect::<Vec<_>>()) else {
            return Ok(None);
        };
        let ends = |v: &mut Vec<f64>, share: f64| {
            v.sort_by(f64::total_cmp);
            (v[(share * v.len() as f64) as usize], v[((1.0 - share) * (v.len() - 1) as f64) as usize])
        };
        let span = |of: &dyn Fn(&Pose) -> f64| ends(&mut placed.iter().map(|p| of(p)).collect(), 0.0);
        let (x, y) = (span(&|p| p.translation.x), span(&|p| p.translation.y));
        let at = Vec3::new(f64::midpoint(x.0, x.1), f64::midpoint(y.0, y.1), height);
        let wide = (x.1 - x.0).max(y.1 - y.0) + 2.0 * ROUND;
        let cut = Cut::new(at, std::f64::consts::FRAC_PI_2, 0.0, [wide, wide], START_THICK);
        let all: Vec<[f64; 2]> = self.points(app, &cut).await?.into_iter().flat_map(|s| s.1).collect();
        let of = |k: usize| match all.len() {
            0 => (-wide / 2.0, wide / 2.0),
            // single far points do not stretch it
            _ => ends(&mut all.iter().map(|p| p[k]).collect(), FAR),
        };
        let (u, v) = (of(0), of(1));
        let width = MARGIN * (u.1 - u.0).max(ASPECT * (v.1 - v.0)).max(1.0);
        let middle = cut.point([f64::midpoint(u.0, u.1), f64::midpoint(v.0, v.1)]);
        let at = self.all.stands.position(&middle);
        Ok(Some(CutDto { at, bearing: 90.0, tilt: 0.0, width, height: width / ASPECT, thickness: START_THICK }))
    }

    /// Somebody looked at a slice, or takes that back; what it is.
    pub(crate) async fn keep(
        &self,
        app: &App,
        (job, user): (Uuid, Uuid),
        k: &KeepSliceDto,
    ) -> Result<String, ApiError> {
        self.to_core(&k.cut)?;
        let gone = || ApiError::field("key", "this slice is not in the list any more: look at the list as it is now");
        let list = self.to_dto(app, job).await?.slices;
        let known = match &k.key {
            Some(key) => Some(list.into_iter().find(|s| s.key == *key).ok_or_else(gone)?),
            None if k.note.trim().is_empty() => return Err(ApiError::field("note", "say what this slice shows")),
            None => None,
        };
        let of_it = |t: &&TickRow| {
            k.key
                .as_ref()
                .is_some_and(|key| t.id.to_string() == *key || kept(t).is_ok_and(|o| o.key.as_ref() == Some(key)))
        };
        let before: Vec<Uuid> = self.ticks.iter().filter(of_it).map(|t| t.id).collect();
        let said = known.as_ref().map_or_else(|| k.note.trim().to_owned(), |s| s.said.clone());
        let new = Kept {
            frame: self.all.stands.frame.into(),
            cut: k.cut,
            key: k.key.clone().filter(|_| known.as_ref().is_some_and(|s| s.chosen)),
            said: said.clone(),
            pair: known.as_ref().and_then(|s| s.pair),
            stands: self.stands.clone(),
        };
        let place = serde_json::json!(new);
        // of one's own the note is what it is called by
        let note = if known.is_some() { k.note.trim() } else { "" };
        comparisons::tick(&app.db, job, user, "slice", &before, k.looked.then_some((&place, note))).await?;
        Ok(said)
    }

    /// Slices with a name to them, as they look now.
    pub(crate) async fn figures(&self, app: &App) -> Result<Vec<Figure>, ApiError> {
        let mut out = Vec::new();
        for t in &self.ticks {
            let kept = kept(t)?;
            if kept.frame != self.all.stands.frame {
                continue;
            }
            let scans = self.points(app, &self.to_core(&kept.cut)?).await?;
            let scans = scans
                .into_iter()
                .map(|(scan, points)| (self.number(scan), self.name(scan), even(&points).collect()))
                .collect();
            out.push(Figure {
                said: kept.said,
                looked: looked(t),
                stale: kept.stands != self.stands,
                cut: kept.cut,
                scans,
            });
        }
        Ok(out)
    }
}

fn kept(t: &TickRow) -> Result<Kept, ApiError> {
    crate::record::read("a slice that was looked at", t.place.clone())
}

fn looked(t: &TickRow) -> LookedDto {
    LookedDto { by: t.by.clone(), at: t.made_at, note: t.note.clone() }
}

/// An even share of points.
fn even(points: &[[f64; 2]]) -> impl Iterator<Item = [f64; 2]> + '_ {
    points.iter().step_by(points.len().div_ceil(MOST).max(1)).copied()
}

/// Points of one scan in a slab of its own frame, out of those tiles that reach into it and no finer than is drawn.
async fn gather(app: &App, pack: &str, tiles: &TilesDto, cut: Cut) -> Result<Vec<[f64; 2]>, ApiError> {
    let broken = |e: vistazo_formats::FormatError| ApiError::bad(e.to_string());
    if !cut.touches(&Vec3::from(tiles.middle), &Vec3::from(tiles.half)) {
        return Ok(Vec::new());
    }
    let mut documents: Vec<Extent> = Extent::parse(&tiles.root).map(|e| e.0).into_iter().collect();
    let mut wanted = Vec::new();
    while let Some(d) = documents.pop() {
        let mut open = vec![tile_document(&app.objects.range(pack, d.start, d.len).await?).map_err(broken)?];
        while let Some(t) = open.pop() {
            if !cut.touches(&Vec3::from(t.middle), &Vec3::from(t.half)) {
                continue;
            }
            match t.content {
                (points, true) => wanted.push(points),
                (document, false) => documents.push(document),
            }
            if t.error > cut.spacing() {
                open.extend(t.children);
            }
        }
    }
    let read = |e: Extent| async move {
        let bytes = app.objects.range(pack, e.start, e.len).await?;
        let inside = move || {
            let points = tile_points(&bytes)?;
            let kept = points.iter().filter(|p| p.1 == Class::Kept as u8);
            Ok::<_, vistazo_formats::FormatError>(kept.filter_map(|p| cut.place(&Vec3::from(p.0))).collect::<Vec<_>>())
        };
        super::blocking(inside).await?.map_err(broken)
    };
    let parts: Vec<Vec<[f64; 2]>> =
        futures::stream::iter(wanted.into_iter().map(read)).buffered(AT_ONCE).try_collect().await?;
    Ok(parts.concat())
}
