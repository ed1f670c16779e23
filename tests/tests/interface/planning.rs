//! The plan sheet in a real browser: propose, take, drag, undo, look at a wall, plan the carrying of
//! spheres, print. And the plan's files read back.

use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use serde_json::{Value, json};
use std::time::Duration;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server};

pub(crate) fn edit(kind: &str, data: Value) -> Value {
    let mut full = json!({ "base": 0.0, "top": 0.0, "position": [0.0, 0.0, 0.0] });
    full.as_object_mut().unwrap().extend(data.as_object().unwrap().clone());
    json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": full, "version": null, "deleted": false })
}

/// A hall with a door to a yard, a column and a place where no tripod may stand.
pub(crate) async fn hall(c: &Client, name: &str) -> String {
    let id = c.ok("POST", "/api/jobs", json!({ "name": name })).await["id"].as_str().unwrap().to_owned();
    let ring = [[0.0, 0.0], [24.0, 0.0], [24.0, 16.0], [0.0, 16.0], [0.0, 0.0]];
    let edits = json!([
        edit(
            "wall",
            json!({ "name": "Hall", "line": ring, "top": 5.0, "required_spacing": 0.03,
            "openings": [{ "name": "Gate", "at": 12.0, "width": 3.0, "sill": 0.0, "head": 3.0 }] })
        ),
        edit("column", json!({ "name": "Column 1", "position": [12.0, 8.0, 0.0], "radius": 0.3, "top": 5.0 })),
        edit(
            "area",
            json!({ "name": "Pit", "area": "no_go", "line": [[16.0, 4.0], [20.0, 4.0], [20.0, 8.0], [16.0, 8.0]] })
        ),
    ]);
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), edits).await;
    id
}

async fn stations(c: &Client, id: &str) -> Vec<Value> {
    let plan = c.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await;
    plan.as_array().unwrap().iter().filter(|i| i["kind"] == "station").cloned().collect()
}

async fn settles(c: &Client, id: &str, n: usize) {
    for _ in 0..100 {
        if stations(c, id).await.len() == n {
            return;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("found {} stations, expected {n}", stations(c, id).await.len());
}

pub(crate) async fn page(b: &Browser, name: &str) {
    b.click(&format!(
        "//aside//div[contains(@class, 'segmented')]//div[normalize-space(.)='{name}' and contains(@class, 'label')]"
    ))
    .await;
}

#[tokio::test]
async fn stations_are_proposed_taken_dragged_and_printed() {
    let server = Server::start().await;
    let c = server.person("rosa").await;
    let id = hall(&c, "Planned").await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/plan", server.url)).await.unwrap();
    page(&b, "Propose").await;
    b.fill("Cover at least", "97").await;
    b.click("//aside//form//button[normalize-space(.)='Propose']").await;
    b.see("//table[@aria-label='Proposals']").await;
    b.click("//button[@aria-label='Take fewest']").await;
    let proposal = c.ok("GET", &format!("/api/jobs/{id}/plan/proposal"), Value::Null).await;
    let fewest = &proposal["alternatives"][0];
    let n = fewest["stations"].as_array().unwrap().len();
    settles(&c, &id, n).await;
    // what was promised is what the plan then says, and nobody stands in the pit
    assert!(fewest["once"].as_f64().unwrap() >= 0.96 && fewest["groups"] == 1, "{fewest}");
    assert!(fewest["at_least"].as_u64().unwrap() as usize <= n);
    let cover = c.ok("GET", &format!("/api/jobs/{id}/plan/cover"), Value::Null).await;
    assert!((cover["once"].as_f64().unwrap() - fewest["once"].as_f64().unwrap()).abs() < 1e-9);
    for s in stations(&c, &id).await {
        let (x, y) = (s["data"]["position"][0].as_f64().unwrap(), s["data"]["position"][1].as_f64().unwrap());
        assert!(!((16.0..20.0).contains(&x) && (4.0..8.0).contains(&y)), "{s}");
    }
    b.press("Undo").await;
    settles(&c, &id, 0).await;
    b.press("Redo").await;
    settles(&c, &id, n).await;
    // a dragged station says what it would cover there, before it is let go
    let first = stations(&c, &id).await[0].clone();
    let at = |k: usize| first["data"]["position"][k].as_f64().unwrap();
    let canvas = b.see("//div[@aria-label='Plan' and @data-view]").await;
    let view: Vec<f64> =
        canvas.attr("data-view").await.unwrap().unwrap().split(' ').map(|v| v.parse().unwrap()).collect();
    let (left, top, w, h) = canvas.rectangle().await.unwrap();
    let (x, y) = (left + w / 2.0 + (at(0) - view[0]) / view[2], top + h / 2.0 - (at(1) - view[1]) / view[2]);
    let to =
        |dx: f64, dy: f64| PointerAction::MoveTo { duration: Some(Duration::from_millis(150)), x: x + dx, y: y + dy };
    let click = MouseActions::new("mouse".into())
        .then(to(0.0, 0.0))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    b.page.perform_actions(click).await.unwrap();
    b.see("//aside//h2[starts-with(., 'Station')]").await;
    let drag = MouseActions::new("mouse".into())
        .then(to(0.0, 0.0))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(to(8.0, 4.0))
        .then(to(20.0, 10.0));
    b.page.perform_actions(drag).await.unwrap();
    b.says("here it covers").await;
    let drop = MouseActions::new("mouse".into()).then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    b.page.perform_actions(drop).await.unwrap();
    for _ in 0..100 {
        let now = stations(&c, &id).await.into_iter().find(|s| s["id"] == first["id"]).unwrap();
        if (now["data"]["position"][0].as_f64().unwrap() - at(0) - 20.0 * view[2]).abs() < 2.0 * view[2] {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    let now = stations(&c, &id).await.into_iter().find(|s| s["id"] == first["id"]).unwrap();
    assert!((now["data"]["position"][0].as_f64().unwrap() - at(0)).abs() > 10.0 * view[2], "it did not move: {now}");
    // without targets the findings say what is missing
    page(&b, "Findings").await;
    b.says("No target is control").await;
    // the plan sheet
    b.press("Print, export").await;
    b.click("//a[contains(., 'Plan sheet to print')]").await;
    assert!(b.download(".pdf").await.starts_with(b"%PDF"));
    b.close().await;
}

/// Of two stations above one another the one on the storey that is drawn is picked; one that is picked
/// elsewhere brings its storey with it.
#[tokio::test]
async fn storeys_are_drawn_one_at_a_time() {
    let server = Server::start().await;
    let c = server.person("ulla").await;
    let id = c.ok("POST", "/api/jobs", json!({ "name": "House" })).await["id"].as_str().unwrap().to_owned();
    let ring = [[0.0, 0.0], [12.0, 0.0], [12.0, 8.0], [0.0, 8.0], [0.0, 0.0]];
    let storey = |k: f64| {
        let (base, name) = (3.2 * k, format!("S{}", k + 1.0));
        [
            edit(
                "wall",
                json!({ "name": format!("Walls {k}"), "line": ring, "base": base, "top": base + 3.0, "required_spacing": 0.05 }),
            ),
            edit("station", json!({ "name": name, "position": [5.0, 4.0, base + 1.65] })),
        ]
    };
    let edits: Vec<Value> = [0.0, 1.0].into_iter().flat_map(storey).collect();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/plan", server.url)).await.unwrap();
    let canvas = b.see("//div[@aria-label='Plan' and @data-view]").await;
    let view: Vec<f64> =
        canvas.attr("data-view").await.unwrap().unwrap().split(' ').map(|v| v.parse().unwrap()).collect();
    let (left, top, w, h) = canvas.rectangle().await.unwrap();
    let (x, y) = (left + w / 2.0 + (5.0 - view[0]) / view[2], top + h / 2.0 - (4.0 - view[1]) / view[2]);
    b.click_at(x, y).await;
    b.see("//aside//h2[.='Station S1']").await;
    let choose = |z: &str| {
        format!("//div[contains(@class, 'storeys')]//div[contains(@class, 'label') and starts-with(., '{z}')]")
    };
    b.click(&choose("3.20")).await;
    b.click_at(x, y).await;
    b.see("//aside//h2[.='Station S2']").await;
    // from the ledger
    page(&b, "Coverage").await;
    b.click("//aside//table//tr[td[contains(., 'S1')]]").await;
    b.see("//aside//h2[.='Station S1']").await;
    b.see("//div[contains(@class, 'storeys')]//label[contains(@class, 'selected') and starts-with(., '0.00')]").await;
    b.close().await;
}

#[tokio::test]
async fn a_yard_is_planned_with_six_spheres() {
    let server = Server::start().await;
    let c = server.person("tine").await;
    let id = c.ok("POST", "/api/jobs", json!({ "name": "Yard" })).await["id"].as_str().unwrap().to_owned();
    let edits: Vec<Value> = (0..5)
        .map(|k| {
            let at = [13.0 * f64::from(k), if k % 2 == 0 { 0.0 } else { 4.0 }, 1.65];
            edit("station", json!({ "name": format!("S{}", k + 1), "position": at, "order": k + 1 }))
        })
        .collect();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/plan", server.url)).await.unwrap();
    // nothing ties stations in the open
    b.says("The stations fall into 5 groups").await;
    page(&b, "Leapfrog").await;
    b.press("Plan the moves").await;
    b.see("//table[@aria-label='Carrying list']/tbody/tr[5]").await;
    b.press("Put these on the plan").await;
    page(&b, "Findings").await;
    b.says("will come out at").await;
    let cover = c.ok("GET", &format!("/api/jobs/{id}/plan/cover"), Value::Null).await;
    assert_eq!(cover["groups"].as_array().unwrap().len(), 1, "{}", cover["groups"]);
    assert!(cover["prediction"]["stations"].as_array().unwrap().len() == 5, "{}", cover["prediction"]["refused"]);
    // a mean figure hides nothing: every target has an error of its own, and what a knock would do
    assert!(!cover["prediction"]["knocks"].as_array().unwrap().is_empty());
    let said =
        c.refused(422, "POST", &format!("/api/jobs/{id}/plan/leapfrog"), json!({ "stations": [], "spheres": 3 })).await;
    assert!(said.contains("found 3 spheres in stock, expected at least 4"), "{said}");
    let advice = c.ok("GET", &format!("/api/jobs/{id}/plan/advice"), Value::Null).await;
    for a in advice.as_array().unwrap() {
        assert!(a["then"].as_f64().unwrap() < a["now"].as_f64().unwrap());
    }
    page(&b, "Density").await;
    b.see("//table[@aria-label='Density']//td[contains(., '(this job)')]").await;
    b.close().await;
}

#[tokio::test]
async fn plans_go_out_and_come_in_again() {
    let server = Server::start().await;
    let c = server.person("jon").await;
    let id = hall(&c, "There and back").await;
    let file = async |id: &str, name: &str| {
        let answer = c.request("GET", &format!("/api/jobs/{id}/plan/files/{name}")).send().await.unwrap();
        assert_eq!(answer.status(), 200);
        answer.text().await.unwrap()
    };
    assert!(file(&id, "plan.csv").await.starts_with("kind,name,x [m]"));
    for name in ["plan.dxf", "plan.geojson"] {
        let text = file(&id, name).await;
        let other = c.ok("POST", "/api/jobs", json!({ "name": name })).await["id"].as_str().unwrap().to_owned();
        let answer = c
            .request("POST", &format!("/api/jobs/{other}/plan/import"))
            .header("content-type", "application/geo+json")
            .body(text)
            .send()
            .await
            .unwrap();
        let items: Value = answer.json().await.unwrap();
        assert!(items.is_array(), "{name}: {items}");
        let wall =
            items.as_array().unwrap().iter().find(|i| i["kind"] == "wall").unwrap_or_else(|| panic!("{name}: {items}"));
        assert_eq!(wall["data"]["line"].as_array().unwrap().len(), 5, "{name}");
        assert!(
            (wall["data"]["line"][2][1].as_f64().unwrap() - 16.0).abs() < 1e-9 && wall["data"]["top"] == 5.0,
            "{name}: {wall}"
        );
        let column =
            items.as_array().unwrap().iter().find(|i| i["kind"] == "column").unwrap_or_else(|| panic!("{items}"));
        assert_eq!(column["data"]["radius"], 0.3);
    }
    // a drawing without a unit is asked for one, a wrong file is named
    let bare = "0\nSECTION\n2\nENTITIES\n0\nLINE\n8\nWALLS\n10\n0\n20\n0\n11\n5000\n21\n0\n0\nENDSEC\n0\nEOF\n";
    for (path, body, status, words) in [
        ("import", bare, 400, "choose the unit"),
        ("import?unit=cubit", bare, 422, "found “cubit”"),
        ("import", "not a drawing", 400, "not a DXF drawing"),
        ("import", "{\"type\": 3}", 400, "not GeoJSON"),
    ] {
        let answer = c.request("POST", &format!("/api/jobs/{id}/plan/{path}")).body(body).send().await.unwrap();
        assert_eq!(answer.status(), status, "{body}");
        let said = answer.text().await.unwrap();
        assert!(said.contains(words), "{said}");
    }
    let answer = c.request("POST", &format!("/api/jobs/{id}/plan/import?unit=mm")).body(bare).send().await.unwrap();
    let items: Value = answer.json().await.unwrap();
    assert_eq!(items[0]["data"]["line"][1][0], 5.0, "{items}");
    // openings must lie on their wall
    let wrong = edit(
        "wall",
        json!({ "name": "W", "line": [[0.0, 0.0], [4.0, 0.0]], "top": 3.0,
        "openings": [{ "name": "Door", "at": 3.9, "width": 1.0, "sill": 0.0, "head": 2.0 }] }),
    );
    let said = c.refused(422, "POST", &format!("/api/jobs/{id}/plan/edits"), json!([wrong])).await;
    assert!(said.contains("the opening “Door” from 3.40 to 4.40 m must lie on the wall of 4.00 m"), "{said}");
}

/// A picture is laid under the plan and fitted by two points in the browser; spheres are proposed
/// between stations. What is no picture is refused.
#[tokio::test]
async fn a_picture_is_fitted_and_targets_are_proposed() {
    let server = Server::start().await;
    let c = server.person("ivo").await;
    let id = c.ok("POST", "/api/jobs", json!({ "name": "Traced" })).await["id"].as_str().unwrap().to_owned();
    let mut png = Vec::new();
    let mut encoder = png::Encoder::new(&mut png, 80, 40);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.write_header().unwrap().write_image_data(&[200; 3200]).unwrap();
    let send = async |body: Vec<u8>| {
        let path = format!("/api/jobs/{id}/plan/underlays?name=sketch.png&width=80&height=40");
        c.request("POST", &path).header("content-type", "application/octet-stream").body(body).send().await.unwrap()
    };
    let refused = send(b"GIF89a".to_vec()).await;
    assert_eq!(refused.status(), 422);
    assert!(refused.text().await.unwrap().contains("expected a PNG or JPEG picture"));
    let items: Value = send(png.clone()).await.json().await.unwrap();
    let item = items[0]["id"].as_str().unwrap().to_owned();
    let back = c.request("GET", &format!("/api/jobs/{id}/plan/underlays/{item}")).send().await.unwrap();
    let kind = back.headers()["content-type"].to_str().unwrap().to_owned();
    assert_eq!((kind.as_str(), back.bytes().await.unwrap().to_vec()), ("image/png", png));

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/plan", server.url)).await.unwrap();
    let canvas = b.see("//div[@aria-label='Plan' and @data-view]").await;
    let (left, top, w, h) = canvas.rectangle().await.unwrap();
    let middle = (left + w / 2.0, top + h / 2.0);
    b.click_at(middle.0, middle.1).await;
    b.press("Fit by two points").await;
    let view: Vec<f64> =
        canvas.attr("data-view").await.unwrap().unwrap().split(' ').map(|v| v.parse().unwrap()).collect();
    // two points of the picture 10 m apart as it lies; in truth they are 25 m apart and one above the other
    let metre = 1.0 / view[2];
    for dx in [-5.0, 5.0] {
        b.click_at(middle.0 + dx * metre, middle.1).await;
        tokio::time::sleep(Duration::from_millis(400)).await;
    }
    for (field, value) in
        [("First point x", "100"), ("First point y", "50"), ("True distance", "25"), ("Direction", "90")]
    {
        b.fill(field, value).await;
    }
    b.press("Fit the picture").await;
    let mut data = Value::Null;
    for _ in 0..80 {
        data = c.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await[0]["data"].clone();
        if data["turn"].as_f64().unwrap_or(0.0) > 1.0 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    // forty metres for 80 pixels at first, two and a half times as much now, a quarter turn
    assert!((data["scale"].as_f64().unwrap() - 1.25).abs() < 0.02, "{data}");
    assert!((data["turn"].as_f64().unwrap() - std::f64::consts::FRAC_PI_2).abs() < 0.02, "{data}");

    // what cannot be: an underlay without its scale
    let wrong = edit("underlay", json!({ "name": "U", "pixels": [10, 10] }));
    assert!(c.refused(422, "POST", &format!("/api/jobs/{id}/plan/edits"), json!([wrong])).await.contains("a pixel"));
    let at = |k: u32| json!({ "name": format!("S{k}"), "position": [12.0 * f64::from(k), 0.5 * f64::from(k % 2), 1.6], "order": k });
    let stations: Vec<Value> = (1..4).map(|k| edit("station", at(k))).collect();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(stations)).await;
    b.page.refresh().await.unwrap();
    b.says("The stations fall into 3 groups").await;
    page(&b, "Propose").await;
    b.press("Propose targets").await;
    page(&b, "Findings").await;
    b.says("will come out at").await;
    let cover = c.ok("GET", &format!("/api/jobs/{id}/plan/cover"), Value::Null).await;
    assert_eq!(cover["groups"].as_array().unwrap().len(), 1, "{}", cover["groups"]);
    let weak = cover["traps"]
        .as_array()
        .unwrap()
        .iter()
        .find(|t| t["title"].as_str().unwrap().contains("are nearly in a line"));
    assert!(weak.is_none(), "{weak:?}");
    b.close().await;
}
