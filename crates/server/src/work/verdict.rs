//! The verdict on the requirement, the title block, and what is open on each sheet.

use super::outlook::{self, Outlook};
use super::stands::Stands;
use super::{cleaning, compare, grid, planning, registration, survey};
use crate::dto::{Brief, Error95Dto, SheetDto, SummaryDto, VerdictDto, VerdictWord};
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::adjust::Group;
use vistazo_core::check::{Check, Checks, Evidence, Judged, PlaceKind, SpacingResult, Verdict, VerdictRow, verdict};
use vistazo_core::geometry::{Error95, Vec3};
use vistazo_store::comparisons::{ComparisonRow, comparisons};
use vistazo_store::surveys::{SurveyRow, surveys};
use vistazo_store::{field, results};

/// Where the whole job stands. Each row is read once.
pub(crate) struct State {
    pub brief: Brief,
    pub plan: planning::Plan,
    pub adjustment: Option<registration::Current>,
    pub georef: Option<grid::Current>,
    pub spacing: Option<results::Stored>,
    pub scans: Vec<field::ScanRow>,
    pub packages: Vec<results::Package>,
    /// What is taken out of the clouds, in short; empty where nothing is.
    cleaned: String,
    compared: Vec<ComparisonRow>,
    surveys: Vec<SurveyRow>,
    outlook: Outlook,
}

impl State {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (_, brief) = super::brief(app, job).await?;
        let plan = planning::load(app, job).await?;
        let outlook = outlook::outlook(app, job, &plan, &brief).await?;
        let scans = field::scans(&app.db, job).await?;
        let adjustment = registration::current_at(app, job, &brief, &plan, &scans).await?;
        let georef = grid::current_of(app, job, &brief, adjustment.as_ref()).await?;
        Ok(Self {
            plan,
            adjustment,
            georef,
            spacing: results::spacing(&app.db, job).await?,
            scans,
            packages: results::packages(&app.db, job).await?,
            cleaned: cleaning::state(app, job).await?,
            compared: comparisons(&app.db, job).await?,
            surveys: surveys(&app.db, job).await?,
            outlook,
            brief,
        })
    }

    /// The georeferencing, when it is of what is there.
    pub(crate) fn on_grid(&self) -> Option<&grid::Current> {
        self.georef.as_ref().filter(|g| !g.stale)
    }

    fn stands(&self) -> Stands {
        Stands::new(self.adjustment.as_ref(), self.georef.as_ref())
    }

    fn worst_predicted(&self, axis: fn(&Error95Dto) -> f64) -> Option<f64> {
        let p = &self.outlook.prediction;
        p.targets.iter().chain(&p.stations).map(|p| axis(&p.error)).max_by(f64::total_cmp)
    }

    /// Some scans are simulated.
    pub(crate) fn simulated(&self) -> bool {
        self.scans.iter().any(|s| s.simulated)
    }

    /// What speaks for and against the result.
    fn evidence(&self) -> Evidence {
        let mut e = Evidence {
            predicted: [
                self.worst_predicted(|e| e.horizontal),
                self.worst_predicted(|e| e.vertical),
                self.worst_predicted(|e| e.spatial),
            ],
            planned_share: self.outlook.once,
            spacing: self.fresh_spacing().map(|s| (s.within, s.total, s.typical)),
            test_passed: true,
            agreement: compare::agreement(&self.scans, &self.compared, &self.stands()),
            survey: survey::evidence(&self.surveys, &self.scans, &self.stands()),
            ..Evidence::default()
        };
        if let Some(a) = &self.adjustment {
            let unplaced = &a.record.unplaced;
            e.unplaced = unplaced.len();
            e.unsettled = a
                .record
                .findings
                .iter()
                .filter(|f| !a.kept.contains(&f.key) && !f.key.starts_with("unplaced "))
                .count();
            // ties by clouds, set-ups: what the plan counted on and nobody measured
            let has: Vec<Group> = a.record.groups.iter().map(|g| (*g).into()).collect();
            let counted = self.outlook.prediction.groups.iter().map(|g| Group::from(*g));
            e.not_measured = counted.filter(|g| *g != Group::Control && !has.contains(g)).collect();
        }
        let Some(g) = self.on_grid().map(|g| &g.record) else { return e };
        let mut places: Vec<Judged> = g
            .targets
            .iter()
            .filter(|t| t.used)
            .map(|t| judged(PlaceKind::Target, &t.name, crate::record::error95(&t.covariance)))
            .collect();
        places.extend(g.stations.iter().map(|s| {
            let c = crate::record::georeference::position(&s.covariance);
            judged(PlaceKind::Station, &s.name, Error95::from_covariance(&c))
        }));
        for s in &g.surfaces {
            match s.error {
                Some([horizontal, vertical, spatial]) => {
                    let error = Error95 { horizontal, vertical, spatial, ..Error95::default() };
                    places.push(judged(PlaceKind::Surface, &s.name, error));
                }
                None => e.surfaces_missing.push(s.name.clone()),
            }
        }
        e.places = Some(places);
        e.test_passed = g.source != crate::record::georeference::Source::Free;
        e.control_off = g.residuals.iter().filter(|r| r.p_family < 0.01).map(|r| r.name.clone()).collect();
        e.checks = Checks {
            compared: g
                .checks
                .points
                .iter()
                .map(|c| Check { name: c.name.clone(), residual: Vec3::from(c.residual), p_family: c.p_family })
                .collect(),
            missing: g.checks.missing.clone(),
            spatial: g.checks.spatial,
            bound: g.checks.bound,
            quadrants: g.checks.quadrants,
            p_value: g.checks.p_value,
        };
        e
    }

    /// One row for each requirement of the brief.
    pub(crate) fn verdicts(&self) -> Vec<VerdictDto> {
        let mut asked = self.brief.requirement();
        asked.spacing = self.plan.site.walls.iter().filter_map(|w| w.demand.map(|d| d.spacing)).min_by(f64::total_cmp);
        verdict(&asked, &self.evidence()).into_iter().map(|r| to_dto(&self.brief, r)).collect()
    }

    /// What the measured spacing depends on: the poses and the walls.
    pub(crate) fn spacing_inputs(&self) -> Option<String> {
        let walls: Vec<_> = self
            .plan
            .site
            .walls
            .iter()
            .map(|w| (w.line.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>(), w.pieces(), w.demand.map(|d| d.spacing)))
            .collect();
        // what lies in a system of its own lies not on the walls of the plan
        let on_plan = self.on_grid().filter(|g| g.record.by_control());
        on_plan.map(|g| super::fingerprint(&(&g.inputs, walls, self.brief.origin)))
    }

    fn fresh_spacing(&self) -> Option<SpacingResult> {
        let stored = self.spacing.as_ref().filter(|s| Some(&s.inputs) == self.spacing_inputs().as_ref())?;
        let v = &stored.result;
        Some(SpacingResult {
            within: v["within"].as_f64()?,
            total: v["total"].as_f64()?,
            typical: v["typical"].as_f64()?,
        })
    }

    /// What a package depends on.
    pub(crate) fn package_inputs(&self) -> Option<String> {
        let cleaned = Some(&self.cleaned).filter(|c| !c.is_empty());
        self.on_grid().map(|g| match cleaned {
            // packages from before anything was cleaned stay what they were
            None => super::fingerprint(&(&g.inputs, &self.brief, &self.verdicts())),
            Some(c) => super::fingerprint(&(&g.inputs, &self.brief, &self.verdicts(), c)),
        })
    }

    /// The title block.
    pub(crate) fn summary(&self) -> SummaryDto {
        let r = &self.brief.requirement;
        type Axis = (&'static str, fn(&Error95Dto) -> f64);
        let (required, axis): (Option<f64>, Axis) = if r.spatial95.is_some() {
            (r.spatial95, ("3-D, 95 %", |e| e.spatial))
        } else if r.horizontal95.is_some() {
            (r.horizontal95, ("horizontal, 95 %", |e| e.horizontal))
        } else if r.vertical95.is_some() {
            (r.vertical95, ("height, 95 %", |e| e.vertical))
        } else {
            (None, ("3-D, 95 %", |e| e.spatial))
        };
        // the worst of what counts, on the grid where there is one, and of the same things as predicted
        type Place = (String, Error95Dto, Vec<crate::record::Share>);
        let on_grid: Option<Vec<Place>> = self.on_grid().map(|g| {
            let targets = g.record.targets.iter().filter(|t| t.used);
            let targets =
                targets.map(|t| (t.name.clone(), crate::record::error95(&t.covariance).into(), t.budget.clone()));
            let stations = g.record.stations.iter().map(|s| {
                let c = crate::record::georeference::position(&s.covariance);
                (s.name.clone(), Error95::from_covariance(&c).into(), Vec::new())
            });
            let surfaces = g.record.surfaces.iter().filter_map(|s| {
                let [horizontal, vertical, spatial] = s.error?;
                let error = Error95 { horizontal, vertical, spatial, ..Error95::default() };
                Some((s.name.clone(), error.into(), Vec::new()))
            });
            targets.chain(stations).chain(surfaces).collect()
        });
        let fresh = self.adjustment.as_ref().filter(|a| !a.stale && a.record.refused.is_none());
        let block: Option<Vec<Place>> = fresh.map(|a| {
            let used = a.record.targets.iter().filter(|t| t.scans > 1 || t.named);
            used.map(|t| (t.name.clone(), crate::record::error95(&t.covariance).into(), t.budget.clone())).collect()
        });
        let is_on_grid = self.on_grid().is_some_and(|g| g.record.by_control());
        let achieved = on_grid.or(block);
        let worst = achieved.iter().flatten().max_by(|a, b| (axis.1)(&a.1).total_cmp(&(axis.1)(&b.1)));
        // predicted on the grid says nothing about errors within the block
        let comparable = self.outlook.prediction.on_grid == is_on_grid || achieved.is_none();
        let package = self.packages.first();
        SummaryDto {
            requirement: axis.0.into(),
            required,
            predicted: if comparable { self.worst_predicted(axis.1) } else { None },
            achieved: worst.map(|t| (axis.1)(&t.1)),
            on_grid: is_on_grid,
            simulated: self.simulated(),
            weakest: worst.map(|t| t.0.clone()),
            sources: worst.map(|t| registration::sources(&t.2)).unwrap_or_default(),
            revision: package.map(|p| p.revision).or(self.adjustment.as_ref().map(|a| a.row.revision)),
            prepared: package.and_then(|p| p.prepared_by.clone()),
            checked: package.and_then(|p| p.checked_by.clone()),
            sheets: self.sheets(),
        }
    }

    fn sheets(&self) -> Vec<SheetDto> {
        let sheet =
            |sheet: &str, state: &str, note: String| SheetDto { sheet: sheet.into(), state: state.into(), note };
        let asked = [
            self.brief.requirement.horizontal95,
            self.brief.requirement.vertical95,
            self.brief.requirement.spatial95,
            self.brief.requirement.check_rmse,
        ];
        let stations = self.plan.stations.len();
        let register = match &self.adjustment {
            None if self.scans.len() < 2 => ("waiting", "needs 2 scans".to_owned()),
            None => ("open", "not adjusted".into()),
            Some(a) if a.stale => ("attention", "out of date".into()),
            Some(a) if a.record.refused.is_some() => ("attention", "refused".into()),
            Some(a) if a.open() > 0 => ("attention", format!("{} to decide", a.open())),
            Some(a) if a.row.locked_at.is_some() => ("done", "locked".into()),
            Some(_) => ("done", "adjusted".into()),
        };
        let georeference = match &self.georef {
            None if register.0 == "done" || register.0 == "attention" => ("open", "no control".to_owned()),
            None => ("waiting", "needs the block".into()),
            Some(g) if g.stale => ("attention", "out of date".into()),
            Some(g) if !g.record.weaknesses.is_empty() => (
                "attention",
                match g.record.weaknesses.len() {
                    1 => "1 remark".to_owned(),
                    n => format!("{n} remarks"),
                },
            ),
            Some(g) if !g.record.by_control() => ("done", "own system".into()),
            Some(_) => ("done", "on the grid".into()),
        };
        let verdicts = self.verdicts();
        let met = verdicts.iter().filter(|v| v.verdict == VerdictWord::Met).count();
        let failed = verdicts.iter().any(|v| v.verdict == VerdictWord::NotMet);
        let check = match (verdicts.len(), met) {
            (0, _) => ("waiting", "nothing asked".to_owned()),
            (n, m) if n == m => ("done", format!("{m} of {n} met")),
            (n, m) => (if failed { "attention" } else { "open" }, format!("{m} of {n} met")),
        };
        let deliver = match self.packages.first() {
            None => ("waiting", "no package".to_owned()),
            Some(p) if Some(&p.inputs) != self.package_inputs().as_ref() => ("attention", "out of date".into()),
            Some(p) if p.checked_by.is_some() => ("done", "signed".into()),
            Some(p) if p.prepared_by.is_some() => ("open", "to be checked".into()),
            Some(_) => ("open", "to be signed".into()),
        };
        vec![
            if asked.iter().any(Option::is_some) {
                sheet("brief", "done", "set".into())
            } else {
                sheet("brief", "open", "no requirement".into())
            },
            if stations > 0 {
                sheet("plan", "done", format!("{stations} stations"))
            } else {
                sheet("plan", "open", "no stations".into())
            },
            match self.scans.len() {
                0 => sheet("field", "open", "no scans".into()),
                n => sheet(
                    "field",
                    if n >= stations { "done" } else { "open" },
                    if stations > n { format!("{n} of {stations} scans") } else { format!("{n} scans") },
                ),
            },
            sheet("register", register.0, register.1),
            sheet("georeference", georeference.0, georeference.1),
            sheet("check", check.0, check.1),
            sheet("deliver", deliver.0, deliver.1),
        ]
    }
}

fn judged(kind: PlaceKind, name: &str, error: Error95) -> Judged {
    Judged { kind, name: name.to_owned(), error }
}

fn to_dto(brief: &Brief, row: VerdictRow) -> VerdictDto {
    VerdictDto {
        asked: Some(row.asked.into()),
        requirement: words::verdict::asked(row.asked).into(),
        required: row.required,
        predicted: row.predicted,
        achieved: row.achieved,
        bound: row.bound,
        evidence: words::verdict::evidence(brief, &row.grounds),
        verdict: match row.verdict {
            Verdict::Met => VerdictWord::Met,
            Verdict::NotMet => VerdictWord::NotMet,
            Verdict::NotDemonstrated => VerdictWord::NotDemonstrated,
        },
    }
}
