//! A job of passes alone: no tripod stood anywhere, control points that the unit stood on hold it.

use serde_json::{Value, json};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_sim::Walk;
use vistazo_tests::{Client, Server, job};

const HIGH: f64 = 1.4;
/// 1σ of the control points, metres.
const SURVEYED: f64 = 0.002;

/// Twice round the room, from one corner or from another.
fn way(from: usize) -> Vec<Vec3> {
    let round = [(2.0, 1.5), (9.5, 1.6), (9.6, 6.4), (7.6, 6.6), (2.2, 6.5), (1.8, 2.4)];
    (0..13).map(|k| round[(from + k) % 6]).map(|p| Vec3::new(p.0, p.1, HIGH)).collect()
}

async fn bring(c: &Client, id: &str, name: &str, files: (Vec<u8>, Vec<u8>)) -> String {
    let pass = json!({ "name": name, "unit": "Hand-held" });
    let pass = c.ok("POST", &format!("/api/jobs/{id}/passes"), pass).await.as_str().unwrap().to_owned();
    for (part, file, bytes) in [("path", "walk.txt", files.1), ("cloud", "walk.ply", files.0)] {
        let meta = [("filename", file), ("pass", pass.as_str()), ("part", part), ("unit", "m")];
        let answer = c.announce(id, &meta, bytes.len(), bytes).await;
        assert_eq!(answer.status(), 201, "{}", answer.text().await.unwrap());
    }
    for _ in 0..600 {
        let all = c.ok("GET", &format!("/api/jobs/{id}/passes"), Value::Null).await;
        let mut of = all["passes"].as_array().unwrap().iter();
        if of.any(|p| p["id"] == pass.as_str() && p["facts"].is_object()) {
            return pass;
        }
        tokio::time::sleep(std::time::Duration::from_millis(200)).await;
    }
    panic!("{name} was not read");
}

/// Says which control points a pass stood on, and when.
async fn mark(c: &Client, id: &str, pass: &str, marks: &[(f64, &str)]) {
    let marks: Vec<Value> = marks.iter().map(|(t, name)| json!({ "time": t, "point": name, "height": HIGH })).collect();
    keep(c, id, pass, json!(marks)).await;
}

async fn keep(c: &Client, id: &str, pass: &str, marks: Value) {
    let all = c.ok("GET", &format!("/api/jobs/{id}/passes"), Value::Null).await;
    let now = all["passes"].as_array().unwrap().iter().find(|p| p["id"] == pass).unwrap();
    let body =
        json!({ "name": now["name"], "unit": now["unit"], "marks": marks, "whole": false, "version": now["version"] });
    c.ok("PUT", &format!("/api/jobs/{id}/passes/{pass}"), body).await;
}

/// Root mean square in space of a path as it is handed over against where it truly was, metres, and the share of places inside
/// their 95 %.
async fn off(c: &Client, id: &str, pass: &str, walk: &Walk) -> (f64, f64) {
    let table = c.request("GET", &format!("/api/jobs/{id}/passes/{pass}/path.csv")).send().await.unwrap();
    let table = table.text().await.unwrap();
    let rows: Vec<Vec<f64>> =
        table.lines().skip(1).map(|l| l.split(',').map(|v| v.parse().unwrap()).collect()).collect();
    assert_eq!(rows.len(), walk.truth.len());
    let (mut square, mut inside) = (0.0, 0);
    for (row, truth) in rows.iter().zip(&walk.truth) {
        let off = Vec3::new(row[1], row[2], row[3]) - job::on_grid_at(&truth.translation);
        square += off.norm_squared();
        inside += usize::from(off.xy().norm() <= row[4] && off.z.abs() <= row[5]);
    }
    ((square / rows.len() as f64).sqrt(), inside as f64 / rows.len() as f64)
}

#[tokio::test]
async fn passes_without_a_scan_are_held_by_control_checked_drawn_and_handed_over() {
    let server = Server::start().await;
    let c = server.person("wes").await;
    let files = job::files();
    let id = job::new(&c, "No tripod", files).await;
    let base = format!("/api/jobs/{id}");
    let (first, cloud, path) = job::walked(&files.job, &way(0), 51);
    let one = bring(&c, &id, "First", (cloud, path)).await;
    let (second, cloud, path) = job::walked(&files.job, &way(3), 52);
    let two = bring(&c, &id, "Second", (cloud, path)).await;

    // what is said of one as it begins is kept
    let said = json!({ "name": "Said", "unit": "Trolley", "whole": true, "drawn": false,
        "marks": [{ "time": 5.0, "point": "K0", "height": HIGH }] });
    let third = c.ok("POST", &format!("{base}/passes"), said.clone()).await;
    let all = c.ok("GET", &format!("{base}/passes"), Value::Null).await;
    let kept = all["passes"].as_array().unwrap().iter().find(|p| p["id"] == third).unwrap();
    for field in ["/name", "/unit", "/whole", "/drawn", "/marks/0/time", "/marks/0/point", "/marks/0/height"] {
        assert_eq!(kept.pointer(field), said.pointer(field), "{field}");
    }
    c.ok("DELETE", &format!("{base}/passes/{}?version={}", third.as_str().unwrap(), kept["version"]), Value::Null)
        .await;

    // nothing says where they are: they lie in a frame of their own, and can be looked at
    c.run(&id, "/passes/register").await;
    let all = c.ok("GET", &format!("{base}/passes"), Value::Null).await;
    assert_eq!(all["walked"]["frame"], "block");
    let cloud = c.ok("GET", &format!("{base}/cloud?frame=block"), Value::Null).await;
    assert_eq!(cloud["scans"].as_array().unwrap().len(), 2, "{cloud}");
    let why = c.refused(409, "POST", &format!("{base}/georeference"), json!({ "model": "levelled" })).await;
    assert!(why.contains("no pass has a mark on control"), "{why}");

    // four moments of the first walk, of which the third is a check; and a check point nobody stood on
    let last = first.truth.len() - 1;
    let moments = [5, last / 3, last * 5 / 12, last - 5].map(|k| (first.path[k].0, first.truth[k].translation));
    let wrong = [0.0012, -0.0021, 0.0017, -0.0008, 0.0024, -0.0015, 0.0009, -0.0019, 0.0011, 0.0005, -0.001, 0.002];
    let point = |(k, (_, at)): (usize, &(f64, Vec3))| {
        let p = job::on_grid_at(at) - Vec3::z() * HIGH + Vec3::from_column_slice(&wrong[3 * k..3 * k + 3]);
        format!("K{k};{:.4};{:.4};{:.4}\n", p.x, p.y, p.z)
    };
    let far = job::on_grid_at(&Vec3::new(6.0, 4.0, 0.0));
    let text = moments.iter().enumerate().map(point).collect::<String>()
        + &format!("K9;{:.4};{:.4};{:.4}\n", far.x, far.y, far.z);
    let control = json!({ "text": text, "unit": "m", "sigma_h": SURVEYED, "sigma_v": SURVEYED });
    c.ok("POST", &format!("{base}/control"), control).await;
    for row in c.ok("GET", &format!("{base}/control"), Value::Null).await.as_array().unwrap() {
        if ["K2", "K9"].contains(&row["name"].as_str().unwrap()) {
            let held = json!({ "is_check": true, "target": null, "version": row["version"] });
            c.ok("PUT", &format!("{base}/control/{}", row["id"].as_str().unwrap()), held).await;
        }
    }
    // one mark says too little
    mark(&c, &id, &one, &[(moments[0].0, "K0")]).await;
    c.run(&id, "/passes/register").await;
    let all = c.ok("GET", &format!("{base}/passes"), Value::Null).await;
    let said = all["passes"][0]["placed"]["refused"].as_str().unwrap_or_default();
    assert!(said.contains("fewer than two control points"), "{all}");

    let names = ["K0", "K1", "K2", "K3"];
    let stood: Vec<(f64, &str)> = moments.iter().map(|m| m.0).zip(names).collect();
    mark(&c, &id, &one, &stood).await;
    c.run(&id, "/passes/register").await;
    let all = c.ok("GET", &format!("{base}/passes"), Value::Null).await;
    assert_eq!(all["walked"]["frame"], "grid");
    let says = all["passes"][0]["placed"]["says"].to_string();
    assert!(says.contains("At K2, which was held back as a check"), "{says}");
    // the second has no mark, and lies where it was by what the first shows
    for (pass, walk) in [(&one, &first), (&two, &second)] {
        let (rms, share) = off(&c, &id, pass, walk).await;
        println!("{:.1} mm root mean square, {:.0} % inside", 1000.0 * rms, 100.0 * share);
        assert!(rms < 0.015 && share > 0.8, "{rms:.4} m, {share:.2}");
    }

    let grid = c.ok("POST", &format!("{base}/georeference"), json!({ "model": "levelled" })).await;
    let result = &grid["result"];
    assert_eq!(result["source"], "walked");
    assert_eq!(result["residuals"].as_array().unwrap().len(), 3, "{result}");
    let check = &result["checks"][0];
    assert_eq!((&check["name"], &check["target"]), (&json!("K2"), &json!("First")));
    assert!(check["p_value"].as_f64().unwrap() > 0.001, "{check}");
    assert!(check["from_control"].as_f64().unwrap() > 1.0, "{check}");
    assert!(result["warnings"].to_string().contains("no pass has a mark on check point K9"), "{result}");

    // judged by its worst point, drawn from, seen, and in the package
    let verdicts = c.ok("GET", &format!("{base}/verdicts"), Value::Null).await;
    assert!(verdicts.to_string().contains("passes and required surfaces within the limit"), "{verdicts}");
    let summary = c.ok("GET", &format!("{base}/summary"), Value::Null).await;
    assert!(summary["on_grid"] == true && summary["weakest"].is_string(), "{summary}");
    assert!(summary["walked"] == true && summary["sheets"][1]["state"] == "done", "{summary}");
    let sheet = json!({ "name": "Room", "floor": job::ORIGIN.z, "cut": 1.25, "thickness": 0.1 });
    let drawn = c.run_body(&id, "/drawing", sheet).await;
    assert!(drawn["message"].as_str().unwrap().contains("2 passes"), "{drawn}");
    let drawing = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    let floor = drawing["floors"][0][0].as_f64().unwrap();
    assert!((floor - job::ORIGIN.z).abs() < 0.2, "{floor}");
    let lines = drawing["items"].as_array().unwrap().iter().filter(|i| i["kind"] == "line").count();
    assert!(lines >= 4 && drawing["stale"] == json!([]), "{lines} lines");
    c.run_body(&id, "/packages", json!({ "formats": ["laz", "e57", "walk_through"] })).await;
    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0].clone();
    let points = (first.points.len() + second.points.len()) as u64;
    assert_eq!(package["manifest"]["points"].as_u64(), Some(points));
    assert_eq!(package["stale"], false, "{package}");
    // one looks round from places of the walks, which show what is there
    let data = format!("{base}/packages/{}/walk-through/data.js", package["id"].as_str().unwrap());
    let data = c.request("GET", &data).send().await.unwrap().text().await.unwrap();
    let data: Value = serde_json::from_str(data.trim_start_matches("window.WALK = ").trim_end_matches(";\n")).unwrap();
    let places = data["stations"].as_array().unwrap();
    assert!((3..12).contains(&places.len()), "{data}");
    let at = |v: &Value| Vec3::from_iterator(v.as_array().unwrap().iter().map(|x| x.as_f64().unwrap()));
    for place in places {
        let off = |p: &Pose| (job::on_grid_at(&p.translation) - at(&place["grid"])).norm();
        let nearest = first.truth.iter().chain(&second.truth).map(off).fold(f64::MAX, f64::min);
        assert!(nearest < 0.05 && !place["links"].as_array().unwrap().is_empty(), "{place}: {nearest:.3} m");
    }
    // a pass that is left out of drawings makes them old
    let pass = c.ok("GET", &format!("{base}/passes"), Value::Null).await["passes"][1].clone();
    let left_out = json!({ "name": pass["name"], "unit": pass["unit"], "drawn": false, "version": pass["version"] });
    c.ok("PUT", &format!("{base}/passes/{two}"), left_out).await;
    let drawing = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    assert!(drawing["stale"] != json!([]), "{}", drawing["stale"]);

    // the same points picked in the cloud as it is looked at are named in the order of the list, and hold it as well
    let cloud = c.ok("GET", &format!("{base}/cloud?frame=grid"), Value::Null).await;
    let shown = cloud["scans"].as_array().unwrap().iter().find(|s| s["name"] == "First").unwrap();
    let zero = at(&cloud["origin"]) + at(&shown["pose"]["translation"]);
    let picks: Vec<Value> = [0, 1, 3]
        .map(|k| job::on_grid_at(&moments[k].1) - Vec3::z() * HIGH - zero)
        .iter()
        .map(|p| json!({ "picked": [p.x, p.y, p.z] }))
        .collect();
    let given: Vec<Value> = ["K0", "K1", "K3"]
        .iter()
        .zip(&picks)
        .map(|(name, p)| json!({ "picked": p["picked"], "point": name }))
        .collect();
    let order = c.ok("POST", &format!("{base}/passes/{one}/order"), json!({ "marks": given })).await;
    assert_eq!(order["agrees"], true, "{order}");
    // two named the other way round are told apart from the right ones
    let mixed = json!([picks[0], { "picked": picks[1]["picked"], "point": "K3" }, { "picked": picks[2]["picked"], "point": "K1" }]);
    let told = c.ok("POST", &format!("{base}/passes/{one}/order"), json!({ "marks": mixed })).await;
    assert_eq!(told["agrees"], false, "{told}");
    keep(&c, &id, &one, order["marks"].clone()).await;
    c.run(&id, "/passes/register").await;
    let (rms, _) = off(&c, &id, &one, &first).await;
    assert!(rms < 0.02, "{rms:.4} m by what was picked");

    // a mark on another point contradicts the rest: what was said of the grid is old
    mark(&c, &id, &one, &[stood[0], stood[1], (stood[3].0, "K9"), (stood[2].0 + 1.0, "K3"), stood[3]]).await;
    let grid = c.ok("GET", &format!("{base}/georeference"), Value::Null).await;
    assert_eq!(grid["stale"], true);
    c.refused(409, "POST", &format!("{base}/georeference"), json!({ "model": "levelled" })).await;
}
