//! What a decision would change, computed before it is taken.

use super::blocking;
use super::registration::{Inputs, compute};
use crate::dto::{ChoiceDto, OtherwiseDto, OutcomeDto, SchoolsDto, WorstDto};
use crate::record::cloud_tie::TieReason;
use crate::record::registration::{Registration, Scan};
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::geometry::Error95;
use vistazo_core::registration::{Compared, advise};

/// The registration as it is beside that with another decision.
pub(super) fn otherwise(
    now: Inputs,
    decided: impl FnOnce(Inputs) -> Inputs,
    with: bool,
) -> Result<OtherwiseDto, ApiError> {
    let (is, _) = compute(&now)?;
    let (then, _) = compute(&decided(now))?;
    let worst = |r: &Registration| {
        let all = r.scans.iter().map(|s| WorstDto { station: s.name.clone(), spatial: position95(s) });
        all.max_by(|x, y| x.spatial.total_cmp(&y.spatial))
    };
    let p = |r: &Registration| r.refused.is_none().then_some(r.statistics.global_p);
    Ok(OtherwiseDto {
        with,
        now: worst(&is),
        then: worst(&then),
        p: p(&is),
        p_then: p(&then),
        findings: is.findings.len(),
        findings_then: then.findings.len(),
        unplaced: is.unplaced,
        unplaced_then: then.unplaced.clone(),
        refused: then.refused.as_ref().map(words::registration::refusal),
    })
}

fn position95(s: &Scan) -> f64 {
    Error95::from_covariance(&crate::record::georeference::position(&s.covariance)).spatial
}

/// What leaving observations out, or taking them for another target, would change.
pub(crate) async fn choice(app: &App, job: Uuid, choice: ChoiceDto) -> Result<OtherwiseDto, ApiError> {
    let now = Inputs::load(app, job).await?;
    blocking(move || otherwise(now, |now| now.with_choice(&choice), false)).await?
}

/// What targets, clouds, and both would give, and which to take.
pub(crate) async fn schools(app: &App, job: Uuid) -> Result<SchoolsDto, ApiError> {
    let inputs = Inputs::load(app, job).await?;
    let mut compared = Compared::default();
    for t in vistazo_store::ties::cloud_ties(&app.db, job).await? {
        let Some(found) = super::ties::found(&t)? else { continue };
        compared.ties += 1;
        compared.repeating += usize::from(found.reasons.iter().any(|r| matches!(r, TieReason::Repeats { .. })));
        compared.sliding += usize::from(found.reasons.iter().any(|r| matches!(r, TieReason::Slides { .. })));
    }
    let limit = inputs.brief.requirement.spatial95;
    let control = inputs.brief.epsg.is_some() || inputs.has_control();
    let brief = inputs.brief.clone();
    let (input, names) = inputs.core_and_names()?;
    let advice = blocking(move || advise(&input, compared, limit, control)).await?;
    Ok(SchoolsDto {
        take: advice.take.into(),
        why: advice.why.iter().map(|w| words::ties::school(&brief, w)).collect(),
        scans: names.len(),
        outcomes: advice
            .outcomes
            .into_iter()
            .map(|o| OutcomeDto {
                by: o.by.into(),
                placed: o.placed,
                worst: o.worst.map(|(spatial, k)| WorstDto { station: names[k].clone(), spatial }),
                to_decide: o.to_decide,
                p: o.p,
            })
            .collect(),
    })
}
