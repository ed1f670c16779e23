//! Passes are brought into the frame of the scans, and their paths corrected.

use super::{Progress, Stop, blocking, derive};
use crate::App;
use crate::dto::PassFacts;
use crate::record::passes::{MarkRole, Passes, SeenTarget, StoredMark, StoredPass, StoredPlace, StoredTie, VERSION};
use crate::record::registration::TargetKind;
use crate::work::pass_marks::{self, InFrame};
use crate::work::passes::{self, Made, Walked, corrected};
use crate::work::stands::Measured;
use crate::work::ties;
use nalgebra::Matrix6;
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::clean::Class;
use vistazo_core::geometry::Pose;
use vistazo_core::mobile::{
    Anchor, Correction, KnownTarget, Mark, Noted, PassIn, Piece, Registered, Sighting, TargetSize, Trajectory, Unit,
    register, targets_seen,
};
use vistazo_core::tie::Shown;
use vistazo_formats::passes::KeptPieces;
use vistazo_store::passes::put_pass_cloud;
use vistazo_store::tasks::Task;

/// A pass on its way.
struct Doing {
    id: Uuid,
    key: String,
    path: Trajectory,
    pieces: Vec<Piece>,
    unit: Unit,
    /// Those somebody noted, check points too.
    noted: Vec<InFrame>,
    /// What holds it: of those all but the check points, then the targets that it saw.
    marks: Vec<Mark>,
    seen: Vec<SeenTarget>,
}

impl Doing {
    /// Where it came to lie at its marks; those that hold it are counted in their order.
    fn stood(&self, placed: &Correction, wrong: impl Fn(usize) -> bool) -> Vec<StoredMark> {
        let mut holds = 0..;
        let role = |check: bool, n: usize| match (check, wrong(n)) {
            (true, _) => MarkRole::Check,
            (false, true) => MarkRole::Wrong,
            (false, false) => MarkRole::Holds,
        };
        let of = |m: &InFrame| {
            let n = if m.check { None } else { holds.next() };
            m.stored(&self.path, &self.pieces, placed, role(m.check, n.unwrap_or(usize::MAX)))
        };
        self.noted.iter().filter_map(of).collect()
    }
}

type Anchors = (Vec<(Uuid, Pose, Matrix6<f64>)>, Vec<Shown>);

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let all = Walked::load(app, task.job_id).await?;
    let mut doing = Vec::new();
    for row in &all.rows {
        let Some(key) = row.key.clone() else { continue };
        progress.at(0.0, &format!("{}: fetching what was read", row.name))?;
        let bytes = app.objects.bytes(&format!("{key}/pieces")).await?;
        let pieces = blocking(move || Ok(KeptPieces::from_bytes(&bytes)?.0)).await?;
        let path = passes::path(app, &key).await?;
        let noted = pass_marks::marks_in_frame(app, task.job_id, &all.standing, row, &path).await?;
        let [from, to] = path.span();
        for m in &noted {
            if let Noted::Stood(time) = m.mark.noted
                && !(from..=to).contains(&time)
            {
                return Err(Stop::Failed(format!(
                    "{}: found a mark at {time:.2} s, expected a time of its path, {from:.2} to {to:.2} s",
                    row.name
                )));
            }
        }
        let marks = noted.iter().filter(|m| !m.check).map(|m| m.mark.clone()).collect();
        doing.push(Doing { id: row.id, path, key, pieces, unit: passes::unit(row), noted, marks, seen: Vec::new() });
    }
    if doing.is_empty() {
        return Err(Stop::Failed("no pass was read yet: bring a cloud and its path first".into()));
    }
    let (mut stations, mut shown) = (Vec::new(), Vec::new());
    for row in &all.standing.scans {
        let Some((id, pose, covariance)) = all.standing.stands.of_scan(row.id) else { continue };
        progress.at(0.02, &format!("{}: fetching what it shows", row.name))?;
        stations.push((id, pose, covariance));
        shown.push(ties::shown(app, row).await?);
    }
    let shown = Arc::new((stations, shown));
    let (mut doing, out) = tied(doing, &shown, progress, [0.05, 0.45]).await?;
    // targets that the scans measured, where the passes now say they came by
    let found = seen(app, &all, &doing, &out, progress).await?;
    let again = found.iter().any(|f| !f.is_empty());
    for (d, found) in doing.iter_mut().zip(found) {
        for (target, mark) in found {
            d.seen.push(target);
            d.marks.push(mark);
        }
    }
    let (doing, out) = match again {
        true => tied(doing, &shown, progress, [0.5, 0.7]).await?,
        false => (doing, out),
    };
    let (doing, stations) = (Arc::new(doing), &shown.0);
    let whole = |id: Uuid| all.rows.iter().any(|r| r.id == id && r.whole);
    let drifted = out.passes.iter().flatten().map(|p| p.drifted).fold(1.0, f64::max);
    let record = Passes {
        version: VERSION,
        inputs: all.inputs.clone(),
        at: chrono::Utc::now(),
        frame: all.standing.stands.frame.into(),
        passes: doing
            .iter()
            .zip(&out.passes)
            .enumerate()
            .map(|(k, (d, p))| {
                let placed = p.as_ref().map(|p| StoredPlace::of(p, whole(d.id))).map_err(|e| (*e).into());
                let stood = |p: &StoredPlace| d.stood(&p.correction(), |n| out.wrong_marks.contains(&(k, n)));
                let marks = placed.as_ref().ok().map(stood);
                StoredPass { id: d.id, key: d.key.clone(), marks, placed, seen: d.seen.clone() }
            })
            .collect(),
        ties: out
            .ties
            .iter()
            .map(|t| StoredTie {
                of: t.of,
                to: t.to.map(|k| stations[k].0),
                rms: t.rms,
                overlap: t.overlap,
                off: t.off,
                left_out: t.left_out,
            })
            .collect(),
        factors: [drifted, out.factors[0], out.factors[1]],
        wrong_marks: out.wrong_marks.clone(),
    };
    passes::keep(app, task.job_id, &record).await?;
    let placed: Vec<usize> = (0..doing.len()).filter(|k| out.passes[*k].is_ok()).collect();
    for (n, &k) in placed.iter().enumerate() {
        let d = &doing[k];
        let row = all.rows.iter().find(|r| r.id == d.id).ok_or(Stop::Cancelled)?;
        let share = |s: f64| 0.7 + 0.3 * (n as f64 + s) / placed.len() as f64;
        progress.at(share(0.0), &format!("{}: the cloud along its path", row.name))?;
        let facts: PassFacts = serde_json::from_value(row.facts.clone().unwrap_or_default())?;
        let cloud = passes::cloud(app, &d.key).await?;
        let (watch, doing) = (progress.clone(), doing.clone());
        let Ok(place) = &record.passes[k].placed else { continue };
        let correction = place.correction();
        let (made, origin, classes) = blocking(move || {
            let Doing { path, pieces, .. } = &doing[k];
            let c = corrected(&cloud, path, &correction, facts.clock);
            drop(cloud);
            let classes = passes::ghosts(&c, pieces, (path, &correction), &|_| !watch.stopped());
            if watch.stopped() {
                return Err(Stop::Cancelled);
            }
            let made = derive::merged(&c.scan, classes.as_deref().unwrap_or_default(), &watch)?;
            Ok((made, c.origin, classes))
        })
        .await?;
        let ghosts = classes.as_ref().map(|c| c.iter().filter(|c| **c == Class::Ghost).count() as u64);
        let key = format!("jobs/{}/passes/{}/{}", task.job_id, d.id, made.tiles.build);
        app.objects.put_file(&format!("{key}/tiles"), &made.path("tiles")).await?;
        if let Some(classes) = classes.filter(|_| ghosts != Some(0)) {
            let bytes: Vec<u8> = classes.into_iter().map(|c| c as u8).collect();
            app.objects.put(&format!("{key}/classes"), bytes).await?;
        }
        let kept = serde_json::json!(Made { origin: origin.into(), tiles: made.tiles.clone(), ghosts });
        put_pass_cloud(&app.db, task.job_id, d.id, &all.inputs, &key, &kept).await?;
    }
    let refused = doing.len() - placed.len();
    let among = match stations.len() {
        0 => String::new(),
        1 => " among 1 scan".into(),
        n => format!(" among {n} scans"),
    };
    Ok(match refused {
        0 => format!("all {} passes have their place{among}, held by {} ties", placed.len(), out.ties.len()),
        _ => format!("{} of {} passes found no place", refused, doing.len()),
    })
}

/// Ties passes to scans and to one another, from this share of the work to that.
async fn tied(
    doing: Vec<Doing>,
    anchors: &Arc<Anchors>,
    progress: &Progress,
    [from, to]: [f64; 2],
) -> Result<(Vec<Doing>, Registered), Stop> {
    let (watch, anchors) = (progress.clone(), anchors.clone());
    blocking(move || {
        let (stations, shown) = &*anchors;
        let anchors: Vec<Anchor<'_>> = shown
            .iter()
            .zip(stations)
            .map(|(shown, (_, pose, covariance))| Anchor { shown, pose: *pose, covariance: *covariance })
            .collect();
        let given: Vec<PassIn<'_>> = doing
            .iter()
            .map(|d| PassIn { path: &d.path, pieces: &d.pieces, unit: &d.unit, start: None, marks: &d.marks })
            .collect();
        let go_on = |share: f64| watch.at(from + (to - from) * share, "tying the passes to what they come by").is_ok();
        let out = register(&anchors, &given, &go_on).ok_or(Stop::Cancelled)?;
        let out = out.map_err(|e| Stop::Failed(e.to_string()))?;
        drop(given);
        Ok((doing, out))
    })
    .await
}

/// Targets that passes came by, pass by pass.
async fn seen(
    app: &App,
    all: &Walked,
    doing: &[Doing],
    out: &Registered,
    progress: &Progress,
) -> Result<Vec<Vec<(SeenTarget, Mark)>>, Stop> {
    let search = all.standing.brief.search();
    let size = |kind: TargetKind| match kind {
        TargetKind::Sphere => search.sphere_radius.map(TargetSize::Sphere),
        TargetKind::Checker => search.checker_half.map(TargetSize::Board),
        TargetKind::Corner | TargetKind::Point | TargetKind::Mark => None,
    };
    let targets = all.standing.stands.targets.iter();
    let (known, targets): (Vec<&Measured>, Vec<KnownTarget>) =
        targets.filter_map(|t| Some((t, KnownTarget { at: t.at, size: size(t.kind)? }))).unzip();
    let mut found = Vec::new();
    for (d, placed) in doing.iter().zip(&out.passes) {
        let row = all.rows.iter().find(|r| r.id == d.id).ok_or(Stop::Cancelled)?;
        let (Ok(placed), false) = (placed, targets.is_empty()) else {
            found.push(Vec::new());
            continue;
        };
        progress.at(0.45, &format!("{}: looking for targets on its way", row.name))?;
        let facts: PassFacts = serde_json::from_value(row.facts.clone().unwrap_or_default())?;
        let cloud = passes::cloud(app, &d.key).await?;
        let (path, correction, unit) = (d.path.clone(), placed.correction.clone(), d.unit.clone());
        let targets = targets.clone();
        let visits = blocking(move || {
            let points = cloud.about(&path.origin(), facts.clock);
            Ok(targets_seen(&points, &cloud.intensity, &path, &correction, &unit, &targets))
        })
        .await?;
        let of = |v: Sighting| {
            let t = known[v.target];
            let noted = Noted::Shown(v.at, Some(v.time));
            let mark = Mark { noted, at: t.at, covariance: t.covariance + v.covariance };
            (SeenTarget { name: t.name.clone(), time: v.time, points: v.points }, mark)
        };
        found.push(visits.into_iter().map(of).collect());
    }
    Ok(found)
}
