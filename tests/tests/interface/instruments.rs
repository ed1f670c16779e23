//! What instruments other than the scanner say on site: a total station that stands freely, a scanner that hands its scans
//! over by the device protocol, lengths and pins picked at the page; all of it in the record.

use chrono::Utc;
use fantoccini::Locator;
use serde_json::{Value, json};
use std::time::Duration;
use uuid::Uuid;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server, job};

const MARKS: [(&str, [f64; 3]); 3] =
    [("CP1", [496.0, 203.0, 50.0]), ("CP2", [518.0, 204.0, 50.0]), ("CP3", [506.0, 220.0, 50.0])];
const DISC: [f64; 3] = [511.0, 216.0, 51.8];

/// A training job with one station, and control that is known.
async fn training(c: &Client) -> (String, Uuid) {
    let mut brief = json!(vistazo_server::dto::Brief::default());
    brief["instrument"]["step"] = json!(0.012);
    let made = c.ok("POST", "/api/jobs", json!({ "name": "Instruments", "brief": brief, "training": true })).await;
    let id = made["id"].as_str().unwrap().to_owned();
    let station = Uuid::now_v7();
    let item = |id: Uuid, kind: &str, data: Value| json!({ "id": id, "kind": kind, "data": data, "version": null, "deleted": false });
    let wall = json!({ "name": "North", "line": [[-4.0, 6.0], [6.0, 6.0]], "base": 0.0, "top": 3.0 });
    let edits = [
        item(station, "station", json!({ "name": "S1", "position": [0.0, 0.0, 1.6] })),
        item(Uuid::now_v7(), "wall", wall),
    ];
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    let text: Vec<String> = MARKS.iter().map(|(n, p)| format!("{n};{};{};{}", p[0], p[1], p[2])).collect();
    let text = format!("name;easting;northing;height\n{}", text.join("\n"));
    let control = json!({ "text": text, "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    c.ok("POST", &format!("/api/jobs/{id}/control"), control).await;
    (id, station)
}

async fn tell(c: &Client, id: &str, device: &str, command: Value, station: Option<Uuid>) -> Value {
    let mut body = json!({ "id": Uuid::now_v7(), "command": command });
    if let Some(s) = station {
        body["station"] = json!(s);
    }
    c.ok("POST", &format!("/api/jobs/{id}/field/kit/{device}"), body).await
}

/// Waits for a device to say something.
async fn until(c: &Client, id: &str, device: &str, there: impl Fn(&Value) -> bool) -> Value {
    for _ in 0..300 {
        let all = c.ok("GET", &format!("/api/jobs/{id}/field/kit"), Value::Null).await;
        let d = all.as_array().unwrap().iter().find(|d| d["id"] == device).unwrap().clone();
        if there(&d) {
            return d;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    panic!("{device} does not come to it");
}

/// Keeps an entry; its identifier.
async fn keep(c: &Client, id: &str, kind: &str, data: Value) -> Uuid {
    let entry = Uuid::now_v7();
    let sent = json!({ "id": entry, "fact": { "kind": kind, "data": data }, "follows": [], "taken_at": Utc::now() });
    let body = json!({ "device": "Tablet", "sent_at": Utc::now(), "entries": [sent] });
    let replies = c.ok("POST", &format!("/api/jobs/{id}/field/journal"), body).await;
    assert_eq!(replies[0]["kept"], true, "{replies}");
    entry
}

async fn entry(c: &Client, id: &str, which: Uuid) -> Value {
    let all = c.ok("GET", &format!("/api/jobs/{id}/field/journal"), Value::Null).await;
    all["entries"].as_array().unwrap().iter().find(|e| e["id"] == which.to_string()).unwrap().clone()
}

#[tokio::test]
async fn what_other_instruments_say_reaches_control_and_the_record() {
    let server = Server::start().await;
    let c = server.person("tove").await;
    let (id, station) = training(&c).await;
    // a total station put up anywhere, three known marks, and a disc by a window
    tell(&c, &id, "total-station", json!({ "do": "power_on" }), None).await;
    until(&c, &id, "total-station", |d| d["state"] == "fault").await;
    tell(&c, &id, "total-station", json!({ "do": "level" }), None).await;
    tell(&c, &id, "total-station", json!({ "do": "set_up", "at": [504.2, 205.1, 51.6] }), None).await;
    for (k, (name, to)) in MARKS.iter().enumerate() {
        tell(&c, &id, "total-station", json!({ "do": "sight", "name": name, "to": to, "height": 1.5 }), None).await;
        until(&c, &id, "total-station", |d| d["shots"].as_array().is_some_and(|s| s.len() > k)).await;
    }
    let window = json!({ "do": "window", "name": "D1", "to": DISC, "half": 0.08, "spacing": 0.004 });
    tell(&c, &id, "total-station", window, None).await;
    let read = until(&c, &id, "total-station", |d| d["shots"].as_array().is_some_and(|s| s.len() > 3)).await;
    let shot = |s: &Value| {
        json!({
            "name": s["name"], "height": s["height"], "direction": s["direction"], "zenith": s["zenith"],
            "distance": s["distance"], "new": s["name"] == "D1", "window": s.get("window").cloned().unwrap_or(json!([])),
        })
    };
    let shots: Vec<Value> = read["shots"].as_array().unwrap().iter().map(shot).collect();
    let good = keep(&c, &id, "shots", json!({ "id": Uuid::now_v7(), "over": null, "shots": shots })).await;
    let found = entry(&c, &id, good).await["set_up"].clone();
    assert!(found["sound"] == true && found["residuals"].as_array().unwrap().len() == 3, "{found}");
    let at: [f64; 3] = serde_json::from_value(found["points"][0]["position"].clone()).unwrap();
    let sigma: [f64; 3] = serde_json::from_value(found["points"][0]["sigma"].clone()).unwrap();
    assert!((0..3).all(|a| (at[a] - DISC[a]).abs() < 4.0 * sigma[a] && sigma[a] < 0.004), "{at:?} ± {sigma:?}");
    let path = format!("/api/jobs/{id}/field/control");
    let control = c.ok("POST", &path, json!({ "entries": [good], "point": "D1" })).await;
    let d1 = control.as_array().unwrap().iter().find(|p| p["name"] == "D1").unwrap();
    assert!((d1["e"].as_f64().unwrap() - DISC[0]).abs() < 0.01 && d1["sigma_e"] == json!(sigma[0]), "{d1}");
    // a reflector that stood on another height than was said
    let mut slip = shots.clone();
    slip[1]["height"] = json!(1.3);
    let slip = keep(&c, &id, "shots", json!({ "id": Uuid::now_v7(), "over": null, "shots": slip })).await;
    let said = entry(&c, &id, slip).await["set_up"].clone();
    assert!(said["sound"] == false && said["said"].to_string().contains("CP2 does not fit the others"), "{said}");
    let refused = c.refused(409, "POST", &path, json!({ "entries": [slip], "point": "D1" })).await;
    assert!(refused.contains("Nothing of this set-up is control"), "{refused}");
    let unknown = json!([{ "name": "M9", "height": 1.5, "direction": 0.1, "zenith": 1.5, "distance": 9.0 }]);
    let unknown = keep(&c, &id, "shots", json!({ "id": Uuid::now_v7(), "over": null, "shots": unknown })).await;
    assert!(entry(&c, &id, unknown).await["set_up"]["said"].to_string().contains("no control has the name M9"));
    // policy, camera, lengths and what they saved
    let name = vistazo_server::dto::Brief::default().instrument.name;
    let day = async || c.ok("GET", &format!("/api/jobs/{id}/field/now"), Value::Null).await;
    assert_eq!(day().await["check_due"], Value::Null);
    keep(&c, &id, "policy", json!({ "instrument": name, "when": "each_job" })).await;
    assert!(day().await["check_due"].as_str().unwrap().contains("was not in this one"));
    let read = c.ok("POST", &format!("/api/jobs/{id}/field/instrument-checks/simulated"), Value::Null).await;
    keep(&c, &id, "instrument", read).await;
    assert_eq!(day().await["check_due"], Value::Null);
    let room =
        json!({ "id": Uuid::now_v7(), "mounting": "on top", "room": ["closed", "textured", "still"], "off": 1.0 });
    let camera = keep(&c, &id, "camera", room).await;
    assert_eq!(entry(&c, &id, camera).await["camera"], json!(["somebody was in the room"]));
    assert_eq!(day().await["saved"], Value::Null);
    keep(&c, &id, "by_hand", json!({ "length": 120.0, "tie": 300.0 })).await;
    let pair = |v: f64| json!([v, 0.003]);
    let length = json!({
        "id": Uuid::now_v7(), "name": "door", "slope": pair(2.02), "horizontal": pair(0.9), "vertical": pair(1.81), "scans": ["S1", "S1"],
    });
    keep(&c, &id, "measured", length).await;
    assert!(day().await["saved"].as_str().unwrap().starts_with("2 min not spent by hand: 1 length picked"));
    // a scan by the protocol: told once, handed over by the instrument, read in by itself
    tell(&c, &id, "scanner", json!({ "do": "power_on" }), None).await;
    tell(&c, &id, "scanner", json!({ "do": "level" }), None).await;
    until(&c, &id, "scanner", |d| d["state"] == "warming_up" || d["state"] == "ready").await;
    tell(&c, &id, "scanner", json!({ "do": "scan", "seconds": 40.0, "bytes": 1e7 }), Some(station)).await;
    let scanning = until(&c, &id, "scanner", |d| d["preview"].as_array().is_some_and(|p| p.len() > 20)).await;
    assert!(scanning["progress"].as_f64().unwrap() > 0.0, "{}", scanning["state"]);
    let mut scans = Value::Null;
    for _ in 0..300 {
        scans = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
        if scans.as_array().unwrap().len() == 1 {
            break;
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    }
    assert!(scans[0]["station_id"] == station.to_string() && scans[0]["log"]["operator"] == "tove", "{scans}");
    // all of it is in the record, as a table and on paper
    let get = async |what: &str| c.request("GET", &format!("/api/jobs/{id}/field/record.{what}")).send().await.unwrap();
    let table = get("csv").await.text().await.unwrap();
    for said in ["free station", "D1: ", "length door", "camera on top", "policy of", "CP2 does not fit", "height [m]"]
    {
        assert!(table.contains(said), "{said} is not in the record:\n{table}");
    }
    let paper = get("pdf").await.bytes().await.unwrap();
    assert!(paper.starts_with(b"%PDF") && paper.len() > 10_000, "{} bytes", paper.len());
}

/// The foreman asks in feet; a length is picked in a cloud and kept, and a note is pinned to the point, and to the plan.
#[tokio::test]
async fn a_scan_says_at_once_where_it_stands_by_control() {
    let server = Server::start().await;
    let c = server.person("ines").await;
    let mut brief = json!(vistazo_server::dto::Brief::default());
    brief["instrument"]["step"] = json!(0.003);
    (brief["origin"], brief["epsg"], brief["checker_side"]) = (json!([500.0, 200.0, 50.0]), Value::Null, json!(0.4));
    let made = c.ok("POST", "/api/jobs", json!({ "name": "Stands", "brief": brief, "training": true })).await;
    let id = made["id"].as_str().unwrap().to_owned();
    let [first, second, mark] = std::array::from_fn(|_| Uuid::now_v7());
    let item = |id: Uuid, kind: &str, data: Value| json!({ "id": id, "kind": kind, "data": data, "version": null, "deleted": false });
    let over = json!({ "name": "S1", "position": [0.0, 0.0, 1.65], "over": mark, "instrument_height": 1.65 });
    let mut edits = vec![
        item(mark, "target", json!({ "name": "M1", "target": "mark", "position": [0.0, 0.0, 0.0] })),
        item(first, "station", over),
        item(second, "station", json!({ "name": "S2", "position": [30.0, 2.0, 1.7] })),
    ];
    let boards =
        [("CP1", [-7.0, 2.0, 1.2]), ("CP2", [6.0, 5.0, 1.9]), ("CP3", [1.0, -8.0, 1.5]), ("CP4", [-3.0, 7.5, 2.1])];
    let known = |p: [f64; 3]| format!("{};{};{}", p[0] + 500.0, p[1] + 200.0, p[2] + 50.0);
    let mut text = format!("name;easting;northing;height\nM1;{}", known([0.0; 3]));
    for (name, position) in boards {
        edits.push(item(Uuid::now_v7(), "target", json!({ "name": name, "target": "checker", "position": position })));
        text += &format!("\n{name};{}", known(position));
    }
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    let control = json!({ "text": text, "unit": "m", "sigma_h": 0.001, "sigma_v": 0.001 });
    c.ok("POST", &format!("/api/jobs/{id}/control"), control).await;
    let visit = |read: f64| json!({ "station": first, "mark": "M1", "height": { "read": read } });
    let slip = keep(&c, &id, "visit", visit(1.75)).await;
    c.ok("POST", &format!("/api/jobs/{id}/field/scan"), json!({ "stations": [first], "operator": "Ines", "note": "" }))
        .await;
    let stands = async || {
        for _ in 0..600 {
            let day = c.ok("GET", &format!("/api/jobs/{id}/field/now"), Value::Null).await;
            if let Some(s) = day["stations"].as_array().unwrap().iter().find(|s| !s["stands"].is_null()) {
                return s["stands"].clone();
            }
            tokio::time::sleep(Duration::from_millis(200)).await;
        }
        panic!("no scan says where it stands");
    };
    let said = stands().await;
    let at: [f64; 3] = serde_json::from_value(said["position"].clone()).unwrap();
    let error = said["error"]["spatial"].as_f64().unwrap();
    let off = (0..3).map(|k| (at[k] - [500.0, 200.0, 51.65][k]).powi(2)).sum::<f64>().sqrt();
    assert!(off < 1.5 * error && error < 0.006, "{off} m off, {said}");
    assert!(said["by"].as_array().unwrap().len() >= 3 && said["sound"] == false, "{said}");
    let words = said["said"].to_string();
    assert!(words.contains("over M1") && words.contains("read the tape again"), "{words}");
    // the tape was read again
    let entry = json!({ "id": Uuid::now_v7(), "fact": { "kind": "visit", "data": visit(1.651) }, "follows": [slip], "taken_at": Utc::now() });
    let body = json!({ "device": "Tablet", "sent_at": Utc::now(), "entries": [entry] });
    c.ok("POST", &format!("/api/jobs/{id}/field/journal"), body).await;
    let said = stands().await;
    assert!(said["sound"] == true, "{said}");
    // taken for the scan of another station
    let scan = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await[0].clone();
    let other = json!({
        "name": scan["name"], "station": second, "levelled": true, "log": scan["log"], "version": scan["version"],
    });
    c.ok("PUT", &format!("/api/jobs/{id}/scans/{}", scan["id"].as_str().unwrap()), other).await;
    let words = stands().await["said"].to_string();
    assert!(words.contains("from where S2 is planned: is it the scan of S1?"), "{words}");
}

#[tokio::test]
async fn a_length_is_picked_and_notes_are_pinned_at_the_page() {
    let server = Server::start().await;
    let c = server.person("per").await;
    let files = job::files();
    let made =
        c.ok("POST", "/api/jobs", json!({ "name": "Pins", "brief": vistazo_server::dto::Brief::default() })).await;
    let id = made["id"].as_str().unwrap().to_owned();
    let data = json!({ "name": "S1", "position": [0.0, 0.0, 1.6], "base": 0.0, "top": 0.0 });
    let edit = json!([{ "id": Uuid::now_v7(), "kind": "station", "data": data, "version": null, "deleted": false },
               { "id": Uuid::now_v7(), "kind": "wall", "data": { "name": "W", "line": [[-8.0, 6.0], [8.0, 6.0]], "base": 0.0, "top": 3.0 }, "version": null, "deleted": false }]);
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), edit).await;
    let (name, bytes) = files.scans[0].clone();
    let meta = [("filename", name.as_str()), ("levelled", "true")];
    let answer = c.announce(&id, &meta, bytes.len(), bytes).await;
    let task = c.ingest(&id, answer.headers()["location"].to_str().unwrap()).await;
    assert_eq!(c.wait(&id, &task).await["state"], "done");

    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    b.page.goto(&format!("{}/jobs/{id}/field", server.url)).await.unwrap();
    b.click("//*[contains(@class, 'ant-segmented-item')][.//*[.='On site']]").await;
    // a tap on the plan puts a pin there
    let map = b.see("//*[name()='svg' and contains(@class, 'site-map')]").await;
    b.page
        .execute("arguments[0].scrollIntoView({block: 'center'})", vec![serde_json::to_value(&map).unwrap()])
        .await
        .unwrap();
    let (left, top, width, height) = map.rectangle().await.unwrap();
    let scrolled = b.page.execute("return [window.scrollX, window.scrollY]", vec![]).await.unwrap();
    let (sx, sy) = (scrolled[0].as_f64().unwrap(), scrolled[1].as_f64().unwrap());
    b.click_at(left - sx + 0.4 * width, top - sy + 0.6 * height).await;
    b.says("The next note is pinned there.").await;
    b.fill("Text of the note", "Duct is open").await;
    b.click("//label[contains(., 'into the report')]").await;
    b.press("Keep the note").await;
    b.see("//*[name()='svg' and contains(@class, 'site-map')]//*[name()='title' and .='Duct is open']").await;
    // two points of the cloud, in feet
    b.click("//summary[.//h2[contains(., 'Measure on site')]]").await;
    b.click("//*[@aria-label='Unit that is asked in']//*[contains(@class, 'ant-segmented-item')][.//*[.='ft']]").await;
    let cloud = b
        .see_within("//div[contains(@class, 'site-cloud')]//div[contains(@class, 'cloud') and @data-busy='false' and number(@data-points) > 30000]", 120)
        .await;
    b.page
        .execute("arguments[0].scrollIntoView({block: 'center'})", vec![serde_json::to_value(&cloud).unwrap()])
        .await
        .unwrap();
    let (left, top, width, height) = cloud.rectangle().await.unwrap();
    let mut picked = 0;
    'rows: for row in [0.5, 0.55, 0.6, 0.45, 0.65, 0.7] {
        for column in [0.5, 0.42, 0.58, 0.35, 0.65] {
            b.click_at(left + column * width, top + row * height).await;
            tokio::time::sleep(Duration::from_millis(700)).await;
            let rows =
                b.page.find_all(Locator::XPath("//table[@aria-label='Measured points']/tbody/tr")).await.unwrap();
            picked = rows.len();
            if picked >= 2 {
                break 'rows;
            }
        }
    }
    assert!(picked >= 2, "no two points were hit");
    b.see("//table[@aria-label='Distances']").await;
    b.says("[ft]").await;
    b.fill("What is measured", "beam").await;
    b.press("Keep the length").await;
    b.see("//ul[@aria-label='Lengths that were kept']//li[contains(., 'beam') and contains(., 'slope')]").await;
    b.press("Pin a note here").await;
    b.says("It is pinned to a point of").await;
    b.fill("Text of the note", "Rust here").await;
    b.press("Keep the note").await;
    // and it hangs in the cloud where it was seen
    b.see("//div[contains(@class, 'lab') and contains(., 'Rust here')]").await;
    b.close().await;
    let all = c.ok("GET", &format!("/api/jobs/{id}/field/journal"), Value::Null).await;
    let of = |kind: &str| -> Vec<Value> {
        let all = all["entries"].as_array().unwrap();
        all.iter().filter(|e| e["fact"]["kind"] == kind).map(|e| e["fact"]["data"].clone()).collect()
    };
    let (notes, lengths) = (of("note"), of("measured"));
    assert_eq!((notes.len(), lengths.len()), (2, 1), "{all}");
    assert!(
        notes[0]["place"].is_array() && notes[0]["in_report"] == true && notes[1]["pin"]["at"].is_array(),
        "{notes:?}"
    );
    // stored in metres whatever was asked in: slope² = level² + plumb²
    let v = |k: &str| lengths[0][k][0].as_f64().unwrap();
    assert!((v("slope").powi(2) - v("horizontal").powi(2) - v("vertical").powi(2)).abs() < 1e-9, "{lengths:?}");
}
