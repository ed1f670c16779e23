//! What a verdict rests on.

use super::{group, plural};
use crate::dto::Brief;
use vistazo_core::check::{Asked, Ground, PlaceKind, VerdictRow};
use vistazo_core::deliver::Deliverable;

/// What was asked.
fn asked(a: Asked) -> &'static str {
    match a {
        Asked::Horizontal => "Horizontal position, 95 %",
        Asked::Vertical => "Height, 95 %",
        Asked::Spatial => "Position in space, 95 %",
        Asked::Checks => "Check points, root mean square",
        Asked::Spacing => "Point spacing on required surfaces",
        Asked::Agreement => "Scans against one another",
        Asked::Survey => "Independent survey, 95 %",
        Asked::Design => "What is built, in its place",
        Asked::Deliverables => "What is to be handed over",
    }
}

/// What is handed over, as it is called.
pub(crate) fn deliverable(d: Deliverable) -> &'static str {
    match d {
        Deliverable::Laz => "clouds as LAZ",
        Deliverable::Copc => "clouds as COPC",
        Deliverable::E57 => "clouds as E57",
        Deliverable::Ply => "clouds as PLY",
        Deliverable::Xyz => "clouds as XYZ text",
        Deliverable::Tiles => "clouds as 3D Tiles",
        Deliverable::WalkThrough => "walk-through",
        Deliverable::FloorPlans => "floor plans",
        Deliverable::Elevations => "elevations",
        Deliverable::Ground => "ground surface",
        Deliverable::Features => "features",
        Deliverable::Solids => "solids",
    }
}

fn deliverables(of: &[Deliverable]) -> String {
    of.iter().map(|d| deliverable(*d)).collect::<Vec<_>>().join(", ")
}

/// What a row asks for, and of what.
pub(crate) fn requirement(row: &VerdictRow) -> String {
    row.of.as_ref().map_or_else(|| asked(row.asked).into(), |of| format!("{}: {of}", asked(row.asked)))
}

/// All grounds of a row, the deciding one first.
pub(crate) fn evidence(brief: &Brief, grounds: &[Ground]) -> String {
    self::grounds(brief, grounds).join("; ")
}

/// The same one by one.
pub(crate) fn grounds(brief: &Brief, grounds: &[Ground]) -> Vec<String> {
    grounds.iter().map(|g| ground(brief, g)).collect()
}

fn ground(brief: &Brief, g: &Ground) -> String {
    let list = |names: &[String]| {
        let shown: Vec<&str> = names.iter().take(4).map(String::as_str).collect();
        let more = names.len().saturating_sub(shown.len());
        format!("{}{}", shown.join(", "), if more > 0 { format!(" and {more} more") } else { String::new() })
    };
    match g {
        Ground::NotDrawn(what) => format!("not drawn: {}", deliverables(what)),
        Ground::DrawnBefore(what) => format!("drawn before the clouds changed: {}", deliverables(what)),
        Ground::Ready(what) => format!("ready for the package: {}", deliverables(what)),
        Ground::NotOnGrid => "no adjusted block on the grid yet".into(),
        Ground::Within { within, of, kind, worst } => {
            let what = match kind {
                PlaceKind::Target => "",
                PlaceKind::Station => "station ",
                PlaceKind::Surface => "surface ",
                PlaceKind::Pass => "a point of ",
            };
            let all = match kind {
                PlaceKind::Pass => "passes and required surfaces",
                _ => "targets, stations and required surfaces",
            };
            format!("{within} of {of} {all} within the limit, worst at {what}{worst}")
        }
        Ground::Unsettled(n) => format!("{n} finding{} of the registration not settled", plural(*n)),
        Ground::Unplaced(1) => "a scan or a pass without a place".into(),
        Ground::Unplaced(n) => format!("{n} scans or passes without a place"),
        Ground::ControlOff(names) => format!("control {} does not fit the others", list(names)),
        Ground::TestFailed => "control is not in the adjustment: block and control do not pass the test of one another, or a scale was fitted".into(),
        Ground::ChecksOff(names) => {
            format!("check point{} {} off by more than everything stated explains", plural(names.len()), list(names))
        }
        Ground::ChecksTogether(p) => format!(
            "the check points together are farther off than everything stated explains ({})",
            super::chance(*p)
        ),
        Ground::ChecksMissing(names) => format!("check point{} {} fit no target", plural(names.len()), list(names)),
        Ground::NoChecks => {
            "no check points: nothing independent shows the accuracy; hold some control back, or measure points that are not used to fit".into()
        }
        Ground::Checks { count, usual, quadrants } => format!(
            "{count} check point{}, not used to fit, in {quadrants} of 4 quadrants{}",
            plural(*count),
            if count < usual { format!(" (an accuracy is usually stated from {usual})") } else { String::new() }
        ),
        Ground::MoreChecks => "more check points would decide".into(),
        Ground::SurfacesMissing(names) => format!("required surface{} {} not shown by any placed scan", plural(names.len()), list(names)),
        Ground::NotMeasured(groups) => {
            let names: Vec<&str> = groups.iter().map(|g| group((*g).into())).collect();
            format!("the prediction counted {}, which the adjustment does not have", names.join(" and "))
        }
        Ground::SpacingShare(within, total) => format!(
            "{:.0} % of {total:.0} m² has this spacing or better (95 % is asked for)",
            within / total * 100.0
        ),
        Ground::SpacingPlanned(share) => format!("the plan said {:.0} %", share * 100.0),
        Ground::Compared { pairs, detectable } => format!(
            "{pairs} pair{} compared; what lies apart by {} can be told from noise",
            plural(*pairs),
            brief.length(*detectable)
        ),
        Ground::ShowTwice(names) => format!("surfaces show twice between {}", list(names)),
        Ground::NotCompared(n) => format!("{n} pair{} not compared as things stand now", plural(*n)),
        Ground::Surveyed(n, of) => format!("{n} of {of} points of the survey lie on a surface that a scan shows"),
        Ground::SurveyOff(names) => {
            format!("point{} {} farther off than everything stated explains", plural(names.len()), list(names))
        }
        Ground::SurveyNotCompared => "the clouds were not set against the survey as things stand now".into(),
        Ground::Built([there, elsewhere, partly, not_yet, not_seen]) => format!(
            "{there} there, {elsewhere} elsewhere, {partly} in part, {not_yet} not yet, {not_seen} not seen"
        ),
        Ground::BuiltElsewhere(names) => format!("{} not where drawn", list(names)),
        Ground::InTheWay(names) => format!("something stands where {} is to come", list(names)),
        Ground::DesignNotLookedFor => "the clouds were not set against it as things stand now".into(),
        Ground::SpacingNotMeasured => "not measured yet: run the spacing check on the georeferenced scans".into(),
    }
}
