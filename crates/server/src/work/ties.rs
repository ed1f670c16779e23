//! Ties by clouds: what is kept of scans for them, which of them take part, and how they are sent.

use super::otherwise::otherwise;
use super::registration::Inputs;
use crate::dto::{Brief, CloudTieDto, CountedDto, PoseDto, RivalDto, TieCardDto, TieSliceDto};
use crate::record::GradeWord;
use crate::record::cloud_tie::FoundTie;
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::tie::{Shown, Sight, TieCard, TieSlice};
use vistazo_formats::working_cloud;
use vistazo_store::StoreError;
use vistazo_store::field::{self, ScanRow};
use vistazo_store::ties::{self, CloudTieRow};

/// Whether ties by clouds are looked for in a scan: where a scanner stood, it saw through what is before its points.
pub(crate) fn can_be_tied(s: &ScanRow) -> bool {
    s.has_scanner
}

/// What a search depended on. The number is that of the search itself: what an earlier one found is looked for again.
pub(crate) fn search_key(brief: &Brief, a: &ScanRow, b: &ScanRow) -> String {
    super::fingerprint(&(
        8,
        Inputs::search_key(brief),
        &brief.instrument.systematic,
        [(&a.key, a.levelled), (&b.key, b.levelled)],
    ))
}

/// What is kept of a scan to bring it together with others.
pub(crate) async fn shown(app: &App, scan: &ScanRow) -> Result<Shown, ApiError> {
    let cloud = app.objects.bytes(&format!("{}/cloud", scan.key)).await?;
    let key = format!("{}/sight", scan.key);
    let sight = match app.objects.bytes(&key).await {
        Ok(bytes) => Sight::from_bytes(&bytes),
        // made by an earlier program
        Err(StoreError::NotFound) => None,
        Err(e) => return Err(e.into()),
    };
    let sight = match sight {
        Some(s) => s,
        None => {
            let points = super::files::scan(app, scan).await?;
            let made = super::blocking(move || Sight::of(&points)).await?;
            app.objects.put(&key, made.to_bytes()).await?;
            made
        }
    };
    let levelled = scan.levelled;
    super::blocking(move || {
        let cloud = working_cloud::read(&cloud).map_err(|e| ApiError::bad(e.to_string()))?;
        Ok(if levelled { Shown::new(cloud, sight) } else { Shown::leaning(cloud, sight) })
    })
    .await?
}

/// Whether a tie takes part in the registration.
pub(crate) fn takes_part(t: &CloudTieRow) -> bool {
    t.found.is_some() && (t.decision == "accepted" || t.decision.is_empty() && grade(t) == GradeWord::Sound)
}

/// Whether somebody has to decide first: it was found, is doubtful, and nobody did.
pub(crate) fn waits(t: &CloudTieRow) -> bool {
    t.found.is_some() && t.decision.is_empty() && grade(t) == GradeWord::Doubtful
}

pub(crate) fn grade(t: &CloudTieRow) -> GradeWord {
    grade_word(&t.grade)
}

/// A grade as a row has it.
pub(crate) fn grade_word(word: &str) -> GradeWord {
    match word {
        "sound" => GradeWord::Sound,
        "doubtful" => GradeWord::Doubtful,
        "failed" => GradeWord::Failed,
        _ => GradeWord::NotJudged,
    }
}

/// What was found.
///
/// # Errors
/// Names the tie that cannot be read.
pub(crate) fn found(t: &CloudTieRow) -> Result<Option<FoundTie>, ApiError> {
    let read = |v: &serde_json::Value| crate::record::read(&format!("tie by clouds {}", t.id), v.clone());
    t.found.as_ref().map(read).transpose()
}

/// All ties of a job as they are sent; pairs that share nothing are left out.
pub(crate) async fn list(app: &App, job: Uuid) -> Result<Vec<CloudTieDto>, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let scans = field::scans(&app.db, job).await?;
    let rows = ties::cloud_ties(&app.db, job).await?;
    let mut out = Vec::new();
    for t in &rows {
        let of = |id: Uuid| scans.iter().find(|s| s.id == id);
        let (Some(a), Some(b), Some(f)) = (of(t.scan_a), of(t.scan_b), found(t)?) else { continue };
        out.push(dto(&brief, t, a, b, &f));
    }
    Ok(out)
}

fn dto(brief: &Brief, t: &CloudTieRow, a: &ScanRow, b: &ScanRow, f: &FoundTie) -> CloudTieDto {
    let pose = f.pose();
    CloudTieDto {
        id: t.id,
        a: a.name.clone(),
        b: b.name.clone(),
        scan_a: a.id,
        scan_b: b.id,
        grade: grade(t),
        takes_part: takes_part(t),
        stale: t.search != search_key(brief, a, b),
        decision: t.decision.clone(),
        decided_by: t.decided_by.clone(),
        reason: t.reason.clone(),
        laid_by: t.laid_by.clone(),
        reasons: f.reasons.iter().map(|r| words::ties::reason(brief, f, r)).collect(),
        relative: PoseDto::from(&pose),
        distance: pose.translation.norm(),
        rms: f.rms,
        overlap: f.overlap,
        conflict: f.conflict,
        weakest: f.weakest,
        weakest95: f.weakest95,
        heading95: f.heading95,
        rival: f.rival.as_ref().map(|r| rival(&pose, r)),
        version: t.version,
    }
}

fn rival(pose: &Pose, r: &crate::record::cloud_tie::StoredRival) -> RivalDto {
    let d = pose.difference(&Pose::from(&r.relative));
    let part = |from: usize| Vec3::from_fn(|k, _| d[from + k]).norm();
    RivalDto { shift: part(0), turn: part(3), share: r.share, overlap: r.overlap, conflict: r.conflict }
}

/// What is needed to judge a tie by eye, in the place chosen or in the next best.
pub(crate) async fn card(app: &App, job: Uuid, tie: Uuid, rival: bool) -> Result<TieCardDto, ApiError> {
    let rows = ties::cloud_ties(&app.db, job).await?;
    let row = rows.iter().find(|t| t.id == tie).ok_or_else(ApiError::not_found)?;
    let found = found(row)?.ok_or_else(ApiError::not_found)?;
    let a = field::scan(&app.db, job, row.scan_a).await?;
    let b = field::scan(&app.db, job, row.scan_b).await?;
    let relative = match (&found.rival, rival) {
        (Some(r), true) => Pose::from(&r.relative),
        (None, true) => return Err(ApiError::not_found()),
        (_, false) => found.pose(),
    };
    let (first, second) = (shown(app, &a).await?, shown(app, &b).await?);
    let now = Inputs::load(app, job).await?;
    let with = !takes_part(row);
    super::blocking(move || {
        let card = TieCard::of(&first, &second, &relative);
        Ok(TieCardDto {
            slices: card.slices.into_iter().map(slice).collect(),
            distances: card.distances.into_iter().map(|(from, count)| CountedDto { from, count }).collect(),
            otherwise: otherwise(now, |now| now.with_tie(tie, with), with)?,
        })
    })
    .await?
}

pub(super) fn slice(s: TieSlice) -> TieSliceDto {
    TieSliceDto {
        cut: s.cut.into(),
        at: s.at,
        first: s.first,
        second: s.second,
        conflict: s.conflict,
        offset: s.offset,
        offset95: s.offset95,
    }
}
