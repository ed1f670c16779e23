//! Scans set against one another: which pairs, from what, and what is said of them.

use super::registration;
use super::stands::{Standing, Stands, rounded, spread};
use crate::dto::{
    ChangedRegionDto, ChangedThingDto, ComparedPairDto, ComparedPlacesDto, ComparisonsDto, CountedDto, LookedDto,
};
use crate::record::comparison::{StoredComparison, StoredPlace};
use crate::{ApiError, App, words};
use nalgebra::Matrix6;
use serde::{Deserialize, Serialize};
use std::collections::BTreeSet;
use uuid::Uuid;
use vistazo_core::adjust::{Scaling, precision};
use vistazo_core::check::{Agreement, Misfit};
use vistazo_core::compare::{Kind, Thing, things};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_store::comparisons::{self, ComparisonRow, TickRow};
use vistazo_store::field::ScanRow;

/// A scan is set against so many of those that stand nearest, no farther than this, metres.
const NEAREST: usize = 8;
const FARTHEST: f64 = 80.0;
/// Fewer places say nothing of a pair.
const FEWEST: usize = 30;
/// Things nearer to one another than this are the same, metres.
const SAME: f64 = 0.6;

/// Two scans to be compared.
pub(crate) struct Pair<'a> {
    pub a: &'a ScanRow,
    pub b: &'a ScanRow,
    /// Pose of the second in the frame of the first.
    pub relative: Pose,
    pub inputs: String,
}

/// The pairs that are compared: each scan with those nearest to it.
pub(crate) fn pairs<'a>(scans: &'a [ScanRow], stands: &Stands) -> Vec<Pair<'a>> {
    let placed: Vec<(usize, &Pose, &Matrix6<f64>)> = scans
        .iter()
        .enumerate()
        .filter(|(_, s)| s.has_scanner)
        .filter_map(|(k, s)| stands.pose(s.id).map(|p| (k, &p.1, &p.2)))
        .collect();
    let mut chosen = BTreeSet::new();
    for (k, pose, _) in &placed {
        let mut others: Vec<(f64, usize)> =
            placed.iter().filter(|o| o.0 != *k).map(|o| ((o.1.translation - pose.translation).norm(), o.0)).collect();
        others.sort_by(|a, b| a.0.total_cmp(&b.0).then(a.1.cmp(&b.1)));
        let near = others.iter().take(NEAREST).filter(|o| o.0 < FARTHEST);
        chosen.extend(near.map(|o| (o.1.min(*k), o.1.max(*k))));
    }
    let of = |k: usize| placed.iter().find(|p| p.0 == k);
    let pair = |(i, j): (usize, usize)| {
        let (a, b) = (of(i)?, of(j)?);
        let relative = a.1.inverse().compose(b.1);
        let (first, second) = (&scans[i], &scans[j]);
        let inputs = super::fingerprint(&(1, &first.key, &second.key, rounded(&relative), spread(a.2), spread(b.2)));
        Some(Pair { a: first, b: second, relative, inputs })
    };
    chosen.into_iter().filter_map(pair).collect()
}

/// Everything that comparing depends on, and what came of it.
pub(crate) struct Compared {
    pub scans: Vec<ScanRow>,
    pub stands: Stands,
    pub rows: Vec<ComparisonRow>,
    pub(super) block: Option<registration::Current>,
    ticks: Vec<TickRow>,
    pub(crate) brief: crate::dto::Brief,
}

/// A tick at its place.
#[derive(Serialize, Deserialize)]
struct TickedAt {
    frame: String,
    at: [f64; 3],
    apart: bool,
}

impl Compared {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let Standing { scans, stands, block, brief, .. } = Standing::load(app, job).await?;
        Ok(Self {
            stands,
            rows: comparisons::comparisons(&app.db, job).await?,
            ticks: comparisons::ticks(&app.db, job, "thing").await?,
            scans,
            block,
            brief,
        })
    }

    pub(crate) fn pairs(&self) -> Vec<Pair<'_>> {
        pairs(&self.scans, &self.stands)
    }

    fn kept(&self, p: &Pair<'_>) -> Option<&ComparisonRow> {
        self.rows.iter().find(|r| r.scan_a == p.a.id && r.scan_b == p.b.id)
    }

    /// Pairs that are not compared as things stand.
    pub(crate) fn to_do(&self) -> Vec<Pair<'_>> {
        let fresh = |p: &Pair<'_>| self.kept(p).is_some_and(|r| r.inputs == p.inputs);
        self.pairs().into_iter().filter(|p| !fresh(p)).collect()
    }

    /// Pairs that were compared once and are not asked for any more.
    pub(crate) fn left_over(&self) -> Vec<Uuid> {
        let wanted: Vec<(Uuid, Uuid)> = self.pairs().iter().map(|p| (p.a.id, p.b.id)).collect();
        self.rows.iter().filter(|r| !wanted.contains(&(r.scan_a, r.scan_b))).map(|r| r.id).collect()
    }

    /// How well the pose of each scan is known in the frame of each other, from the registration that stands.
    pub(crate) async fn relations(&self, app: &App) -> Result<Relations, ApiError> {
        let fresh = self.block.as_ref().filter(|b| !b.stale && b.record.refused.is_none());
        let block = fresh.ok_or_else(|| ApiError::conflict(NOT_REGISTERED))?;
        let detail = registration::detail(app, block.row.id).await?;
        let record = block.record.clone();
        super::blocking(move || {
            let network = crate::record::registration::network(&record, &detail);
            // the stored state is the solution: its covariance follows without another iteration
            let solution = precision(&network, Scaling::Estimated).map_err(|e| ApiError::conflict(e.to_string()))?;
            Ok(Relations { scans: record.scans.iter().map(|s| s.id).collect(), solution })
        })
        .await?
    }

    pub(super) fn name(&self, scan: Uuid) -> String {
        self.scans.iter().find(|s| s.id == scan).map_or_else(String::new, |s| s.name.clone())
    }

    pub(crate) fn to_dto(&self) -> Result<ComparisonsDto, ApiError> {
        let results = self.rows.iter().map(result).collect::<Result<Vec<_>, _>>()?;
        let stale: Vec<(Uuid, Uuid)> = self.to_do().iter().map(|p| (p.a.id, p.b.id)).collect();
        let shared = |r: &StoredComparison| r.places >= FEWEST || !r.regions.is_empty();
        let pairs = self.rows.iter().zip(&results).filter(|(_, c)| shared(c)).map(|(r, c)| ComparedPairDto {
            id: r.id,
            a: self.name(r.scan_a),
            b: self.name(r.scan_b),
            places: c.places,
            beyond: c.beyond,
            distance: c.distance,
            detectable: c.detectable,
            misfit: c.misfit,
            regions: c.regions.len(),
            stale: stale.contains(&(r.scan_a, r.scan_b)) || self.stands.pose(r.scan_a).is_none(),
            said: words::compare::pair(&self.brief, c),
        });
        Ok(ComparisonsDto {
            frame: self.stands.frame.into(),
            to_do: stale.len(),
            things: self.things(&results).into_iter().map(|t| t.dto).collect(),
            pairs: pairs.collect(),
        })
    }

    fn things(&self, results: &[StoredComparison]) -> Vec<Placed> {
        let mut regions = Vec::new();
        for (k, (row, result)) in self.rows.iter().zip(results).enumerate() {
            let Some((_, first, _)) = self.stands.pose(row.scan_a) else { continue };
            regions.extend(result.regions.iter().map(|r| (k, r.placed(first))));
        }
        things(&regions).iter().map(|t| self.thing(t)).collect()
    }

    fn thing(&self, t: &Thing) -> Placed {
        let apart = t.region.kind == Kind::Apart;
        let ticks: Vec<&TickRow> = self.ticks.iter().filter(|k| self.is_of(k, t, apart)).collect();
        let names: Vec<String> =
            self.scans.iter().filter(|s| self.stands.pose(s.id).is_some()).map(|s| s.name.clone()).collect();
        let place = |id: Uuid| names.iter().position(|n| *n == self.name(id));
        let (mut shown, mut through) = (BTreeSet::new(), BTreeSet::new());
        for (pair, kind) in &t.pairs {
            let row = &self.rows[*pair];
            let (a, b) = (place(row.scan_a), place(row.scan_b));
            let (by, not) = match kind {
                Kind::Apart => continue,
                Kind::FirstOnly => (a, b),
                Kind::SecondOnly => (b, a),
            };
            shown.extend(by);
            through.extend(not);
        }
        let middle = t.region.middle;
        let dto = ChangedThingDto {
            key: format!("{} {}", if apart { "apart" } else { "only" }, key(&middle)),
            position: self.stands.position(&middle),
            reach: t.region.reach,
            area: t.region.area,
            distance: t.region.distance,
            detectable: t.region.detectable,
            said: words::compare::thing(&self.brief, t, &names, (&shown, &through)),
            pairs: pair_names(self, t),
            looked: ticks.last().map(|k| LookedDto { by: k.by.clone(), at: k.made_at, note: k.note.clone() }),
        };
        Placed { dto, middle, apart, ticks: ticks.iter().map(|k| k.id).collect() }
    }

    fn is_of(&self, tick: &TickRow, t: &Thing, apart: bool) -> bool {
        serde_json::from_value::<TickedAt>(tick.place.clone()).is_ok_and(|at| {
            at.frame == self.stands.frame
                && at.apart == apart
                && (Vec3::from(at.at) - t.region.middle).norm() < SAME.max(t.region.reach)
        })
    }

    /// Somebody looked at a thing, or takes that back; what they looked at.
    pub(crate) async fn look(
        &self,
        app: &App,
        (job, user): (Uuid, Uuid),
        key: &str,
        note: Option<&str>,
    ) -> Result<String, ApiError> {
        let results = self.rows.iter().map(result).collect::<Result<Vec<_>, _>>()?;
        let all = self.things(&results);
        let thing = all.iter().find(|t| t.dto.key == key).ok_or_else(|| {
            ApiError::field("key", "what changed is not there any more: look at the list as it is now")
        })?;
        let at = TickedAt { frame: self.stands.frame.into(), at: thing.middle.into(), apart: thing.apart };
        let place = serde_json::json!(at);
        comparisons::tick(&app.db, job, user, "thing", &thing.ticks, note.map(|n| (&place, n))).await?;
        Ok(thing.dto.said.clone())
    }
}

/// A thing with what is not sent.
struct Placed {
    dto: ChangedThingDto,
    middle: Vec3,
    apart: bool,
    ticks: Vec<Uuid>,
}

/// Why nothing can be compared.
pub(crate) const NOT_REGISTERED: &str =
    "scans are compared where the registration has them: register at least two of them first, as things stand now";

/// How well scans are known beside one another.
pub(crate) struct Relations {
    scans: Vec<Uuid>,
    solution: vistazo_core::adjust::Solution,
}

impl Relations {
    /// Covariance of the pose of the second in the frame of the first, by left increments, m² and rad².
    pub(crate) fn of(&self, a: Uuid, b: Uuid) -> Option<Matrix6<f64>> {
        let at = |id: Uuid| self.scans.iter().position(|s| *s == id);
        Some(self.solution.relative(at(a)?, at(b)?).1)
    }
}

/// What came of a pair.
///
/// # Errors
/// Names the row that cannot be read.
pub(crate) fn result(row: &ComparisonRow) -> Result<StoredComparison, ApiError> {
    crate::record::read(&format!("comparison {}", row.id), row.result.clone())
}

fn key(p: &Vec3) -> String {
    // as coarse as two runs of the same thing differ
    let round = |v: f64| (v / SAME).round() as i64;
    format!("{} {} {}", round(p.x), round(p.y), round(p.z))
}

fn pair_names(all: &Compared, t: &Thing) -> Vec<String> {
    let name = |k: usize| {
        let row = &all.rows[k];
        format!("{}–{}", all.name(row.scan_a), all.name(row.scan_b))
    };
    let mut out: Vec<String> = t.pairs.iter().map(|p| name(p.0)).collect();
    out.dedup();
    out
}

/// The places of a pair, for its map.
pub(crate) async fn places(app: &App, job: Uuid, id: Uuid) -> Result<ComparedPlacesDto, ApiError> {
    let all = Compared::load(app, job).await?;
    let (row, places) = comparisons::comparison(&app.db, job, id).await?;
    let result = result(&row)?;
    let places: Vec<StoredPlace> = crate::record::read(&format!("places of the comparison {id}"), places)?;
    let (Some((_, a, _)), Some((_, b, _))) = (all.stands.pose(row.scan_a), all.stands.pose(row.scan_b)) else {
        return Err(ApiError::conflict(NOT_REGISTERED));
    };
    let origin = a.translation.map(f64::round);
    let at = |p: &Vec3| <[f64; 3]>::from(a.apply(p) - origin);
    let place = |p: &StoredPlace| {
        let [x, y, z] = at(&Vec3::new(p[0], p[1], p[2]));
        [x, y, z, p[3], p[4]]
    };
    let region = |r: &crate::record::comparison::StoredRegion| ChangedRegionDto {
        kind: r.kind,
        at: at(&Vec3::from(r.middle)),
        reach: r.reach,
    };
    Ok(ComparedPlacesDto {
        origin: all.stands.position(&origin),
        places: places.iter().map(place).collect(),
        stations: [a, b].map(|s| (s.translation - origin).into()),
        counted: result.counted.iter().map(|&(from, count)| CountedDto { from, count }).collect(),
        regions: result.regions.iter().map(region).collect(),
    })
}

/// What the verdict takes of it; none where nothing was compared.
pub(crate) fn agreement(
    scans: &[ScanRow],
    rows: &[ComparisonRow],
    stands: &Stands,
    area: &dyn Fn(Uuid) -> Option<usize>,
) -> Option<Agreement> {
    if rows.is_empty() {
        return None;
    }
    let name = |id: Uuid| scans.iter().find(|s| s.id == id).map_or("", |s| s.name.as_str());
    let mut out = Agreement::default();
    let wanted = pairs(scans, stands);
    out.missing = wanted.len();
    for row in rows {
        let fresh = wanted.iter().any(|p| p.a.id == row.scan_a && p.b.id == row.scan_b && p.inputs == row.inputs);
        let Ok(result) = result(row) else { continue };
        if !fresh {
            continue;
        }
        out.missing -= 1;
        if result.places < FEWEST {
            continue;
        }
        out.pairs += 1;
        out.detectable.push(result.detectable);
        if let Some([apart, apart95, _]) = result.misfit {
            let pair = format!("{}–{}", name(row.scan_a), name(row.scan_b));
            let area = area(row.scan_a).filter(|a| area(row.scan_b) == Some(*a));
            out.misfits.push(Misfit { pair, apart, apart95, area });
        }
        out.typical.push(result.distance.abs());
    }
    Some(out)
}
