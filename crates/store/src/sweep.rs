//! Clears what nothing speaks of any more: builds of scans and parts of uploads that a program left
//! in the object store when it was killed between storing and recording them.

use crate::{Objects, Result};
use sqlx::PgPool;
use std::collections::{HashMap, HashSet};
use std::time::{Duration, SystemTime};

/// A part of an upload is stored before it is recorded, by whichever server; one that is younger
/// than this may still be recorded.
const PART_MAY_COME: Duration = Duration::from_hours(24);

/// Removes every superseded or orphaned object; returns how many.
///
/// Builds of an upload that a task waits for or works at are left alone. The store is listed before
/// the database is asked, so that whatever is recorded meanwhile is seen as recorded.
///
/// # Errors
/// When the database or the store fails; what was removed until then was of no use anyway.
pub async fn sweep(db: &PgPool, objects: &Objects) -> Result<usize> {
    let mut builds: HashMap<String, Vec<String>> = HashMap::new();
    let mut parts = Vec::new();
    for (key, written) in objects.list("jobs").await? {
        match key.split('/').collect::<Vec<_>>()[..] {
            [_, _, "scans" | "passes", _, _, _] => {
                let build = key.rsplit_once('/').map_or("", |k| k.0).to_owned();
                builds.entry(build).or_default().push(key);
            }
            [_, _, "uploads" | "ground" | "pictures", ..] if written + PART_MAY_COME < SystemTime::now() => {
                parts.push(key)
            }
            _ => {}
        }
    }
    // one statement, one moment: a build cannot be recorded and its task ended between two questions
    let named: Vec<(bool, String)> = sqlx::query_as(
        "select true, key from scans union all select true, key from scan_classes union all \
         select true, key from scan_colours union all \
         select true, key from passes where key is not null union all \
         select true, key from pass_clouds union all \
         select true, key from upload_parts union all \
         select true, result ->> 'key' from computed where kind = 'ground' union all \
         select true, data -> 'picture' ->> 'key' from drawn_items where data ? 'picture' union all \
         select false, coalesce(payload ->> 'upload', id::text) from tasks where kind in ('ingest', 'scan') and state in ('queued', 'running')",
    )
    .fetch_all(db)
    .await?;
    let keys: HashSet<&str> = named.iter().filter(|n| n.0).map(|n| n.1.as_str()).collect();
    let active: Vec<&str> = named.iter().filter(|n| !n.0).map(|n| n.1.as_str()).collect();
    let of_active = |build: &str| active.iter().any(|a| build.contains(&format!("/scans/{a}-")));
    // a build with classes or colours is stored before it is recorded
    let cleaned: Vec<uuid::Uuid> = sqlx::query_scalar(
        "select distinct job_id from tasks where kind in ('clean', 'paint', 'pass', 'walks') and state = 'running'",
    )
    .fetch_all(db)
    .await?;
    let of_cleaned = |build: &str| cleaned.iter().any(|job| build.starts_with(&format!("jobs/{job}/")));
    let mut unknown = Vec::new();
    for (build, files) in builds {
        if keys.contains(build.as_str()) || of_active(&build) || of_cleaned(&build) {
            continue;
        }
        // what a client was shown at a signature stays, whatever came after it
        let name = build.rsplit('/').next().unwrap_or_default();
        let shown: bool = sqlx::query_scalar(
            "select exists (select 1 from package_seen where seen::text like '%/tiles/' || $1 || '/%')",
        )
        .bind(name)
        .fetch_one(db)
        .await?;
        if !shown {
            unknown.extend(files);
        }
    }
    let gone = unknown.into_iter().chain(parts.into_iter().filter(|p| !keys.contains(p.as_str())));
    let mut n = 0;
    for key in gone {
        objects.remove(&key).await?;
        n += 1;
    }
    Ok(n)
}
