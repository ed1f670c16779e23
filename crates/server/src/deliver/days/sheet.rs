//! The day sheet: who does what when, on paper.

use super::{DayDocument, called, lines, time};
use crate::ApiError;
use crate::deliver::sketch::square;
use crate::dto::{DaysDto, WorkWord};
use crate::words::plan::{cautions, clock};
use crate::work::days::Days;
use vistazo_report::{Report, Section, Sketch};

/// Lines of each person by day, kit, what to watch, as PDF.
pub(super) struct DaySheet;

impl DayDocument for DaySheet {
    fn name(&self) -> &'static str {
        "day.pdf"
    }

    fn media_type(&self) -> &'static str {
        "application/pdf"
    }

    fn write(&self, days: &Days, dto: &DaysDto) -> Result<Vec<u8>, ApiError> {
        vistazo_report::typeset(&data(days, dto)).map_err(|e| ApiError::conflict(e.to_string()))
    }
}

fn section(heading: String, note: &str, columns: &[&str], words: usize, rows: Vec<Vec<String>>) -> Section {
    Section { heading, note: note.into(), columns: columns.iter().map(ToString::to_string).collect(), words, rows }
}

/// What one person does on one day.
fn person(days: &Days, dto: &DaysDto, p: usize, day: usize) -> Section {
    let (end, unit) = (&dto.ends[day], days.brief.unit());
    let mut rows = Vec::new();
    for line in lines(dto, p) {
        let (Some(first), Some(last)) = (line.first(), line.last()) else { continue };
        if first.from < end.from - 1.0 || first.from > end.to {
            continue;
        }
        let targets: Vec<String> = line
            .iter()
            .flat_map(|s| s.up.iter().map(|t| format!("+{t}")).chain(s.down.iter().map(|t| format!("−{t}"))))
            .collect();
        let walk: f64 = line.iter().filter(|s| s.work == WorkWord::Walk).map(|s| s.to - s.from).sum();
        rows.push(vec![
            time(first.from),
            time(last.to),
            called(&line),
            targets.join(" "),
            if walk > 0.0 { format!("{:.0}", walk * days.settings.walk / unit.metres()) } else { String::new() },
            if line.iter().any(|s| s.done) { "noted" } else { "" }.into(),
        ]);
    }
    let scanner = days.settings.scanners.iter().find(|s| s.person == p).map_or(String::new(), |s| s.name.clone());
    let who = &days.settings.people[p];
    let heading = if scanner.is_empty() { who.clone() } else { format!("{who}, {scanner}") };
    section(
        format!("{}: {heading}", days.date(end.from)),
        "",
        &["from", "to", "what", "targets", &format!("walk [{}]", unit.code()), "done"],
        4,
        rows,
    )
}

fn data(days: &Days, dto: &DaysDto) -> Report {
    let mut sections = Vec::new();
    for day in (0..dto.ends.len()).filter(|d| dto.ends[*d].ends.is_some()) {
        sections.extend((0..days.settings.people.len()).map(|p| person(days, dto, p, day)));
    }
    let kit = dto.kit.iter().map(|k| vec![k.what.clone(), k.said.clone(), k.count.to_string(), k.spare.to_string()]);
    sections.push(section("Kit".into(), "", &["what", "", "needed", "spare"], 2, kit.collect()));
    let watch: Vec<Vec<String>> = dto.remarks.iter().map(|r| vec![r.said.clone()]).collect();
    if !watch.is_empty() {
        sections.push(section("To watch".into(), "", &["what"], 1, watch));
    }
    let care: Vec<Vec<String>> = cautions(&days.plan, &days.brief).into_iter().map(|c| vec![c]).collect();
    if !care.is_empty() {
        sections.push(section("Cautions".into(), "", &["what"], 1, care));
    }
    let breaks = dto.remarks.iter().filter(|r| r.breaks).count();
    let last = dto.ends.iter().rev().find(|e| e.ends.is_some());
    let slack = last.and_then(|l| Some(l.to - l.ends?));
    let t = &dto.totals;
    let minutes = |v: f64| clock(v);
    let first = dto.ends.first().map_or(0.0, |e| e.from);
    Report {
        title: days.name.clone(),
        subtitle: "Day sheet".into(),
        verdict: match (breaks, slack) {
            (0, Some(s)) => format!("All stations fit; {} to spare on the last day", clock(s.max(0.0))),
            (n, _) => format!("{n} thing{} to settle before anybody leaves", if n == 1 { "" } else { "s" }),
        },
        verdict_kind: if breaks == 0 { "met" } else { "not met" }.into(),
        facts: vec![
            ("Stations".into(), dto.stations.len().to_string()),
            ("First day".into(), format!("{} {}", days.date(first), time(first))),
            ("Scanning".into(), minutes(t.scanning)),
            ("Setting up".into(), minutes(t.setting_up)),
            ("Walking".into(), minutes(t.walking)),
            ("Targets".into(), minutes(t.targets)),
            ("Storage".into(), format!("{:.1} GB", t.bytes / 1e9)),
            ("Worked through".into(), t.worked.map_or_else(|| "–".into(), |w| format!("{} {}", days.date(w), time(w)))),
        ],
        sections,
        sketch: sketch(days, dto),
        foot: format!(
            "Times on the clock of the site. {}",
            dto.now.map_or(String::new(), |n| format!("Planned anew at {}.", time(n)))
        ),
        ..Report::default()
    }
}

/// The stations with their places in the order.
fn sketch(days: &Days, dto: &DaysDto) -> Sketch {
    let mut order: Vec<usize> = (0..dto.stations.len()).collect();
    order.sort_by(|a, b| {
        let at = |k: usize| dto.stations[k].begins.unwrap_or(f64::INFINITY);
        at(*a).total_cmp(&at(*b))
    });
    let lines = days.plan.site.panels().iter().map(|p| [p.a.x, p.a.y, p.b.x, p.b.y]).collect();
    let points = order.iter().enumerate().map(|(i, &k)| {
        let s = &days.plan.stations[k].1;
        (format!("{} {}", i + 1, s.name), [s.position.x, s.position.y], "station")
    });
    square(points.collect(), lines, days.brief.unit())
}
