//! Independent surveys: what they are set against, and what comes of it.

use super::stands::{Standing, Stands};
use crate::dto::{
    AlongDto, BiasDto, SurveyDto, SurveyLimitsDto, SurveyResultDto, SurveyedPointDto, UseDto, VerdictWord,
};
use crate::{ApiError, App};
use serde::{Deserialize, Serialize};
use uuid::Uuid;
use vistazo_core::compare::{Along, Beside, SurveyPoint, SurveyReport, survey_report};
use vistazo_core::geometry::Vec3;
use vistazo_store::field::ScanRow;
use vistazo_store::results::{self, ControlRow};
use vistazo_store::surveys::{self, SurveyRow};

/// A point as it is stored: on the grid, metres.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredPoint {
    pub name: String,
    pub at: [f64; 3],
    pub sigma: [f64; 3],
}

/// What the clouds have there, as it is stored.
#[derive(Clone, Debug, Serialize, Deserialize)]
pub(crate) struct StoredBeside {
    pub scan: Uuid,
    pub scans: usize,
    pub distance: f64,
    pub normal: [f64; 3],
    pub sigma: f64,
    pub uneven: f64,
}

impl StoredBeside {
    fn to_core(&self) -> Beside {
        let normal = Vec3::from(self.normal);
        Beside { distance: self.distance, normal, sigma: self.sigma, uneven: self.uneven }
    }
}

/// Risk at which a point is said to be off, over all of them together.
const RISK: f64 = 0.01;

/// Everything that the surveys are set against.
pub(crate) struct Surveyed {
    pub scans: Vec<ScanRow>,
    pub stands: Stands,
    pub rows: Vec<SurveyRow>,
    control: Vec<ControlRow>,
}

/// The points of a survey.
///
/// # Errors
/// Names the survey that cannot be read.
pub(crate) fn points(row: &SurveyRow) -> Result<Vec<StoredPoint>, ApiError> {
    crate::record::read(&format!("survey “{}”", row.name), row.points.clone())
}

fn found(row: &SurveyRow) -> Result<Option<Vec<Option<StoredBeside>>>, ApiError> {
    row.result.as_ref().map(|v| crate::record::read(&format!("result of “{}”", row.name), v.clone())).transpose()
}

/// What a result is made from; none where the block is not on the grid.
pub(crate) fn inputs(row: &SurveyRow, scans: &[ScanRow], stands: &Stands) -> Option<String> {
    let stands = stands.sum(scans)?;
    Some(super::fingerprint(&(1, &row.points, stands)))
}

impl Surveyed {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let Standing { scans, stands, .. } = Standing::load(app, job).await?;
        Ok(Self {
            stands,
            rows: surveys::surveys(&app.db, job).await?,
            control: results::control(&app.db, job).await?,
            scans,
        })
    }

    /// Surveys whose result is not of what is there.
    pub(crate) fn to_do(&self) -> Vec<&SurveyRow> {
        self.rows.iter().filter(|r| r.inputs.is_none() || r.inputs != inputs(r, &self.scans, &self.stands)).collect()
    }

    pub(crate) fn to_dto(&self) -> Result<Vec<SurveyDto>, ApiError> {
        self.rows.iter().map(|r| self.one(r)).collect()
    }

    fn one(&self, row: &SurveyRow) -> Result<SurveyDto, ApiError> {
        let limits: SurveyLimitsDto = crate::record::read(&format!("limits of “{}”", row.name), row.limits.clone())?;
        let result = match found(row)? {
            Some(f) => Some(self.result(&points(row)?, &f, &limits)),
            None => None,
        };
        Ok(SurveyDto {
            id: row.id,
            name: row.name.clone(),
            by: row.by.clone(),
            at: row.made_at,
            version: row.version,
            limits,
            stale: row.inputs != inputs(row, &self.scans, &self.stands),
            result,
        })
    }

    fn result(
        &self,
        points: &[StoredPoint],
        found: &[Option<StoredBeside>],
        limits: &SurveyLimitsDto,
    ) -> SurveyResultDto {
        let report = report(found);
        let use_of = |(name, limit): (&str, f64)| UseDto {
            name: name.into(),
            limit,
            verdict: fit(&report.all, limit),
            beyond: points
                .iter()
                .zip(found)
                .filter(|(_, f)| f.as_ref().is_some_and(|f| f.distance.abs() > limit))
                .map(|(p, _)| p.name.clone())
                .collect(),
        };
        let name = |id: Uuid| self.scans.iter().find(|s| s.id == id).map(|s| s.name.clone());
        let place = |(k, p): (usize, &StoredPoint)| {
            let f = found.get(k).and_then(Option::as_ref);
            SurveyedPointDto {
                name: p.name.clone(),
                position: p.at,
                on: f.map_or("nothing", |f| on(f.normal[2])).into(),
                scan: f.and_then(|f| name(f.scan)),
                scans: f.map_or(0, |f| f.scans),
                distance: f.map(|f| f.distance),
                expected: f.map(|f| vistazo_core::stats::K95_1D * f.sigma),
                p_family: report.p_family.get(k).copied().flatten(),
                from_control: self.to_nearest_control(p),
            }
        };
        SurveyResultDto {
            all: along(&report.all),
            horizontal: along(&report.horizontal),
            vertical: along(&report.vertical),
            bias: ["E", "N", "H"]
                .into_iter()
                .zip(report.bias)
                .filter_map(|(axis, b)| b.map(|(shift, shift95)| BiasDto { axis: axis.into(), shift, shift95 }))
                .collect(),
            uses: limits.uses().into_iter().map(use_of).collect(),
            points: points.iter().enumerate().map(place).collect(),
        }
    }

    fn to_nearest_control(&self, p: &StoredPoint) -> Option<f64> {
        let used = self.control.iter().filter(|c| !c.is_check).filter_map(|c| c.e.zip(c.n));
        used.map(|(e, n)| (e - p.at[0]).hypot(n - p.at[1])).min_by(f64::total_cmp)
    }
}

fn report(found: &[Option<StoredBeside>]) -> SurveyReport {
    survey_report(&found.iter().map(|f| f.as_ref().map(StoredBeside::to_core)).collect::<Vec<_>>())
}

fn on(up: f64) -> &'static str {
    match up.abs() {
        v if v < 0.5 => "wall",
        v if v > 0.87 => "floor",
        _ => "slope",
    }
}

fn along(a: &Along) -> AlongDto {
    let mean95 = Some(a.mean95).filter(|m| m.is_finite());
    AlongDto { count: a.count, mean: a.mean, mean95, error95: a.error95(), bound: a.bound }
}

/// Whether data with these distances is fit for a use that allows so much.
fn fit(a: &Along, limit: f64) -> VerdictWord {
    if a.count == 0 {
        VerdictWord::NotDemonstrated
    } else if a.error95() > limit {
        VerdictWord::NotMet
    } else if a.bound <= limit {
        VerdictWord::Met
    } else {
        VerdictWord::NotDemonstrated
    }
}

/// A point of the survey where the clouds stand.
pub(crate) fn in_frame(p: &StoredPoint, stands: &Stands) -> SurveyPoint {
    SurveyPoint { at: stands.inverse(&Vec3::from(p.at)), sigma: Vec3::from(p.sigma) }
}

/// What the verdict takes of it: the newest survey that the clouds were set against; none without any.
pub(crate) fn evidence(
    rows: &[SurveyRow],
    scans: &[ScanRow],
    stands: &Stands,
) -> Option<vistazo_core::check::Surveyed> {
    let fresh = |r: &&SurveyRow| r.inputs.is_some() && r.inputs == inputs(r, scans, stands);
    let newest = rows.iter().rev().find(fresh).or(rows.last())?;
    let mut out = vistazo_core::check::Surveyed { stale: !fresh(&newest), ..Default::default() };
    if let (Ok(points), Ok(Some(found)), false) = (points(newest), found(newest), out.stale) {
        let report = report(&found);
        (out.count, out.of) = (report.all.count, points.len());
        (out.error95, out.bound) = (report.all.error95(), report.all.bound);
        let off = points.iter().zip(&report.p_family).filter(|(_, p)| p.is_some_and(|p| p < RISK));
        out.off = off.map(|(p, _)| p.name.clone()).collect();
    }
    Some(out)
}
