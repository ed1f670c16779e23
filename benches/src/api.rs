//! Times of the API for a job of 300 stations and 5,000 observations under 50 simultaneous users,
//! while an ingest runs. `scripts/bench` sets up the database that this needs.
use rand::{Rng, SeedableRng};
use rand_chacha::ChaCha8Rng;
use serde_json::{Value, json};
use std::time::{Duration, Instant};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::targets::predicted_sphere_covariance;
use vistazo_tests::{Client, Server};

const STATIONS: usize = 300;
const USERS: usize = 50;

#[tokio::main]
pub(crate) async fn main() {
    let server = Server::start_with(vec![("VISTAZO_MAX_UPLOAD", "4000000000".into())]).await;
    let c = server.person("mara").await;
    let brief = json!(vistazo_server::dto::Brief::default());
    let id =
        c.ok("POST", "/api/jobs", json!({ "name": "Large", "brief": brief })).await["id"].as_str().unwrap().to_owned();
    let observations = fill(&server, &c, &id).await;
    println!("{STATIONS} stations, {observations} observations");
    let begin = Instant::now();
    c.run(&id, "/register").await;
    println!("matching, adjusting and judging the block: {:.1} s", begin.elapsed().as_secs_f64());
    let a = c.ok("GET", &format!("/api/jobs/{id}/adjustment"), Value::Null).await;
    assert!(a["result"]["refused"].is_null(), "{}", a["result"]["refused"]);
    println!("{} scans adjusted, p = {}", a["result"]["stations"].as_array().unwrap().len(), a["result"]["global_p"]);
    c.ok("GET", &format!("/api/jobs/{id}/plan/cover"), Value::Null).await;

    let busy = laz(12_000_000);
    let task = c.send(&id, "busy.laz", busy).await.unwrap();
    let paths = ["summary", "tasks", "scans", "adjustment", "cloud", "plan", "plan/cover", "verdicts", "uploads"];
    let until = Instant::now() + Duration::from_secs(30);
    let users: Vec<_> = (0..USERS)
        .map(|u| {
            let (c, id) = (c.clone(), id.clone());
            tokio::spawn(async move {
                let mut rng = ChaCha8Rng::seed_from_u64(u as u64);
                let mut times: Vec<(usize, f64)> = Vec::new();
                while Instant::now() < until {
                    // a person looks at what came before asking for more
                    tokio::time::sleep(Duration::from_millis(rng.random_range(500..3500))).await;
                    let k = rng.random_range(0..paths.len());
                    let begin = Instant::now();
                    let answer = c.request("GET", &format!("/api/jobs/{id}/{}", paths[k])).send().await.unwrap();
                    assert_eq!(answer.status(), 200, "{}", paths[k]);
                    answer.bytes().await.unwrap();
                    times.push((k, begin.elapsed().as_secs_f64()));
                }
                times
            })
        })
        .collect();
    let mut times = Vec::new();
    for u in users {
        times.extend(u.await.unwrap());
    }
    let state = c.wait(&id, &task).await;
    println!(
        "{} requests by {USERS} users in 30 s, while 12 million points were read ({})",
        times.len(),
        state["state"]
    );
    let quantile = |t: &mut Vec<f64>, q: f64| {
        t.sort_by(f64::total_cmp);
        t[((t.len() - 1) as f64 * q) as usize] * 1e3
    };
    for (k, path) in paths.iter().enumerate() {
        let mut own: Vec<f64> = times.iter().filter(|t| t.0 == k).map(|t| t.1).collect();
        println!("  {path:<12} median {:>6.0} ms, 95 % {:>6.0} ms", quantile(&mut own, 0.5), quantile(&mut own, 0.95));
    }
    let mut all: Vec<f64> = times.iter().map(|t| t.1).collect();
    println!("  all          median {:>6.0} ms, 95 % {:>6.0} ms", quantile(&mut all, 0.5), quantile(&mut all, 0.95));
}

fn laz(points: usize) -> Vec<u8> {
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut w = vistazo_formats::LazWriter::create(file.path(), Vec3::zeros(), None, false).unwrap();
    let mut rng = ChaCha8Rng::seed_from_u64(4);
    for _ in 0..points {
        let (az, z): (f64, f64) = (rng.random_range(0.0..std::f64::consts::TAU), rng.random_range(-3.0..5.0));
        w.add(&Vec3::new(12.0 * az.cos(), 12.0 * az.sin(), z), rng.random(), None, 1, 0).unwrap();
    }
    w.finish().unwrap();
    std::fs::read(file.path()).unwrap()
}

/// A site of 20 × 15 stations 12 m apart with spheres between, measured as the instrument would:
/// rows of scans and detections straight into the database, as if they had been searched.
async fn fill(server: &Server, c: &Client, id: &str) -> usize {
    let db = server.pool().await;
    let job: uuid::Uuid = id.parse().unwrap();
    let instrument = Instrument::mid_range();
    let mut rng = ChaCha8Rng::seed_from_u64(2);
    let mut normal = move || -> f64 { rng.sample(rand_distr::StandardNormal) };
    let mut plan = Vec::new();
    let at = |k: usize| Vec3::new((k % 20) as f64 * 12.0, (k / 20) as f64 * 12.0, 1.6);
    let spheres: Vec<Vec3> = (0..900)
        .map(|k| {
            let mut r = ChaCha8Rng::seed_from_u64(1000 + k);
            Vec3::new(r.random_range(-6.0..234.0), r.random_range(-6.0..174.0), r.random_range(0.4..2.6))
        })
        .collect();
    for k in 0..STATIONS {
        let p = at(k);
        plan.push(json!({ "id": uuid::Uuid::now_v7(), "kind": "station", "data": { "name": format!("S{}", k + 1), "position": [p.x, p.y, p.z] } }));
    }
    for part in plan.chunks(100) {
        c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(part)).await;
    }
    let brief = vistazo_server::dto::Brief::default();
    let search = vistazo_server::search_key(&brief);
    let mut count = 0;
    for k in 0..STATIONS {
        let (upload, scan) = (uuid::Uuid::now_v7(), uuid::Uuid::now_v7());
        sqlx::query("insert into uploads (id, job_id, file_name, bytes, received) values ($1, $2, $3, 0, 0)")
            .bind(upload)
            .bind(job)
            .bind(format!("s{k}.e57"))
            .execute(&db)
            .await
            .unwrap();
        sqlx::query("insert into scans (id, job_id, upload_id, part, name, gridded, points, key) values ($1, $2, $3, 0, $4, true, 40000000, 'none')").bind(scan).bind(job).bind(upload).bind(format!("S{}", k + 1)).execute(&db).await.unwrap();
        sqlx::query("insert into searched (scan_id, search) values ($1, $2)")
            .bind(scan)
            .bind(&search)
            .execute(&db)
            .await
            .unwrap();
        let sigma = instrument.compensator_sigma.unwrap();
        let mut pose = Pose::levelled(k as f64, at(k));
        pose.rotation = nalgebra::UnitQuaternion::from_scaled_axis(Vec3::new(normal() * sigma, normal() * sigma, 0.0))
            * pose.rotation;
        let mut near: Vec<Vec3> = spheres.iter().map(|s| pose.inverse().apply(s)).filter(|p| p.norm() < 19.0).collect();
        near.sort_by(|a, b| a.norm().total_cmp(&b.norm()));
        for p in near.iter().take(17) {
            let Some(cov) = predicted_sphere_covariance(p, 0.1, &instrument) else { continue };
            let e = cov.cholesky().unwrap().l() * Vec3::new(normal(), normal(), normal());
            let centre = p + e;
            let data = json!({
                "centre": [centre.x, centre.y, centre.z], "covariance": cov.transpose().iter().copied().collect::<Vec<f64>>(),
                "hits": 100, "rms": 0.001, "s0": 1.0, "range": p.norm(), "free_radius": [0.1, 0.001], "cap": 0.9, "size": "agrees",
            });
            sqlx::query("insert into detections (id, job_id, scan_id, search, kind, data, usable) values ($1, $2, $3, $4, 'sphere', $5, true)")
                .bind(uuid::Uuid::now_v7()).bind(job).bind(scan).bind(&search).bind(data).execute(&db).await.unwrap();
            count += 1;
        }
    }
    count
}
