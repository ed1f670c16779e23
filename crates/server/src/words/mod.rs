//! Sentences: what the core found as types with figures, said in the job's units. Nothing is decided here.

pub(crate) mod compare;
pub(crate) mod control;
pub(crate) mod days;
pub(crate) mod field;
pub(crate) mod passes;
pub(crate) mod plan;
pub(crate) mod planned_walks;
pub(crate) mod registration;
pub(crate) mod slices;
pub(crate) mod ties;
pub(crate) mod traps;
pub(crate) mod verdict;

#[cfg(test)]
mod tests;

use crate::record::{Group, Parameter};

/// How likely chance alone is, as it is read: never as zero.
pub(crate) fn chance(p: f64) -> String {
    format!("p {}{}", if p < 0.001 { "" } else { "= " }, probability(p))
}

/// The same where a heading says what it is.
pub(crate) fn probability(p: f64) -> String {
    if p < 0.001 { "< 0.001".into() } else { format!("{p:.3}") }
}

/// A part of the error budget.
pub(crate) fn group(g: Group) -> &'static str {
    match g {
        Group::Control => "control",
        Group::Spheres => "spheres",
        Group::Checkers => "checkers",
        Group::Picked => "corners and picked points",
        Group::Clouds => "ties by clouds",
        Group::Levelling => "levelling",
        Group::SetUp => "set-ups",
        Group::Tracking => "tracked poses",
        Group::Held => "held groups",
        Group::Distances => "distances",
        Group::Instrument => "instrument",
    }
}

/// An error that many sightings share.
pub(crate) fn parameter(p: Parameter) -> &'static str {
    match p {
        Parameter::RangeOffset => "range offset",
        Parameter::BoardOffset => "range offset of boards against spheres",
        Parameter::RangeScale => "range scale",
        Parameter::Collimation => "collimation",
        Parameter::Trunnion => "tilting axis",
        Parameter::Index => "vertical index",
        Parameter::Settling => "settling of the tripod",
        Parameter::Turning => "turning of the tripod",
    }
}

/// `s` for several.
pub(crate) fn plural(n: usize) -> &'static str {
    if n == 1 { "" } else { "s" }
}

/// A turn, in the unit it is read in.
pub(crate) fn turn(radians: f64) -> String {
    let seconds = radians.abs() * 206_264.806;
    if seconds < 600.0 { format!("{seconds:.1}″") } else { format!("{:.2}°", seconds / 3600.0) }
}
