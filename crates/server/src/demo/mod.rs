//! The demo: invented people, an invented site with scans by the simulator, and a small one that waits for its field day.

mod days;
mod field_day;
mod fit_out;
mod photographs;
mod walks;

use crate::dto::{Brief, DeliverableWord as Asked, OpeningDto, PlanData, RequirementDto};
use crate::tasks::{Work, queue};
use crate::{App, auth};
use vistazo_store::Uuid;
use vistazo_store::jobs::{self, PlanEdit, Role};
use vistazo_store::people;

/// Addresses, names and roles of the demo's people; they share one password.
pub const PEOPLE: [(&str, &str, Role); 4] = [
    ("olin@corvane.example", "Olin Varga", Role::Owner),
    ("sera@corvane.example", "Sera Lindqvist", Role::Surveyor),
    ("rafe@corvane.example", "Rafe Okonkwo", Role::Reviewer),
    ("cleo@corvane.example", "Cleo Marchetti", Role::Client),
];
/// The password of the demo's people.
pub const PASSWORD: &str = "turntable-1897";

/// Makes the people, the job, its plan and its control, and queues the scans. Does nothing when
/// there is anybody already.
///
/// # Errors
/// When the store fails.
pub async fn load(app: &App) -> anyhow::Result<()> {
    if people::user_count(&app.db).await? > 0 {
        return Ok(());
    }
    let hash = auth::hash_password(PASSWORD)?;
    let mut users = Vec::new();
    for (email, name, role) in PEOPLE {
        users.push((people::add_user(&app.db, email, name, &hash).await?, role));
    }
    let house = vistazo_sim::roundhouse();
    let brief = brief(&house);
    let job = jobs::create(&app.db, users[0].0.id, "Corvane Roundhouse", &serde_json::json!(brief), Some("roundhouse"))
        .await?;
    for (user, role) in &users[1..] {
        jobs::set_member(&app.db, job.id, user.id, Some(*role)).await?;
    }
    let edits = plan(&house);
    jobs::edit_plan(&app.db, job.id, &edits).await?;
    jobs::note(&app.db, job.id, Some(users[0].0.id), "created the demo job").await?;
    fit_out::add(app, job.id, users[1].0.id, &house).await?;
    photographs::add(app, job.id, users[1].0.id, &house).await?;
    let small = field_day::make(app, users[1].0.id).await?;
    jobs::set_member(&app.db, small, users[0].0.id, Some(Role::Surveyor)).await?;
    jobs::set_member(&app.db, small, users[2].0.id, Some(Role::Reviewer)).await?;
    for e in edits.iter().filter(|e| e.kind == "station") {
        let log = serde_json::json!({
            "operator": "Sera Lindqvist", "instrument_height": e.data["position"][2], "note": "",
            "settings": format!("{}, {:.2} mrad", house.instrument.name, house.instrument.step * 1e3), "time": chrono::Utc::now(),
        });
        let name = e.data["name"].as_str().unwrap_or_default().to_owned();
        queue(app, job.id, &Work::Scan { station: e.id, log, name }, Some(users[1].0.id)).await?;
    }
    let wing = edits.iter().find(|e| e.kind == "area").map(|e| e.id);
    days::add(app, job.id, users[1].0.id, wing).await?;
    walks::add(app, job.id, users[1].0.id).await?;
    Ok(())
}

/// What the client asks for.
fn brief(house: &vistazo_sim::Roundhouse) -> Brief {
    Brief {
        client: "Corvane Heritage Trust".into(),
        site: "Corvane Roundhouse: locomotive shed around a turntable, yard to the south, workshop wing to the east".into(),
        purpose: "As-built survey for the conversion into a museum".into(),
        hazards: "Turntable pit: fall edge, stay behind the rope. Uneven sleepers in the yard. Laser class 1 in use: do not look into the beam with optics.".into(),
        epsg: Some(25832),
        origin: house.origin.into(),
        requirement: RequirementDto { horizontal95: Some(0.005), vertical95: Some(0.005), spatial95: Some(0.006), check_rmse: Some(0.006) },
        sphere_diameter: Some(0.2),
        checker_side: Some(0.4),
        // the ring is held by its targets, the wing by what its scans show
        tie_by_clouds: true,
        deliverables: vec![Asked::Laz, Asked::E57, Asked::WalkThrough, Asked::FloorPlans, Asked::Elevations, Asked::Ground, Asked::Features, Asked::Solids],
        ..Brief::default()
    }
}

/// One more thing on a plan; its identifier.
fn add(edits: &mut Vec<PlanEdit>, kind: &str, data: &PlanData) -> Uuid {
    let id = vistazo_store::new_id();
    edits.push(PlanEdit { id, kind: kind.into(), data: serde_json::json!(data), version: None, deleted: false });
    id
}

/// Site, stations and targets as they were planned.
fn plan(house: &vistazo_sim::Roundhouse) -> Vec<PlanEdit> {
    let mut edits = Vec::new();
    let mut add = |kind: &str, data: PlanData| add(&mut edits, kind, &data);
    let line = |l: &[nalgebra::Vector2<f64>]| l.iter().map(|p| [p.x, p.y]).collect();
    for (i, w) in house.scene.site.walls.iter().enumerate() {
        add(
            "wall",
            PlanData {
                name: format!("Wall {}", i + 1),
                line: line(&w.line),
                base: w.base,
                top: w.top,
                openings: w
                    .openings
                    .iter()
                    .map(|o| OpeningDto { name: o.name.clone(), at: o.at, width: o.width, sill: o.sill, head: o.head })
                    .collect(),
                required_spacing: w.demand.map(|d| d.spacing),
                ..PlanData::default()
            },
        );
    }
    for (i, o) in house.scene.site.obstacles.iter().enumerate() {
        add(
            "obstacle",
            PlanData {
                name: format!("{} {}", if i < 3 { "Crates" } else { "Fittings" }, i + 1),
                line: line(&o.outline),
                base: o.base,
                top: o.top,
                ..PlanData::default()
            },
        );
    }
    for (i, f) in house.scene.site.slabs.iter().enumerate() {
        let outline = line(&f.outline);
        add(
            "floor",
            PlanData { name: format!("Ceiling {}", i + 1), line: outline, base: f.height, ..PlanData::default() },
        );
    }
    for (i, c) in house.scene.site.columns.iter().enumerate() {
        add(
            "column",
            PlanData {
                name: format!("Column {}", i + 1),
                position: [c.centre.x, c.centre.y, c.base],
                radius: Some(c.radius),
                base: c.base,
                top: c.top,
                ..PlanData::default()
            },
        );
    }
    // errors within a room are asked for on the ring; what the wing is converted by bears more
    let wing = vec![[27.0, -14.2], [46.6, -14.2], [46.6, 2.0], [27.0, 2.0]];
    add(
        "area",
        PlanData {
            name: "Workshop wing".into(),
            line: wing,
            area: Some("limits".into()),
            horizontal95: Some(0.008),
            vertical95: Some(0.008),
            spatial95: Some(0.010),
            ..PlanData::default()
        },
    );
    for w in walks::planned() {
        add("walk", w);
    }
    for (name, p) in &house.stations {
        add(
            "station",
            PlanData { name: name.clone(), position: (*p).into(), photographs: true, ..PlanData::default() },
        );
    }
    for (i, (name, p, sphere)) in house.targets.iter().enumerate() {
        let control = house.control.iter().any(|c| c.2 == i);
        add(
            "target",
            PlanData {
                name: name.clone(),
                position: (*p).into(),
                target: Some(if *sphere { "sphere" } else { "checker" }.into()),
                facing: house.scene.boards.iter().find(|b| b.centre == *p).map(|b| b.normal.x.atan2(b.normal.y)),
                control_sigma: control.then_some([house.control_sigma.x, house.control_sigma.z]),
                ..PlanData::default()
            },
        );
    }
    for (name, p, _) in &house.nails {
        add(
            "target",
            PlanData {
                name: name.clone(),
                position: (*p).into(),
                target: Some("mark".into()),
                control_sigma: Some([house.control_sigma.x, house.control_sigma.z]),
                ..PlanData::default()
            },
        );
    }
    edits
}

/// The demo's control file, as the surveyor of the control would hand it over.
pub fn control_file() -> String {
    let house = vistazo_sim::roundhouse();
    let mut out = "# Corvane Roundhouse, control by total station, made up\nName;Easting;Northing;Height\n".to_owned();
    let control = house.control.iter().map(|c| (&c.0, &c.1));
    for (name, p) in control.chain(house.nails.iter().map(|n| (&n.0, &n.2))) {
        out += &format!("{name};{:.4};{:.4};{:.4}\n", p.x, p.y, p.z);
    }
    out
}
