//! The registrar's hands: a scan that hangs on nothing is laid over another, by turning and sliding and by picked
//! pairs, judged like any other tie, and taken back; where one more scan would help; targets pointed at.

use serde_json::{Value, json};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Server, job};

fn sent(p: &Pose) -> Value {
    let q = p.rotation;
    let t: [f64; 3] = p.translation.into();
    json!({ "rotation": [q.w, q.i, q.j, q.k], "translation": t })
}

fn received(v: &Value) -> Pose {
    let r: [f64; 4] = serde_json::from_value(v["rotation"].clone()).unwrap();
    let t: [f64; 3] = serde_json::from_value(v["translation"].clone()).unwrap();
    let rotation = nalgebra::UnitQuaternion::from_quaternion(nalgebra::Quaternion::new(r[0], r[1], r[2], r[3]));
    Pose { rotation, translation: t.into() }
}

fn vector(v: &Value) -> Vec3 {
    serde_json::from_value::<[f64; 3]>(v.clone()).unwrap().into()
}

#[tokio::test]
async fn a_scan_apart_is_joined_by_hand() {
    let server = Server::start().await;
    let c = server.person("runa").await;
    let files = job::files_of(job::without_targets());
    let id = job::new(&c, "In two parts", &files).await;
    let base = format!("/api/jobs/{id}");
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    c.run(&id, "/register").await;
    let scans = c.ok("GET", &format!("{base}/scans"), Value::Null).await;
    let scans: Vec<&Value> = scans.as_array().unwrap().iter().collect();
    let last = scans.len() - 1;
    let (a, b) = (&scans[0]["id"], &scans[last]["id"]);
    let name = scans[last]["name"].as_str().unwrap();
    let poses = &files.job.truth.poses;
    let truth = poses[0].inverse().compose(&poses[last]);

    // the last scan loses all that tied it: it stands apart and is not forced
    let ties = c.ok("GET", &format!("{base}/cloud-ties"), Value::Null).await;
    let of_last = ties.as_array().unwrap().iter().filter(|t| t["a"] == name || t["b"] == name);
    let decisions: Vec<Value> = of_last
        .map(|t| json!({ "id": t["id"], "version": t["version"], "decision": "rejected", "reason": "power lost" }))
        .collect();
    c.ok("PATCH", &format!("{base}/cloud-ties"), Value::Array(decisions)).await;
    c.run(&id, "/register").await;
    let parts = c.ok("GET", &format!("{base}/cloud-ties/parts"), Value::Null).await;
    assert_eq!(parts.as_array().unwrap().len(), 2, "{parts}");
    assert_eq!((parts[1]["names"][0].as_str(), parts[1]["registered"].as_bool()), (Some(name), Some(false)));

    // turned and slid: figures come at once, and say when it lies wrong
    let laid = truth.moved(&nalgebra::Vector6::new(0.15, -0.1, 0.05, 0.0, 0.0, 0.03));
    let near = c
        .ok("POST", &format!("{base}/cloud-ties/trial"), json!({ "a": a, "b": b, "pose": sent(&truth), "parts": true }))
        .await;
    let wrong = Pose::levelled(0.0, Vec3::new(0.0, 0.0, 1.5)).compose(&truth);
    let off = c.ok("POST", &format!("{base}/cloud-ties/trial"), json!({ "a": a, "b": b, "pose": sent(&wrong) })).await;
    let conflict =
        |t: &Value| t["conflict"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap()).fold(0.0, f64::max);
    assert!(conflict(&near) < 0.01 && conflict(&off) > 0.05, "{} against {}", near["conflict"], off["conflict"]);
    assert!(near["rms"].as_f64().unwrap() < 0.004, "{}", near["rms"]);
    assert_eq!((near["from"].as_str(), near["slices"].as_array().unwrap().len()), (Some("given"), 3));

    // the same corners picked in both: near enough for the clouds; a pair that is another thing is named
    let mut pairs: Vec<Value> = Vec::new();
    let site = &files.job.scene.site;
    let feet = site.walls[0].line[..4].iter().map(|p| Vec3::new(p.x, p.y, 0.0));
    let things = site
        .obstacles
        .iter()
        .flat_map(|o| o.outline.iter().flat_map(|p| [Vec3::new(p.x, p.y, 0.0), Vec3::new(p.x, p.y, o.top)]));
    for corner in feet.chain(things) {
        let direction: [f64; 3] = poses[0].inverse().apply(&corner).into();
        let point = async |scan: &Value, direction: [f64; 3]| {
            let path = format!("{base}/scans/{}/point", scan.as_str().unwrap());
            let said = c.call("POST", &path, json!({ "direction": direction })).await;
            (said.0 == 200).then_some(said.1).filter(|p| p["feature"] == "corner")
        };
        let Some(mine) = point(a, direction).await else { continue };
        let there: [f64; 3] = truth.inverse().apply(&vector(&mine["at"])).into();
        let Some(theirs) = point(b, there).await else { continue };
        let apart = (truth.apply(&vector(&theirs["at"])) - vector(&mine["at"])).norm();
        let known = pairs.iter().any(|p| (vector(&p["first"]) - vector(&mine["at"])).norm() < 0.3);
        if apart < 0.05 && !known {
            pairs.push(json!({ "first": mine["at"], "second": theirs["at"], "sigma": 0.01 }));
        }
        if pairs.len() == 4 {
            break;
        }
    }
    assert_eq!(pairs.len(), 4, "corners that both scans show");
    let (first, second) = (pairs[0]["first"].clone(), pairs[1]["second"].clone());
    pairs.push(json!({ "first": first, "second": second, "sigma": 0.01 }));
    let by = c.ok("POST", &format!("{base}/cloud-ties/pairs"), json!({ "a": a, "b": b, "pairs": pairs })).await;
    assert_eq!(by["wrong"], json!([false, false, false, false, true]), "{by}");
    let difference = received(&by["pose"]).difference(&truth);
    assert!(difference.fixed_rows::<3>(0).norm() < 0.03, "{difference}");

    // the clouds hold it from where it was laid, and it is a tie like any other
    let tie = c
        .ok(
            "POST",
            &format!("{base}/cloud-ties/by-hand"),
            json!({ "a": b, "b": a, "pose": sent(&laid.inverse()), "reason": "power lost between them" }),
        )
        .await;
    assert_eq!((tie["laid_by"].as_str(), tie["decision"].as_str()), (Some("runa"), Some("")), "{tie}");
    assert!(!tie["rival"].is_null(), "another place stands beside it");
    let off = received(&tie["relative"]).difference(&truth).fixed_rows::<3>(0).norm();
    assert!(off < 0.003 && off < tie["weakest95"].as_f64().unwrap() + 0.0005, "{off} m");
    let version = if tie["takes_part"] == true {
        tie["version"].clone()
    } else {
        let accepted =
            json!([{ "id": tie["id"], "version": tie["version"], "decision": "accepted", "reason": "seen" }]);
        let all = c.ok("PATCH", &format!("{base}/cloud-ties"), accepted).await;
        all.as_array().unwrap().iter().find(|t| t["id"] == tie["id"]).unwrap()["version"].clone()
    };
    c.run(&id, "/register").await;
    let result = c.ok("GET", &format!("{base}/adjustment"), Value::Null).await["result"].clone();
    assert_eq!(result["stations"].as_array().unwrap().len(), scans.len());
    // searching again does not undo what a hand did
    c.run(&id, "/cloud-ties").await;
    let tie_id = tie["id"].as_str().unwrap();
    let kept = c.ok("GET", &format!("{base}/cloud-ties"), Value::Null).await;
    let mine = kept.as_array().unwrap().iter().find(|t| t["id"] == tie_id).unwrap();
    assert_eq!(mine["laid_by"], "runa");

    // where one more scan would see both
    let more = c.ok("GET", &format!("{base}/cloud-ties/{tie_id}/one-more"), Value::Null).await;
    assert!(more["overlap"].as_array().unwrap().iter().all(|v| v.as_f64().unwrap() > 0.2), "{more}");

    // one step back: the tie is as it was
    c.refused(409, "DELETE", &format!("{base}/cloud-ties/{tie_id}/by-hand?version=0"), Value::Null).await;
    c.ok("DELETE", &format!("{base}/cloud-ties/{tie_id}/by-hand?version={version}"), Value::Null).await;
    let back = c.ok("GET", &format!("{base}/cloud-ties"), Value::Null).await;
    let mine = back.as_array().unwrap().iter().find(|t| t["id"] == tie_id).unwrap();
    assert_eq!((mine["decision"].as_str(), mine["laid_by"].is_null()), (Some("rejected"), true), "{mine}");
    let log = c.ok("GET", &format!("{base}/log"), Value::Null).await.to_string();
    assert!(log.contains("laid by hand (power lost between them)") && log.contains("taken back"), "{log}");

    // the same four corners marked as targets in both hold the scan without any tie by clouds
    let mut marked: Vec<String> = Vec::new();
    for (scan, end) in [(a, "first"), (b, "second")] {
        let targets = format!("{base}/scans/{}/targets", scan.as_str().unwrap());
        for pair in &pairs[..4] {
            let made = c.ok("POST", &targets, json!({ "direction": pair[end], "kind": "corner" })).await;
            marked.push(made.as_str().unwrap().to_owned());
        }
        let said = c.refused(409, "POST", &targets, json!({ "direction": pairs[0][end], "kind": "corner" })).await;
        assert!(said.contains("found already"), "{said}");
    }
    c.run(&id, "/register").await;
    let held = c.ok("GET", &format!("{base}/adjustment"), Value::Null).await["result"].clone();
    let station = |n: &Value| {
        let all = held["stations"].as_array().unwrap();
        all.iter().find(|s| s["name"] == *n).map(|s| received(&s["pose"]))
    };
    let (one, other) = (station(&scans[0]["name"]).unwrap(), station(&scans[last]["name"]).expect("held by corners"));
    let off = one.inverse().compose(&other).difference(&truth).fixed_rows::<3>(0).norm();
    assert!(off < 0.02, "{off} m");
    let corners =
        held["observations"].as_array().unwrap().iter().filter(|o| o["kind"] == "corner" && o["active"] == true);
    assert!(corners.count() >= 6, "{}", held["observations"]);
    for detection in &marked {
        c.ok("DELETE", &format!("{base}/detections/{detection}"), Value::Null).await;
    }

    // the same at the page: the parts are asked about, the scan is moved by keys, laid, and judged
    c.run(&id, "/register").await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.click("//a[contains(@class, 'job-row')]").await;
    b.sheet("Register").await;
    b.see("//section[contains(., 'The scans fall into 2 parts')]").await;
    b.see("//*[@aria-label='Station graph']").await;
    b.click(&format!("//button[starts-with(normalize-space(.), 'Join {name}')]")).await;
    b.see("//figure[contains(@class, 'laid')]//canvas").await;
    b.click("//div[normalize-space(.)='pick pairs' and contains(@class, 'label')]").await;
    b.see("//canvas[starts-with(@aria-label, 'Panorama of')]").await;
    b.click("//div[normalize-space(.)='turn and slide' and contains(@class, 'label')]").await;
    b.press("Let the clouds hold it, and judge").await;
    b.says("laid by hand by runa").await;
    b.see("//button[normalize-space(.)='Take back what was laid by hand']").await;
    b.close().await;
}

#[tokio::test]
async fn choices_say_what_they_change_and_targets_are_pointed_at() {
    let server = Server::start().await;
    let c = server.person("edda").await;
    let files = job::files();
    let id = job::new(&c, "Hands on targets", files).await;
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    c.run(&id, "/register").await;
    let base = format!("/api/jobs/{id}");
    let now = c.ok("GET", &format!("{base}/adjustment"), Value::Null).await["result"].clone();

    // what leaving one out would change, before it is left out
    let one = now["observations"].as_array().unwrap().iter().find(|o| !o["detection"].is_null()).unwrap().clone();
    let choice = json!({ "ids": [one["detection"]], "excluded": true });
    let said = c.ok("POST", &format!("{base}/adjustment/otherwise"), choice).await;
    let worst = |k: &str| said[k]["spatial"].as_f64().unwrap();
    assert!(worst("then") >= worst("now") * 0.999, "fewer observations hold no better: {said}");
    let detections = c.ok("GET", &format!("{base}/detections"), Value::Null).await;
    assert!(detections.as_array().unwrap().iter().all(|d| d["excluded"] == false), "nothing is kept of it");

    // targets, clouds or both: each with what it gives
    let advice = c.ok("GET", &format!("{base}/adjustment/schools"), Value::Null).await;
    let outcome = |by: &str| advice["outcomes"].as_array().unwrap().iter().find(|o| o["by"] == by).unwrap().clone();
    assert_eq!(outcome("targets")["placed"], advice["scans"]);
    assert_eq!(outcome("clouds")["placed"], 0);
    assert_eq!(advice["take"], "targets", "{advice}");

    // a sphere that was found already, and a place where there is none
    let sphere = detections.as_array().unwrap().iter().find(|d| d["kind"] == "sphere").unwrap();
    let targets = format!("{base}/scans/{}/targets", sphere["scan"].as_str().unwrap());
    let said =
        c.refused(409, "POST", &targets, json!({ "direction": sphere["data"]["centre"], "kind": "sphere" })).await;
    assert!(said.contains("found already"), "{said}");
    let said = c.refused(409, "POST", &targets, json!({ "direction": [0.3, 0.2, -1.0], "kind": "sphere" })).await;
    assert!(said.contains("no sphere of") || said.contains("nothing was measured"), "{said}");
    let said = c.refused(409, "POST", &targets, json!({ "direction": [1.0, 0.0, 0.0], "kind": "corner" })).await;
    assert!(said.contains("no three surfaces") || said.contains("nothing was measured"), "{said}");
    let said = c.refused(422, "POST", &targets, json!({ "direction": [0.0, 0.0, 0.0], "kind": "checkerboard" })).await;
    assert!(said.contains("direction"), "{said}");
}
