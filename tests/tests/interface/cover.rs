//! Cover achieved, and limits of a part of the site: what is planted in the plan comes out, and the page leads to the station
//! that would mend it.

use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

fn item(kind: &str, data: &Value) -> Value {
    json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": data, "version": null, "deleted": false })
}

#[tokio::test]
async fn holes_in_the_cover_are_named_with_the_station_that_fills_them() {
    let files = job::files();
    let line = &files.job.scene.site.walls[0].line;
    let far = line[2];
    let (server, c, id) = job::standing("ines", "Covered").await;
    let base = format!("/api/jobs/{id}");
    c.refused(
        422,
        "POST",
        &format!("{base}/plan/edits"),
        json!([item("area", &json!({ "name": "A", "area": "soft", "line": [[0, 0], [1, 0], [1, 1]] }))]),
    )
    .await;

    // the plan lies on the grid; a wall as it is, one that is drawn 90 mm off, one that nobody scanned
    let mut brief = c.ok("GET", &base, Value::Null).await;
    let version = brief["version"].clone();
    brief["brief"]["origin"] = json!([job::ORIGIN.x, job::ORIGIN.y, job::ORIGIN.z]);
    c.ok("PUT", &base, json!({ "name": "Covered", "brief": brief["brief"], "version": version })).await;
    let wall = |name: &str, a: [f64; 2], b: [f64; 2]| {
        item("wall", &json!({ "name": name, "line": [a, b], "base": 0.0, "top": 2.4, "required_spacing": 0.05 }))
    };
    let station = |name: &str, x: f64, y: f64| item("station", &json!({ "name": name, "position": [x, y, 1.6] }));
    let limits = json!({ "name": "North half", "area": "limits", "spatial95": 0.03,
        "line": [[-1.0, far.y / 2.0], [far.x + 1.0, far.y / 2.0], [far.x + 1.0, far.y + 1.0], [-1.0, far.y + 1.0]] });
    let floor =
        json!({ "name": "Floor", "line": [[0, 0], [far.x, 0], [far.x, far.y], [0, far.y]], "base": 0.0, "top": 0.0 });
    let edits = json!([
        wall("south", [0.4, 0.0], [far.x - 0.4, 0.0]),
        wall("north", [0.4, far.y + 0.09], [far.x - 0.4, far.y + 0.09]),
        wall("outside", [far.x + 6.0, 0.0], [far.x + 6.0, 3.0]),
        item("floor", &floor),
        station("S1", far.x / 2.0, far.y / 2.0),
        item("area", &limits),
    ]);
    c.ok("POST", &format!("{base}/plan/edits"), edits).await;
    c.ok("POST", &format!("{base}/georeference"), json!({ "model": "levelled" })).await;
    assert_eq!(
        c.ok("GET", &format!("{base}/shown"), Value::Null).await,
        Value::Null,
        "nothing is said before it was measured"
    );
    c.run(&id, "/spacing").await;
    let shown = c.ok("GET", &format!("{base}/shown"), Value::Null).await;
    let surface =
        |name: &str| shown["surfaces"].as_array().unwrap().iter().find(|s| s["name"] == name).unwrap().clone();
    let share = |name: &str| surface(name)["within"].as_f64().unwrap() / surface(name)["area"].as_f64().unwrap();
    assert!(share("south") > 0.95 && share("north") < 0.05 && share("outside") < 0.01, "{shown}");
    let hole = |name: &str| shown["holes"].as_array().unwrap().iter().find(|h| h["surface"] == name).unwrap().clone();
    // drawn north of where it stands: it lies to the south, which is to the right of its line
    let beside = hole("north")["beside"].as_f64().unwrap();
    assert!((beside.abs() - 0.09).abs() < 0.006, "{}", hole("north"));
    assert_eq!(hole("outside")["beside"], Value::Null);
    assert!(shown["stale"] == false && shown["stations"].as_array().unwrap().len() == 4, "{shown}");

    // each place is held against the limit of where it lies
    let verdicts = c.ok("GET", &format!("{base}/verdicts"), Value::Null).await;
    let of = |name: &str| verdicts.as_array().unwrap().iter().find(|v| v["requirement"] == name).unwrap().clone();
    let north = of("Position in space, 95 %: North half");
    assert!(north["required"] == 0.03 && of("Position in space, 95 %")["required"] == 0.008, "{verdicts}");
    let spacing = of("Point spacing on required surfaces");
    assert!(spacing["verdict"] == "not met" && spacing["evidence"].as_str().unwrap().contains("% of"), "{spacing}");

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check", server.url)).await.unwrap();
    b.click("//tr[td[.='Point spacing on required surfaces']]//button[.='See it']").await;
    b.see("//table[@aria-label='Where cover falls short']//td[contains(., '0.09 m beside it')]").await;
    b.click("//table[@aria-label='Where cover falls short']//tr[td[.='outside']]").await;
    b.see("//div[@class='elevation'][contains(., 'outside')]").await;
    let fills = shown["fillings"].as_array().unwrap().len();
    if fills > 0 {
        b.click("//section[@aria-label='What would fill it']//li[1]//button[normalize-space(.)='Put it on the plan']")
            .await;
        b.see_within("//button[normalize-space(.)='It is on the plan']", 30).await;
    }
    b.close().await;
    let plan = c.ok("GET", &format!("{base}/plan"), Value::Null).await;
    let stations = plan.as_array().unwrap().iter().filter(|i| i["kind"] == "station").count();
    assert_eq!(stations, 1 + usize::from(fills > 0));
    // another wall is another cover
    c.ok("POST", &format!("{base}/plan/edits"), json!([wall("east", [far.x, 0.4], [far.x, 1.4])])).await;
    assert_eq!(c.ok("GET", &format!("{base}/shown"), Value::Null).await["stale"], true);
}
