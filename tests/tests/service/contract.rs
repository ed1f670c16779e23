//! The API against its own description: what it gives is what it says, and whatever is sent to it is taken or refused
//! with a reason, never answered with a failure of the server's.

use serde_json::{Value, json};
use std::time::{Duration, Instant};
use vistazo_tests::described::{Described, spoiled};
use vistazo_tests::{Client, Server, job};

fn id_of(v: &Value) -> String {
    v["id"].as_str().unwrap().to_owned()
}

/// Identifiers of what a job holds, by the names the paths give them.
async fn named(c: &Client, base: &str) -> Vec<(&'static str, String)> {
    let first = async |path: &str| c.ok("GET", &format!("{base}{path}"), Value::Null).await[0].clone();
    let scan = first("/scans").await;
    c.ok("POST", &format!("{base}/cleaning"), json!({ "what": "stray", "options": {} })).await;
    c.run(base.rsplit('/').next().unwrap(), "/comparison").await;
    let compared = c.ok("GET", &format!("{base}/comparison"), Value::Null).await;
    let file = json!({ "text": "A;412001;5604002;112.1\n", "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    let survey = c.ok("POST", &format!("{base}/surveys"), json!({ "name": "Wall", "file": file })).await;
    let wall = json!({ "name": "New", "text": "wall;W1;112;115;0;412000;5604000;412004;5604000", "unit": "m", "tolerance": 0.01 });
    let design = c.ok("POST", &format!("{base}/designs"), wall).await;
    let surface = json!({ "name": "Old", "text": job::SURFACE, "error95": 0.02 });
    let surface = c.ok("POST", &format!("{base}/surfaces"), surface).await;
    let group = json!({ "name": "North", "scans": [scan["id"]], "hold": "free" });
    let group = c.ok("POST", &format!("{base}/scan-groups"), group).await;
    let pass = json!({ "name": "Walk", "unit": "Backpack" });
    let pass = c.ok("POST", &format!("{base}/passes"), pass).await;
    let drawn = c.ok("POST", &format!("{base}/drawing/edits"), sheet()).await;
    vec![
        ("{sheet}", id_of(&drawn[0])),
        ("{pass}", pass.as_str().unwrap().to_owned()),
        ("{job}", base.rsplit('/').next().unwrap().to_owned()),
        ("{scan}", id_of(&scan)),
        ("{upload}", scan["upload_id"].as_str().unwrap().to_owned()),
        ("{task}", id_of(&first("/tasks").await)),
        ("{package}", id_of(&first("/packages").await)),
        ("{view}", id_of(&first("/views").await)),
        ("{point}", id_of(&first("/control").await)),
        ("{item}", id_of(&first("/plan").await)),
        ("{file}", "plan.csv".to_owned()),
        ("{entry}", "report.pdf".to_owned()),
        ("{tie}", id_of(&first("/cloud-ties").await)),
        ("{group}", id_of(&group)),
        ("{step}", id_of(&c.ok("GET", &format!("{base}/cleaning"), Value::Null).await["steps"][0])),
        ("{pair}", id_of(&compared["pairs"][0])),
        ("{survey}", id_of(&survey[0])),
        ("{design}", id_of(&design[0])),
        ("{surface}", id_of(&surface["surfaces"][0])),
        ("{photo}", id_of(&c.send_bytes(&format!("{base}/photos?name=p.png"), job::dot()).await.1["photos"][0])),
        ("{detection}", id_of(&first("/detections").await)),
        ("{code}", "25832".to_owned()),
    ]
}

fn address(path: &str, names: &[(&'static str, String)]) -> String {
    names.iter().fold(path.to_owned(), |p, (name, id)| p.replace(name, id))
}

/// A sheet to draw on.
fn sheet() -> Value {
    json!([{ "id": uuid::Uuid::now_v7(), "kind": "sheet", "version": null, "deleted": false,
        "data": { "name": "Ground", "level": [112.0, 1.25, 0.1] } }])
}

fn slice() -> Value {
    json!({ "at": [412002.0, 5604000.0, 113.0], "bearing": 90.0, "tilt": 0.0, "width": 2.0, "height": 1.0, "thickness": 0.05 })
}

/// One item of every kind that a plan holds.
fn plan() -> Value {
    let item = |kind: &str, data: Value| json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": data, "version": null, "deleted": false });
    let line = json!([[0.0, 0.0], [6.0, 0.0], [6.0, 4.0], [0.0, 4.0]]);
    let door = json!({ "name": "D1", "at": 2.0, "width": 1.0, "sill": 0.0, "head": 2.1 });
    json!([
        item(
            "wall",
            json!({ "name": "W1", "line": [[0.0, 0.0], [6.0, 0.0]], "base": 0.0, "top": 3.0, "openings": [door],
            "required_spacing": 0.01, "required_incidence": 1.2, "required_accuracy": 0.01 })
        ),
        item(
            "obstacle",
            json!({ "name": "O1", "line": [[1.0, 1.0], [2.0, 1.0], [2.0, 2.0]], "base": 0.0, "top": 2.0 })
        ),
        item("column", json!({ "name": "C1", "position": [3.0, 3.0, 0.0], "radius": 0.2, "base": 0.0, "top": 3.0 })),
        item("floor", json!({ "name": "F1", "line": line, "base": 0.0, "top": 0.0, "required_spacing": 0.02 })),
        item("area", json!({ "name": "A1", "line": line, "base": 0.0, "top": 0.0, "area": "no_go" })),
        item("edge", json!({ "name": "E1", "line": [[0.0, 0.0], [6.0, 0.0]], "base": -1.0, "top": 0.0 })),
        item("height", json!({ "name": "H1", "position": [1.0, 1.0, 0.1], "base": 0.0, "top": 0.0 })),
        item("station", json!({ "name": "S1", "position": [1.0, 2.0, 1.6], "base": 0.0, "top": 0.0 })),
        item("station", json!({ "name": "S2", "position": [5.0, 2.0, 1.6], "base": 0.0, "top": 0.0 })),
        item("target", json!({ "name": "T1", "position": [3.0, 2.0, 1.5], "base": 0.0, "top": 0.0 })),
    ])
}

/// A job in which every list holds something.
async fn full(c: &Client) -> String {
    let files = job::files();
    let id = job::on_grid(c, "Described", files).await;
    let base = format!("/api/jobs/{id}");
    c.ok("POST", &format!("{base}/plan/edits"), plan()).await;
    c.run(&id, "/packages").await;
    c.run(&id, "/cloud-ties").await;
    c.ok("POST", &format!("{base}/views"), json!({ "name": "v", "data": {} })).await;
    base
}

#[tokio::test]
async fn what_is_given_is_what_is_described() {
    let server = Server::start().await;
    let c = server.person("dora").await;
    let base = full(&c).await;
    let (described, names) = (Described::of(&server.url).await, named(&c, &base).await);
    let (mut asked, mut wrong) = (0, Vec::new());
    for call in described.calls() {
        let Some(schema) = call.gives.filter(|_| call.method == "get") else { continue };
        let answer = c.request("GET", &address(call.path, &names)).send().await.unwrap();
        let status = answer.status().as_u16();
        assert!(status < 500, "GET {}: {status}", call.path);
        if status == 200 {
            let value = answer.json().await.unwrap();
            wrong.extend(described.differs(schema, &value).into_iter().take(3).map(|d| format!("{}: {d}", call.path)));
            asked += 1;
        }
    }
    assert!(wrong.is_empty(), "{}", wrong.join("\n"));
    assert!(asked >= 30, "{asked} answers compared");
}

/// What a call is sent when all is well; the description's own example where nothing better is known.
async fn good_body(c: &Client, base: &str, path: &str, names: &[(&'static str, String)]) -> Option<Value> {
    let version = async |list: &str| c.ok("GET", &format!("{base}{list}"), Value::Null).await[0]["version"].clone();
    Some(match path.strip_prefix("/api/jobs/{job}")? {
        "" => {
            let now = c.ok("GET", base, Value::Null).await;
            json!({ "name": now["name"], "brief": now["brief"], "version": now["version"] })
        }
        "/plan/edits" => plan(),
        "/scans/{scan}" => json!({ "name": "R", "levelled": true, "log": {}, "version": version("/scans").await }),
        "/control/{point}" => json!({ "is_check": true, "version": version("/control").await }),
        "/control" | "/control/preview" => {
            json!({ "text": "P1;412001.0;5604002.0;112.1\n", "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 })
        }
        "/cleaning" => json!({ "what": "box", "options": {
            "frame": "block", "middle": [0.0, 0.0, 1.0], "half": [0.5, 0.5, 0.5], "turn": 0.1 } }),
        "/comparison/things" => json!({ "key": "apart 0 0 0", "looked": true, "note": "a crate" }),
        "/slices" => json!({ "key": null, "looked": true, "note": "a wall", "cut": slice() }),
        "/slices/cut" => slice(),
        "/slices/offsets" => json!({ "cut": slice(), "from": [-0.5, -0.5], "to": [0.5, 0.5] }),
        "/photos/{photo}" => {
            let now = c.ok("GET", &format!("{base}/photos"), Value::Null).await["photos"][0]["version"].clone();
            let scan = &names.iter().find(|n| n.0 == "{scan}")?.1;
            json!({ "version": now, "masks": [[1.0, 1.0, 4.0, 4.0]], "used": true,
                "picks": [{ "pixel": [3.0, 4.0], "scan": scan, "at": [1.0, 2.0, 0.5] }] })
        }
        "/colours" => json!({ "scan": null }),
        "/designs" => json!({ "name": "New", "unit": "m", "tolerance": 0.01,
            "text": "wall;W1;112;115;0;412000;5604000;412004;5604000" }),
        "/drawing" => json!({ "name": "Room", "floor": 112.0, "cut": 1.25, "thickness": 0.1 }),
        "/drawing/edits" => sheet(),
        "/ground" => {
            json!({ "cell": 0.5, "reach": 20.0, "widest": 8.0, "slope": 0.3, "tolerance": 0.01, "longest": 2.0 })
        }
        "/surfaces" => json!({ "name": "Older", "text": job::SURFACE, "error95": 0.02 }),
        "/surfaces/{surface}" => {
            let now = c.ok("GET", &format!("{base}/ground"), Value::Null).await["surfaces"][0]["version"].clone();
            json!({ "name": "Old", "error95": 0.03, "version": now })
        }
        "/day" => c.ok("GET", &format!("{base}/day"), Value::Null).await["settings"].clone(),
        "/letterhead" => json!({ "lines": ["Office"], "colour": "#224466", "logo": null, "version": 0 }),
        "/drawing/measure" => json!({ "corners": [[412004.0, 5604003.0]], "snap": "ground" }),
        "/drawing/solids" => json!({ "sheet": names.iter().find(|n| n.0 == "{sheet}")?.1, "up": 8.0 }),
        "/drawing/fit" => json!({ "sheet": names.iter().find(|n| n.0 == "{sheet}")?.1,
            "line": [[412001.0, 5604000.0], [412003.0, 5604000.0]] }),
        "/surveys" => json!({ "name": "Walls", "file": {
            "text": "A;412001;5604002;112.1\n", "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 } }),
        "/surveys/{survey}" => json!({ "version": version("/surveys").await,
            "limits": { "information": 0.05, "planning": 0.02, "design": 0.006 } }),
        "/passes" => json!({ "name": "Another walk", "unit": "Trolley" }),
        "/passes/{pass}/order" => json!({ "marks": [{ "time": 3.0 }, { "place": [1.0, 2.0, 0.0], "point": "K1" }] }),
        "/passes/{pass}" => {
            let now = c.ok("GET", &format!("{base}/passes"), Value::Null).await["passes"][0]["version"].clone();
            json!({ "version": now, "name": "Walk", "unit": "Backpack",
                "marks": [{ "time": 4.0, "point": "P1", "height": 1.4 }] })
        }
        "/scans/{scan}/point" => json!({ "place": [1.0, 2.0, 0.3], "frame": "scan" }),
        "/cloud-ties" => {
            json!([{ "tie": names.iter().find(|n| n.0 == "{tie}")?.1, "verdict": "accepted", "reason": "seen", "version": 1 }])
        }
        _ => return None,
    })
}

/// What was sent and came to no good.
#[derive(Default)]
struct Sending {
    sent: usize,
    failures: Vec<String>,
    slowest: (Duration, String),
}

impl Sending {
    /// Sends, and says whether it was taken.
    async fn send(&mut self, told: String, request: reqwest::RequestBuilder) -> bool {
        let began = Instant::now();
        let answer = request.timeout(Duration::from_secs(20)).send().await;
        let (status, text) = match answer {
            Ok(a) => (a.status().as_u16(), a.text().await.unwrap_or_default()),
            Err(e) => (0, e.to_string()),
        };
        self.sent += 1;
        if began.elapsed() > self.slowest.0 {
            self.slowest = (began.elapsed(), told.clone());
        }
        let reason = serde_json::from_str::<Value>(&text).ok().and_then(|v| v["error"].as_str().map(str::len));
        if !(200..500).contains(&status) || status >= 400 && reason.is_none_or(|n| n == 0 || n > 2000) {
            self.failures.push(format!("{told}: {status} {text:.200}"));
        }
        (200..300).contains(&status)
    }
}

#[tokio::test]
async fn whatever_is_sent_is_taken_or_refused_with_a_reason() {
    let server = Server::start().await;
    let c = server.person("hugo").await;
    let base = full(&c).await;
    let (described, names) = (Described::of(&server.url).await, named(&c, &base).await);
    let mut all = Sending::default();
    for call in described.calls() {
        // signing in is braked after some wrong tries
        let Some(schema) = call.takes.filter(|_| call.path != "/api/session") else { continue };
        let good = async || match good_body(&c, &base, call.path, &names).await {
            Some(b) => b,
            None => described.example(schema, 6),
        };
        let first = good().await;
        let path = address(call.path, &names);
        let method = call.method.to_uppercase();
        let mut version = first["version"].clone();
        for (what, mut body) in std::iter::once(("as described".to_owned(), first.clone())).chain(spoiled(&first)) {
            if body["version"] == first["version"] && body["version"].is_number() {
                body["version"] = version.clone();
            }
            let told = format!("{method} {} with {what}", call.path);
            if !all.send(told.clone(), c.request(&method, &path).json(&body)).await {
                continue;
            }
            // it was taken: the next one comes after it
            if version.is_number() {
                version = good().await["version"].clone();
            }
            // and what was taken is lived with
            if call.path == "/api/jobs/{job}" {
                for sheet in ["plan/cover", "verdicts", "summary", "plan/advice"] {
                    let r = c.request("GET", &format!("{base}/{sheet}"));
                    all.send(format!("{sheet} after {told}"), r).await;
                }
            }
        }
        if call.path == "/api/jobs/{job}" {
            let back = json!({ "name": first["name"], "brief": first["brief"], "version": version });
            c.ok(&method, &path, back).await;
        }
    }
    for call in described.calls().into_iter().filter(|c| c.method == "get" && !c.path.ends_with("/events")) {
        for ask in &call.asks {
            for value in ["", "0", "-1", "1e300", "NaN", "a%00b", "%27%20or%201%3D1", &"9".repeat(5000)] {
                let r = c.request("GET", &format!("{}?{ask}={value}", address(call.path, &names)));
                all.send(format!("GET {}?{ask}={value:.20}", call.path), r).await;
            }
        }
    }
    let Sending { sent, failures, slowest } = all;
    println!("{sent} sent; the slowest took {:.2} s: {}", slowest.0.as_secs_f64(), slowest.1);
    assert!(failures.is_empty(), "{} of {sent}:\n{}", failures.len(), failures.join("\n"));
    assert_eq!(reqwest::get(format!("{}/api/health", server.url)).await.unwrap().status(), 200);
    // and the job is still there to be read
    c.ok("GET", &format!("{base}/summary"), Value::Null).await;
    c.ok("GET", &format!("{base}/plan"), Value::Null).await;
}
