//! PostgreSQL and object storage. All SQL of the product is here; rows are the types the API
//! speaks where they carry no secret.

#![allow(missing_docs)] // rows mirror their tables; the migrations say what each column means
#![cfg_attr(test, allow(clippy::unwrap_used, clippy::expect_used, clippy::panic))]

pub mod cleaning;
pub mod comparisons;
pub mod days;
pub mod designs;
pub mod field;
pub mod groups;
pub mod instruments;
pub mod jobs;
pub mod journal;
pub mod letterheads;
pub mod objects;
pub mod passes;
pub mod people;
pub mod photos;
pub mod results;
pub mod surfaces;
pub mod surveys;
mod sweep;
pub mod tasks;
pub mod ties;
pub mod uploads;
mod verify;
pub mod views;

pub use objects::Objects;
pub use sqlx::PgPool;
pub use sweep::sweep;
pub use uuid::Uuid;
pub use verify::{DERIVED, Fault, Scrub, verify};

/// Why a store call failed.
#[derive(Debug, thiserror::Error)]
pub enum StoreError {
    /// Somebody else changed it since it was read.
    #[error("somebody changed this since you opened it; it has been reloaded, please look and repeat your change")]
    Conflict,
    /// A name that must be unique is taken.
    #[error("the name “{0}” is used already; expected a name that is used once")]
    Duplicate(String),
    /// A thing can be in one group only.
    #[error("one of the scans is in the group “{0}” already; take it out there first")]
    Taken(String),
    /// It is not there.
    #[error("not found")]
    NotFound,
    /// So many wait already.
    #[error("{0} tasks wait in this job already; let them end, or cancel some")]
    Full(i64),
    #[error("database: {0}")]
    Database(#[from] sqlx::Error),
    #[error("{0}")]
    File(String),
    /// What was read is not what was stored.
    #[error(
        "{what} is damaged in the store: found {found}, expected {expected}; bring it back from a copy, or send it again"
    )]
    Damaged {
        /// By the name people know it by.
        what: String,
        found: String,
        expected: String,
    },
    #[error("object store: {0}")]
    Object(#[from] object_store::Error),
    #[error("database migration: {0}")]
    Migration(#[from] sqlx::migrate::MigrateError),
}

impl StoreError {
    /// Whether what was asked for is not in the store.
    #[must_use]
    pub fn is_missing(&self) -> bool {
        matches!(self, Self::NotFound | Self::Object(object_store::Error::NotFound { .. }))
    }

    /// Whether the database or the object store is away, which passes, and not what was asked of them wrong.
    #[must_use]
    pub fn passes(&self) -> bool {
        match self {
            Self::Database(e) => match e {
                // what the server refuses it refuses again, but for a server that is starting, stopping or full
                sqlx::Error::Database(d) => {
                    d.code().is_some_and(|c| ["57", "53", "08", "40"].iter().any(|k| c.starts_with(k)))
                }
                sqlx::Error::RowNotFound | sqlx::Error::ColumnDecode { .. } | sqlx::Error::Decode(_) => false,
                _ => true,
            },
            Self::Object(e) => !matches!(e, object_store::Error::NotFound { .. }),
            Self::Migration(_) => true,
            _ => false,
        }
    }
}

pub type Result<T> = std::result::Result<T, StoreError>;

/// Connects and brings the schema up to date.
///
/// # Errors
/// When the database cannot be reached or a migration fails.
pub async fn connect(url: &str) -> Result<PgPool> {
    let pool = sqlx::postgres::PgPoolOptions::new()
        .max_connections(24)
        .acquire_timeout(std::time::Duration::from_secs(20))
        .connect(url)
        .await?;
    sqlx::migrate!().run(&pool).await?;
    Ok(pool)
}

/// Chooses what TLS connections are made with: once, before the first client is made, by every program that makes one.
pub fn tls() {
    // refused when it was chosen already, which is as well
    let _ = rustls::crypto::ring::default_provider().install_default();
}

/// A time-ordered identifier.
pub fn new_id() -> Uuid {
    Uuid::now_v7()
}

/// Changes of many rows of one job go one after the other until the transaction ends: two that touch the same rows in
/// another order would wait for one another, and one of them be thrown out.
async fn in_turn(tx: &mut sqlx::PgConnection, job: Uuid) -> Result<()> {
    sqlx::query("select 1 from jobs where id = $1 for no key update").bind(job).execute(tx).await?;
    Ok(())
}

/// Turns "no row changed" into the conflict it is.
fn changed(rows: u64) -> Result<()> {
    if rows == 0 { Err(StoreError::Conflict) } else { Ok(()) }
}

/// Why nothing was changed in a table of things of a job: one is not there, or somebody else changed it meanwhile.
async fn missed(db: &PgPool, table: &'static str, job: Uuid, id: Uuid, rows: u64) -> Result<()> {
    if rows > 0 {
        return Ok(());
    }
    let sql = format!("select exists (select 1 from {table} where job_id = $1 and id = $2)");
    let there: bool = sqlx::query_scalar(sqlx::AssertSqlSafe(sql)).bind(job).bind(id).fetch_one(db).await?;
    Err(if there { StoreError::Conflict } else { StoreError::NotFound })
}

/// Names the duplicate when a unique index refused it.
fn unique(name: &str) -> impl FnOnce(sqlx::Error) -> StoreError + '_ {
    move |e| match &e {
        sqlx::Error::Database(d) if d.is_unique_violation() => StoreError::Duplicate(name.to_owned()),
        _ => StoreError::Database(e),
    }
}
