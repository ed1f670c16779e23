//! The instruments on site, through a bridge that speaks the device protocol.

use super::sent::Sent;
use crate::auth::{Access, Edit, Read};
use crate::tasks::{Work, queue};
use crate::{ApiError, App};
use axum::Json;
use axum::extract::{Path, State};
use axum::http::StatusCode;
use lru::LruCache;
use std::num::NonZeroUsize;
use std::sync::{LazyLock, Mutex, PoisonError};
use std::time::Duration;
use uuid::Uuid;
use vistazo_kit::{Command, DeviceState, Refused, Word};

static CLIENT: LazyLock<reqwest::Client> = LazyLock::new(reqwest::Client::new);
const PATIENCE: Duration = Duration::from_secs(5);

/// Something to be told to a device.
#[derive(serde::Deserialize, utoipa::ToSchema)]
#[serde(deny_unknown_fields)]
pub struct ToldDto {
    /// Made by whoever tells it: told twice, it is done once.
    id: Uuid,
    command: Command,
    /// The planned station that it scans, or the planned walk that it is carried along: what the stand-in hands over then is
    /// read in by itself.
    station: Option<Uuid>,
}

/// The instruments on site as they are now; none where a job has no simulated site and no bridge is named.
#[utoipa::path(get, path = "/api/jobs/{job}/field/kit", tag = "field", params(("job" = Uuid, Path)), responses((status = 200, body = [DeviceState]), (status = 502, body = crate::error::ErrorBody)))]
pub async fn devices(State(app): State<App>, access: Access<Read>) -> Result<Json<Vec<DeviceState>>, ApiError> {
    if !answers(&app, access.job).await? {
        return Ok(Json(Vec::new()));
    }
    let asked = CLIENT.get(format!("{}/sites/{}/devices", app.settings.kit, access.job)).timeout(PATIENCE).send().await;
    Ok(Json(heard(asked).await?))
}

/// Tell an instrument something.
#[utoipa::path(post, path = "/api/jobs/{job}/field/kit/{device}", tag = "field", params(("job" = Uuid, Path), ("device" = String, Path)), request_body = ToldDto, responses((status = 200, body = DeviceState), (status = 409, body = crate::error::ErrorBody), (status = 502, body = crate::error::ErrorBody)))]
pub async fn command(
    State(app): State<App>,
    access: Access<Edit>,
    Path((_job, device)): Path<(Uuid, String)>,
    Sent(told): Sent<ToldDto>,
) -> Result<Json<DeviceState>, ApiError> {
    if !answers(&app, access.job).await? {
        return Err(ApiError::conflict("the simulated instruments work in demo and training jobs only"));
    }
    // one step of an address, whatever was sent
    if device.is_empty() || device.len() > 60 || !device.chars().all(|c| c.is_ascii_alphanumeric() || c == '-') {
        return Err(ApiError::conflict("found no such device"));
    }
    // before anything is told: a station that is not there, and a real job, begin nothing
    let mut command = told.command;
    let handed_over = match (&mut command, told.station) {
        (Command::Scan { .. }, Some(station)) => Some(work_of(&app, access.job, &access.user.name, station).await?),
        (Command::Begin { way }, Some(walk)) => {
            let work = walk_of(&app, access.job, walk).await?;
            if let Work::Walk { way: planned, .. } = &work {
                way.clone_from(planned);
            }
            Some(work)
        }
        _ => None,
    };
    let mut body = serde_json::json!(command);
    body["id"] = serde_json::json!(told.id);
    let to = format!("{}/sites/{}/devices/{device}/commands", app.settings.kit, access.job);
    let state: DeviceState = heard(CLIENT.post(to).json(&body).timeout(PATIENCE).send().await).await?;
    // told again under the same identifier it is the same scan, which is waited for already
    let first = handed_over.is_some() && first_time(told.id);
    if let Some(work) = handed_over.filter(|_| first && state.simulated && state.state == Word::Measuring) {
        taken(&app, access.job, access.user.id, &device, state.scans, work);
    }
    Ok(Json(state))
}

/// Scans that were told lately, so that one that is told again (the answer got lost on the way) is not made twice.
static TOLD: LazyLock<Mutex<LruCache<Uuid, ()>>> = LazyLock::new(|| Mutex::new(LruCache::new(LATELY)));
const LATELY: NonZeroUsize = NonZeroUsize::new(1000).unwrap();

fn first_time(told: Uuid) -> bool {
    TOLD.lock().unwrap_or_else(PoisonError::into_inner).put(told, ()).is_none()
}

/// What reads in the scan of a station that a stand-in takes.
async fn work_of(app: &App, job: Uuid, operator: &str, station: Uuid) -> Result<Work, ApiError> {
    if vistazo_store::jobs::get(&app.db, job).await?.simulated.is_none() {
        return Err(ApiError::conflict(
            "scans are made up in demo and training jobs only; begin the scan without a station, and upload its file",
        ));
    }
    let planned = crate::work::planning::load(app, job).await?;
    let Some((_, found)) = planned.stations.iter().find(|s| s.0 == station) else {
        return Err(ApiError::field("station", "no such station on the plan of this job"));
    };
    let log = serde_json::json!({ "operator": operator, "note": "", "time": chrono::Utc::now() });
    Ok(Work::Scan { station, log, name: found.name.clone() })
}

/// What reads in the walk along a planned one that a stand-in is carried along.
async fn walk_of(app: &App, job: Uuid, walk: Uuid) -> Result<Work, ApiError> {
    if vistazo_store::jobs::get(&app.db, job).await?.simulated.as_deref() != Some(crate::tasks::WALKED) {
        return Err(ApiError::conflict(
            "walks are made up on the demo's site only; begin the walk without a plan, and bring its files",
        ));
    }
    let planned = crate::work::planning::load(app, job).await?;
    let Some(w) = planned.walks.iter().find(|w| w.id == walk) else {
        return Err(ApiError::field("station", "no such walk on the plan of this job"));
    };
    let high = w.floor + crate::work::planned_walks::unit(&w.unit).handling.height;
    let way = w.line.iter().map(|p| [p.x, p.y, high]).collect();
    Ok(Work::Walk { name: w.name.clone(), unit: w.unit.clone(), way })
}

/// So much of a way as was walked, by the path of who was carried along it.
fn walked(way: &[[f64; 3]], path: &[[f64; 4]]) -> Vec<[f64; 3]> {
    let far = |a: &[f64], b: &[f64]| (b[0] - a[0]).hypot(b[1] - a[1]);
    let mut left: f64 = path.windows(2).map(|p| far(&p[0][1..], &p[1][1..])).sum();
    let mut out = way[..1.min(way.len())].to_vec();
    for w in way.windows(2) {
        let long = far(&w[0], &w[1]);
        let share = if long > left { left / long } else { 1.0 };
        out.push(std::array::from_fn(|k| w[0][k] + share * (w[1][k] - w[0][k])));
        if share < 1.0 {
            break;
        }
        left -= long;
    }
    out
}

/// Looks at a stand-in that scans at most so often, twice a second: ten hours of the longest scan at the slowest pace.
const LOOKS: usize = 72_000;

/// A scan or a walk that a stand-in began: when it has handed it over, it is made and read in. Nothing of the queue is held meanwhile.
fn taken(app: &App, job: Uuid, user: Uuid, device: &str, scans: Option<u32>, work: Work) {
    let (app, from) = (app.clone(), format!("{}/sites/{job}/devices/{device}", app.settings.kit));
    tokio::spawn(async move {
        let mut work = work;
        for look in 0..=LOOKS {
            if look == LOOKS {
                return;
            }
            tokio::time::sleep(Duration::from_millis(500)).await;
            let asked = CLIENT.get(&from).timeout(PATIENCE).send().await;
            let Ok(now) = heard::<DeviceState>(asked).await else { continue };
            match now.state {
                Word::Measuring | Word::Transferring => {}
                // the power went, or somebody stopped it: there is no scan
                _ if now.scans <= scans => return,
                _ => {
                    if let Work::Walk { way, .. } = &mut work {
                        *way = walked(way, &now.path);
                    }
                    break;
                }
            }
        }
        if let Err(e) = queue(&app, job, &work, Some(user)).await {
            tracing::warn!(error = %e, "a scan that was handed over is not read in");
        }
    });
}

/// Whether anybody answers for a job: stand-ins only where the site is one too.
async fn answers(app: &App, job: Uuid) -> Result<bool, ApiError> {
    let row = vistazo_store::jobs::get(&app.db, job).await?;
    Ok(!app.settings.kit.is_empty() && (!app.settings.stand_ins || row.simulated.is_some()))
}

/// What a bridge says, or why it says nothing.
async fn heard<T: serde::de::DeserializeOwned>(
    answer: Result<reqwest::Response, reqwest::Error>,
) -> Result<T, ApiError> {
    let away = |why: String| {
        ApiError::status(StatusCode::BAD_GATEWAY, format!("the bridge to the instruments does not answer: {why}"))
    };
    let answer = answer.map_err(|e| away(e.to_string()))?;
    if answer.status() == StatusCode::CONFLICT.as_u16() {
        let refused: Refused = answer.json().await.map_err(|e| away(e.to_string()))?;
        return Err(ApiError::conflict(refused.error));
    }
    if !answer.status().is_success() {
        return Err(away(format!("it answered {}", answer.status())));
    }
    answer.json().await.map_err(|e| away(e.to_string()))
}
