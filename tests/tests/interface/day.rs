//! The days in a real browser: the order dragged, undone and locked, a shorter one taken, noon planned anew, printed; the
//! field sheet follows.

use chrono::{Duration, Utc};
use fantoccini::actions::{InputSource, MOUSE_BUTTON_LEFT, MouseActions, PointerAction};
use serde_json::{Value, json};
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server};

/// Stations that are taken to and fro, with targets that all of them see.
async fn criss_cross(c: &Client) -> String {
    let id = c.ok("POST", "/api/jobs", json!({ "name": "Two days" })).await["id"].as_str().unwrap().to_owned();
    let item = |kind: &str, name: String, x: f64, y: f64, order: Value| {
        let data = json!({ "name": name, "position": [x, y, 1.6], "base": 0.0, "top": 0.0, "order": order });
        json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": data, "version": null, "deleted": false })
    };
    let at = [0.0, 24.0, 6.0, 18.0, 12.0];
    let stations = at.iter().enumerate().map(|(k, x)| item("station", format!("S{}", k + 1), *x, 0.0, json!(k + 1)));
    let targets = [(6.0, 5.0), (12.0, -5.0), (18.0, 6.0)];
    let targets = targets.iter().enumerate().map(|(k, t)| item("target", format!("T{}", k + 1), t.0, t.1, Value::Null));
    let edits: Vec<Value> = stations.chain(targets).collect();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    id
}

/// Names of the stations in the order of the plan, once it is as expected.
async fn order(c: &Client, id: &str, expected: &str) {
    let mut now = String::new();
    for _ in 0..100 {
        let days = c.ok("GET", &format!("/api/jobs/{id}/day"), Value::Null).await;
        let names = days["stations"].as_array().unwrap().iter().map(|s| s["name"].as_str().unwrap().to_owned());
        now = names.collect::<Vec<_>>().join(" ");
        if now == expected {
            return;
        }
        tokio::time::sleep(std::time::Duration::from_millis(100)).await;
    }
    panic!("the order is {now}, expected {expected}");
}

#[tokio::test]
async fn a_day_is_ordered_by_hand_planned_anew_and_printed() {
    let server = Server::start().await;
    let c = server.person("hedda").await;
    let id = criss_cross(&c).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/plan?room=days", server.url)).await.unwrap();
    b.see("//h3[starts-with(., 'All 5 stations fit')]").await;
    // S2 is dragged below S4, by its handle
    b.see("//button[starts-with(@aria-label, 'Move S5:')]").await;
    let find = "[...document.querySelectorAll('button')].find(b => b.ariaLabel?.startsWith(`Move ${arguments[0]}:`))";
    b.page.execute(&format!("{find}.scrollIntoView({{ block: 'center' }})"), vec![json!("S3")]).await.unwrap();
    let middle = async |name: &str| {
        let script =
            &format!("const r = {find}.getBoundingClientRect(); return [r.x + r.width / 2, r.y + r.height / 2]");
        let at = b.page.execute(script, vec![json!(name)]).await.unwrap();
        (at[0].as_f64().unwrap(), at[1].as_f64().unwrap())
    };
    let (from, to) = (middle("S2").await, middle("S4").await);
    let go = |x: f64, y: f64| PointerAction::MoveTo { duration: Some(std::time::Duration::from_millis(120)), x, y };
    let drag = MouseActions::new("mouse".into())
        .then(go(from.0, from.1))
        .then(PointerAction::Down { button: MOUSE_BUTTON_LEFT })
        .then(go(from.0 + 3.0, from.1 + 12.0))
        .then(go(to.0 + 3.0, to.1 + 8.0))
        .then(PointerAction::Up { button: MOUSE_BUTTON_LEFT });
    b.page.perform_actions(drag).await.unwrap();
    order(&c, &id, "S1 S3 S4 S2 S5").await;
    b.press("Undo").await;
    order(&c, &id, "S1 S2 S3 S4 S5").await;
    // by keys the same
    let up = b.see("//button[starts-with(@aria-label, 'Move S5:')]").await;
    up.send_keys("\u{e00a}\u{e013}").await.unwrap();
    order(&c, &id, "S1 S2 S3 S5 S4").await;
    // what is locked stays; the rest is put in a shorter order
    b.click("//label[.//input[@aria-label='Lock the place of S2']] | //input[@aria-label='Lock the place of S2']")
        .await;
    b.see("//input[@aria-label='Lock the place of S2' and @checked] | //span[contains(@class, 'checkbox-checked')]/input[@aria-label='Lock the place of S2']").await;
    b.press("Find a shorter order").await;
    b.see("//table[@aria-label='Order with less carrying']").await;
    b.press("Take this order").await;
    // S2 is the second still; from there back along the row
    order(&c, &id, "S1 S2 S4 S5 S3").await;

    // the field sheet goes by it
    let field = c.ok("GET", &format!("/api/jobs/{id}/field/now"), Value::Null).await;
    assert_eq!(field["stations"][1]["name"], "S2");
    assert_eq!(field["next"]["name"], "S1");
    assert!(field["next"]["planned"].is_string(), "{}", field["next"]);

    // another person comes along, on a date of last week
    b.click("//section//div[contains(@class, 'segmented')]//div[normalize-space(.)='planned from' and contains(@class, 'label')]").await;
    b.press("Add a person").await;
    b.press("Save").await;
    b.see("//button[normalize-space(.)='Saved']").await;
    b.see("//span[@class='day-name' and .='Person 2']").await;
    let mut s = c.ok("GET", &format!("/api/jobs/{id}/day"), Value::Null).await["settings"].clone();
    let date = Utc::now().date_naive() - Duration::days(7);
    s["dates"][0]["date"] = json!(date);
    s["dates"][0]["to"] = json!(9.5 * 3600.0);
    s["offset"] = json!(0);
    c.ok("PUT", &format!("/api/jobs/{id}/day"), s).await;
    // begun an hour late: what no longer fits is named, with choices
    b.page.goto(&format!("{}/jobs/{id}/plan?room=days&now={date}T08:50:00Z", server.url)).await.unwrap();
    b.see("//h3[contains(., 'stations do not fit into the days')]").await;
    b.press("What can be done").await;
    for choice in ["Another day", "Coarser", "Leave out", "Mobile instead"] {
        b.see(&format!("//table[@aria-label='What can be done']//b[.='{choice}']")).await;
    }
    b.click("//a[.='Day sheet']").await;
    assert!(b.download(".pdf").await.starts_with(b"%PDF"));
    b.close().await;
}
