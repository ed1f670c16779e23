//! Days on site over the API: what goes wrong is named beforehand, a noon is planned anew, files are read back.

use chrono::{DateTime, Duration, NaiveDate, Utc};
use serde_json::{Value, json};
use std::collections::HashMap;
use vistazo_tests::{Client, Server};

const HOUR: f64 = 3600.0;

/// Stations in a row, far from one another, with what each of two neighbours shares between them, or nothing.
async fn row(c: &Client, name: &str, stations: usize, shared: bool, battery: f64) -> String {
    let id = c.ok("POST", "/api/jobs", json!({ "name": name })).await["id"].as_str().unwrap().to_owned();
    let job = c.ok("GET", &format!("/api/jobs/{id}"), Value::Null).await;
    let mut brief = job["brief"].clone();
    brief["instrument"]["battery_time"] = battery.into();
    let body = json!({ "name": name, "brief": brief, "version": job["version"] });
    c.ok("PUT", &format!("/api/jobs/{id}"), body).await;
    let item = |kind: &str, name: String, x: f64, y: f64, order: usize| {
        let data = json!({ "name": name, "position": [x, y, 1.6], "base": 0.0, "top": 0.0,
            "order": if kind == "station" { json!(order) } else { Value::Null } });
        json!({ "id": uuid::Uuid::now_v7(), "kind": kind, "data": data, "version": null, "deleted": false })
    };
    let mut edits: Vec<Value> =
        (0..stations).map(|k| item("station", format!("S{}", k + 1), 12.0 * k as f64, 0.0, k + 1)).collect();
    if shared {
        let between = (0..stations.saturating_sub(1)).flat_map(|k| {
            let x = 12.0 * k as f64 + 6.0;
            [item("target", format!("A{k}"), x, 3.0, 0), item("target", format!("B{k}"), x, -4.0, 0)]
        });
        edits.extend(between);
    }
    c.ok("POST", &format!("/api/jobs/{id}/plan/edits"), json!(edits)).await;
    id
}

async fn day(c: &Client, id: &str, query: &str) -> Value {
    c.ok("GET", &format!("/api/jobs/{id}/day{query}"), Value::Null).await
}

/// Keeps settings that differ from those there are; the days that come of it.
async fn keep(c: &Client, id: &str, change: &[(&str, Value)]) -> Value {
    let mut s = day(c, id, "").await["settings"].clone();
    for (at, v) in change {
        *s.pointer_mut(at).expect(at) = v.clone();
    }
    c.ok("PUT", &format!("/api/jobs/{id}/day"), s).await
}

fn said(days: &Value) -> String {
    days["remarks"].as_array().unwrap().iter().map(|r| r["said"].as_str().unwrap()).collect::<Vec<_>>().join("\n")
}

#[tokio::test]
async fn each_mistake_of_a_day_is_named_beforehand() {
    let server = Server::start().await;
    let c = server.person("dagny").await;
    let id = row(&c, "Bare", 14, false, 1800.0).await;
    let all = day(&c, &id, "").await;
    assert!(said(&all).contains("One person alone on site"), "{}", said(&all));
    // the battery is changed, and with the power the tracked position goes: nothing else ties the next
    let lost = keep(&c, &id, &[("/scanners/0/tracks", json!(true)), ("/scanners/0/batteries", json!(9))]).await;
    assert!(said(&lost).contains("the tracked position with it"), "{}", said(&lost));
    let steps = lost["steps"].as_array().unwrap();
    let count = |work: &str| steps.iter().filter(|s| s["work"] == work).count();
    // but for one that is changed before the first scan, when nothing is tracked yet
    assert!((1..=count("swap")).contains(&count("re_tie")), "{} {}", count("swap"), count("re_tie"));
    // the same with targets between them: the power may go
    let tied = row(&c, "Shared", 14, true, 1800.0).await;
    let held = keep(&c, &tied, &[("/scanners/0/tracks", json!(true)), ("/scanners/0/batteries", json!(9))]).await;
    assert!(!said(&held).contains("tracked position"), "{}", said(&held));
    assert!(held["steps"].as_array().unwrap().iter().any(|s| s["work"] == "swap"));
    // each by itself, on the job where all else is well
    let planted = [
        (vec![("/scanners/0/batteries", json!(1))], "no battery left"),
        (vec![("/scanners/0/card", json!(1e8)), ("/scanners/0/cards", json!(1))], "no room left on the cards"),
        (vec![("/machines/trial", Value::Null)], "none is tried before"),
        (vec![("/machines/device", json!(900.0))], "on the device takes"),
        (vec![("/check_temperature", json!(21.0)), ("/site_temperature", json!(-3.0))], "check it where it works"),
        (vec![("/dates/0/to", json!(10.0 * HOUR))], "fit into the day"),
        (vec![("/stock", json!(3))], "needs more targets than there are"),
    ];
    for (change, words) in planted {
        let before: Vec<(&str, Value)> =
            change.iter().map(|(at, _)| (*at, held["settings"].pointer(at).unwrap().clone())).collect();
        let found = said(&keep(&c, &tied, &change).await);
        let found = found.replace("need more", "needs more");
        assert!(found.contains(words), "{change:?}: {found}");
        let well = said(&keep(&c, &tied, &before).await);
        assert!(!well.replace("need more", "needs more").contains(words), "{well}");
    }
}

#[tokio::test]
async fn two_editors_and_figures_that_cannot_be() {
    let server = Server::start().await;
    let c = server.person("ebbe").await;
    let id = row(&c, "Edited", 4, true, 9000.0).await;
    let first = day(&c, &id, "").await["settings"].clone();
    let path = format!("/api/jobs/{id}/day");
    c.ok("PUT", &path, first.clone()).await;
    // the version that was seen is none any more
    c.refused(409, "PUT", &path, first.clone()).await;
    let now = day(&c, &id, "").await["settings"].clone();
    assert_eq!(now["version"], 1);
    let mut two = now["scanners"][0].clone();
    two["name"] = json!("Second");
    for (at, value, field) in [
        ("/scanners", json!([now["scanners"][0], two]), "scanners[1].person"),
        ("/scanners/0/person", json!(7), "scanners[0].person"),
        ("/dates/0/to", json!(3.0), "dates[0]"),
        ("/dates", json!([]), "dates"),
        ("/walk", json!(0.0), "walk"),
        ("/people", json!([""]), "people[0]"),
        ("/machines/lanes", json!(0), "machines.lanes"),
    ] {
        let mut wrong = now.clone();
        *wrong.pointer_mut(at).unwrap() = value;
        let (status, answer) = c.call("PUT", &path, wrong).await;
        assert_eq!((status, answer["field"].as_str()), (422, Some(field)), "{answer}");
    }
    assert_eq!(day(&c, &id, "").await["settings"], now, "nothing of what was refused was kept");
}

fn moment(date: NaiveDate, seconds: f64) -> DateTime<Utc> {
    date.and_time(chrono::NaiveTime::MIN).and_utc() + Duration::milliseconds((seconds * 1e3) as i64)
}

async fn visit(c: &Client, id: &str, station: &Value, from: DateTime<Utc>, to: DateTime<Utc>) {
    let data = json!({ "station": station, "started": from, "ended": to });
    let entry =
        json!({ "id": uuid::Uuid::now_v7(), "fact": { "kind": "visit", "data": data }, "follows": [], "taken_at": to });
    let body = json!({ "device": "tablet", "sent_at": Utc::now(), "entries": [entry] });
    let answer = c.ok("POST", &format!("/api/jobs/{id}/field/journal"), body).await;
    assert_eq!(answer[0]["kept"], true, "{answer}");
}

#[tokio::test]
async fn at_noon_what_is_left_is_planned_anew_and_what_no_longer_fits_has_choices() {
    let server = Server::start().await;
    let c = server.person("frida").await;
    let id = row(&c, "Noon", 8, true, 9000.0).await;
    // begun a week ago, so that what is noted lies in the past
    let date = Utc::now().date_naive() - Duration::days(7);
    let kept =
        keep(&c, &id, &[("/dates/0/date", json!(date)), ("/dates/0/to", json!(10.5 * HOUR)), ("/breaks", json!([]))])
            .await;
    assert!(kept["stations"].as_array().unwrap().iter().all(|s| s["why"] == Value::Null), "{}", said(&kept));
    let stations = kept["stations"].as_array().unwrap().clone();
    // three are taken, each slower by far than it was planned
    let mut t = stations[0]["begins"].as_f64().unwrap();
    for s in &stations[..3] {
        visit(&c, &id, &s["id"], moment(date, t), moment(date, t + 1500.0)).await;
        t += 1560.0;
    }
    let noon = moment(date, t);
    let query = format!("?now={}", noon.format("%Y-%m-%dT%H:%M:%SZ"));
    let anew = day(&c, &id, &query).await;
    let of = |k: usize, field: &str| anew["stations"][k][field].clone();
    let took = |k: usize| of(k, "took").as_f64().unwrap_or_default();
    assert!((0..3).all(|k| of(k, "done") == true && (took(k) - 1500.0).abs() < 0.01), "{}", anew["stations"]);
    assert!((3..8).all(|k| of(k, "done") == false));
    // nothing that is planned begins before now, and each station is there once
    let steps = anew["steps"].as_array().unwrap();
    assert!(steps.iter().filter(|s| s["done"] == false).all(|s| s["from"].as_f64().unwrap() >= t - 1.0));
    let fits: Vec<usize> = (3..8).filter(|k| of(*k, "why") == Value::Null).collect();
    assert!(fits.len() < 5, "the day is late: {}", said(&anew));
    for w in fits.windows(2) {
        assert!(of(w[0], "ends").as_f64() <= of(w[1], "begins").as_f64());
    }
    // the same figures as a plan that holds the rest only, and begins there
    let first = of(3, "begins").as_f64().unwrap();
    let whole = |days: &Value, k: usize| {
        let s = &days["stations"][k];
        s["ends"].as_f64().unwrap() - s["begins"].as_f64().unwrap()
    };
    for k in &fits {
        assert!((whole(&anew, *k) - whole(&kept, *k)).abs() < 1.0, "{} as planned", of(*k, "name"));
    }
    assert!((first - t) < 1.0, "whoever is free goes on at once");
    // what the field noted says how this crew works
    assert_eq!(anew["learned"]["stations"], 3);
    let slow = anew["learned"]["took"].as_f64().unwrap() / anew["learned"]["planned"].as_f64().unwrap();
    assert!(slow > 3.0, "{}", anew["learned"]);
    // choices, with what they do
    let choices = c.ok("POST", &format!("/api/jobs/{id}/day/options{query}"), json!({})).await;
    assert_eq!(choices["left"].as_array().unwrap().len(), 5 - fits.len());
    let by: HashMap<&str, &Value> =
        choices["options"].as_array().unwrap().iter().map(|o| (o["what"].as_str().unwrap(), o)).collect();
    assert_eq!(by.len(), 4, "{choices}");
    assert!(by["tomorrow"]["left"].as_array().unwrap().is_empty(), "{}", by["tomorrow"]);
    let late = |o: &Value| (o["left"].as_array().unwrap().len(), o["ends"].as_f64().unwrap() as i64);
    assert!(late(by["coarser"]) <= late(&choices["whole"]), "a quarter of the points takes less time: {choices}");
    assert!(by["mobile"]["said"].as_str().unwrap().contains("95 %"));
    // without the last stations their targets are seen from one side only, or not at all
    let error = |o: &Value| o["error"].as_f64().unwrap_or(f64::INFINITY);
    let targets = |o: &Value| o["weakest"].is_string();
    assert!(targets(&choices["whole"]) && (error(by["drop"]) >= error(&choices["whole"]) * 0.5), "{choices}");
}

#[tokio::test]
async fn files_of_a_day_say_what_the_page_says() {
    let server = Server::start().await;
    let c = server.person("greta").await;
    let id = row(&c, "Files, \"north\"", 5, true, 9000.0).await;
    let kept = keep(&c, &id, &[("/people/0", json!("Åse; O'Hara, jr")), ("/offset", json!(120))]).await;
    let file = async |name: &str| {
        let answer = c.request("GET", &format!("/api/jobs/{id}/day/files/{name}")).send().await.unwrap();
        assert_eq!(answer.status(), 200, "{name}");
        answer.bytes().await.unwrap()
    };
    let steps = kept["steps"].as_array().unwrap();
    let mut table = csv::Reader::from_reader(std::io::Cursor::new(file("day.csv").await));
    let rows: Vec<csv::StringRecord> = table.records().map(Result::unwrap).collect();
    assert_eq!(rows.len(), steps.len());
    for (row, step) in rows.iter().zip(steps) {
        let minutes = (step["to"].as_f64().unwrap() - step["from"].as_f64().unwrap()) / 60.0;
        assert!((row[3].parse::<f64>().unwrap() - minutes).abs() < 0.051, "{row:?} {step}");
    }
    assert!(rows.iter().any(|r| &r[6] == "Åse; O'Hara, jr"));
    // a calendar by the standard: lines of 75 octets, folded; times in UTC, two hours behind the site
    let text = String::from_utf8(file("day.ics").await.to_vec()).unwrap();
    assert!(text.lines().all(|l| l.trim_end_matches('\r').len() <= 75) && text.contains("\r\n"));
    let unfolded = text.replace("\r\n ", "");
    let starts: Vec<&str> = unfolded.lines().filter_map(|l| l.strip_prefix("DTSTART:")).collect();
    let first = kept["settings"]["dates"][0]["date"].as_str().unwrap().replace('-', "");
    assert_eq!(starts.first(), Some(&format!("{first}T060000Z").as_str()), "the gate opens at eight on site");
    for s in kept["stations"].as_array().unwrap() {
        let name = s["name"].as_str().unwrap();
        assert!(unfolded.contains(&format!("{name}: scan")), "{name} is no event");
    }
    assert!(unfolded.contains("Åse\\; O'Hara\\, jr"), "{}", &unfolded[..400]);
    assert!(file("day.pdf").await.starts_with(b"%PDF"));
    assert_eq!(c.call("GET", &format!("/api/jobs/{id}/day/files/day.doc"), Value::Null).await.0, 404);
}
