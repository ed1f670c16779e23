//! What comes out of a plan: overlap, prediction, kept until something changes.

use super::planned_walks::stood_on;
use super::planning::{GRID, Plan, kit, ties};
use crate::dto::{
    Brief, CoverDto, DayDto, KnockDto, LinkDto, LookDto, LookRequest, PointDto, PredictionDto, StationCoverDto,
    SurfaceDto,
};
use crate::words::traps as trap_words;
use crate::{ApiError, App};
use bytes::Bytes;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::adjust::unnoticed;
use vistazo_core::geometry::{Error95, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{
    Bvh, Design, NotCovered, PlannedKind, PlannedTarget, Prediction, Sample, Station, StationCover, Surface, Trap, day,
    look_round, predict, sample, station_graph, surface_error, traps,
};
use vistazo_core::targets::configuration;
use vistazo_store::views;

/// What of the plan the title block and the verdict need.
#[derive(serde::Serialize, serde::Deserialize)]
pub(crate) struct Outlook {
    /// Share of required area covered.
    pub once: Option<f64>,
    pub prediction: PredictionDto,
}

/// What will come out: computed when something changed, else as it was kept.
pub(crate) async fn outlook(app: &App, job: Uuid, plan: &Plan, brief: &Brief) -> Result<Outlook, ApiError> {
    let text = made(app, job, plan, brief, "outlook").await?;
    serde_json::from_slice(&text).map_err(|e| ApiError::conflict(format!("the stored outlook cannot be read: {e}")))
}

/// Cover, overlap and prediction as JSON text: long for many stations, so it is handed on as kept.
pub(crate) async fn cover_text(app: &App, job: Uuid, plan: &Plan, brief: &Brief) -> Result<Bytes, ApiError> {
    made(app, job, plan, brief, "cover").await
}

fn inputs(plan: &Plan, brief: &Brief) -> String {
    super::fingerprint(&(
        10,
        &plan.inputs,
        &brief.instrument,
        brief.sphere_diameter,
        brief.checker_side,
        &brief.unit,
        brief.tie_by_clouds,
    ))
}

/// A text as it is kept here or in the database.
async fn kept(app: &App, job: Uuid, kind: &'static str, inputs: &str) -> Result<Option<Bytes>, ApiError> {
    if let Some(text) = app.kept.text(job, kind, inputs) {
        return Ok(Some(text));
    }
    let stored = views::computed_text(&app.db, job, kind, inputs).await?;
    Ok(stored.map(|text| app.kept.put_text(job, kind, inputs, text)))
}

/// A text, made when it is not kept: once, however many ask for it, and to its end even when whoever asked goes away.
async fn made(app: &App, job: Uuid, plan: &Plan, brief: &Brief, kind: &'static str) -> Result<Bytes, ApiError> {
    let inputs = inputs(plan, brief);
    if let Some(text) = kept(app, job, kind, &inputs).await? {
        return Ok(text);
    }
    let turn = app.kept.turn(job, "cover", &inputs).await;
    if let Some(text) = kept(app, job, kind, &inputs).await? {
        return Ok(text);
    }
    let (app, plan, brief) = (app.clone(), plan.clone(), brief.clone());
    let work = tokio::spawn(async move {
        let _turn = turn;
        let dto = super::blocking(move || to_dto(&plan, &brief)).await?;
        let small = serde_json::json!({ "once": dto.once, "prediction": dto.prediction });
        let whole = serde_json::json!(dto);
        views::keep(&app.db, job, "cover", &inputs, &whole).await?;
        views::keep(&app.db, job, "outlook", &inputs, &small).await?;
        let [small, whole] =
            [("outlook", small), ("cover", whole)].map(|(k, v)| app.kept.put_text(job, k, &inputs, v.to_string()));
        Ok(if kind == "cover" { whole } else { small })
    });
    work.await.map_err(|_| ApiError::conflict("the computation ended unexpectedly; nothing was stored"))?
}

pub(crate) fn to_dto(plan: &Plan, brief: &Brief) -> CoverDto {
    let instrument = Instrument::from(&brief.instrument);
    let (stations, targets) = (plan.stations(), plan.targets());
    let c = plan.cover(&instrument);
    let ties = ties(brief, &c, &stations, &instrument);
    let design = Design {
        ties: &ties,
        distances: &plan.distances(),
        ..Design::new(&plan.site, &instrument, kit(brief), &stations, &targets)
    };
    let p = predict(&design);
    let graph = station_graph(&c.overlap, &p.sees, &p.marks());
    let name = |s: usize| stations[s].name.clone();
    let links = graph
        .links
        .iter()
        .map(|l| {
            let [a, b] = l.stations;
            let places: Vec<Vec3> = l.targets.iter().map(|&t| targets[t].position).collect();
            let reach = (stations[a].position - stations[b].position).norm();
            let faults = if places.len() < 3 { Vec::new() } else { configuration(&places, reach).faults };
            LinkDto {
                from: name(a),
                to: name(b),
                overlap: l.overlap,
                targets: l.targets.iter().map(|&t| targets[t].name.clone()).collect(),
                marks: l.marks.iter().map(|&t| targets[t].name.clone()).collect(),
                cloud95: ties
                    .iter()
                    .find(|t| [t.from, t.to] == l.stations)
                    .map(|t| Error95::from_covariance(&t.covariance.fixed_view::<3, 3>(0, 0).into_owned()).spatial),
                bridge: l.bridge,
                faults: faults.iter().map(|f| trap_words::fault(*f).to_owned()).collect(),
            }
        })
        .collect();
    let mut found = traps(&design, &c, &graph, &p);
    let walked = |t: &PlannedTarget| t.kind == PlannedKind::Mark && stood_on(&plan.walks, &t.position);
    found.retain(|t| !matches!(t, Trap::Unmeasured(k, _) if walked(&targets[*k])));
    let covers = plan.stations.iter().enumerate().map(|(s, (id, station))| {
        let mut missing: HashMap<String, f64> = HashMap::new();
        for (sample, seen) in c.samples.iter().zip(&c.stations[s].samples) {
            if let Err(why) = seen {
                *missing.entry(reason(*why).into()).or_default() += sample.area();
            }
        }
        StationCoverDto {
            station: *id,
            name: station.name.clone(),
            area: c.stations[s].area,
            targets: p.sightings[s].iter().map(|x| plan.targets[x.target].0).collect(),
            missing,
            seen: seen_from_above(&c.samples, &c.stations[s]),
        }
    });
    CoverDto {
        stations: covers.collect(),
        links,
        groups: graph.components.iter().map(|g| g.iter().map(|&s| name(s)).collect()).collect(),
        cuts: graph.cuts.iter().map(|&s| name(s)).collect(),
        traps: trap_words::all(plan, brief, &found, &p),
        overlap: c.overlap.clone(),
        day: DayDto::from(&day(&stations, &instrument)),
        once: c.once,
        twice: c.twice,
        prediction: prediction(plan, &p),
    }
}

fn reason(why: NotCovered) -> &'static str {
    match why {
        NotCovered::Range => "out of range",
        NotCovered::BlindCone => "outside the field of view",
        NotCovered::Oblique => "too oblique",
        NotCovered::Hidden => "hidden",
        NotCovered::Coarse => "too coarse",
    }
}

/// The covered pieces of wall merged over their height.
fn seen_from_above(samples: &[Sample], cover: &StationCover) -> Vec<[f64; 5]> {
    let mut columns: HashMap<(i64, i64), (Vec3, Vec3, f64, f64)> = HashMap::new();
    let walls = samples.iter().zip(&cover.samples).filter(|(s, _)| matches!(s.surface, Surface::Wall(_)));
    for (sample, seen) in walls {
        let key = ((sample.position.x * 1000.0).round() as i64, (sample.position.y * 1000.0).round() as i64);
        let along = Vec3::new(-sample.normal.y, sample.normal.x, 0.0) * (sample.size[0] / 2.0);
        let e = columns.entry(key).or_insert((sample.position, along, 0.0, 0.0));
        e.3 += sample.area();
        if seen.is_ok() {
            e.2 += sample.area();
        }
    }
    columns
        .values()
        .filter(|c| c.2 > 0.0)
        .map(|(p, a, seen, all)| [p.x - a.x, p.y - a.y, p.x + a.x, p.y + a.y, seen / all])
        .collect()
}

/// What would be covered from one place: quick enough to follow a station that is dragged. What the
/// others cover is computed once and kept.
pub(crate) fn look(plan: &Plan, brief: &Brief, from: &LookRequest) -> LookDto {
    let instrument = Instrument::from(&brief.instrument);
    let bvh = Bvh::new(&plan.site);
    let samples = sample(&plan.site, GRID);
    let station = Station { step: from.step, ..Station::at("", from.position.into()) };
    let own = look_round(&bvh, &samples, &station, &instrument);
    let others: Vec<StationCover> = plan
        .stations
        .iter()
        .filter(|s| Some(s.0) != from.instead_of)
        .map(|s| look_round(&bvh, &samples, &s.1, &instrument))
        .collect();
    let wanted = |i: &usize| samples[*i].demand.is_some();
    let covered = |i: &usize| own.samples[*i].is_ok() || others.iter().any(|o| o.samples[*i].is_ok());
    let total: f64 = (0..samples.len()).filter(wanted).map(|i| samples[i].area()).sum();
    let once: f64 = (0..samples.len()).filter(wanted).filter(covered).map(|i| samples[i].area()).sum();
    let targets = plan.targets();
    let alone = [station];
    let design = Design::new(&plan.site, &instrument, kit(brief), &alone, &targets);
    LookDto {
        area: own.area,
        once: (total > 0.0).then(|| once / total),
        seen: seen_from_above(&samples, &own),
        targets: predict(&design).sees[0].iter().map(|&t| targets[t].name.clone()).collect(),
    }
}

/// Every surface piece by piece: how often, how finely, how squarely it is covered, and why not.
pub(crate) fn map(plan: &Plan, brief: &Brief) -> Vec<SurfaceDto> {
    let instrument = Instrument::from(&brief.instrument);
    let (stations, targets) = (plan.stations(), plan.targets());
    let c = plan.cover(&instrument);
    let ties = ties(brief, &c, &stations, &instrument);
    let design = Design {
        ties: &ties,
        distances: &plan.distances(),
        ..Design::new(&plan.site, &instrument, kit(brief), &stations, &targets)
    };
    let p = predict(&design);
    let mut out: Vec<SurfaceDto> = Vec::new();
    let mut last: Option<Surface> = None;
    for (i, s) in c.samples.iter().enumerate() {
        if last != Some(s.surface) {
            last = Some(s.surface);
            let (item, name) = plan.surface(s.surface).clone();
            let (kind, length, base, top) = plan.face(s.surface);
            out.push(SurfaceDto {
                item,
                name,
                kind: kind.into(),
                wanted: s.demand.is_some(),
                required: s.demand.map(|d| d.spacing),
                accuracy: s.demand.and_then(|d| d.accuracy),
                length,
                base,
                top,
                area: 0.0,
                once: 0.0,
                twice: 0.0,
                cells: Vec::new(),
            });
        }
        let Some(surface) = out.last_mut() else { continue };
        let (count, best) = (c.count(i), c.best(i));
        surface.area += s.area();
        surface.once += if count > 0 { s.area() } else { 0.0 };
        surface.twice += if count > 1 { s.area() } else { 0.0 };
        let why = match best {
            Ok(_) => 0.0,
            Err(NotCovered::Hidden) => 1.0,
            Err(NotCovered::BlindCone) => 2.0,
            Err(NotCovered::Range) => 3.0,
            Err(NotCovered::Oblique) => 4.0,
            Err(NotCovered::Coarse) => 5.0,
        };
        let error = surface_error(&c, &design, &p, i);
        let f = |v: f64| v as f32;
        surface.cells.push([
            f(s.position.x),
            f(s.position.y),
            f(s.position.z),
            f(s.along),
            f(s.size[0]),
            f(s.size[1]),
            count as f32,
            best.map_or(0.0, |b| f(b.spacing)),
            best.map_or(0.0, |b| f(b.incidence)),
            why,
            error.map_or(0.0, f),
        ]);
    }
    out
}

fn prediction(plan: &Plan, p: &Prediction) -> PredictionDto {
    let (on_grid, errors) = plan.predicted_errors(p);
    let refused = match &p.block {
        Err(e) => Some(refusal(plan, p, e)),
        Ok(_) if !on_grid => {
            Some("fewer than 3 planned targets are marked as control: the figures hold within the block only".into())
        }
        Ok(_) => None,
    };
    let targets = errors
        .into_iter()
        .enumerate()
        .map(|(k, (name, e))| PointDto { name, position: plan.targets[p.used[k]].1.position.into(), error: e.into() })
        .collect();
    let stations = plan
        .stations
        .iter()
        .enumerate()
        .filter_map(|(k, (_, s))| {
            Some(PointDto { name: s.name.clone(), position: s.position.into(), error: p.station_error(k)?.into() })
        })
        .collect();
    let weakest = p.weakest().and_then(|(t, _)| p.used.iter().position(|u| *u == t));
    let budget = weakest.and_then(|k| p.budget(k)).map_or_else(Vec::new, |b| {
        super::registration::sources(&crate::record::shares(&b)).into_iter().filter(|s| s.share > 0.0005).collect()
    });
    let mut groups: Vec<crate::record::Group> = p.network.observations.iter().map(|o| o.group().into()).collect();
    groups.sort_unstable();
    groups.dedup();
    let name = |s: usize| plan.stations[s].1.name.clone();
    let knocks = p.block.as_ref().map_or_else(
        |_| Vec::new(),
        |b| {
            unnoticed(&p.network, b)
                .into_iter()
                .map(|u| KnockDto {
                    target: plan.targets[p.used[u.target]].1.name.clone(),
                    before: name(u.before),
                    after: name(u.after),
                    size: u.size.is_finite().then_some(u.size),
                    effect: u.effect.is_finite().then_some(u.effect),
                    harms: name(u.harms),
                })
                .collect()
        },
    );
    PredictionDto { refused, on_grid, targets, stations, budget, groups, knocks }
}

/// Why nothing can be predicted, with the names of the plan.
fn refusal(plan: &Plan, p: &Prediction, e: &vistazo_core::adjust::AdjustError) -> String {
    use vistazo_core::adjust::{AdjustError, Hold};
    let AdjustError::Defect(loose) = e else { return e.to_string() };
    let name = |t: usize| plan.targets[p.used[t]].1.name.clone();
    let all: Vec<String> = loose
        .iter()
        .map(|d| {
            let (hangs, line) = match &d.hangs {
                Hold::Nothing => (Vec::new(), false),
                Hold::One(a) => (vec![name(*a)], false),
                Hold::Two(a, b) => (vec![name(*a), name(*b)], false),
                Hold::Line(all) => (all.iter().map(|t| name(*t)).collect(), true),
            };
            crate::words::registration::loose(&plan.stations[d.scan].1.name, &hangs, line)
        })
        .collect();
    format!("the block is not determined: {}", all.join("; "))
}
