//! Ties by clouds: pair after pair, each kept when it is found, then the block is adjusted with them.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::record::cloud_tie::FoundTie;
use crate::record::{GradeWord, StoredPose};
use crate::work::groups::{held, searched};
use crate::work::planning;
use crate::work::registration::Inputs;
use crate::work::ties::{can_be_tied, found, grade, search_key, shown, takes_part};
use std::collections::{HashMap, HashSet, VecDeque};
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::geometry::Pose;
use vistazo_core::instrument::Instrument;
use vistazo_core::tie::{CloudTieFound, Expected, NextPair, NextStep, Pairs, Shown, place_in_block, tie_by_clouds};
use vistazo_store::field::ScanRow;
use vistazo_store::tasks::Task;
use vistazo_store::ties::{self, NewCloudTie};

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let placed = placed(app, task.job_id).await?;
    let found = search(app, task.job_id, &placed, false, progress, (0.0, 0.9)).await?;
    progress.at(0.92, "matching and adjusting")?;
    let adjusted = super::register::adjust(app, task.job_id).await?.0;
    Ok(format!("{found}; {adjusted}"))
}

/// Where the scans stand, when the last registration is of what is there.
async fn placed(app: &App, job: Uuid) -> Result<HashMap<Uuid, Pose>, Stop> {
    let now = crate::work::registration::current(app, job).await?;
    let fresh = now.filter(|c| !c.stale && c.record.refused.is_none() && c.open() == 0);
    Ok(fresh.map_or_else(HashMap::new, |c| c.record.scans.iter().map(|s| (s.id, Pose::from(&s.pose))).collect()))
}

/// Looks for ties, each kept when it is found, from where the scans stand as far as that is known. Among scans that
/// have a place nothing is looked for when only what is `loose` is to be tied. Says in short what was found.
pub(super) async fn search(
    app: &App,
    job: Uuid,
    placed: &HashMap<Uuid, Pose>,
    loose: bool,
    progress: &Progress,
    (from, to): (f64, f64),
) -> Result<String, Stop> {
    let (_, brief) = crate::work::brief(app, job).await?;
    let profile = Instrument::from(&brief.instrument).systematic;
    let plan = planning::load(app, job).await?;
    let marks = Inputs::load(app, job).await?.marks()?;
    let all = vistazo_store::field::scans(&app.db, job).await?;
    let groups = vistazo_store::groups::scan_groups(&app.db, job).await?;
    let scans = searched(&groups, &all);
    let station = |s: &ScanRow| plan.stations.iter().find(|p| Some(p.0) == s.station_id).map(|p| p.1.position.xy());
    let mut pairs = Pairs::new(&scans.iter().map(|s| station(s)).collect::<Vec<_>>());
    let standing = scans.iter().enumerate().filter_map(|(k, s)| Some((k, *placed.get(&s.id)?)));
    pairs.place(&standing.collect::<Vec<_>>());
    if loose {
        pairs.only_loose();
    }
    for group in groups.iter().filter(|g| g.hold == "held") {
        if let Some(h) = held(group, |id| scans.iter().position(|s| s.id == id))? {
            let others = h.others.into_iter().map(|o| (o.0, o.1));
            pairs.hold(&std::iter::once((h.first, Pose::identity())).chain(others).collect::<Vec<_>>());
        }
    }
    let mut memory = Held::default();
    let known: HashMap<(Uuid, Uuid), ties::CloudTieRow> =
        ties::cloud_ties(&app.db, job).await?.into_iter().map(|t| ((t.scan_a, t.scan_b), t)).collect();
    // what was found before holds together from the start
    for (i, j) in (0..scans.len()).flat_map(|i| (i + 1..scans.len()).map(move |j| (i, j))) {
        let (a, b) = (scans[i], scans[j]);
        if let Some(t) = known.get(&(a.id, b.id)).filter(|t| takes_part(t) && t.search == search_key(&brief, a, b)) {
            pairs.found((i, j), found(t)?.map(|f| f.pose()).as_ref());
        }
    }
    let mut looked = 0;
    while let Some(next) = pairs.next_step() {
        let share = f64::from(looked) / (f64::from(looked) + pairs.left() as f64 + 1.0);
        let at = from + (to - from) * share;
        looked += 1;
        let NextPair { scans: (i, j), start } = match next {
            NextStep::Pair(pair) => pair,
            NextStep::Place(scan, among) => {
                let said = format!("looking for the place of {} among {} scans", scans[scan].name, among.len());
                progress.at(at, &said)?;
                if let Some((pose, seen_by)) = place(app, &scans, scan, among, &mut memory).await? {
                    pairs.stands(scan, &pose, &seen_by);
                }
                continue;
            }
        };
        let (a, b) = (scans[i], scans[j]);
        progress.at(at, &format!("bringing {} and {} together", a.name, b.name))?;
        let search = search_key(&brief, a, b);
        // what an attempt before this found is there already; what was not found is tried again from another start
        if let Some(t) = known.get(&(a.id, b.id)).filter(|t| t.search == search) {
            let tie = found(t)?.filter(|_| takes_part(t));
            let tried = start.is_none_or(|s| began_near(t, &s));
            if tie.is_some() || tried || !t.decision.is_empty() || t.laid_by.is_some() {
                pairs.found((i, j), tie.map(|f| f.pose()).as_ref());
                continue;
            }
        }
        let (first, second) = (memory.get(app, a).await?, memory.get(app, b).await?);
        // tripods are set up some decimetres beside their places on the plan
        let distance = station(a).zip(station(b)).map(|(p, q)| ((p - q).norm(), 0.25));
        let targets = [a, b].map(|s| marks.get(&s.id).cloned().unwrap_or_default());
        let expected = Expected { pose: start, close: start.is_some(), distance, targets, profile };
        let theirs = second.clone();
        let mut tie = blocking(move || Ok(tie_by_clouds(&first, &theirs, &expected))).await?;
        if let Some(t) = tie.take_if(|t| t.wants_witnesses()) {
            tie = Some(asked(app, t, &scans, &pairs, (i, j), &mut memory).await?);
        }
        let word = tie.as_ref().map_or(GradeWord::NotJudged, |t| t.grade.grade.into());
        let kept = tie.as_ref().map(|t| serde_json::json!(FoundTie::from(t)));
        let from = start.map(|s| serde_json::json!(StoredPose::from(&s)));
        let grade = serde_json::json!(word);
        let row = NewCloudTie {
            scans: (a.id, b.id),
            search: &search,
            found: kept.as_ref(),
            grade: grade.as_str().unwrap_or_default(),
            start: from.as_ref(),
        };
        ties::put_cloud_tie(&app.db, job, &row).await?;
        pairs.found((i, j), tie.filter(|_| word == GradeWord::Sound).map(|t| t.fit.relative).as_ref());
    }
    let parts: HashSet<usize> = pairs.parts().into_iter().collect();
    let rows = ties::cloud_ties(&app.db, job).await?;
    let count = |g: GradeWord| rows.iter().filter(|t| t.found.is_some() && grade(t) == g).count();
    let together = match parts.len() {
        1 => format!("all {} scans hang together", scans.len()),
        n => format!("the {} scans fall into {n} parts", scans.len()),
    };
    let left_out = all.iter().filter(|s| !can_be_tied(s)).count();
    let not_looked = if left_out > 0 { format!("; {left_out} without a scanner") } else { String::new() };
    let (sound, doubtful) = (count(GradeWord::Sound), count(GradeWord::Doubtful));
    Ok(format!("{looked} pairs looked at: {sound} sound ties, {doubtful} doubtful; {together}{not_looked}"))
}

/// Whether a tie was looked for from about this start before: then nothing else comes of it.
fn began_near(t: &ties::CloudTieRow, start: &Pose) -> bool {
    /// Metres, and radians.
    const ALIKE: (f64, f64) = (0.02, 0.002);
    let before = t.start.as_ref().and_then(|v| serde_json::from_value::<StoredPose>(v.clone()).ok());
    before.is_some_and(|b| {
        let off = Pose::from(&b).difference(start);
        off.fixed_rows::<3>(0).norm() < ALIKE.0 && off.fixed_rows::<3>(3).norm() < ALIKE.1
    })
}

/// The place of a scan among others, in their frame, and which of them see it, who shares most first.
async fn place(
    app: &App,
    scans: &[&ScanRow],
    scan: usize,
    among: Vec<(usize, Pose)>,
    held: &mut Held,
) -> Result<Option<(Pose, Vec<usize>)>, Stop> {
    let mut block = Vec::new();
    for (k, pose) in &among {
        block.push((held.get(app, scans[*k]).await?, *pose));
    }
    let loose = held.get(app, scans[scan]).await?;
    blocking(move || {
        let seen: Vec<(&Shown, Pose)> = block.iter().map(|(s, p)| (&**s, *p)).collect();
        let found = place_in_block(&seen, &loose);
        Ok(found.map(|f| (f.pose, f.witnesses.iter().map(|&w| among[w].0).collect())))
    })
    .await
}

/// A tie by which little is shared, with what the other scans of the block say of it: first those of the one's part,
/// and where these say nothing, those of the other's.
async fn asked(
    app: &App,
    mut tie: CloudTieFound,
    scans: &[&ScanRow],
    pairs: &Pairs,
    (i, j): (usize, usize),
    held: &mut Held,
) -> Result<CloudTieFound, Stop> {
    const ASKED: usize = 6;
    let relative = tie.fit.relative;
    for (from, to, pose) in [(i, j, relative), (j, i, relative.inverse())] {
        let about = held.get(app, scans[to]).await?;
        let mut others = Vec::new();
        for (k, pose) in pairs.witnesses((from, to), &pose, ASKED) {
            others.push((held.get(app, scans[k]).await?, pose));
        }
        tie = blocking(move || {
            let seen: Vec<(&Shown, Pose)> = others.iter().map(|(s, p)| (&**s, *p)).collect();
            tie.ask(&about, &seen);
            Ok(tie)
        })
        .await?;
        if !tie.wants_witnesses() {
            break;
        }
    }
    Ok(tie)
}

/// Scans that are held in memory, the last used ones.
#[derive(Default)]
struct Held(VecDeque<(Uuid, Arc<Shown>)>);

impl Held {
    /// So many at once: a scan takes some tens of megabytes.
    const MOST: usize = 20;

    async fn get(&mut self, app: &App, scan: &ScanRow) -> Result<Arc<Shown>, Stop> {
        let at = self.0.iter().position(|h| h.0 == scan.id);
        let one = match at.and_then(|k| self.0.remove(k)) {
            Some((_, s)) => s,
            None => Arc::new(shown(app, scan).await?),
        };
        self.0.push_back((scan.id, one.clone()));
        if self.0.len() > Self::MOST {
            self.0.pop_front();
        }
        Ok(one)
    }
}
