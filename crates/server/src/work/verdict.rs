//! The verdict on the requirement, the title block, and what is open on each sheet.

use super::outlook::{self, Outlook};
use super::passes::{self, Walked};
use super::stands::{Standing, Stands};
use super::{built, cleaning, compare, grid, planning, registration, survey};
use crate::dto::{Brief, Error95Dto, SheetDto, SummaryDto, VerdictDto, VerdictWord};
use crate::record::georeference::Source;
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::adjust::Group;
use vistazo_core::check::{Check, Checks, Designed, Evidence, Judged, PlaceKind, Verdict, VerdictRow, verdict};
use vistazo_core::deliver::Deliverable;
use vistazo_core::geometry::{Error95, Pose, Vec3};
use vistazo_store::comparisons::{ComparisonRow, comparisons};
use vistazo_store::surveys::{SurveyRow, surveys};
use vistazo_store::{field, results};

/// What passes say of it.
struct Walks {
    /// Those that were read, those that have no place, and whether that is of what they are now; nothing where they were never
    /// corrected.
    read: usize,
    refused: usize,
    current: Option<bool>,
    /// Points of those that have their place.
    points: u64,
    /// And how far these went, metres.
    metres: f64,
    simulated: bool,
    /// A sum over scans and passes that can be drawn from.
    sum: Option<String>,
    /// The worst of each pass, area by area.
    places: Vec<Judged>,
}

impl Walks {
    fn of(walked: &Walked) -> Self {
        let record = walked.record.as_ref();
        Self {
            read: walked.rows.iter().filter(|r| r.key.is_some()).count(),
            refused: walked.current().map_or(0, |r| r.passes.iter().filter(|p| p.placed.is_err()).count()),
            current: record.map(|_| walked.current().is_some()),
            points: walked.placed().filter_map(|(row, _)| passes::points(row)).sum(),
            metres: walked.placed().filter_map(|(_, place)| place.correction().walked.last().copied()).sum(),
            simulated: walked.rows.iter().any(|r| r.simulated),
            sum: walked.sum(),
            places: walked.judged(),
        }
    }
}

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
    drawn: super::drawing::Summary,
    stands: Stands,
    walks: Walks,
    compared: Vec<ComparisonRow>,
    surveys: Vec<SurveyRow>,
    designs: Vec<Designed>,
    outlook: Outlook,
}

impl State {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let walked = Walked::load(app, job).await?;
        let walks = Walks::of(&walked);
        let Standing { scans, stands, block: adjustment, georef, plan, brief } = walked.standing;
        let outlook = outlook::outlook(app, job, &plan, &brief).await?;
        let designs = built::Designs::at(app, job, scans.clone(), stands.clone()).await?;
        Ok(Self {
            stands,
            walks,
            designs: built::evidence(&designs)?,
            plan,
            adjustment,
            georef,
            spacing: results::spacing(&app.db, job).await?,
            scans,
            packages: results::packages(&app.db, job).await?,
            cleaned: cleaning::state(app, job).await?,
            drawn: super::drawing::summary(app, job).await?,
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

    /// What of what a client may ask for is drawn, and whether it is from the clouds as they stand.
    pub(super) fn drawn(&self) -> Vec<(Deliverable, bool)> {
        self.drawn.deliverables(&self.stands, &self.scans, self.walks.sum.as_ref())
    }

    /// The worst error that was predicted in an area with limits of its own, or outside of all.
    fn worst_predicted(&self, area: Option<usize>, axis: fn(&Error95Dto) -> f64) -> Option<f64> {
        let p = &self.outlook.prediction;
        let here = p.targets.iter().chain(&p.stations).filter(|p| self.plan.area_at(&p.position.into()) == area);
        here.map(|p| axis(&p.error)).max_by(f64::total_cmp)
    }

    /// The area with limits of its own that a place on the grid lies in.
    fn area_on_grid(&self, p: &[f64; 3]) -> Option<usize> {
        self.plan.area_at(&(Vec3::from(*p) - self.brief.origin()))
    }

    fn area_of_scan(&self, scan: Uuid) -> Option<usize> {
        let g = self.on_grid()?;
        let station = g.record.stations.iter().find(|s| s.scan == scan)?;
        self.area_on_grid(&Pose::from(&station.grid).translation.into())
    }

    /// Points of scans, and of passes that have their place.
    pub(super) fn points(&self) -> u64 {
        self.scans.iter().map(|s| s.points.unsigned_abs()).sum::<u64>() + self.walks.points
    }

    /// Some scans or passes are simulated.
    pub(crate) fn simulated(&self) -> bool {
        self.walks.simulated || self.scans.iter().any(|s| s.simulated)
    }

    /// What speaks for and against the result.
    fn evidence(&self) -> Evidence {
        let mut e = Evidence {
            predicted: std::iter::once(None)
                .chain((0..self.plan.areas.len()).map(Some))
                .map(|area| {
                    [
                        self.worst_predicted(area, |e| e.horizontal),
                        self.worst_predicted(area, |e| e.vertical),
                        self.worst_predicted(area, |e| e.spatial),
                    ]
                })
                .collect(),
            planned_share: self.outlook.once,
            spacing: self.fresh_spacing(),
            test_passed: true,
            agreement: compare::agreement(&self.scans, &self.compared, &self.stands, &|s| self.area_of_scan(s)),
            survey: survey::evidence(&self.surveys, &self.scans, &self.stands),
            designs: self.designs.clone(),
            drawn: self.drawn(),
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
            .map(|t| Judged {
                kind: PlaceKind::Target,
                name: t.name.clone(),
                error: crate::record::error95(&t.covariance),
                area: self.area_on_grid(&t.position),
            })
            .collect();
        places.extend(g.stations.iter().map(|s| {
            let c = crate::record::georeference::position(&s.covariance);
            Judged {
                kind: PlaceKind::Station,
                name: s.name.clone(),
                error: Error95::from_covariance(&c),
                area: self.area_of_scan(s.scan),
            }
        }));
        if g.source == Source::Walked {
            e.unplaced = self.walks.refused;
            places.extend(self.walks.places.iter().cloned());
        }
        for s in &g.surfaces {
            match s.error {
                Some([horizontal, vertical, spatial]) => {
                    let error = Error95 { horizontal, vertical, spatial, ..Error95::default() };
                    let area = self.plan.area_of_surface(&s.name);
                    places.push(Judged { kind: PlaceKind::Surface, name: s.name.clone(), error, area });
                }
                None => e.surfaces_missing.push(s.name.clone()),
            }
        }
        e.places = Some(places);
        e.test_passed = g.source != Source::Free;
        e.control_off = g.residuals.iter().filter(|r| r.p_family < 0.01).map(|r| r.name.clone()).collect();
        e.checks = Checks {
            compared: g
                .checks
                .points
                .iter()
                .map(|c| Check {
                    name: c.name.clone(),
                    residual: Vec3::from(c.residual),
                    p_family: c.p_family,
                    area: g.targets.iter().find(|t| t.name == c.target).and_then(|t| self.area_on_grid(&t.position)),
                })
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
        let site = &self.plan.site;
        let wanted = site.walls.iter().map(|w| w.demand).chain(site.slabs.iter().map(|s| s.demand));
        asked.spacing = wanted.flatten().map(|d| d.spacing).min_by(f64::total_cmp);
        asked.areas = self.plan.areas.iter().map(|a| a.0.clone()).collect();
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
        let floors: Vec<_> = self
            .plan
            .site
            .slabs
            .iter()
            .map(|s| (s.outline.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>(), s.height, s.demand.map(|d| d.spacing)))
            .collect();
        // what lies in a system of its own lies not on the walls of the plan
        let on_plan = self.on_grid().filter(|g| g.record.by_control());
        on_plan.map(|g| super::fingerprint(&(2, &g.inputs, walls, floors, self.brief.origin, &self.cleaned)))
    }

    /// Area at the required spacing, area asked for, typical spacing.
    fn fresh_spacing(&self) -> Option<(f64, f64, f64)> {
        let stored = self.spacing.as_ref().filter(|s| Some(&s.inputs) == self.spacing_inputs().as_ref())?;
        let v = &stored.result;
        Some((v["within"].as_f64()?, v["total"].as_f64()?, v["typical"].as_f64()?))
    }

    /// What a package depends on.
    pub(crate) fn package_inputs(&self) -> Option<String> {
        let cleaned = Some(&self.cleaned).filter(|c| !c.is_empty());
        let mut verdicts = self.verdicts();
        // said once more in other words: packages from before they were kept stay what they were
        verdicts.iter_mut().for_each(|v| v.grounds.clear());
        self.on_grid().map(|g| match (cleaned, &self.drawn.sum) {
            // packages from before anything was cleaned, or drawn, stay what they were
            (None, None) => super::fingerprint(&(&g.inputs, &self.brief, &verdicts)),
            (Some(c), None) => super::fingerprint(&(&g.inputs, &self.brief, &verdicts, c)),
            (c, Some(d)) => super::fingerprint(&(&g.inputs, &self.brief, &verdicts, c, d)),
        })
    }

    /// Limits horizontally, in height and in space that hold in an area, or outside of all.
    fn limits_in(&self, area: Option<usize>) -> [Option<f64>; 3] {
        let r = &self.brief.requirement;
        let own = area.and_then(|k| self.plan.areas.get(k)).map(|a| &a.0);
        [
            own.and_then(|a| a.horizontal95).or(r.horizontal95),
            own.and_then(|a| a.vertical95).or(r.vertical95),
            own.and_then(|a| a.spatial95).or(r.spatial95),
        ]
    }

    /// Which of the three the title block speaks of: that in space, else what is asked anywhere.
    fn held_against(&self) -> (usize, &'static str, fn(&Error95Dto) -> f64) {
        let asked = |k: usize| {
            std::iter::once(None).chain((0..self.plan.areas.len()).map(Some)).any(|a| self.limits_in(a)[k].is_some())
        };
        if !asked(2) && asked(0) {
            (0, "horizontal, 95 %", |e| e.horizontal)
        } else if !asked(2) && asked(1) {
            (1, "height, 95 %", |e| e.vertical)
        } else {
            (2, "3-D, 95 %", |e| e.spatial)
        }
    }

    /// The title block.
    pub(crate) fn summary(&self) -> SummaryDto {
        let (k, name, axis) = self.held_against();
        // what a place is held against; without any limits, the largest error is the worst
        let limit = |area: Option<usize>| self.limits_in(area)[k];
        let ratio = |error: f64, area: Option<usize>| error / limit(area).unwrap_or(1.0);
        // the worst of what counts, on the grid where there is one, and of the same things as predicted
        type Place = (String, f64, Option<usize>, Vec<crate::record::Share>);
        let on_grid: Option<Vec<Place>> = self.on_grid().map(|g| {
            let targets = g.record.targets.iter().filter(|t| t.used).map(|t| {
                let error = axis(&crate::record::error95(&t.covariance).into());
                (t.name.clone(), error, self.area_on_grid(&t.position), t.budget.clone())
            });
            let stations = g.record.stations.iter().map(|s| {
                let c = crate::record::georeference::position(&s.covariance);
                (s.name.clone(), axis(&Error95::from_covariance(&c).into()), self.area_of_scan(s.scan), Vec::new())
            });
            let surfaces = g.record.surfaces.iter().filter_map(|s| {
                let [horizontal, vertical, spatial] = s.error?;
                let error = Error95 { horizontal, vertical, spatial, ..Error95::default() };
                Some((s.name.clone(), axis(&error.into()), self.plan.area_of_surface(&s.name), Vec::new()))
            });
            let walks = self.walks.places.iter().filter(|_| g.record.source == Source::Walked);
            let walks = walks.map(|p| (p.name.clone(), axis(&p.error.into()), p.area, Vec::new()));
            targets.chain(stations).chain(surfaces).chain(walks).collect()
        });
        let fresh = self.adjustment.as_ref().filter(|a| !a.stale && a.record.refused.is_none());
        let block: Option<Vec<Place>> = fresh.map(|a| {
            let used = a.record.targets.iter().filter(|t| t.scans > 1 || t.named);
            used.map(|t| (t.name.clone(), axis(&crate::record::error95(&t.covariance).into()), None, t.budget.clone()))
                .collect()
        });
        let is_on_grid = self.on_grid().is_some_and(|g| g.record.by_control());
        let achieved = on_grid.or(block);
        let worst = achieved.iter().flatten().max_by(|a, b| ratio(a.1, a.2).total_cmp(&ratio(b.1, b.2)));
        let areas = std::iter::once(None).chain((0..self.plan.areas.len()).map(Some));
        let predicted: Vec<_> = areas.filter_map(|a| Some((self.worst_predicted(a, axis)?, a))).collect();
        let predicted = predicted.iter().max_by(|a, b| ratio(a.0, a.1).total_cmp(&ratio(b.0, b.1)));
        // predicted on the grid says nothing about errors within the block
        let comparable = self.outlook.prediction.on_grid == is_on_grid || achieved.is_none();
        let area = worst.map_or_else(|| predicted.and_then(|p| p.1), |w| w.2);
        // beside what was achieved, what was predicted of the same part of the site
        let predicted = if worst.is_some() { self.worst_predicted(area, axis) } else { predicted.map(|p| p.0) };
        let package = self.packages.first();
        SummaryDto {
            requirement: name.into(),
            required: limit(area),
            predicted: predicted.filter(|_| comparable),
            achieved: worst.map(|t| t.1),
            on_grid: is_on_grid,
            simulated: self.simulated(),
            weakest: worst.map(|t| t.0.clone()),
            sources: worst.map(|t| registration::sources(&t.3)).unwrap_or_default(),
            revision: package.map(|p| p.revision).or(self.adjustment.as_ref().map(|a| a.row.revision)),
            prepared: package.and_then(|p| p.prepared_by.clone()),
            checked: package.and_then(|p| p.checked_by.clone()),
            walked: self.scans.is_empty() && self.walks.read > 0,
            sheets: self.sheets(),
        }
    }

    /// Places that a walk-through has at most.
    pub(crate) fn places(&self) -> usize {
        self.scans.len() + crate::deliver::passes::most_stops(self.walks.metres)
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
            _ if self.scans.is_empty() && self.walks.read > 0 => match self.walks.current {
                None => ("open", "passes not corrected".to_owned()),
                Some(false) => ("attention", "out of date".into()),
                Some(true) if self.walks.refused > 0 => {
                    ("attention", format!("{} without a place", self.walks.refused))
                }
                Some(true) => ("done", format!("{} corrected", walked(self.walks.read))),
            },
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
            } else if self.scans.is_empty() && self.walks.read > 0 {
                sheet("plan", "done", "walked".into())
            } else {
                sheet("plan", "open", "no stations".into())
            },
            match self.scans.len() {
                0 if self.walks.read > 0 => sheet("field", "done", walked(self.walks.read)),
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
            match &self.drawn {
                d if d.open > 0 => sheet("draw", "open", format!("{} to agree with", d.open)),
                d if d.sheets > 0 => sheet("draw", "done", format!("{} drawn", d.sheets)),
                _ => sheet("draw", "done", "nothing drawn".into()),
            },
            sheet("deliver", deliver.0, deliver.1),
        ]
    }
}

fn walked(n: usize) -> String {
    if n == 1 { "1 pass".into() } else { format!("{n} passes") }
}

fn to_dto(brief: &Brief, row: VerdictRow) -> VerdictDto {
    VerdictDto {
        asked: Some(row.asked.into()),
        requirement: words::verdict::requirement(&row),
        required: row.required,
        predicted: row.predicted,
        achieved: row.achieved,
        bound: row.bound,
        evidence: words::verdict::evidence(brief, &row.grounds),
        grounds: words::verdict::grounds(brief, &row.grounds),
        verdict: match row.verdict {
            Verdict::Met => VerdictWord::Met,
            Verdict::NotMet => VerdictWord::NotMet,
            Verdict::NotDemonstrated => VerdictWord::NotDemonstrated,
        },
    }
}
