//! Ties by clouds: pair after pair, each kept when it is found, then the block is adjusted with them.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::Brief;
use crate::record::cloud_tie::FoundTie;
use crate::record::{GradeWord, StoredPose};
use crate::work::groups::{held, searched};
use crate::work::planning;
use crate::work::registration::Inputs;
use crate::work::ties::{can_be_tied, found, grade, search_key, shown, takes_part};
use nalgebra::Vector2;
use std::collections::{HashMap, HashSet, VecDeque};
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::geometry::Pose;
use vistazo_core::instrument::{Instrument, Systematic};
use vistazo_core::tie::{
    CloudTieFound, Expected, Mark, NextPair, NextStep, Pairs, Shown, place_in_block, tie_by_clouds,
};
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
    let all = vistazo_store::field::scans(&app.db, job).await?;
    let groups = vistazo_store::groups::scan_groups(&app.db, job).await?;
    let mut search = Search::begin(app, job, searched(&groups, &all)).await?;
    let standing = search.scans.iter().enumerate().filter_map(|(k, s)| Some((k, *placed.get(&s.id)?)));
    search.pairs.place(&standing.collect::<Vec<_>>());
    if loose {
        search.pairs.only_loose();
    }
    for group in groups.iter().filter(|g| g.hold == "held") {
        if let Some(h) = held(group, |id| search.scans.iter().position(|s| s.id == id))? {
            let others = h.others.into_iter().map(|o| (o.0, o.1));
            search.pairs.hold(&std::iter::once((h.first, Pose::identity())).chain(others).collect::<Vec<_>>());
        }
    }
    search.take_known()?;
    let mut looked = 0;
    while let Some(next) = search.pairs.next_step() {
        let share = f64::from(looked) / (f64::from(looked) + search.pairs.left() as f64 + 1.0);
        let at = from + (to - from) * share;
        looked += 1;
        let name = |k: usize| &search.scans[k].name;
        match next {
            NextStep::Pair(pair) => {
                let (i, j) = pair.scans;
                progress.at(at, &format!("bringing {} and {} together", name(i), name(j)))?;
                if pair.start.is_some() {
                    search.ask_again().await?;
                }
                search.look_at(pair).await?;
            }
            NextStep::Place(scan, among) => {
                progress.at(at, &format!("looking for the place of {} among {} scans", name(scan), among.len()))?;
                search.ask_again().await?;
                search.place(scan, among).await?;
            }
        }
    }
    search.ask_again().await?;
    search.said(looked, all.iter().filter(|s| !can_be_tied(s)).count()).await
}

/// What is being looked for.
struct Search<'a> {
    app: &'a App,
    job: Uuid,
    brief: Brief,
    profile: Systematic,
    scans: Vec<&'a ScanRow>,
    /// Where the plan has the station of each.
    planned: Vec<Option<Vector2<f64>>>,
    marks: HashMap<Uuid, Vec<Mark>>,
    known: HashMap<(Uuid, Uuid), ties::CloudTieRow>,
    pairs: Pairs,
    memory: Held,
    /// Ties by which little is shared and that nobody could confirm yet, with where they began.
    unconfirmed: Vec<(NextPair, CloudTieFound)>,
    /// In how many parts the scans were when others were last asked about them.
    parts: usize,
}

impl<'a> Search<'a> {
    async fn begin(app: &'a App, job: Uuid, scans: Vec<&'a ScanRow>) -> Result<Self, Stop> {
        let (_, brief) = crate::work::brief(app, job).await?;
        let plan = planning::load(app, job).await?;
        let station = |s: &ScanRow| plan.stations.iter().find(|p| Some(p.0) == s.station_id).map(|p| p.1.position.xy());
        let planned: Vec<_> = scans.iter().map(|s| station(s)).collect();
        let rows = ties::cloud_ties(&app.db, job).await?;
        Ok(Self {
            app,
            job,
            profile: Instrument::from(&brief.instrument).systematic,
            brief,
            marks: Inputs::load(app, job).await?.marks()?,
            known: rows.into_iter().map(|t| ((t.scan_a, t.scan_b), t)).collect(),
            pairs: Pairs::new(&planned),
            planned,
            scans,
            memory: Held::default(),
            unconfirmed: Vec::new(),
            parts: 0,
        })
    }

    /// What an earlier search of this kind made of a pair.
    fn known(&self, (i, j): (usize, usize)) -> Option<&ties::CloudTieRow> {
        let (a, b) = (self.scans[i], self.scans[j]);
        self.known.get(&(a.id, b.id)).filter(|t| t.search == search_key(&self.brief, a, b))
    }

    /// What was found before holds together from the start.
    fn take_known(&mut self) -> Result<(), Stop> {
        for pair in (0..self.scans.len()).flat_map(|i| (i + 1..self.scans.len()).map(move |j| (i, j))) {
            if let Some(f) = self.known(pair).filter(|t| takes_part(t)).map(found).transpose()?.flatten() {
                self.pairs.found(pair, f.places().then(|| f.pose()).as_ref());
            }
        }
        Ok(())
    }

    async fn look_at(&mut self, pair: NextPair) -> Result<(), Stop> {
        let NextPair { scans: (i, j), start } = pair;
        // what an attempt before this found is there already; what was not found is tried again from another start
        if let Some(t) = self.known((i, j)) {
            let tie = found(t)?.filter(|f| takes_part(t) && f.places());
            let tried = start.is_none_or(|s| began_near(t, &s));
            if tie.is_some() || tried || !t.decision.is_empty() || t.laid_by.is_some() {
                self.pairs.found((i, j), tie.map(|f| f.pose()).as_ref());
                return Ok(());
            }
        }
        let (a, b) = (self.scans[i], self.scans[j]);
        let (first, second) = (self.memory.get(self.app, a).await?, self.memory.get(self.app, b).await?);
        // tripods are set up some decimetres beside their places on the plan
        let distance = self.planned[i].zip(self.planned[j]).map(|(p, q)| ((p - q).norm(), 0.25));
        let targets = [a, b].map(|s| self.marks.get(&s.id).cloned().unwrap_or_default());
        let expected = Expected { pose: start, close: start.is_some(), distance, targets, profile: self.profile };
        let mut tie = blocking(move || Ok(tie_by_clouds(&first, &second, &expected))).await?;
        if let Some(t) = tie.take_if(|t| t.wants_witnesses()) {
            tie = Some(self.asked(t, (i, j)).await?);
        }
        self.keep(pair, tie.as_ref()).await?;
        self.pairs.found((i, j), tie.as_ref().filter(|t| t.grade.places()).map(|t| t.fit.relative).as_ref());
        self.unconfirmed.extend(tie.filter(CloudTieFound::wants_witnesses).map(|t| (pair, t)));
        Ok(())
    }

    async fn keep(&self, pair: NextPair, tie: Option<&CloudTieFound>) -> Result<(), Stop> {
        let (a, b) = (self.scans[pair.scans.0], self.scans[pair.scans.1]);
        let word = tie.map_or(GradeWord::NotJudged, |t| t.grade.grade.into());
        let grade = serde_json::json!(word);
        let found = tie.map(|t| serde_json::json!(FoundTie::from(t)));
        let start = pair.start.map(|s| serde_json::json!(StoredPose::from(&s)));
        let row = NewCloudTie {
            scans: (a.id, b.id),
            search: &search_key(&self.brief, a, b),
            found: found.as_ref(),
            grade: grade.as_str().unwrap_or_default(),
            start: start.as_ref(),
        };
        ties::put_cloud_tie(&self.app.db, self.job, &row).await?;
        Ok(())
    }

    /// Asks about what nobody could confirm, now that more scans hang together.
    async fn ask_again(&mut self) -> Result<(), Stop> {
        let parts = self.pairs.parts().into_iter().collect::<HashSet<_>>().len();
        if parts == self.parts {
            return Ok(());
        }
        self.parts = parts;
        for (pair, tie) in std::mem::take(&mut self.unconfirmed) {
            let tie = self.asked(tie, pair.scans).await?;
            if tie.wants_witnesses() {
                self.unconfirmed.push((pair, tie));
            } else {
                self.keep(pair, Some(&tie)).await?;
                self.pairs.found(pair.scans, tie.grade.places().then_some(&tie.fit.relative));
            }
        }
        Ok(())
    }

    /// The place of a scan among others, and which of them see it, who shares most first.
    async fn place(&mut self, scan: usize, among: Vec<(usize, Pose)>) -> Result<(), Stop> {
        let mut block = Vec::new();
        for (k, pose) in &among {
            block.push((self.memory.get(self.app, self.scans[*k]).await?, *pose));
        }
        let loose = self.memory.get(self.app, self.scans[scan]).await?;
        let found = blocking(move || {
            let seen: Vec<(&Shown, Pose)> = block.iter().map(|(s, p)| (&**s, *p)).collect();
            Ok(place_in_block(&seen, &loose))
        });
        if let Some(f) = found.await? {
            let seen_by: Vec<usize> = f.witnesses.iter().map(|&w| among[w].0).collect();
            self.pairs.stands(scan, &f.pose, &seen_by);
        }
        Ok(())
    }

    /// A tie by which little is shared, with what the other scans of the block say of it: first those of the one's part,
    /// and where these say nothing, those of the other's.
    async fn asked(&mut self, mut tie: CloudTieFound, (i, j): (usize, usize)) -> Result<CloudTieFound, Stop> {
        const ASKED: usize = 6;
        let relative = tie.fit.relative;
        for (from, to, pose) in [(i, j, relative), (j, i, relative.inverse())] {
            let about = self.memory.get(self.app, self.scans[to]).await?;
            let mut others = Vec::new();
            for (k, pose) in self.pairs.witnesses((from, to), &pose, ASKED) {
                others.push((self.memory.get(self.app, self.scans[k]).await?, pose));
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

    /// What was found, in short.
    async fn said(&self, looked: i32, without_scanner: usize) -> Result<String, Stop> {
        let parts: HashSet<usize> = self.pairs.parts().into_iter().collect();
        let rows = ties::cloud_ties(&self.app.db, self.job).await?;
        let count = |g: GradeWord| rows.iter().filter(|t| t.found.is_some() && grade(t) == g).count();
        let together = match parts.len() {
            1 => format!("all {} scans hang together", self.scans.len()),
            n => format!("the {} scans fall into {n} parts", self.scans.len()),
        };
        let not_looked =
            if without_scanner > 0 { format!("; {without_scanner} without a scanner") } else { String::new() };
        let (sound, doubtful) = (count(GradeWord::Sound), count(GradeWord::Doubtful));
        Ok(format!("{looked} pairs looked at: {sound} sound ties, {doubtful} doubtful; {together}{not_looked}"))
    }
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
