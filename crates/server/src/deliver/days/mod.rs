//! Days on site as files. Every file is a row of [`DAY_DOCUMENTS`].

mod calendar;
mod sheet;
mod table;

use crate::ApiError;
use crate::dto::{DaysDto, StepDto, WorkWord};
use crate::work::days::Days;

/// A file of the days.
pub(crate) trait DayDocument: Sync {
    /// Its name.
    fn name(&self) -> &'static str;
    /// What kind of file it is.
    fn media_type(&self) -> &'static str;
    /// Its bytes.
    fn write(&self, days: &Days, dto: &DaysDto) -> Result<Vec<u8>, ApiError>;
}

/// The files of days.
pub(crate) const DAY_DOCUMENTS: &[&dyn DayDocument] = &[&sheet::DaySheet, &calendar::Calendar, &table::DayTable];

/// Steps of one person or one day that follow one another at one place as one: walking there to the last photograph.
fn lines(dto: &DaysDto, person: usize) -> Vec<Vec<&StepDto>> {
    let mut out: Vec<Vec<&StepDto>> = Vec::new();
    for s in dto.steps.iter().filter(|s| s.person == Some(person)) {
        let belongs = |last: &Vec<&StepDto>| {
            last.last().is_some_and(|l| l.at.is_some() && l.at == s.at && s.from - l.to < 1.0 && l.unit == s.unit)
        };
        match out.last_mut().filter(|l| belongs(l)) {
            Some(l) => l.push(s),
            None => out.push(vec![s]),
        }
    }
    out
}

/// What a line is called.
fn called(line: &[&StepDto]) -> String {
    let at = line.iter().find_map(|s| s.at.clone());
    let main = line.iter().map(|s| s.work).max_by_key(|w| weight(*w));
    let what = main.map_or("", words);
    at.map_or_else(|| what.to_owned(), |at| format!("{at}: {what}"))
}

/// What of several works names them all.
fn weight(w: WorkWord) -> u8 {
    match w {
        WorkWord::Scan | WorkWord::Occupy | WorkWord::Pass => 9,
        WorkWord::Targets => 8,
        WorkWord::SetUp => 7,
        WorkWord::Walk | WorkWord::Wait | WorkWord::WarmUp => 1,
        _ => 5,
    }
}

/// A kind of work in words.
pub(crate) fn words(w: WorkWord) -> &'static str {
    match w {
        WorkWord::Arrive => "arrive, unpack",
        WorkWord::Induction => "site induction",
        WorkWord::WarmUp => "warm-up",
        WorkWord::Check => "instrument check",
        WorkWord::Walk => "walk",
        WorkWord::Targets => "targets",
        WorkWord::SetUp => "set up",
        WorkWord::ReTie => "tie back",
        WorkWord::Scan => "scan",
        WorkWord::Photographs => "photographs",
        WorkWord::Swap => "change the battery",
        WorkWord::Card => "change the card",
        WorkWord::Occupy => "receiver",
        WorkWord::Pass => "walk with the mobile unit",
        WorkWord::Break => "rest",
        WorkWord::Wait => "wait",
        WorkWord::Pack => "pack, leave",
    }
}

/// A time of day on the clock of the site.
fn time(clock: f64) -> String {
    let minutes = (clock / 60.0).round() as i64;
    format!("{:02}:{:02}", minutes.div_euclid(60).rem_euclid(24), minutes.rem_euclid(60))
}
