//! The protocol over HTTP.

use crate::Fleet;
use crate::state::{Command, DeviceState, Event, Refused};
use axum::extract::ws::{Message, WebSocket};
use axum::extract::{Path, Query, State, WebSocketUpgrade};
use axum::http::StatusCode;
use axum::response::Response;
use axum::routing::{get, post};
use axum::{Json, Router};
use std::collections::HashMap;
use std::sync::{Arc, Mutex, PoisonError};
use std::time::{Duration, Instant};
use uuid::Uuid;

/// Simulated seconds in one of ours, where nobody says otherwise.
const SPEED: f64 = 20.0;
/// Sites that are kept; the one that was asked for longest ago goes.
const SITES: usize = 200;

struct Site {
    fleet: Fleet,
    seen: Instant,
}

#[derive(Clone, Default)]
struct Sites(Arc<Mutex<HashMap<String, Site>>>);

impl Sites {
    /// Does something with the fleet of a site, after letting its time pass.
    fn with<T>(&self, site: &str, f: impl FnOnce(&mut Fleet) -> T) -> T {
        let mut all = self.0.lock().unwrap_or_else(PoisonError::into_inner);
        if !all.contains_key(site)
            && all.len() >= SITES
            && let Some(oldest) = all.iter().min_by_key(|s| s.1.seen).map(|s| s.0.clone())
        {
            all.remove(&oldest);
        }
        let seed = site.bytes().fold(7_u64, |h, b| h.wrapping_mul(31).wrapping_add(u64::from(b)));
        let entry =
            all.entry(site.to_owned()).or_insert_with(|| Site { fleet: Fleet::new(seed, SPEED), seen: Instant::now() });
        let passed = entry.seen.elapsed().as_secs_f64() * entry.fleet.speed;
        // whole seconds only: the rest of one is not lost
        if passed >= 1.0 {
            entry.fleet.advance(passed.floor());
            entry.seen += Duration::from_secs_f64(passed.floor() / entry.fleet.speed);
        }
        f(&mut entry.fleet)
    }
}

/// A command, with an identifier of whoever sends it.
#[derive(serde::Deserialize)]
struct Told {
    id: Uuid,
    #[serde(flatten)]
    command: Command,
}

#[derive(serde::Deserialize)]
struct After {
    #[serde(default)]
    after: u64,
}

#[derive(serde::Deserialize)]
struct Speed {
    speed: f64,
}

type Answer<T> = Result<Json<T>, (StatusCode, Json<Refused>)>;

fn refused(status: StatusCode, error: impl Into<String>) -> (StatusCode, Json<Refused>) {
    (status, Json(Refused { error: error.into() }))
}

async fn devices(State(sites): State<Sites>, Path(site): Path<String>) -> Json<Vec<DeviceState>> {
    Json(sites.with(&site, |f| f.devices()))
}

async fn device(State(sites): State<Sites>, Path((site, id)): Path<(String, String)>) -> Answer<DeviceState> {
    sites
        .with(&site, |f| f.device(&id))
        .map(Json)
        .ok_or_else(|| refused(StatusCode::NOT_FOUND, format!("found no device “{id:.40}”")))
}

async fn command(
    State(sites): State<Sites>,
    Path((site, id)): Path<(String, String)>,
    Json(told): Json<Told>,
) -> Answer<DeviceState> {
    sites.with(&site, |f| {
        f.command(&id, told.id.as_u128(), &told.command).map_err(|e| refused(StatusCode::CONFLICT, e.error))?;
        f.device(&id).map(Json).ok_or_else(|| refused(StatusCode::NOT_FOUND, format!("found no device “{id:.40}”")))
    })
}

async fn events(State(sites): State<Sites>, Path(site): Path<String>, Query(after): Query<After>) -> Json<Vec<Event>> {
    Json(sites.with(&site, |f| f.events_after(after.after)))
}

async fn speed(State(sites): State<Sites>, Path(site): Path<String>, Json(s): Json<Speed>) -> Answer<f64> {
    if !(1.0..=600.0).contains(&s.speed) {
        return Err(refused(StatusCode::UNPROCESSABLE_ENTITY, format!("found {}, expected 1 to 600", s.speed)));
    }
    Ok(Json(sites.with(&site, |f| {
        f.speed = s.speed;
        f.speed
    })))
}

async fn live(
    State(sites): State<Sites>,
    Path(site): Path<String>,
    Query(after): Query<After>,
    upgrade: WebSocketUpgrade,
) -> Response {
    upgrade.on_upgrade(move |socket| follow(sites, site, after.after, socket))
}

/// Sends every event once, in order, until the other end goes.
async fn follow(sites: Sites, site: String, mut after: u64, mut socket: WebSocket) {
    loop {
        for e in sites.with(&site, |f| f.events_after(after)) {
            after = e.number;
            let text = serde_json::to_string(&e).unwrap_or_default();
            if socket.send(Message::Text(text.into())).await.is_err() {
                return;
            }
        }
        tokio::select! {
            () = tokio::time::sleep(Duration::from_millis(200)) => {}
            heard = socket.recv() => if !matches!(heard, Some(Ok(_))) { return },
        }
    }
}

fn router() -> Router {
    Router::new()
        .route("/sites/{site}/devices", get(devices))
        .route("/sites/{site}/devices/{id}", get(device))
        .route("/sites/{site}/devices/{id}/commands", post(command))
        .route("/sites/{site}/events", get(events))
        .route("/sites/{site}/live", get(live))
        .route("/sites/{site}/speed", post(speed))
        .with_state(Sites::default())
}

/// Serves simulated devices on an address until the program ends.
///
/// # Errors
/// When the address cannot be had.
pub async fn serve(address: &str) -> std::io::Result<()> {
    axum::serve(tokio::net::TcpListener::bind(address).await?, router()).await
}

/// The same on a listener that is there already.
///
/// # Errors
/// When the listener fails.
pub async fn serve_on(listener: tokio::net::TcpListener) -> std::io::Result<()> {
    axum::serve(listener, router()).await
}
