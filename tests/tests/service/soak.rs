//! Uploads and tasks while the server, the workers and the database are killed at random: afterwards
//! every upload is whole, every task done, every sum right.
//!
//! `scripts/test` runs the short one. The long one, 20 scans of five million points:
//! `scripts/test soak:: -- --ignored --nocapture`.

use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use sha2::{Digest, Sha256};
use std::process::Child;
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::{Duration, Instant};
use vistazo_tests::cluster::Cluster;
use vistazo_tests::{Client, server::spawn};

/// A LAZ file of about `points` points round the scanner.
fn laz(points: usize, seed: u64) -> Vec<u8> {
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut w =
        vistazo_formats::LazWriter::create(file.path(), vistazo_core::geometry::Vec3::zeros(), None, false).unwrap();
    let mut rng = ChaCha8Rng::seed_from_u64(seed);
    for _ in 0..points {
        let (az, z): (f64, f64) = (rng.random_range(0.0..std::f64::consts::TAU), rng.random_range(-3.0..5.0));
        let p = vistazo_core::geometry::Vec3::new(12.0 * az.cos(), 12.0 * az.sin(), z);
        w.add(&p, rng.random(), None, 1, 0).unwrap();
    }
    w.finish().unwrap();
    std::fs::read(file.path()).unwrap()
}

/// Sends a file whatever happens in between; returns when it is whole.
async fn send(c: Client, id: String, name: String, bytes: Arc<Vec<u8>>, piece: usize) {
    let begin = Instant::now();
    let pause = || tokio::time::sleep(Duration::from_millis(300));
    let mut place: Option<String> = None;
    loop {
        assert!(begin.elapsed() < Duration::from_secs(900), "{name} does not get through");
        if place.is_none() {
            use base64::Engine;
            let meta = format!("filename {}", base64::engine::general_purpose::STANDARD.encode(&name));
            let r = c.request("POST", &format!("/api/jobs/{id}/uploads"));
            let r =
                r.header("tus-resumable", "1.0.0").header("upload-length", bytes.len()).header("upload-metadata", meta);
            match r.send().await {
                Ok(a) if a.status() == 201 => place = Some(a.headers()["location"].to_str().unwrap().to_owned()),
                _ => pause().await,
            }
            continue;
        }
        let at = place.clone().unwrap();
        let head = c.request("HEAD", &at).header("tus-resumable", "1.0.0").send().await;
        let Some(offset) = head
            .ok()
            .filter(|h| h.status() == 200)
            .and_then(|h| h.headers()["upload-offset"].to_str().ok()?.parse::<usize>().ok())
        else {
            pause().await;
            continue;
        };
        if offset == bytes.len() {
            return;
        }
        let part = bytes[offset..(offset + piece).min(bytes.len())].to_vec();
        let r = c.request("PATCH", &at).header("tus-resumable", "1.0.0").header("upload-offset", offset);
        let _ = r.header("content-type", "application/offset+octet-stream").body(part).send().await;
    }
}

async fn soak(files: usize, points: usize, kills: usize) {
    vistazo_store::tls();
    let cluster = Cluster::start();
    let data = tempfile::tempdir().unwrap();
    let port = vistazo_tests::port::free();
    let address = format!("127.0.0.1:{port}");
    let settings = vec![("VISTAZO_MAX_UPLOAD", "2000000000".to_owned())];
    let start = |what: &str| spawn(what, &cluster.url(), data.path(), &address, &settings);
    let mut running: Vec<(&str, Child)> = vec![("serve", start("serve"))];
    let url = format!("http://{address}");
    let up = Instant::now();
    while reqwest::get(format!("{url}/api/health")).await.is_err() {
        assert!(up.elapsed() < Duration::from_secs(30), "the server did not start");
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    // workers of other processes, once the schema is there
    running.push(("worker", start("worker")));
    running.push(("worker", start("worker")));
    let db = sqlx::PgPool::connect(&cluster.url()).await.unwrap();
    let hash = vistazo_server::auth::hash_password("a-long-test-password").unwrap();
    let user = vistazo_store::people::add_user(&db, "kai@test.example", "kai", &hash).await.unwrap();
    let (_, secret) = vistazo_store::people::add_token(&db, user.id, "test").await.unwrap();
    db.close().await;
    let http = reqwest::Client::builder().timeout(Duration::from_secs(20)).build().unwrap();
    let c = Client { http, url, token: Some(secret), email: "kai@test.example".into() };
    let brief = json!(vistazo_server::dto::Brief::default());
    let id =
        c.ok("POST", "/api/jobs", json!({ "name": "Soak", "brief": brief })).await["id"].as_str().unwrap().to_owned();

    let made: Vec<(String, Arc<Vec<u8>>)> =
        (0..files).map(|k| (format!("s-{k:02}.laz"), Arc::new(laz(points, k as u64)))).collect();
    let piece = (made[0].1.len() / 7).max(1000);
    let sent = Arc::new(AtomicBool::new(false));
    let (all, done) = (made.clone(), sent.clone());
    let (sender, job_id) = (c.clone(), id.clone());
    let sending = tokio::spawn(async move {
        // two at a time, as the page does
        for pair in all.chunks(2) {
            let each = pair.iter().map(|(n, b)| send(sender.clone(), job_id.clone(), n.clone(), b.clone(), piece));
            futures::future::join_all(each).await;
        }
        done.store(true, Ordering::Relaxed);
    });
    let mut rng = ChaCha8Rng::seed_from_u64(1);
    let mut counts = [0; 3];
    for _ in 0..kills {
        tokio::time::sleep(Duration::from_millis(rng.random_range(300..2500))).await;
        let which = rng.random_range(0..4);
        if which == 3 {
            counts[2] += 1;
            cluster.kill();
            tokio::time::sleep(Duration::from_millis(rng.random_range(0..1500))).await;
            while !cluster.restart() {
                tokio::time::sleep(Duration::from_millis(500)).await;
            }
        } else {
            counts[usize::from(which > 0)] += 1;
            let (what, child) = &mut running[which];
            child.kill().unwrap();
            child.wait().unwrap();
            tokio::time::sleep(Duration::from_millis(rng.random_range(0..800))).await;
            *child = start(what);
        }
    }
    sending.await.unwrap();
    let begin = Instant::now();
    let tasks = loop {
        assert!(begin.elapsed() < Duration::from_secs(900), "the tasks do not end");
        tokio::time::sleep(Duration::from_millis(500)).await;
        let (status, all) = c.call("GET", &format!("/api/jobs/{id}/tasks"), Value::Null).await;
        let all = all.as_array().cloned().unwrap_or_default();
        if status == 200 && all.iter().all(|t| t["state"] != "queued" && t["state"] != "running") {
            break all;
        }
        for (what, child) in &mut running {
            if child.try_wait().unwrap().is_some() {
                *child = start(what);
            }
        }
    };
    let attempts: i64 = tasks.iter().map(|t| t["attempts"].as_i64().unwrap()).sum();
    println!(
        "{files} files of {points} points; killed: server {}, workers {}, database {}; {} tasks in {attempts} attempts",
        counts[0],
        counts[1],
        counts[2],
        tasks.len()
    );
    assert_eq!(tasks.len(), files, "one task for each file");
    for t in &tasks {
        assert_eq!(t["state"], "done", "{t}");
    }
    assert!(sent.load(Ordering::Relaxed));
    let db = sqlx::PgPool::connect(&cluster.url()).await.unwrap();
    let sums: Vec<(String, String, String)> =
        sqlx::query_as("select file_name, state, sha256 from uploads where state = 'whole' or received > 0")
            .fetch_all(&db)
            .await
            .unwrap();
    // an announcement whose answer was lost leaves an upload without a byte, and nothing else
    assert_eq!(sums.len(), files);
    for (name, state, sum) in sums {
        let bytes = &made.iter().find(|m| m.0 == name).unwrap().1;
        assert_eq!(
            (state.as_str(), sum),
            ("whole", vistazo_store::objects::hex(&Sha256::digest(bytes.as_slice()))),
            "{name}"
        );
    }
    let scans: Vec<(String, i64)> = sqlx::query_as("select key, points from scans").fetch_all(&db).await.unwrap();
    assert_eq!(scans.len(), files);
    for (key, n) in scans {
        let bytes = std::fs::read(data.path().join(&key).join("scan")).unwrap();
        let scan = vistazo_formats::canonical::read(&mut bytes.as_slice(), bytes.len() as u64).unwrap();
        assert_eq!((scan.points.len() as i64, n), (n, points as i64), "{key}");
    }
    // an attempt that was taken for dead clears its own build as soon as it learns of it
    let builds = || -> usize {
        let scans = std::fs::read_dir(data.path().join(format!("jobs/{id}/scans"))).unwrap();
        let holds_files = |e: &std::fs::DirEntry| std::fs::read_dir(e.path()).unwrap().next().is_some();
        scans.map(|s| std::fs::read_dir(s.unwrap().path()).unwrap().flatten().filter(holds_files).count()).sum()
    };
    let begin = Instant::now();
    while builds() > files && begin.elapsed() < Duration::from_secs(30) {
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    assert_eq!(builds(), files, "one build of each scan");
    for (_, mut child) in running {
        child.kill().unwrap();
        child.wait().unwrap();
    }
}

#[tokio::test]
async fn nothing_is_lost_whatever_is_killed() {
    soak(6, 300_000, 10).await;
}

#[tokio::test]
#[ignore = "takes some twenty minutes: see the head of this file"]
async fn nothing_is_lost_at_full_size() {
    soak(20, 5_000_000, 40).await;
}
