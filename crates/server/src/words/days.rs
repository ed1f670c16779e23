//! What is said about days on site.

use crate::dto::Brief;
use vistazo_core::day::Why;

pub(crate) const STAND_AT_ONCE: &str = "that stand at once, at most";
pub(crate) const TRIPODS: &str = "one for each scanner; stands for targets beside them";
pub(crate) const RECEIVER: &str = "for control that is not known yet";
pub(crate) const WHOLE: &str = "the plan as it is, all of it taken";
pub(crate) const ALONE: &str = "One person alone on site: say where you are and when you will be back, and keep to the site's rules for working alone.";

/// A length of time: minutes, or hours and minutes.
fn clock(seconds: f64) -> String {
    let minutes = (seconds / 60.0).round() as i64;
    if minutes < 90 { format!("{minutes} min") } else { super::plan::clock(seconds) }
}

/// Why something does not fit.
pub(crate) fn why(why: Why) -> &'static str {
    match why {
        Why::Time => "no time is left",
        Why::Closed => "it is closed whenever somebody could be there",
        Why::Battery => "no battery is left for it",
        Why::Storage => "no card is left for it",
        Why::Stock => "it needs more targets than there are",
        Why::NoUnit => "no scanner is taken there",
    }
}

/// Names, the first few of many.
fn names(of: &[&str]) -> String {
    if of.len() > 6 { format!("{} and {} more", of[..5].join(", "), of.len() - 5) } else { of.join(", ") }
}

/// Stations that do not fit.
pub(crate) fn left(of: &[&str], why: Why, days: usize) -> String {
    let what = match why {
        Why::Time if days == 1 => "does not fit into the day",
        Why::Time => "does not fit into the days",
        Why::Closed => "is closed whenever somebody could be there: change the window, or come on another day",
        Why::Battery => "has no battery left: take one more along, or let somebody charge one over noon",
        Why::Storage => "has no room left on the cards: take one more along, or copy one over noon",
        Why::Stock => "needs more targets than there are: take more along, or change the order",
        Why::NoUnit => "is given to no scanner",
    };
    let what = if of.len() == 1 {
        what.to_owned()
    } else {
        what.replacen("does not", "do not", 1)
            .replacen("is ", "are ", 1)
            .replacen("has ", "have ", 1)
            .replacen("needs", "need", 1)
    };
    format!("{} {what}.", names(of))
}

/// Occupations and passes that do not fit.
pub(crate) fn errands_left(of: &[&str], because: Why) -> String {
    format!("{}: {}.", names(of), why(because))
}

/// A scan that is tied back.
pub(crate) fn tied_back(station: &str, seconds: f64) -> String {
    format!(
        "Before {station} the power goes, with a battery or over night, and the tracked position with it, and nothing else ties {station}: it is tied back ({}). A target shared with an earlier station makes that unnecessary, and so does another order.",
        clock(seconds)
    )
}

/// Stations that nothing before them ties.
pub(crate) fn untied(of: &[&str]) -> String {
    let verb = if of.len() == 1 { "hangs" } else { "hang" };
    format!(
        "{} {verb} on nothing taken before: on site nobody can say whether the tie holds. Take another order, or share two targets.",
        names(of)
    )
}

/// A day that ends close.
pub(crate) fn close(day: usize, slack: f64) -> String {
    format!("Day {} has {} to spare.", day + 1, clock(slack.max(0.0)))
}

/// Scans that are not worked through when the next day begins.
pub(crate) fn unchecked(day: usize, late: f64) -> String {
    format!(
        "Day {} begins before the scans of the day before are worked through ({} too late): what failed is not known when it could be taken again.",
        day + 1,
        clock(late)
    )
}

/// Many scans, none tried.
pub(crate) fn no_trial(scans: usize) -> String {
    format!(
        "{scans} scans are worked through at once and none is tried before: a wrong setting is found after all of them. Let one go through everything first."
    )
}

/// Everything is worked through in the field.
pub(crate) fn on_device(later: f64, scans: usize) -> String {
    if later > 0.0 {
        format!(
            "Working all {scans} scans through on the device takes {} longer than the office machine overnight, and its battery.",
            clock(later)
        )
    } else {
        format!("All {scans} scans are worked through on the device: its battery has to last for it.")
    }
}

/// The instrument is checked at another temperature than it scans at.
pub(crate) fn temperature(check: f64, site: f64) -> String {
    format!(
        "The instrument is checked at {check:.0} °C and scans at {site:.0} °C: check it where it works, after it took the temperature of the site."
    )
}

/// Places that the plan shows no way between.
pub(crate) fn shut(a: &str, b: &str, all: usize) -> String {
    let more = if all > 1 { format!(" ({all} pairs of places in all)") } else { String::new() };
    format!("The plan shows no way from {a} to {b}: the straight line is counted{more}. Draw the door.")
}

/// How long a battery runs.
pub(crate) fn runs(seconds: f64) -> String {
    format!("{} each", clock(seconds))
}

/// What a card holds.
pub(crate) fn holds(bytes: f64) -> String {
    format!("{:.0} GB each", bytes / 1e9)
}

/// Another day.
pub(crate) fn tomorrow(still: usize) -> String {
    if still == 0 {
        "one more day of the same hours: all of it fits".into()
    } else {
        format!("one more day of the same hours: {still} still do not fit")
    }
}

/// A coarser setting.
pub(crate) fn coarser(still: usize) -> String {
    let fits = if still == 0 { "all of it fits".into() } else { format!("{still} still do not fit") };
    format!("all that is left at twice the step between points: {fits}")
}

/// Not taken.
pub(crate) fn dropped(stations: usize) -> String {
    format!("{stations} station{} not taken", super::plural(stations))
}

/// A walk instead.
pub(crate) fn mobile(brief: &Brief, length: f64, seconds: f64, off95: f64) -> String {
    format!(
        "a walk of {} with a hand-held unit there and back, {}: half-way between the scans at its ends its points may be {} off (95 %), by the profile; what it covers is not counted",
        brief.length(length),
        clock(seconds),
        brief.length(off95)
    )
}

/// This plan, as a way of measuring.
pub(crate) fn this_plan(stations: f64, look: f64) -> String {
    format!(
        "{stations:.0} stations, tied by the program and looked at ({} each); the error is the plan's prediction",
        clock(look)
    )
}

/// The same scans, tied by hand.
pub(crate) fn by_hand(ties: f64, each: f64) -> String {
    format!(
        "the same scans, {ties:.0} ties by hand in the office at {} each; how good they are is not known",
        clock(each)
    )
}

/// A walk in the place of scans.
pub(crate) fn by_mobile(brief: &Brief, walked: f64) -> String {
    format!(
        "a walk of {} past the same places and back; the error is that half-way without a tie, by the profile",
        brief.length(walked)
    )
}

/// Tape measure and paper.
pub(crate) fn by_tape(lengths: f64, walls: usize, openings: usize) -> String {
    format!("{lengths:.0} lengths at {walls} walls and {openings} openings; no cloud, no heights but those measured")
}
