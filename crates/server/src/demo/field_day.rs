//! The second job of the demo: a small building that nobody scanned yet, planned, with control, for a day in the field by
//! the simulated instruments.

use super::add;
use crate::App;
use crate::dto::{Brief, FactDto, JournalSent, NewEntryDto, NoteDto, OpeningDto, PlanData, RequirementDto};
use vistazo_core::geometry::Vec3;
use vistazo_store::Uuid;
use vistazo_store::jobs::{self, PlanEdit};
use vistazo_store::new_id;
use vistazo_store::results::{self, NewControl};

/// Plan coordinates lie so far below those of the local grid, metres.
const ORIGIN: [f64; 3] = [2000.0, 5000.0, 30.0];
/// Heights of instruments over marks, metres.
const HEIGHT: f64 = 1.65;

type Opening = (&'static str, f64, f64, f64, f64);
/// Name, vertices, top, openings (name, at, width, sill, head), metres.
type Wall = (&'static str, &'static [[f64; 2]], f64, &'static [Opening]);
const WALLS: [Wall; 3] = [
    (
        "Signal box",
        &[[0.0, 0.0], [12.0, 0.0], [12.0, 6.5], [0.0, 6.5], [0.0, 0.0]],
        3.2,
        &[("Yard door", 3.0, 1.2, 0.0, 2.2), ("Windows", 6.0, 4.0, 0.9, 2.4), ("Track door", 24.0, 1.2, 0.0, 2.2)],
    ),
    ("Partition", &[[7.5, 0.0], [7.5, 6.5]], 3.2, &[("Inner door", 2.6, 1.0, 0.0, 2.1)]),
    ("Coal stage", &[[-7.0, 9.5], [10.0, 10.5]], 2.1, &[]),
];
/// Stations and the mark that each stands over.
const STATIONS: [(&str, [f64; 3], Option<&str>); 5] = [
    ("S1", [3.6, -4.5, HEIGHT], Some("M1")),
    ("S2", [3.7, 3.2, 1.7], None),
    ("S3", [9.7, 3.0, 1.7], None),
    ("S4", [8.0, 8.4, 1.6], None),
    ("S5", [-3.6, 4.2, HEIGHT], Some("M2")),
];
/// Name, kind, place, whether the list of control has it, where a board looks (radians clockwise from north).
type Target = (&'static str, &'static str, [f64; 3], bool, Option<f64>);
const TARGETS: [Target; 16] = [
    ("M1", "mark", [3.6, -4.5, 0.0], true, None),
    ("M2", "mark", [-3.6, 4.2, 0.0], false, None),
    ("CP1", "checker", [-6.0, -6.0, 1.4], true, None),
    ("CP2", "checker", [10.5, -7.0, 1.9], true, None),
    ("CP3", "checker", [-6.5, 8.9, 1.2], true, None),
    ("CP4", "checker", [16.0, 8.0, 1.7], true, None),
    ("CP5", "checker", [4.2, 9.8, 1.5], true, None),
    ("CP6", "checker", [8.5, -0.6, 1.6], true, Some(3.9)),
    ("T1", "sphere", [1.2, 1.0, 1.1], false, None),
    ("T2", "sphere", [6.4, 5.4, 1.8], false, None),
    ("T3", "sphere", [3.6, 0.6, 0.4], false, None),
    ("T4", "sphere", [8.6, 5.2, 0.9], false, None),
    ("T5", "sphere", [11.2, 1.2, 1.5], false, None),
    ("T6", "sphere", [-3.0, -2.0, 1.3], false, None),
    ("T7", "sphere", [-2.5, 8.0, 1.6], false, None),
    ("T8", "sphere", [-8.0, 1.0, 1.4], false, None),
];

pub(super) async fn make(app: &App, surveyor: Uuid) -> anyhow::Result<Uuid> {
    let job =
        jobs::create(&app.db, surveyor, "Corvane signal box", &serde_json::json!(brief()), Some("plan")).await?.id;
    let (edits, hazard_at) = plan();
    jobs::edit_plan(&app.db, job, &edits).await?;
    let known = TARGETS.iter().filter(|t| t.3).map(|(name, _, p, ..)| {
        let at = Vec3::from(ORIGIN) + Vec3::from(*p);
        NewControl {
            name: (*name).to_owned(),
            e: Some(at.x),
            n: Some(at.y),
            h: Some(at.z),
            sigma_e: 0.002,
            sigma_n: 0.002,
            sigma_v: 0.002,
            // one is held back to show how good it is
            is_check: *name == "CP5",
            target: None,
        }
    });
    results::put_control(&app.db, job, &known.collect::<Vec<_>>(), true).await?;
    let note = NoteDto {
        note: new_id(),
        text: "Signal wires cross the path at knee height: lift the tripod over, legs closed".into(),
        hazard: true,
        place: Some(hazard_at),
        in_report: true,
        ..NoteDto::default()
    };
    let entry =
        NewEntryDto { id: new_id(), fact: FactDto::Note(note), follows: Vec::new(), taken_at: chrono::Utc::now() };
    let sent = JournalSent { device: "Walk round the site".into(), sent_at: chrono::Utc::now(), entries: vec![entry] };
    let kept = crate::work::journal::keep(app, job, surveyor, &sent).await;
    kept.map_err(|e| anyhow::anyhow!("the note of the signal box: {e:?}"))?;
    jobs::note(&app.db, job, Some(surveyor), "created the demo's field day").await?;
    Ok(job)
}

fn brief() -> Brief {
    Brief {
        client: "Corvane Heritage Trust".into(),
        site: "Corvane signal box, north of the roundhouse: two rooms, a yard, a coal stage".into(),
        purpose: "As-built survey; a day in the field with simulated instruments".into(),
        hazards: "Signal wires at knee height. Loose boards on the stair: stay on the ground floor.".into(),
        origin: ORIGIN,
        requirement: RequirementDto { horizontal95: Some(0.006), vertical95: Some(0.006), ..RequirementDto::default() },
        sphere_diameter: Some(0.2),
        checker_side: Some(0.4),
        tie_by_clouds: true,
        ..Brief::default()
    }
}

/// The plan, and where the hazard lies on it.
fn plan() -> (Vec<PlanEdit>, [f64; 2]) {
    let mut edits = Vec::new();
    for (name, line, top, openings) in WALLS {
        let opening =
            |&(name, at, width, sill, head): &Opening| OpeningDto { name: name.into(), at, width, sill, head };
        let data = PlanData {
            name: name.into(),
            line: line.to_vec(),
            top,
            openings: openings.iter().map(opening).collect(),
            required_spacing: Some(0.01),
            ..PlanData::default()
        };
        add(&mut edits, "wall", &data);
    }
    let ceiling = PlanData { name: "Ceiling".into(), line: WALLS[0].1[..4].to_vec(), base: 3.2, ..PlanData::default() };
    add(&mut edits, "floor", &ceiling);
    let mut marks: Vec<(&str, Uuid)> = Vec::new();
    for (name, kind, position, _, facing) in TARGETS {
        let is_known = name.starts_with(['C', 'M']);
        let data = PlanData {
            name: name.into(),
            position,
            target: Some(kind.into()),
            facing,
            control_sigma: is_known.then_some([0.002, 0.002]),
            ..PlanData::default()
        };
        marks.push((name, add(&mut edits, "target", &data)));
    }
    for (name, position, over) in STATIONS {
        let mark = over.and_then(|o| marks.iter().find(|m| m.0 == o));
        let data = PlanData {
            name: name.into(),
            position,
            over: mark.map(|m| m.1),
            instrument_height: mark.map(|_| HEIGHT),
            ..PlanData::default()
        };
        add(&mut edits, "station", &data);
    }
    (edits, [0.5, -2.4])
}
