//! A tie at once on site: two scans of full size brought together while nothing else goes on, and while a third arrives.
#[path = "../../crates/sim/tests/truth/sites/mod.rs"]
mod sites;

use chrono::Utc;
use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use std::time::Instant;
use vistazo_core::instrument::Instrument;
use vistazo_sim::{SmallJob, Truth, set_up_near};
use vistazo_tests::{Client, Server, job};

const ROUNDS: usize = 3;

async fn tie(c: &Client, id: &str, scan: &Value, to: &Value) -> f64 {
    let began = Instant::now();
    let asked = json!({ "scan": scan["id"], "to": to["id"] });
    let task = c.ok("POST", &format!("/api/jobs/{id}/field/tie"), asked).await;
    let done = c.wait_within(id, &task, 120).await;
    assert_eq!(done["state"], "done", "{done}");
    began.elapsed().as_secs_f64()
}

/// Waits until nothing is at work.
async fn quiet(c: &Client, id: &str) {
    let at_work = |t: &Value| ["queued", "running"].iter().any(|s| t["state"] == *s);
    let path = format!("/api/jobs/{id}/tasks");
    while c.ok("GET", &path, Value::Null).await.as_array().unwrap().iter().any(at_work) {
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
}

#[tokio::main]
pub(crate) async fn main() {
    let server = Server::start_with(vec![("VISTAZO_MAX_UPLOAD", "4000000000".into())]).await;
    let c = server.person("tove").await;
    let instrument = Instrument { step: 0.0011, ..Instrument::mid_range() };
    let plan = sites::rooms(&mut ChaCha8Rng::seed_from_u64(3));
    let poses = plan.3.iter().enumerate().map(|(k, p)| set_up_near(*p, &instrument, 30 + k as u64)).collect();
    let site = SmallJob { scene: sites::scene(&plan), truth: Truth { poses }, instrument };
    let mut brief = job::brief(&site);
    brief["epsg"] = Value::Null;
    let id = c.ok("POST", "/api/jobs", json!({ "name": "Tie at once", "brief": brief })).await["id"].clone();
    let id = id.as_str().unwrap().to_owned();
    let station = uuid::Uuid::now_v7();
    let note = json!({ "kind": "visit", "data": { "station": station } });
    let sent = json!({ "id": uuid::Uuid::now_v7(), "fact": note, "follows": [], "taken_at": Utc::now() });
    let data = json!({ "name": "S1", "position": [0.0, 0.0, 1.6] });
    let item = json!([{ "id": station, "kind": "station", "data": data, "version": null, "deleted": false }]);
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), item).await;
    let journal = json!({ "device": "Tablet", "sent_at": Utc::now(), "entries": [sent] });
    c.ok("POST", &format!("/api/jobs/{id}/field/journal"), journal).await;
    for k in 0..2 {
        c.upload(&id, &format!("S{k}.e57"), job::e57(&site, &[k])).await;
    }
    quiet(&c, &id).await;
    let scans = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
    println!("two scans of {} and {} points", scans[0]["points"], scans[1]["points"]);
    let mut alone = Vec::new();
    for _ in 0..ROUNDS {
        alone.push(tie(&c, &id, &scans[1], &scans[0]).await);
    }
    println!("tied at once, nothing else going on: {alone:.1?} s");
    let mut beside = Vec::new();
    for k in 0..ROUNDS {
        let third = job::e57(&site, &[2]);
        let began = Instant::now();
        let task = c.send(&id, &format!("T{k}.e57"), third).await.unwrap();
        beside.push(tie(&c, &id, &scans[1], &scans[0]).await);
        c.wait_within(&id, &task, 300).await;
        let arrived = began.elapsed().as_secs_f64();
        quiet(&c, &id).await;
        let tied = began.elapsed().as_secs_f64();
        println!("  the third was there {arrived:.1} s after it was sent, and tied after {tied:.1} s");
    }
    println!("tied at once while a third scan arrives: {beside:.1?} s");
}
