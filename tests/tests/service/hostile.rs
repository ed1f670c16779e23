//! What would stop the house: sizes that users give, files that ask for too much, a worker that ends.

use serde_json::{Value, json};
use std::time::{Duration, Instant};
use vistazo_tests::{Client, Server, job};

/// Asks for the health of the server again and again until `done`; the longest that it took.
async fn slowest(url: &str, done: &std::sync::atomic::AtomicBool) -> Duration {
    let mut worst = Duration::ZERO;
    while !done.load(std::sync::atomic::Ordering::Relaxed) {
        let began = Instant::now();
        assert_eq!(reqwest::get(format!("{url}/api/health")).await.unwrap().status(), 200);
        worst = worst.max(began.elapsed());
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    worst
}

/// Does something, and says how long the server was not to be spoken to meanwhile.
async fn meanwhile<T>(url: &str, work: impl std::future::Future<Output = T>) -> (T, Duration) {
    let done = std::sync::atomic::AtomicBool::new(false);
    let work = async {
        let result = work.await;
        done.store(true, std::sync::atomic::Ordering::Relaxed);
        result
    };
    tokio::join!(work, slowest(url, &done))
}

async fn plan_with(c: &Client, items: Value) -> String {
    let row = c.ok("POST", "/api/jobs", json!({ "name": "Hostile" })).await;
    let id = row["id"].as_str().unwrap().to_owned();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), items).await;
    id
}

fn item(kind: &str, data: Value) -> Value {
    json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": data, "version": null, "deleted": false })
}

/// A wall of 900 km by 100 km ended the server at every opening of the job.
#[tokio::test(flavor = "multi_thread")]
async fn a_plan_of_any_size_is_looked_at_and_once_only() {
    let server = Server::start().await;
    let c = server.person("ada").await;
    let wall = json!({ "name": "Endless", "line": [[0.0, 2.0], [9e5, 2.0]], "base": 0.0, "top": 1e5, "required_spacing": 0.01 });
    let stations = (0..3).map(|k| {
        item(
            "station",
            json!({ "name": format!("S{k}"), "position": [10.0 * f64::from(k), 0.0, 1.6], "base": 0.0, "top": 0.0 }),
        )
    });
    let id = plan_with(&c, json!(stations.chain([item("wall", wall)]).collect::<Vec<_>>())).await;
    let path = format!("/api/jobs/{id}/plan/cover");
    let began = Instant::now();
    let asked = futures::future::join_all((0..6).map(|_| c.ok("GET", &path, Value::Null)));
    let (covers, silent) = meanwhile(&server.url, asked).await;
    assert!(covers.iter().all(|x| x == &covers[0]), "one computation for all who ask");
    assert!(covers[0]["stations"][0]["area"].as_f64().unwrap() >= 0.0);
    println!(
        "six looks at 90 000 km²: {:.1} s, silent {:.2} s at most",
        began.elapsed().as_secs_f64(),
        silent.as_secs_f64()
    );
    assert!(silent < Duration::from_secs(5), "nobody was answered for {silent:?}");
    c.ok("GET", &format!("/api/jobs/{id}/summary"), Value::Null).await;
}

/// Two previews of a control file of 600 000 lines froze the server for more than three minutes.
#[tokio::test(flavor = "multi_thread")]
async fn a_long_control_file_keeps_nobody_waiting() {
    let server = Server::start().await;
    let c = server.person("ben").await;
    let row = c.ok("POST", "/api/jobs", json!({ "name": "Long" })).await;
    let id = row["id"].as_str().unwrap().to_owned();
    let text: String = (0..600_000).map(|k| format!("P{k};{k};1;2\n")).collect();
    let body = json!({ "text": text, "unit": "m", "sigma_h": 0.002, "sigma_v": 0.002 });
    let path = format!("/api/jobs/{id}/control/preview");
    let began = Instant::now();
    let both = futures::future::join(c.call("POST", &path, body.clone()), c.call("POST", &path, body));
    let ((a, b), silent) = meanwhile(&server.url, both).await;
    println!(
        "two previews of 600 000 lines: {:.1} s, silent {:.2} s at most",
        began.elapsed().as_secs_f64(),
        silent.as_secs_f64()
    );
    assert_eq!((a.0, b.0), (422, 422), "{}", a.1);
    assert!(a.1["error"].as_str().unwrap().contains("expected at most"), "{}", a.1);
    assert!(silent < Duration::from_secs(5), "nobody was answered for {silent:?}");
}

/// Figures that cannot be are refused with the field, and repeated wishes are one.
#[tokio::test]
async fn figures_meet_limits_before_work() {
    let server = Server::start().await;
    let c = server.person("cid").await;
    let mut brief = json!(vistazo_server::dto::Brief::default());
    brief["instrument"]["warm_up"] = 1e9.into();
    let said = c.refused(422, "POST", "/api/jobs", json!({ "name": "Slow", "brief": brief, "training": true })).await;
    assert!(said.contains("found 1000000000 s, expected at most 86400 s"), "{said}");
    let row = c.ok("POST", "/api/jobs", json!({ "name": "Again", "training": true })).await;
    let id = row["id"].as_str().unwrap().to_owned();
    let station = item("station", json!({ "name": "S1", "position": [0.0, 0.0, 1.6], "base": 0.0, "top": 0.0 }));
    let at = station["id"].clone();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!([station])).await;
    let long: Vec<[f64; 2]> = (0..20_000).map(|k| [f64::from(k), 0.0]).collect();
    let wall = item("wall", json!({ "name": "W", "line": long, "base": 0.0, "top": 3.0 }));
    let said = c.refused(422, "POST", &format!("/api/jobs/{id}/plan/edits"), json!([wall])).await;
    assert!(said.contains("found 20000 vertices, expected at most 10000"), "{said}");
    let wish = json!({ "stations": [at, at, at], "operator": "cid", "instrument_height": null });
    let tasks = c.ok("POST", &format!("/api/jobs/{id}/field/scan"), wish.clone()).await;
    assert_eq!(tasks.as_array().unwrap().len(), 1, "a station that is asked for three times is scanned once");
    let high = json!({ "stations": [at], "operator": "cid", "instrument_height": null, "heights": { at.as_str().unwrap(): 1e6 } });
    let said = c.refused(422, "POST", &format!("/api/jobs/{id}/field/scan"), high).await;
    assert!(said.contains("instrument height of 0 to 20 m"), "{said}");
}

/// Points in a narrow window as text: on the columns of the whole circle they took gigabytes.
fn window() -> Vec<u8> {
    let mut text = String::new();
    for row in 0..600 {
        for col in 0..500 {
            let (az, el) = (0.3 + 0.04 * f64::from(col) / 500.0, 0.05 * f64::from(row) / 600.0);
            text += &format!("{:.4} {:.4} {:.4} 0.5\n", 9.0 * az.cos(), 9.0 * az.sin(), 9.0 * el.tan());
        }
    }
    text.into_bytes()
}

/// A file that asks for more memory than its worker has costs one task: the pages stay, and other work goes on.
#[tokio::test]
async fn what_asks_for_too_much_memory_costs_one_task() {
    // what threads reserve counts as well: few of them, on whatever machine
    let few = [
        ("MALLOC_ARENA_MAX", "2"),
        ("RAYON_NUM_THREADS", "2"),
        ("TOKIO_WORKER_THREADS", "2"),
        ("VISTAZO_MAX_UPLOAD", "1000000000"),
    ];
    let mut server = Server::start_with(few.map(|(k, v)| (k, v.to_owned())).to_vec()).await;
    let c = server.person("dan").await;
    let files = job::files();
    let id = job::new(&c, "Memory", files).await;
    // on the columns of the whole circle this window would take 3 GB
    let end = c.upload(&id, "window.xyz", window()).await;
    assert_eq!(end["state"], "done", "{end}");
    let small = peak(children(server.pid())[0]);
    let end = c.upload(&id, "larger.xyz", window().repeat(20)).await;
    assert_eq!(end["state"], "done", "{end}");
    let large = peak(children(server.pid())[0]);
    println!(
        "address space: {:.0} MB for 300 000 points, {:.0} MB for 6 million",
        small as f64 / 1e6,
        large as f64 / 1e6
    );
    assert!(small < 1_000_000_000, "{small} bytes for 300 000 points");
    // enough for the one and not for the other
    server.kill();
    server.set("VISTAZO_WORKER_MEMORY", &(small + (large - small) / 2).to_string());
    server.restart().await;
    let big = c.send(&id, "too-large.xyz", window().repeat(20)).await.unwrap();
    let end = c.wait(&id, &big).await;
    assert_eq!(end["state"], "failed", "{end}");
    assert!(end["message"].as_str().unwrap().contains("the worker ended 2 times while doing this"), "{end}");
    assert_eq!(reqwest::get(format!("{}/api/health", server.url)).await.unwrap().status(), 200);
    // with more room the same task goes through
    server.kill();
    server.set("VISTAZO_WORKER_MEMORY", "0");
    server.restart().await;
    c.ok("POST", &format!("/api/jobs/{id}/tasks/retry"), Value::Null).await;
    assert_eq!(c.wait(&id, &big).await["state"], "done");
}

/// The most address space that a process has had, bytes.
fn peak(pid: u32) -> u64 {
    let status = std::fs::read_to_string(format!("/proc/{pid}/status")).unwrap();
    let line = status.lines().find(|l| l.starts_with("VmPeak:")).unwrap();
    line.split_whitespace().nth(1).unwrap().parse::<u64>().unwrap() * 1024
}

/// Processes that a process started.
fn children(of: u32) -> Vec<u32> {
    let stat = |pid: u32| std::fs::read_to_string(format!("/proc/{pid}/stat")).ok();
    let parent = |s: &str| s.rsplit(')').next()?.split_whitespace().nth(1)?.parse::<u32>().ok();
    let all = std::fs::read_dir("/proc").unwrap().filter_map(|e| e.ok()?.file_name().to_str()?.parse::<u32>().ok());
    all.filter(|p| stat(*p).and_then(|s| parent(&s)) == Some(of)).collect()
}

/// The worker is killed while it works: another goes on with its task at once. Asked to end, the server leaves none behind.
#[tokio::test]
async fn a_worker_that_ends_is_followed_by_another() {
    let mut server = Server::start().await;
    let c = server.person("eli").await;
    let files = job::files();
    let id = job::new(&c, "Killed", files).await;
    let task = c.send(&id, &files.scans[0].0, files.scans[0].1.clone()).await.unwrap();
    let first = children(server.pid());
    assert_eq!(first.len(), 1, "one worker beside the server");
    let killed = std::process::Command::new("kill").args(["-9", &first[0].to_string()]).status().unwrap();
    assert!(killed.success());
    assert_eq!(c.wait(&id, &task).await["state"], "done");
    let second = children(server.pid());
    assert!(second.len() == 1 && second != first, "{second:?} after {first:?}");
    // a task that is under way when the program is asked to end waits for the next, and is not counted as an attempt
    let task = c.send(&id, &files.scans[1].0, files.scans[1].1.clone()).await.unwrap();
    server.terminate();
    for _ in 0..100 {
        if !std::path::Path::new(&format!("/proc/{}", second[0])).exists() {
            break;
        }
        tokio::time::sleep(Duration::from_millis(50)).await;
    }
    assert!(!std::path::Path::new(&format!("/proc/{}", second[0])).exists(), "the worker is left behind");
    server.restart().await;
    let end = c.wait(&id, &task).await;
    assert_eq!((end["state"].as_str(), end["attempts"].as_i64()), (Some("done"), Some(1)), "{end}");
}

/// A file called as an error of the database is called is no error of the database.
#[tokio::test]
async fn what_fails_is_told_by_its_kind_and_not_by_its_words() {
    let server = Server::start().await;
    let c = server.person("fay").await;
    let files = job::files();
    let id = job::new(&c, "Words", files).await;
    let end = c.upload(&id, "database: x.e57", files.scans[0].1[..5000].to_vec()).await;
    assert_eq!((end["state"].as_str(), end["attempts"].as_i64()), (Some("failed"), Some(1)), "{end}");
}
