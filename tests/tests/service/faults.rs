//! Bad input and bad moments: clear words, nothing lost, nothing half-written.

use serde_json::{Value, json};
use std::time::Duration;
use vistazo_sim::{Scanner, scan, small_job};
use vistazo_tests::{Server, job};

async fn scans(c: &vistazo_tests::Client, id: &str) -> usize {
    c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await.as_array().unwrap().len()
}

#[tokio::test]
async fn bad_files_are_named_and_nothing_is_kept() {
    let server = Server::start().await;
    let c = server.person("bea").await;
    let files = job::files();
    let id = c.ok("POST", "/api/jobs", json!({ "name": "Bad files", "brief": job::brief(&files.job) })).await["id"]
        .as_str()
        .unwrap()
        .to_owned();
    let good = &files.scans[0].1;
    let mut false_count = good.clone();
    // the announced length of the file in the E57 header
    false_count[16..24].copy_from_slice(&u64::MAX.to_le_bytes());
    for (name, bytes, words) in [
        ("empty.e57", Vec::new(), "the file is empty"),
        ("cut.e57", good[..good.len() / 2].to_vec(), "cut.e57: the file is damaged or cut short"),
        ("false.e57", false_count, "false.e57: the file is damaged"),
        ("photo.e57", b"\x89PNG\r\n\x1a\n0000000000".to_vec(), "does not look like E57, LAS, LAZ, PLY or XYZ text"),
        ("short.las", b"LASF\0\0\0\0".to_vec(), "the file is damaged or cut short"),
        ("words.xyz", b"1 2 3 0.5\n4 5 six 0.5\n".to_vec(), "line 2, column 3: found “six”, expected a number"),
        ("zeros.xyz", b"0 0 0\n0 0 0\n".to_vec(), "zeros.xyz: the file holds no points"),
        ("big.xyz", vec![b'1'; 61_000_000], "the file is larger than the 0.06 GB accepted here"),
    ] {
        let end = c.upload(&id, name, bytes).await;
        assert!(["failed", "refused"].contains(&end["state"].as_str().unwrap()), "{name}: {end}");
        assert!(end["message"].as_str().unwrap().contains(words), "{name}: {end}");
    }
    assert_eq!(scans(&c, &id).await, 0, "nothing of a bad file is kept");
    // two scans in one file both come in; the same names again are made free, not refused
    assert_eq!(c.upload(&id, "two.e57", job::e57(&files.job, &[0, 1])).await["state"], "done");
    assert_eq!(c.upload(&id, "again.e57", job::e57(&files.job, &[1])).await["state"], "done");
    let names: Vec<String> = c
        .ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null)
        .await
        .as_array()
        .unwrap()
        .iter()
        .map(|s| s["name"].as_str().unwrap().to_owned())
        .collect();
    assert_eq!(names, ["R1", "R2", "R2-2"]);
    // a cloud of a project is no scan: it comes in where it lies, and registration leaves it alone
    let grid = |k: usize| {
        format!("{:.3} {:.3} {:.3}\n", 412_345.6 + (k % 40) as f64 * 0.1, 5_604_830.0, (k / 40) as f64 * 0.1)
    };
    let cloud: String = (0..1600).map(grid).collect();
    assert_eq!(c.upload(&id, "merged.xyz", cloud.into_bytes()).await["state"], "done");
    let all = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
    assert_eq!((all[3]["has_scanner"].as_bool(), all[0]["has_scanner"].as_bool()), (Some(false), Some(true)));
    let shown = c.ok("GET", &format!("/api/jobs/{id}/cloud"), Value::Null).await;
    assert!(shown["scans"].as_array().unwrap().iter().any(|s| s["name"] == "merged"), "{shown}");
    let row = &all[2];
    let said = c
        .refused(
            409,
            "PUT",
            &format!("/api/jobs/{id}/scans/{}", row["id"].as_str().unwrap()),
            json!({ "name": "r1", "levelled": true, "log": {}, "version": row["version"] }),
        )
        .await;
    assert!(said.contains("the name “r1” is used already"), "{said}");
}

#[tokio::test]
async fn what_cannot_be_registered_or_fitted_is_explained() {
    let server = Server::start().await;
    let c = server.person("eva").await;
    let files = job::files();
    let mut brief = job::brief(&files.job);
    brief["sphere_diameter"] = 0.4.into();
    brief["checker_side"] = Value::Null;
    let row = c.ok("POST", "/api/jobs", json!({ "name": "Doubts", "brief": brief })).await;
    let id = row["id"].as_str().unwrap().to_owned();
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    // diameter and radius mixed up: said with the size that was measured
    c.run(&id, "/register").await;
    let a = c.ok("GET", &format!("/api/jobs/{id}/adjustment"), Value::Null).await;
    // no target is of the size, and what an oblong room shows fits nearly as well after half a turn: a person decides
    let said = a["result"]["refused"].as_str().unwrap();
    assert!(said.contains("doubtful and wait"), "{said}");
    let ties = c.ok("GET", &format!("/api/jobs/{id}/cloud-ties"), Value::Null).await;
    let seen = |t: &Value| json!({ "id": t["id"], "version": t["version"], "decision": "accepted", "reason": "seen" });
    let seen: Vec<Value> = ties.as_array().unwrap().iter().map(seen).collect();
    c.ok("PATCH", &format!("/api/jobs/{id}/cloud-ties"), json!(seen)).await;
    c.run(&id, "/register").await;
    let a = c.ok("GET", &format!("/api/jobs/{id}/adjustment"), Value::Null).await;
    assert_eq!(a["result"]["refused"], Value::Null);
    assert_eq!(a["result"]["targets"], json!([]));
    assert!(
        a["result"]["findings"].to_string().contains("diameter and radius are mixed up"),
        "{}",
        a["result"]["findings"]
    );
    let said = c.refused(409, "POST", &format!("/api/jobs/{id}/georeference"), json!({ "model": "levelled" })).await;
    assert!(said.contains("control points"), "{said}");

    brief["sphere_diameter"] = 0.2.into();
    c.ok("PUT", &format!("/api/jobs/{id}"), json!({ "name": "Doubts", "brief": brief, "version": row["version"] }))
        .await;
    let said = c
        .refused(
            409,
            "PUT",
            &format!("/api/jobs/{id}"),
            json!({ "name": "Doubts", "brief": brief, "version": row["version"] }),
        )
        .await;
    assert!(said.contains("somebody changed this"), "{said}");
    // a scan from elsewhere shares nothing
    let other = small_job(99);
    let raw = scan(&other.scene, &Scanner::perfect(&other.instrument), &other.truth.poses[0], 0, 1, &|_| true).unwrap();
    let text: String = raw
        .points
        .iter()
        .zip(&raw.intensity)
        .step_by(2)
        .map(|(p, i)| format!("{:.4} {:.4} {:.4} {i:.3}\n", p[0], p[1], p[2]))
        .collect();
    assert_eq!(c.upload(&id, "elsewhere.xyz", text.into_bytes()).await["state"], "done");
    c.run(&id, "/register").await;
    let a = c.ok("GET", &format!("/api/jobs/{id}/adjustment"), Value::Null).await;
    assert_eq!(a["result"]["stations"].as_array().unwrap().len(), 4, "{}", a["result"]["refused"]);
    assert!(
        a["result"]["findings"].to_string().contains("elsewhere has no place in the block"),
        "{}",
        a["result"]["findings"]
    );

    let control = async |text: &str, unit: &str| {
        c.ok(
            "POST",
            &format!("/api/jobs/{id}/control"),
            json!({ "text": text, "unit": unit, "sigma_h": 0.001, "sigma_v": 0.001, "replace": true }),
        )
        .await
    };
    let fit = async || c.call("POST", &format!("/api/jobs/{id}/georeference"), json!({ "model": "levelled" })).await;
    let said = c
        .refused(
            422,
            "POST",
            &format!("/api/jobs/{id}/control"),
            json!({ "text": "A;1;2;3\nB;1;2", "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 }),
        )
        .await;
    assert_eq!(said, "line 2, column 4: found nothing, expected a height (a number)");
    // two points only
    control(&files.control_text.lines().take(3).collect::<Vec<_>>().join("\n"), "m").await;
    let (status, answer) = fit().await;
    assert_eq!(status, 409);
    assert!(answer["error"].as_str().unwrap().contains("at least 3 with plan coordinates"), "{answer}");
    // the heading lies: northing and easting swapped
    control(&files.control_text.replace("Northing;Easting", "Easting;Northing"), "m").await;
    let (_, answer) = fit().await;
    assert!(answer["error"].as_str().unwrap_or("").contains("easting and northing swapped"), "{answer}");
    // metres read as feet
    control(&files.control_text, "ft").await;
    let (_, answer) = fit().await;
    assert!(answer["error"].as_str().unwrap_or("").contains("read as feet"), "{answer}");
    control(&files.control_text, "m").await;
    let (status, answer) = fit().await;
    assert_eq!(status, 200, "{answer}");
    // and the fit agrees with the truth: exact control, so only the scans' own error is left
    for t in answer["result"]["residuals"].as_array().unwrap() {
        let r: Vec<f64> = t["residual"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap().abs()).collect();
        assert!(r.iter().all(|v| *v < 0.002), "{t}");
    }
    // something changes: the result is out of date and says so
    let scan = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await[4]["id"].as_str().unwrap().to_owned();
    c.ok("DELETE", &format!("/api/jobs/{id}/scans/{scan}"), Value::Null).await;
    assert_eq!(c.ok("GET", &format!("/api/jobs/{id}/georeference"), Value::Null).await["stale"], true);
    let said = c.refused(409, "POST", &format!("/api/jobs/{id}/packages"), Value::Null).await;
    assert!(said.contains("out of date"), "{said}");
}

#[tokio::test]
async fn a_killed_server_leaves_nothing_half_written() {
    let mut server = Server::start().await;
    let c = server.person("kim").await;
    let files = job::files();
    let id = c.ok("POST", "/api/jobs", json!({ "name": "Killed", "brief": job::brief(&files.job) })).await["id"]
        .as_str()
        .unwrap()
        .to_owned();
    let all = job::e57(&files.job, &[0, 1, 2, 3]);
    for wait in [30, 150, 400] {
        // cut down in the middle of an ingest of four scans
        let task = c.send(&id, &format!("all-{wait}.e57"), all.clone()).await.unwrap();
        tokio::time::sleep(Duration::from_millis(wait)).await;
        server.kill();
        let db = server.pool().await;
        let stored: i64 = sqlx::query_scalar("select count(*) from scans").fetch_one(&db).await.unwrap();
        assert_eq!(stored % 4, 0, "a file comes in whole or not at all");
        db.close().await;
        server.restart().await;
        let end = c.wait(&id, &task).await;
        assert_eq!(end["state"], "done", "{end}");
    }
    assert_eq!(scans(&c, &id).await, 12);
    let keys: Vec<String> = sqlx::query_scalar("select key from scans").fetch_all(&server.pool().await).await.unwrap();
    for key in keys {
        let bytes = std::fs::read(server.data.path().join(&key).join("scan")).unwrap();
        vistazo_formats::canonical::read(&mut bytes.as_slice(), bytes.len() as u64)
            .unwrap_or_else(|e| panic!("{key}: {e}"));
    }
    // a cancelled task ends as cancelled and keeps nothing
    let task = c.send(&id, "late.e57", all).await.unwrap();
    c.ok("DELETE", &format!("/api/jobs/{id}/tasks/{}", task["id"].as_str().unwrap()), Value::Null).await;
    let end = c.wait(&id, &task).await;
    let kept = scans(&c, &id).await;
    assert!((end["state"] == "cancelled" && kept == 12) || (end["state"] == "done" && kept == 16), "{end} {kept}");
}

/// What the disk changed or lost is named, by the scrub, by the task that reads it and by a download that breaks off;
/// the rest stays usable, and what can be made again is.
#[tokio::test]
async fn damage_in_the_store_is_named_and_the_rest_stays_usable() {
    let server = Server::start().await;
    let c = server.person("rut").await;
    let id = job::on_grid(&c, "Damaged", job::files()).await;
    c.run(&id, "/packages").await;
    let package =
        c.ok("GET", &format!("/api/jobs/{id}/packages"), Value::Null).await[0]["id"].as_str().unwrap().to_owned();
    let vistazo = |command: &str| {
        let out = std::process::Command::new(std::env::var("VISTAZO_TEST_PROGRAM").unwrap())
            .arg(command)
            .env("VISTAZO_DATABASE_URL", &server.database)
            .env("VISTAZO_DATA", server.data.path())
            .output()
            .unwrap();
        (out.status.success(), String::from_utf8(out.stdout).unwrap())
    };
    let (sound, said) = vistazo("verify");
    assert!(sound && said.contains(": 0 damaged or missing") && said.contains(" 0 left over"), "{said}");
    let db = server.pool().await;
    let file: (String, String) = sqlx::query_as("select u.file_name, p.key from upload_parts p join uploads u on u.id = p.upload_id order by u.sequence limit 1").fetch_one(&db).await.unwrap();
    let zip: String = sqlx::query_scalar("select key from packages").fetch_one(&db).await.unwrap();
    for key in [&file.1, &zip] {
        let path = server.data.path().join(key);
        let mut bytes = std::fs::read(&path).unwrap();
        let middle = bytes.len() / 2;
        bytes[middle] ^= 1;
        std::fs::write(&path, bytes).unwrap();
    }
    let tiles: (String, String) =
        sqlx::query_as("select name, key from scans order by id desc limit 1").fetch_one(&db).await.unwrap();
    std::fs::remove_file(server.data.path().join(format!("{}/tiles", tiles.1))).unwrap();
    let (sound, said) = vistazo("verify");
    assert!(!sound && said.contains("3 damaged or missing, of which 1 can be made again"), "{said}");
    for named in [
        &format!("{} is damaged in the store: found the SHA-256", file.0),
        &format!("scan {}: tiles is damaged", tiles.0),
        "package 1 is damaged",
    ] {
        assert!(said.contains(named), "{named}: {said}");
    }
    // a download breaks off rather than hand over what was not signed
    let path = format!("/api/jobs/{id}/packages/{package}/download");
    assert!(c.request("GET", &path).send().await.unwrap().bytes().await.is_err());
    // read again, the damaged file says so and its scan stays; the lost tiles are there again
    assert!(vistazo("rebuild").0);
    let mut failed = Vec::new();
    for task in c.ok("GET", &format!("/api/jobs/{id}/tasks"), Value::Null).await.as_array().unwrap() {
        let end = c.wait(&id, task).await;
        failed.extend((end["state"] == "failed").then(|| end["message"].as_str().unwrap().to_owned()));
    }
    assert!(
        failed.len() == 1 && failed[0].contains(&format!("{}, from byte 0, is damaged in the store", file.0)),
        "{failed:?}"
    );
    assert_eq!(scans(&c, &id).await, 4);
    let (_, said) = vistazo("verify");
    assert!(said.contains("2 damaged or missing, of which 0 can be made again"), "{said}");
}
