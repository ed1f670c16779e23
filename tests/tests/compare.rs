//! Scans set against one another: what came, went or lies twice is found, looked at, and stands in the verdict.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use nalgebra::Vector2;
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
    b.page.goto(&format!("{}/jobs/{id}/check", server.url)).await.unwrap();
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
