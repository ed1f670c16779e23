//! Why a tie by clouds has its grade.

use super::{plural, turn};
use crate::dto::Brief;
use crate::record::cloud_tie::{FoundTie, TieReason};
use vistazo_core::registration::{School, Why};

fn percent(share: f64) -> String {
    if share < 0.1 { format!("{:.1} %", share * 100.0) } else { format!("{:.0} %", share * 100.0) }
}

/// One reason, in a sentence.
pub(crate) fn reason(brief: &Brief, f: &FoundTie, r: &TieReason) -> String {
    match *r {
        TieReason::Conflict { share } => format!(
            "one scan saw through {} of the places where the other has a surface: that cannot be",
            percent(share)
        ),
        TieReason::Repeats { share, shift, turn: by } => format!(
            "another place is {} as good, {} away and turned by {}: what both show repeats; targets, a measured distance or you must decide",
            percent(share.min(1.0)),
            brief.length(shift),
            turn(by)
        ),
        TieReason::DistanceDecided { distance } => format!(
            "another place is nearly as good; the distance between the stations decided against it, {} there",
            brief.length(distance)
        ),
        TieReason::TargetsDecided { targets } => {
            format!("another place is nearly as good; {targets} targets that both show decided against it")
        }
        TieReason::Elsewhere { shift, turn: by } => {
            format!("it lies {} and {} beside where the other ties put it", brief.length(shift), turn(by))
        }
        TieReason::LittleOverlap { share } => {
            format!("only {} of the one was seen by the other too", percent(share))
        }
        TieReason::Slides { bound } if bound > LOOSE => {
            format!("nothing that both show holds it along {}: there it stays where the search began", direction(f))
        }
        TieReason::Slides { bound } => {
            format!("the surfaces do not hold it along {}: {} at 95 %", direction(f), brief.length(bound))
        }
        TieReason::Rough { rms } => {
            format!("the surfaces lie {} apart, more than those of one place do", brief.length(rms))
        }
        TieReason::Confirmed { others } => format!(
            "{others} other scan{} of the block see{} it there, and none contradicts",
            plural(others),
            if others == 1 { "s" } else { "" }
        ),
        TieReason::Agrees { overlap, conflict } => format!(
            "{} of the one was seen by the other too, {} of it contradicts; no second place comes near",
            percent(overlap),
            percent(conflict)
        ),
    }
}

/// Beyond this 95 % say that nothing holds, metres.
const LOOSE: f64 = 1.0;

/// The weakest direction as one would point it out.
fn direction(f: &FoundTie) -> String {
    let [x, y, z] = f.weakest;
    if z.abs() > 0.8 {
        return "the vertical".into();
    }
    // anticlockwise from the x axis of the first scan
    let degrees = y.atan2(x).to_degrees().rem_euclid(180.0);
    format!("{degrees:.0}° from the x axis of the first scan")
}

/// Why a site is registered by targets, by clouds or by both, in a sentence.
pub(crate) fn school(brief: &Brief, w: &Why) -> String {
    let by = |s: School| match s {
        School::Targets => "Targets alone",
        School::Clouds => "Clouds alone",
        School::Both => "Both together",
    };
    match *w {
        Why::Leaves(s, n) => format!("{} leave {n} scan{} without a place", by(s), plural(n)),
        Why::Does(s, worst) => format!("{} hold every scan, the worst to {} at 95 %", by(s), brief.length(worst)),
        Why::Beyond(s, worst, limit) => format!(
            "{} hold every scan, but the worst only to {} at 95 %, beyond {}",
            by(s),
            brief.length(worst),
            brief.length(limit)
        ),
        Why::Repeats(n, all) => format!(
            "{n} of {all} ties by clouds have a second place nearly as good: what this site shows repeats, and only targets tell its parts apart"
        ),
        Why::Slides(n, all) => {
            format!("{n} of {all} ties by clouds are not held in one direction: there is too little across it")
        }
        Why::Better(targets, both) => format!(
            "with the clouds the worst station is known to {} instead of {}",
            brief.length(both),
            brief.length(targets)
        ),
        Why::ControlNeedsTargets => {
            "the grid comes in over targets with known coordinates: clouds alone have none".into()
        }
        Why::NotCompared => "the clouds were not compared yet: find ties by clouds to see what they give".into(),
    }
}
