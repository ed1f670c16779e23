//! Scans set against one another: what came, went or lies twice is found, looked at, and stands in the verdict.

use nalgebra::{Vector2, Vector3};
use serde_json::{Value, json};
use vistazo_core::plan::Obstacle;
use vistazo_sim::{Passer, Standing, small_job};
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Server, job};

#[tokio::test]
async fn what_changed_between_scans_is_found_and_looked_at() {
    let server = Server::start().await;
    let c = server.person("wanda").await;
    // a crate that is there from the third scan on, and somebody beside the second scanner
    let mut site = small_job(job::SEED);
    let at = site.truth.poses.iter().map(|p| p.translation.xy()).sum::<Vector2<f64>>() / 4.0;
    let outline = [(-0.5, -0.4), (0.5, -0.4), (0.5, 0.4), (-0.5, 0.4)].map(|p| at + Vector2::new(p.0, p.1)).to_vec();
    let thing = Obstacle { outline, base: 0.0, top: 0.7 };
    site.scene.standing.push(Standing { thing, scans: (2, usize::MAX) });
    let by = site.truth.poses[1].translation.xy();
    let off = (at - by).normalize() * 1.1;
    let off = Vector2::new(-off.y, off.x);
    site.scene.passers.push(Passer { epoch: 1, at: [by.x + off.x, by.y + off.y], height: 1.8 });
    let files = job::files_of(site);
    let id = job::new(&c, "Compared too early", &files).await;
    c.refused(409, "POST", &format!("/api/jobs/{id}/comparison"), Value::Null).await;
    let id = job::on_grid(&c, "Compared", &files).await;
    let base = format!("/api/jobs/{id}");
    c.run(&id, "/comparison").await;
    let all = c.ok("GET", &format!("{base}/comparison"), Value::Null).await;
    assert_eq!((all["frame"].as_str(), all["to_do"].as_u64()), (Some("grid"), Some(0)));
    let pairs = all["pairs"].as_array().unwrap();
    assert_eq!(pairs.len(), 6);
    let share: f64 = pairs.iter().map(|p| p["beyond"].as_f64().unwrap()).sum::<f64>() / 6.0;
    assert!(share < 0.15 && pairs.iter().all(|p| p["misfit"].is_null()), "{share} {pairs:?}");
    let middle = job::on_grid_at(&nalgebra::Vector3::new(at.x, at.y, 0.5));
    let near = |t: &&Value| {
        let p = |k: usize| t["position"][k].as_f64().unwrap();
        (p(0) - middle.x).hypot(p(1) - middle.y) < 0.8
    };
    let things = all["things"].as_array().unwrap();
    let came = things.iter().find(near).expect("the crate");
    let said = came["said"].as_str().unwrap();
    assert!(said.contains("it came, between"), "{said}");
    assert!(things.iter().any(|t| t["said"].as_str().unwrap().contains("for one scan")), "{things:?}");
    assert!(things.len() <= 4, "{things:?}");
    // where, and by how much
    let pair = format!("{base}/comparison/pairs/{}", pairs[0]["id"].as_str().unwrap());
    let places = c.ok("GET", &pair, Value::Null).await;
    assert!(places["places"].as_array().unwrap().len() > 100);
    let verdicts = c.ok("GET", &format!("{base}/verdicts"), Value::Null).await;
    let row = verdicts.as_array().unwrap().iter().find(|v| v["requirement"] == "Scans against one another").unwrap();
    assert!(row["verdict"] == "met" && row["evidence"].as_str().unwrap().contains("6 pairs compared"), "{row}");
    // what was compared of other poses is not taken for what stands now
    let control = json!({ "text": files.control_text, "unit": "m", "sigma_h": 0.002, "sigma_v": 0.002 });
    c.ok("POST", &format!("{base}/control"), control).await;
    c.ok("POST", &format!("{base}/georeference"), json!({ "model": "rigid" })).await;

    // at the page: what it was, with a name; and a pair with its map
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=scans", server.url)).await.unwrap();
    b.press("Compare again").await;
    let row = format!("//table[@aria-label='Things that changed']//tr[contains(., \"{said}\")]");
    b.see_within(&row, 60).await;
    b.fill("What it was", "crate of the fitters").await;
    b.click("(//table[@aria-label='Things that changed']//button[contains(., 'I looked at it')])[1]").await;
    b.see("//table[@aria-label='Things that changed']//tr[contains(., 'crate of the fitters')]").await;
    b.click("//table[@aria-label='Scans against one another, by pair']/tbody/tr[1]/td[1]").await;
    b.see("//figure[contains(@aria-label, 'from above')]//*[local-name() = 'svg']").await;
    b.close().await;
    let log = c.ok("GET", &format!("{base}/log"), Value::Null).await.to_string();
    assert!(log.contains("looked at: ") && log.contains("crate of the fitters"), "{log}");
    let gone = json!({ "key": "apart 9 9 9", "looked": true });
    let wrong = c.refused(422, "PUT", &format!("{base}/comparison/things"), gone).await;
    assert!(wrong.contains("not there any more"), "{wrong}");
}

/// A slice about a place in the room.
fn cut(at: &Vector3<f64>, (bearing, tilt): (f64, f64), width: f64) -> Value {
    let at = job::on_grid_at(at);
    json!({ "at": [at.x, at.y, at.z], "bearing": bearing, "tilt": tilt, "width": width, "height": width / 2.0, "thickness": 0.04 })
}

/// Points of a slice, right and up from its middle, metres.
fn points(scan: &Value) -> Vec<[f64; 2]> {
    let all: Vec<f64> = scan["points"].as_array().unwrap().iter().map(|v| v.as_f64().unwrap() * 1e-4).collect();
    all.chunks_exact(2).map(|p| [p[0], p[1]]).collect()
}

#[tokio::test]
async fn slices_show_walls_where_they_stand_and_go_into_the_report() {
    let files = job::files();
    let far = files.job.scene.site.walls[0].line[2];
    let (server, c, id) = job::standing("sten", "Sliced").await;
    let base = format!("/api/jobs/{id}");
    let list = c.ok("GET", &format!("{base}/slices"), Value::Null).await;
    assert!(list["compared"] == false && list["slices"] == json!([]) && list["start"]["tilt"] == 0.0, "{list}");
    // level: what is drawn lies on the four walls, whose place is known
    let middle = Vector3::new(far.x / 2.0, far.y / 2.0, 2.2);
    let level = cut(&middle, (90.0, 0.0), 2.0 * far.y.max(far.x) + 2.0);
    let out = c.ok("POST", &format!("{base}/slices/cut"), level.clone()).await;
    let scans = out["scans"].as_array().unwrap();
    assert_eq!(scans.len(), 4, "{}", scans.len());
    for s in scans {
        let (x, y) = (middle.x, middle.y);
        let off = |p: &[f64; 2]| {
            let (px, py) = ((x + p[0] / job::GRID_FACTOR).abs(), (y + p[1] / job::GRID_FACTOR).abs());
            px.min(py).min((px - far.x).abs()).min((py - far.y).abs())
        };
        let all = points(s);
        let near = all.iter().filter(|p| off(p) < 0.012).count();
        assert!(all.len() > 300 && near * 100 > all.len() * 90, "{} of {} on walls", near, all.len());
    }
    // on one wall, the scans lie beside one another by no more than is stated
    let wall = Vector3::new(far.x / 2.0, 0.0, 2.2);
    let stretch = json!({ "cut": cut(&wall, (90.0, 0.0), 1.6), "from": [-0.6, -0.1], "to": [0.6, 0.1] });
    let apart = c.ok("POST", &format!("{base}/slices/offsets"), stretch.clone()).await;
    assert!(apart["normal"][1].as_f64().unwrap().abs() > 0.999, "{apart}");
    let offsets = apart["scans"].as_array().unwrap();
    assert!(offsets.len() >= 2, "{apart}");
    for o in offsets {
        let (off, off95) = (o["offset"].as_f64().unwrap(), o["offset95"].as_f64().unwrap());
        assert!(off.abs() < 1.6 * off95 && off95 < 0.008, "{o}");
    }
    // upright: the floor is level, at its height
    let floor = cut(&Vector3::new(far.x / 2.0, far.y / 2.0, 0.0), (20.0, 90.0), 1.6);
    let out = c.ok("POST", &format!("{base}/slices/cut"), floor).await;
    let up: Vec<f64> = out["scans"].as_array().unwrap().iter().flat_map(points).map(|p| p[1]).collect();
    // what stands on it rises from it, and nothing lies under it
    let (near, under) = (up.iter().filter(|v| v.abs() < 0.012).count(), up.iter().filter(|v| **v < -0.012).count());
    assert!(near > 200 && under * 100 < up.len(), "{near} on the floor, {under} under it, of {}", up.len());
    let mut air = stretch.clone();
    air["cut"] = cut(&(middle + Vector3::new(0.0, 0.0, 300.0)), (90.0, 0.0), 1.6);
    let refused = c.refused(422, "POST", &format!("{base}/slices/offsets"), air).await;
    assert!(refused.contains("no single surface"), "{refused}");
    let mut thick = level.clone();
    thick["thickness"] = json!(9.0);
    let refused = c.refused(422, "POST", &format!("{base}/slices/cut"), thick).await;
    assert!(refused.contains("0.001 to 5 m"), "{refused}");

    // chosen where doubt is greatest, looked at on the page
    c.run(&id, "/comparison").await;
    let list = c.ok("GET", &format!("{base}/slices"), Value::Null).await;
    let chosen = list["slices"].as_array().unwrap();
    assert!(!chosen.is_empty() && chosen.iter().all(|s| s["chosen"] == true && s["looked"].is_null()), "{list}");
    let own = json!({ "key": null, "cut": level, "looked": true, "note": " " });
    c.refused(422, "PUT", &format!("{base}/slices"), own).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/check?evidence=slices", server.url)).await.unwrap();
    b.click("//ul[@aria-label='Slices to look at']/li[1]/button").await;
    b.see("//div[@aria-label='Scans in the slice']/button[2]").await;
    b.fill("What it shows", "one surface").await;
    b.press("I looked at it").await;
    b.see("//ul[@aria-label='Slices to look at']/li/button[contains(.,'one surface')]").await;
    b.press("Everything").await;
    b.fill("What it shows", "the room").await;
    b.press("Keep for the report").await;
    b.see("//ul[@aria-label='Slices to look at']/li/button[contains(.,'the room')]").await;
    b.close().await;
    c.run(&id, "/packages").await;
    let list = c.ok("GET", &format!("{base}/slices"), Value::Null).await;
    let looked: Vec<&Value> = list["slices"].as_array().unwrap().iter().filter(|s| !s["looked"].is_null()).collect();
    assert!(looked.len() == 2 && looked.iter().all(|s| s["stale"] == false), "{list}");
    // what was looked at is not taken for what stands after another registration
    c.ok("POST", &format!("{base}/georeference"), json!({ "model": "rigid" })).await;
    let list = c.ok("GET", &format!("{base}/slices"), Value::Null).await;
    let room = list["slices"].as_array().unwrap().iter().find(|s| s["said"] == "the room").unwrap();
    assert_eq!(room["stale"], true);
    let back = json!({ "key": room["key"], "cut": room["cut"], "looked": false });
    let list = c.ok("PUT", &format!("{base}/slices"), back).await;
    assert!(list["slices"].as_array().unwrap().iter().all(|s| s["said"] != "the room"), "{list}");
}
