//! From clouds on the grid to a floor plan: drawn, mended by hand, agreed with, as files that others open, in the package.

use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Server, job};

#[tokio::test]
async fn a_floor_plan_is_drawn_mended_and_delivered() {
    let server = Server::start().await;
    let c = server.person("nila").await;
    let files = job::files();
    let id = job::new(&c, "Drawn", files).await;
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

#[tokio::test]
async fn the_ground_is_found_measured_on_and_delivered() {
    let files = job::files();
    let (server, c, id) = job::standing("odo", "Floor").await;
    let base = format!("/api/jobs/{id}");
    let nothing = c.ok("GET", &format!("{base}/ground"), Value::Null).await;
    assert!(nothing["on_grid"] == true && nothing["found"].is_null(), "{nothing}");
    let asked = json!({ "cell": 0.1, "reach": 20.0, "widest": 3.0, "slope": 0.2, "tolerance": 0.005, "longest": 2.0 });
    let mut fine = asked.clone();
    fine["cell"] = json!(0.001);
    let (status, says) = c.call("POST", &format!("{base}/ground"), fine).await;
    assert!(status == 422 && says["error"].as_str().unwrap().contains("0.05 to 5"), "{says}");

    // from the page: found, then something is drawn on it
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/draw?drawn=ground", server.url)).await.unwrap();
    b.says("The ground was not looked for yet").await;
    b.fill("Cell", "0.1").await;
    b.fill("Widest thing", "3").await;
    b.press("Find the ground").await;
    b.see_within("//canvas[@aria-label='The ground from above']", 120).await;
    b.says("half of its cells are known within").await;

    // a spot where the paper is clicked, an area to a level half a metre under the floor
    b.click("//label[contains(@class, 'segmented')][contains(., 'Height')]").await;
    b.click("//canvas[@aria-label='The ground from above']").await;
    b.see("//table[@aria-label='On the ground']//td[normalize-space(.)='Height']").await;
    let walls = &files.job.scene.site.walls[0].line;
    let middle = walls.iter().sum::<nalgebra::Vector2<f64>>() / walls.len() as f64;
    let at = |x: f64, y: f64| {
        let g = job::on_grid_at(&(middle + nalgebra::Vector2::new(x, y)).push(0.0));
        [g.x, g.y]
    };
    let outline = [at(-1.0, -0.7), at(1.0, -0.7), at(1.0, 0.7), at(-1.0, 0.7)];
    let new = |kind: &str, data: Value| json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "version": null, "deleted": false, "data": data });
    let mut drawn = vec![
        new("area", json!({ "name": "Slab", "line": outline, "height": job::ORIGIN.z - 0.5 })),
        new("breakline", json!({ "line": [at(-0.8, 0.0), at(0.9, 0.1)] })),
    ];
    drawn.extend([(-0.5, 0.3), (0.4, -0.2), (0.6, 0.5)].map(|(x, y)| new("spot", json!({ "position": at(x, y) }))));
    c.ok("POST", &format!("{base}/drawing/edits"), json!(drawn)).await;
    let told = c.ok("GET", &format!("{base}/ground"), Value::Null).await;
    let spots = told["spots"].as_array().unwrap();
    let off = |s: &&Value| (s["height"].as_f64().unwrap() - job::ORIGIN.z).abs() / s["error95"].as_f64().unwrap();
    assert_eq!(spots.len(), 4, "{spots:?}");
    assert!(spots.iter().filter(|s| off(s) <= 1.0).count() >= 3 && spots.iter().all(|s| off(&s) < 2.0), "{spots:?}");
    let v = &told["volumes"][0];
    let [above, below, error, area] = ["above", "below", "error95", "area"].map(|k| v[k].as_f64().unwrap());
    // lengths of the ground, though the grid is shorter
    assert!((area - 2.8).abs() < 0.06 && (above - 1.4).abs() < error + 0.06 && below == 0.0, "{v}");
    assert!(error > 0.0 && error < 0.03, "{v}");

    // as files that others open, and in the package
    let get =
        async |f: &str| c.request("GET", &format!("{base}/ground/{f}")).send().await.unwrap().bytes().await.unwrap();
    let dxf = dxf::Drawing::load(&mut get("ground.dxf").await.as_ref()).unwrap();
    let on = |layer: &str| dxf.entities().filter(|e| e.common.layer == layer).count();
    assert!(on("TRIANGLES") > 10 && on("BREAKLINE") == 1 && on("SPOT") == 8 && on("AREA") == 1);
    let xml = String::from_utf8(get("ground.xml").await.to_vec()).unwrap();
    let faces = told["found"]["triangles"].as_u64().unwrap() as usize;
    assert!(xml.matches("<F>").count() == faces && xml.contains("epsgCode=\"25832\"") && xml.contains("<Breakline "));
    let csv = String::from_utf8(get("ground.csv").await.to_vec()).unwrap();
    assert!(csv.lines().count() == 6 && csv.contains("Slab"), "{csv}");
    assert_eq!(&get("ground.tif").await[..4], b"II*\0");

    // against other surfaces: a plane half a metre lower, and the very triangles that were delivered
    let corners = [at(-3.0, -3.0), at(3.0, -3.0), at(3.0, 3.0), at(-3.0, 3.0)];
    let low = job::ORIGIN.z - 0.5;
    let points = corners.iter().enumerate().map(|(k, [x, y])| format!("<P id=\"{k}\">{y} {x} {low}</P>"));
    let plane = format!(
        "<LandXML><Surfaces><Surface name=\"Old\"><Definition>\n<Pnts>{}</Pnts><Faces><F>0 1 2</F><F>0 2 3</F></Faces></Definition></Surface></Surfaces></LandXML>",
        points.collect::<String>()
    );
    let surfaces = format!("{base}/surfaces");
    let surface = |name: &str, text: &str, error95: f64| json!({ "name": name, "text": text, "error95": error95 });
    let (status, says) = c.call("POST", &surfaces, surface("Torn", &plane.replace("0 2 3", "0 2 9"), 0.02)).await;
    assert!(status == 422 && says["error"].as_str().unwrap().contains("“9”"), "{says}");
    c.ok("POST", &surfaces, surface("Before the slab", &plane, 0.02)).await;
    c.refused(409, "POST", &surfaces, surface("Before the slab", &plane, 0.02)).await;
    let told = c.ok("POST", &surfaces, surface("Itself", &xml, 0.0)).await;
    let [to_plane, to_itself] = told["between"].as_array().unwrap().as_slice() else { panic!("{told}") };
    let of = |v: &Value| ["above", "below", "error95", "known"].map(|k| v[k].as_f64().unwrap());
    let [above, below, error, known] = of(to_plane);
    assert!((known - 2.8).abs() < 0.06 && (above - 1.4).abs() < 0.06 && below == 0.0, "{to_plane}");
    // two centimetres that all its heights share, over 2.8 m²
    assert!(error > 0.02 * known && error < 0.06 * known, "{to_plane}");
    let [above, below, ..] = of(to_itself);
    assert!(above + below < 0.002, "{to_itself}");
    let one = |name: &str, version: i32| json!({ "name": name, "error95": 0.03, "version": version });
    let path = format!("{surfaces}/{}", told["surfaces"][1]["id"].as_str().unwrap());
    c.refused(409, "PUT", &path, one("As delivered", 7)).await;
    c.ok("PUT", &path, one("As delivered", 1)).await;
    b.page.refresh().await.unwrap();
    b.see("//table[@aria-label='Volumes to other surfaces']//td[normalize-space(.)='Before the slab']").await;
    b.see("//table[@aria-label='Volumes to other surfaces']//td[normalize-space(.)='As delivered']").await;
    c.ok("DELETE", &format!("{path}?version=2"), Value::Null).await;
    assert!(get("ground.pdf").await.starts_with(b"%PDF"));
    let csv = String::from_utf8(get("ground.csv").await.to_vec()).unwrap();
    assert!(csv.contains("Slab to Before the slab") && !csv.contains("As delivered"), "{csv}");
    c.run(&id, "/packages").await;
    let package = async || c.ok("GET", &format!("{base}/packages"), Value::Null).await[0].clone();
    let names: Vec<String> = package().await["manifest"]["files"]
        .as_array()
        .unwrap()
        .iter()
        .map(|f| f["name"].as_str().unwrap().to_owned())
        .collect();
    assert!(
        ["ground.xml", "ground.dxf", "ground.pdf", "ground.tif", "ground.csv"]
            .iter()
            .all(|n| names.iter().any(|f| f == n))
    );
    // found again, the package is of what was found before, and what was drawn stays
    c.run_body(&id, "/ground", asked).await;
    assert_eq!(package().await["stale"], true);
    assert_eq!(c.ok("GET", &format!("{base}/ground"), Value::Null).await["spots"].as_array().unwrap().len(), 4);
    b.close().await;
}
