//! What is said of scans that were set against one another.

use super::plural;
use crate::dto::Brief;
use crate::record::comparison::StoredComparison;
use std::collections::BTreeSet;
use vistazo_core::compare::{Kind, Thing};

/// What is to be thought of a pair.
pub(crate) fn pair(brief: &Brief, c: &StoredComparison) -> String {
    let changed = match c.regions.len() {
        0 => String::new(),
        n => format!("; {n} place{} changed", plural(n)),
    };
    match c.misfit {
        Some([apart, apart95, share]) => format!(
            "surfaces show twice, {} apart (±{} at 95 %) over {:.0} %: a tie or a set-up is wrong{changed}",
            brief.length(apart),
            brief.length(apart95),
            share * 100.0
        ),
        None => format!("surfaces agree{changed}"),
    }
}

/// A thing that changed. Numbers are places in the order of the scans.
pub(crate) fn thing(
    brief: &Brief,
    t: &Thing,
    names: &[String],
    (shown, through): (&BTreeSet<usize>, &BTreeSet<usize>),
) -> String {
    if t.region.kind == Kind::Apart {
        let d = t.region.distance.unwrap_or_default();
        return format!(
            "a surface lies {} beside itself (±{} at 95 %): it was moved, or shows twice",
            brief.length(d.abs()),
            brief.length(t.region.detectable)
        );
    }
    let list = |of: &BTreeSet<usize>| {
        let all: Vec<&str> = of.iter().filter_map(|k| names.get(*k)).map(String::as_str).collect();
        match all.as_slice() {
            [one] => (*one).to_owned(),
            [first @ .., last] if all.len() <= 4 => format!("{} and {last}", first.join(", ")),
            [a, b, c, ..] => format!("{a}, {b}, {c} and {} more", all.len() - 3),
            _ => String::new(),
        }
    };
    let verb = |of: &BTreeSet<usize>, one: &'static str, more: &'static str| if of.len() == 1 { one } else { more };
    let ends = |of: &BTreeSet<usize>| (of.first().copied(), of.last().copied());
    let between = |before: usize, after: usize| format!(", between {} and {}", names[before], names[after]);
    let why = match (ends(shown), ends(through)) {
        ((_, Some(to)), (Some(a), _)) if to < a => format!("it went{}", between(to, a)),
        ((Some(from), _), (_, Some(b))) if from > b => format!("it came{}", between(b, from)),
        _ if shown.len() == 1 => "somebody or something that was there for one scan".into(),
        _ => "it was moved meanwhile".into(),
    };
    format!("{} show{} something where {} saw through: {why}", list(shown), verb(shown, "s", ""), list(through))
}
