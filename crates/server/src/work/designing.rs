//! Proposals, leapfrog, advice and density, in the API's terms.

use super::planning::{self, Plan, kit};
use crate::dto::{
    AdviceDto, AlternativeDto, Brief, CarryDto, ControlChoiceDto, DensityDto, DensityQuery, InstrumentDto,
    LeapfrogRequest, MoveDto, ProposalDto, ProposeRequest, SettingDto,
};
use crate::words::traps as trap_words;
use crate::{ApiError, App};
use rayon::prelude::*;
use uuid::Uuid;
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::{Instrument, library};
use vistazo_core::plan::{
    Change, Cover, Design, Proposal, ProposeError, Station, Wish, advise, cover, day, leapfrog as leap, predict,
    propose, propose_control, propose_targets, station_graph,
};
use vistazo_core::targets::{DEPENDABLE_HITS, usable_distance};
use vistazo_store::views;

/// σ of control that would be surveyed anew, metres.
const NEW_CONTROL: f64 = 0.002;

/// Everything proposed, for a worker to keep.
pub(crate) fn alternatives(
    plan: &Plan,
    brief: &Brief,
    request: &ProposeRequest,
    go_on: &(dyn Fn(f64, &str) -> bool + Sync),
) -> Result<ProposalDto, ProposeError> {
    let own = Instrument::from(&brief.instrument);
    let locked: Vec<Vec3> = plan.stations.iter().zip(&plan.locked).filter(|s| *s.1).map(|s| s.0.1.position).collect();
    let wish = Wish {
        locked,
        floors: request.floors.clone(),
        instrument_height: request.instrument_height,
        share: request.share,
        overlap: request.overlap.unwrap_or(0.35),
        ..Wish::default()
    };
    let fewest = propose(&plan.site, &own, &wish, &|s| go_on(0.3 * s, "the fewest stations"))?;
    let mut out = vec![judge(plan, brief, &own, "fewest", &fewest)];
    // coarser settings take less time but may need more stations
    let mut quickest: Option<AlternativeDto> = None;
    for (k, factor) in [1.0, 1.26, 1.58, 2.0].into_iter().enumerate() {
        let set = Instrument { step: own.step * factor, scan_time: own.time(own.step * factor, 1), ..own.clone() };
        let found = if k == 0 {
            fewest.clone()
        } else {
            let at = |s: f64| go_on(0.3 + 0.13 * (k as f64 - 1.0 + s), "the quickest day");
            match propose(&plan.site, &set, &wish, &at) {
                Ok(p) if p.reachable >= 0.995 * fewest.reachable => p,
                Ok(_) | Err(ProposeError::NothingReachable) => continue,
                Err(e) => return Err(e),
            }
        };
        let a = judge(plan, brief, &set, "quickest", &found);
        if quickest.as_ref().is_none_or(|q| a.time < q.time - 1.0) {
            quickest = Some(a);
        }
    }
    out.extend(quickest);
    let twice = Wish { times: 2, share: wish.share.min(0.95), ..wish };
    let accurate = propose(&plan.site, &own, &twice, &|s| go_on(0.7 + 0.3 * s, "everything seen twice"))?;
    let accurate = improved(plan, brief, &own, accurate);
    out.push(judge(plan, brief, &own, "most accurate", &accurate));
    Ok(ProposalDto {
        request: request.clone(),
        reachable: fewest.reachable,
        places: fewest.candidates,
        alternatives: out,
        stale: false,
    })
}

/// Adds up to four stations where each makes the weakest target better by most.
fn improved(plan: &Plan, brief: &Brief, own: &Instrument, mut found: Proposal) -> Proposal {
    let targets = plan.targets();
    let weakest = |places: &[Vec3]| {
        let stations: Vec<Station> = places.iter().map(|p| Station::at("", *p)).collect();
        let design = Design::new(&plan.site, own, kit(brief), &stations, &targets);
        let p = predict(&design);
        // targets that nobody measures are as bad as any
        let unmeasured = targets.len() - p.used.len();
        p.weakest().map_or(f64::MAX, |w| w.1 * (1.0 + unmeasured as f64))
    };
    let Some((low, high)) = plan.site.extent() else { return found };
    let mut heights: Vec<f64> = found.stations.iter().map(|s| s.z).collect();
    heights.sort_by(f64::total_cmp);
    heights.dedup_by(|a, b| (*a - *b).abs() < 0.5);
    let step = ((high - low).max() / 10.0).max(3.0);
    let free: Vec<Vec3> = (0..=10)
        .flat_map(|i| (0..=10).map(move |j| low + nalgebra::Vector2::new(f64::from(i), f64::from(j)) * step))
        .filter(|p| p.x <= high.x && p.y <= high.y)
        .flat_map(|p| heights.iter().map(move |z| p.push(*z)))
        .filter(|p| plan.site.is_free(&p.xy(), p.z - 1.55, p.z + 0.3, 0.5) && plan.site.has_floor(p))
        .collect();
    let mut now = weakest(&found.stations);
    for _ in 0..4 {
        let with = |p: &Vec3| found.stations.iter().copied().chain([*p]).collect::<Vec<_>>();
        let mut better: Vec<(Vec3, f64)> =
            free.par_iter().map(|p| (*p, weakest(&with(p)))).filter(|b| b.1 < 0.95 * now).collect();
        better.sort_by(|a, b| a.1.total_cmp(&b.1));
        // a station that would stand alone is no help
        let hangs = |p: &Vec3| {
            !found.connected || {
                let stations: Vec<Station> = with(p).iter().map(|p| Station::at("", *p)).collect();
                groups(&cover(&plan.site, &stations, own, planning::GRID)) < 2
            }
        };
        let Some((place, then)) = better.into_iter().find(|b| hangs(&b.0)) else { break };
        now = then;
        found.stations.push(place);
    }
    found
}

/// Groups of stations that hang together by overlap.
fn groups(c: &Cover) -> usize {
    let alone = vec![Vec::new(); c.overlap.len()];
    station_graph(&c.overlap, &alone, &alone).components.len()
}

fn judge(plan: &Plan, brief: &Brief, set: &Instrument, name: &str, p: &Proposal) -> AlternativeDto {
    let stations: Vec<Station> =
        p.stations.iter().enumerate().map(|(k, s)| Station::at(&format!("S{}", k + 1), *s)).collect();
    let c = cover(&plan.site, &stations, set, planning::GRID);
    let targets = plan.targets();
    let ties = planning::ties(brief, &c, &stations, set);
    let design = Design {
        ties: &ties,
        distances: &plan.distances(),
        ..Design::new(&plan.site, set, kit(brief), &stations, &targets)
    };
    let predicted = predict(&design);
    AlternativeDto {
        name: name.into(),
        stations: p.stations.iter().map(|s| (*s).into()).collect(),
        locked: p.locked,
        for_cover: p.for_cover,
        at_least: p.at_least,
        groups: groups(&c),
        at_least_together: p.at_least_together,
        once: c.once.unwrap_or(0.0),
        twice: c.twice.unwrap_or(0.0),
        step: set.step,
        time: day(&stations, set).time,
        points: stations.len() as f64 * set.points(set.step),
        predicted: predicted.weakest().map(|w| w.1),
        refused: predicted.block.err().map(|e| e.to_string()),
    }
}

/// Keeps a proposal with the state of the plan it came from.
pub(crate) async fn keep(app: &App, job: Uuid, plan: &Plan, found: &ProposalDto) -> Result<(), ApiError> {
    let kept = serde_json::json!({ "inputs": plan.ground, "proposal": found });
    Ok(views::keep(&app.db, job, "proposal", "last", &kept).await?)
}

pub(crate) async fn proposal(app: &App, job: Uuid) -> Result<Option<ProposalDto>, ApiError> {
    let Some(kept) = views::computed(&app.db, job, "proposal", "last").await? else { return Ok(None) };
    let plan = planning::load(app, job).await?;
    let Ok(mut p) = serde_json::from_value::<ProposalDto>(kept["proposal"].clone()) else { return Ok(None) };
    p.stale = kept["inputs"].as_str() != Some(&plan.ground);
    Ok(Some(p))
}

/// The stations asked for, in their order.
fn in_order(plan: &Plan, wanted: &[Uuid]) -> Result<Vec<Station>, ApiError> {
    if wanted.is_empty() {
        return Ok(plan.stations());
    }
    let find = |id: &Uuid| plan.stations.iter().find(|s| s.0 == *id).map(|s| s.1.clone());
    wanted
        .iter()
        .map(|id| find(id).ok_or_else(|| ApiError::field("stations", "a station is no longer on the plan")))
        .collect()
}

pub(crate) fn leapfrog(plan: &Plan, brief: &Brief, request: &LeapfrogRequest) -> Result<Vec<MoveDto>, ApiError> {
    let stations = in_order(plan, &request.stations)?;
    if stations.len() < 2 {
        return Err(ApiError::field("stations", format!("found {}, expected at least 2", stations.len())));
    }
    if request.spheres > 40 {
        return Err(ApiError::field("spheres", format!("found {}, expected at most 40", request.spheres)));
    }
    let instrument = Instrument::from(&brief.instrument);
    let moves = leap(&plan.site, &stations, request.spheres, kit(brief).sphere_radius, &instrument)
        .map_err(|e| ApiError::field("stations", e.to_string()))?;
    // letters, so that they are not taken for the targets of the plan
    let name = |i: usize| {
        let letter = char::from(b'A' + (i % 26) as u8);
        if i < 26 { letter.to_string() } else { format!("{letter}{letter}") }
    };
    Ok(moves
        .into_iter()
        .map(|m| {
            let from = stations[m.station].position;
            MoveDto {
                station: stations[m.station].name.clone(),
                stay: m.stay.iter().map(|&i| name(i)).collect(),
                carry: m
                    .carry
                    .iter()
                    .map(|(i, to)| {
                        let d = to - from;
                        CarryDto {
                            sphere: name(*i),
                            to: (*to).into(),
                            distance: d.x.hypot(d.y),
                            bearing: d.x.atan2(d.y).rem_euclid(std::f64::consts::TAU),
                        }
                    })
                    .collect(),
                places: m.places.iter().map(|p| (*p).into()).collect(),
                tie95: m.tie95,
                faults: m.faults.iter().map(|f| trap_words::fault(*f).to_owned()).collect(),
            }
        })
        .collect())
}

pub(crate) fn advice(plan: &Plan, brief: &Brief) -> Vec<AdviceDto> {
    let (stations, targets, instrument) = (plan.stations(), plan.targets(), Instrument::from(&brief.instrument));
    let found = plan.cover(&instrument);
    let ties = planning::ties(brief, &found, &stations, &instrument);
    let design = Design {
        ties: &ties,
        distances: &plan.distances(),
        ..Design::new(&plan.site, &instrument, kit(brief), &stations, &targets)
    };
    let now = predict(&design);
    let Some((_, error)) = now.weakest() else { return Vec::new() };
    advise(&design, &now, Vec3::repeat(NEW_CONTROL), 5)
        .into_iter()
        .map(|a| {
            let (what, add, control) = match a.change {
                Change::AddSphere(p) => {
                    let near = stations
                        .iter()
                        .min_by(|x, y| (x.position - p).norm().total_cmp(&(y.position - p).norm()))
                        .map_or(String::new(), |s| {
                            format!(", {} from {}", brief.length((s.position - p).norm()), s.name)
                        });
                    (format!("One more sphere{near}"), Some(p.into()), None)
                }
                Change::MakeControl(t) => (
                    format!("Survey {} as control, {} (1σ)", targets[t].name, brief.length(NEW_CONTROL)),
                    None,
                    Some(plan.targets[t].0),
                ),
                Change::UseCheck(t) => {
                    (format!("Use the check point {} as control", targets[t].name), None, Some(plan.targets[t].0))
                }
            };
            AdviceDto { what, now: error, then: a.then, add, control }
        })
        .collect()
}

pub(crate) fn control(plan: &Plan, brief: &Brief) -> ControlChoiceDto {
    let (stations, targets, instrument) = (plan.stations(), plan.targets(), Instrument::from(&brief.instrument));
    let design = Design::new(&plan.site, &instrument, kit(brief), &stations, &targets);
    let chosen = propose_control(&design, &predict(&design));
    let ids = |list: Vec<usize>| list.into_iter().map(|t| plan.targets[t].0).collect();
    ControlChoiceDto { fit: ids(chosen.fit), check: ids(chosen.check), sigma: [NEW_CONTROL; 2] }
}

/// Most spheres proposed at once.
const MOST_TARGETS: usize = 60;

pub(crate) fn targets(plan: &Plan, brief: &Brief) -> Vec<[f64; 3]> {
    let (stations, targets, instrument) = (plan.stations(), plan.targets(), Instrument::from(&brief.instrument));
    let design = Design::new(&plan.site, &instrument, kit(brief), &stations, &targets);
    propose_targets(&design, MOST_TARGETS).into_iter().map(Into::into).collect()
}

pub(crate) fn density(brief: &Brief, kept: Vec<Instrument>, q: &DensityQuery) -> Result<Vec<DensityDto>, ApiError> {
    let within = |field: &str, v: f64, low: f64, high: f64| {
        if (low..=high).contains(&v) {
            Ok(v)
        } else {
            Err(ApiError::field(field, format!("found {v}, expected {low} to {high}")))
        }
    };
    let range = within("range", q.range, 0.3, 2000.0)?;
    let spacing = within("spacing", q.spacing, 0.0005, 5.0)?;
    let incidence = within("incidence", q.incidence.unwrap_or(0.0), 0.0, 1.5)?;
    let noise = within("noise", q.noise.unwrap_or(0.002), 1e-4, 1.0)?;
    let own = Instrument::from(&brief.instrument);
    let others = kept.into_iter().chain(library()).filter(|i| i.name != own.name);
    let all = std::iter::once((own.clone(), true)).chain(others.map(|i| (i, false)));
    Ok(all
        .map(|(i, own)| {
            let setting = i.setting(range, spacing, incidence, noise);
            let refused = setting.is_none().then(|| {
                if range > i.max_range || range < i.min_range {
                    format!("measures from {} to {}", brief.length(i.min_range), brief.length(i.max_range))
                } else if i.range_noise(range, incidence.cos()) / 8.0_f64.sqrt() > noise {
                    format!(
                        "its noise there is {} even with 8 repeats",
                        brief.length(i.range_noise(range, incidence.cos()) / 8.0_f64.sqrt())
                    )
                } else {
                    "its finest step is too coarse for that".into()
                }
            });
            DensityDto {
                own,
                setting: setting.map(|s| SettingDto {
                    step: s.step,
                    repeats: s.repeats,
                    spacing: s.spacing,
                    noise: s.noise,
                    sphere_range: usable_distance(
                        kit(brief).sphere_radius,
                        DEPENDABLE_HITS,
                        &Instrument { step: s.step, ..i.clone() },
                    ),
                    time: s.time,
                    time_photographs: s.time + i.photograph_time,
                    points: s.points,
                    bytes: s.points * i.bytes_per_point,
                }),
                refused,
                instrument: InstrumentDto::from(&i),
            }
        })
        .collect())
}
