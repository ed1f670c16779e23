//! The web application: routes, background tasks, sign-in.
//!
//! `routes` are thin: they check the role through an extractor and hand on to `work`, which puts
//! stored rows together for the core and stores what comes back; `tasks` runs the long work;
//! `record` is what is stored of results and `dto` what the API speaks; `words` makes sentences of both.

#![allow(unreachable_pub)] // handlers are public for the macro that describes them
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

pub mod auth;
mod deliver;
pub mod demo;
pub mod dto;
mod error;
mod kept;
mod news;
mod record;
pub mod routes;
pub mod tasks;
mod words;
mod work;

pub use error::ApiError;

/// What a search for targets depends on, in short: scans searched with another one are searched again.
pub fn search_key(brief: &dto::Brief) -> String {
    work::registration::Inputs::search_key(brief)
}

use std::sync::Arc;
use std::sync::atomic::AtomicBool;
use tokio::sync::Notify;
use vistazo_store::{Objects, PgPool};

/// What every handler gets. Cheap to clone; holds no state that another server would need.
#[derive(Clone)]
pub struct App {
    /// Database.
    pub db: PgPool,
    /// Bulk bytes.
    pub objects: Objects,
    /// Settings.
    pub settings: Arc<Settings>,
    /// Readings that are asked for again.
    pub(crate) kept: Arc<kept::Kept>,
    /// Jobs whose tasks moved.
    pub(crate) news: news::News,
    /// The name that this program holds tasks under.
    pub worker: Arc<str>,
    /// It is about to end: no more tasks are taken.
    pub closing: Arc<AtomicBool>,
    /// Rings when it is.
    pub ending: Arc<Notify>,
}

/// Settings from the environment.
#[derive(Clone, Debug)]
pub struct Settings {
    /// `VISTAZO_DATABASE_URL`.
    pub database_url: String,
    /// `VISTAZO_DATA`: the object store, a folder or `s3://bucket/path`.
    pub data: String,
    /// `VISTAZO_ADDRESS`: where to listen.
    pub address: String,
    /// `VISTAZO_MAX_UPLOAD`: bytes accepted in one file.
    pub max_upload: u64,
    /// `VISTAZO_SCAN_SPEED`: how much faster than life the simulated scanner runs.
    pub scan_speed: f64,
    /// `VISTAZO_KEEP_FREE`: bytes that must stay free where the object store is a folder.
    pub keep_free: u64,
    /// `VISTAZO_KIT`: address of a bridge to instruments (docs/device-protocol.md); without it stand-ins are served.
    pub kit: String,
    /// What answers there are stand-ins: for demo and training jobs only.
    pub stand_ins: bool,
    /// `VISTAZO_SECURE_COOKIES`: `0` allows cookies over plain HTTP to other machines.
    pub secure_cookies: bool,
}

impl Settings {
    /// Reads the environment; everything but the database has a default.
    ///
    /// # Errors
    /// Names the variable that is missing.
    pub fn from_env() -> anyhow::Result<Self> {
        let var = |name: &str| std::env::var(name).ok();
        Ok(Self {
            database_url: var("VISTAZO_DATABASE_URL").ok_or_else(|| {
                anyhow::anyhow!(
                    "VISTAZO_DATABASE_URL is not set; expected postgres://user@host:port/name (scripts/demo sets it)"
                )
            })?,
            data: var("VISTAZO_DATA").unwrap_or_else(|| "data/objects".into()),
            address: var("VISTAZO_ADDRESS").unwrap_or_else(|| "127.0.0.1:4780".into()),
            max_upload: var("VISTAZO_MAX_UPLOAD").and_then(|v| v.parse().ok()).unwrap_or(64_000_000_000),
            scan_speed: var("VISTAZO_SCAN_SPEED").and_then(|v| v.parse().ok()).unwrap_or(60.0),
            keep_free: var("VISTAZO_KEEP_FREE").and_then(|v| v.parse().ok()).unwrap_or(500_000_000),
            stand_ins: var("VISTAZO_KIT").is_none(),
            kit: var("VISTAZO_KIT").unwrap_or_default(),
            secure_cookies: var("VISTAZO_SECURE_COOKIES").as_deref() != Some("0"),
        })
    }
}

impl App {
    /// Connects to the database and opens the object store.
    ///
    /// # Errors
    /// When either cannot be reached.
    pub async fn open(settings: Settings) -> anyhow::Result<Self> {
        let db = vistazo_store::connect(&settings.database_url).await?;
        let objects = Objects::open(&settings.data)?;
        let worker = std::env::var("VISTAZO_WORKER").unwrap_or_else(|_| vistazo_store::new_id().to_string());
        Ok(Self {
            db,
            objects,
            news: news::News::listen(settings.database_url.clone()),
            settings: Arc::new(settings),
            kept: Arc::new(kept::Kept::new()),
            worker: worker.into(),
            closing: Arc::default(),
            ending: Arc::default(),
        })
    }
}
