//! The plan sheet: what goes along on paper.

use super::{PlanDocument, PlanPackage};
use crate::ApiError;
use crate::deliver::sketch::square;
use crate::dto::{Brief, LeapfrogRequest, PointDto};
use crate::words::plan::{
    SPHERES_CARRIED, cautions, clock, day_words, kind_words, known_words, setting_words, verdict_words,
};
use crate::work::planning::Plan;
use crate::work::{designing, planned_walks};
use vistazo_core::geometry::Vec3;
use vistazo_report::{Report, Section, Sketch};

fn section(heading: &str, note: &str, columns: &[&str], words: usize, rows: Vec<Vec<String>>) -> Section {
    Section {
        heading: heading.into(),
        note: note.into(),
        columns: columns.iter().map(ToString::to_string).collect(),
        words,
        rows,
    }
}

/// Stations in order, targets, set-ups, carrying list, what to watch, cautions, as PDF.
pub(super) struct Sheet;

impl PlanDocument for Sheet {
    fn name(&self) -> &'static str {
        "sheet.pdf"
    }

    fn media_type(&self) -> &'static str {
        "application/pdf"
    }

    fn write(&self, p: &PlanPackage) -> Result<Vec<u8>, ApiError> {
        vistazo_report::typeset(&data(p)).map_err(|e| ApiError::conflict(e.to_string()))
    }
}

/// Lengths and coordinates in the job's unit.
struct Columns<'a>(&'a Brief);

impl Columns<'_> {
    fn head(&self, what: &str) -> String {
        format!("{what} [{}]", self.0.unit().code())
    }

    fn place(&self, p: &Vec3) -> Vec<String> {
        p.iter().map(|v| format!("{:.2}", v / self.0.unit().metres())).collect()
    }

    fn predicted(&self, list: &[PointDto], name: &str) -> String {
        list.iter().find(|p| p.name == name).map_or_else(|| "–".into(), |p| self.0.length(p.error.spatial))
    }
}

/// Where the instrument stands, in the order of the day.
fn stations(p: &PlanPackage) -> Section {
    let PlanPackage { plan, brief, cover, .. } = p;
    let columns = Columns(brief);
    let stations = plan.stations.iter().enumerate().map(|(k, (id, s))| {
        let c = cover.stations.iter().find(|c| c.station == *id);
        let mut row = vec![
            (k + 1).to_string(),
            s.name.clone(),
            c.map_or(String::new(), |c| {
                let names: Vec<&str> =
                    plan.targets.iter().filter(|t| c.targets.contains(&t.0)).map(|t| t.1.name.as_str()).collect();
                names.join(" ")
            }),
        ];
        row.extend(columns.place(&s.position));
        row.push(setting_words(s, brief));
        row.push(cover.day.done.get(k).map_or("–".into(), |t| {
            let swap = if cover.day.swaps.contains(&k) { ", new battery" } else { "" };
            format!("{}{swap}", clock(*t))
        }));
        row.push(columns.predicted(&cover.prediction.stations, &s.name));
        row
    });
    section(
        "Stations in order",
        "Position of the instrument's centre on the plan. Targets it will measure.",
        &[
            "",
            "station",
            "targets",
            &columns.head("x"),
            &columns.head("y"),
            &columns.head("height"),
            "setting",
            "done by",
            "predicted, 3-D 95 %",
        ],
        3,
        stations.collect(),
    )
}

/// What it measures.
fn targets(p: &PlanPackage) -> Section {
    let PlanPackage { plan, brief, cover, .. } = p;
    let columns = Columns(brief);
    let targets = plan.targets.iter().map(|(_, t)| {
        let mut row = vec![t.name.clone(), kind_words(t), known_words(t, brief)];
        row.extend(columns.place(&t.position));
        row.push(columns.predicted(&cover.prediction.targets, &t.name));
        row
    });
    section(
        "Targets",
        "Centre. Checkers hang turned by some 20° anticlockwise as seen from the front, which measures them several times better.",
        &[
            "target",
            "kind",
            "known, 1σ",
            &columns.head("x"),
            &columns.head("y"),
            &columns.head("height"),
            "predicted, 3-D 95 %",
        ],
        3,
        targets.collect(),
    )
}

/// Stations over marks, as with a total station.
fn set_ups(p: &PlanPackage) -> Option<Section> {
    let PlanPackage { plan, brief, .. } = p;
    let set_ups = plan.stations.iter().filter(|(_, s)| s.over.is_some() || !s.sights.is_empty()).map(|(_, s)| {
        let name = |t: usize| plan.targets[t].1.name.clone();
        let away = |t: usize| brief.length((plan.targets[t].1.position - s.position).xy().norm());
        let height = s.over.map(|t| brief.length(s.position.z - plan.targets[t].1.position.z));
        let mut sights = s.sights.iter().map(|&t| format!("{} ({})", name(t), away(t)));
        vec![
            s.name.clone(),
            s.over.map_or("–".into(), name),
            height.map_or("–".into(), |h| format!("{h}, measure it")),
            sights.next().unwrap_or("–".into()),
            sights.collect::<Vec<_>>().join(", "),
        ]
    });
    let set_ups: Vec<Vec<String>> = set_ups.collect();
    let some = !set_ups.is_empty();
    some.then(|| section(
        "Set-ups over marks",
        "Measure the height of instrument and reflector before and after. Check the distance to the backsight against the plan before scanning: it tells a wrong mark.",
        &["station", "over", "instrument height", "backsight", "carry to"],
        5,
        set_ups,
    ))
}

/// Walks with a mobile unit.
fn walks(p: &PlanPackage) -> Option<Section> {
    let rows: Vec<Vec<String>> = planned_walks::sheet(&p.plan)
        .into_iter()
        .map(|w| {
            let marks = if w.marks.is_empty() { "–".into() } else { w.marks.join(" ") };
            vec![w.name, w.unit, p.brief.length(w.metres), format!("{:.0} min", w.seconds / 60.0), marks]
        })
        .collect();
    (!rows.is_empty()).then(|| {
        section(
            "Walks",
            "Begin and end standing still. Come back the same way or close the loop; set the unit down for a moment on each mark. Eyes on the way, not on the screen.",
            &["walk", "unit", "length", "takes", "stands on"],
            2,
            rows,
        )
    })
}

/// Which spheres stay and which are carried.
fn carrying(p: &PlanPackage) -> Option<Section> {
    let PlanPackage { plan, brief, .. } = p;
    let request = LeapfrogRequest { stations: Vec::new(), spheres: SPHERES_CARRIED };
    let moves = designing::leapfrog(plan, brief, &request).ok()?;
    let rows = moves.iter().map(|m| {
        let carry: Vec<String> = m
            .carry
            .iter()
            .map(|c| format!("{} to {} at {:.0}°", c.sphere, brief.length(c.distance), c.bearing.to_degrees()))
            .collect();
        vec![m.station.clone(), m.stay.join(" "), carry.join("; "), m.tie95.map_or("–".into(), |v| brief.length(v))]
    });
    Some(section(
        "Carrying list, where nothing else ties",
        "With six spheres: at each station the named ones stay until its scan is done, the others are carried to a distance and bearing from it before the scan.",
        &["at", "stay", "carry", "tie, 95 %"],
        3,
        rows.collect(),
    ))
}

/// What the plan's own checks found.
fn watch(p: &PlanPackage) -> Option<Section> {
    let traps: Vec<_> = p.cover.traps.iter().map(|t| vec![t.title.clone(), t.text.clone()]).collect();
    (!traps.is_empty()).then(|| section("What to watch", "", &["", ""], 2, traps))
}

fn data(p: &PlanPackage) -> Report {
    let PlanPackage { name, plan, brief, cover, simulated, .. } = p;
    let mark = if *simulated { "TRAINING JOB, its scans are simulated · " } else { "" };
    let cautions = cautions(plan, brief).into_iter().map(|c| vec![c]).collect();
    let sections = [
        Some(stations(p)),
        Some(targets(p)),
        set_ups(p),
        walks(p),
        carrying(p),
        watch(p),
        Some(section("Cautions", "", &[""], 1, cautions)),
    ];
    let percent = |v: Option<f64>| v.map_or("nothing is required".into(), |v| format!("{:.1} %", 100.0 * v));
    let worst = cover.prediction.targets.iter().map(|t| t.error.spatial).fold(0.0, f64::max);
    let i = &brief.instrument;
    Report {
        short: false,
        letterhead: vistazo_report::Letterhead::default(),
        title: format!("{name}: plan"),
        subtitle: format!("{mark}{}", brief.site),
        verdict: verdict_words(brief, cover),
        verdict_kind: match (&cover.prediction.refused, brief.requirement.spatial95) {
            (Some(_), _) | (None, None) => "not demonstrated",
            (None, Some(limit)) if worst > limit => "not met",
            _ => "met",
        }
        .into(),
        facts: vec![
            ("Instrument".into(), format!("{}, step {:.2} mrad, {:.0} s a scan", i.name, i.step * 1e3, i.scan_time)),
            (
                "Stations and targets".into(),
                format!("{} stations, {} targets", plan.stations.len(), plan.targets.len()),
            ),
            ("The day".into(), day_words(cover)),
            (
                "Required surfaces covered once, twice".into(),
                format!("{}, {}", percent(cover.once), percent(cover.twice)),
            ),
            (
                "Spheres, checkers".into(),
                format!(
                    "{}, {}",
                    brief.sphere_diameter.map_or("none".into(), |d| format!("{} across", brief.length(d))),
                    brief.checker_side.map_or("none".into(), |d| format!("{} across", brief.length(d)))
                ),
            ),
        ],
        sections: sections.into_iter().flatten().collect(),
        figures: Vec::new(),
        sketch: sketch(plan, brief),
        foot: format!("{mark}{name} · plan sheet · plan coordinates, {}", brief.unit().code()),
        signatures: Vec::new(),
    }
}

fn sketch(plan: &Plan, brief: &Brief) -> Sketch {
    let stations = plan.stations.iter().map(|(_, s)| (s.name.clone(), [s.position.x, s.position.y], "station"));
    let targets = plan.targets.iter().map(|(_, t)| {
        let what = if t.control_sigma.is_some() { "control" } else { "target" };
        (t.name.clone(), [t.position.x, t.position.y], what)
    });
    let lines = plan.site.panels().iter().map(|p| [p.a.x, p.a.y, p.b.x, p.b.y]).collect();
    square(stations.chain(targets).collect(), lines, brief.unit())
}
