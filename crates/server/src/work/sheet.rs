//! The plan on paper and in open formats: the sheet that goes along, and files for other programs.

use super::planning::Plan;
use crate::ApiError;
use crate::dto::{Brief, CoverDto, LeapfrogRequest};
use crate::work::designing;
use serde_json::{Value, json};
use vistazo_core::geometry::Vec3;
use vistazo_core::plan::{PlannedKind, PlannedTarget, Station};
use vistazo_formats::plan_dxf::{DrawnShape, write_dxf};
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

/// The plan sheet as PDF: stations in order, targets, carrying list, what to watch, cautions.
pub(crate) fn pdf(name: &str, plan: &Plan, brief: &Brief, cover: &CoverDto) -> Result<Vec<u8>, ApiError> {
    let u = brief.unit();
    let long = |v: f64| format!("{:.2}", v / u.metres());
    let code = u.code();
    let head = |what: &str| format!("{what} [{code}]");
    let place = |p: &Vec3| vec![long(p.x), long(p.y), long(p.z)];
    let predicted = |list: &[crate::dto::PointDto], n: &str| {
        list.iter().find(|p| p.name == n).map_or_else(|| "–".into(), |p| brief.length(p.error.spatial))
    };
    let mut sections = Vec::new();
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
        row.extend(place(&s.position));
        row.push(setting_words(s, brief));
        row.push(cover.day.done.get(k).map_or("–".into(), |t| {
            let swap = if cover.day.swaps.contains(&k) { ", new battery" } else { "" };
            format!("{}{swap}", clock(*t))
        }));
        row.push(predicted(&cover.prediction.stations, &s.name));
        row
    });
    sections.push(section(
        "Stations in order",
        "Position of the instrument's centre on the plan. Targets it will measure.",
        &[
            "",
            "station",
            "targets",
            &head("x"),
            &head("y"),
            &head("height"),
            "setting",
            "done by",
            "predicted, 3-D 95 %",
        ],
        3,
        stations.collect(),
    ));
    let targets = plan.targets.iter().map(|(_, t)| {
        let mut row = vec![t.name.clone(), kind_words(t), known_words(t, brief)];
        row.extend(place(&t.position));
        row.push(predicted(&cover.prediction.targets, &t.name));
        row
    });
    sections.push(section(
        "Targets",
        "Centre. Checkers hang turned by some 20° anticlockwise as seen from the front, which measures them several times better.",
        &["target", "kind", "known, 1σ", &head("x"), &head("y"), &head("height"), "predicted, 3-D 95 %"],
        3,
        targets.collect(),
    ));
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
    if !set_ups.is_empty() {
        sections.push(section(
            "Set-ups over marks",
            "Measure the height of instrument and reflector before and after. Check the distance to the backsight against the plan before scanning: it tells a wrong mark.",
            &["station", "over", "instrument height", "backsight", "carry to"],
            5,
            set_ups,
        ));
    }
    let request = LeapfrogRequest { stations: Vec::new(), spheres: SPHERES_CARRIED };
    if let Ok(moves) = designing::leapfrog(plan, brief, &request) {
        let rows = moves.iter().map(|m| {
            let carry: Vec<String> = m
                .carry
                .iter()
                .map(|c| format!("{} to {} at {:.0}°", c.sphere, brief.length(c.distance), c.bearing.to_degrees()))
                .collect();
            vec![m.station.clone(), m.stay.join(" "), carry.join("; "), m.tie95.map_or("–".into(), |v| brief.length(v))]
        });
        sections.push(section(
            "Carrying list, where nothing else ties",
            "With six spheres: at each station the named ones stay until its scan is done, the others are carried to a distance and bearing from it before the scan.",
            &["at", "stay", "carry", "tie, 95 %"],
            3,
            rows.collect(),
        ));
    }
    let traps = cover.traps.iter().map(|t| vec![t.title.clone(), t.text.clone()]).collect::<Vec<_>>();
    if !traps.is_empty() {
        sections.push(section("What to watch", "", &["", ""], 2, traps));
    }
    sections.push(section("Cautions", "", &[""], 1, cautions(plan, brief).into_iter().map(|c| vec![c]).collect()));
    let percent = |v: Option<f64>| v.map_or("nothing is required".into(), |v| format!("{:.1} %", 100.0 * v));
    let worst = cover.prediction.targets.iter().map(|t| t.error.spatial).fold(0.0, f64::max);
    let i = &brief.instrument;
    let report = Report {
        title: format!("{name}: plan"),
        subtitle: brief.site.clone(),
        verdict: verdict_words(brief, cover),
        verdict_kind: match (&cover.prediction.refused, brief.requirement.spatial95) {
            (Some(_), _) => "not shown",
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
        sections,
        sketch: sketch(plan, brief),
        foot: format!("{name} · plan sheet · plan coordinates, {code}"),
        signatures: Vec::new(),
    };
    vistazo_report::typeset(&report).map_err(|e| ApiError::conflict(e.to_string()))
}

fn sketch(plan: &Plan, brief: &Brief) -> Sketch {
    let mut all: Vec<[f64; 2]> = plan.site.walls.iter().flat_map(|w| w.line.iter().map(|p| [p.x, p.y])).collect();
    all.extend(plan.stations.iter().map(|s| [s.1.position.x, s.1.position.y]));
    all.extend(plan.targets.iter().map(|t| [t.1.position.x, t.1.position.y]));
    let (mut low, mut high) = ([f64::MAX; 2], [f64::MIN; 2]);
    for p in &all {
        for k in 0..2 {
            low[k] = low[k].min(p[k]);
            high[k] = high[k].max(p[k]);
        }
    }
    if all.is_empty() {
        return Sketch::default();
    }
    let side = 1.12 * (high[0] - low[0]).max(high[1] - low[1]).max(1.0);
    let to = |x: f64, y: f64| {
        (0.5 + (x - f64::midpoint(low[0], high[0])) / side, 0.5 + (y - f64::midpoint(low[1], high[1])) / side)
    };
    let mut points: Vec<(String, f64, f64, String)> = Vec::new();
    for (_, s) in &plan.stations {
        let (x, y) = to(s.position.x, s.position.y);
        points.push((s.name.clone(), x, y, "station".into()));
    }
    for (_, t) in &plan.targets {
        let (x, y) = to(t.position.x, t.position.y);
        points.push((t.name.clone(), x, y, if t.control_sigma.is_some() { "control" } else { "target" }.into()));
    }
    let panels = plan.site.panels();
    let lines = panels.iter().map(|p| {
        let ((a, b), (c, d)) = (to(p.a.x, p.a.y), to(p.b.x, p.b.y));
        [a, b, c, d]
    });
    let unit = brief.unit();
    let bar = [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0, 500.0]
        .into_iter()
        .rfind(|b| b * unit.metres() < side / 4.0)
        .unwrap_or(1.0);
    Sketch { points, lines: lines.collect(), scale: (bar * unit.metres() / side, format!("{bar} {}", unit.code())) }
}

fn shapes(plan: &Plan) -> Vec<DrawnShape> {
    let s = &plan.site;
    let line = |l: &[nalgebra::Vector2<f64>]| l.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>();
    let mut out = Vec::new();
    let mut add =
        |layer: &str, name: &str, line: Vec<[f64; 2]>, closed: bool, radius: Option<f64>, base: f64, height: f64| {
            out.push(DrawnShape { layer: layer.into(), line, closed, radius, base, height, name: name.into() });
        };
    for (w, (_, name)) in s.walls.iter().zip(&plan.surfaces[0]) {
        add("WALL", name, line(&w.line), false, None, w.base, w.top - w.base);
    }
    for (f, (_, name)) in s.slabs.iter().zip(&plan.surfaces[1]) {
        add("FLOOR", name, line(&f.outline), true, None, f.height, 0.0);
    }
    for o in &s.obstacles {
        add("OBSTACLE", "", line(&o.outline), true, None, o.base, o.top - o.base);
    }
    for c in &s.columns {
        add("COLUMN", "", vec![[c.centre.x, c.centre.y]], true, Some(c.radius), c.base, c.top - c.base);
    }
    for a in &s.no_go {
        add("NO_GO", "", line(&a.outline), true, None, 0.0, 0.0);
    }
    for e in &s.edges {
        add("EDGE", "", line(&e.line), false, None, e.foot, e.crest - e.foot);
    }
    for (name, p) in &plan.heights {
        add("HEIGHT", name, vec![[p.x, p.y]], false, None, p.z, 0.0);
    }
    for (name, outline) in &plan.hazards {
        add("HAZARD", name, line(outline), true, None, 0.0, 0.0);
    }
    for (_, st) in &plan.stations {
        add("STATION", &st.name, vec![[st.position.x, st.position.y]], false, None, st.position.z, 0.0);
    }
    for (_, t) in &plan.targets {
        let layer = if t.control_sigma.is_some() { "CONTROL" } else { "TARGET" };
        add(layer, &t.name, vec![[t.position.x, t.position.y]], false, None, t.position.z, 0.0);
    }
    out
}

/// The plan as DXF, metres.
pub(crate) fn dxf(plan: &Plan) -> Result<String, ApiError> {
    write_dxf(&shapes(plan)).map_err(|e| ApiError::conflict(e.to_string()))
}

/// The plan as GeoJSON in plan coordinates, metres; what it holds comes in again by the import.
pub(crate) fn geojson(plan: &Plan) -> String {
    let features: Vec<Value> = shapes(plan)
        .into_iter()
        .map(|s| {
            let geometry = match (s.line.len(), s.closed) {
                (1, _) => json!({ "type": "Point", "coordinates": [s.line[0][0], s.line[0][1], s.base] }),
                (_, false) => json!({ "type": "LineString", "coordinates": s.line }),
                (_, true) => {
                    let ring: Vec<[f64; 2]> = s.line.iter().chain(s.line.first()).copied().collect();
                    json!({ "type": "Polygon", "coordinates": [ring] })
                }
            };
            let mut properties = json!({ "kind": s.layer.to_lowercase(), "name": s.name });
            if s.height > 0.0 {
                properties["base"] = s.base.into();
                properties["top"] = (s.base + s.height).into();
            }
            if let Some(r) = s.radius {
                properties["radius"] = r.into();
            }
            json!({ "type": "Feature", "properties": properties, "geometry": geometry })
        })
        .collect();
    json!({ "type": "FeatureCollection", "features": features }).to_string()
}

/// Stations and targets as CSV in the job's unit.
pub(crate) fn csv(plan: &Plan, brief: &Brief) -> String {
    let u = brief.unit();
    let mut out = format!("kind;name;x [{0}];y [{0}];height [{0}];known\n", u.code());
    let mut add = |kind: &str, name: &str, p: &Vec3, known: &str| {
        let v = p / u.metres();
        out += &format!("{kind};{};{:.4};{:.4};{:.4};{known}\n", name.replace(';', ","), v.x, v.y, v.z);
    };
    for (_, s) in &plan.stations {
        add("station", &s.name, &s.position, "");
    }
    for (_, t) in &plan.targets {
        let known = match (t.control_sigma, t.check) {
            (None, _) => "",
            (Some(_), true) => "check",
            (Some(_), false) => "control",
        };
        let kind = match t.kind {
            PlannedKind::Sphere => "sphere",
            PlannedKind::Checker(_) => "checker",
            PlannedKind::Mark => "mark",
        };
        add(kind, &t.name, &t.position, known);
    }
    out
}
