//! Walks with a mobile unit as they are planned, over the API.

use serde_json::{Value, json};
use vistazo_tests::{Client, Server};

fn edit(kind: &str, data: Value) -> Value {
    let mut full = json!({ "base": 0.0, "top": 0.0, "position": [0.0, 0.0, 0.0] });
    full.as_object_mut().unwrap().extend(data.as_object().unwrap().clone());
    json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": full, "version": null, "deleted": false })
}

/// A corridor with three rooms to its north, each with a door in the middle of its wall, and its own door in the west.
async fn rooms(c: &Client, name: &str, asked: f64) -> String {
    let id = c.ok("POST", "/api/jobs", json!({ "name": name })).await["id"].as_str().unwrap().to_owned();
    let job = c.ok("GET", &format!("/api/jobs/{id}"), Value::Null).await;
    let mut brief = job["brief"].clone();
    brief["requirement"]["spatial95"] = asked.into();
    let body = json!({ "name": name, "brief": brief, "version": job["version"] });
    c.ok("PUT", &format!("/api/jobs/{id}"), body).await;
    let wall = |name: &str, line: Value, doors: &[f64]| {
        let doors: Vec<Value> =
            doors.iter().map(|at| json!({ "name": "D", "at": at, "width": 1.2, "sill": 0.0, "head": 2.1 })).collect();
        edit("wall", json!({ "name": name, "line": line, "top": 3.0, "required_spacing": 0.02, "openings": doors }))
    };
    let edits = json!([
        wall("South", json!([[0.0, 0.0], [24.0, 0.0]]), &[]),
        wall("West", json!([[0.0, 0.0], [0.0, 8.0]]), &[1.0]),
        wall("East", json!([[24.0, 0.0], [24.0, 8.0]]), &[]),
        wall("North", json!([[0.0, 8.0], [24.0, 8.0]]), &[]),
        wall("Corridor", json!([[0.0, 2.0], [24.0, 2.0]]), &[4.0, 12.0, 20.0]),
        wall("Between 1", json!([[8.0, 2.0], [8.0, 8.0]]), &[]),
        wall("Between 2", json!([[16.0, 2.0], [16.0, 8.0]]), &[]),
        edit(
            "area",
            json!({ "name": "Yard", "area": "hazard", "line": [[0.0, -40.0], [60.0, -40.0], [60.0, -4.0], [0.0, -4.0]] })
        ),
    ]);
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), edits).await;
    id
}

async fn walks(c: &Client, id: &str) -> Value {
    c.ok("GET", &format!("/api/jobs/{id}/plan/walks"), Value::Null).await
}

fn titles(of: &Value) -> String {
    of["findings"].as_array().unwrap().iter().map(|f| f["title"].as_str().unwrap()).collect::<Vec<_>>().join("\n")
}

async fn draw(c: &Client, id: &str, name: &str, unit: &str, line: &Value) {
    let walk = edit("walk", json!({ "name": name, "unit": unit, "line": line }));
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!([walk])).await;
}

fn number(v: &Value) -> f64 {
    v.as_f64().unwrap_or_else(|| panic!("no number: {v}"))
}

#[tokio::test]
async fn walks_are_proposed_through_every_room_and_back_and_become_passes_of_the_day() {
    let server = Server::start().await;
    let c = server.person("wanda").await;
    let id = rooms(&c, "Rooms", 0.06).await;
    assert!(walks(&c, &id).await["walks"].as_array().unwrap().is_empty());
    let wish = json!({ "unit": "Hand-held", "start": [-1.5, 1.0], "floor": 0.0 });
    let found = c.ok("POST", &format!("/api/jobs/{id}/plan/walks/propose"), wish).await;
    let line = found["lines"][0].as_array().unwrap();
    assert_eq!((&line[0], &line[line.len() - 1]), (&json!([-1.5, 1.0]), &json!([-1.5, 1.0])), "{found}");
    for room in 0..3 {
        let (from, to) = (8.0 * f64::from(room), 8.0 * f64::from(room + 1));
        let inside = |p: &&Value| number(&p[0]) > from && number(&p[0]) < to && number(&p[1]) > 2.5;
        assert!(line.iter().filter(inside).count() >= 3, "a loop in room {room}: {found}");
    }
    draw(&c, &id, "W1", "Hand-held", &found["lines"][0]).await;
    let planned = walks(&c, &id).await;
    let w = &planned["walks"][0];
    assert!((number(&w["seconds"]) - number(&found["seconds"][0])).abs() < 1.0, "as long as it was said to be");
    // a proposed walk leads through doors only, shows nearly all, and comes back to what it saw
    assert!(!titles(&planned).contains("through something"), "{}", titles(&planned));
    assert!(number(&planned["once"]) > 0.9 && number(&planned["twice"]) > 0.6, "{planned}");
    assert_eq!(planned["framed"], false);
    assert!(titles(&planned).contains("nothing holds"), "{}", titles(&planned));
    // the day has it as a pass: as long, at the door
    let day = c.ok("GET", &format!("/api/jobs/{id}/day"), Value::Null).await;
    let steps = serde_json::to_string(&day["steps"]).unwrap();
    assert!(steps.contains("\"W1\""), "{steps}");
    // swept ground: strips within it, from the start and back
    let plan = c.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await;
    let yard = plan.as_array().unwrap().iter().find(|i| i["kind"] == "area").unwrap()["id"].clone();
    let wish = json!({ "unit": "Phone-grade", "start": [0.0, -3.0], "sweep": yard, "swath": 6.0, "overlap": 0.3 });
    let swept = c.ok("POST", &format!("/api/jobs/{id}/plan/walks/propose"), wish).await;
    assert!(swept["lines"].as_array().unwrap().len() > 1, "a telephone lasts eight minutes: {swept}");
    let inside = |p: &Value| (-40.0..=-3.0).contains(&number(&p[1])) && (0.0..=60.0).contains(&number(&p[0]));
    assert!(swept["lines"].as_array().unwrap().iter().flat_map(|l| l.as_array().unwrap()).all(inside), "{swept}");
    for s in swept["seconds"].as_array().unwrap() {
        assert!(number(s) <= 480.0 + 1.0, "{swept}");
    }
}

#[tokio::test]
async fn what_goes_wrong_on_a_walk_is_named_and_what_helps_helps() {
    let server = Server::start().await;
    let c = server.person("wido").await;
    let id = rooms(&c, "Wrong", 0.06).await;
    // straight through a wall, and for so long that no pass lasts
    let street: Vec<[f64; 2]> = (0..30).map(|k| [20.0 * f64::from(k % 2), -6.0 - 40.0 * f64::from(k)]).collect();
    let line: Vec<[f64; 2]> = [[4.0, 6.0], [12.0, 6.0]].into_iter().chain(street).collect();
    draw(&c, &id, "Long", "Hand-held", &json!(line)).await;
    let before = walks(&c, &id).await;
    let said = titles(&before);
    for what in [
        "Long leads through something that stands",
        "Long is longer than a pass",
        "Long drifts beyond",
        "Long passes once only",
    ] {
        assert!(said.contains(what), "“{what}” in\n{said}");
    }
    assert!(number(&before["walks"][0]["passes"]) >= 2.0);
    // split: each short enough, each beginning where the one before it was ten metres before its end
    let item = before["walks"][0]["item"].as_str().unwrap();
    let cut = c.ok("POST", &format!("/api/jobs/{id}/plan/walks/{item}/split"), Value::Null).await;
    let lines = cut["lines"].as_array().unwrap();
    assert_eq!(lines.len() as f64, number(&before["walks"][0]["passes"]));
    for s in cut["seconds"].as_array().unwrap() {
        assert!(number(s) <= 1200.0 + 1.0, "{cut}");
    }
    // marks where they are advised: the plan says beforehand what they do
    let worst = |of: &Value| {
        of["walks"][0]["places"].as_array().unwrap().iter().map(|p| number(&p["error95"])).fold(0.0, f64::max)
    };
    let helps = before["helps"].as_array().unwrap();
    assert!(helps.len() > 2, "{before}");
    let marks: Vec<Value> = helps
        .iter()
        .enumerate()
        .map(|(k, h)| {
            edit("target", json!({ "name": format!("C{k}"), "target": "mark", "position": h["at"], "control_sigma": [0.005, 0.005] }))
        })
        .collect();
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(marks)).await;
    // the line stands on a mark where it has a corner there
    let plan = c.ok("GET", &format!("/api/jobs/{id}/plan"), Value::Null).await;
    let walk = plan.as_array().unwrap().iter().find(|i| i["kind"] == "walk").unwrap().clone();
    let mut corners: Vec<[f64; 2]> = line.clone();
    for h in helps {
        let at = [number(&h["at"][0]), number(&h["at"][1])];
        let off = |k: usize| {
            let ([ax, ay], [bx, by]) = (corners[k], corners[k + 1]);
            let (dx, dy) = (bx - ax, by - ay);
            let t = (((at[0] - ax) * dx + (at[1] - ay) * dy) / (dx * dx + dy * dy)).clamp(0.0, 1.0);
            (at[0] - ax - t * dx).hypot(at[1] - ay - t * dy)
        };
        let near = (0..corners.len() - 1).min_by(|a, b| off(*a).total_cmp(&off(*b))).unwrap();
        corners.insert(near + 1, at);
    }
    let mut data = walk["data"].clone();
    data["line"] = json!(corners);
    let again =
        json!([{ "id": walk["id"], "kind": "walk", "data": data, "version": walk["version"], "deleted": false }]);
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), again).await;
    let after = walks(&c, &id).await;
    assert_eq!(after["walks"][0]["marks"].as_array().unwrap().len(), helps.len(), "{}", after["walks"][0]["marks"]);
    assert_eq!(after["framed"], true);
    let promised = number(&helps[helps.len() - 1]["then"]);
    assert!(
        worst(&after) < 0.25 * worst(&before) || worst(&after) < 1.3 * promised,
        "{} then {}, promised {promised}",
        worst(&before),
        worst(&after)
    );
    // what cannot be is refused with its field
    let bad = edit("walk", json!({ "name": "B", "unit": "Balloon", "line": [[0.0, 0.0], [1.0, 0.0]] }));
    c.refused(422, "POST", &format!("/api/jobs/{id}/plan/edits"), json!([bad])).await;
    let shut = json!({ "unit": "Hand-held", "start": [-1.5, 1.0], "sweep": uuid::Uuid::now_v7() });
    c.refused(422, "POST", &format!("/api/jobs/{id}/plan/walks/propose"), shut).await;
}
