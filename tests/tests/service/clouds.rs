//! A job without a single target: its scans are tied by what they show, judged, and decided upon.

use serde_json::{Value, json};
use vistazo_core::geometry::Vec3;
use vistazo_tests::{Server, job};

#[tokio::test]
async fn scans_without_targets_are_tied_by_what_they_show() {
    let server = Server::start().await;
    let c = server.person("tove").await;
    let files = job::files_of(job::without_targets());
    let id = job::new(&c, "No targets", &files).await;
    let base = format!("/api/jobs/{id}");
    for (name, bytes) in &files.scans {
        assert_eq!(c.upload(&id, name, bytes.clone()).await["state"], "done");
    }
    // one key: where targets hold nothing, the clouds are asked
    c.run(&id, "/register").await;
    let result = c.ok("GET", &format!("{base}/adjustment"), Value::Null).await["result"].clone();
    assert_eq!(result["refused"], Value::Null, "{}", result["refused"]);
    let stations = result["stations"].as_array().unwrap().clone();
    assert_eq!(stations.len(), files.scans.len());
    let at =
        |s: &Value| -> Vec3 { serde_json::from_value::<[f64; 3]>(s["pose"]["translation"].clone()).unwrap().into() };
    for (i, a) in stations.iter().enumerate() {
        for (j, b) in stations.iter().enumerate().skip(i + 1) {
            let truth = (files.job.truth.poses[i].translation - files.job.truth.poses[j].translation).norm();
            let off = (at(a) - at(b)).norm() - truth;
            let bound = a["error"]["spatial"].as_f64().unwrap() + b["error"]["spatial"].as_f64().unwrap();
            assert!(off.abs() < 0.003 && off.abs() < bound + 0.001, "{i}–{j}: {off} m, stated {bound}");
        }
    }
    // every tie says what it rests on, and the block says what it thinks of it
    let ties = c.ok("GET", &format!("{base}/cloud-ties"), Value::Null).await;
    let taken: Vec<&Value> = ties.as_array().unwrap().iter().filter(|t| t["takes_part"] == true).collect();
    assert!(taken.len() >= files.scans.len() - 1, "{ties}");
    assert_eq!(result["cloud_ties"].as_array().unwrap().len(), taken.len());
    assert!(taken.iter().all(|t| !t["reasons"].as_array().unwrap().is_empty()));
    // it is looked at: slices of both scans, and what the other decision would change
    let one = taken[0];
    let tie = one["id"].as_str().unwrap();
    let card = c.ok("GET", &format!("{base}/cloud-ties/{tie}/card"), Value::Null).await;
    let slices = card["slices"].as_array().unwrap();
    assert_eq!(slices.len(), 3);
    for s in slices {
        assert!(!s["first"].as_array().unwrap().is_empty() && !s["second"].as_array().unwrap().is_empty());
        // one slice shows a few surfaces only, as this instrument sees them from either side
        assert!(s["offset"].as_f64().unwrap() < 0.003, "{}", s["offset"]);
    }
    assert_eq!(card["otherwise"]["with"], false);
    // it is turned down: the result is out of date, the reason stands in the log, and it takes no part in the next
    let decision =
        |version: &Value| json!([{ "id": tie, "version": version, "decision": "rejected", "reason": "glass" }]);
    c.ok("PATCH", &format!("{base}/cloud-ties"), decision(&one["version"])).await;
    c.refused(409, "PATCH", &format!("{base}/cloud-ties"), decision(&one["version"])).await;
    assert_eq!(c.ok("GET", &format!("{base}/adjustment"), Value::Null).await["stale"], true);
    let log = c.ok("GET", &format!("{base}/log"), Value::Null).await.to_string();
    assert!(log.contains("rejected (glass)"), "{log}");
    c.run(&id, "/register").await;
    let again = c.ok("GET", &format!("{base}/adjustment"), Value::Null).await["result"].clone();
    assert!(again["cloud_ties"].as_array().unwrap().iter().all(|t| t["tie"] != tie));
    // what was found stays: looking again asks nothing anew, and the decision holds
    c.run(&id, "/cloud-ties").await;
    let kept = c.ok("GET", &format!("{base}/cloud-ties"), Value::Null).await;
    let mine = kept.as_array().unwrap().iter().find(|t| t["id"] == tie).unwrap();
    assert_eq!((mine["decision"].as_str(), mine["takes_part"].as_bool()), (Some("rejected"), Some(false)));
}
