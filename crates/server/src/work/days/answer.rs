//! Days as they are sent.

use super::Days;
use crate::dto::{
    DayEndDto, DayRemarkDto, DayStationDto, DayTotalsDto, DaysDto, ErrandDto, GiveDto, KitLineDto, StepDto, UnitDayDto,
    WorkWord,
};
use crate::words::days as words;
use vistazo_core::day::{Problem, Ready, Start, Step, Timetable, Why, Work, breaks_first, carried, ready, untied};
use vistazo_core::plan::PlannedKind;

/// A day that ends closer to its end than this is said to be close, seconds.
const CLOSE: f64 = 900.0;
/// So many scans are not worked through before one was tried.
const MANY: usize = 12;

/// A timetable with everything that is said about it.
struct Answer<'a> {
    days: &'a Days,
    now: Option<f64>,
    p: Problem,
    t: Timetable,
    start: Option<Start>,
    ready: Vec<Ready>,
}

impl Days {
    /// What happens when, from the beginning or from a moment on.
    pub(crate) fn to_dto(&self, now: Option<f64>) -> DaysDto {
        let (p, t, start) = self.table(now);
        let ready = ready(&p, &t, &self.settings.machines());
        Answer { days: self, now, p, t, start, ready }.dto()
    }
}

impl Answer<'_> {
    fn dto(&self) -> DaysDto {
        let gives = breaks_first(&self.p, &self.days.order, self.start.as_ref());
        DaysDto {
            now: self.now,
            stations: (0..self.p.stops.len()).map(|k| self.station(k)).collect(),
            errands: (0..self.p.errands.len()).map(|k| self.errand(k)).collect(),
            steps: self.steps(),
            ends: self.ends(),
            units: (0..self.p.units.len()).map(|u| self.unit(u)).collect(),
            gives: gives
                .into_iter()
                .map(|g| GiveDto {
                    part: g.part.into(),
                    share: g.share,
                    station: g.stop.map(|k| self.p.stops[k].name.clone()),
                    later: g.later,
                })
                .collect(),
            totals: self.totals(),
            remarks: self.remarks(),
            kit: self.kit(),
            learned: self.days.learned(),
            ways: super::compared::ways(self.days, &self.p, &self.t),
            checked: self.checked(),
            settings: self.days.settings.clone(),
        }
    }

    fn of(&self, stop: usize) -> impl Iterator<Item = &Step> {
        self.t.steps.iter().filter(move |s| s.stop == Some(stop))
    }

    fn target(&self, t: usize) -> String {
        self.days.plan.targets[t].1.name.clone()
    }

    fn station(&self, k: usize) -> DayStationDto {
        let stop = &self.p.stops[k];
        let taken = self.days.taken.iter().find(|t| t.station == k).filter(|t| self.now.is_some_and(|n| t.span.0 <= n));
        let mine = || self.of(k).filter(|s| s.unit.is_some() && s.work != Work::WarmUp);
        let ready = self.ready.iter().find(|r| r.stop == k);
        let begins = mine().map(|s| s.from).min_by(f64::total_cmp);
        let before = |j: usize| match (self.begin(j), self.begin(k)) {
            (Some(a), Some(b)) => a < b,
            _ => false,
        };
        let ties: Vec<String> =
            stop.ties.iter().filter(|j| before(**j)).map(|j| self.p.stops[*j].name.clone()).collect();
        let first = (0..self.p.stops.len()).filter_map(|j| self.begin(j)).min_by(f64::total_cmp);
        DayStationDto {
            id: self.days.plan.stations[k].0,
            name: stop.name.clone(),
            scanner: self.days.scanner(k),
            locked: self.days.locked(k),
            begins: taken.filter(|t| t.timed).map(|t| t.span.0).or(begins),
            ends: taken.filter(|t| t.timed).map(|t| t.span.1).or(mine().map(|s| s.to).max_by(f64::total_cmp)),
            scan: stop.scan + stop.photographs,
            walk: mine().filter(|s| s.work == Work::Walk).map(|s| s.to - s.from).fold(0.0, |a, b| a + b),
            bytes: stop.bytes,
            untied: ties.is_empty() && self.begin(k).is_some() && self.begin(k) != first,
            ties,
            up: self.of(k).flat_map(|s| &s.up).map(|&t| self.target(t)).collect(),
            done: taken.is_some(),
            took: taken.filter(|t| t.timed).map(|t| t.span.1 - t.span.0),
            why: self.t.left.iter().find(|l| l.0 == k).map(|l| words::why(l.1).to_owned()),
            tied: ready.map(|r| r.tied),
            worked: ready.map(|r| r.worked),
        }
    }

    /// When a station is scanned, or was.
    fn begin(&self, k: usize) -> Option<f64> {
        let was = || self.start.as_ref().and_then(|s| s.done.iter().find(|d| d.0 == k)).map(|d| d.1.0);
        self.of(k).find(|s| s.work == Work::Scan).map(|s| s.from).or_else(was)
    }

    fn errand(&self, k: usize) -> ErrandDto {
        let done = self.start.as_ref().and_then(|s| s.errands.iter().find(|e| e.0 == k));
        let step = self.t.steps.iter().find(|s| s.errand == Some(k) && matches!(s.work, Work::Occupy | Work::Pass));
        ErrandDto {
            name: self.p.errands[k].name.clone(),
            begins: step.map(|s| s.from).or(done.map(|d| d.1 - self.p.errands[k].seconds)),
            ends: step.map(|s| s.to).or(done.map(|d| d.1)),
            why: self.t.errands_left.iter().find(|l| l.0 == k).map(|l| words::why(l.1).to_owned()),
        }
    }

    fn steps(&self) -> Vec<StepDto> {
        let names = |of: &[usize]| of.iter().map(|&t| self.target(t)).collect();
        let planned = self.t.steps.iter().map(|s| StepDto {
            work: s.work.into(),
            from: s.from,
            to: s.to,
            person: s.person,
            unit: s.unit,
            at: s.stop.map(|k| self.p.stops[k].name.clone()).or(s.errand.map(|k| self.p.errands[k].name.clone())),
            up: names(&s.up),
            down: names(&s.down),
            done: false,
        });
        let noted = self.days.taken.iter().filter(|t| t.timed && self.now.is_some_and(|n| t.span.0 <= n));
        let noted = noted.map(|t| {
            let unit = self.days.scanner(t.station);
            StepDto {
                work: WorkWord::Scan,
                from: t.span.0,
                to: t.span.1,
                person: self.p.units.get(unit).map(|u| u.person),
                unit: Some(unit),
                at: Some(self.p.stops[t.station].name.clone()),
                up: Vec::new(),
                down: Vec::new(),
                done: true,
            }
        });
        let mut all: Vec<StepDto> = noted.chain(planned).collect();
        all.sort_by(|a, b| a.from.total_cmp(&b.from));
        all
    }

    fn ends(&self) -> Vec<DayEndDto> {
        let scans = |from: f64, to: f64| {
            let of = self.t.steps.iter().filter(|s| s.work == Work::Scan && s.from >= from && s.from <= to).count();
            let noted = self.days.taken.iter().filter(|t| self.now.is_some() && t.span.0 >= from && t.span.0 <= to);
            of + noted.count()
        };
        let shift = |(s, end): (&vistazo_core::day::Shift, &Option<f64>)| DayEndDto {
            from: s.from,
            ends: *end,
            to: s.to,
            scans: scans(s.from, s.to),
        };
        self.p.shifts.iter().zip(&self.t.ends).map(shift).collect()
    }

    fn unit(&self, u: usize) -> UnitDayDto {
        let unit = &self.p.units[u];
        let (mut battery, mut card): (Vec<[f64; 2]>, Vec<[f64; 2]>) = (Vec::new(), Vec::new());
        let state = self.start.as_ref().and_then(|s| s.units.get(u));
        let mut on: Option<f64> = None;
        if let (Some(now), Some(used)) = (self.now, state.and_then(|s| s.used)) {
            on = Some(now - used);
            battery.push([now, share(used, unit.battery)]);
        }
        let mut held = state.map_or(0.0, |s| s.card);
        let (mut swaps, mut most, mut changes, mut last) = (0, 0, 0, f64::NEG_INFINITY);
        let mut steps: Vec<&Step> = self.t.steps.iter().filter(|s| s.unit == Some(u)).collect();
        steps.sort_by(|a, b| a.from.total_cmp(&b.from));
        for s in steps {
            let night = self.p.shifts.iter().any(|d| d.from > last && d.from <= s.from);
            if night && last > f64::NEG_INFINITY {
                (on, swaps) = (None, 0);
            }
            if on.is_none() {
                on = Some(s.from);
                battery.push([s.from, 1.0]);
            }
            match s.work {
                Work::Swap => {
                    swaps += 1;
                    battery.push([s.from, share(s.from - on.unwrap_or(s.from), unit.battery)]);
                    battery.push([s.to, 1.0]);
                    on = Some(s.to);
                }
                Work::Card => {
                    changes += 1;
                    card.extend([[s.from, held], [s.to, 0.0]]);
                    held = 0.0;
                }
                Work::Scan => {
                    card.push([s.from, held]);
                    held += s.stop.map_or(0.0, |k| self.p.stops[k].bytes);
                    card.push([s.to, held]);
                }
                _ => {}
            }
            if s.work != Work::WarmUp {
                battery.push([s.to, share(s.to - on.unwrap_or(s.to), unit.battery)]);
                last = s.to;
            }
            most = most.max(swaps + 1);
        }
        if unit.battery <= 0.0 {
            battery.clear();
        }
        UnitDayDto { battery, card, batteries: if unit.battery > 0.0 { most } else { 0 }, cards: changes + 1 }
    }

    fn totals(&self) -> DayTotalsDto {
        let t = &self.t;
        DayTotalsDto {
            scanning: t.spent(Work::Scan) + t.spent(Work::Photographs),
            setting_up: t.spent(Work::SetUp),
            walking: t.spent(Work::Walk),
            carried: carried(&self.p, &self.days.order) * self.days.settings.walk,
            targets: t.spent(Work::Targets),
            control: t.spent(Work::Occupy) + t.spent(Work::Pass),
            waiting: t.spent(Work::Wait),
            bytes: self.p.stops.iter().map(|s| s.bytes).sum(),
            worked: self.ready.iter().map(|r| r.worked).max_by(f64::total_cmp),
        }
    }

    /// Whether what was scanned before each day is worked through when it begins.
    fn checked(&self) -> Vec<bool> {
        let shifts = self.p.shifts.iter().enumerate().skip(1).filter(|s| self.t.ends[s.0].is_some());
        shifts.map(|(_, s)| self.ready.iter().filter(|r| r.scanned < s.from).all(|r| r.worked <= s.from)).collect()
    }

    fn kit(&self) -> Vec<KitLineDto> {
        let s = &self.days.settings;
        let mut out = Vec::new();
        for (u, unit) in s.scanners.iter().enumerate() {
            let day = self.unit(u);
            let mut add = |what, need: usize, have: usize, said| {
                out.push(KitLineDto { what, count: need, spare: have.saturating_sub(need), said });
            };
            if day.batteries > 0 {
                let said = words::runs(self.p.units[u].battery);
                add(format!("{}: batteries", unit.name), day.batteries, unit.batteries, said);
            }
            if unit.card > 0.0 {
                add(format!("{}: cards", unit.name), day.cards, unit.cards, words::holds(unit.card));
            }
        }
        let mut standing: std::collections::BTreeSet<usize> = std::collections::BTreeSet::new();
        let mut most = [0_usize; 2];
        for s in &self.t.steps {
            s.down.iter().for_each(|t| {
                standing.remove(t);
            });
            standing.extend(&s.up);
            let sphere = |t: &&usize| self.days.plan.targets[**t].1.kind == PlannedKind::Sphere;
            let spheres = standing.iter().filter(sphere).count();
            most = [most[0].max(spheres), most[1].max(standing.len() - spheres)];
        }
        for (what, n) in [("spheres", most[0]), ("checkers", most[1])] {
            if n > 0 {
                out.push(KitLineDto { what: what.into(), count: n, spare: 0, said: words::STAND_AT_ONCE.into() });
            }
        }
        let tripods = self.p.units.len();
        out.push(KitLineDto { what: "tripods".into(), count: tripods, spare: 0, said: words::TRIPODS.into() });
        if self.p.errands.iter().any(|e| !e.pass) {
            out.push(KitLineDto { what: "receiver and pole".into(), count: 1, spare: 0, said: words::RECEIVER.into() });
        }
        out
    }

    /// What goes wrong or may, what breaks the plan first.
    fn remarks(&self) -> Vec<DayRemarkDto> {
        let mut out = Vec::new();
        let mut say = |breaks: bool, said: String, stop: Option<usize>| {
            let station = stop.map(|k| self.p.stops[k].name.clone());
            out.push(DayRemarkDto { said, breaks, station });
        };
        let name = |k: usize| self.p.stops[k].name.as_str();
        for why in [Why::Time, Why::Closed, Why::Battery, Why::Storage, Why::Stock, Why::NoUnit] {
            let left: Vec<usize> = self.t.left.iter().filter(|l| l.1 == why).map(|l| l.0).collect();
            if let Some(&first) = left.first() {
                let names: Vec<&str> = left.iter().map(|k| name(*k)).collect();
                say(true, words::left(&names, why, self.days.settings.dates.len()), Some(first));
            }
        }
        for why in [Why::Time, Why::Closed] {
            let left = self.t.errands_left.iter().filter(|l| l.1 == why);
            let names: Vec<&str> = left.map(|l| self.p.errands[l.0].name.as_str()).collect();
            if !names.is_empty() {
                say(true, words::errands_left(&names, why), None);
            }
        }
        for s in self.t.steps.iter().filter(|s| s.work == Work::ReTie) {
            let k = s.stop.unwrap_or_default();
            say(true, words::tied_back(name(k), s.to - s.from), Some(k));
        }
        let loose = self.loose();
        if let Some(&first) = loose.first() {
            let names: Vec<&str> = loose.iter().map(|k| name(*k)).collect();
            say(true, words::untied(&names), Some(first));
        }
        self.late(&mut say);
        self.worked(&mut say);
        let s = &self.days.settings;
        if let (Some(check), Some(site)) = (s.check_temperature, s.site_temperature)
            && (check - site).abs() > vistazo_core::instrument::SAME_TEMPERATURE
        {
            say(false, words::temperature(check, site), None);
        }
        for (a, b) in self.days.shut.iter().take(3) {
            say(false, words::shut(&self.place(*a), &self.place(*b), self.days.shut.len()), None);
        }
        if s.people.len() == 1 {
            say(false, words::ALONE.into(), None);
        }
        out.sort_by_key(|r| !r.breaks);
        out
    }

    /// Stations that nothing before them ties.
    fn loose(&self) -> Vec<usize> {
        if untied(&self.p, &self.days.order) == 0 && self.now.is_none() {
            return Vec::new();
        }
        (0..self.p.stops.len()).filter(|&k| self.station(k).untied && self.of(k).next().is_some()).collect()
    }

    fn late(&self, say: &mut impl FnMut(bool, String, Option<usize>)) {
        for (k, (s, end)) in self.p.shifts.iter().zip(&self.t.ends).enumerate() {
            if let Some(end) = end.filter(|e| s.to - e < CLOSE && self.t.left.is_empty()) {
                say(false, words::close(k, s.to - end), None);
            }
        }
        for (k, _) in self.checked().into_iter().enumerate().filter(|c| !c.1) {
            let ready = self.ready.iter().filter(|r| r.scanned < self.p.shifts[k + 1].from);
            let last = ready.map(|r| r.worked).fold(0.0, f64::max);
            say(false, words::unchecked(k + 1, last - self.p.shifts[k + 1].from), None);
        }
    }

    /// What is worked through where.
    fn worked(&self, say: &mut impl FnMut(bool, String, Option<usize>)) {
        let m = self.days.settings.machines();
        if m.trial.is_none() && self.ready.len() > MANY {
            say(false, words::no_trial(self.ready.len()), None);
        }
        if m.device.is_some() {
            let office = ready(&self.p, &self.t, &vistazo_core::day::Machines { device: None, ..m });
            let end = |r: &[Ready]| r.iter().map(|x| x.worked).fold(0.0, f64::max);
            say(false, words::on_device(end(&self.ready) - end(&office), self.ready.len()), None);
        }
    }

    fn place(&self, place: usize) -> String {
        match place.checked_sub(1) {
            None => "the gate".into(),
            Some(k) if k < self.p.stops.len() => self.p.stops[k].name.clone(),
            Some(k) => self.p.errands[k - self.p.stops.len()].name.clone(),
        }
    }
}

fn share(used: f64, battery: f64) -> f64 {
    if battery > 0.0 { (1.0 - used / battery).clamp(0.0, 1.0) } else { 1.0 }
}
