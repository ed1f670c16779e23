//! Walks of a mobile unit in a real browser: proposed, taken, undone, drawn by hand, held by marks where they are advised.

use super::planning::{edit, hall, page};
use serde_json::{Value, json};
use std::time::Duration;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server};

async fn items(c: &Client, id: &str, kind: &str) -> Vec<Value> {
    let plan = c.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await;
    plan.as_array().unwrap().iter().filter(|i| i["kind"] == kind).cloned().collect()
}

async fn settles(c: &Client, id: &str, kind: &str, n: usize) {
    for _ in 0..100 {
        if items(c, id, kind).await.len() == n {
            return;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("found {} of {kind}, expected {n}", items(c, id, kind).await.len());
}

#[tokio::test]
async fn a_walk_is_proposed_taken_and_held_by_marks_where_they_are_advised() {
    let server = Server::start().await;
    let c = server.person("walter").await;
    let id = hall(&c, "Walked").await;
    let job = c.ok("GET", &format!("/api/jobs/{id}"), Value::Null).await;
    let mut brief = job["brief"].clone();
    brief["requirement"]["spatial95"] = 0.05.into();
    let body = json!({ "name": "Walked", "brief": brief, "version": job["version"] });
    c.ok("PUT", &format!("/api/jobs/{id}"), body).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/plan", server.url)).await.unwrap();
    page(&b, "Walks").await;
    b.see("//aside//p[contains(., 'No walk yet')]").await;
    b.fill("Begins at x", "12").await;
    b.fill("Begins at y", "-2").await;
    b.click("//aside//form//button[normalize-space(.)='Propose']").await;
    b.see("//aside//p[contains(., 'it begins and ends at the start')]").await;
    b.press("Take").await;
    settles(&c, &id, "walk", 1).await;
    // through the gate, which is the only way in
    let line = items(&c, &id, "walk").await[0]["data"]["line"].clone();
    let crosses = line.as_array().unwrap().windows(2).filter_map(|w| {
        let n = |v: &Value, k: usize| v[k].as_f64().unwrap();
        let (a, b) = ((n(&w[0], 0), n(&w[0], 1)), (n(&w[1], 0), n(&w[1], 1)));
        (a.1.signum() != b.1.signum()).then(|| a.0 + (b.0 - a.0) * a.1 / (a.1 - b.1))
    });
    assert!(crosses.clone().count() >= 2 && crosses.clone().all(|x| (10.5..=13.5).contains(&x)), "{line}");
    b.see("//table[@aria-label='Walks']//td[normalize-space(.)='W1']").await;
    b.see("//aside//*[contains(., 'Error along it: W1')]").await;
    b.press("Undo").await;
    settles(&c, &id, "walk", 0).await;
    // one drawn by somebody else, far over open ground: what it needs is said, and put on the plan with one button
    let street: Vec<[f64; 2]> = (0..6).map(|k| [80.0 * f64::from(k % 2), -20.0 - 30.0 * f64::from(k)]).collect();
    let far = edit("walk", json!({ "name": "Street", "unit": "Hand-held", "line": street }));
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!([far])).await;
    b.page.refresh().await.unwrap();
    page(&b, "Walks").await;
    b.see("//ul[@aria-label='Traps']//b[contains(., 'Street drifts beyond')]").await;
    let walks = c.ok("GET", &format!("/api/jobs/{id}/plan/walks"), Value::Null).await;
    let advised = walks["helps"].as_array().unwrap().len();
    assert!(advised > 1, "{walks}");
    b.click("//aside//button[contains(., 'marks on the plan')]").await;
    settles(&c, &id, "target", advised).await;
    for _ in 0..60 {
        let now = c.ok("GET", &format!("/api/jobs/{id}/plan/walks"), Value::Null).await;
        if now["walks"][0]["marks"].as_array().unwrap().len() == advised {
            return;
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    panic!("the walk does not stand on the marks that were put on the plan");
}
