//! Scans brought together by hand: laid over one another, tried, kept; places pointed at and picked in pairs; the parts
//! that scans hang together in; where one more scan would mend a tie.

use super::groups::is_apart;
use super::registration::{current, data};
use super::ties::{found, search_key, shown, slice, takes_part};
use super::{blocking, planning};
use crate::dto::{
    BeginWord, Brief, ByPairsDto, CloudTieDto, LaidDto, LayDto, MarkDto, MarkWord, MendDto, PairsDto, PartDto,
    PointedDto, PoseDto, TrialDto,
};
use crate::record::GradeWord;
use crate::record::cloud_tie::FoundTie;
use crate::tasks::SAME_TARGET as SAME;
use crate::{ApiError, App};
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::cloud::{Feature, Picked, pick};
use vistazo_core::geometry::{FitModel, Pose, Vec3, fit};
use vistazo_core::instrument::Instrument;
use vistazo_core::targets::{Detection, TargetKind, mark, picked};
use vistazo_core::tie::{FEWEST_PAIRS, Pairs, PickedPair, Shown, TieCard, by_pairs, one_more, tie_by_hand};
use vistazo_store::field::{self, ScanRow};
use vistazo_store::ties::{self, CloudTieRow, NewCloudTie};

/// What is kept of a scan, held for the next time it is asked for.
async fn held(app: &App, scan: &ScanRow) -> Result<Arc<Shown>, ApiError> {
    match app.kept.shown(&scan.key) {
        Some(s) => Ok(s),
        None => Ok(app.kept.put_shown(&scan.key, shown(app, scan).await?)),
    }
}

/// Two scans of the job that can be laid over one another.
async fn both(app: &App, job: Uuid, a: Uuid, b: Uuid) -> Result<(ScanRow, ScanRow), ApiError> {
    if a == b {
        return Err(ApiError::field("b", "found the same scan twice, expected two"));
    }
    let (a, b) = (field::scan(&app.db, job, a).await?, field::scan(&app.db, job, b).await?);
    for s in [&a, &b] {
        if !s.has_scanner {
            return Err(ApiError::conflict(format!(
                "{} has no scanner position: what it saw through is not known, so nothing can be judged",
                s.name
            )));
        }
    }
    Ok((a, b))
}

/// All scans of a job that a scanner took, and the parts that they hang together in.
struct Together {
    scans: Vec<ScanRow>,
    /// For each scan its part and its pose there.
    standing: Vec<(usize, Pose)>,
    /// The part that the registration holds.
    registered: Option<usize>,
    ties: Vec<CloudTieRow>,
}

impl Together {
    async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let mut scans = field::scans(&app.db, job).await?;
        scans.retain(|s| s.has_scanner);
        let ties = ties::cloud_ties(&app.db, job).await?;
        let index = |id: Uuid| scans.iter().position(|s| s.id == id);
        let mut pairs = Pairs::new(&vec![None; scans.len()]);
        let block = current(app, job).await?.filter(|c| c.record.refused.is_none());
        let placed: Vec<(usize, Pose)> = block
            .iter()
            .flat_map(|c| &c.record.scans)
            .filter_map(|s| Some((index(s.id)?, Pose::from(&s.pose))))
            .collect();
        pairs.place(&placed);
        for t in ties.iter().filter(|t| takes_part(t)) {
            if let (Some(i), Some(j), Some(f)) = (index(t.scan_a), index(t.scan_b), found(t)?) {
                pairs.found((i, j), Some(&f.pose()));
            }
        }
        let standing = pairs.standing().to_vec();
        let registered = placed.first().map(|p| standing[p.0].0);
        Ok(Self { scans, standing, registered, ties })
    }

    fn index(&self, id: Uuid) -> Option<usize> {
        self.scans.iter().position(|s| s.id == id)
    }

    /// Scans of the same part, with their poses in the frame of this one.
    fn beside(&self, id: Uuid) -> Vec<(&ScanRow, Pose)> {
        let Some(k) = self.index(id) else { return Vec::new() };
        let (part, pose) = self.standing[k];
        let back = pose.inverse();
        let others = self.scans.iter().zip(&self.standing).filter(|(s, p)| s.id != id && p.0 == part);
        others.map(|(s, p)| (s, back.compose(&p.1))).collect()
    }

    /// Pose of the one in the frame of the other, as far as it is known, and from what.
    fn relative(&self, a: &ScanRow, b: &ScanRow, plan: &planning::Plan) -> Result<(Pose, BeginWord), ApiError> {
        for t in &self.ties {
            let way = (t.scan_a == a.id && t.scan_b == b.id, t.scan_a == b.id && t.scan_b == a.id);
            if let (true, Some(f)) = (way.0 || way.1, found(t)?) {
                return Ok((if way.0 { f.pose() } else { f.pose().inverse() }, BeginWord::Tie));
            }
        }
        if let Some((_, pose)) = self.beside(a.id).into_iter().find(|s| s.0.id == b.id) {
            return Ok((pose, BeginWord::Block));
        }
        let station = |s: &ScanRow| plan.stations.iter().find(|p| Some(p.0) == s.station_id).map(|p| p.1.position);
        if let (Some(p), Some(q)) = (station(a), station(b)) {
            // where scanners were pointed on site is not known: the headings are left as they are
            return Ok((Pose::levelled(0.0, q - p), BeginWord::Plan));
        }
        let file = |s: &ScanRow| serde_json::from_value::<PoseDto>(s.pose.clone()?).ok().map(|p| Pose::from(&p));
        if let (Some(p), Some(q)) = (file(a), file(b)) {
            return Ok((p.inverse().compose(&q), BeginWord::File));
        }
        Ok((Pose::identity(), BeginWord::Nothing))
    }
}

/// What two scans show of one another where the second is laid.
pub(crate) async fn trial(app: &App, job: Uuid, laid: &LaidDto) -> Result<TrialDto, ApiError> {
    /// Scans of a part that are drawn beside each.
    const BESIDE: usize = 5;
    let (a, b) = both(app, job, laid.a, laid.b).await?;
    let together = Together::load(app, job).await?;
    let (relative, from) = match laid.pose {
        Some(p) => (pose(&p)?, BeginWord::Given),
        None => together.relative(&a, &b, &planning::load(app, job).await?)?,
    };
    let (first, second) = (held(app, &a).await?, held(app, &b).await?);
    let mut beside = [Vec::new(), Vec::new()];
    let mut names = [Vec::new(), Vec::new()];
    for (k, s) in [&a, &b].into_iter().enumerate() {
        let others = together.beside(s.id);
        // what already hangs together with the first does not move with the second
        let others: Vec<_> = others.into_iter().filter(|o| o.0.id != a.id && o.0.id != b.id).collect();
        names[k] = others.iter().map(|o| o.0.name.clone()).collect();
        if laid.parts {
            let mut others = others;
            others.sort_by(|x, y| x.1.translation.norm().total_cmp(&y.1.translation.norm()));
            for (o, at) in others.into_iter().take(BESIDE) {
                beside[k].push((held(app, o).await?, at));
            }
        }
    }
    let card = blocking(move || TieCard::with(&first, &second, &relative, &beside)).await?;
    Ok(TrialDto {
        pose: (&relative).into(),
        from,
        overlap: card.compared.overlap,
        conflict: card.compared.conflict,
        rms: card.rms,
        heading: card.heading,
        slices: card.slices.into_iter().map(slice).collect(),
        together: names,
    })
}

/// A pose that was sent.
fn pose(p: &PoseDto) -> Result<Pose, ApiError> {
    let size: f64 = p.rotation.iter().map(|v| v * v).sum();
    if !(0.98..1.02).contains(&size) {
        return Err(ApiError::field(
            "pose.rotation",
            format!("found a quaternion of length {:.3}, expected 1", size.sqrt()),
        ));
    }
    if p.translation.iter().any(|v| !v.is_finite() || v.abs() > 10_000.0) {
        return Err(ApiError::field("pose.translation", "expected metres, at most 10 000 from the first scan"));
    }
    Ok(Pose::from(p))
}

/// Lets the clouds hold what was laid by hand, judges it, and keeps it.
pub(crate) async fn lay(app: &App, job: Uuid, user: Uuid, laid: &LayDto) -> Result<CloudTieDto, ApiError> {
    let (a, b) = both(app, job, laid.a, laid.b).await?;
    let (_, brief) = super::brief(app, job).await?;
    let relative = pose(&laid.pose)?;
    let scans = field::scans(&app.db, job).await?;
    let index = |s: &ScanRow| scans.iter().position(|x| x.id == s.id);
    // a pair has one row, whichever was laid over which
    let (a, b, relative) = if index(&a) < index(&b) { (a, b, relative) } else { (b, a, relative.inverse()) };
    let (first, second) = (held(app, &a).await?, held(app, &b).await?);
    let profile = Instrument::from(&brief.instrument).systematic;
    let tie = blocking(move || tie_by_hand(&first, &second, &relative, &profile)).await?.ok_or_else(|| {
        ApiError::conflict(format!(
            "{} and {} share no surfaces where they were laid: expected walls, floor or things of both within half a metre of one another",
            a.name, b.name
        ))
    })?;
    let word: GradeWord = tie.grade.grade.into();
    let grade = serde_json::json!(word);
    let kept = serde_json::json!(FoundTie::from(&tie));
    let row = NewCloudTie {
        scans: (a.id, b.id),
        search: &search_key(&brief, &a, &b),
        found: Some(&kept),
        grade: grade.as_str().unwrap_or_default(),
        start: None,
    };
    let id = ties::lay_cloud_tie(&app.db, job, user, &row, laid.reason.trim()).await?;
    let all = super::ties::list(app, job).await?;
    all.into_iter().find(|t| t.id == id).ok_or_else(ApiError::not_found)
}

/// What lies in a direction from a scanner.
pub(crate) async fn point_at(app: &App, job: Uuid, scan: Uuid, direction: [f64; 3]) -> Result<PointedDto, ApiError> {
    let p = place(app, &field::scan(&app.db, job, scan).await?, direction).await?;
    Ok(PointedDto { at: p.at.into(), feature: p.feature.into(), sigma: p.sigma() })
}

async fn place(app: &App, row: &ScanRow, direction: [f64; 3]) -> Result<Picked, ApiError> {
    let direction = Vec3::from(direction);
    if !(direction.norm() > 1e-6 && direction.norm().is_finite()) {
        return Err(ApiError::field("direction", "found no length, expected a direction from the scanner"));
    }
    let shown = held(app, row).await?;
    let found = blocking(move || pick(&shown.cloud, &direction)).await?;
    found.ok_or_else(|| ApiError::conflict(format!("nothing was measured there in {}", row.name)))
}

/// The sphere or board at a place, measured in all points of its scan; with what it is called.
async fn fitted(
    app: &App,
    row: &ScanRow,
    brief: &Brief,
    kind: TargetKind,
    what: Option<String>,
    at: Vec3,
) -> Result<(String, Detection), ApiError> {
    let what =
        what.ok_or_else(|| ApiError::conflict("the brief gives no size for this kind of target: enter it there"))?;
    let points = super::files::scan(app, row).await?;
    let (search, instrument) = (brief.search(), Instrument::from(&brief.instrument));
    let found = blocking(move || mark(&points, &instrument, &search, kind, &at)).await?;
    let found = found.ok_or_else(|| {
        ApiError::conflict(format!(
            "no {what} fits the points of {} there, {} from the scanner: too few points show it, or it is something else",
            row.name,
            brief.length(at.norm())
        ))
    })?;
    Ok((what, found))
}

/// Measures a target that somebody pointed at and keeps it; says what it is.
pub(crate) async fn mark_target(
    app: &App,
    job: Uuid,
    user: Uuid,
    scan: Uuid,
    marked: &MarkDto,
) -> Result<(Uuid, String), ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let row = field::scan(&app.db, job, scan).await?;
    let place = place(app, &row, marked.direction).await?;
    let (what, found) = match marked.kind {
        MarkWord::Sphere => {
            let size = brief.sphere_diameter.map(|d| format!("sphere of {}", brief.length(d)));
            fitted(app, &row, &brief, TargetKind::Sphere, size, place.at).await?
        }
        MarkWord::Checkerboard => {
            let size = brief.checker_side.map(|s| format!("checkerboard of {}", brief.length(s)));
            fitted(app, &row, &brief, TargetKind::Checker, size, place.at).await?
        }
        MarkWord::Corner if place.feature != Feature::Corner => {
            return Err(ApiError::conflict(format!(
                "no three surfaces of {} meet there, {} from the scanner; mark it as a point, or point at a corner",
                row.name,
                brief.length(place.at.norm())
            )));
        }
        MarkWord::Corner => ("corner".to_owned(), picked(&place)),
        MarkWord::Point => ("point".to_owned(), picked(&Picked { feature: Feature::Point, ..place })),
    };
    for d in field::detections(&app.db, job).await?.iter().filter(|d| d.scan_id == scan) {
        if (Vec3::from(data(d)?.centre) - found.centre).norm() < SAME {
            return Err(ApiError::conflict(format!("that target of {} was found already", row.name)));
        }
    }
    let (kind, value, usable) = crate::tasks::detection_row(&found);
    let id = field::add_detection(&app.db, job, scan, user, (kind, &value, usable)).await?;
    Ok((id, format!("{what} in {} marked by hand", row.name)))
}

/// Where the second stands by places picked in both.
pub(crate) async fn pairs(app: &App, job: Uuid, picked: &PairsDto) -> Result<ByPairsDto, ApiError> {
    const MOST: usize = 40;
    let (a, b) = both(app, job, picked.a, picked.b).await?;
    let n = picked.pairs.len();
    if !(FEWEST_PAIRS..=MOST).contains(&n) {
        return Err(ApiError::field("pairs", format!("found {n} pairs, expected {FEWEST_PAIRS} to {MOST}")));
    }
    let pairs: Vec<PickedPair> = picked
        .pairs
        .iter()
        .map(|p| PickedPair { first: p.first.into(), second: p.second.into(), sigma: p.sigma.clamp(0.005, 0.5) })
        .collect();
    let levelled = a.levelled && b.levelled;
    let tie = blocking(move || by_pairs(&pairs, levelled)).await?.ok_or_else(|| {
        ApiError::conflict(format!(
            "no three of the {n} pairs agree on one place: each pair must be the same thing in both scans, and not all in one line"
        ))
    })?;
    Ok(ByPairsDto { pose: (&tie.relative).into(), residuals: tie.residuals, wrong: tie.wrong, rms: tie.rms })
}

/// The parts that scans hang together in, the largest first.
pub(crate) async fn parts(app: &App, job: Uuid) -> Result<Vec<PartDto>, ApiError> {
    let all = Together::load(app, job).await?;
    let groups = vistazo_store::groups::scan_groups(&app.db, job).await?;
    let mut out: Vec<PartDto> = Vec::new();
    for part in 0..all.scans.len() {
        let of: Vec<&ScanRow> = all.scans.iter().zip(&all.standing).filter(|s| s.1.0 == part).map(|s| s.0).collect();
        // what somebody set apart is not waiting to be joined
        if !of.iter().all(|s| is_apart(&groups, s)) {
            out.push(PartDto {
                scans: of.iter().map(|s| s.id).collect(),
                names: of.iter().map(|s| s.name.clone()).collect(),
                registered: all.registered == Some(part),
            });
        }
    }
    out.sort_by_key(|p| std::cmp::Reverse(p.scans.len()));
    Ok(out)
}

/// The spot from which one more scan would share much with both scans of a tie.
pub(crate) async fn mend(app: &App, job: Uuid, tie: Uuid) -> Result<MendDto, ApiError> {
    let rows = ties::cloud_ties(&app.db, job).await?;
    let row = rows.iter().find(|t| t.id == tie).ok_or_else(ApiError::not_found)?;
    let found = found(row)?.ok_or_else(ApiError::not_found)?;
    let (a, b) = (field::scan(&app.db, job, row.scan_a).await?, field::scan(&app.db, job, row.scan_b).await?);
    let (first, second) = (held(app, &a).await?, held(app, &b).await?);
    let relative = found.pose();
    let rms = found.rms;
    let spot = blocking(move || one_more(&first, &second, &relative, rms)).await?.ok_or_else(|| {
        ApiError::conflict(format!(
            "no spot in the free space of {} and {} sees something of both: go and look from where the one ends",
            a.name, b.name
        ))
    })?;
    let plan = planning::load(app, job).await?;
    let all = Together::load(app, job).await?;
    Ok(MendDto {
        at: spot.at.into(),
        distance: [spot.at.xy().norm(), (spot.at - relative.translation).xy().norm()],
        overlap: spot.overlap,
        now95: found.weakest95,
        then95: spot.weakest95,
        on_plan: on_plan(&all, &plan, &a, &spot.at),
    })
}

/// A place in the frame of a scan on the plan, by the scans of its part whose stations are on it.
fn on_plan(all: &Together, plan: &planning::Plan, scan: &ScanRow, at: &Vec3) -> Option<[f64; 3]> {
    let mut known = all.beside(scan.id);
    known.push((scan, Pose::identity()));
    let (source, destination): (Vec<Vec3>, Vec<Vec3>) = known
        .iter()
        .filter_map(|(s, pose)| {
            let station = plan.stations.iter().find(|p| Some(p.0) == s.station_id)?;
            Some((pose.translation, station.1.position))
        })
        .unzip();
    let found = fit(FitModel::Levelled, &source, &destination)?;
    // tripods stand decimetres beside their places
    (found.rms < 1.0).then(|| found.apply(at).into())
}
