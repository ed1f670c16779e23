//! What docs/device-protocol.md promises, asked of whatever answers at an address: `VISTAZO_BRIDGE` may name a bridge to
//! real instruments, without it the stand-ins are asked. And half an hour of simulated time with everything going wrong.
#![allow(clippy::unwrap_used, clippy::expect_used, clippy::panic)]

use futures::StreamExt;
use proptest::prelude::*;
use serde_json::{Value, json};
use std::time::Duration;
use uuid::Uuid;
use vistazo_kit::{Command, Fault, Fleet, Word};

async fn bridge() -> String {
    let _ = rustls::crypto::ring::default_provider().install_default();
    if let Ok(url) = std::env::var("VISTAZO_BRIDGE") {
        return url;
    }
    let listener = tokio::net::TcpListener::bind("127.0.0.1:0").await.unwrap();
    let url = format!("http://{}", listener.local_addr().unwrap());
    tokio::spawn(vistazo_kit::serve_on(listener));
    url
}

async fn tell(url: &str, device: &str, id: Uuid, mut command: Value) -> (u16, Value) {
    command["id"] = json!(id);
    let r =
        reqwest::Client::new().post(format!("{url}/devices/{device}/commands")).json(&command).send().await.unwrap();
    (r.status().as_u16(), r.json().await.unwrap_or(Value::Null))
}

async fn get(url: &str) -> (u16, Value) {
    let r = reqwest::get(url).await.unwrap();
    (r.status().as_u16(), r.json().await.unwrap_or(Value::Null))
}

#[tokio::test]
async fn a_bridge_keeps_the_protocol() {
    let url = format!("{}/sites/{}", bridge().await, Uuid::now_v7());
    let (status, devices) = get(&format!("{url}/devices")).await;
    let ids: Vec<&str> = devices.as_array().unwrap().iter().map(|d| d["id"].as_str().unwrap()).collect();
    assert!(status == 200 && !ids.is_empty(), "{devices}");
    for d in devices.as_array().unwrap() {
        for field in ["id", "kind", "name", "state", "says", "time", "sequence", "simulated"] {
            assert!(!d[field].is_null(), "{field} is missing: {d}");
        }
    }
    assert_eq!(get(&format!("{url}/devices/none")).await.0, 404);
    let scanner = ids.iter().find(|i| devices[0]["id"] == **i && devices[0]["kind"] == "scanner").unwrap();
    // what is told twice under one identifier is done once; what cannot be says what was found and what is expected
    let early = json!({ "do": "scan", "seconds": 60.0, "bytes": 1e8 });
    let (status, said) = tell(&url, scanner, Uuid::now_v7(), early.clone()).await;
    assert!(status == 409 && said["error"].as_str().unwrap().contains("expected ready"), "{said}");
    assert_eq!(tell(&url, scanner, Uuid::now_v7(), json!({ "do": "fly" })).await.0, 422);
    // events come live, in order and without a gap, also for who comes late
    let live = url.replace("http", "ws") + "/live";
    let (mut socket, _) = tokio_tungstenite::connect_async(live).await.unwrap();
    let on = Uuid::now_v7();
    for _ in 0..2 {
        assert_eq!(tell(&url, scanner, on, json!({ "do": "power_on" })).await.0, 200);
    }
    tell(&url, scanner, Uuid::now_v7(), json!({ "do": "level" })).await;
    let first = tokio::time::timeout(Duration::from_secs(10), socket.next()).await.unwrap().unwrap().unwrap();
    let first: Value = serde_json::from_str(first.to_text().unwrap()).unwrap();
    assert_eq!((first["number"].as_u64(), first["device"]["state"].as_str()), (Some(1), Some("starting")), "{first}");
    drop(socket);
    let reqwest = reqwest::Client::new();
    reqwest.post(format!("{url}/speed")).json(&json!({ "speed": 600.0 })).send().await.unwrap();
    let ready = loop {
        let (_, d) = get(&format!("{url}/devices/{scanner}")).await;
        if d["state"] == "ready" {
            break d;
        }
        tokio::time::sleep(Duration::from_millis(100)).await;
    };
    assert!(ready["time"].as_f64().unwrap() >= 300.0, "{ready}");
    let (_, missed) = get(&format!("{url}/events?after=0")).await;
    let numbers: Vec<u64> = missed.as_array().unwrap().iter().map(|e| e["number"].as_u64().unwrap()).collect();
    assert_eq!(numbers, (1..=numbers.len() as u64).collect::<Vec<_>>());
    assert_eq!(tell(&url, scanner, Uuid::now_v7(), early).await.0, 200);
}

fn commands() -> impl Strategy<Value = Command> {
    prop_oneof![
        Just(Command::PowerOn),
        Just(Command::PowerOff),
        Just(Command::Level),
        (1.0..400.0f64, 0.0..3e10f64).prop_map(|(seconds, bytes)| Command::Scan { seconds, bytes }),
        Just(Command::Stop),
        (0usize..3).prop_map(|slot| Command::SwapBattery { slot }),
        (0.0..300.0f64).prop_map(|metres| Command::Walk { metres }),
        Just(Command::Fault { what: Fault::Power }),
        Just(Command::Fault { what: Fault::Tilt }),
        Just(Command::Fault { what: Fault::Storage }),
        Just(Command::Occupy { seconds: 60.0, at: [1.0, 2.0, 3.0], pole: 2.0 }),
        Just(Command::SetUp { at: [0.0; 3] }),
        Just(Command::Sight { name: "M1".into(), to: [9.0, 4.0, 1.0], height: 1.5 }),
        (0.0..3.0f64).prop_map(|half| Command::Window { name: "P1".into(), to: [9.0, 4.0, 1.0], half, spacing: 0.01 }),
        Just(Command::Begin { way: Vec::new() }),
        (0usize..4).prop_map(|n| Command::Begin { way: (0..n).map(|k| [7.0 * k as f64, 3.0, 1.4]).collect() }),
        Just(Command::Fault { what: Fault::Tracking }),
        Just(Command::Fault { what: Fault::WrongFix }),
    ]
}

proptest! {
    /// Half an hour and more of whatever is told and whatever goes wrong, in every state: readings stay possible, and a
    /// tracked position never outlives the power.
    #[test]
    fn whatever_goes_wrong_the_devices_stay_possible(
        steps in prop::collection::vec((commands(), 0usize..4, 0.0..300.0f64), 1..40), seed in 0u64..50,
    ) {
        let mut fleet = Fleet::new(seed, 60.0);
        let mut number = 0;
        for (k, (command, which, seconds)) in steps.into_iter().enumerate() {
            let device = ["scanner", "receiver", "total-station", "mobile"][which];
            let before = fleet.devices();
            if fleet.command(device, k as u128, &command).is_err() {
                prop_assert_eq!(&before, &fleet.devices());
            }
            fleet.advance(seconds);
            for d in fleet.devices() {
                prop_assert!(d.batteries.iter().all(|b| (0.0..=1.0).contains(b)));
                prop_assert!(d.progress.is_none_or(|p| (0.0..=1.0).contains(&p)));
                prop_assert!(d.storage_free.is_none_or(|s| s >= 0.0));
                prop_assert!(d.state != Word::Off || d.tracked != Some(true));
                prop_assert!(d.state != Word::Measuring || d.tilt.is_none_or(|t| t < 0.0017) , "it scans out of level");
                prop_assert!(d.path.len() <= 4000 && d.preview.len() <= 4000 && d.path.is_sorted_by(|a, b| a[0] < b[0]));
            }
            for e in fleet.events_after(number) {
                prop_assert_eq!(e.number, number + 1);
                number = e.number;
            }
        }
    }
}

#[test]
fn an_occupation_is_what_a_receiver_does_and_a_wrong_fix_says_that_it_is_fixed() {
    let mut fleet = Fleet::new(3, 60.0);
    fleet.command("receiver", 1, &Command::PowerOn).unwrap();
    fleet.advance(30.0);
    let occupy = Command::Occupy { seconds: 120.0, at: [500.0, 200.0, 50.0], pole: 2.0 };
    fleet.command("receiver", 2, &occupy).unwrap();
    fleet.advance(125.0);
    let good = fleet.device("receiver").unwrap().epochs;
    assert_eq!(good.len(), 120);
    let mean = good.iter().map(|e| e[3]).sum::<f64>() / 120.0;
    assert!((mean - 52.0).abs() < 0.04 && good.iter().all(|e| e[7] == 1.0), "{mean}");
    fleet.command("receiver", 3, &Command::Fault { what: Fault::WrongFix }).unwrap();
    fleet.command("receiver", 4, &occupy).unwrap();
    fleet.advance(125.0);
    let wrong = fleet.device("receiver").unwrap().epochs;
    assert!((wrong.iter().map(|e| e[3]).sum::<f64>() / 120.0 - 52.24).abs() < 0.06 && wrong[0][7] == 1.0);
}

/// Half an hour of a field day, second by second over the wire of events: nothing is missed, and what each device says at the
/// end is what it did.
#[test]
fn half_an_hour_on_site_is_told_without_a_gap() {
    let mut fleet = Fleet::new(11, 60.0);
    let mut told = 0_u128;
    let mut tell = |fleet: &mut Fleet, device: &str, c: &Command| {
        told += 1;
        fleet.command(device, told, c)
    };
    for device in ["scanner", "receiver", "total-station", "mobile"] {
        tell(&mut fleet, device, &Command::PowerOn).unwrap();
        let _ = tell(&mut fleet, device, &Command::Level);
    }
    let (mut number, mut words) = (0, Vec::new());
    let mut scans = 0;
    for second in 0..1800 {
        fleet.advance(1.0);
        if second % 20 == 0 {
            // whoever was away for a while asks for what was missed, some of it twice
            for e in fleet.events_after(number.max(3) - 3) {
                if e.number > number {
                    assert_eq!(e.number, number + 1, "an event is missing");
                    number = e.number;
                    words.push((e.device.kind, e.device.state));
                }
            }
        }
        let ready = |fleet: &Fleet, d: &str| fleet.device(d).is_some_and(|d| d.state == Word::Ready);
        if ready(&fleet, "scanner") && scans < 4 {
            tell(&mut fleet, "scanner", &Command::Scan { seconds: 180.0, bytes: 4e8 }).unwrap();
            scans += 1;
        }
        match second {
            60 => tell(&mut fleet, "total-station", &Command::SetUp { at: [5.0, 5.0, 1.6] }).unwrap(),
            90 => tell(
                &mut fleet,
                "total-station",
                &Command::Sight { name: "M".into(), to: [25.0, 9.0, 0.0], height: 1.5 },
            )
            .unwrap(),
            120 => tell(&mut fleet, "mobile", &Command::Begin { way: Vec::new() }).unwrap(),
            300 => tell(&mut fleet, "mobile", &Command::Fault { what: Fault::Tracking }).unwrap(),
            500 => tell(&mut fleet, "mobile", &Command::Stop).unwrap(),
            600 => tell(&mut fleet, "receiver", &Command::Occupy { seconds: 180.0, at: [0.0; 3], pole: 2.0 }).unwrap(),
            900 => tell(&mut fleet, "scanner", &Command::Fault { what: Fault::Power }).unwrap(),
            910 => {
                assert_eq!(fleet.device("scanner").unwrap().tracked, Some(false));
                tell(&mut fleet, "scanner", &Command::PowerOn).unwrap();
            }
            _ => {}
        }
    }
    let of = |d: &str| fleet.device(d).unwrap();
    assert!(scans == 4 && of("scanner").scans.unwrap() >= 3, "{scans} scans, {:?}", of("scanner").scans);
    assert_eq!((of("receiver").epochs.len(), of("total-station").shots.len()), (180, 1));
    let walk = of("mobile");
    assert!(walk.path.len() == 380 && walk.preview.len() == 4000, "{} {}", walk.path.len(), walk.says);
    let scanned = words.iter().filter(|w| **w == (vistazo_kit::Kind::Scanner, Word::Measuring)).count();
    assert_eq!(scanned, scans, "every scan was told");
}

/// A total station that stands freely: what it reads leads back to where it stands, and a window to the disc in it.
#[test]
fn shots_lead_back_to_where_it_stands() {
    use vistazo_core::field::{Accuracy, Known, Reading, Stand, fine_point, polar_point, set_up};
    use vistazo_core::geometry::Vec3;
    let (mut fleet, mut told) = (Fleet::new(4, 60.0), 0);
    let at = [512.0, 204.0, 51.6];
    let marks = [[500.0, 230.0, 50.0], [540.0, 212.0, 52.0], [505.0, 165.0, 49.5]];
    let disc = [525.0, 190.0, 53.0];
    let mut tell = |c: Command, seconds: f64| {
        told += 1;
        fleet.command("total-station", told, &c).unwrap();
        fleet.advance(seconds);
    };
    tell(Command::PowerOn, 30.0);
    tell(Command::Level, 1.0);
    tell(Command::SetUp { at }, 1.0);
    for (k, m) in marks.iter().enumerate() {
        tell(Command::Sight { name: format!("M{k}"), to: *m, height: 1.5 }, 10.0);
    }
    tell(Command::Window { name: "D".into(), to: disc, half: 0.08, spacing: 0.004 }, 100.0);
    let shots = fleet.device("total-station").unwrap().shots;
    assert_eq!(shots.len(), 4);
    let sights: Vec<(Known, Reading)> = marks
        .iter()
        .zip(&shots)
        .map(|(m, s)| {
            let known = Known { name: s.name.clone(), position: (*m).into(), sigma: Vec3::repeat(1e-4) };
            let (direction, zenith, distance) = (s.direction, s.zenith, Some(s.distance));
            (known, Reading { direction, zenith, distance, height: s.height, sigma: None })
        })
        .collect();
    let stands = set_up(&Stand::Free, &sights, &Accuracy::USUAL, 1.0).unwrap();
    assert!((stands.position - Vec3::from(at)).norm() < 0.006 && stands.chance > 0.001, "{stands:?}");
    let found = fine_point(&shots[3].window).unwrap();
    let p = polar_point(&stands, &found.reading, &Accuracy::USUAL).unwrap();
    let off = p.position - Vec3::from(disc);
    assert!(off.norm() < 0.006, "{off}");
    assert!((0..3).all(|a| off[a].abs() < 3.5 * p.covariance[(a, a)].sqrt()), "{off} {}", p.covariance);
}

/// A mobile unit that is carried along a way ends where that ends, counts what it hands over, and refuses a way that is none.
#[test]
fn a_walk_follows_its_way() {
    let (mut fleet, mut told) = (Fleet::new(6, 60.0), 0);
    let mut tell = |fleet: &mut Fleet, c: Command, seconds: f64| {
        told += 1;
        let said = fleet.command("mobile", told, &c);
        fleet.advance(seconds);
        said
    };
    tell(&mut fleet, Command::PowerOn, 40.0).unwrap();
    let way = vec![[100.0, 50.0, 1.4], [118.0, 50.0, 1.4], [118.0, 59.0, 1.4]];
    assert!(tell(&mut fleet, Command::Begin { way: way[..1].to_vec() }, 0.0).is_err());
    tell(&mut fleet, Command::Begin { way }, 15.0).unwrap();
    let end = |fleet: &Fleet| fleet.device("mobile").unwrap().path.last().map(|p| [p[1], p[2]]).unwrap();
    let [x, y] = end(&fleet);
    assert!((x - 13.5).abs() < 0.1 && y.abs() < 0.1, "{x} {y}");
    fleet.advance(60.0);
    let now = fleet.device("mobile").unwrap();
    let [x, y] = end(&fleet);
    assert!((x - 18.0).abs() < 0.3 && (y - 9.0).abs() < 0.3 && now.says.contains("stop it"), "{x} {y} {}", now.says);
    tell(&mut fleet, Command::Stop, 1.0).unwrap();
    let now = fleet.device("mobile").unwrap();
    assert!(now.scans == Some(1) && now.says.contains("open"), "{}", now.says);
}
