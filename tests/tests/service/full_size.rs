//! Uploads that break and go on, stores of another kind, exports.

use base64::Engine;
use serde_json::{Value, json};
use sha2::{Digest, Sha256};
use vistazo_tests::s3::S3;
use vistazo_tests::{Client, Server, job};

fn location(answer: &reqwest::Response) -> String {
    answer.headers()["location"].to_str().unwrap().to_owned()
}

#[tokio::test]
async fn an_upload_goes_on_where_it_broke_off_and_its_sums_are_checked() {
    let mut server = Server::start().await;
    let c = server.person("tove").await;
    let files = job::files();
    let id = job::new(&c, "Broken lines", files).await;
    let all = job::e57(&files.job, &[0, 1]);
    let n = all.len();
    let answer = c.announce(&id, &[("filename", "two.e57")], n, all[..n / 3].to_vec()).await;
    assert_eq!(answer.status(), 201);
    let at = location(&answer);
    // the server dies; what had arrived is still there
    server.kill();
    server.restart().await;
    assert_eq!(c.arrived(&at).await, n as u64 / 3);
    let sum = |b: &[u8]| format!("sha256 {}", base64::engine::general_purpose::STANDARD.encode(Sha256::digest(b)));
    let piece = &all[n / 3..n / 2];
    assert_eq!(c.append(&at, 0, piece.to_vec(), None).await.status(), 409, "an offset that is not the next");
    assert_eq!(c.append(&at, n as u64 / 3, piece.to_vec(), Some(&sum(b"other"))).await.status(), 460);
    assert_eq!(c.arrived(&at).await, n as u64 / 3, "nothing of a wrong piece is kept");
    // two senders of the same piece: one is taken
    let right = sum(piece);
    let (a, b) = tokio::join!(
        c.append(&at, n as u64 / 3, piece.to_vec(), Some(&right)),
        c.append(&at, n as u64 / 3, piece.to_vec(), Some(&right))
    );
    let mut both = [a.status().as_u16(), b.status().as_u16()];
    both.sort_unstable();
    assert_eq!(both, [204, 409]);
    // so much more that it is refused long before the sender has sent it all
    let mut more = all[n / 2..].to_vec();
    more.resize(more.len() + (16 << 20), 0);
    assert_eq!(c.append(&at, n as u64 / 2, more, None).await.status(), 413, "more than was announced");
    let now = c.arrived(&at).await as usize;
    let answer = c.append(&at, now as u64, all[now..].to_vec(), None).await;
    assert_eq!(
        (answer.status().as_u16(), answer.headers()["upload-offset"].to_str().unwrap()),
        (204, n.to_string().as_str())
    );
    let end = c.wait(&id, &c.ingest(&id, &at).await).await;
    assert_eq!(end["state"], "done", "{end}");
    let kept: String = sqlx::query_scalar("select sha256 from uploads").fetch_one(&server.pool().await).await.unwrap();
    assert_eq!(kept, vistazo_store::objects::hex(&Sha256::digest(&all)));
    // giving up takes the bytes away; a file that scans came from stays
    let answer = c.announce(&id, &[("filename", "never.laz")], 1000, vec![7; 100]).await;
    let state = c.ok("GET", &format!("/api/jobs/{id}/uploads"), Value::Null).await;
    assert_eq!(state["receiving"][0]["received"], 100);
    assert!(state["usage"]["derived"].as_i64().unwrap() > 100_000 && state["free"].as_u64().unwrap() > 0);
    c.ok("DELETE", &location(&answer), Value::Null).await;
    assert_eq!(c.ok("GET", &format!("/api/jobs/{id}/uploads"), Value::Null).await["receiving"], json!([]));
    assert!(c.refused(409, "DELETE", &at, Value::Null).await.contains("came from this file"));
    let said = c.announce(&id, &[("filename", "a.xyz"), ("unit", "cubit")], 10, vec![]).await.text().await.unwrap();
    assert!(said.contains("found “cubit”, expected m, ft or ftUS"), "{said}");
    // everything derived can be thrown away and made again, under the same names
    let scans = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
    std::fs::remove_dir_all(server.data.path().join(format!("jobs/{id}/scans"))).unwrap();
    let program = std::env::var("VISTAZO_TEST_PROGRAM").unwrap();
    let home =
        [("VISTAZO_DATABASE_URL", server.database.clone()), ("VISTAZO_DATA", server.data.path().display().to_string())];
    assert!(std::process::Command::new(program).args(["rebuild", &id]).envs(home).status().unwrap().success());
    let tasks = c.ok("GET", &format!("/api/jobs/{id}/tasks"), Value::Null).await;
    assert_eq!(c.wait(&id, &tasks[0]).await["state"], "done");
    let again = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
    for k in 0..2 {
        assert_eq!(
            (&again[k]["id"], &again[k]["name"], &again[k]["points"]),
            (&scans[k]["id"], &scans[k]["name"], &scans[k]["points"])
        );
        assert_ne!(again[k]["derived"]["build"], scans[k]["derived"]["build"]);
    }
}

#[tokio::test]
async fn the_store_may_be_elsewhere() {
    let store = S3::start().await;
    let server = Server::start_with(store.settings()).await;
    let c = server.person("ada").await;
    let files = job::files();
    let id = job::new(&c, "Elsewhere", files).await;
    for (name, bytes) in &files.scans {
        let end = c.upload(&id, name, bytes.clone()).await;
        assert_eq!(end["state"], "done", "{end}");
    }
    c.run(&id, "/register").await;
    let cloud = c.ok("GET", &format!("/api/jobs/{id}/cloud"), Value::Null).await;
    assert_eq!((&cloud["frame"], cloud["scans"].as_array().unwrap().len()), (&json!("block"), 4));
    // from the tileset of the job down to the points of every tile
    let set = c.ok("GET", &format!("/api/jobs/{id}/tileset.json"), Value::Null).await;
    let mut points = 0;
    for child in set["root"]["children"].as_array().unwrap() {
        let uri = child["content"]["uri"].as_str().unwrap();
        points += count(&c, uri).await;
    }
    let expected: i64 = cloud["scans"].as_array().unwrap().iter().map(|s| s["points"].as_i64().unwrap()).sum();
    assert_eq!(points, expected);
    let uri = set["root"]["children"][0]["content"]["uri"].as_str().unwrap();
    let (folder, name) = uri.rsplit_once('/').unwrap();
    for wrong in ["0-99999999.glb", "..%2f1-2.glb", "99999999999-10.glb"] {
        let status = c.request("GET", &format!("{folder}/{wrong}")).send().await.unwrap().status();
        assert_eq!(status, 404, "{wrong} beside {name}");
    }
    assert!(store.keys().iter().all(|k| k.starts_with("below/jobs/")));
    assert!(std::fs::read_dir(server.data.path()).unwrap().next().is_none(), "nothing lies in the folder");
}

/// Points in all tiles that a tileset document leads to, as the header of each says.
async fn count(c: &Client, uri: &str) -> i64 {
    let document: Value = c.request("GET", uri).send().await.unwrap().json().await.unwrap();
    let folder = uri.rsplit_once('/').unwrap().0;
    let (mut tiles, mut total) = (vec![document["root"].clone()], 0);
    while let Some(tile) = tiles.pop() {
        let next = format!("{folder}/{}", tile["content"]["uri"].as_str().unwrap());
        if next.ends_with("json") {
            total += Box::pin(count(c, &next)).await;
            continue;
        }
        let bytes = c.request("GET", &next).send().await.unwrap().bytes().await.unwrap();
        let word = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
        assert_eq!((&bytes[..4], word(8)), (&b"glTF"[..], bytes.len()));
        let gltf: Value = serde_json::from_slice(&bytes[20..20 + word(12)]).unwrap();
        total += gltf["accessors"][0]["count"].as_i64().unwrap();
        tiles.extend(tile["children"].as_array().cloned().unwrap_or_default());
    }
    total
}

/// Clipped and thinned exports, merged and scan by scan, hold what they should and nothing else.
#[tokio::test]
async fn exports_are_clipped_and_thinned() {
    let (_server, c, id) = job::standing("liv", "Exports").await;
    let o = job::ORIGIN;
    let (low, high) = ([o.x + 1.0, o.y + 1.0, o.z - 5.0], [o.x + 6.0, o.y + 20.0, o.z + 1.0]);
    let mut counts = Vec::new();
    for per_scan in [false, true] {
        let options = json!({ "per_scan": per_scan, "thin": 0.05, "clip_min": low, "clip_max": high });
        let task = c.ok("POST", &format!("/api/jobs/{id}/packages"), options).await;
        let end = c.wait(&id, &task).await;
        assert_eq!(end["state"], "done", "{end}");
        let package = c.ok("GET", &format!("/api/jobs/{id}/packages"), Value::Null).await[0].clone();
        let path = format!("/api/jobs/{id}/packages/{}/download", package["id"].as_str().unwrap());
        let bytes = c.request("GET", &path).send().await.unwrap().bytes().await.unwrap();
        let mut zip = zip::ZipArchive::new(std::io::Cursor::new(bytes.to_vec())).unwrap();
        let names: Vec<String> =
            zip.file_names().map(|n| n.unwrap().into_owned()).filter(|n| n.ends_with("laz")).collect();
        assert_eq!(names.len(), if per_scan { 4 } else { 1 });
        let (mut cells, mut count) = (std::collections::HashSet::new(), 0);
        for (scan, name) in names.iter().enumerate() {
            let mut laz = Vec::new();
            std::io::Read::read_to_end(&mut zip.by_name(name).unwrap(), &mut laz).unwrap();
            let mut reader = las::Reader::new(std::io::Cursor::new(laz)).unwrap();
            let data = reader.read_all().unwrap();
            for ((x, y), z) in data.x().zip(data.y()).zip(data.z()) {
                count += 1;
                for (v, (a, b)) in [x, y, z].iter().zip(low.iter().zip(&high)) {
                    assert!((a - 2e-4..b + 2e-4).contains(v), "{name}: a point outside the box");
                }
                let cell = |v: f64, o: f64| ((v - o) / 0.05).floor() as i64;
                cells.insert((if per_scan { scan } else { 0 }, cell(x, low[0]), cell(y, low[1]), cell(z, low[2])));
            }
        }
        // one point a cell; the cells of the export begin elsewhere than those counted here
        assert!(count > 500 && count <= cells.len() * 2, "{count} points in {} cells", cells.len());
        assert_eq!(package["manifest"]["points"].as_u64().unwrap() as usize, count);
        counts.push(count);
    }
    assert!(counts[0] < counts[1], "merged scans share cells: {counts:?}");
    let wrong = json!({ "clip_min": [5.0, null, null], "clip_max": [1.0, null, null] });
    assert!(c.refused(422, "POST", &format!("/api/jobs/{id}/packages"), wrong).await.contains("the clip box is empty"));
}

/// Too little room is said before a byte is sent, and again before a task begins: another job may
/// have taken it meanwhile.
#[tokio::test]
async fn room_is_asked_for_first() {
    let mut server = Server::start().await;
    let c = server.person("rut").await;
    let files = job::files();
    let id = job::new(&c, "Full", files).await;
    let all = &files.scans[0].1;
    let n = all.len();
    let answer = c.announce(&id, &[("filename", "room.e57")], n, all[..n / 2].to_vec()).await;
    assert_eq!(answer.status(), 201);
    let at = location(&answer);
    server.kill();
    server.set("VISTAZO_KEEP_FREE", "1000000000000000");
    server.restart().await;
    let refused = c.announce(&id, &[("filename", "more.e57")], n, vec![]).await;
    assert_eq!(refused.status(), 507);
    let said = refused.text().await.unwrap();
    assert!(said.contains("more.e57: about 0.0 GB are needed") && said.contains("0.0 GB are free"), "{said}");
    c.append(&at, n as u64 / 2, all[n / 2..].to_vec(), None).await;
    let task = c.ingest(&id, &at).await;
    let end = c.wait(&id, &task).await;
    assert_eq!(end["state"], "failed");
    assert!(end["message"].as_str().unwrap().contains("make room first"), "{end}");
    // nothing was lost: with room again, the same task goes through
    server.kill();
    server.set("VISTAZO_KEEP_FREE", "0");
    server.restart().await;
    let again = format!("/api/jobs/{id}/tasks/{}/retry", task["id"].as_str().unwrap());
    c.ok("POST", &again, Value::Null).await;
    assert_eq!(c.wait(&id, &task).await["state"], "done");
}

/// What a killed program left in the store goes when the next one starts; what is in use stays.
#[tokio::test]
async fn what_is_left_behind_is_swept() {
    let mut server = Server::start().await;
    let c = server.person("una").await;
    let files = job::files();
    let id = job::new(&c, "Left behind", files).await;
    assert_eq!(c.upload(&id, "one.e57", files.scans[0].1.clone()).await["state"], "done");
    let half = c.announce(&id, &[("filename", "half.e57")], 1000, vec![1; 500]).await;
    let base = server.data.path().join(format!("jobs/{id}"));
    let upload = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await[0]["upload_id"].clone();
    let stale = base.join(format!("scans/{}-0/{}", upload.as_str().unwrap(), uuid::Uuid::now_v7()));
    let orphan = base.join(format!("scans/{}-0/{}", uuid::Uuid::now_v7(), uuid::Uuid::now_v7()));
    let part = base.join(format!("uploads/{}", uuid::Uuid::now_v7()));
    for folder in [&stale, &orphan, &part] {
        std::fs::create_dir_all(folder).unwrap();
        std::fs::write(folder.join("scan"), b"left").unwrap();
        std::fs::write(folder.join("tiles#1"), b"begun").unwrap();
    }
    let files_there = |folder: &std::path::Path| std::fs::read_dir(folder).map_or(0, Iterator::count);
    for name in ["scan", "tiles#1"] {
        let old = std::fs::File::options().write(true).open(part.join(name)).unwrap();
        old.set_modified(std::time::SystemTime::now() - std::time::Duration::from_hours(25)).unwrap();
    }
    let young = base.join("uploads/00000000-0000-7000-8000-000000000000");
    std::fs::create_dir_all(&young).unwrap();
    std::fs::write(young.join("part"), b"being sent to another server").unwrap();
    server.kill();
    server.restart().await;
    for _ in 0..100 {
        if [&stale, &orphan, &part].iter().all(|f| files_there(f) == 0) {
            break;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    assert_eq!([&stale, &orphan, &part].map(|f| files_there(f)), [0; 3]);
    assert_eq!(files_there(&young), 1, "a part that may still be recorded stays");
    assert_eq!(c.arrived(&location(&half)).await, 500);
    c.run(&id, "/register").await;
    let cloud = c.ok("GET", &format!("/api/jobs/{id}/uploads"), Value::Null).await;
    assert!(cloud["usage"]["derived"].as_i64().unwrap() > 100_000);
}
