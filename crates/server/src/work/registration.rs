//! Rows into a registration of the core, and its record into what is sent.

use super::planning;
use crate::dto::{
    AdjustmentDto, AdjustmentResult, Brief, ChoiceDto, CloudTieResidualDto, ComponentDto, DetectionData, Error95Dto,
    InstrumentDto, JoinDto, LevelDto, LoopDto, ObservationDto, PoseDto, SetUpDto, SourceDto, StandingDto, StationDto,
    SystematicDto, SystematicErrorsDto, TargetDto, TieDto,
};
use crate::record::Group;
use crate::record::measured::seen_as;
use crate::record::registration::{self as record, Detail, Measured, Registration};
use crate::record::stored::{Ids, store};
use crate::{ApiError, App, words};
use bytes::Bytes;
use std::collections::HashSet;
use std::sync::Arc;
use uuid::Uuid;
use vistazo_core::adjust::Component;
use vistazo_core::geometry::{Error95, Mat3, Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::PlannedKind;
use vistazo_core::registration::{
    CloudTieInput, Input, MeasuredDistance, NamedPlace, Observed, ScanInput, SetUp, SizeEvidence, register,
};
use vistazo_core::stats::K95_1D;
use vistazo_core::targets::{SizeVerdict, TargetKind};
use vistazo_store::field::{self, DetectionRow, ScanRow};
use vistazo_store::results::{self, ControlRow};
use vistazo_store::ties::{self, CloudTieRow};
use vistazo_store::views;

/// Everything the registration depends on.
pub(crate) struct Inputs {
    pub brief: Brief,
    pub scans: Vec<ScanRow>,
    pub detections: Vec<DetectionRow>,
    plan: planning::Plan,
    control: Vec<ControlRow>,
    ties: Vec<CloudTieRow>,
    /// Sum of the detections and ties as they were when this was read.
    state: String,
}

impl Inputs {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (_, brief) = super::brief(app, job).await?;
        // the sum first: what changes in between makes the result out of date, never falsely fresh
        let state = state(app, job).await?;
        let scans = field::scans(&app.db, job).await?;
        Ok(Self {
            brief,
            scans,
            detections: field::detections(&app.db, job).await?,
            plan: planning::load(app, job).await?,
            control: results::control(&app.db, job).await?,
            ties: ties::cloud_ties(&app.db, job).await?,
            state,
        })
    }

    /// What a search depends on: scans searched with another one are searched again.
    pub(crate) fn search_key(brief: &Brief) -> String {
        // the number is that of the search itself: what an earlier one found is looked for again
        // errors that points share change no search
        let noise = InstrumentDto { systematic: SystematicErrorsDto::default(), ..brief.instrument.clone() };
        super::fingerprint(&(3, brief.sphere_diameter, brief.checker_side, noise))
    }

    /// Scans that a scanner took: clouds without one have no targets and are registered as they come.
    fn of_scanners(&self) -> impl Iterator<Item = &ScanRow> {
        self.scans.iter().filter(|s| s.has_scanner)
    }

    pub(crate) fn fingerprint(&self) -> String {
        inputs(&self.brief, &self.scans, &self.state, &self.plan)
    }

    /// As the core takes it.
    ///
    /// # Errors
    /// When a stored detection cannot be read.
    fn to_core(&self) -> Result<(Input, Vec<Uuid>), ApiError> {
        let instrument = Instrument::from(&self.brief.instrument);
        let mut ids = Vec::new();
        let mut input = Input {
            named: self.named(),
            distances: self.distances(),
            systematic: instrument.systematic,
            ..Input::default()
        };
        for s in self.of_scanners() {
            let mut scan = ScanInput {
                name: s.name.clone(),
                compensator: if s.levelled { instrument.compensator_sigma } else { None },
                set_up: set_up(s, &instrument)?,
                walls: s.derived["walls"].as_f64().filter(|_| s.levelled),
                planned: self.plan.stations.iter().find(|p| Some(p.0) == s.station_id).map(|p| p.1.position),
                ..ScanInput::default()
            };
            for d in self.detections.iter().filter(|d| d.scan_id == s.id) {
                let data = data(d)?;
                if !d.usable {
                    input.other_sizes.extend(size(&data));
                    continue;
                }
                let observed = Observed {
                    id: ids.len(),
                    kind: kind_of(&d.kind),
                    group: d.part,
                    centre: Vec3::from(data.centre),
                    covariance: Mat3::from_row_slice(&data.covariance),
                };
                ids.push(d.id);
                if d.excluded { scan.excluded.push(observed) } else { scan.targets.push(observed) }
            }
            input.scans.push(scan);
        }
        for t in &self.ties {
            input.cloud_ties.extend(self.cloud_tie(t, ids.len())?);
            ids.push(t.id);
        }
        Ok((input, ids))
    }

    /// As the core takes it, with the names of its scans.
    pub(crate) fn core_and_names(&self) -> Result<(Input, Vec<String>), ApiError> {
        Ok((self.to_core()?.0, self.of_scanners().map(|s| s.name.clone()).collect()))
    }

    /// Whether coordinates of targets are known.
    pub(crate) fn has_control(&self) -> bool {
        !self.control.is_empty()
    }

    /// The same with another decision about a tie by clouds.
    pub(crate) fn with_tie(mut self, tie: Uuid, with: bool) -> Self {
        for t in self.ties.iter_mut().filter(|t| t.id == tie) {
            t.decision = if with { "accepted" } else { "rejected" }.into();
        }
        self
    }

    /// The same with other decisions about observations.
    pub(crate) fn with_choice(mut self, choice: &ChoiceDto) -> Self {
        for d in self.detections.iter_mut().filter(|d| choice.ids.contains(&d.id)) {
            d.excluded = choice.excluded.unwrap_or(d.excluded);
            d.part = choice.part.unwrap_or(d.part);
        }
        if choice.excluded == Some(true) {
            return choice.ids.iter().fold(self, |now, id| now.with_tie(*id, false));
        }
        self
    }

    /// A tie that takes part: a sound one that nobody turned down, or any that somebody accepted.
    fn cloud_tie(&self, t: &CloudTieRow, id: usize) -> Result<Option<CloudTieInput>, ApiError> {
        let index = |scan: Uuid| self.of_scanners().position(|s| s.id == scan);
        let (Some(a), Some(b), true) = (index(t.scan_a), index(t.scan_b), super::ties::takes_part(t)) else {
            return Ok(None);
        };
        let Some(found) = super::ties::found(t)? else { return Ok(None) };
        Ok(Some(CloudTieInput {
            id,
            scans: (a, b),
            relative: found.pose(),
            covariance: found.covariance(),
            shared: found.shared(),
            grade: super::ties::grade(t).into(),
        }))
    }

    /// Distances between targets that were measured.
    fn distances(&self) -> Vec<MeasuredDistance> {
        let name = |t: usize| self.plan.targets[t].1.name.clone();
        let measured = self.plan.distances.iter().filter_map(|(d, measured)| {
            Some(MeasuredDistance { from: name(d.from), to: name(d.to), distance: (*measured)?, sigma: d.sigma })
        });
        measured.collect()
    }

    /// Planned targets and control, on the plan.
    fn named(&self) -> Vec<NamedPlace> {
        let planned = self.plan.targets.iter().map(|(_, t)| NamedPlace {
            name: t.name.clone(),
            position: t.position,
            sigma: 0.1,
            kind: match t.kind {
                PlannedKind::Sphere => Some(TargetKind::Sphere),
                PlannedKind::Checker(_) => Some(TargetKind::Checker),
                PlannedKind::Mark => None,
            },
            control: false,
        });
        let known = self.control.iter().filter_map(|c| {
            let grid = Vec3::new(c.e?, c.n?, c.h?);
            Some(NamedPlace {
                name: c.name.clone(),
                position: grid - self.brief.origin(),
                sigma: c.sigma_e.max(c.sigma_n).max(c.sigma_v),
                kind: None,
                control: true,
            })
        });
        // what the plan calls a target, its people call it: control names what the plan does not
        let mut all: Vec<NamedPlace> = planned.collect();
        let apart: Vec<NamedPlace> =
            known.filter(|c| all.iter().all(|p| (p.position - c.position).norm() > 0.4)).collect();
        all.extend(apart);
        all
    }
}

/// A sum over the observations: what was found in the scans and between them, and what was decided about it.
async fn state(app: &App, job: Uuid) -> Result<String, ApiError> {
    let found = field::detection_state(&app.db, job).await?;
    let tied = ties::cloud_tie_state(&app.db, job).await?;
    // a job without ties is as it was before there were any
    Ok(if tied.is_empty() { found } else { found + &tied })
}

/// What an adjustment came from, in short.
fn inputs(brief: &Brief, scans: &[ScanRow], detections: &str, plan: &planning::Plan) -> String {
    let scans: Vec<_> = scans.iter().map(|s| (s.id, s.levelled, &s.log["set_up"])).collect();
    let distances: Vec<_> = plan.distances.iter().map(|(d, m)| (d.from, d.to, d.sigma, m)).collect();
    super::fingerprint(&(5, scans, detections, Inputs::search_key(brief), &brief.instrument.systematic, distances))
}

/// What the log says of the set-up, when it stood over a mark.
///
/// # Errors
/// Names the scan whose log cannot be read.
fn set_up(s: &ScanRow, instrument: &Instrument) -> Result<Option<SetUp>, ApiError> {
    let Some(noted) = s.log.get("set_up") else { return Ok(None) };
    let noted: SetUpDto = crate::record::read(&format!("set-up in the log of {}", s.name), noted.clone())?;
    if noted.mark.trim().is_empty() {
        return Ok(None);
    }
    Ok(Some(SetUp {
        mark: noted.mark.trim().to_owned(),
        height: noted.height,
        centring_sigma: instrument.centring_sigma,
        height_sigma: instrument.height_sigma,
        sights: noted.sights.iter().map(|x| x.to_core(instrument)).collect(),
    }))
}

fn size(data: &DetectionData) -> Option<SizeEvidence> {
    let verdict = match data.size.as_str() {
        "diameter_radius_mix_up" => SizeVerdict::DiameterRadiusMixUp,
        "wrong_size" => SizeVerdict::WrongSize,
        _ => return None,
    };
    Some(SizeEvidence { verdict, radius: data.free_radius?[0] })
}

/// What was measured of a detection.
///
/// # Errors
/// Names the row that cannot be read.
pub(crate) fn data(row: &DetectionRow) -> Result<DetectionData, ApiError> {
    crate::record::read(&format!("detection {}", row.id), row.data.clone())
}

/// Matches, adjusts and judges. What cannot be adjusted comes back as a record that says why.
///
/// # Errors
/// When a stored detection cannot be read.
pub(crate) fn compute(inputs: &Inputs) -> Result<(Registration, Detail), ApiError> {
    let (input, rows) = inputs.to_core()?;
    let scans: Vec<(Uuid, String)> = inputs.of_scanners().map(|s| (s.id, s.name.clone())).collect();
    Ok(store(&register(&input), &Ids { scans: &scans, rows: &rows }))
}

/// The last registration, and whether it is still of what is there.
pub(crate) struct Current {
    pub row: results::Adjustment,
    pub stale: bool,
    pub record: Arc<Registration>,
    pub kept: HashSet<String>,
}

impl Current {
    /// Findings that ask for a decision.
    pub(crate) fn open(&self) -> usize {
        self.record.findings.iter().filter(|f| !self.kept.contains(&f.key)).count()
    }
}

pub(crate) async fn current(app: &App, job: Uuid) -> Result<Option<Current>, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    current_of(app, job, &brief).await
}

/// The same where the brief is at hand.
pub(crate) async fn current_of(app: &App, job: Uuid, brief: &Brief) -> Result<Option<Current>, ApiError> {
    let (plan, scans) = (planning::load(app, job).await?, field::scans(&app.db, job).await?);
    current_at(app, job, brief, &plan, &scans).await
}

/// The same where the plan and the scans are at hand too.
pub(crate) async fn current_at(
    app: &App,
    job: Uuid,
    brief: &Brief,
    plan: &planning::Plan,
    scans: &[ScanRow],
) -> Result<Option<Current>, ApiError> {
    let Some(row) = results::adjustment(&app.db, job).await? else { return Ok(None) };
    let Some(record) = record_of(app, row.id).await? else { return Ok(None) };
    let now = inputs(brief, scans, &state(app, job).await?, plan);
    let kept = results::kept_findings(&app.db, job).await?.into_iter().collect();
    Ok(Some(Current { stale: row.inputs != now, row, record, kept }))
}

/// Its variance components, as the core takes them.
pub(crate) fn components(r: &Registration) -> Vec<Component> {
    let one = |c: &(Group, f64, f64)| Component { group: c.0.into(), factor: c.1, redundancy: c.2 };
    r.statistics.components.iter().map(one).collect()
}

async fn record_of(app: &App, id: Uuid) -> Result<Option<Arc<Registration>>, ApiError> {
    if let Some(kept) = app.kept.registration(id) {
        return Ok(Some(kept));
    }
    let record = crate::record::registration(results::adjustment_result(&app.db, id).await?)?;
    Ok(record.map(|r| app.kept.put_registration(id, r)))
}

/// The long part of a registration.
pub(crate) async fn detail(app: &App, id: Uuid) -> Result<Detail, ApiError> {
    crate::record::detail(results::network(&app.db, id).await?)
}

/// As it is sent.
pub(crate) fn to_dto(brief: &Brief, c: &Current, detail: Option<&Detail>) -> AdjustmentDto {
    AdjustmentDto {
        id: c.row.id,
        revision: c.row.revision,
        stale: c.stale,
        locked: c.row.locked_at.is_some(),
        created_at: c.row.created_at,
        result: result(brief, &c.record, &c.kept, detail),
    }
}

fn result(brief: &Brief, r: &Registration, kept: &HashSet<String>, detail: Option<&Detail>) -> AdjustmentResult {
    let [estimate, low, high, applied] = r.statistics.variance;
    let (used, candidates) = r.targets.iter().map(target).partition(|t: &TargetDto| t.used);
    let mut out = AdjustmentResult {
        refused: r.refused.as_ref().map(words::registration::refusal),
        stations: r.scans.iter().map(station).collect(),
        targets: used,
        candidates,
        standings: r.scans.iter().map(|s| StandingDto { scan: s.id, grade: s.grade, residual: s.residual }).collect(),
        findings: r.findings.iter().map(|f| words::registration::finding(brief, r, f, kept.contains(&f.key))).collect(),
        sum: r.statistics.sum,
        dof: r.statistics.dof,
        global_p: r.statistics.global_p,
        variance_factor: applied,
        variance_estimate: estimate,
        variance_interval: [low, high],
        iterations: r.statistics.iterations,
        components: r
            .statistics
            .components
            .iter()
            .map(|c| ComponentDto { group: c.0, factor: c.1, redundancy: c.2 })
            .collect(),
        systematic: r.statistics.systematic.iter().flat_map(|s| systematic(r, s)).collect(),
        ..AdjustmentResult::default()
    };
    if let Some(d) = detail {
        out.observations = d.observations.iter().filter_map(|o| observation(r, o)).collect();
        out.cloud_ties = d.observations.iter().filter_map(cloud_tie).collect();
        out.levels = d.observations.iter().filter_map(|o| level(r, o)).collect();
        out.ties = d.ties.iter().map(|t| tie(brief, r, t)).collect();
        out.loops = (0..d.loops.len()).map(|k| ring(r, d, k)).collect();
        out.joins = d
            .joins
            .iter()
            .map(|j| JoinDto {
                target: r.targets[j.target].name.clone(),
                gap: j.gap,
                gap95: crate::record::error95(&j.covariance).spatial,
                p_value: j.p_value,
            })
            .collect();
    }
    out
}

fn systematic<'a>(r: &'a Registration, s: &'a record::Systematic) -> impl Iterator<Item = SystematicDto> + 'a {
    s.parameters.iter().map(|p| SystematicDto {
        parameter: p.parameter,
        name: words::parameter(p.parameter).into(),
        scan: s.scan.map(|k| r.scans[k].name.clone()),
        value: p.value,
        half95: p.sigma * K95_1D,
        stated: p.stated,
    })
}

fn station(s: &record::Scan) -> StationDto {
    let heading = s.covariance.get(35).copied().unwrap_or(0.0);
    StationDto {
        scan: s.id,
        name: s.name.clone(),
        pose: PoseDto::from(&Pose::from(&s.pose)),
        error: Error95Dto::from(Error95::from_covariance(&crate::record::georeference::position(&s.covariance))),
        heading95: heading.max(0.0).sqrt() * K95_1D,
        targets: s.targets,
        covariance: s.covariance.clone(),
    }
}

pub(crate) fn sources(budget: &[crate::record::Share]) -> Vec<SourceDto> {
    budget.iter().map(|(g, share)| SourceDto { name: words::group(*g).into(), group: *g, share: *share }).collect()
}

fn target(t: &record::Target) -> TargetDto {
    TargetDto {
        name: t.name.clone(),
        kind: t.kind,
        position: t.position,
        error: crate::record::error95(&t.covariance).into(),
        scans: t.scans,
        used: t.scans > 1 || t.named,
        difference: None,
        sources: sources(&t.budget),
    }
}

/// A length-like observation: its scan, its target, its residual.
fn observation(r: &Registration, o: &record::Observation) -> Option<ObservationDto> {
    let (scan, target, range, kind) = match &o.measured {
        Measured::TargetCentre { scan, target, centre, checker, picked, .. } => {
            let by = record::TargetKind::from(seen_as(*checker, *picked));
            (Some(*scan), *target, Vec3::from(*centre).norm(), by.word())
        }
        Measured::OccupiedMark { scan, target, height, .. } => (Some(*scan), *target, *height, "occupied point"),
        Measured::Backsight { scan, target, reflector, .. } => {
            (Some(*scan), *target, Vec3::from(*reflector).norm(), "backsight")
        }
        Measured::KnownPoint { target, .. } => (None, *target, 0.0, "control"),
        Measured::Distance { from, distance, .. } => (None, *from, *distance, "distance"),
        Measured::Level { .. }
        | Measured::CloudTie { .. }
        | Measured::TrackedPose { .. }
        | Measured::SystematicPrior { .. } => return None,
    };
    // a distance is of two targets
    let other = match &o.measured {
        Measured::Distance { to, .. } => format!(" – {}", r.targets[*to].name),
        _ => String::new(),
    };
    let x = &o.residual;
    Some(ObservationDto {
        detection: o.id,
        kind: kind.into(),
        scan: scan.map_or_else(String::new, |s| r.scans[s].name.clone()),
        target: r.targets[target].name.clone() + &other,
        range,
        residual: x.vector,
        length: Vec3::from(x.vector).norm(),
        expected: x.expected,
        statistic: x.statistic,
        dof: x.dof,
        p_value: x.p_value,
        redundancy: x.redundancy,
        detectable: x.detectable,
        reliability: x.reliability,
        active: o.active,
        suspect: o.suspect,
    })
}

/// What the block says of a tie by clouds.
fn cloud_tie(o: &record::Observation) -> Option<CloudTieResidualDto> {
    let (Measured::CloudTie { .. }, Some(tie)) = (&o.measured, o.id) else { return None };
    let x = &o.residual;
    let part = |from: usize| Vec3::from_fn(|k, _| x.rows.get(from + k).copied().unwrap_or(0.0)).norm();
    Some(CloudTieResidualDto {
        tie,
        shift: part(0),
        turn: part(3),
        p_value: x.p_value,
        redundancy: x.redundancy,
        detectable: x.detectable,
        reliability: x.reliability,
        active: o.active,
        suspect: o.suspect,
    })
}

fn level(r: &Registration, o: &record::Observation) -> Option<LevelDto> {
    let Measured::Level { scan, sigma } = o.measured else { return None };
    let x = &o.residual;
    Some(LevelDto {
        scan: r.scans[scan].name.clone(),
        residual: [x.rows.first().copied().unwrap_or(0.0), x.rows.get(1).copied().unwrap_or(0.0)],
        sigma,
        p_value: x.p_value,
        redundancy: x.redundancy,
        detectable: x.detectable,
        reliability: x.reliability,
        active: o.active,
        suspect: o.suspect,
    })
}

fn tie(brief: &Brief, r: &Registration, t: &record::Tie) -> TieDto {
    TieDto {
        a: r.scans[t.scans.0].name.clone(),
        b: r.scans[t.scans.1].name.clone(),
        shared: t.shared.iter().map(|&k| r.targets[k].name.clone()).collect(),
        rms: t.rms,
        worst: t.worst,
        spread: t.spread,
        breadth: t.breadth,
        grade: t.grade,
        reasons: t.reasons.iter().map(|x| words::registration::reason(brief, r, x)).collect(),
    }
}

fn ring(r: &Registration, d: &Detail, k: usize) -> LoopDto {
    let l = &d.loops[k];
    LoopDto {
        name: words::registration::ring(r, d, k),
        shift: l.shift,
        shift95: l.shift95,
        turn: l.turn,
        turn95: l.turn95,
        p_value: l.p_value,
    }
}

/// The whole registration as JSON text, for the page. It is long for many scans: once written it is kept
/// until the registration, the unit or a decision changes.
pub(crate) async fn text(app: &App, job: Uuid) -> Result<Bytes, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let Some(c) = current_of(app, job, &brief).await? else { return Ok("null".into()) };
    let mut kept: Vec<&String> = c.kept.iter().collect();
    kept.sort_unstable();
    let inputs = super::fingerprint(&(2, c.row.id, c.stale, c.row.locked_at, &brief.unit, kept));
    if let Some(text) = app.kept.text(job, "adjustment", &inputs) {
        return Ok(text);
    }
    if let Some(text) = views::computed_text(&app.db, job, "adjustment", &inputs).await? {
        return Ok(app.kept.put_text(job, "adjustment", &inputs, text));
    }
    let d = detail(app, c.row.id).await?;
    let dto = super::blocking(move || serde_json::json!(to_dto(&brief, &c, Some(&d)))).await?;
    views::keep(&app.db, job, "adjustment", &inputs, &dto).await?;
    Ok(app.kept.put_text(job, "adjustment", &inputs, dto.to_string()))
}

/// The title of a finding of the last registration.
pub(crate) async fn title(app: &App, job: Uuid, key: &str) -> Result<Option<String>, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let c = current_of(app, job, &brief).await?;
    let found = c.as_ref().and_then(|c| Some((c, c.record.findings.iter().find(|f| f.key == key)?)));
    Ok(found.map(|(c, f)| words::registration::finding(&brief, &c.record, f, false).title))
}

/// A kind of target by the word that it is kept by.
fn kind_of(word: &str) -> TargetKind {
    match word {
        "sphere" => TargetKind::Sphere,
        "corner" => TargetKind::Corner,
        "point" => TargetKind::Point,
        _ => TargetKind::Checker,
    }
}
