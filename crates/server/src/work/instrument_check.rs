//! Checks of instruments: what they found, their history over all jobs, and what goes into the profile.

use super::journal::{Journal, at};
use crate::dto::{
    AdviceWord, Brief, EarlierCheckDto, ErrorFoundDto, FactDto, InstrumentCheckDto, InstrumentDto, KnownDistanceDto,
    TwoFacesDto,
};
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::adjust::Parameter;
use vistazo_core::instrument::{Advice, Due, ErrorFound, Instrument, check_due, check_instrument};
use vistazo_sim::{DISTANCE_SIGMA, Scanner};
use vistazo_store::jobs::{self, Job};
use vistazo_store::journal;

/// What a check found, by the profile of the job.
pub(crate) fn found(brief: &Brief, check: &InstrumentCheckDto) -> Vec<ErrorFoundDto> {
    let profile = Instrument::from(&brief.instrument);
    let dto = |f: &ErrorFound| ErrorFoundDto {
        parameter: f.parameter.into(),
        value: f.value,
        sigma: f.sigma,
        usual: f.usual,
        significant: f.significant,
        advice: match f.advice {
            Advice::Leave => AdviceWord::Leave,
            Advice::Apply => AdviceWord::Apply,
            Advice::Repeat => AdviceWord::Repeat,
            Advice::SendIn => AdviceWord::SendIn,
        },
        said: words::field::error_found(brief, f),
    };
    check_instrument(&check.to_core(), &profile).iter().map(dto).collect()
}

/// Earlier checks of an instrument in all jobs that somebody takes part in, the newest first.
pub(crate) async fn history(app: &App, user: Uuid, instrument: &str) -> Result<Vec<EarlierCheckDto>, ApiError> {
    let mut out = Vec::new();
    for id in journal::jobs_with_checks(&app.db, user).await? {
        let job = jobs::get(&app.db, id).await?;
        let all = Journal::load(app, job.id).await?;
        let brief: Brief = crate::record::read("brief", job.brief.clone())?;
        for (row, fact) in all.stands() {
            let FactDto::Instrument(c) = fact else { continue };
            if c.instrument.trim().eq_ignore_ascii_case(instrument.trim()) {
                out.push(EarlierCheckDto {
                    job: job.name.clone(),
                    at: at(row),
                    by: row.by.clone(),
                    decision: c.decision.clone(),
                    temperature: c.temperature,
                    found: found(&brief, c),
                });
            }
        }
    }
    out.sort_by_key(|c| std::cmp::Reverse(c.at));
    Ok(out)
}

/// Why a check of the instrument of a job is due, by the policy that stands for it; none without one.
pub(crate) async fn due(app: &App, user: Uuid, all: &Journal, brief: &Brief) -> Result<Option<Due>, ApiError> {
    let name = brief.instrument.name.trim();
    let policy = all.stands().find_map(|(_, f)| match f {
        FactDto::Policy(p) if p.instrument.trim().eq_ignore_ascii_case(name) => Some(p.to_core()),
        _ => None,
    });
    let Some(policy) = policy else { return Ok(None) };
    let here = all
        .stands()
        .any(|(_, f)| matches!(f, FactDto::Instrument(c) if c.instrument.trim().eq_ignore_ascii_case(name)));
    let now = chrono::Utc::now();
    let weeks = |c: &EarlierCheckDto| (now - c.at).num_seconds() as f64 / 604_800.0;
    let ages: Vec<f64> = history(app, user, name).await?.iter().map(weeks).collect();
    Ok(check_due(policy, &ages, here))
}

/// What the simulated instrument of a demo or training job reads on its check field.
pub(crate) async fn simulated(app: &App, job: Uuid) -> Result<InstrumentCheckDto, ApiError> {
    let (row, brief) = super::brief(app, job).await?;
    if row.simulated.is_none() {
        return Err(ApiError::conflict(
            "the simulated instrument works in demo and training jobs only; enter what yours reads",
        ));
    }
    let instrument = Instrument::from(&brief.instrument);
    // the same body that takes the scans
    let read = Scanner::drawn(&instrument, 4711).on_check_field(rand_seed());
    Ok(InstrumentCheckDto {
        id: Uuid::now_v7(),
        instrument: instrument.name,
        faces: read.faces.iter().map(|[first, second]| TwoFacesDto { first: *first, second: *second }).collect(),
        distances: read
            .distances
            .iter()
            .map(|[known, measured]| KnownDistanceDto { known: *known, sigma: DISTANCE_SIGMA, measured: *measured })
            .collect(),
        on_for: 1800.0,
        temperature: 15.0,
        job_temperature: None,
        decision: String::new(),
        simulated: true,
    })
}

/// Another set-up at every asking.
fn rand_seed() -> u64 {
    Uuid::now_v7().as_u128() as u64
}

/// Takes what a check found into the profile of the job: what was corrected in the instrument leaves its σ, what was not
/// has to be covered. Nothing is taken of a check that has to be repeated.
pub(crate) async fn take(app: &App, job: Uuid, entry: Uuid, corrected: bool) -> Result<(Job, InstrumentDto), ApiError> {
    let (row, mut brief) = super::brief(app, job).await?;
    let all = Journal::load(app, job).await?;
    let check = all.stands().find(|(r, _)| r.id == entry).map(|(_, f)| f);
    let Some(FactDto::Instrument(check)) = check else { return Err(ApiError::not_found()) };
    let mut profile = Instrument::from(&brief.instrument);
    let errors = check_instrument(&check.to_core(), &profile);
    if let Some(f) = errors.iter().find(|f| matches!(f.advice, Advice::Repeat | Advice::SendIn)) {
        return Err(ApiError::conflict(format!(
            "{}: {}. Nothing of this check goes into the profile",
            words::parameter(f.parameter.into()),
            words::field::advice(f.advice)
        )));
    }
    for f in &errors {
        let of = &mut profile.systematic;
        let place = match f.parameter {
            Parameter::RangeOffset => &mut of.range_offset,
            Parameter::RangeScale => &mut of.range_scale,
            Parameter::Collimation => &mut of.collimation,
            Parameter::Trunnion => &mut of.trunnion,
            Parameter::Index => &mut of.index,
            _ => continue,
        };
        *place = if corrected { f.sigma } else { f.value.hypot(f.sigma) };
    }
    brief.instrument = InstrumentDto::from(&profile);
    brief.instrument.validate("instrument.")?;
    jobs::update(&app.db, job, &row.name, &serde_json::json!(brief), row.version).await?;
    Ok((row, brief.instrument))
}
