//! Coded features: floor levels at openings, points and lines measured where they are drawn, as files that others open.

use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

#[tokio::test]
async fn floors_are_levelled_and_features_measured_where_they_are_drawn() {
    let files = job::files();
    let (server, c, id) = job::standing("nora", "Coded").await;
    let base = format!("/api/jobs/{id}");
    let walls = &files.job.scene.site.walls[0].line;
    let at = |p: &nalgebra::Vector2<f64>| {
        let g = job::on_grid_at(&p.push(0.0));
        [g.x, g.y]
    };
    // an opening as a plan would have it, a little inside the room
    let leg = walls[1] - walls[0];
    let inside = nalgebra::Vector2::new(-leg.y, leg.x).normalize() * 0.25;
    let door = [0.4, 0.5].map(|t| at(&(walls[0] + leg * t + inside)));
    let (sheet, opening) = (uuid::Uuid::now_v7(), uuid::Uuid::now_v7());
    let new = |id: uuid::Uuid, kind: &str, data: Value| json!({ "id": id, "kind": kind, "version": null, "deleted": false, "data": data });
    let plan = json!([
        new(sheet, "sheet", json!({ "name": "Room", "level": [job::ORIGIN.z + 0.05, 1.25, 0.1] })),
        new(opening, "opening", json!({ "sheet": sheet, "line": door, "to_the_floor": true })),
    ]);
    c.ok("POST", &format!("{base}/drawing/edits"), plan).await;
    let told = async || c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    assert_eq!(told().await["without_level"], json!([opening]));

    // from the page: the floor at the door
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/draw?drawn=features", server.url)).await.unwrap();
    b.says("1 opening that reaches down to the floor has no floor level").await;
    b.press("Measure their floors").await;
    b.says("Every opening that reaches down to the floor has its level").await;
    b.see("//table[@aria-label='Features']//td[contains(., 'Door 1')]").await;
    let all = told().await;
    let level = all["items"].as_array().unwrap().iter().find(|i| i["data"]["code"] == "FLOOR").unwrap();
    let shot = &level["data"]["shots"][0];
    let off = (shot["height"].as_f64().unwrap() - job::ORIGIN.z).abs();
    let within = shot["error95"][1].as_f64().unwrap();
    assert!(off <= 1.5 * within && (0.0005..0.01).contains(&within), "{shot}");
    assert!(level["data"]["of"] == json!(opening) && shot["points"].as_u64().unwrap() > 20, "{level}");
    // a floor that was measured is taken back, and comes again
    b.press("Undo").await;
    b.says("1 opening that reaches down to the floor has no floor level").await;
    b.press("Redo").await;
    b.says("Every opening that reaches down to the floor has its level").await;

    // on a flat floor there is no kerb, and the page says so
    let middle = walls.iter().sum::<nalgebra::Vector2<f64>>() / walls.len() as f64;
    let near = |x: f64, y: f64| at(&(middle + nalgebra::Vector2::new(x, y)));
    let measure = async |corners: Value, snap: &str| {
        c.ok("POST", &format!("{base}/drawing/measure"), json!({ "corners": corners, "snap": snap })).await
    };
    let line = [near(-0.9, 0.4), near(0.8, 0.5)];
    let flat = measure(json!(line), "top").await;
    assert!(flat["shots"].as_array().unwrap().iter().all(Value::is_null) && flat["corners"] == json!(line), "{flat}");
    let kerb = json!({ "code": "KERB", "snap": "top", "line": flat["corners"], "shots": flat["shots"], "drawn": flat["drawn"] });
    // the same fence twice, measured on the ground
    let ground = measure(json!(line), "ground").await;
    let fence = |m: &Value| json!({ "code": "FENCE", "snap": "ground", "line": m["corners"], "shots": m["shots"], "drawn": m["drawn"] });
    let again = measure(json!([near(-0.8, 0.5), near(0.8, 0.45)]), "ground").await;
    let drawn = json!([
        new(uuid::Uuid::now_v7(), "feature", kerb),
        new(uuid::Uuid::now_v7(), "feature", fence(&ground)),
        new(uuid::Uuid::now_v7(), "feature", fence(&again)),
        new(
            uuid::Uuid::now_v7(),
            "code",
            json!({ "code": "BED", "name": "Flower bed", "snap": "top", "is_line": true })
        ),
    ]);
    c.ok("POST", &format!("{base}/drawing/edits"), drawn).await;
    b.page.refresh().await.unwrap();
    b.says("FENCE and FENCE run beside one another").await;
    b.says("2 corners not measured").await;
    b.says("3 of 4 features are measured at every corner").await;
    let all = told().await;
    assert!(all["codes"].as_array().unwrap().iter().any(|k| k["code"] == "BED" && k["is_line"] == true));
    assert_eq!(all["twice"].as_array().unwrap().len(), 1);
    // a code that files cannot hold, and what is not a place
    let bad = json!([new(uuid::Uuid::now_v7(), "code", json!({ "code": "flower bed", "name": "x" }))]);
    let (status, says) = c.call("POST", &format!("{base}/drawing/edits"), bad).await;
    assert!(status == 422 && says["error"].as_str().unwrap().contains("capitals"), "{says}");
    c.refused(422, "POST", &format!("{base}/drawing/measure"), json!({ "corners": [], "snap": "top" })).await;

    // as files that others open, and in the package: what is not known is in none
    let get =
        async |f: &str| c.request("GET", &format!("{base}/features/{f}")).send().await.unwrap().bytes().await.unwrap();
    let dxf = dxf::Drawing::load(&mut get("features.dxf").await.as_ref()).unwrap();
    let on = |layer: &str| dxf.entities().filter(|e| e.common.layer == layer).count();
    assert_eq!((on("FENCE"), on("FLOOR"), on("KERB")), (2, 2, 0));
    let csv = String::from_utf8(get("features.csv").await.to_vec()).unwrap();
    assert!(csv.lines().count() == 1 + 2 + 2 + 1 && csv.contains("Door 1,FLOOR,1,"), "{csv}");
    let xml = String::from_utf8(get("features.xml").await.to_vec()).unwrap();
    assert!(
        xml.contains("code=\"FLOOR\"")
            && xml.matches("<PlanFeature ").count() == 2
            && xml.contains("epsgCode=\"25832\"")
    );
    let json: Value = serde_json::from_slice(&get("features.geojson").await).unwrap();
    assert_eq!(json["features"].as_array().unwrap().len(), 3);
    c.run(&id, "/packages").await;
    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0].clone();
    let names = package["manifest"]["files"].as_array().unwrap().iter().map(|f| f["name"].as_str().unwrap());
    assert_eq!(names.filter(|n| n.starts_with("features.")).count(), 4, "{package}");
    b.close().await;
}
