//! The verdict on the requirement, and the title block.

use super::planning::Outlook;
use super::{block, grid, planning};
use crate::dto::{AdjustmentDto, Brief, Error95Dto, GeorefDto, SheetDto, SummaryDto, VerdictDto};
use crate::{ApiError, App};
use uuid::Uuid;
use vistazo_core::check::{SpacingResult, Verdict, VerdictRow, check_point_row, limit_row, spacing_row};
use vistazo_core::geometry::Vec3;
use vistazo_store::{field, results};

/// Where the whole job stands.
pub(crate) struct State {
    pub brief: Brief,
    pub plan: planning::Plan,
    pub adjustment: Option<AdjustmentDto>,
    pub georef: Option<(String, GeorefDto)>,
    pub spacing: Option<results::Stored>,
    pub scans: usize,
    pub packages: Vec<results::Package>,
    outlook: Outlook,
}

impl State {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (_, brief) = super::brief(app, job).await?;
        let plan = planning::load(app, job).await?;
        let outlook = planning::outlook(app, job, &plan, &brief).await?;
        Ok(Self {
            brief,
            plan,
            adjustment: block::current(app, job).await?.map(|a| a.1),
            georef: grid::current(app, job).await?,
            spacing: results::spacing(&app.db, job).await?,
            scans: field::scans(&app.db, job).await?.len(),
            packages: results::packages(&app.db, job).await?,
            outlook,
        })
    }

    /// The same with the observations and ties of the adjustment, for the report.
    pub(crate) async fn load_whole(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let adjustment = block::whole(app, job).await?;
        Ok(Self { adjustment, ..Self::load(app, job).await? })
    }

    fn worst_predicted(&self, axis: fn(&Error95Dto) -> f64) -> Option<f64> {
        self.outlook.prediction.targets.iter().map(|p| axis(&p.error)).max_by(f64::total_cmp)
    }

    /// One row for each requirement of the brief.
    pub(crate) fn verdicts(&self) -> Vec<VerdictDto> {
        let fresh = self.georef.as_ref().filter(|g| !g.1.stale).map(|g| &g.1.result);
        let errors = |axis: fn(&Error95Dto) -> f64| -> Vec<(String, f64)> {
            fresh.map(|g| g.targets.iter().map(|t| (t.name.clone(), axis(&t.error))).collect()).unwrap_or_default()
        };
        let r = self.brief.requirement();
        let mut out = Vec::new();
        let mut add = |name: &str, row: VerdictRow| out.push(to_dto(name, row));
        if let Some(limit) = r.horizontal95 {
            add(
                "Horizontal position of targets, 95 %",
                limit_row(limit, self.worst_predicted(|e| e.horizontal), &errors(|e| e.horizontal)),
            );
        }
        if let Some(limit) = r.vertical95 {
            add(
                "Height of targets, 95 %",
                limit_row(limit, self.worst_predicted(|e| e.vertical), &errors(|e| e.vertical)),
            );
        }
        if let Some(limit) = r.spatial95 {
            add(
                "Position of targets in space, 95 %",
                limit_row(limit, self.worst_predicted(|e| e.spatial), &errors(|e| e.spatial)),
            );
        }
        if let Some(limit) = r.check_rmse {
            let residuals: Vec<Vec3> =
                fresh.map(|g| g.checks.iter().map(|c| Vec3::from(c.residual)).collect()).unwrap_or_default();
            add("Check points, root mean square", check_point_row(limit, None, &residuals));
        }
        let wanted: Vec<f64> = self.plan.site.walls.iter().filter_map(|w| w.demand.map(|d| d.spacing)).collect();
        if let Some(required) = wanted.iter().copied().min_by(f64::total_cmp) {
            add(
                "Point spacing on required surfaces",
                spacing_row(required, self.outlook.once, self.fresh_spacing().map(|s| (s.within, s.total, s.typical))),
            );
        }
        out
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
        self.georef.as_ref().filter(|g| !g.1.stale).map(|g| super::fingerprint(&(&g.0, walls, self.brief.origin)))
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
        self.georef.as_ref().filter(|g| !g.1.stale).map(|g| super::fingerprint(&(&g.0, &self.brief, &self.verdicts())))
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
        let fresh_grid = self.georef.as_ref().filter(|g| !g.1.stale).map(|g| &g.1.result.targets);
        let fresh_block =
            self.adjustment.as_ref().filter(|a| !a.stale && a.result.refused.is_none()).map(|a| &a.result.targets);
        let achieved = fresh_grid.or(fresh_block);
        let worst = achieved.and_then(|t| t.iter().max_by(|a, b| (axis.1)(&a.error).total_cmp(&(axis.1)(&b.error))));
        let package = self.packages.first();
        SummaryDto {
            requirement: axis.0.into(),
            required,
            predicted: self.worst_predicted(axis.1),
            achieved: worst.map(|t| (axis.1)(&t.error)),
            on_grid: fresh_grid.is_some(),
            weakest: worst.map(|t| t.name.clone()),
            sources: worst.map(|t| t.sources.clone()).unwrap_or_default(),
            revision: package.map(|p| p.revision).or(self.adjustment.as_ref().map(|a| a.revision)),
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
            None if self.scans < 2 => ("waiting", "needs 2 scans".to_owned()),
            None => ("open", "not adjusted".into()),
            Some(a) if a.stale => ("attention", "out of date".into()),
            Some(a) if a.result.refused.is_some() => ("attention", "refused".into()),
            Some(a) if !a.result.findings.is_empty() => ("attention", format!("{} to decide", a.result.findings.len())),
            Some(a) if a.locked => ("done", "locked".into()),
            Some(_) => ("done", "adjusted".into()),
        };
        let georeference = match &self.georef {
            None if register.0 == "done" || register.0 == "attention" => ("open", "no control".to_owned()),
            None => ("waiting", "needs the block".into()),
            Some(g) if g.1.stale => ("attention", "out of date".into()),
            Some(g) if !g.1.result.warnings.is_empty() => (
                "attention",
                match g.1.result.warnings.len() {
                    1 => "1 remark".to_owned(),
                    n => format!("{n} remarks"),
                },
            ),
            Some(_) => ("done", "on the grid".into()),
        };
        let verdicts = self.verdicts();
        let met = verdicts.iter().filter(|v| v.verdict == "met").count();
        let failed = verdicts.iter().any(|v| v.verdict == "not met");
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
            match self.scans {
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

fn to_dto(name: &str, row: VerdictRow) -> VerdictDto {
    VerdictDto {
        requirement: name.into(),
        required: row.required,
        predicted: row.predicted,
        achieved: row.achieved,
        bound: row.bound,
        evidence: row.evidence,
        verdict: match row.verdict {
            Verdict::Met => "met",
            Verdict::NotMet => "not met",
            Verdict::NotShown => "not shown",
        }
        .into(),
    }
}
