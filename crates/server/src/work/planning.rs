//! The plan as the core takes it, and what comes back from there.

use crate::dto::{
    Brief, CoverDto, DayDto, DistanceDto, KnockDto, LinkDto, LookDto, LookRequest, PlanData, PointDto, PredictionDto,
    StationCoverDto, SurfaceDto,
};
use crate::words::traps as trap_words;
use crate::{ApiError, App};
use nalgebra::Vector2;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::adjust::kinds::CloudTie;
use vistazo_core::adjust::unnoticed;
use vistazo_core::geometry::{Error95, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{
    Bvh, Column, Cover, Demand, Design, Edge, Kit, NoGo, NotCovered, Obstacle, Opening, PlannedDistance, PlannedKind,
    PlannedTarget, Prediction, SURFACE_SIGMA, Sample, Site, Slab, Station, StationCover, Surface, USUAL_INCIDENCE,
    Wall, cloud_ties, cover, day, look_round, predict, sample, station_graph, surface_error, traps,
};
use vistazo_core::targets::configuration;
use vistazo_store::{jobs, views};

/// Size of the pieces that surfaces are cut into, metres.
pub(crate) const GRID: f64 = 0.25;
/// Height of an instrument over its mark when the plan does not say, metres.
pub(crate) const INSTRUMENT_HEIGHT: f64 = 1.65;

/// A plan taken apart.
#[derive(Clone, Default)]
pub(crate) struct Plan {
    pub site: Site,
    /// Identifier, name and least required spacing of each wall and each floor of the site.
    pub surfaces: [Vec<(Uuid, String)>; 2],
    pub stations: Vec<(Uuid, Station)>,
    pub locked: Vec<bool>,
    pub targets: Vec<(Uuid, PlannedTarget)>,
    /// Distances between targets, with what was measured of them.
    pub distances: Vec<(PlannedDistance, Option<f64>)>,
    /// Outlines and names of hazards.
    pub hazards: Vec<(String, Vec<Vector2<f64>>)>,
    /// Names of known heights of the ground, and where they are.
    pub heights: Vec<(String, Vec3)>,
    /// Changes whenever an item does.
    pub inputs: String,
    /// Changes when something does that proposals of stations depend on: the site, and what is locked.
    pub ground: String,
}

pub(crate) async fn load(app: &App, job: Uuid) -> Result<Plan, ApiError> {
    let mut plan = Plan::default();
    let items = jobs::plan(&app.db, job).await?;
    plan.inputs = super::fingerprint(&items.iter().map(|i| (i.id, i.version)).collect::<Vec<_>>());
    let stays = |d: &serde_json::Value| d["locked"] == true || d["over"].is_string();
    let ground = items.iter().filter(|i| i.kind != "target" && (i.kind != "station" || stays(&i.data)));
    plan.ground = super::fingerprint(&ground.map(|i| (i.id, i.version)).collect::<Vec<_>>());
    let mut stations: Vec<(u32, Uuid, Station, PlanData)> = Vec::new();
    let mut distances: Vec<(Uuid, DistanceDto)> = Vec::new();
    for item in items {
        let Ok(d) = PlanData::parse(&item.kind, &item.data) else { continue };
        let line: Vec<Vector2<f64>> = d.line.iter().map(|p| Vector2::new(p[0], p[1])).collect();
        let demand = d.required_spacing.map(|spacing| Demand {
            spacing,
            incidence: d.required_incidence.unwrap_or(USUAL_INCIDENCE),
            accuracy: d.required_accuracy,
        });
        let position = Vec3::from(d.position);
        match item.kind.as_str() {
            "wall" => {
                let openings = d.openings.into_iter().map(|o| Opening {
                    name: o.name,
                    at: o.at,
                    width: o.width,
                    sill: o.sill,
                    head: o.head,
                });
                plan.site.walls.push(Wall {
                    id: plan.site.walls.len(),
                    line,
                    base: d.base,
                    top: d.top,
                    openings: openings.collect(),
                    demand,
                });
                plan.surfaces[0].push((item.id, d.name));
            }
            "floor" => {
                plan.site.slabs.push(Slab { outline: line, height: d.base, demand });
                plan.surfaces[1].push((item.id, d.name));
            }
            "obstacle" => plan.site.obstacles.push(Obstacle { outline: line, base: d.base, top: d.top }),
            "column" => plan.site.columns.push(Column {
                centre: position.xy(),
                radius: d.radius.unwrap_or(0.2),
                base: d.base,
                top: d.top,
            }),
            "edge" => plan.site.edges.push(Edge { line, foot: d.base, crest: d.top }),
            "height" => plan.heights.push((d.name, position)),
            "underlay" => {}
            "area" if d.area.as_deref() == Some("no_go") => plan.site.no_go.push(NoGo { outline: line }),
            "area" => plan.hazards.push((d.name, line)),
            "station" => {
                let station = Station {
                    step: d.step,
                    repeats: d.repeats.unwrap_or(1),
                    photographs: d.photographs,
                    ..Station::at(&d.name, position)
                };
                stations.push((d.order.unwrap_or(u32::MAX), item.id, station, d));
            }
            _ => {
                distances.extend(d.distances.iter().map(|x| (item.id, x.clone())));
                let kind = match d.target.as_deref() {
                    Some("checker") => PlannedKind::Checker(d.facing.map(|a| Vec3::new(a.sin(), a.cos(), 0.0))),
                    Some("mark") => PlannedKind::Mark,
                    _ => PlannedKind::Sphere,
                };
                plan.targets.push((
                    item.id,
                    PlannedTarget {
                        name: d.name,
                        position,
                        kind,
                        control_sigma: d.control_sigma.map(|s| Vec3::new(s[0], s[0], s[1])),
                        check: d.check,
                    },
                ));
            }
        }
    }
    for (from, x) in distances {
        // a target that is no longer there is measured to no more
        let of = |id: Uuid| plan.targets.iter().position(|t| t.0 == id);
        if let (Some(from), Some(to)) = (of(from), of(x.to)) {
            plan.distances.push((PlannedDistance { from, to, sigma: x.sigma }, x.measured));
        }
    }
    stations.sort_by_key(|s| (s.0, s.1));
    for (_, id, mut station, d) in stations {
        // a mark that is no longer there holds nothing
        let mark = |id: &Uuid| plan.targets.iter().position(|t| t.0 == *id && t.1.kind == PlannedKind::Mark);
        station.over = d.over.as_ref().and_then(mark);
        station.sights = d.sights.iter().filter_map(mark).collect();
        if let Some(over) = station.over {
            let height = d.instrument_height.unwrap_or(INSTRUMENT_HEIGHT);
            station.position = plan.targets[over].1.position + Vec3::z() * height;
        }
        // whoever stands over a mark stays there when stations are proposed
        plan.locked.push(d.locked || station.over.is_some());
        plan.stations.push((id, station));
    }
    Ok(plan)
}

/// Sizes of the targets, as the brief says.
pub(crate) fn kit(brief: &Brief) -> Kit {
    let usual = Kit::default();
    Kit {
        sphere_radius: brief.sphere_diameter.map_or(usual.sphere_radius, |d| d / 2.0),
        checker_half: brief.checker_side.map_or(usual.checker_half, |s| s / 2.0),
    }
}

/// The ties that clouds will give, when they are to be used.
pub(crate) fn ties(brief: &Brief, cover: &Cover, stations: &[Station], instrument: &Instrument) -> Vec<CloudTie> {
    if brief.tie_by_clouds { cloud_ties(cover, stations, instrument, SURFACE_SIGMA) } else { Vec::new() }
}

impl Plan {
    pub(crate) fn stations(&self) -> Vec<Station> {
        self.stations.iter().map(|s| s.1.clone()).collect()
    }

    pub(crate) fn targets(&self) -> Vec<PlannedTarget> {
        self.targets.iter().map(|t| t.1.clone()).collect()
    }

    /// Distances as they are planned.
    pub(crate) fn distances(&self) -> Vec<PlannedDistance> {
        self.distances.iter().map(|d| d.0).collect()
    }

    pub(crate) fn cover(&self, instrument: &Instrument) -> Cover {
        cover(&self.site, &self.stations(), instrument, GRID)
    }

    /// The names and 95 % errors that the plan will come out at; `true` when on control.
    pub(crate) fn predicted_errors(&self, p: &Prediction) -> (bool, Vec<(String, Error95)>) {
        let one = |k: usize| Some((self.targets[p.used[k]].1.name.clone(), p.target_error(k)?));
        (p.on_grid.is_some(), (0..p.used.len()).filter_map(one).collect())
    }

    /// Name of a surface of the site.
    pub(crate) fn surface(&self, s: Surface) -> &(Uuid, String) {
        match s {
            Surface::Wall(k) => &self.surfaces[0][k],
            Surface::Slab(k) => &self.surfaces[1][k],
        }
    }
}

/// What of the plan the title block and the verdict need.
#[derive(serde::Serialize, serde::Deserialize)]
pub(crate) struct Outlook {
    /// Share of required area covered.
    pub once: Option<f64>,
    pub prediction: PredictionDto,
}

/// What will come out: computed when something changed, else as it was kept.
pub(crate) async fn outlook(app: &App, job: Uuid, plan: &Plan, brief: &Brief) -> Result<Outlook, ApiError> {
    let inputs = inputs(plan, brief);
    if let Some(kept) = views::computed(&app.db, job, "outlook", &inputs).await?
        && let Ok(outlook) = serde_json::from_value(kept)
    {
        return Ok(outlook);
    }
    let dto = compute(app, job, plan, brief, &inputs).await?;
    Ok(Outlook { once: dto.once, prediction: dto.prediction })
}

/// Cover, overlap and prediction as JSON text: long for many stations, so it is handed on as kept.
pub(crate) async fn cover_text(app: &App, job: Uuid, plan: &Plan, brief: &Brief) -> Result<String, ApiError> {
    let inputs = inputs(plan, brief);
    if let Some(kept) = views::computed_text(&app.db, job, "cover", &inputs).await? {
        return Ok(kept);
    }
    let dto = compute(app, job, plan, brief, &inputs).await?;
    Ok(serde_json::json!(dto).to_string())
}

fn inputs(plan: &Plan, brief: &Brief) -> String {
    super::fingerprint(&(
        8,
        &plan.inputs,
        &brief.instrument,
        brief.sphere_diameter,
        brief.checker_side,
        &brief.unit,
        brief.tie_by_clouds,
    ))
}

async fn compute(app: &App, job: Uuid, plan: &Plan, brief: &Brief, inputs: &str) -> Result<CoverDto, ApiError> {
    let (p, b) = (plan.clone(), brief.clone());
    let dto = super::blocking(move || to_dto(&p, &b)).await?;
    let small = serde_json::json!({ "once": dto.once, "prediction": dto.prediction });
    views::keep(&app.db, job, "cover", inputs, &serde_json::json!(dto)).await?;
    views::keep(&app.db, job, "outlook", inputs, &small).await?;
    Ok(dto)
}

fn to_dto(plan: &Plan, brief: &Brief) -> CoverDto {
    let instrument = Instrument::from(&brief.instrument);
    let (stations, targets) = (plan.stations(), plan.targets());
    let c = plan.cover(&instrument);
    let ties = ties(brief, &c, &stations, &instrument);
    let design = Design {
        site: &plan.site,
        stations: &stations,
        targets: &targets,
        kit: kit(brief),
        instrument: &instrument,
        ties: &ties,
        distances: &plan.distances(),
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
    let found = traps(&design, &c, &graph, &p);
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
    let design = Design {
        site: &plan.site,
        stations: &alone,
        targets: &targets,
        kit: kit(brief),
        instrument: &instrument,
        ties: &[],
        distances: &[],
    };
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
        site: &plan.site,
        stations: &stations,
        targets: &targets,
        kit: kit(brief),
        instrument: &instrument,
        ties: &ties,
        distances: &plan.distances(),
    };
    let p = predict(&design);
    let mut out: Vec<SurfaceDto> = Vec::new();
    let mut last: Option<Surface> = None;
    for (i, s) in c.samples.iter().enumerate() {
        if last != Some(s.surface) {
            last = Some(s.surface);
            let (item, name) = plan.surface(s.surface).clone();
            let (kind, length, base, top) = match s.surface {
                Surface::Wall(k) => {
                    let w = &plan.site.walls[k];
                    ("wall", w.length(), w.base, w.top)
                }
                Surface::Slab(k) => ("floor", 0.0, plan.site.slabs[k].height, plan.site.slabs[k].height),
            };
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
