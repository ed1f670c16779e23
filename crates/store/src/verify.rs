//! Looks at everything that the database speaks of, and says what of it the object store has lost.

use crate::objects::{Objects, hex};
use crate::{Result, StoreError};
use futures::StreamExt;
use sha2::{Digest, Sha256};
use sqlx::PgPool;
use uuid::Uuid;

/// What is made of a scan, file by file under its key; it can be made again from the file as it came.
pub const DERIVED: [&str; 5] = ["scan", "cloud", "sight", "tiles", "panorama.png"];

/// Something that is not as it was stored.
#[derive(Clone, Debug, PartialEq, Eq)]
pub struct Fault {
    /// The job it is of.
    pub job: Uuid,
    /// What it is, by the name people know it by.
    pub what: String,
    /// What is wrong with it.
    pub wrong: String,
    /// It can be made again.
    pub derived: bool,
}

/// What a look at the store found.
#[derive(Clone, Debug, Default)]
pub struct Scrub {
    /// Objects read or looked for.
    pub looked_at: usize,
    /// Bytes read.
    pub bytes: u64,
    pub faults: Vec<Fault>,
    /// Objects that nothing speaks of.
    pub leftover: Vec<String>,
}

/// Compares stored bytes with the length and sum that were noted of them; an empty sum is not compared.
///
/// # Errors
/// [`StoreError::Damaged`] with what was found and expected; others when the store fails.
pub(crate) async fn compare(objects: &Objects, key: &str, what: &str, bytes: i64, sha256: &str) -> Result<()> {
    let mut stream = match objects.stream(key).await {
        Ok(s) => Box::pin(s),
        Err(StoreError::Object(object_store::Error::NotFound { .. })) => return Err(missing(what)),
        Err(e) => return Err(e),
    };
    let (mut sum, mut n) = (Sha256::new(), 0);
    while let Some(chunk) = stream.next().await {
        let chunk = chunk?;
        n += chunk.len() as i64;
        sum.update(&chunk);
    }
    matches(what, (n, &hex(&sum.finalize())), (bytes, sha256))
}

/// Whether what was read is what was noted.
pub(crate) fn matches(what: &str, found: (i64, &str), noted: (i64, &str)) -> Result<()> {
    let damaged = |found: String, expected: String| StoreError::Damaged { what: what.to_owned(), found, expected };
    if found.0 != noted.0 {
        return Err(damaged(format!("{} bytes", found.0), noted.0.to_string()));
    }
    if !noted.1.is_empty() && found.1 != noted.1 {
        return Err(damaged(format!("the SHA-256 {}", found.1), noted.1.to_owned()));
    }
    Ok(())
}

pub(crate) fn missing(what: &str) -> StoreError {
    StoreError::Damaged { what: what.to_owned(), found: "nothing".into(), expected: "what was stored".into() }
}

/// Reads every upload and package and looks for everything that was made of scans.
///
/// # Errors
/// When the database cannot be asked; what the store has lost is a fault in the result.
pub async fn verify(db: &PgPool, objects: &Objects) -> Result<Scrub> {
    let mut out = Scrub::default();
    // listed before the database is asked: what is recorded meanwhile is known then
    let listed = objects.list("jobs").await?;
    let parts: Vec<(Uuid, String, String, i64, i64, String)> = sqlx::query_as(
        "select u.job_id, u.file_name, p.key, p.start, p.bytes, p.sha256 from upload_parts p join uploads u on u.id = p.upload_id order by u.sequence, p.start",
    )
    .fetch_all(db)
    .await?;
    let packages: Vec<(Uuid, i32, String, i64, String)> =
        sqlx::query_as("select job_id, revision, key, bytes, sha256 from packages order by job_id, revision")
            .fetch_all(db)
            .await?;
    let scans: Vec<(Uuid, String, String)> =
        sqlx::query_as("select job_id, name, key from scans").fetch_all(db).await?;
    let mut known: std::collections::HashSet<String> = std::collections::HashSet::new();
    let mut read = Vec::new();
    for (job, file, key, start, bytes, sha256) in parts {
        let what = if start == 0 { file } else { format!("{file}, from byte {start}") };
        read.push((job, what, key, bytes, sha256));
    }
    read.extend(packages.into_iter().map(|(job, n, key, bytes, sum)| (job, format!("package {n}"), key, bytes, sum)));
    for (job, what, key, bytes, sha256) in read {
        out.looked_at += 1;
        out.bytes += bytes as u64;
        if let Err(e) = compare(objects, &key, &what, bytes, &sha256).await {
            out.faults.push(Fault { job, what, wrong: e.to_string(), derived: false });
        }
        known.insert(key);
    }
    let there: std::collections::HashSet<&str> = listed.iter().map(|l| l.0.as_str()).collect();
    for (job, name, key) in scans {
        for file in DERIVED {
            out.looked_at += 1;
            let own = format!("{key}/{file}");
            if !there.contains(own.as_str()) {
                let what = format!("scan {name}: {file}");
                out.faults.push(Fault { job, wrong: missing(&what).to_string(), what, derived: true });
            }
            known.insert(own);
        }
    }
    let classed: Vec<(Uuid, String, String)> =
        sqlx::query_as("select c.job_id, s.name, c.key from scan_classes c join scans s on s.id = c.scan_id")
            .fetch_all(db)
            .await?;
    for (job, name, key) in classed {
        for file in crate::cleaning::CLASSED {
            out.looked_at += 1;
            let own = format!("{key}/{file}");
            if !there.contains(own.as_str()) {
                let what = format!("scan {name}: {file} of what is taken out");
                out.faults.push(Fault { job, wrong: missing(&what).to_string(), what, derived: true });
            }
            known.insert(own);
        }
    }
    let coloured: Vec<(Uuid, String, String)> =
        sqlx::query_as("select c.job_id, s.name, c.key from scan_colours c join scans s on s.id = c.scan_id")
            .fetch_all(db)
            .await?;
    for (job, name, key) in coloured {
        for file in crate::photos::COLOURED {
            out.looked_at += 1;
            let own = format!("{key}/{file}");
            if !there.contains(own.as_str()) {
                let what = format!("scan {name}: {file} of its photographs");
                out.faults.push(Fault { job, wrong: missing(&what).to_string(), what, derived: true });
            }
            known.insert(own);
        }
    }
    let drawn: Vec<(Uuid, String, String)> = sqlx::query_as(
        "select job_id, 'the ground', result ->> 'key' from computed where kind = 'ground' union all \
         select job_id, 'the picture of ' || (data ->> 'name'), data -> 'picture' ->> 'key' from drawn_items where data ? 'picture'",
    )
    .fetch_all(db)
    .await?;
    for (job, what, key) in drawn {
        out.looked_at += 1;
        if !there.contains(key.as_str()) {
            out.faults.push(Fault { job, wrong: missing(&what).to_string(), what, derived: true });
        }
        known.insert(key);
    }
    out.leftover = listed
        .into_iter()
        .map(|l| l.0)
        .filter(|k| !known.contains(k) && !k.contains("/underlays/") && !k.contains("/photos/"))
        .collect();
    Ok(out)
}
