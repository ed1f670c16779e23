//! On site: a tablet without a network, restarts and a second tablet lose no entry; what contradicts is shown side by side;
//! what is noted reaches the scans.

use chrono::{Duration as Span, Utc};
use serde_json::{Value, json};
use std::time::Duration;
use uuid::Uuid;
use vistazo_tests::browser::Browser;
use vistazo_tests::server::PASSWORD;
use vistazo_tests::{Client, Server, job};

/// A job with stations in a row, each ten metres east of the one before, and a sphere that the first two see.
async fn planned(c: &Client, stations: usize) -> (String, Vec<Uuid>) {
    let made =
        c.ok("POST", "/api/jobs", json!({ "name": "On site", "brief": vistazo_server::dto::Brief::default() })).await;
    let id = made["id"].as_str().unwrap().to_owned();
    let ids: Vec<Uuid> = (0..stations).map(|_| Uuid::now_v7()).collect();
    let item = |id: Uuid, kind: &str, data: Value| json!({ "id": id, "kind": kind, "data": data, "version": null, "deleted": false });
    let mut edits: Vec<Value> = ids
        .iter()
        .enumerate()
        .map(|(k, s)| {
            item(
                *s,
                "station",
                json!({ "name": format!("S{}", k + 1), "position": [10.0 * k as f64, 0.0, 1.6], "order": k }),
            )
        })
        .collect();
    edits.push(item(
        Uuid::now_v7(),
        "target",
        json!({ "name": "T1", "target": "sphere", "position": [5.0, 3.0, 1.5] }),
    ));
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    (id, ids)
}

fn visit(id: Uuid, station: Uuid, read: f64, follows: &[Uuid], at: chrono::DateTime<Utc>) -> Value {
    let data = json!({ "station": station, "height": { "read": read } });
    json!({ "id": id, "fact": { "kind": "visit", "data": data }, "follows": follows, "taken_at": at })
}

async fn send(c: &Client, job: &str, sent_at: chrono::DateTime<Utc>, entries: &[Value]) -> Value {
    let body = json!({ "device": "Tablet 2", "sent_at": sent_at, "entries": entries });
    c.ok("POST", &format!("/api/jobs/{job}/field/journal"), body).await
}

async fn journal(c: &Client, job: &str) -> Vec<Value> {
    let j = c.ok("GET", &format!("/api/jobs/{job}/field/journal"), Value::Null).await;
    j["entries"].as_array().unwrap().clone()
}

/// Notes the station that the page says is the next, with what the tape reads.
async fn note_next(b: &Browser, name: &str, read: &str) {
    b.press(&format!("I am at {name}")).await;
    b.fill("The tape reads", read).await;
    b.press("Keep it: the tripod can be folded").await;
}

#[tokio::test]
async fn a_tablet_without_a_network_loses_nothing() {
    let mut server = Server::start().await;
    let c = server.person("ida").await;
    let (id, stations) = planned(&c, 4).await;
    let b = Browser::open().await;
    b.sign_in(&server.url, &c.email, PASSWORD).await;
    let sheet = format!("{}/jobs/{id}/field", server.url);
    b.page.goto(&sheet).await.unwrap();
    b.page.execute_async("navigator.serviceWorker.ready.then(() => arguments[0](1))", vec![]).await.unwrap();
    // from here on the device keeps what it reads
    b.page.refresh().await.unwrap();
    b.click("//*[contains(@class, 'ant-segmented-item')][.//*[.='On site']]").await;
    b.see("//h2[.='Go to S1']").await;
    b.says("Online").await;
    tokio::time::sleep(Duration::from_secs(1)).await;

    // the network is cut, and the page restarted
    server.kill();
    b.page.refresh().await.unwrap();
    b.says("No network: everything is kept on this device").await;
    note_next(&b, "S1", "1.652").await;
    b.says("1 wait on this device").await;
    b.says("10.0 m, 90° E").await;
    note_next(&b, "S2", "1.701").await;
    note_next(&b, "S3", "1.580").await;
    let folder = tempfile::tempdir().unwrap();
    let photograph = folder.path().join("crack.png");
    let mut png = Vec::new();
    let mut encoder = png::Encoder::new(&mut png, 64, 48);
    encoder.set_color(png::ColorType::Grayscale);
    encoder.write_header().unwrap().write_image_data(&vec![120; 64 * 48]).unwrap();
    std::fs::write(&photograph, &png).unwrap();
    b.fill("Text of the note", "Loose plate beside S2").await;
    b.choose("//form[contains(@class, 'site-note-new')]", &[photograph]).await;
    b.says("crack.png").await;
    b.press("Voice").await;
    tokio::time::sleep(Duration::from_secs(2)).await;
    b.press("Stop the voice").await;
    b.says("voice note").await;
    b.click("//label[contains(., 'can hurt somebody')]").await;
    b.press("Keep the note").await;
    b.see("//ul[@aria-label='Site notes']//li[contains(., 'Loose plate')]").await;
    // the page dies, and what waits is still there
    b.page.refresh().await.unwrap();
    b.says("6 wait on this device: 4 entries, 2 files").await;
    b.see("//ul[@aria-label='Site notes']//li[contains(., 'Loose plate')]//img").await;

    // meanwhile a second tablet, whose clock is an hour ahead, noted another height at S1; the server knew nothing of ours
    server.restart().await;
    let ahead = Utc::now() + Span::hours(1);
    let theirs = Uuid::now_v7();
    send(&c, &id, ahead, &[visit(theirs, stations[0], 1.752, &[], ahead)]).await;
    b.see_within("//*[contains(@class, 'site-strip')][contains(., 'everything is sent')]", 60).await;
    b.says("Two versions of station S1").await;
    b.see("//article[contains(., '1.652')]").await;
    b.see("//article[contains(., '1.752')]").await;
    let all = journal(&c, &id).await;
    let count = |kind: &str| all.iter().filter(|e| e["fact"]["kind"] == kind).count();
    assert_eq!((count("visit"), count("note"), all.len()), (4, 1, 5), "{all:?}");
    let at = all.iter().find(|e| e["id"] == theirs.to_string()).unwrap()["at"].as_str().unwrap().to_owned();
    let at: chrono::DateTime<Utc> = at.parse().unwrap();
    assert!((Utc::now() - at).num_seconds().abs() < 120, "an hour ahead is taken off: {at}");
    // what they measured holds
    b.click("//article[contains(., '1.752')]//button").await;
    b.see("//body[not(contains(., 'Two versions of station S1'))]").await;
    let now = loop {
        let now = c.ok("GET", &format!("/api/jobs/{id}/field/now"), Value::Null).await;
        if now["stations"][0]["entries"].as_array().unwrap().len() == 1 {
            break now;
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    };
    assert_eq!((now["next"]["name"].as_str(), now["pace"]["taken"].as_u64()), (Some("S4"), Some(3)), "{now}");
    assert!(now["hazards"][0].as_str().unwrap().contains("Loose plate"), "{now}");
    assert!(now["missing"].to_string().contains("not taken: S4"), "{now}");
    // photograph and voice came whole
    let j = c.ok("GET", &format!("/api/jobs/{id}/field/journal"), Value::Null).await;
    let files = j["files"].as_array().unwrap();
    let of = |media: &str| files.iter().find(|f| f["media"].as_str().unwrap().starts_with(media)).unwrap();
    let path = format!("/api/jobs/{id}/field/files/{}", of("image")["id"].as_str().unwrap());
    let back = c.request("GET", &path).send().await.unwrap().bytes().await.unwrap();
    assert_eq!(back, png);
    assert!(of("audio")["bytes"].as_u64().unwrap() > 500, "{files:?}");
    // whoever signs out leaves nothing on the device that the next could read
    assert_eq!(journal(&c, &id).await.len(), 6);
    b.close().await;
}

#[tokio::test]
async fn entries_come_once_in_any_order_and_what_cannot_be_is_named() {
    let server = Server::start().await;
    let c = server.person("jan").await;
    let (id, stations) = planned(&c, 2).await;
    let now = Utc::now();
    let [a, b, loose, wrong] = [(); 4].map(|()| Uuid::now_v7());
    let first = visit(a, stations[0], 1.65, &[], now);
    let second = visit(b, stations[0], 1.66, &[a], now);
    // sent again after a broken line, and out of order
    let replies = send(&c, &id, now, &[second.clone(), first.clone(), first.clone(), second.clone()]).await;
    let kept: Vec<bool> = replies.as_array().unwrap().iter().map(|r| r["kept"].as_bool().unwrap()).collect();
    assert_eq!(kept, [false, true, true, true], "{replies}");
    assert!(replies[0]["why"].as_str().unwrap().contains("send that one first"));
    let all = journal(&c, &id).await;
    assert_eq!(all.len(), 2);
    assert_eq!([&all[0]["stands"], &all[1]["stands"]], [false, true]);
    assert!(all[1]["remarks"].to_string().contains("10.0 mm more"), "{}", all[1]["remarks"]);
    // one that follows what is nowhere, another under a taken identifier, and heights that cannot be
    let other = visit(a, stations[0], 1.99, &[], now);
    let tall = visit(wrong, stations[0], 165.0, &[], now);
    let nowhere = visit(loose, stations[0], 1.65, &[Uuid::now_v7()], now);
    let gone = visit(Uuid::now_v7(), Uuid::now_v7(), 1.65, &[], now);
    let replies = send(&c, &id, now, &[other, tall, nowhere, gone]).await;
    let why = |k: usize| replies[k]["why"].as_str().unwrap_or_default().to_owned();
    assert!(why(0).contains("another entry has its identifier"), "{replies}");
    assert!(why(1).contains("found 165 m on the tape"), "{replies}");
    assert!(why(2).contains("follows an entry"), "{replies}");
    assert!(why(3).contains("not on the plan"), "{replies}");
    assert_eq!(journal(&c, &id).await.len(), 2);
    // files that are none of what is kept, and one that is claimed twice
    let file = format!("/api/jobs/{id}/field/files/{}?name=x", Uuid::now_v7());
    let put = async |media: &str, bytes: &'static [u8]| {
        c.request("PUT", &file).header("content-type", media).body(bytes).send().await.unwrap().status().as_u16()
    };
    assert_eq!(put("text/html", b"<script>").await, 415);
    assert_eq!(put("text/plain", b"").await, 422);
    assert_eq!(put("text/plain", b"seen").await, 200);
    assert_eq!(put("text/plain", b"seen").await, 200);
    assert_eq!(put("text/plain", b"other").await, 409);
}

/// What is noted on site is in the log of the scan that comes later, and a scan is tied while whoever took it stands there.
#[tokio::test]
async fn what_is_noted_reaches_the_scans_and_control() {
    let server = Server::start().await;
    let c = server.person("kim").await;
    let files = job::files_of(job::without_targets());
    let (id, stations) = planned(&c, 2).await;
    let now = Utc::now();
    let slope = json!({ "station": stations[0], "height": { "read": 1.70, "slope": true, "radius": 0.16, "below": 0.04 }, "mark": "M7", "note": "wind" });
    let entry =
        json!({ "id": Uuid::now_v7(), "fact": { "kind": "visit", "data": slope }, "follows": [], "taken_at": now });
    send(&c, &id, now, &[entry]).await;
    for (k, station) in stations.iter().enumerate() {
        let (name, bytes) = files.scans[k].clone();
        let meta = [("filename", name.as_str()), ("station", &station.to_string()), ("levelled", "true")];
        let answer = c.announce(&id, &meta, bytes.len(), bytes).await;
        let task = c.ingest(&id, answer.headers()["location"].to_str().unwrap()).await;
        let done = c.wait(&id, &task).await;
        assert_eq!(done["state"], "done", "{done}");
    }
    let scans = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await;
    let log = &scans[0]["log"];
    let height = (1.70_f64.powi(2) - 0.16_f64.powi(2)).sqrt() + 0.04;
    assert!((log["instrument_height"].as_f64().unwrap() - height).abs() < 1e-9, "{log}");
    assert_eq!((log["set_up"]["mark"].as_str(), log["operator"].as_str()), (Some("M7"), Some("kim")), "{log}");
    // the correction says that no height was measured: nothing of the set-up stays
    let first = journal(&c, &id).await[0]["id"].clone();
    let data = json!({ "station": stations[0], "mark": "M7" });
    let forgotten =
        json!({ "id": Uuid::now_v7(), "fact": { "kind": "visit", "data": data }, "follows": [first], "taken_at": now });
    send(&c, &id, now, &[forgotten]).await;
    let log = c.ok("GET", &format!("/api/jobs/{id}/scans"), Value::Null).await[0]["log"].clone();
    assert!(log["set_up"].is_null() && log["instrument_height"].is_null() && log["operator"] == "kim", "{log}");
    let tie = loop {
        let now = c.ok("GET", &format!("/api/jobs/{id}/field/now"), Value::Null).await;
        if !now["stations"][1]["tie"].is_null() {
            break now["stations"][1]["tie"].clone();
        }
        tokio::time::sleep(Duration::from_millis(200)).await;
    };
    assert_eq!(tie["grade"], "sound", "{tie}");
    assert!(tie["weakest95"].as_f64().unwrap() < 0.02 && !tie["said"].as_array().unwrap().is_empty(), "{tie}");
    // a receiver on a mark, twice: both agree, and their mean is control with the σ that came out
    let occupation = |off: f64| {
        let epochs: Vec<Value> = (0..60)
            .map(|k| {
                let wave = 0.004 * f64::from(k).sin() + off;
                json!({ "time": k, "position": [500.0 + wave, 200.0 - wave, 50.0 + 2.0 + wave], "sigma": [0.006, 0.006, 0.01], "fixed": true })
            })
            .collect();
        let id = Uuid::now_v7();
        let data = json!({ "id": id, "mark": "M7", "pole": 2.0, "epochs": epochs });
        json!({ "id": id, "fact": { "kind": "occupied", "data": data }, "follows": [], "taken_at": now })
    };
    let three = [occupation(0.0), occupation(0.004), occupation(0.2)];
    send(&c, &id, now, &three).await;
    let ids = |which: &[usize]| json!({ "entries": which.iter().map(|&k| three[k]["id"].clone()).collect::<Vec<_>>() });
    let path = format!("/api/jobs/{id}/field/control");
    assert!(c.refused(409, "POST", &path, ids(&[0, 2])).await.contains("differ by"));
    let control = c.ok("POST", &path, ids(&[0, 1])).await;
    let (e, sigma) = (control[0]["e"].as_f64().unwrap(), control[0]["sigma_e"].as_f64().unwrap());
    assert!((e - 500.002).abs() < 1e-3 && (0.003..0.008).contains(&sigma), "{control}");
}

/// The simulated instrument is checked with the errors that its scans have, and nothing is taken of a check that decides nothing.
#[tokio::test]
async fn an_instrument_is_checked_and_its_profile_takes_what_was_found() {
    let server = Server::start().await;
    let c = server.person("leo").await;
    let brief = vistazo_server::dto::Brief::default();
    let made = c.ok("POST", "/api/jobs", json!({ "name": "Check", "brief": brief, "training": true })).await;
    let id = made["id"].as_str().unwrap().to_owned();
    let path = format!("/api/jobs/{id}/field/instrument-checks");
    let now = Utc::now();
    let keep = async |mut data: Value, job_temperature: Value| {
        let entry = Uuid::now_v7();
        data["id"] = json!(entry);
        data["job_temperature"] = job_temperature;
        let sent =
            json!({ "id": entry, "fact": { "kind": "instrument", "data": data }, "follows": [], "taken_at": now });
        let replies = send(&c, &id, now, &[sent]).await;
        assert_eq!(replies[0]["kept"], true, "{replies}");
        entry
    };
    let errors_of = |all: &[Value], e: Uuid| {
        all.iter().find(|x| x["id"] == e.to_string()).unwrap()["errors"].as_array().unwrap().clone()
    };
    // one drawing in a hundred does not fit itself by chance, which is said: whoever measures does it again
    let by_chance = |f: &Value| f["said"].to_string().contains("do not fit one another");
    let decided = |f: &Value| f["advice"] == "leave" || f["advice"] == "apply";
    let (mut kept, mut warm, mut read) = (0, Uuid::nil(), Value::Null);
    for _ in 0..4 {
        read = c.ok("POST", &format!("{path}/simulated"), Value::Null).await;
        warm = keep(read.clone(), json!(14.0)).await;
        kept += 1;
        let found = errors_of(&journal(&c, &id).await, warm);
        assert!(found.len() >= 4 && found.iter().all(|f| decided(f) || by_chance(f)), "{found:?}");
        if found.iter().all(decided) {
            break;
        }
    }
    let frozen = keep(read, json!(-12.0)).await;
    let all = journal(&c, &id).await;
    let errors = |e: Uuid| errors_of(&all, e);
    assert!(errors(frozen).iter().all(|f| f["advice"] == "repeat" && f["said"].to_string().contains("warmer")));
    let refused =
        c.refused(409, "POST", &format!("{path}/profile"), json!({ "entry": frozen, "corrected": true })).await;
    assert!(refused.contains("does not decide"), "{refused}");
    let profile = c.ok("POST", &format!("{path}/profile"), json!({ "entry": warm, "corrected": true })).await;
    let sigma = errors(warm)[0]["sigma"].as_f64().unwrap();
    let stored = profile["systematic"]["collimation"].as_f64().unwrap();
    assert!(errors(warm)[0]["parameter"] == "collimation" && (stored - sigma).abs() < 1e-12, "{profile}");
    let history = c.ok("GET", &format!("{path}?instrument=Mid-range"), Value::Null).await;
    assert_eq!(history.as_array().unwrap().len(), kept + 1);
    let table =
        c.request("GET", &format!("/api/jobs/{id}/field/record.csv")).send().await.unwrap().text().await.unwrap();
    let rows = csv::Reader::from_reader(table.as_bytes()).records().map(Result::unwrap).collect::<Vec<_>>();
    assert!(rows.len() == kept + 1 && rows[0][6].contains("collimation"), "{table}");
}

/// Mistakes that people make on site, each planted; what the operator sees is in docs/caught-in-the-field.md, word for word.
#[tokio::test]
async fn mistakes_on_site_are_said_in_the_words_of_the_document() {
    let server = Server::start().await;
    let c = server.person("mia").await;
    let made = c
        .ok(
            "POST",
            "/api/jobs",
            json!({ "name": "Slips", "brief": vistazo_server::dto::Brief::default(), "training": true }),
        )
        .await;
    let id = made["id"].as_str().unwrap().to_owned();
    let stations: Vec<Uuid> = (0..4).map(|_| Uuid::now_v7()).collect();
    let item = |id: Uuid, kind: &str, data: Value| json!({ "id": id, "kind": kind, "data": data, "version": null, "deleted": false });
    let mut edits: Vec<Value> = (0..4)
        .map(|k| {
            item(
                stations[k],
                "station",
                json!({ "name": format!("S{}", k + 1), "position": [10.0 * k as f64, 0.0, 1.6], "order": k }),
            )
        })
        .collect();
    for (name, x, y, control) in [("T1", 4.0, 3.0, false), ("T2", 6.0, -3.0, false), ("CP1", 14.0, 4.0, true)] {
        let mut data = json!({ "name": name, "target": "sphere", "position": [x, y, 1.5] });
        if control {
            data["control_sigma"] = json!([0.003, 0.004]);
        }
        edits.push(item(Uuid::now_v7(), "target", data));
    }
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    let now = Utc::now();
    let entry = |fact: Value, follows: &[Uuid]| json!({ "id": Uuid::now_v7(), "fact": fact, "follows": follows, "taken_at": now });
    let station = |k: usize, rest: Value| {
        let mut data = json!({ "station": stations[k] });
        data.as_object_mut().unwrap().extend(rest.as_object().unwrap().clone());
        json!({ "kind": "visit", "data": data })
    };
    let of = |e: &Value| Uuid::parse_str(e["id"].as_str().unwrap()).unwrap();
    let forgotten = entry(station(0, json!({ "mark": "M7" })), &[]);
    let feet = entry(station(0, json!({ "mark": "M7", "height": { "read": 5.42 } })), &[of(&forgotten)]);
    let right = entry(station(0, json!({ "mark": "M7", "height": { "read": 1.652 } })), &[of(&feet)]);
    let slip = entry(station(0, json!({ "mark": "M7", "height": { "read": 1.752 } })), &[of(&right)]);
    let carried = entry(
        station(1, json!({ "height": { "read": 1.752 }, "targets": [{ "name": "T1", "state": "knocked" }] })),
        &[],
    );
    let lost = entry(json!({ "kind": "power_lost", "data": { "id": Uuid::now_v7(), "after": stations[1] } }), &[]);
    send(&c, &id, now, &[forgotten, feet, right, slip, carried, lost]).await;
    let mut said: Vec<String> = journal(&c, &id)
        .await
        .iter()
        .flat_map(|e| e["remarks"].as_array().unwrap().clone())
        .map(|r| r.as_str().unwrap().to_owned())
        .collect();
    assert!(said.len() >= 4, "{said:?}");
    let day = c.ok("GET", &format!("/api/jobs/{id}/field/now"), Value::Null).await;
    said.push(day["next"]["because"].as_str().unwrap().to_owned());
    // a scan that hangs on nothing: the last, far from what the others share
    send(&c, &id, now, &[entry(station(3, json!({ "height": { "read": 1.6 } })), &[])]).await;
    let day = c.ok("GET", &format!("/api/jobs/{id}/field/now"), Value::Null).await;
    let missing = |what: &str| {
        let found = day["missing"].as_array().unwrap().iter().find(|m| m["what"] == what);
        found.unwrap_or_else(|| panic!("{what} is not missing: {}", day["missing"]))["said"]
            .as_str()
            .unwrap()
            .to_owned()
    };
    said.extend(["apart", "stations", "touched", "control"].map(missing));
    // the receiver: too short, torn between two solutions, and wrong for a whole session
    let occupation = |epochs: u32, off: &dyn Fn(u32) -> f64| {
        let epochs: Vec<Value> = (0..epochs)
            .map(|k| {
                let at = off(k) + 0.004 * f64::from(k).sin();
                json!({ "time": k, "position": [14.0 + at, 4.0, 3.5], "sigma": [0.006, 0.006, 0.011], "fixed": true })
            })
            .collect();
        entry(
            json!({ "kind": "occupied", "data": { "id": Uuid::now_v7(), "mark": "CP1", "pole": 2.0, "epochs": epochs } }),
            &[],
        )
    };
    let [short, torn, good, wrong] = [
        occupation(3, &|_| 0.0),
        occupation(80, &|k| if k < 40 { 0.3 } else { 0.0 }),
        occupation(80, &|_| 0.0),
        occupation(80, &|_| 0.24),
    ];
    send(&c, &id, now, &[short.clone(), torn.clone(), good.clone(), wrong.clone()]).await;
    let all = journal(&c, &id).await;
    for e in [&short, &torn] {
        let e = all.iter().find(|x| x["id"] == e["id"]).unwrap();
        said.push(e["occupied"]["said"].as_str().unwrap().to_owned());
    }
    let both = json!({ "entries": [good["id"], wrong["id"]] });
    said.push(c.refused(409, "POST", &format!("/api/jobs/{id}/field/control"), both).await);
    // the instrument: checked warm and used frozen, and checked cold
    let read = c.ok("POST", &format!("/api/jobs/{id}/field/instrument-checks/simulated"), Value::Null).await;
    for (job_temperature, on_for) in [(json!(-12.0), 1800.0), (Value::Null, 60.0)] {
        let mut data = read.clone();
        (data["id"], data["job_temperature"], data["on_for"]) = (json!(Uuid::now_v7()), job_temperature, json!(on_for));
        let e = entry(json!({ "kind": "instrument", "data": data }), &[]);
        send(&c, &id, now, std::slice::from_ref(&e)).await;
        let all = journal(&c, &id).await;
        let e = all.iter().find(|x| x["id"] == e["id"]).unwrap();
        said.push(e["errors"][0]["said"].as_array().unwrap().last().unwrap().as_str().unwrap().to_owned());
    }
    // the scanner: a full card, a kicked tripod
    let tell = async |command: Value| {
        c.call(
            "POST",
            &format!("/api/jobs/{id}/field/kit/scanner"),
            json!({ "id": Uuid::now_v7(), "command": command }),
        )
        .await
    };
    tell(json!({ "do": "power_on" })).await;
    tell(json!({ "do": "level" })).await;
    let device = async || c.ok("GET", &format!("/api/jobs/{id}/field/kit"), Value::Null).await[0].clone();
    while device().await["state"] == "starting" {
        tokio::time::sleep(Duration::from_millis(100)).await;
    }
    for what in ["tilt", "storage"] {
        tell(json!({ "do": "fault", "what": what })).await;
        said.push(device().await["says"].as_str().unwrap().to_owned());
        tell(json!({ "do": "level" })).await;
    }
    let (status, refused) = tell(json!({ "do": "scan", "seconds": 60.0, "bytes": 1e9 })).await;
    assert_eq!(status, 409, "{refused}");
    said.push(refused["error"].as_str().unwrap().to_owned());
    let document =
        std::fs::read_to_string(concat!(env!("CARGO_MANIFEST_DIR"), "/../docs/caught-in-the-field.md")).unwrap();
    let document = document.split_whitespace().collect::<Vec<_>>().join(" ");
    let left: Vec<&String> = said.iter().filter(|s| !document.contains(s.as_str())).collect();
    assert!(
        left.is_empty(),
        "the document does not quote:\n{}",
        left.iter().map(|s| format!("- {s}")).collect::<Vec<_>>().join("\n")
    );
}
