//! From clouds on the grid to a floor plan: drawn, mended by hand, agreed with, as files that others open, in the package.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Server, job};

#[tokio::test]
async fn a_floor_plan_is_drawn_mended_and_delivered() {
    let server = Server::start().await;
    let c = server.person("nila").await;
    let files = job::files();
    let id = job::new(&c, "Drawn", &files).await;
    let base = format!("/api/jobs/{id}");
    let asked = json!({ "name": "Room", "floor": job::ORIGIN.z, "cut": 1.25, "thickness": 0.1 });
    let (status, says) = c.call("POST", &format!("{base}/drawing"), asked.clone()).await;
    assert!(status == 409 && says["error"].as_str().unwrap().contains("not on the grid"), "{says}");
    for (name, bytes) in &files.scans {
        c.upload(&id, name, bytes.clone()).await;
    }
    c.run(&id, "/register").await;
    let control = json!({ "text": files.control_text, "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    c.ok("POST", &format!("{base}/control"), control).await;
    c.ok("POST", &format!("{base}/georeference"), json!({ "model": "levelled" })).await;
    let before = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    let floor = before["floors"][0][0].as_f64().unwrap();
    assert!((floor - job::ORIGIN.z).abs() < 0.4 && before["floors"][0][1] == 4, "{before}");

    // from the page
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/draw", server.url)).await.unwrap();
    b.says("Nothing is drawn yet").await;
    b.fill("Name", "Room").await;
    b.press("Draw the plan").await;
    b.see_within("//table[@aria-label='Lines']//td[contains(., 'Wall')]", 120).await;
    b.says("found by the program, not agreed with yet").await;

    // lines lie on the walls of the room, within what is said
    let drawing = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
    let items = drawing["items"].as_array().unwrap();
    let sheet = items.iter().find(|i| i["kind"] == "sheet").unwrap().clone();
    let walls = &files.job.scene.site.walls[0].line;
    let lines: Vec<&Value> = items.iter().filter(|i| i["kind"] == "line" && i["data"]["layer"] == "wall").collect();
    let place = |v: &Value| {
        let p = [v[0].as_f64().unwrap() - job::ORIGIN.x, v[1].as_f64().unwrap() - job::ORIGIN.y];
        nalgebra::Vector2::new(p[0], p[1]) / job::GRID_FACTOR
    };
    let (mut inside, mut ends) = (0, 0);
    for leg in walls.windows(2).filter(|l| (l[1] - l[0]).norm() > 1.0) {
        let d = (leg[1] - leg[0]).normalize();
        let on = |l: &&&Value| {
            l["data"]["line"].as_array().unwrap().iter().all(|e| d.perp(&(place(e) - leg[0])).abs() < 0.05)
        };
        let line = lines.iter().find(on).unwrap_or_else(|| panic!("no line for {leg:?}: {lines:?}"));
        for (e, error) in
            line["data"]["line"].as_array().unwrap().iter().zip(line["data"]["error95"].as_array().unwrap())
        {
            inside += usize::from(d.perp(&(place(e) - leg[0])).abs() <= error.as_f64().unwrap());
            ends += 1;
        }
    }
    assert!(ends >= 8 && inside * 10 >= ends * 8, "{inside} of {ends}");

    // taken away, taken back; agreed with
    let there = lines.len();
    let count = async || {
        let now = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
        now["items"].as_array().unwrap().iter().filter(|i| i["kind"] == "line" && i["data"]["layer"] == "wall").count()
    };
    b.click("//table[@aria-label='Lines']//tbody/tr[1]").await;
    b.click("//button[normalize-space(.)='Remove']").await;
    b.see("//button[not(@disabled)][normalize-space(.)='Undo']").await;
    assert_eq!(count().await, there - 1);
    b.click("//button[normalize-space(.)='Undo']").await;
    b.see("//button[not(@disabled)][normalize-space(.)='Redo']").await;
    assert_eq!(count().await, there);
    b.click("//button[normalize-space(.)='Agree with all']").await;
    b.says("Everything on it is agreed with").await;

    // a line drawn three centimetres off is drawn to the wall
    let (p, q) = (walls[0], walls[1]);
    let (d, long) = ((q - p).normalize(), (q - p).norm());
    let across = nalgebra::Vector2::new(-d.y, d.x) * 0.03;
    let at = |t: f64| {
        let g = job::on_grid_at(&(p + d * t + across).push(0.0));
        [g.x, g.y]
    };
    let rough = json!({ "sheet": sheet["id"], "line": [at(0.3), at(long - 0.3)] });
    let fitted = c.ok("POST", &format!("{base}/drawing/fit"), rough).await;
    let off = d.perp(&(place(&fitted["line"][0]) - p)).abs();
    assert!(off <= 1.3 * fitted["error95"][0].as_f64().unwrap() && off < 0.01, "{off} {fitted}");
    let nowhere = json!({ "sheet": sheet["id"], "line": [[1.0, 1.0], [3.0, 1.0]] });
    c.refused(422, "POST", &format!("{base}/drawing/fit"), nowhere).await;

    // drawn again, what somebody agreed with stays and is not there twice
    let again = json!({ "sheet": sheet["id"], "floor": floor, "cut": 1.25, "thickness": 0.1 });
    c.run_body(&id, "/drawing", again).await;
    assert_eq!(count().await, there);

    // as files, and in the package
    let dxf =
        c.request("GET", &format!("{base}/drawing/{}/plan.dxf", sheet["id"].as_str().unwrap())).send().await.unwrap();
    let drawn = dxf::Drawing::load(&mut dxf.bytes().await.unwrap().as_ref()).unwrap();
    let on = |layer: &str| drawn.entities().filter(|e| e.common.layer == layer).count();
    assert!(on("WALL") == there && on("WALL_NOT_AGREED") == 0, "{} {}", on("WALL"), on("WALL_NOT_AGREED"));
    c.run(&id, "/packages").await;
    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0].clone();
    let names: Vec<&str> =
        package["manifest"]["files"].as_array().unwrap().iter().map(|f| f["name"].as_str().unwrap()).collect();
    assert!(["room-plan.dxf", "room-plan.pdf", "room-plan.geojson"].iter().all(|n| names.contains(n)), "{names:?}");
    assert_eq!(package["stale"], false);

    // two at once: the one that saw an older version is told
    let wall = c.ok("GET", &format!("{base}/drawing"), Value::Null).await["items"]
        .as_array()
        .unwrap()
        .iter()
        .find(|i| i["kind"] == "line")
        .unwrap()
        .clone();
    let edit = json!([{ "id": wall["id"], "kind": "line", "data": wall["data"], "version": wall["version"], "deleted": true }]);
    c.ok("POST", &format!("{base}/drawing/edits"), edit.clone()).await;
    c.refused(409, "POST", &format!("{base}/drawing/edits"), edit).await;
    assert_eq!(c.ok("GET", &format!("{base}/packages"), Value::Null).await[0]["stale"], true);
    b.close().await;
}
