//! What can be done about what does not fit, each with what it does to cover and error.

use super::Days;
use crate::dto::{CoverDto, DateDto, DayOptionDto, DayOptionsDto, OptionWord};
use crate::words::days as words;
use crate::work::outlook;
use std::collections::HashSet;
use vistazo_core::mobile::units;
use vistazo_core::walks::half_way;

/// A walk with a mobile unit goes so fast, metres a second.
const WALKED: f64 = 0.7;
/// Seconds of starting and ending a walk.
const AROUND: f64 = 180.0;
/// So many times the step between points, where a coarser setting is offered.
const COARSER: f64 = 2.0;

/// What can be done, from a moment on or for the whole plan.
pub(crate) fn options(days: &Days, now: Option<f64>) -> DayOptionsDto {
    let (_, table, _) = days.table(now);
    let left: Vec<usize> = table.left.iter().map(|l| l.0).collect();
    let names = |of: &[usize]| of.iter().map(|&k| days.plan.stations[k].1.name.clone()).collect::<Vec<_>>();
    let end = |t: &vistazo_core::day::Timetable| t.ends.iter().rev().find_map(|e| *e);
    let judge = Judge { days };
    let whole = judge.option(OptionWord::Tomorrow, words::WHOLE.into(), &days.cover, end(&table), names(&left));
    let mut options = Vec::new();
    if !left.is_empty() {
        let mut settings = days.settings.clone();
        if let Some(last) = settings.dates.last().cloned() {
            settings.dates.push(DateDto { date: last.date + chrono::Duration::days(1), ..last });
        }
        let more = days.with(days.plan.clone(), settings);
        let (_, t, _) = more.table(now);
        let still: Vec<usize> = t.left.iter().map(|l| l.0).collect();
        let said = words::tomorrow(still.len());
        options.push(judge.option(OptionWord::Tomorrow, said, &days.cover, end(&t), names(&still)));
        options.push(judge.coarser(now));
        options.push(judge.dropped(&left, end(&table)));
        options.push(judge.mobile(&left, end(&table)));
    }
    DayOptionsDto { left: names(&left), whole, options }
}

struct Judge<'a> {
    days: &'a Days,
}

impl Judge<'_> {
    fn option(
        &self,
        what: OptionWord,
        said: String,
        cover: &CoverDto,
        ends: Option<f64>,
        left: Vec<String>,
    ) -> DayOptionDto {
        let targets = &cover.prediction.targets;
        let worst = targets.iter().max_by(|a, b| a.error.spatial.total_cmp(&b.error.spatial));
        let error = worst.map(|w| w.error.spatial);
        let limit = self.days.brief.requirement.spatial95;
        DayOptionDto {
            what,
            said,
            left,
            ends,
            cover: cover.once,
            weakest: worst.map(|w| w.name.clone()),
            met: limit.zip(error).map(|(l, e)| e <= l),
            error,
        }
    }

    /// All that is not done yet at twice the step.
    fn coarser(&self, now: Option<f64>) -> DayOptionDto {
        let days = self.days;
        let done: HashSet<usize> = days.taken.iter().filter(|_| now.is_some()).map(|t| t.station).collect();
        let mut plan = days.plan.clone();
        for (_, (_, s)) in plan.stations.iter_mut().enumerate().filter(|s| !done.contains(&s.0)) {
            s.step = Some(s.step.unwrap_or(days.brief.instrument.step) * COARSER);
        }
        let cover = outlook::to_dto(&plan, &days.brief);
        let new = days.with(plan, days.settings.clone());
        let (_, t, _) = new.table(now);
        let left: Vec<String> = t.left.iter().map(|l| days.plan.stations[l.0].1.name.clone()).collect();
        let ends = t.ends.iter().rev().find_map(|e| *e);
        self.option(OptionWord::Coarser, words::coarser(left.len()), &cover, ends, left)
    }

    fn without(&self, left: &[usize]) -> CoverDto {
        let mut plan = self.days.plan.clone();
        let mut k = 0;
        plan.stations.retain(|_| {
            k += 1;
            !left.contains(&(k - 1))
        });
        outlook::to_dto(&plan, &self.days.brief)
    }

    fn dropped(&self, left: &[usize], ends: Option<f64>) -> DayOptionDto {
        self.option(OptionWord::Drop, words::dropped(left.len()), &self.without(left), ends, Vec::new())
    }

    /// A walk through the stations that do not fit, by a hand-held unit: its minutes, and how far it may be off half-way
    /// between the scans at its ends.
    fn mobile(&self, left: &[usize], ends: Option<f64>) -> DayOptionDto {
        let metres = &self.days.metres;
        let mut way = 0.0;
        for w in left.windows(2) {
            way += metres[w[0] + 1][w[1] + 1];
        }
        // out to it and back to where it began: a walk closes
        let back = left.first().zip(left.last()).map_or(0.0, |(a, b)| metres[a + 1][b + 1]);
        let length = 2.0 * way.max(back).max(10.0);
        let seconds = length / WALKED + AROUND;
        let unit = units().into_iter().next();
        let off = unit.as_ref().map_or(f64::NAN, |u| half_way(u, length, WALKED));
        // each axis by itself: 95 % in space
        let off95 = 2.795 * off;
        let cover = self.without(left);
        let said = words::mobile(&self.days.brief, length, seconds, off95);
        let mut option = self.option(OptionWord::Mobile, said, &cover, ends.map(|e| e + seconds), Vec::new());
        option.error = option.error.map(|e| e.max(off95));
        // what it covers is not worked out: no more is said than without it
        option.met = self.days.brief.requirement.spatial95.map(|l| off95 <= l && option.met == Some(true));
        option
    }
}
