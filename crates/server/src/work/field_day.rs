//! The day in the field: what to do next, where each station is, what is missing before the site is left.

use super::journal::Journal;
use super::{instrument_check, outlook, own_station, planning, ties};
use crate::dto::{
    Brief, CameraCostDto, CoverDto, FactDto, FieldNowDto, FieldStationDto, NextDto, OwnStationDto, PaceDto,
    QuickTieDto, StationState, TargetState, VisitDto,
};
use crate::record::GradeWord;
use crate::record::cloud_tie::FoundTie;
use crate::{ApiError, App, words};
use std::collections::{HashMap, HashSet};
use uuid::Uuid;
use vistazo_core::field::{Camera, Missing, Next, Stop, Visit, leave, next, photograph_cost, saved};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Day, PlannedKind, PlannedTarget, SET_UP, Station, cover, day};
use vistazo_store::field::{self, ScanRow};
use vistazo_store::journal::{self, QuickTieRow};
use vistazo_store::results;

/// Everything the day is judged from, each read once.
struct Site {
    brief: Brief,
    plan: planning::Plan,
    cover: CoverDto,
    scans: Vec<ScanRow>,
    journal: Journal,
    quick: Vec<QuickTieRow>,
    control: HashSet<String>,
    /// By scan.
    stands: HashMap<Uuid, OwnStationDto>,
    /// Stations (indices) that were noted or scanned, in the order taken.
    taken: Vec<usize>,
}

impl Site {
    async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (_, brief) = super::brief(app, job).await?;
        let plan = planning::load(app, job).await?;
        let text = outlook::cover_text(app, job, &plan, &brief).await?;
        let cover = serde_json::from_slice(&text)
            .map_err(|e| ApiError::conflict(format!("the stored cover cannot be read: {e}")))?;
        let scans = field::scans(&app.db, job).await?;
        let journal = Journal::load(app, job).await?;
        let station = |id: Uuid| plan.stations.iter().position(|s| s.0 == id);
        let noted = journal.visits().into_iter().map(|(_, v)| v.station);
        let mut taken: Vec<usize> = Vec::new();
        for k in noted.chain(scans.iter().filter_map(|s| s.station_id)).filter_map(station) {
            if !taken.contains(&k) {
                taken.push(k);
            }
        }
        let control = results::control(&app.db, job).await?;
        let named = control.into_iter().flat_map(|c| std::iter::once(c.name).chain(c.target));
        Ok(Self {
            quick: journal::quick_ties(&app.db, job).await?,
            stands: own_station::all(app, job, &journal).await?,
            control: named.map(|n| n.to_lowercase()).collect(),
            brief,
            plan,
            cover,
            scans,
            journal,
            taken,
        })
    }

    fn instrument(&self) -> Instrument {
        Instrument::from(&self.brief.instrument)
    }

    /// Targets (indices) that a station is to see; marks in the ground are none that somebody puts up.
    fn sees(&self, station: usize) -> Vec<usize> {
        let stands = |t: &PlannedTarget| t.kind != PlannedKind::Mark;
        let of = |id: &Uuid| self.plan.targets.iter().position(|t| t.0 == *id && stands(&t.1));
        let all = self.cover.stations.get(station).map_or(&[][..], |s| &s.targets);
        let mut seen: Vec<usize> = all.iter().filter_map(of).collect();
        seen.sort_unstable();
        seen
    }

    fn target_names(&self, of: &[usize]) -> Vec<String> {
        of.iter().map(|&t| self.plan.targets[t].1.name.clone()).collect()
    }

    fn next(&self) -> Option<NextDto> {
        let stop = |k: usize| Stop {
            position: self.plan.stations[k].1.position,
            taken: self.taken.contains(&k),
            sees: self.sees(k),
        };
        let stops: Vec<Stop> = (0..self.plan.stations.len()).map(stop).collect();
        let Next::Go(way) = next(&stops, self.taken.last().copied()) else { return None };
        let mut because = words::field::because(way.because);
        if self.power_was_lost() {
            because = format!("{because}. {}", words::field::TIES_BACK);
        }
        let (id, station) = &self.plan.stations[way.station];
        let loose = |mut of: Vec<usize>| {
            of.retain(|&t| self.plan.targets[t].1.control_sigma.is_none());
            of
        };
        Some(NextDto {
            station: *id,
            name: station.name.clone(),
            because,
            planned: None,
            distance: way.distance,
            bearing: way.bearing,
            set_up: self.target_names(&way.set_up),
            keep: self.target_names(&way.keep),
            // what stands on known points stays there
            free: self.target_names(&loose(way.free)),
        })
    }

    /// Whether the power was lost since the station taken last.
    fn power_was_lost(&self) -> bool {
        let last = self.taken.last().map(|&k| self.plan.stations[k].0);
        self.journal.stands().any(|(_, f)| matches!(f, FactDto::PowerLost(p) if p.after == last))
    }

    fn station(&self, k: usize, days: &Day) -> FieldStationDto {
        let (id, station) = &self.plan.stations[k];
        let heads = self.journal.heads.get(&format!("station {id}"));
        let scan = self.scans.iter().find(|s| s.station_id == Some(*id));
        let visit = heads.and_then(|h| match &self.journal.facts[*h.first()?] {
            FactDto::Visit(v) => Some(v),
            _ => None,
        });
        let name = |t: &usize| self.plan.targets[*t].1.name.clone();
        let instrument = self.instrument();
        FieldStationDto {
            id: *id,
            name: station.name.clone(),
            position: station.position.into(),
            state: match (scan, visit) {
                (Some(_), _) => StationState::Scanned,
                (None, Some(_)) => StationState::Noted,
                (None, None) => StationState::Planned,
            },
            entries: heads.map_or_else(Vec::new, |h| h.iter().map(|&e| self.journal.rows[e].id).collect()),
            over: station.over.as_ref().map(name),
            sights: station.sights.iter().map(name).collect(),
            sees: self.target_names(&self.sees(k)),
            step: station.step.unwrap_or(instrument.step),
            repeats: station.repeats,
            photographs: station.photographs,
            photograph_seconds: instrument.photograph_time,
            seconds: days.stops[k].scan,
            bytes: days.stops[k].points * instrument.bytes_per_point,
            took: visit.and_then(took),
            tie: scan.and_then(|s| self.tie(s)),
            stands: scan.and_then(|s| self.stands.get(&s.id).cloned()),
        }
    }

    fn found(&self, row: &QuickTieRow) -> Option<(String, GradeWord, FoundTie)> {
        let other = self.scans.iter().find(|s| Some(s.id) == row.other)?;
        let found = serde_json::from_value(row.found.clone()?).ok()?;
        Some((other.name.clone(), ties::grade_word(&row.grade), found))
    }

    fn tie(&self, scan: &ScanRow) -> Option<QuickTieDto> {
        let (to, grade, found) = self.found(self.quick.iter().find(|t| t.scan_id == scan.id)?)?;
        let overlap = found.overlap[0].max(found.overlap[1]);
        let place = |s: &ScanRow| self.plan.stations.iter().find(|p| Some(p.0) == s.station_id).map(|p| p.1.position);
        let other = self.scans.iter().find(|s| s.name == to);
        let distance = place(scan).zip(other.and_then(place)).map(|(p, q)| (p - q).norm());
        Some(QuickTieDto {
            weakest95: found.weakest95,
            said: found.reasons.iter().map(|r| words::ties::reason(&self.brief, &found, r)).collect(),
            mend: (grade != GradeWord::Sound).then(|| words::field::mend(overlap, distance, &self.brief)),
            to,
            grade,
            overlap,
            distance,
        })
    }

    fn pace(&self, days: &Day) -> PaceDto {
        let left = (0..days.stops.len()).filter(|k| !self.taken.contains(k));
        let left = left.map(|k| days.stops[k].walk + SET_UP + days.stops[k].scan).sum();
        let timed: Vec<(usize, &VisitDto)> = self
            .journal
            .visits()
            .into_iter()
            .filter_map(|(_, v)| {
                let k = self.plan.stations.iter().position(|s| s.0 == v.station)?;
                v.started.zip(v.ended).map(|_| (k, v))
            })
            .collect();
        let behind =
            timed.first().and_then(|f| f.1.started).zip(timed.last().and_then(|l| l.1.ended)).map(|(from, to)| {
                // the walk to the first is over when it begins
                let planned: f64 = timed.iter().map(|t| days.stops[t.0].walk + SET_UP + days.stops[t.0].scan).sum();
                (to - from).num_seconds() as f64 - (planned - days.stops[timed[0].0].walk)
            });
        PaceDto { taken: self.taken.len(), of: days.stops.len(), left, behind }
    }

    /// Stations taken that hang together, by what the plan says that they share and by ties that were found.
    fn parts(&self) -> Vec<Vec<String>> {
        let name = |k: usize| &self.plan.stations[k].1.name;
        let mut part: HashMap<&String, usize> = self.taken.iter().enumerate().map(|(p, &k)| (name(k), p)).collect();
        let mut join = |a: &String, b: &String| {
            if let (Some(&p), Some(&q)) = (part.get(a), part.get(b)) {
                part.values_mut().filter(|v| **v == q).for_each(|v| *v = p);
            }
        };
        for l in &self.cover.links {
            if l.holds(self.brief.tie_by_clouds) {
                join(&l.from, &l.to);
            }
        }
        let of_scan = |id: Uuid| self.scans.iter().find(|s| s.id == id);
        let station = |s: &ScanRow| self.plan.stations.iter().find(|p| Some(p.0) == s.station_id).map(|p| &p.1.name);
        for t in self.quick.iter().filter(|t| ties::grade_word(&t.grade) == GradeWord::Sound) {
            let ends = of_scan(t.scan_id).and_then(station).zip(t.other.and_then(of_scan).and_then(station));
            if let Some((a, b)) = ends {
                join(a, b);
            }
        }
        let mut out: HashMap<usize, Vec<String>> = HashMap::new();
        for &k in &self.taken {
            out.entry(part[name(k)]).or_default().push(name(k).clone());
        }
        let mut out: Vec<Vec<String>> = out.into_values().collect();
        out.sort_by_key(|p| (std::cmp::Reverse(p.len()), p.first().cloned()));
        out
    }

    /// Targets that were noted as moved, knocked or gone, where nothing later says that they stand.
    fn touched(&self) -> Vec<String> {
        let mut state: HashMap<&str, TargetState> = HashMap::new();
        for (_, v) in self.journal.visits() {
            state.extend(v.targets.iter().map(|t| (t.name.as_str(), t.state)));
        }
        let mut out: Vec<String> =
            state.into_iter().filter(|s| s.1 != TargetState::Stands).map(|s| s.0.to_owned()).collect();
        out.sort();
        out
    }

    fn ticked(&self, item: &str) -> Option<(bool, String)> {
        let head = *self.journal.heads.get(&format!("check {item}"))?.last()?;
        match &self.journal.facts[head] {
            FactDto::Tick(t) => Some((t.done, self.journal.rows[head].by.clone())),
            _ => None,
        }
    }

    /// Required surfaces: name, share that the stations taken show well enough.
    fn surfaces(&self) -> Vec<(String, f64)> {
        let site = &self.plan.site;
        if site.walls.iter().all(|w| w.demand.is_none()) && site.slabs.iter().all(|s| s.demand.is_none()) {
            return Vec::new();
        }
        let stations: Vec<Station> = self.taken.iter().map(|&k| self.plan.stations[k].1.clone()).collect();
        let cover = cover(site, &stations, &self.instrument(), 2.0 * planning::GRID);
        let mut out: Vec<(vistazo_core::plan::Surface, f64, f64)> = Vec::new();
        for (i, s) in cover.samples.iter().enumerate().filter(|(_, s)| s.demand.is_some()) {
            let at = out.iter().position(|o| o.0 == s.surface).unwrap_or_else(|| {
                out.push((s.surface, 0.0, 0.0));
                out.len() - 1
            });
            out[at].1 += s.area();
            if cover.stations.iter().any(|c| c.samples[i].is_ok()) {
                out[at].2 += s.area();
            }
        }
        out.into_iter().map(|(s, all, shown)| (self.plan.surface(s).1.clone(), shown / all.max(1e-9))).collect()
    }

    fn missing(&self) -> Vec<Missing> {
        let not_taken = (0..self.plan.stations.len()).filter(|k| !self.taken.contains(k));
        let sees: Vec<Vec<usize>> = (0..self.plan.stations.len()).map(|k| self.sees(k)).collect();
        let count = |t: usize, of: &mut dyn Iterator<Item = usize>| of.filter(|&k| sees[k].contains(&t)).count();
        let targets = (0..self.plan.targets.len()).filter(|&t| self.plan.targets[t].1.control_sigma.is_none());
        let occupied: HashSet<String> = self
            .journal
            .stands()
            .filter_map(|(_, f)| match f {
                FactDto::Occupied(o) => Some(o.mark.to_lowercase()),
                _ => None,
            })
            .collect();
        let to_know = self.plan.targets.iter().filter(|t| t.1.control_sigma.is_some()).map(|t| &t.1.name);
        let measured = |n: &&String| {
            let n = n.to_lowercase();
            occupied.contains(&n) || self.control.contains(&n)
        };
        let scan_name = |id: Uuid| self.scans.iter().find(|s| s.id == id).map(|s| s.name.clone());
        let doubtful = self.quick.iter().filter(|t| ties::grade_word(&t.grade) == GradeWord::Doubtful);
        leave(&Visit {
            not_taken: not_taken.map(|k| self.plan.stations[k].1.name.clone()).collect(),
            targets: targets
                .map(|t| {
                    let name = self.plan.targets[t].1.name.clone();
                    (name, count(t, &mut self.taken.iter().copied()), count(t, &mut (0..sees.len())))
                })
                .collect(),
            surfaces: self.surfaces(),
            parts: self.parts(),
            doubtful: doubtful.filter_map(|t| Some((scan_name(t.scan_id)?, scan_name(t.other?)?))).collect(),
            touched: self.touched(),
            control: to_know.filter(|n| !measured(n)).cloned().collect(),
            open: words::field::checklist(|i| self.ticked(i), 0, 0.0, 0.0)
                .into_iter()
                .filter(|i| i.done != Some(true))
                .map(|i| i.item)
                .collect(),
            contradictions: self.journal.contradictions(),
        })
    }

    /// What was not spent by hand, by the figures that stand.
    fn saved(&self) -> Option<String> {
        let by_hand = self.journal.stands().find_map(|(_, f)| match f {
            FactDto::ByHand(b) => Some(b.to_core()),
            _ => None,
        })?;
        let lengths = self.journal.stands().filter(|(_, f)| matches!(f, FactDto::Measured(_))).count();
        let ties = self.quick.iter().filter(|t| ties::grade_word(&t.grade) == GradeWord::Sound).count();
        Some(words::field::saved(&saved(by_hand, lengths, ties)))
    }

    fn hazards(&self) -> Vec<String> {
        let notes = self.journal.stands().filter_map(|(r, f)| match f {
            FactDto::Note(n) if n.hazard => Some(format!("{} ({})", n.text, r.by)),
            _ => None,
        });
        notes.chain(words::plan::cautions(&self.plan, &self.brief)).collect()
    }
}

fn took(v: &VisitDto) -> Option<f64> {
    v.started.zip(v.ended).map(|(from, to)| (to - from).num_milliseconds() as f64 / 1e3)
}

/// Height of an instrument that nobody measured yet, for what photographs do not reach, metres.
const USUAL_HEIGHT: f64 = 1.7;

fn cameras(instrument: &Instrument) -> Vec<CameraCostDto> {
    let one = |(added, exposures): (bool, u32)| {
        let camera = if added { Camera::ADDED } else { Camera::BUILT_IN };
        let c = photograph_cost(&camera, exposures, USUAL_HEIGHT, 10.0);
        // the instrument of the job says how long its own takes
        let seconds = if added { c.seconds } else { instrument.photograph_time * f64::from(exposures) };
        CameraCostDto { added, exposures, seconds, pixel: c.pixel, uncoloured: c.uncoloured, beside: c.beside }
    };
    [(false, 1), (false, 3), (true, 1), (true, 3)].into_iter().map(one).collect()
}

/// The field sheet as things stand, for somebody.
pub(crate) async fn now(app: &App, job: Uuid, user: Uuid) -> Result<FieldNowDto, ApiError> {
    let site = Site::load(app, job).await?;
    let due = instrument_check::due(app, user, &site.journal, &site.brief).await?;
    let planned = vistazo_store::days::get(&app.db, job).await?.is_some();
    let days = if planned { Some(super::days::Days::load(app, job).await?) } else { None };
    super::blocking(move || {
        let mut next = site.next();
        if let (Some(n), Some(d)) = (&mut next, &days) {
            n.planned = d.begins(n.station);
        }
        let days = day(&site.plan.stations(), &site.instrument());
        let checklist = words::field::checklist(
            |i| site.ticked(i),
            days.batteries,
            days.bytes / 1e9,
            site.brief.instrument.warm_up,
        );
        FieldNowDto {
            next,
            stations: (0..site.plan.stations.len()).map(|k| site.station(k, &days)).collect(),
            pace: site.pace(&days),
            checklist,
            missing: site.missing().iter().map(words::field::missing).collect(),
            hazards: site.hazards(),
            check_due: due.map(words::field::due),
            saved: site.saved(),
            cameras: cameras(&site.instrument()),
        }
    })
    .await
}
