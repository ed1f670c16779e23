//! A works of bays without a single target or control point: its scans from upload to package at the page, a day's work
//! that is held, and what a power loss left behind set apart and taken in again. Twenty-four bays; `VISTAZO_BAYS=8x5` takes
//! forty, which needs nine minutes.

#[path = "../../../crates/sim/tests/truth/sites/mod.rs"]
mod sites;

use rand::SeedableRng;
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use std::io::Read;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_sim::{SmallJob, Truth, set_up_near};
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server, job};

/// Bays along and across.
fn bays() -> (usize, usize) {
    let asked = std::env::var("VISTAZO_BAYS").ok();
    let read = |s: String| s.split_once('x').and_then(|(a, b)| Some((a.parse().ok()?, b.parse().ok()?)));
    asked.and_then(read).unwrap_or((6, 4))
}

fn works() -> (SmallJob, Vec<Vec3>) {
    let instrument = Instrument { step: 0.006, name: "Coarse test setting".into(), ..Instrument::mid_range() };
    let plan = sites::works(&mut ChaCha8Rng::seed_from_u64(40), bays());
    let poses = plan.3.iter().enumerate().map(|(k, p)| set_up_near(*p, &instrument, 70 + k as u64)).collect();
    (SmallJob { scene: sites::scene(&plan), truth: Truth { poses }, instrument }, plan.3)
}

#[tokio::test]
async fn scans_without_a_target_from_upload_to_package() {
    let server = Server::start().await;
    let c = server.person("ruth").await;
    let (job, planned) = works();
    let scans = planned.len();
    let folder = tempfile::tempdir().unwrap();
    let paths: Vec<_> = (0..scans).map(|k| folder.path().join(format!("R{}.e57", k + 1))).collect();
    std::thread::scope(|s| {
        for half in [0, 1] {
            let (job, paths) = (&job, &paths);
            s.spawn(move || {
                (half..scans).step_by(2).for_each(|k| std::fs::write(&paths[k], job::e57(job, &[k])).unwrap())
            });
        }
    });
    let mut brief = job::brief(&job);
    brief["epsg"] = Value::Null;
    let id = c.ok("POST", "/api/jobs", json!({ "name": "Bays", "brief": brief })).await["id"].clone();
    let id = id.as_str().unwrap().to_owned();
    // they stand where they were planned, up to what a tripod is beside its place
    let station = |(k, at): (usize, &Vec3)| {
        let data = json!({ "name": format!("R{}", k + 1), "position": [at.x, at.y, at.z], "base": 0.0, "top": 0.0 });
        json!({ "id": uuid::Uuid::now_v7(), "kind": "station", "data": data, "version": null, "deleted": false })
    };
    let planned: Vec<Value> = planned.iter().enumerate().map(station).collect();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(planned)).await;

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/field", server.url)).await.unwrap();
    b.see("//main//input[@type='file']/..").await;
    b.choose("//main", &paths).await;
    b.press(&format!("Upload {scans} files")).await;
    let began = std::time::Instant::now();
    b.see_within("//table[@aria-label='Scans']/tbody[count(tr) >= 12]", 600).await;
    while c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await.as_array().unwrap().len() < scans {
        assert!(began.elapsed().as_secs() < 900, "the scans do not arrive");
        tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    }
    println!("{scans} scans arrived after {:.0} s", began.elapsed().as_secs_f64());
    let began = std::time::Instant::now();
    b.sheet("Register").await;
    b.press("Find targets and adjust").await;
    // away from the view of the clouds, which costs a machine without a graphics card half of its time
    b.sheet("Brief").await;
    println!("{}", ended(&c, &id, 1).await["message"]);
    b.sheet("Register").await;
    b.see_within("//figcaption[contains(., ' stations')]", 60).await;
    println!("registered after {:.0} s", began.elapsed().as_secs_f64());
    // a tie that does not agree with the rest is left out, as the page proposes
    for again in 2..5 {
        let findings =
            c.ok("GET", &format!("/api/jobs/{id}/adjustment"), Value::Null).await["result"]["findings"].clone();
        if !findings.to_string().contains("A tie by clouds of") {
            break;
        }
        b.press("Leave it out").await;
        b.sheet("Brief").await;
        ended(&c, &id, again).await;
        b.sheet("Register").await;
    }
    agrees_with(&c, &id, &job, scans).await;
    packaged(&b, scans).await;
    held_and_apart(&c, &b, &id, &job).await;
    b.close().await;
}

/// The so manieth registration of a job, when it has ended.
async fn ended(c: &Client, id: &str, which: usize) -> Value {
    for _ in 0..120 {
        let tasks = c.ok("GET", &format!("/api/jobs/{id}/tasks"), Value::Null).await;
        let mut all: Vec<&Value> = tasks.as_array().unwrap().iter().filter(|t| t["kind"] == "register").collect();
        all.sort_by_key(|t| t["created_at"].to_string());
        if let Some(task) = all.get(which - 1) {
            return c.wait_within(id, task, 900).await;
        }
        tokio::time::sleep(std::time::Duration::from_millis(500)).await;
    }
    panic!("registration {which} was not begun");
}

/// Stations against the truth, between each two of them, by what is stated. One or two that are seen through one gate
/// may have no place; nobody forces them, and they are named.
async fn agrees_with(c: &Client, id: &str, job: &SmallJob, all: usize) {
    let result = c.ok("GET", &format!("/api/jobs/{id}/adjustment"), Value::Null).await["result"].clone();
    assert_eq!(result["refused"], Value::Null, "{}", result["refused"]);
    let stations = result["stations"].as_array().unwrap().clone();
    assert!(stations.len() + 2 >= all && stations.len() <= all, "{} of {all} have a place", stations.len());
    println!("{} of {all} scans have a place", stations.len());
    let number = |s: &Value| s["name"].as_str().unwrap()[1..].parse::<usize>().unwrap() - 1;
    let at = |s: &Value| Vec3::from(serde_json::from_value::<[f64; 3]>(s["pose"]["translation"].clone()).unwrap());
    let (mut worst, mut outside, mut count) = (0.0_f64, 0, 0);
    for (i, a) in stations.iter().enumerate() {
        for s in &stations[i + 1..] {
            let [p, q] = [a, s].map(|x| job.truth.poses[number(x)].translation);
            let off = ((at(a) - at(s)).norm() - (p - q).norm()).abs();
            let stated = a["error"]["spatial"].as_f64().unwrap() + s["error"]["spatial"].as_f64().unwrap();
            worst = worst.max(off);
            outside += usize::from(off > stated);
            count += 1;
        }
    }
    println!(
        "{} stations: {outside} of {count} distances beyond what is stated, worst {:.1} mm",
        stations.len(),
        1e3 * worst
    );
    assert!(worst < 0.02 && outside * 20 <= count, "{worst} m, {outside} of {count}");
}

/// No control: the block stays in a system of its own, and is handed over as such.
async fn packaged(b: &Browser, scans: usize) {
    b.sheet("Georeference").await;
    b.press("Keep it in its own system").await;
    b.see("//*[contains(., 'The block in a system of its own')]").await;
    b.sheet("Deliver").await;
    b.press("Make package").await;
    b.see_within("//a[.='Download package']", 300).await.click().await.unwrap();
    let bytes = b.download(".zip").await;
    let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes)).unwrap();
    let mut text = String::new();
    zip.by_name("manifest.json").unwrap().read_to_string(&mut text).unwrap();
    let manifest: Value = serde_json::from_str(&text).unwrap();
    assert!(manifest["reference"].as_str().unwrap().contains("system of its own"), "{}", manifest["reference"]);
    let mut poses = String::new();
    zip.by_name("transforms.csv").unwrap().read_to_string(&mut poses).unwrap();
    let named = (1..=scans).filter(|k| poses.contains(&format!("R{k},"))).count();
    assert!(named + 2 >= scans, "{named} scans are handed over: {poses}");
}

/// The block is registered again, however long that takes.
async fn registered(c: &Client, id: &str) {
    let (status, task) = c.call("POST", &format!("/api/jobs/{id}/register"), Value::Null).await;
    // the page may have begun it already
    let task = if status == 409 {
        let all = c.ok("GET", &format!("/api/jobs/{id}/tasks"), Value::Null).await;
        let runs =
            |t: &&Value| t["kind"] == "register" && ["queued", "running"].contains(&t["state"].as_str().unwrap());
        let Some(task) = all.as_array().unwrap().iter().find(runs).cloned() else { return };
        task
    } else {
        task
    };
    c.wait_within(id, &task, 900).await;
}

/// The first day is held and the last scans are set apart at the page; the one keeps its shape, the others are not in the
/// result and nobody forces them, until they are taken in again.
async fn held_and_apart(c: &Client, b: &Browser, id: &str, job: &SmallJob) {
    const DAY: usize = 10;
    const LEFT: usize = 6;
    let count = job.truth.poses.len();
    let base = format!("/api/jobs/{id}");
    let scans = c.ok("GET", &format!("{base}/scans"), Value::Null).await;
    let ids = |of: std::ops::Range<usize>| -> Vec<Value> { of.map(|k| scans[k]["id"].clone()).collect() };
    let poses = async || -> Vec<Pose> {
        let r = c.ok("GET", &format!("{base}/adjustment"), Value::Null).await["result"].clone();
        let of = |s: &Value| Pose {
            translation: serde_json::from_value::<[f64; 3]>(s["pose"]["translation"].clone()).unwrap().into(),
            ..Pose::identity()
        };
        r["stations"].as_array().unwrap().iter().map(of).collect()
    };
    let before = poses().await;
    c.ok("POST", &format!("{base}/scan-groups"), json!({ "name": "First day", "scans": ids(0..DAY), "hold": "held" }))
        .await;
    let taken = json!({ "name": "Again", "scans": ids(3..5), "hold": "free" });
    assert!(c.refused(409, "POST", &format!("{base}/scan-groups"), taken).await.contains("First day"));
    // at the page: from one scan on
    b.sheet("Register").await;
    b.click("//*[contains(@class, 'ant-segmented-item')][.//*[.='groups']]").await;
    b.see("//table[@aria-label='groups of scans']//b[.='held']").await;
    b.see("//input[@id='group-name']").await.send_keys("After the battery").await.unwrap();
    let from = scans[count - LEFT]["name"].as_str().unwrap();
    let choice = b.see("//input[@id='group-scans']").await;
    choice.send_keys(from).await.unwrap();
    choice.send_keys("\u{E007}\u{E00C}").await.unwrap();
    b.press("and all that were taken after it").await;
    b.click("//form//*[contains(@class, 'ant-segmented-item')][.//*[.='set apart']]").await;
    b.press("Take together").await;
    b.see("//table[@aria-label='groups of scans']//b[.='apart']").await;
    b.see_within(
        "//section[contains(@aria-label, 'set apart')] | //*[contains(., 'was set apart with its group')]",
        120,
    )
    .await;
    b.sheet("Brief").await;
    registered(c, id).await;
    b.sheet("Register").await;
    agrees_with(c, id, job, count - LEFT).await;
    let now = poses().await;
    let between = |p: &[Pose], k: usize| (p[0].translation - p[k].translation).norm();
    for k in 1..DAY {
        let off = between(&before, k) - between(&now, k);
        assert!(off.abs() < 1e-4, "scan {k} of the held day moved by {off} m");
    }
    if b.page.find(fantoccini::Locator::XPath("//table[@aria-label='groups of scans']")).await.is_err() {
        b.click("//*[contains(@class, 'ant-segmented-item')][.//*[.='groups']]").await;
    }
    b.press("take in again").await;
    b.see("//table[@aria-label='groups of scans']//b[.='free']").await;
    b.sheet("Brief").await;
    registered(c, id).await;
    agrees_with(c, id, job, count).await;
    let log = c.ok("GET", &format!("{base}/log"), Value::Null).await.to_string();
    assert!(log.contains("First day") && log.contains("held as registered") && log.contains("set apart"), "{log}");
}
