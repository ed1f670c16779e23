//! Points measured by other means against the clouds: the errors that were planted come out, the verdict says so, and what
//! the data is fit for goes by limits that people set.

use nalgebra::Vector3;
use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::job;
use vistazo_tests::server::PASSWORD;

#[tokio::test]
async fn an_independent_survey_shows_what_was_planted() {
    let files = job::files();
    let far = files.job.scene.site.walls[0].line[2];
    let (server, c, id) = job::standing("irma", "Surveyed").await;
    let base = format!("/api/jobs/{id}");
    // forty points on walls and floor, all 9 mm east of where they are, and one that was taken on something else
    let planted = Vector3::new(0.009, 0.0, 0.0);
    let mut lines = "Point;Easting;Northing;Height\n".to_owned();
    for k in 0..40 {
        let (a, b) = (f64::from(k * 7 % 40) / 40.0 * 0.8 + 0.1, f64::from(k * 11 % 40) / 40.0 * 2.4 + 0.3);
        let at = match k % 5 {
            0 => Vector3::new(a * far.x, 0.0, b),
            1 => Vector3::new(a * far.x, far.y, b),
            2 => Vector3::new(0.0, a * far.y, b),
            3 => Vector3::new(far.x, a * far.y, b),
            _ => Vector3::new(a * far.x, (b / 3.0).fract() * far.y, 0.0),
        };
        let wrong = if k == 4 { 0.05 } else { 0.0 };
        let g = job::on_grid_at(&at) + planted + Vector3::new(0.0, 0.0, wrong);
        lines += &format!("Q{k};{:.4};{:.4};{:.4}\n", g.x, g.y, g.z);
    }
    let file = |text: &str| json!({ "text": text, "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    let no_height = json!({ "name": "Half", "file": file("A;412001;5604002;\n") });
    let wrong = c.refused(422, "POST", &format!("{base}/surveys"), no_height).await;
    assert!(wrong.contains("line 1") && wrong.contains("lacks a coordinate"), "{wrong}");
    c.refused(409, "POST", &format!("{base}/surveys/run"), Value::Null).await;
    c.ok("POST", &format!("{base}/surveys"), json!({ "name": "Total station", "file": file(&lines) })).await;
    c.run(&id, "/surveys/run").await;
    let row = c.ok("GET", &format!("{base}/surveys"), Value::Null).await[0].clone();
    let (result, number) = (&row["result"], |v: &Value| v.as_f64().unwrap());
    assert!(row["stale"] == false && number(&result["all"]["count"]) > 34.0, "{row}");
    let bias = |axis: &str| {
        let b = result["bias"].as_array().unwrap().iter().find(|b| b["axis"] == axis).unwrap();
        (number(&b["shift"]), number(&b["shift95"]))
    };
    let (east, north) = (bias("E"), bias("N"));
    assert!((east.0 + 0.009).abs() < 0.002 && north.0.abs() < 0.002 && east.1 < 0.006, "{east:?} {north:?}");
    let off: Vec<&str> = result["points"]
        .as_array()
        .unwrap()
        .iter()
        .filter(|p| p["p_family"].as_f64().is_some_and(|p| p < 0.01))
        .map(|p| p["name"].as_str().unwrap())
        .collect();
    assert!(off.contains(&"Q4"), "{off:?}");
    let verdicts = c.ok("GET", &format!("{base}/verdicts"), Value::Null).await;
    let said = verdicts.as_array().unwrap().iter().find(|v| v["requirement"] == "Independent survey, 95 %").unwrap();
    assert!(said["verdict"] == "not met" && said["evidence"].as_str().unwrap().contains("Q4"), "{said}");

    // at the page: another survey by hand as LandXML in feet, and a limit that suits what was agreed
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=survey", server.url)).await.unwrap();
    b.see("//section[@aria-label='Total station']//table[@aria-label='Fit for what']//tr[@data-verdict='met']").await;
    b.fill("Limit: Information: to look at and count", "1").await;
    b.click("//section[@aria-label='Total station']/h3").await;
    b.see("//table[@aria-label='Fit for what']/tbody/tr[1][@data-verdict='not met']").await;
    b.press("Bring an independent survey").await;
    b.fill("What was measured, with what", "Levels").await;
    let g = job::on_grid_at(&Vector3::new(far.x * 0.5, far.y * 0.3, 0.0)) / 0.3048;
    let xml = format!(
        "<LandXML><Units><Imperial linearUnit=\"foot\"/></Units><CgPoints><CgPoint name=\"L1\">{:.5} {:.5} {:.5}</CgPoint></CgPoints></LandXML>",
        g.y, g.x, g.z
    );
    b.fill("Points of the survey", &xml).await;
    b.press("Set the clouds against it").await;
    b.see_within("//section[@aria-label='Levels']//td[.='floor or ceiling']", 60).await;
    b.close().await;
    let now = c.ok("GET", &format!("{base}/surveys"), Value::Null).await;
    assert_eq!(now[0]["limits"]["information"], 0.001);
    let old = json!({ "version": 1, "limits": row["limits"] });
    c.refused(409, "PUT", &format!("{base}/surveys/{}", row["id"].as_str().unwrap()), old).await;
}

#[tokio::test]
async fn a_design_is_looked_for_and_stays_on_record() {
    let files = job::files();
    let far = files.job.scene.site.walls[0].line[2];
    let (server, c, id) = job::standing("dag", "Built").await;
    let base = format!("/api/jobs/{id}");
    let at = |x: f64, y: f64| {
        let g = job::on_grid_at(&Vector3::new(x, y, 0.0));
        format!("{:.4};{:.4}", g.x, g.y)
    };
    let wall = |name: &str, y: f64| format!("wall;{name};112.1;114.4;0;{};{}\n", at(0.5, y), at(far.x - 0.5, y));
    // a wall that stands, one that stands 40 mm farther in than is drawn, one that nobody built
    let text =
        format!("# the room\n{}{}{}", wall("south", 0.0), wall("north", far.y + 0.04), wall("middle", far.y * 0.55));
    let body = |text: &str| json!({ "name": "Room", "text": text, "unit": "m", "tolerance": 0.012 });
    let wrong = c.refused(422, "POST", &format!("{base}/designs"), body("wall;W;0;3;0;1;2;3;x")).await;
    assert!(wrong.contains("line 1, column 9") && wrong.contains("“x”"), "{wrong}");
    c.refused(409, "POST", &format!("{base}/designs/run"), Value::Null).await;
    c.ok("POST", &format!("{base}/designs"), body(&text)).await;
    c.run(&id, "/designs/run").await;
    let row = c.ok("GET", &format!("{base}/designs"), Value::Null).await[0].clone();
    let built = |k: usize| row["elements"][k]["state"].clone();
    assert_eq!((built(0)["built"].as_str(), built(2)["built"].as_str()), (Some("there"), Some("not_yet")), "{row}");
    let off = built(1)["distance"].as_f64().unwrap();
    // to the left of its line is north, and it stands south of it
    assert!(built(1)["built"] == "elsewhere" && (off + 0.04).abs() < 0.006, "{row}");
    assert!(row["stale"] == false && row["progress"][0]["counts"] == json!([1, 1, 0, 1, 0]), "{row}");

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=design", server.url)).await.unwrap();
    b.see("//section[@aria-label='Room']//table[@aria-label='Elements of the design']//td[.='elsewhere']").await;
    b.press("Bring a design").await;
    b.fill("What is to be built", "South").await;
    b.fill("The design as text", &wall("again", 0.0)).await;
    b.press("Look for it").await;
    b.see_within("//section[@aria-label='South']//td[.='there']", 60).await;
    b.close().await;
    // another place of the block is another look; what was seen before stays
    c.ok("POST", &format!("{base}/georeference"), json!({ "model": "rigid" })).await;
    c.run(&id, "/designs/run").await;
    let now = c.ok("GET", &format!("{base}/designs"), Value::Null).await[0].clone();
    assert_eq!(now["progress"].as_array().unwrap().len(), 2, "{now}");
    assert_eq!(now["elements"][0]["since"], row["elements"][0]["since"]);
    c.refused(409, "DELETE", &format!("{base}/designs/{}?version=9", row["id"].as_str().unwrap()), Value::Null).await;
    c.ok("DELETE", &format!("{base}/designs/{}?version=1", row["id"].as_str().unwrap()), Value::Null).await;
}
