//! Days on site: from plan, settings and journal to the core's problem, and its timetable to what is sent.

mod answer;
mod compared;
mod options;
mod start;

pub(crate) use options::options;

use super::journal::Journal;
use super::{outlook, planning};
use crate::dto::{AssignedDto, Brief, CoverDto, DaySettingsDto, FactDto, OrderDto};
use crate::{ApiError, App};
use chrono::{DateTime, NaiveDateTime, Utc};
use nalgebra::Vector2;
use std::collections::{HashMap, HashSet};
use uuid::Uuid;
use vistazo_core::day::{
    Break, Errand, Fixed, Order, Problem, Shift, Span, Start, Stop, Timetable, Unit, best_order, carried, timetable,
    untied,
};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{PlannedKind, Station, inside, ways};
use vistazo_store::{days, field, results};

const DAY: f64 = 86_400.0;

/// A station that was taken: which, from when to when on the clock of the plan.
#[derive(Clone, Copy, Debug)]
pub(crate) struct Taken {
    pub station: usize,
    pub span: Span,
    /// Both times were noted.
    pub timed: bool,
}

/// Everything days are planned from, and the problem that comes of it.
#[derive(Clone)]
pub(crate) struct Days {
    pub job: Uuid,
    pub name: String,
    pub brief: Brief,
    pub plan: planning::Plan,
    pub cover: std::sync::Arc<CoverDto>,
    pub settings: DaySettingsDto,
    areas: HashMap<Uuid, Vec<Vector2<f64>>>,
    pub taken: Vec<Taken>,
    /// Marks occupied, in lower case, and when each occupation was over.
    occupied: HashMap<String, Vec<f64>>,
    /// When power was lost.
    lost: Vec<f64>,
    /// Names of control that is known already, in lower case.
    known: HashSet<String>,
    pub problem: Problem,
    pub order: Order,
    /// Metres of walking between places.
    pub metres: Vec<Vec<f64>>,
    /// Pairs of places that the plan shows no way between.
    pub shut: Vec<(usize, usize)>,
}

/// The settings of a job, or the usual ones.
pub(crate) async fn settings(app: &App, job: Uuid) -> Result<DaySettingsDto, ApiError> {
    let Some((kept, version)) = days::get(&app.db, job).await? else {
        return Ok(DaySettingsDto::usual(Utc::now().date_naive() + chrono::Duration::days(1)));
    };
    let read: DaySettingsDto = serde_json::from_value(kept)
        .map_err(|e| ApiError::conflict(format!("what the days were planned from cannot be read: {e}")))?;
    Ok(DaySettingsDto { version, ..read })
}

impl Days {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (row, brief) = super::brief(app, job).await?;
        let plan = planning::load(app, job).await?;
        let text = outlook::cover_text(app, job, &plan, &brief).await?;
        let cover: CoverDto = serde_json::from_slice(&text)
            .map_err(|e| ApiError::conflict(format!("the stored cover cannot be read: {e}")))?;
        let settings = settings(app, job).await?;
        let items = planning::items(app, job).await?;
        let outline = |d: &crate::dto::PlanData| d.line.iter().map(|p| Vector2::new(p[0], p[1])).collect();
        let areas = items.iter().filter(|i| i.1 == "area").map(|(id, _, d)| (*id, outline(d))).collect();
        let journal = Journal::load(app, job).await?;
        let scans = field::scans(&app.db, job).await?;
        let control = results::control(&app.db, job).await?;
        let known = control.into_iter().flat_map(|c| std::iter::once(c.name).chain(c.target));
        let mut days = Self {
            job,
            name: row.name,
            known: known.map(|n| n.to_lowercase()).collect(),
            taken: Vec::new(),
            occupied: HashMap::new(),
            lost: Vec::new(),
            problem: Problem::default(),
            order: Order::new(),
            metres: Vec::new(),
            shut: Vec::new(),
            cover: std::sync::Arc::new(cover),
            brief,
            plan,
            settings,
            areas,
        };
        days.read(&journal);
        // what was scanned and not noted is done all the same
        let noted: HashSet<usize> = days.taken.iter().map(|t| t.station).collect();
        for s in scans {
            let k = days.plan.stations.iter().position(|p| Some(p.0) == s.station_id);
            if let Some(station) = k.filter(|k| !noted.contains(k)) {
                days.taken.push(Taken { station, span: (f64::NEG_INFINITY, f64::NEG_INFINITY), timed: false });
            }
        }
        super::blocking(move || days.set()).await
    }

    fn read(&mut self, journal: &Journal) {
        for (row, v) in journal.visits() {
            let Some(station) = self.plan.stations.iter().position(|s| s.0 == v.station) else { continue };
            let ahead = chrono::Duration::milliseconds((row.ahead * 1e3) as i64);
            let begin = v.started.or(v.ended).unwrap_or(row.taken_at) - ahead;
            let end = v.ended.or(v.started).unwrap_or(row.taken_at) - ahead;
            let timed = v.started.is_some() && v.ended.is_some();
            self.taken.retain(|t| t.station != station);
            self.taken.push(Taken { station, span: (self.clock(begin), self.clock(end)), timed });
        }
        for (row, fact) in journal.stands() {
            let when = self.clock(super::journal::at(row));
            match fact {
                FactDto::Occupied(o) => self.occupied.entry(o.mark.trim().to_lowercase()).or_default().push(when),
                FactDto::PowerLost(_) => self.lost.push(when),
                _ => {}
            }
        }
        self.occupied.values_mut().for_each(|v| v.sort_by(f64::total_cmp));
    }

    fn midnight(&self) -> NaiveDateTime {
        self.settings.dates.first().map_or_else(NaiveDateTime::default, |d| d.date.and_time(chrono::NaiveTime::MIN))
    }

    /// Seconds from the midnight before the first day, on the clock of the site.
    pub(crate) fn clock(&self, at: DateTime<Utc>) -> f64 {
        let here = at.naive_utc() + chrono::Duration::minutes(i64::from(self.settings.offset));
        (here - self.midnight()).num_milliseconds() as f64 / 1e3
    }

    /// The moment of a time of the plan.
    pub(crate) fn moment(&self, clock: f64) -> DateTime<Utc> {
        let here = self.midnight() + chrono::Duration::milliseconds((clock * 1e3) as i64);
        (here - chrono::Duration::minutes(i64::from(self.settings.offset))).and_utc()
    }

    /// The date of a time of the plan.
    pub(crate) fn date(&self, clock: f64) -> chrono::NaiveDate {
        (self.midnight() + chrono::Duration::milliseconds((clock * 1e3) as i64)).date()
    }

    /// The date of each shift as seconds, from midnight to midnight.
    fn midnights(&self) -> Vec<f64> {
        let Some(first) = self.settings.dates.first() else { return Vec::new() };
        self.settings.dates.iter().map(|d| (d.date - first.date).num_days() as f64 * DAY).collect()
    }

    /// The same days with another plan.
    fn with(&self, plan: planning::Plan, settings: DaySettingsDto) -> Self {
        let mut new = self.clone();
        let id = |k: usize| self.plan.stations[k].0;
        let find = |id: Uuid| plan.stations.iter().position(|s| s.0 == id);
        new.taken = self.taken.iter().filter_map(|t| Some(Taken { station: find(id(t.station))?, ..*t })).collect();
        new.plan = plan;
        new.settings = settings;
        new.set()
    }

    /// Makes the problem of what was read.
    fn set(mut self) -> Self {
        let instrument = Instrument::from(&self.brief.instrument);
        let s = &self.settings;
        let stops: Vec<Stop> = (0..self.plan.stations.len()).map(|k| self.stop(k, &instrument)).collect();
        let (errands, at) = self.errands();
        let first = self.plan.stations.first().map_or_else(Vec3::zeros, |s| s.1.position);
        let gate = s.gate.map_or(first, |g| Vec3::new(g[0], g[1], first.z));
        let stations = self.plan.stations.iter().map(|s| s.1.position);
        let places: Vec<Vec3> = std::iter::once(gate).chain(stations).chain(at).collect();
        let found = ways(&self.plan.site, &places);
        let walk = found.metres.iter().map(|r| r.iter().map(|m| m / s.walk).collect()).collect();
        let shifts = self.midnights().into_iter().zip(&s.dates).enumerate().map(|(k, (midnight, d))| Shift {
            from: midnight + d.from,
            to: midnight + d.to,
            induction: k == 0,
            breaks: s
                .breaks
                .iter()
                .map(|b| Break { from: midnight + b.from, to: midnight + b.to, length: b.length })
                .collect(),
        });
        let units = s.scanners.iter().map(|u| Unit {
            name: u.name.clone(),
            person: u.person,
            battery: instrument.battery_time,
            batteries: u.batteries,
            swap: s.pace.swap,
            warm_up: instrument.warm_up,
            tracks: u.tracks,
            card: u.card,
            cards: u.cards,
            change: s.pace.card,
        });
        self.problem = Problem {
            shifts: shifts.collect(),
            units: units.collect(),
            people: s.people.len(),
            stock: s.stock,
            pace: s.pace(),
            stops,
            errands,
            walk,
        };
        self.order = self.assigned();
        self.metres = found.metres;
        self.shut = found.shut;
        self
    }

    fn stop(&self, k: usize, instrument: &Instrument) -> Stop {
        let (id, station) = &self.plan.stations[k];
        let set = station.set(instrument);
        let photographs = if station.photographs { instrument.photograph_time } else { 0.0 };
        let seen = self.cover.stations.iter().find(|s| s.station == *id).map_or(&[][..], |s| &s.targets);
        // marks are in the ground, and what stands on known points stands there before
        let loose = |t: &usize| {
            let t = &self.plan.targets[*t].1;
            t.kind != PlannedKind::Mark && t.control_sigma.is_none()
        };
        let target = |id: &Uuid| self.plan.targets.iter().position(|t| t.0 == *id);
        let name = |k: usize| &self.plan.stations[k].1.name;
        let holds = |other: &String| {
            self.cover.links.iter().any(|l| {
                let both = (&l.from == name(k) && &l.to == other) || (&l.to == name(k) && &l.from == other);
                both && l.holds(self.brief.tie_by_clouds)
            })
        };
        let points = set.points(set.step);
        Stop {
            name: station.name.clone(),
            scan: set.scan_time - photographs,
            photographs,
            bytes: points * instrument.bytes_per_point
                + if station.photographs { self.settings.photograph_bytes } else { 0.0 },
            points,
            targets: seen.iter().filter_map(target).filter(loose).collect(),
            ties: (0..self.plan.stations.len()).filter(|&j| j != k && holds(name(j))).collect(),
            open: self.open(&station.position.xy(), station.photographs && !self.roofed(station)),
        }
    }

    /// A floor lies over it.
    fn roofed(&self, station: &Station) -> bool {
        let over =
            |s: &vistazo_core::plan::Slab| s.height > station.position.z && inside(&s.outline, &station.position.xy());
        self.plan.site.slabs.iter().any(over)
    }

    /// When a place may be entered; empty when nothing forbids it.
    fn open(&self, at: &Vector2<f64>, daylight: bool) -> Vec<Span> {
        let s = &self.settings;
        let here = |area: &Option<Uuid>| match area {
            None => true,
            Some(id) => self.areas.get(id).is_some_and(|o| inside(o, at)),
        };
        let windows: Vec<_> = s.windows.iter().filter(|w| here(&w.area)).collect();
        let light = s.daylight.filter(|_| daylight);
        if windows.is_empty() && light.is_none() {
            return Vec::new();
        }
        let only: Vec<Span> = windows.iter().filter(|w| !w.closed).map(|w| (w.from, w.to)).collect();
        let mut out = Vec::new();
        for (midnight, d) in self.midnights().into_iter().zip(&s.dates) {
            let whole = (d.from, d.to);
            let mut spans: Vec<Span> = if only.is_empty() { vec![whole] } else { only.clone() };
            spans.iter_mut().for_each(|p| *p = (p.0.max(whole.0), p.1.min(whole.1)));
            if let Some([from, to]) = light {
                spans.iter_mut().for_each(|p| *p = (p.0.max(from), p.1.min(to)));
            }
            for w in windows.iter().filter(|w| w.closed) {
                spans = spans.into_iter().flat_map(|p| [(p.0, p.1.min(w.from)), (p.0.max(w.to), p.1)]).collect();
            }
            out.extend(spans.into_iter().filter(|p| p.1 > p.0).map(|p| (midnight + p.0, midnight + p.1)));
        }
        if out.is_empty() {
            // closed at all times is no time, not any
            out.push((f64::NEG_INFINITY, f64::NEG_INFINITY));
        }
        out
    }

    /// Occupations of control that is not known yet, twice, and passes; with their places.
    fn errands(&self) -> (Vec<Errand>, Vec<Vec3>) {
        let (mut out, mut at) = (Vec::new(), Vec::new());
        let c = &self.settings.control;
        let wanted = |t: &vistazo_core::plan::PlannedTarget| {
            t.control_sigma.is_some() && !self.known.contains(&t.name.to_lowercase())
        };
        for (_, t) in self.plan.targets.iter().filter(|t| c.occupy && wanted(&t.1)) {
            let open = self.open(&t.position.xy(), false);
            let first = out.len();
            let of = |round: &str, after| Errand {
                name: format!("{} {round}", t.name),
                seconds: c.seconds,
                after,
                pass: false,
                open: open.clone(),
            };
            out.push(of("first", None));
            out.push(of("second", Some((first, c.apart))));
            at.extend([t.position, t.position]);
        }
        for p in &self.settings.passes {
            let place = Vector2::new(p.place[0], p.place[1]);
            out.push(Errand {
                name: p.name.clone(),
                seconds: p.seconds,
                after: None,
                pass: true,
                open: self.open(&place, false),
            });
            at.push(place.push(self.plan.stations.first().map_or(0.0, |s| s.1.position.z)));
        }
        // walks of the plan are passes of the day
        for w in super::planned_walks::sheet(&self.plan) {
            let open = self.open(&w.begins, false);
            out.push(Errand { name: w.name, seconds: w.seconds, after: None, pass: true, open });
            at.push(w.begins.push(self.plan.stations.first().map_or(0.0, |s| s.1.position.z)));
        }
        (out, at)
    }

    fn assignment(&self, id: Uuid) -> Option<&AssignedDto> {
        self.settings.stations.iter().find(|a| a.station == id)
    }

    pub(crate) fn locked(&self, k: usize) -> bool {
        self.assignment(self.plan.stations[k].0).is_some_and(|a| a.locked)
    }

    /// Who takes what, in the order of the plan; stretches of it where nobody was said.
    fn assigned(&self) -> Order {
        let dealt = self.problem.dealt();
        let dealer = |k: usize| dealt.iter().position(|o| o.contains(&k)).unwrap_or(0);
        let units = self.settings.scanners.len().max(1);
        let mut out = vec![Vec::new(); units];
        for (k, (id, _)) in self.plan.stations.iter().enumerate() {
            let unit = self.assignment(*id).map_or_else(|| dealer(k), |a| a.scanner.min(units - 1));
            out[unit].push(k);
        }
        out
    }

    /// Which scanner takes a station.
    pub(crate) fn scanner(&self, k: usize) -> usize {
        self.order.iter().position(|o| o.contains(&k)).unwrap_or(0)
    }

    /// What happens when, from the beginning or from a moment on.
    pub(crate) fn table(&self, now: Option<f64>) -> (Problem, Timetable, Option<Start>) {
        let Some(now) = now else {
            return (self.problem.clone(), timetable(&self.problem, &self.order, None), None);
        };
        let (problem, start) = self.start(now);
        let table = timetable(&problem, &self.order, Some(&start));
        (problem, table, Some(start))
    }

    /// When a station begins as the days were planned.
    pub(crate) fn begins(&self, station: Uuid) -> Option<DateTime<Utc>> {
        let k = self.plan.stations.iter().position(|s| s.0 == station)?;
        let (_, table, _) = self.table(None);
        let first = table.steps.iter().filter(|s| s.stop == Some(k) && s.unit.is_some()).map(|s| s.from);
        first.min_by(f64::total_cmp).map(|t| self.moment(t))
    }

    /// An order with less carrying; what is locked, and what is done by `now`, stays.
    pub(crate) fn better_order(&self, now: Option<f64>) -> OrderDto {
        let done: Vec<usize> = self.taken.iter().filter(|_| now.is_some()).map(|t| t.station).collect();
        let mut given = self.order.clone();
        for route in &mut given {
            // what is done comes first, as it was done
            let when = |k: &usize| done.iter().position(|d| d == k).unwrap_or(usize::MAX);
            route.sort_by_key(when);
        }
        let locked = (0..self.plan.stations.len()).filter(|k| self.locked(*k) || done.contains(k)).collect();
        let found = best_order(&self.problem, &given, &Fixed { locked });
        let judge = |order: &Order| {
            let days = Self { order: order.clone(), ..self.clone() };
            let (_, t, _) = days.table(now);
            (t.last_scan(), t.left.len(), t)
        };
        let (before, after) = (judge(&self.order), judge(&found));
        // of two orders with as little carrying the one that fits
        let better = (after.1, after.0.unwrap_or(0.0)) <= (before.1, before.0.unwrap_or(0.0));
        let taken = if better || carried(&self.problem, &found) < carried(&self.problem, &self.order) {
            (found, after)
        } else {
            (self.order.clone(), (before.0, before.1, before.2.clone()))
        };
        let ((order, (ends, left, table)), (was_ends, was_left, _)) = (taken, before);
        let begins = |k: usize| {
            let of = table.steps.iter().filter(|s| s.stop == Some(k) && s.unit.is_some());
            of.map(|s| s.from).min_by(f64::total_cmp).unwrap_or(f64::INFINITY)
        };
        let mut all: Vec<(usize, usize, usize)> =
            order.iter().enumerate().flat_map(|(u, o)| o.iter().enumerate().map(move |(i, &k)| (k, u, i))).collect();
        all.sort_by(|a, b| begins(a.0).total_cmp(&begins(b.0)).then(a.2.cmp(&b.2)));
        // what is done keeps its place at the head
        all.sort_by_key(|a| done.iter().position(|d| *d == a.0).unwrap_or(usize::MAX));
        let metres = |o: &Order| carried(&self.problem, o) * self.settings.walk;
        OrderDto {
            carried: [metres(&self.order), metres(&order)],
            untied: [untied(&self.problem, &self.order), untied(&self.problem, &order)],
            ends: [was_ends, ends],
            left: [was_left, left],
            stations: all
                .into_iter()
                .map(|(k, scanner, _)| AssignedDto {
                    station: self.plan.stations[k].0,
                    scanner,
                    locked: self.locked(k),
                })
                .collect(),
        }
    }
}
