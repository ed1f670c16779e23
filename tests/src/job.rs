//! A small job of one's own, as files: four simulated scans and a control file.

use crate::{Client, Database, Server};
use nalgebra::Vector2;
use serde_json::json;
use std::sync::OnceLock;
use tokio::sync::OnceCell;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::plan::Obstacle;
use vistazo_formats::E57Writer;
use vistazo_sim::{Scanner, SmallJob, Walk, Walker, scan, small_job, walk};

/// Where the room stands on the grid.
pub const ORIGIN: Vec3 = Vec3::new(412_000.0, 5_604_000.0, 112.0);
/// What a length in the room is on the grid there (EPSG:25832): point scale 0.999695097163 and height
/// factor 0.999982451623, by an independent library.
pub const GRID_FACTOR: f64 = 0.999_677_554_136;
pub const SEED: u64 = 7;

pub struct Files {
    pub job: SmallJob,
    /// File name and bytes, in the order taken.
    pub scans: Vec<(String, Vec<u8>)>,
    /// Names of the control points and what they truly are, in the room.
    pub control: Vec<(String, Vec3)>,
    pub control_text: String,
}

/// The brief that suits the files.
pub fn brief(job: &SmallJob) -> serde_json::Value {
    let mut brief = serde_json::json!(vistazo_server::dto::Brief::default());
    brief["instrument"] = serde_json::json!(vistazo_server::dto::InstrumentDto::from(&job.instrument));
    brief["requirement"] =
        serde_json::json!({ "horizontal95": 0.006, "vertical95": 0.006, "spatial95": 0.008, "check_rmse": 0.010 });
    brief["epsg"] = 25832.into();
    brief
}

/// A surface of one triangle, as LandXML.
pub const SURFACE: &str = "<LandXML><Surface name='Old'><P id='1'>5604000 412000 112</P><P id='2'>5604004 412000 112</P><P id='3'>5604000 412004 112</P><F>1 2 3</F></Surface></LandXML>";

/// A picture of a few pixels, as PNG.
pub fn dot() -> Vec<u8> {
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, 8, 8);
    encoder.set_color(png::ColorType::Rgb);
    encoder.write_header().unwrap().write_image_data(&[90; 8 * 8 * 3]).unwrap();
    out
}

/// The files, made once; truth stays in `job`.
pub fn files() -> &'static Files {
    static FILES: OnceLock<Files> = OnceLock::new();
    FILES.get_or_init(|| files_of(small_job(SEED)))
}

/// The files of a job that was changed before it was scanned.
pub fn files_of(job: SmallJob) -> Files {
    let scans = (0..job.truth.poses.len()).map(|k| (format!("room-{}.e57", k + 1), e57(&job, &[k]))).collect();
    let control: Vec<(String, Vec3)> =
        job.scene.spheres.iter().enumerate().map(|(i, s)| (format!("P{}", i + 1), s.centre)).collect();
    // easting is x, northing is y, exact to a tenth of a millimetre
    let control_text = control.iter().fold("Point;Northing;Easting;Height\n".to_owned(), |t, (name, p)| {
        let g = on_grid_at(p);
        t + &format!("{name};{:.4};{:.4};{:.4}\n", g.y, g.x, g.z)
    });
    Files { job, scans, control, control_text }
}

/// Where a place in the room is on the grid.
pub fn on_grid_at(p: &Vec3) -> Vec3 {
    ORIGIN + Vec3::new(p.x * GRID_FACTOR, p.y * GRID_FACTOR, p.z)
}

/// One E57 with the given scans of a job.
pub fn e57(job: &SmallJob, which: &[usize]) -> Vec<u8> {
    let file = tempfile::NamedTempFile::new().unwrap();
    let mut writer = E57Writer::create(file.path(), "test").unwrap();
    for &k in which {
        let raw =
            scan(&job.scene, &Scanner::drawn(&job.instrument, 5), &job.truth.poses[k], k, 900 + k as u64, &|_| true)
                .unwrap();
        writer
            .add(&format!("R{}", k + 1), &format!("guid-{k}"), &raw.into_scan().unwrap(), None, true, &|_| true)
            .unwrap();
    }
    writer.finish().unwrap();
    std::fs::read(file.path()).unwrap()
}

/// The job without a target, and with three things in the room: a rectangle with nothing in it fits in two ways.
pub fn without_targets() -> SmallJob {
    let mut bare = small_job(SEED);
    bare.scene.spheres.clear();
    bare.scene.boards.clear();
    for (x, y, wide, deep, top) in [(0.2, 0.2, 1.0, 1.0, 1.9), (4.0, 0.1, 1.8, 0.8, 1.1), (0.1, 5.0, 0.7, 1.2, 2.3)] {
        let corners = [(0.0, 0.0), (wide, 0.0), (wide, deep), (0.0, deep)];
        let outline = corners.iter().map(|c| Vector2::new(x + c.0, y + c.1)).collect();
        bare.scene.site.obstacles.push(Obstacle { outline, base: 0.0, top });
    }
    bare
}

/// A walk through the scene of a job as the files of a unit: a cloud as PLY, and its path as text.
pub fn walked(job: &SmallJob, way: &[Vec3], seed: u64) -> (Walk, Vec<u8>, Vec<u8>) {
    let walk = walk(&job.scene, &Walker::hand_held(), way, 0, seed);
    let mut cloud = format!(
        "ply\nformat binary_little_endian 1.0\nelement vertex {}\nproperty double time\nproperty float x\nproperty float y\n\
         property float z\nproperty float intensity\nend_header\n",
        walk.points.len()
    )
    .into_bytes();
    for p in &walk.points {
        cloud.extend(p.time.to_le_bytes());
        p.at.iter().chain([&p.intensity]).for_each(|v| cloud.extend(v.to_le_bytes()));
    }
    let line = |(t, p): &(f64, Pose)| {
        let (q, r) = (p.translation, p.rotation);
        format!("{t:.4} {:.5} {:.5} {:.5} {:.7} {:.7} {:.7} {:.7}\n", q.x, q.y, q.z, r.i, r.j, r.k, r.w)
    };
    let path = walk.path.iter().map(line).collect::<String>().into_bytes();
    (walk, cloud, path)
}

/// The true pose of a scan on the grid.
pub fn true_pose(job: &SmallJob, k: usize) -> Pose {
    Pose { translation: on_grid_at(&job.truth.poses[k].translation), ..job.truth.poses[k] }
}

/// A job whose brief suits the files; returns its identifier.
pub async fn new(c: &Client, name: &str, files: &Files) -> String {
    let row = c.ok("POST", "/api/jobs", json!({ "name": name, "brief": brief(&files.job) })).await;
    row["id"].as_str().unwrap().to_owned()
}

/// The same with all scans uploaded, adjusted, and put on the grid.
pub async fn on_grid(c: &Client, name: &str, files: &Files) -> String {
    let id = new(c, name, files).await;
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    c.run(&id, "/register").await;
    let control = json!({ "text": files.control_text, "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    c.ok("POST", &format!("/api/jobs/{id}/control"), control).await;
    c.ok("POST", &format!("/api/jobs/{id}/georeference"), json!({ "model": "levelled" })).await;
    id
}

/// A server of one's own with the job of [`files`] on the grid, belonging to somebody of this name. The work up to there is
/// done once, and every server begins with a copy of what it left.
pub async fn standing(person: &str, name: &str) -> (Server, Client, String) {
    standing_with(person, name, Vec::new()).await
}

/// The same with other settings of the server.
pub async fn standing_with(
    person: &str,
    name: &str,
    settings: Vec<(&'static str, String)>,
) -> (Server, Client, String) {
    static DONE: OnceCell<(Database, tempfile::TempDir, String)> = OnceCell::const_new();
    let (database, data, id) = DONE
        .get_or_init(|| async {
            let server = Server::start().await;
            let id = on_grid(&server.person("first").await, "Done once", files()).await;
            let (database, data) = server.end();
            (database, data, id)
        })
        .await;
    let copy = tempfile::tempdir().unwrap();
    let all = format!("{}/.", data.path().display());
    assert!(std::process::Command::new("cp").args(["-r", &all]).arg(copy.path()).status().unwrap().success());
    let server = Server::start_on(Database::like(database.name()).await, copy, settings).await;
    let db = server.pool().await;
    let email = format!("{person}@test.example");
    let whose = sqlx::query_scalar("update users set email = $1, name = $2 returning id");
    let whose = whose.bind(&email).bind(person).fetch_one(&db).await.unwrap();
    sqlx::query("update jobs set name = $1").bind(name).execute(&db).await.unwrap();
    let client = server.client(&db, whose, email).await;
    db.close().await;
    (server, client, id.clone())
}
