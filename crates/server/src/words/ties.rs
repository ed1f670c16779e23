//! Why a tie by clouds has its grade.

use super::{plural, turn};
use crate::dto::Brief;
use crate::record::cloud_tie::{FoundTie, TieReason};

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
        TieReason::Elsewhere { shift, turn: by } => {
            format!("it lies {} and {} beside where the other ties put it", brief.length(shift), turn(by))
        }
        TieReason::LittleOverlap { share } => {
            format!("only {} of the one was seen by the other too", percent(share))
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
