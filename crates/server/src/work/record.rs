//! The record of the field: everything that was noted, as a table and on paper.

use super::journal;
use crate::dto::{Brief, EntryDto, FactDto};
use crate::{ApiError, App, words};
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_report::{Report, Section};

/// What an entry says: about what, what, a height, and how long it took, seconds.
struct Line {
    about: String,
    what: String,
    height: Option<f64>,
    took: Option<f64>,
}

struct Read {
    brief: Brief,
    job: String,
    simulated: bool,
    entries: Vec<EntryDto>,
    /// Names of stations and scans.
    names: HashMap<Uuid, String>,
}

impl Read {
    async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (row, brief) = super::brief(app, job).await?;
        let stations = super::planning::load(app, job).await?.stations.into_iter().map(|s| (s.0, s.1.name));
        let scans = vistazo_store::field::scans(&app.db, job).await?.into_iter().map(|s| (s.id, s.name));
        Ok(Self {
            brief,
            job: row.name.clone(),
            simulated: row.simulated.is_some(),
            entries: journal::read(app, job).await?.entries,
            names: stations.chain(scans).collect(),
        })
    }

    fn name(&self, id: &Uuid) -> String {
        self.names.get(id).cloned().unwrap_or_else(|| id.to_string())
    }

    /// A length in the unit of the job.
    fn length(&self, metres: f64) -> String {
        format!("{:.4}", metres / self.brief.unit().metres())
    }

    fn line(&self, e: &EntryDto) -> Line {
        let plain = |about: String, what: String| Line { about, what, height: None, took: None };
        match &e.fact {
            FactDto::Visit(v) => {
                let found = v.targets.iter().map(|t| format!("{} {:?}", t.name, t.state).to_lowercase());
                let said =
                    [&v.mark, &v.operator_at, &v.in_view, &v.note].into_iter().filter(|s| !s.is_empty()).cloned();
                Line {
                    about: format!("station {}", self.name(&v.station)),
                    what: found.chain(said).collect::<Vec<_>>().join("; "),
                    height: v.height.and_then(|h| h.upright()),
                    took: v.started.zip(v.ended).map(|(a, b)| (b - a).num_seconds() as f64),
                }
            }
            FactDto::Tick(t) => {
                plain(format!("check {}", t.item), format!("{} {}", if t.done { "seen to" } else { "not so" }, t.note))
            }
            FactDto::Note(n) => {
                let of = n.pin.map(|p| p.scan).or(n.station);
                let at = of.map_or_else(String::new, |s| format!(" at {}", self.name(&s)));
                plain(format!("note{at}"), format!("{}{}", if n.hazard { "HAZARD: " } else { "" }, n.text))
            }
            FactDto::Occupied(o) => Line {
                height: Some(o.pole),
                ..plain(format!("mark {}", o.mark), e.occupied.as_ref().map_or_else(String::new, |c| c.said.clone()))
            },
            FactDto::Instrument(c) => {
                let errors =
                    e.errors.iter().map(|f| format!("{}: {}", words::parameter(f.parameter), f.said.join(", ")));
                let said: Vec<String> = errors.chain([c.decision.clone()]).filter(|s| !s.is_empty()).collect();
                plain(format!("instrument {}", c.instrument), said.join("; "))
            }
            FactDto::PowerLost(p) => {
                let after = p.after.as_ref().map_or_else(String::new, |s| format!(" after {}", self.name(s)));
                plain(format!("power lost{after}"), p.note.clone())
            }
            FactDto::Shots(s) => {
                let over =
                    s.over.as_ref().map_or_else(|| "free station".to_owned(), |o| format!("set-up over {}", o.mark));
                let found = e.set_up.as_ref();
                let said = found.map(|f| f.said.join("; ")).into_iter();
                let points = found.map_or(&[][..], |f| &f.points).iter().map(|p| format!("{}: {}", p.name, p.said));
                Line {
                    height: s.over.as_ref().map(|o| o.height),
                    ..plain(over, said.chain(points).collect::<Vec<_>>().join("; "))
                }
            }
            FactDto::Measured(m) => {
                let one = |[v, e]: [Option<f64>; 2]| {
                    let known = e.map_or_else(|| "?".into(), |e| self.length(e));
                    format!("{} ± {known}", v.map_or_else(|| "?".into(), |v| self.length(v)))
                };
                let unit = self.brief.unit().code();
                let what = format!(
                    "slope {}, horizontal {}, vertical {} {unit} (95 %)",
                    one(m.slope),
                    one(m.horizontal),
                    one(m.vertical)
                );
                plain(format!("length {}", m.name), what)
            }
            FactDto::Camera(c) => {
                let doubts = e.camera.clone().unwrap_or_default();
                let said = if doubts.is_empty() { "valid".into() } else { doubts.join("; ") };
                plain(format!("camera {}", c.mounting), said)
            }
            FactDto::Policy(p) => {
                let when = p.weeks.map_or_else(|| format!("{:?}", p.when), |w| format!("after {w:.0} weeks"));
                plain(format!("policy of {}", p.instrument), when)
            }
            FactDto::ByHand(b) => plain(
                "figures by hand".into(),
                format!("{:.1} min a length, {:.1} min a tie", b.length / 60.0, b.tie / 60.0),
            ),
        }
    }
}

/// The record as a table.
pub(crate) async fn table(app: &App, job: Uuid) -> Result<Vec<u8>, ApiError> {
    let read = Read::load(app, job).await?;
    let height = format!("height [{}]", read.brief.unit().code());
    let head = [
        "time",
        "who",
        "device",
        "clock ahead [s]",
        "about",
        "state",
        "what",
        &height,
        "took [min]",
        "remarks",
        "id",
        "follows",
    ];
    let rows = read.entries.iter().map(|e| {
        let line = read.line(e);
        vec![
            e.at.format("%Y-%m-%dT%H:%M:%SZ").to_string(),
            e.by.clone(),
            e.device.clone(),
            format!("{:.0}", e.ahead),
            line.about,
            if e.stands { "stands" } else { "corrected" }.to_owned(),
            line.what,
            line.height.map_or_else(String::new, |h| read.length(h)),
            line.took.map_or_else(String::new, |t| format!("{:.1}", t / 60.0)),
            e.remarks.join("; "),
            e.id.to_string(),
            e.follows.iter().map(Uuid::to_string).collect::<Vec<_>>().join(" "),
        ]
    });
    crate::deliver::csv(std::iter::once(head.map(str::to_owned).to_vec()).chain(rows))
}

/// Notes that are to be in the report: when, who, where, what.
pub(crate) async fn for_report(app: &App, job: Uuid) -> Result<Vec<[String; 4]>, ApiError> {
    let read = Read::load(app, job).await?;
    let row = |e: &EntryDto| match &e.fact {
        FactDto::Note(n) if n.in_report && e.stands => {
            let l = read.line(e);
            let at = l.about.strip_prefix("note at ").unwrap_or("–").to_owned();
            Some([e.at.format("%Y-%m-%d %H:%M").to_string(), e.by.clone(), at, l.what])
        }
        _ => None,
    };
    Ok(read.entries.iter().filter_map(row).collect())
}

/// The record on paper: what stands, kind by kind, then everything in the order in which it came in.
pub(crate) async fn paper(app: &App, job: Uuid) -> Result<Vec<u8>, ApiError> {
    let read = Read::load(app, job).await?;
    super::blocking(move || vistazo_report::typeset(&report(&read)).map_err(|e| ApiError::conflict(e.to_string())))
        .await?
}

fn report(read: &Read) -> Report {
    let unit = read.brief.unit().code();
    let stands = |of: fn(&FactDto) -> bool| read.entries.iter().filter(move |e| e.stands && of(&e.fact));
    let time = |e: &EntryDto| e.at.format("%m-%d %H:%M").to_string();
    let section = |heading: &str, columns: &[&str], words: usize, rows: Vec<Vec<String>>| Section {
        heading: heading.into(),
        note: if rows.is_empty() { "None.".into() } else { String::new() },
        columns: columns.iter().map(ToString::to_string).collect(),
        words,
        rows,
    };
    let visits: Vec<Vec<String>> = stands(|f| matches!(f, FactDto::Visit(_)))
        .map(|e| {
            let l = read.line(e);
            let height = l.height.map_or_else(|| "–".into(), |h| read.length(h));
            let took = l.took.map_or_else(|| "–".into(), |t| format!("{:.1}", t / 60.0));
            vec![time(e), e.by.clone(), l.about, [l.what, e.remarks.join("; ")].join(" "), height, took]
        })
        .collect();
    let rest = |of: fn(&FactDto) -> bool| -> Vec<Vec<String>> {
        stands(of)
            .map(|e| {
                let l = read.line(e);
                vec![time(e), e.by.clone(), l.about, l.what]
            })
            .collect()
    };
    let all = read.entries.iter().map(|e| {
        let l = read.line(e);
        let state = if e.stands { "stands" } else { "corrected" };
        vec![
            e.at.format("%Y-%m-%d %H:%M:%S").to_string(),
            e.by.clone(),
            e.device.clone(),
            l.about,
            state.into(),
            l.what,
        ]
    });
    let four = ["time", "who", "about", "what"];
    let mark = if read.simulated { "SIMULATED · " } else { "" };
    Report {
        title: read.job.clone(),
        subtitle: format!(
            "{mark}Field record · {} entries · made {} UTC",
            read.entries.len(),
            chrono::Utc::now().format("%Y-%m-%d %H:%M")
        ),
        facts: vec![
            ("Client".into(), read.brief.client.clone()),
            ("Site".into(), read.brief.site.clone()),
            ("Lengths".into(), format!("{unit}; times are those of the server, UTC")),
            ("Instrument".into(), read.brief.instrument.name.clone()),
        ],
        sections: vec![
            section("Notes and hazards", &four, 4, rest(|f| matches!(f, FactDto::Note(_)))),
            section("Stations", &["time", "who", "station", "found", &format!("height [{unit}]"), "min"], 4, visits),
            section(
                "Control, lengths",
                &four,
                4,
                rest(|f| matches!(f, FactDto::Occupied(_) | FactDto::Shots(_) | FactDto::Measured(_))),
            ),
            section(
                "Checks",
                &four,
                4,
                rest(|f| {
                    matches!(f, FactDto::Instrument(_) | FactDto::Camera(_) | FactDto::Tick(_) | FactDto::PowerLost(_))
                }),
            ),
            section(
                "Everything, in the order in which it came in",
                &["time", "who", "device", "about", "", "what"],
                6,
                all.collect(),
            ),
        ],
        foot: format!(
            "{mark}{} · nothing of this record was changed after it was written; corrections follow what they correct",
            read.job
        ),
        ..Report::default()
    }
}
