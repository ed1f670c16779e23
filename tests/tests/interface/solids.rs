//! Simple solids: columns found in the cloud and measured, outlines drawn by hand, agreed with, as files that others open.

use nalgebra::Vector2;
use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

#[tokio::test]
async fn columns_are_found_measured_agreed_with_and_handed_over() {
    let files = job::files();
    let (server, c, id) = job::standing("petra", "Solid").await;
    let base = format!("/api/jobs/{id}");
    let at = |p: Vector2<f64>| {
        let g = job::on_grid_at(&p.push(0.0));
        [g.x, g.y]
    };
    let walls = &files.job.scene.site.walls[0].line;
    let corner = walls[0] + (walls[2] - walls[0]) * 0.15;
    let outline = [(0.0, 0.0), (0.5, 0.0), (0.5, 0.4), (0.0, 0.4)].map(|(x, y)| at(corner + Vector2::new(x, y)));
    let (sheet, empty) = (uuid::Uuid::now_v7(), uuid::Uuid::now_v7());
    let new = |id: uuid::Uuid, kind: &str, data: Value| json!({ "id": id, "kind": kind, "version": null, "deleted": false, "data": data });
    // a plan, and an outline where nothing stands
    let plan = json!([
        new(sheet, "sheet", json!({ "name": "Room", "level": [job::ORIGIN.z, 1.25, 0.1] })),
        new(
            empty,
            "solid",
            json!({ "sheet": sheet, "name": "Nothing", "line": outline, "solid": { "shape": "pillar" } })
        ),
    ]);
    c.ok("POST", &format!("{base}/drawing/edits"), plan).await;
    let solids = async || {
        let all = c.ok("GET", &format!("{base}/drawing"), Value::Null).await;
        let is = |i: &Value| i["kind"] == "solid";
        all["items"].as_array().unwrap().iter().filter(|i| is(i)).cloned().collect::<Vec<Value>>()
    };

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/draw?drawn=solids", server.url)).await.unwrap();
    b.says("1 outline is not measured").await;
    b.press("Find solids").await;
    b.says("not agreed with yet").await;
    // the columns of the room, as they were built
    let found = solids().await;
    let round: Vec<&Value> = found.iter().filter(|i| i["data"]["solid"]["shape"] == "cylinder").collect();
    for column in &files.job.scene.site.columns {
        let place = at(column.centre);
        let off = |d: &Value| {
            let axis = &d["data"]["solid"]["axis"][0];
            (axis[0].as_f64().unwrap() - place[0]).hypot(axis[1].as_f64().unwrap() - place[1])
        };
        let one = round.iter().find(|d| off(d) < 0.05).unwrap_or_else(|| panic!("{}: {round:?}", column.radius));
        let d = &one["data"];
        let worst = d["error95"].as_array().unwrap().iter().map(|e| e.as_f64().unwrap()).collect::<Vec<_>>();
        let radius = (d["radius"].as_f64().unwrap() - column.radius).abs();
        assert!(off(one) <= 1.5 * worst[0].max(worst[1]) && radius <= 1.5 * worst[2], "{one}");
        assert!(worst.iter().all(|e| (0.0003..0.02).contains(e)), "{one}");
        assert!(d["solid"]["spread"].as_array().unwrap().len() == 50 && d["found"] == true, "{one}");
    }
    let nothing = found.iter().find(|i| i["id"] == json!(empty)).unwrap();
    assert!(nothing["data"]["heights"].is_null() && nothing["data"]["found"].is_null(), "{nothing}");
    b.see("//table[@aria-label='Solids']//td[contains(., '⌀')]").await;
    b.see("//div[@class='solid-cloud']//canvas").await;
    // how far points lie off the one that is chosen
    b.click("//table[@aria-label='Solids']//td[contains(., '⌀')]").await;
    b.says("Points off the surface").await;
    // agreed with, taken back, agreed with again
    b.press("Agree with all").await;
    b.says("All of them are agreed with.").await;
    b.press("Undo").await;
    b.says("not agreed with yet").await;
    b.press("Redo").await;
    b.says("All of them are agreed with.").await;
    // found once more: what was agreed with is there once
    let before = solids().await.len();
    c.run_body(&id, "/drawing/solids", json!({ "sheet": sheet, "up": 8.0 })).await;
    assert_eq!(solids().await.len(), before);
    b.click("//label[contains(., 'From above')]").await;
    b.see("//canvas[@aria-label='Solids from above']").await;

    // what is no solid is refused, and why is said
    let bad = |data: Value| json!([new(uuid::Uuid::now_v7(), "solid", data)]);
    for (data, says) in [
        (json!({ "sheet": sheet }), "shape"),
        (json!({ "sheet": sheet, "line": [[0, 0], [1, 0]], "solid": { "shape": "wall" } }), "found 2 corners"),
        (json!({ "sheet": sheet, "radius": 0.1, "solid": { "shape": "cylinder" } }), "ends of the axis"),
    ] {
        let (status, answer) = c.call("POST", &format!("{base}/drawing/edits"), bad(data)).await;
        assert!(status == 422 && answer["error"].as_str().unwrap().contains(says), "{answer}");
    }
    c.refused(422, "POST", &format!("{base}/drawing/solids"), json!({ "sheet": sheet, "up": 0.0 })).await;
    c.refused(404, "POST", &format!("{base}/drawing/solids"), json!({ "sheet": empty, "up": 8.0 })).await;

    // as files that others open, and in the package: what was not measured is in none
    let get =
        async |f: &str| c.request("GET", &format!("{base}/solids/{f}")).send().await.unwrap().bytes().await.unwrap();
    let measured = before - 1;
    let dxf = dxf::Drawing::load(&mut get("solids.dxf").await.as_ref()).unwrap();
    assert_eq!(dxf.entities().filter(|e| e.common.layer == "CYLINDER").count(), 128 * measured);
    let obj = String::from_utf8(get("solids.obj").await.to_vec()).unwrap();
    assert!(obj.matches("\no Cylinder_").count() == measured && obj.contains("# EPSG:25832"), "{obj:.400}");
    let glb = get("solids.glb").await;
    let text = u32::from_le_bytes(glb[12..16].try_into().unwrap()) as usize;
    let document: Value = serde_json::from_slice(&glb[20..20 + text]).unwrap();
    assert_eq!(document["meshes"].as_array().unwrap().len(), measured);
    assert_eq!(glb.len(), u32::from_le_bytes(glb[8..12].try_into().unwrap()) as usize);
    let csv = String::from_utf8(get("solids.csv").await.to_vec()).unwrap();
    assert!(csv.lines().count() == 1 + measured && csv.contains("Cylinder 1,cylinder,agreed,"), "{csv}");
    c.run(&id, "/packages").await;
    let package = c.ok("GET", &format!("{base}/packages"), Value::Null).await[0].clone();
    let names = package["manifest"]["files"].as_array().unwrap().iter().map(|f| f["name"].as_str().unwrap());
    assert_eq!(names.filter(|n| n.starts_with("solids.")).count(), 4, "{package}");
    b.close().await;
}
