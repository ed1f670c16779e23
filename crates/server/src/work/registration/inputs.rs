//! What a registration depends on, from its rows.

use crate::dto::{Brief, ChoiceDto, DetectionData, InstrumentDto, SetUpDto, SystematicErrorsDto};
use crate::work::{fingerprint, groups as kept_groups, planning, ties as kept_ties};
use crate::{ApiError, App};
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::geometry::{Mat3, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::PlannedKind;
use vistazo_core::registration::{
    CloudTieInput, Input, MeasuredDistance, NamedPlace, Observed, ScanInput, SetUp, SizeEvidence,
};
use vistazo_core::targets::{SizeVerdict, TargetKind};
use vistazo_core::tie::Mark;
use vistazo_store::field::{self, DetectionRow, ScanRow};
use vistazo_store::groups::{self, GroupRow};
use vistazo_store::results::{self, ControlRow};
use vistazo_store::ties::{self, CloudTieRow};

/// Everything the registration depends on.
pub(crate) struct Inputs {
    pub brief: Brief,
    pub scans: Vec<ScanRow>,
    pub detections: Vec<DetectionRow>,
    pub plan: planning::Plan,
    pub(in crate::work) control: Vec<ControlRow>,
    ties: Vec<CloudTieRow>,
    groups: Vec<GroupRow>,
    /// Sum of the detections and ties as they were when this was read.
    state: String,
}

impl Inputs {
    pub(crate) async fn load(app: &App, job: Uuid) -> Result<Self, ApiError> {
        let (_, brief) = crate::work::brief(app, job).await?;
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
            groups: groups::scan_groups(&app.db, job).await?,
            state,
        })
    }

    /// What a search depends on: scans searched with another one are searched again.
    pub(crate) fn search_key(brief: &Brief) -> String {
        // the number is that of the search itself: what an earlier one found is looked for again
        // errors that points share change no search
        let noise = InstrumentDto { systematic: SystematicErrorsDto::default(), ..brief.instrument.clone() };
        fingerprint(&(3, brief.sphere_diameter, brief.checker_side, noise))
    }

    /// Scans that a scanner took: clouds without one have no targets and are registered as they come.
    pub(in crate::work) fn of_scanners(&self) -> impl Iterator<Item = &ScanRow> {
        self.scans.iter().filter(|s| s.has_scanner)
    }

    pub(crate) fn fingerprint(&self) -> String {
        inputs(&self.brief, &self.scans, &self.state, &self.plan)
    }

    /// As the core takes it.
    ///
    /// # Errors
    /// When a stored detection cannot be read.
    pub(in crate::work) fn to_core(&self) -> Result<(Input, Vec<Uuid>), ApiError> {
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
                apart: self.groups.iter().any(|g| g.hold == "apart" && g.scans.contains(&s.id)),
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
        let index = |scan: Uuid| self.of_scanners().position(|s| s.id == scan);
        for g in self.groups.iter().filter(|g| g.hold == "held") {
            input.held.extend(kept_groups::held(g, index)?);
        }
        input.waiting = self.ties.iter().filter(|t| kept_ties::waits(t)).count();
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

    /// Targets that each scan shows, but for those that were excluded.
    ///
    /// # Errors
    /// When a stored detection cannot be read.
    pub(crate) fn marks(&self) -> Result<HashMap<Uuid, Vec<Mark>>, ApiError> {
        let mut out: HashMap<Uuid, Vec<Mark>> = HashMap::new();
        for d in self.detections.iter().filter(|d| d.usable && !d.excluded) {
            out.entry(d.scan_id).or_default().push((kind_of(&d.kind), Vec3::from(data(d)?.centre)));
        }
        Ok(out)
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
        let (Some(a), Some(b), true) = (index(t.scan_a), index(t.scan_b), kept_ties::takes_part(t)) else {
            return Ok(None);
        };
        let Some(found) = kept_ties::found(t)? else { return Ok(None) };
        Ok(Some(CloudTieInput {
            id,
            scans: (a, b),
            relative: found.pose(),
            covariance: found.covariance(),
            shared: found.shared(),
            grade: kept_ties::grade(t).into(),
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
pub(super) async fn state(app: &App, job: Uuid) -> Result<String, ApiError> {
    let found = field::detection_state(&app.db, job).await?;
    let tied = ties::cloud_tie_state(&app.db, job).await?;
    // a job without ties or groups is as it was before there were any
    Ok(found + &tied + &groups::group_state(&app.db, job).await?)
}

/// What an adjustment came from, in short.
pub(super) fn inputs(brief: &Brief, scans: &[ScanRow], detections: &str, plan: &planning::Plan) -> String {
    let scans: Vec<_> = scans.iter().map(|s| (s.id, s.levelled, &s.log["set_up"])).collect();
    let distances: Vec<_> = plan.distances.iter().map(|(d, m)| (d.from, d.to, d.sigma, m)).collect();
    fingerprint(&(5, scans, detections, Inputs::search_key(brief), &brief.instrument.systematic, distances))
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

/// A kind of target by the word that it is kept by.
fn kind_of(word: &str) -> TargetKind {
    match word {
        "sphere" => TargetKind::Sphere,
        "corner" => TargetKind::Corner,
        "point" => TargetKind::Point,
        _ => TargetKind::Checker,
    }
}
