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
    ]
}

proptest! {
    /// Half an hour and more of whatever is told and whatever goes wrong, in every state: readings stay possible, and a
    /// tracked position never outlives the power.
    #[test]
    fn whatever_goes_wrong_the_devices_stay_possible(
        steps in prop::collection::vec((commands(), prop::bool::ANY, 0.0..300.0f64), 1..40), seed in 0u64..50,
    ) {
        let mut fleet = Fleet::new(seed, 60.0);
        let mut number = 0;
        for (k, (command, to_scanner, seconds)) in steps.into_iter().enumerate() {
            let device = if to_scanner { "scanner" } else { "receiver" };
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
