//! What the registration report says.

use crate::dto::{Brief, StationDto};
use crate::work::verdict::State;
use crate::work::{chance, probability};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::units::LengthUnit;
use vistazo_formats::crs::Reference;
use vistazo_report::{Report, Section, Sketch};
use vistazo_store::field::ScanRow;

/// Lengths of errors: millimetres for metric jobs, else the foot of the job.
struct Small {
    factor: f64,
    digits: usize,
    unit: &'static str,
}

impl Small {
    fn of(brief: &Brief) -> Self {
        match brief.unit() {
            LengthUnit::Metre => Self { factor: 1000.0, digits: 2, unit: "mm" },
            u => Self { factor: 1.0 / u.metres(), digits: 5, unit: u.code() },
        }
    }
    fn text(&self, metres: f64) -> String {
        format!("{:.*}", self.digits, metres * self.factor)
    }
    fn with_unit(&self, metres: f64) -> String {
        format!("{} {}", self.text(metres), self.unit)
    }
}

/// Puts the report together from the state of the job.
pub(crate) async fn report_data(
    app: &App,
    job: Uuid,
    name: &str,
    state: &State,
    revision: i32,
    scans: &[ScanRow],
    reference: Option<&Reference>,
) -> Result<Report, ApiError> {
    let (Some((_, georef)), Some(adjustment)) = (&state.georef, &state.adjustment) else {
        return Err(ApiError::conflict("the block is not on the grid"));
    };
    let (g, a, brief) = (&georef.result, &adjustment.result, &state.brief);
    let small = Small::of(brief);
    let unit = brief.unit();
    let coordinate = |v: f64| format!("{:.4}", v / unit.metres());
    let verdicts = state.verdicts();
    let worst = ["not met", "not shown", "met"]
        .into_iter()
        .find(|k| verdicts.iter().any(|v| v.verdict == *k))
        .unwrap_or("not shown");
    let members = vistazo_store::jobs::members(&app.db, job).await?;
    let log = vistazo_store::jobs::log(&app.db, job).await?;
    let i = &brief.instrument;
    let arc = |rad: f64| format!("{:.1}″", rad.to_degrees() * 3600.0);
    let facts = vec![
        ("Client".into(), brief.client.clone()),
        ("Site".into(), brief.site.clone()),
        ("Purpose".into(), brief.purpose.clone()),
        (
            "Coordinate reference".into(),
            reference.map_or_else(|| "local grid".into(), |r| format!("EPSG:{} {}", brief.epsg.unwrap_or(0), r.name)),
        ),
        ("Units".into(), format!("{}; errors in {}", unit.code(), small.unit)),
        (
            "Instrument".into(),
            format!(
                "{}: range {} + {:.0} ppm, angles {}, compensator {}",
                i.name,
                small.with_unit(i.range_sigma),
                i.range_sigma_per_m * 1e6,
                arc(i.angular_sigma),
                i.compensator_sigma.map_or_else(|| "none".into(), arc)
            ),
        ),
        (
            "Adjustment".into(),
            format!(
                "revision {}{}, {} degrees of freedom, global test {}, errors scaled by {:.2}",
                adjustment.revision,
                if adjustment.locked { ", locked" } else { "" },
                a.dof,
                chance(a.global_p),
                a.variance_factor.sqrt()
            ),
        ),
        (
            "Georeferencing".into(),
            format!(
                "{} fit, {} control points, {} check points, {}, scale {:.6}",
                g.model,
                g.residuals.len(),
                g.checks.len(),
                chance(g.global_p),
                g.scale
            ),
        ),
    ];
    let errors = |e: &crate::dto::Error95Dto| [small.text(e.horizontal), small.text(e.vertical), small.text(e.spatial)];
    let mut sections = vec![
        Section {
            heading: "Verdict".into(),
            note: String::new(),
            columns: ["Requirement", "Verdict", "Evidence"].iter().map(ToString::to_string).chain(["required", "predicted", "achieved"].iter().map(|c| format!("{c} [{}]", small.unit))).collect(),
            words: 3,
            rows: verdicts
                .iter()
                .map(|v| {
                    let opt = |x: Option<f64>| x.map_or_else(|| "–".into(), |x| small.text(x));
                    vec![v.requirement.clone(), v.verdict.clone(), v.evidence.clone(), small.text(v.required), opt(v.predicted), opt(v.achieved)]
                })
                .collect(),
        },
        Section {
            heading: "Stations".into(),
            note: "Errors are 95 % regions: longest semi-axis horizontally and in space, half-width vertically.".into(),
            columns: table(&["Scan", "Operator"], &[("E", unit.code()), ("N", unit.code()), ("H", unit.code()), ("horizontal", small.unit), ("vertical", small.unit), ("3-D", small.unit)]).into_iter().chain(["targets".into(), "points".into()]).collect(),
            words: 2,
            rows: g
                .stations
                .iter()
                .map(|s: &StationDto| {
                    let row = scans.iter().find(|r| r.id == s.scan);
                    let mut v = vec![s.name.clone(), row.and_then(|r| r.log["operator"].as_str()).unwrap_or("–").to_owned()];
                    v.extend(s.pose.translation.map(coordinate));
                    v.extend(errors(&s.error));
                    v.push(s.targets.to_string());
                    v.push(row.map_or_else(String::new, |r| r.points.to_string()));
                    v
                })
                .collect(),
        },
        Section {
            heading: "Targets".into(),
            note: String::new(),
            columns: table(&["Target", "Kind"], &[("E", unit.code()), ("N", unit.code()), ("H", unit.code()), ("horizontal", small.unit), ("vertical", small.unit), ("3-D", small.unit)]).into_iter().chain(["scans".into()]).collect(),
            words: 2,
            rows: g
                .targets
                .iter()
                .map(|t| {
                    let mut v = vec![t.name.clone(), t.kind.clone()];
                    v.extend(t.position.map(coordinate));
                    v.extend(errors(&t.error));
                    v.push(t.scans.to_string());
                    v
                })
                .collect(),
        },
        Section {
            heading: "Control and check points".into(),
            note: "Residual: block minus control. Expected: what noise alone explains at 95 %. Check points take no part in the fit.".into(),
            columns: table(&["Point", "Target", "Use"], &[("dE", small.unit), ("dN", small.unit), ("dH", small.unit), ("expected E", small.unit), ("expected N", small.unit), ("expected H", small.unit)]).into_iter().chain(["p".into()]).collect(),
            words: 3,
            rows: g
                .residuals
                .iter()
                .map(|r| (r, "control"))
                .chain(g.checks.iter().map(|r| (r, "check")))
                .map(|(r, word)| {
                    let mut v = vec![r.name.clone(), r.target.clone(), word.into()];
                    v.extend(r.residual.iter().chain(&r.expected).map(|x| small.text(*x)));
                    v.push(probability(r.p_value));
                    v
                })
                .collect(),
        },
        Section {
            heading: "Ties".into(),
            note: "Between every two scans that share targets. Breadth: second over first extent of the shared targets.".into(),
            columns: vec!["Scans".into(), "Grade".into(), "Reason".into(), "shared".into(), format!("rms [{}]", small.unit), format!("worst [{}]", small.unit), "breadth [%]".into()],
            words: 3,
            rows: a
                .ties
                .iter()
                .map(|t| vec![format!("{} – {}", t.a, t.b), t.grade.clone(), t.reasons.first().cloned().unwrap_or_default(), t.shared.len().to_string(), small.text(t.rms), small.text(t.worst), format!("{:.0}", t.breadth * 100.0)])
                .collect(),
        },
        Section {
            heading: "Residuals".into(),
            note: "Observed minus adjusted target centre, block axes. Redundancy of 3 is fully checked by the other observations. Excluded observations are listed with their misfit.".into(),
            columns: table(&["Target", "Scan", "Use"], &[("dx", small.unit), ("dy", small.unit), ("dz", small.unit), ("length", small.unit), ("detectable", small.unit)]).into_iter().chain(["redundancy".into(), "p".into()]).collect(),
            words: 3,
            rows: a
                .observations
                .iter()
                .map(|o| {
                    let mut v = vec![o.target.clone(), o.scan.clone(), if !o.active { "excluded".into() } else if o.suspect { "suspect".into() } else { String::new() }];
                    v.extend(o.residual.map(|x| small.text(x)));
                    v.push(small.text(o.length));
                    v.push(o.detectable.map_or_else(|| "–".into(), |d| small.text(d)));
                    v.push(if o.active { format!("{:.2}", o.redundancy) } else { "–".into() });
                    v.push(probability(o.p_value));
                    v
                })
                .collect(),
        },
    ];
    if !g.warnings.is_empty() {
        sections.insert(1, Section { heading: "Remarks".into(), note: g.warnings.join(". "), ..Section::default() });
    }
    sections.push(Section {
        heading: "Decisions".into(),
        note: String::new(),
        columns: ["When (UTC)", "Who", "What"].iter().map(ToString::to_string).collect(),
        words: 3,
        rows: log
            .iter()
            .rev()
            .map(|l| {
                vec![
                    l.at.format("%Y-%m-%d %H:%M").to_string(),
                    l.who.clone().unwrap_or_else(|| "–".into()),
                    l.what.clone(),
                ]
            })
            .collect(),
    });
    let people =
        |role| members.iter().filter(|m| m.role == role).map(|m| m.name.clone()).collect::<Vec<_>>().join(", ");
    Ok(Report {
        title: name.into(),
        subtitle: format!(
            "Registration report · package {revision} · made {} UTC",
            chrono::Utc::now().format("%Y-%m-%d %H:%M")
        ),
        verdict: match worst {
            "met" => "All requirements are met.".into(),
            "not met" => "At least one requirement is not met.".into(),
            _ => "Not all requirements are shown to be met.".into(),
        },
        verdict_kind: worst.into(),
        facts,
        sections,
        sketch: sketch(state),
        foot: format!(
            "{name} · package {revision}. States measured accuracy only. Boundaries and designs are certified by a licensed professional where the law asks for one."
        ),
        signatures: vec![
            (format!("prepared ({})", people(vistazo_store::jobs::Role::Surveyor)), " ".into()),
            (format!("checked, by another person ({})", people(vistazo_store::jobs::Role::Reviewer)), " ".into()),
        ],
    })
}

/// Headings: words, then numbers with their unit.
fn table(words: &[&str], numbers: &[(&str, &str)]) -> Vec<String> {
    words.iter().map(ToString::to_string).chain(numbers.iter().map(|(n, u)| format!("{n} [{u}]"))).collect()
}

fn sketch(state: &State) -> Sketch {
    let Some((_, g)) = &state.georef else { return Sketch::default() };
    let g = &g.result;
    let used: Vec<&str> = g.residuals.iter().chain(&g.checks).map(|r| r.target.as_str()).collect();
    let mut points: Vec<(String, f64, f64, String)> = g
        .stations
        .iter()
        .map(|s| (s.name.clone(), s.pose.translation[0], s.pose.translation[1], "station".into()))
        .collect();
    points.extend(g.targets.iter().map(|t| {
        (
            t.name.clone(),
            t.position[0],
            t.position[1],
            if used.contains(&t.name.as_str()) { "control".into() } else { "target".into() },
        )
    }));
    let o = state.brief.origin;
    let mut lines: Vec<[f64; 4]> =
        state.plan.site.panels().iter().map(|p| [p.a.x + o[0], p.a.y + o[1], p.b.x + o[0], p.b.y + o[1]]).collect();
    let all = || points.iter().map(|p| (p.1, p.2));
    let (x0, x1) = all().fold((f64::MAX, f64::MIN), |a, p| (a.0.min(p.0), a.1.max(p.0)));
    let (y0, y1) = all().fold((f64::MAX, f64::MIN), |a, p| (a.0.min(p.1), a.1.max(p.1)));
    let size = (x1 - x0).max(y1 - y0).max(1.0) * 1.3;
    let (cx, cy) = (f64::midpoint(x0, x1), f64::midpoint(y0, y1));
    let fx = |x: f64| (x - cx) / size + 0.5;
    let fy = |y: f64| (y - cy) / size + 0.5;
    for p in &mut points {
        (p.1, p.2) = (fx(p.1), fy(p.2));
    }
    lines = lines
        .into_iter()
        .map(|l| [fx(l[0]), fy(l[1]), fx(l[2]), fy(l[3])])
        .filter(|l| l.iter().all(|v| (0.0..=1.0).contains(v)))
        .collect();
    let u = state.brief.unit();
    let step = [1.0, 2.0, 5.0, 10.0, 20.0, 50.0, 100.0, 200.0]
        .into_iter()
        .rfind(|s| s * u.metres() < size * 0.3)
        .unwrap_or(1.0);
    Sketch { points, lines, scale: (step * u.metres() / size, format!("{step} {}", u.code())) }
}
