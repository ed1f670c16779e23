//! The field journal: what comes in from devices, what of it stands, and what of it goes into the logs of scans.

use super::{blocking, set_ups};
use crate::dto::{
    EntryDto, EntryReply, FactDto, JournalDto, JournalFileDto, JournalSent, NewEntryDto, OccupationDto, OccupiedDto,
    VisitDto,
};
use crate::{ApiError, App, words};
use chrono::{DateTime, Duration, Utc};
use std::collections::{BTreeMap, HashMap};
use uuid::Uuid;
use vistazo_core::field::{Epoch, HeightRemark, Link, Occupied, look_at_height, occupied, repeated, standing};
use vistazo_store::journal::{self, EntryRow, Kept, NewEntry};
use vistazo_store::results::{self, NewControl};

/// Entries that one call brings, at most: a device sends the rest with the next.
pub(crate) const MOST: usize = 500;

/// The journal as it is read.
pub(crate) struct Journal {
    pub rows: Vec<EntryRow>,
    pub facts: Vec<FactDto>,
    /// For each subject the entries (indices) that stand.
    pub heads: BTreeMap<String, Vec<usize>>,
}

impl Journal {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let rows = journal::journal(&app.db, job).await?;
        let read = |r: &EntryRow| crate::record::read::<FactDto>(&format!("journal entry {}", r.id), r.fact.clone());
        let facts = rows.iter().map(read).collect::<Result<_, _>>()?;
        let links: Vec<Link<'_, Uuid>> =
            rows.iter().map(|r| Link { id: r.id, subject: &r.subject, follows: &r.follows }).collect();
        let heads = standing(&links).into_iter().map(|(s, h)| (s.to_owned(), h)).collect();
        Ok(Self { rows, facts, heads })
    }

    /// What stands, with its row.
    pub(crate) fn stands(&self) -> impl Iterator<Item = (&EntryRow, &FactDto)> {
        self.heads.values().flatten().map(|&k| (&self.rows[k], &self.facts[k]))
    }

    /// Visits that stand, with their rows, in the order in which they were made.
    pub(crate) fn visits(&self) -> Vec<(&EntryRow, &VisitDto)> {
        let mut out: Vec<_> = self
            .stands()
            .filter_map(|(r, f)| match f {
                FactDto::Visit(v) => Some((r, v)),
                _ => None,
            })
            .collect();
        out.sort_by_key(|(r, v)| v.started.map_or_else(|| at(r), |t| t - ahead(r)));
        out
    }

    /// Subjects of which two versions stand.
    pub(crate) fn contradictions(&self) -> usize {
        self.heads.values().filter(|h| h.len() > 1).count()
    }
}

fn ahead(r: &EntryRow) -> Duration {
    Duration::milliseconds((r.ahead * 1e3) as i64)
}

/// When an entry was made, by the clock of the server.
pub(crate) fn at(r: &EntryRow) -> DateTime<Utc> {
    r.taken_at - ahead(r)
}

/// The journal as it is sent.
pub(crate) async fn read(app: &App, job: Uuid) -> Result<JournalDto, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let all = Journal::load(app, job).await?;
    let files = journal::files(&app.db, job).await?;
    let control = if all.facts.iter().any(|f| matches!(f, FactDto::Shots(_))) {
        results::control(&app.db, job).await?
    } else {
        Vec::new()
    };
    blocking(move || {
        let entry = |k: usize| {
            let (r, fact) = (&all.rows[k], all.facts[k].clone());
            EntryDto {
                id: r.id,
                subject: r.subject.clone(),
                remarks: remarks(&brief, &all, k),
                occupied: match &fact {
                    FactDto::Occupied(o) => Some(came_out(&brief, o)),
                    _ => None,
                },
                errors: match &fact {
                    FactDto::Instrument(c) => super::instrument_check::found(&brief, c),
                    _ => Vec::new(),
                },
                set_up: match &fact {
                    FactDto::Shots(s) => Some(set_ups::came_out(&brief, &control, s)),
                    _ => None,
                },
                camera: match &fact {
                    FactDto::Camera(c) => Some(c.doubts().iter().map(words::field::camera_doubt).collect()),
                    _ => None,
                },
                fact,
                follows: r.follows.clone(),
                by: r.by.clone(),
                device: r.device.clone(),
                at: at(r),
                ahead: r.ahead,
                stands: all.heads[&r.subject].contains(&k),
            }
        };
        let files =
            files.into_iter().map(|f| JournalFileDto { id: f.id, name: f.name, media: f.media, bytes: f.bytes });
        JournalDto { entries: (0..all.rows.len()).map(entry).collect(), files: files.collect() }
    })
    .await
}

/// What the height of an entry draws attention to, beside the others of its station and that of the station before.
fn remarks(brief: &crate::dto::Brief, all: &Journal, k: usize) -> Vec<String> {
    let height = |f: &FactDto| match f {
        FactDto::Visit(v) => v.height.and_then(|h| h.upright()),
        _ => None,
    };
    let Some(now) = height(&all.facts[k]) else {
        let forgotten = matches!(&all.facts[k], FactDto::Visit(v) if !v.mark.trim().is_empty());
        return forgotten.then(|| words::field::height(brief, &HeightRemark::Forgotten)).into_iter().collect();
    };
    let row = &all.rows[k];
    // beside what it was written in the place of; by itself beside all of its station
    let beside = |i: &usize| row.follows.is_empty() || row.follows.contains(&all.rows[*i].id);
    let here: Vec<f64> = (0..k)
        .filter(|&i| all.rows[i].subject == row.subject)
        .filter(beside)
        .filter_map(|i| height(&all.facts[i]))
        .collect();
    let before = (0..k).rev().find(|&i| all.rows[i].subject != row.subject && height(&all.facts[i]).is_some());
    let before = before.and_then(|i| height(&all.facts[i]));
    look_at_height(now, &here, before).iter().map(|r| words::field::height(brief, r)).collect()
}

/// What an occupation came out at.
pub(crate) fn came_out(brief: &crate::dto::Brief, o: &OccupationDto) -> OccupiedDto {
    let epochs: Vec<Epoch> = o.epochs.iter().map(Epoch::from).collect();
    let found = occupied(&epochs, o.pole);
    OccupiedDto {
        position: found.as_ref().ok().map(|f| f.position.into()),
        sigma: found.as_ref().ok().map(|f| f.sigma.into()),
        said: words::field::occupied(brief, &found),
    }
}

/// Keeps what a device sends. An entry that cannot be kept is said, and the others are kept.
pub(crate) async fn keep(app: &App, job: Uuid, author: Uuid, sent: &JournalSent) -> Result<Vec<EntryReply>, ApiError> {
    if sent.entries.len() > MOST {
        return Err(ApiError::field(
            "entries",
            format!("found {}, expected at most {MOST} at a time", sent.entries.len()),
        ));
    }
    let device = sent.device.trim();
    if device.is_empty() || device.chars().count() > 80 {
        return Err(ApiError::field("device", "expected a name of 1 to 80 characters"));
    }
    let ahead = (sent.sent_at - Utc::now()).num_milliseconds() as f64 / 1e3;
    let known: HashMap<Uuid, ()> = journal::files(&app.db, job).await?.into_iter().map(|f| (f.id, ())).collect();
    let mut out = Vec::new();
    let mut stations = Vec::new();
    for e in &sent.entries {
        let why = refusal(app, job, e, &known).await?;
        let why = match why {
            Some(why) => Some(why),
            None => {
                let entry = NewEntry {
                    id: e.id,
                    subject: &e.fact.subject(),
                    fact: &serde_json::json!(e.fact),
                    follows: &e.follows,
                    author,
                    device,
                    taken_at: e.taken_at,
                    ahead,
                };
                match journal::keep_entry(&app.db, job, &entry).await? {
                    Kept::New | Kept::Known => None,
                    Kept::Another => Some("another entry has its identifier; write it again".to_owned()),
                    Kept::Loose => Some("it follows an entry that is not here; send that one first".to_owned()),
                }
            }
        };
        if let (None, FactDto::Visit(v)) = (&why, &e.fact) {
            stations.push(v.station);
        }
        out.push(EntryReply { id: e.id, kept: why.is_none(), why });
    }
    carry(app, job, &stations).await?;
    Ok(out)
}

/// Why an entry cannot be kept, before the journal is looked at.
async fn refusal(app: &App, job: Uuid, e: &NewEntryDto, files: &HashMap<Uuid, ()>) -> Result<Option<String>, ApiError> {
    if let Err(why) = e.fact.validate() {
        return Ok(Some(match why.field_name() {
            Some(field) => format!("{field}: {why}"),
            None => why.to_string(),
        }));
    }
    let is_station = async |s: Uuid| vistazo_store::field::is_station(&app.db, job, s).await;
    Ok(match &e.fact {
        FactDto::Visit(v) if !is_station(v.station).await? => {
            Some("its station is not on the plan of this job any more; note it at another".to_owned())
        }
        FactDto::Note(n) => n
            .files
            .iter()
            .find(|f| !files.contains_key(f))
            .map(|f| format!("its file {f} is not here yet; send that first")),
        _ => None,
    })
}

/// Puts what stands about stations into the logs of their scans, where nobody wrote them by hand. Where two versions
/// stand, neither is taken.
pub(crate) async fn carry(app: &App, job: Uuid, stations: &[Uuid]) -> Result<(), ApiError> {
    if stations.is_empty() {
        return Ok(());
    }
    let all = Journal::load(app, job).await?;
    for station in stations {
        let Some([head]) = all.heads.get(&format!("station {station}")).map(Vec::as_slice) else { continue };
        let (row, FactDto::Visit(v)) = (&all.rows[*head], &all.facts[*head]) else { continue };
        let mut said = serde_json::json!({
            "entry": row.id,
            "operator": row.by,
            "time": v.ended.or(v.started).map_or_else(|| at(row), |t| t - ahead(row)),
            "note": v.note,
        });
        if let Some(height) = v.height.and_then(|h| h.upright()) {
            said["instrument_height"] = height.into();
        }
        if let Some(set_up) = v.set_up() {
            said["set_up"] = serde_json::json!(set_up);
        }
        journal::carry(&app.db, job, *station, &said).await?;
    }
    Ok(())
}

/// A control point from occupations of one mark, that agree, or a point that one set-up found.
pub(crate) async fn as_control(
    app: &App,
    job: Uuid,
    entries: &[Uuid],
    point: Option<&str>,
) -> Result<NewControl, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let all = Journal::load(app, job).await?;
    let control = results::control(&app.db, job).await?;
    let mut found: Vec<(String, Occupied, DateTime<Utc>)> = Vec::new();
    for id in entries {
        let Some(k) = all.rows.iter().position(|r| r.id == *id) else { return Err(ApiError::not_found()) };
        let when = at(&all.rows[k]);
        match &all.facts[k] {
            FactDto::Occupied(o) => {
                let epochs: Vec<Epoch> = o.epochs.iter().map(Epoch::from).collect();
                let Ok(p) = occupied(&epochs, o.pole) else {
                    return Err(ApiError::conflict(format!("the occupation of {} gives no point", o.mark)));
                };
                found.push((o.mark.trim().to_owned(), p, when));
            }
            FactDto::Shots(s) => {
                let Some(name) = point else {
                    return Err(ApiError::field("point", "expected the name of a new point of the set-up"));
                };
                let (position, sigma) = set_ups::point(&brief, &control, s, name).map_err(ApiError::conflict)?;
                // two set-ups on the same marks share what is wrong in them: their mean would claim too much
                if entries.len() > 1 {
                    return Err(ApiError::field("entries", "expected one set-up: the mean of several is not taken"));
                }
                let shot = Occupied { position, sigma, used: 1, of: 1, independent: 1.0, scatter: 0.0 };
                found.push((name.trim().to_owned(), shot, when));
            }
            _ => return Err(ApiError::field("entries", format!("{id} is no occupation of a mark, and no set-up"))),
        }
    }
    let Some(((name, first, mut before), others)) = found.split_first().map(|(f, o)| (f.clone(), o)) else {
        return Err(ApiError::field("entries", "expected at least one occupation"));
    };
    if let Some(other) = others.iter().find(|o| !o.0.eq_ignore_ascii_case(&name)) {
        return Err(ApiError::field(
            "entries",
            format!("found occupations of {name} and {}, expected one mark", other.0),
        ));
    }
    let mut mean = first;
    for (_, next, when) in others {
        let r = repeated(&mean, next, (*when - before).num_seconds() as f64);
        before = *when;
        if !r.agrees {
            return Err(ApiError::conflict(format!(
                "the occupations of {name} differ by {}, more than their σ explains at 99 %: occupy it a third time, and take the two that agree",
                brief.length(r.difference.norm())
            )));
        }
        mean = Occupied { position: r.mean, sigma: r.mean_sigma, ..mean };
    }
    Ok(NewControl {
        name,
        e: Some(mean.position.x),
        n: Some(mean.position.y),
        h: Some(mean.position.z),
        sigma_e: mean.sigma.x,
        sigma_n: mean.sigma.y,
        sigma_v: mean.sigma.z,
        is_check: false,
        target: None,
    })
}
