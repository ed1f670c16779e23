//! What a plan says, on paper and on the page to carry along.

use crate::dto::{Brief, CoverDto};
use crate::work::planning::Plan;
use vistazo_core::plan::{PlannedKind, PlannedTarget, Station};

/// Spheres in the van when nothing else is said.
pub(crate) const SPHERES_CARRIED: usize = 6;

/// What stands at a target.
pub(crate) fn kind_words(t: &PlannedTarget) -> String {
    match t.kind {
        PlannedKind::Sphere => "sphere".into(),
        PlannedKind::Mark => "mark on the ground".into(),
        PlannedKind::Checker(None) => "checker, on a pivot".into(),
        PlannedKind::Checker(Some(n)) => {
            format!("checker, facing {:.0}°", n.x.atan2(n.y).to_degrees().rem_euclid(360.0))
        }
    }
}

/// How well a target will be known, and what for.
pub(crate) fn known_words(t: &PlannedTarget, brief: &Brief) -> String {
    match (t.control_sigma, t.check) {
        (None, _) => String::new(),
        (Some(_), true) => "check point".into(),
        (Some(s), false) => format!("control, {}", brief.length(s.x)),
    }
}

/// How a station is set.
pub(crate) fn setting_words(s: &Station, brief: &Brief) -> String {
    let repeats = if s.repeats > 1 { format!(", {} repeats", s.repeats) } else { String::new() };
    let photographs = if s.photographs { ", photographs" } else { "" };
    format!("{:.2} mrad{repeats}{photographs}", s.step.unwrap_or(brief.instrument.step) * 1e3)
}

/// Hours and minutes.
pub(crate) fn clock(seconds: f64) -> String {
    let minutes = (seconds / 60.0).round() as u64;
    format!("{}:{:02} h", minutes / 60, minutes % 60)
}

/// What the plan takes, in one line.
pub(crate) fn day_words(cover: &CoverDto) -> String {
    let d = &cover.day;
    format!(
        "{} from power-on, {} of it walking; {} batter{}; {:.1} GB",
        clock(d.time),
        clock(d.walking),
        d.batteries,
        if d.batteries == 1 { "y" } else { "ies" },
        d.bytes / 1e9
    )
}

/// What the plan will come out at, in one line.
pub(crate) fn verdict_words(brief: &Brief, cover: &CoverDto) -> String {
    let worst = cover.prediction.targets.iter().map(|t| t.error.spatial).fold(0.0, f64::max);
    let against = brief.requirement.spatial95.map_or(String::new(), |l| format!(", against {}", brief.length(l)));
    match &cover.prediction.refused {
        Some(r) => format!("Not shown: {r}"),
        None => format!("Predicted {} at the weakest target, 3-D 95 %{against}", brief.length(worst)),
    }
}

/// What can hurt, for everything that goes along.
pub(crate) fn cautions(plan: &Plan, brief: &Brief) -> Vec<String> {
    let mut out = vec![
        "Eyes: keep the laser class of the instrument in mind, no optics in the beam. Tripods are trip hazards: mark them where people pass.".to_owned(),
        "Site rules, local codes and permissions go before this sheet.".into(),
    ];
    if !brief.hazards.trim().is_empty() {
        out.insert(0, brief.hazards.clone());
    }
    if plan.site.edges.iter().any(|e| e.crest > e.foot) {
        out.push(
            "The ground falls at the edges on the plan: keep people and tripods a metre away, or as the site says."
                .into(),
        );
    }
    out.extend(plan.hazards.iter().map(|h| format!("Hazard on the plan: {}.", h.0)));
    out
}
