//! The plan as the core takes it, and what comes back from there.

use crate::dto::{Brief, DistanceDto, PlanData};
use crate::{ApiError, App};
use nalgebra::Vector2;
use uuid::Uuid;
use vistazo_core::adjust::kinds::CloudTie;
use vistazo_core::check::AreaLimits;
use vistazo_core::geometry::{Error95, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{
    Column, Cover, Demand, Edge, Kit, NoGo, Obstacle, Opening, PlannedDistance, PlannedKind, PlannedTarget, Prediction,
    SURFACE_SIGMA, Site, Slab, Station, Surface, USUAL_INCIDENCE, Wall, cloud_ties, cover, inside,
};
use vistazo_store::jobs;

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
    /// Parts of the site with limits of their own, with their outlines.
    pub areas: Vec<(AreaLimits, Vec<Vector2<f64>>)>,
    /// Walks with a mobile unit, by name.
    pub walks: Vec<super::planned_walks::WalkItem>,
    /// Outlines of areas and floors, for whoever sweeps them.
    pub outlines: Vec<(Uuid, Vec<Vector2<f64>>)>,
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
    let mut read = Reading { plan, ..Reading::default() };
    for item in items {
        let Ok(d) = PlanData::parse(&item.kind, &item.data) else { continue };
        read.add(&item.kind, item.id, d);
    }
    read.join();
    Ok(read.plan)
}

/// The items as they are stored; those that cannot be read are left out, as in [`load`].
pub(crate) async fn items(app: &App, job: Uuid) -> Result<Vec<super::carrying::Item>, ApiError> {
    let rows = jobs::plan(&app.db, job).await?;
    Ok(rows.into_iter().filter_map(|i| Some((i.id, i.kind.clone(), PlanData::parse(&i.kind, &i.data).ok()?))).collect())
}

/// A plan while its items are read.
#[derive(Default)]
struct Reading {
    plan: Plan,
    /// With the order they are taken in.
    stations: Vec<(u32, Uuid, Station, PlanData)>,
    distances: Vec<(Uuid, DistanceDto)>,
}

impl Reading {
    fn add(&mut self, kind: &str, id: Uuid, d: PlanData) {
        let plan = &mut self.plan;
        let line: Vec<Vector2<f64>> = d.line.iter().map(|p| Vector2::new(p[0], p[1])).collect();
        let demand = d.required_spacing.map(|spacing| Demand {
            spacing,
            incidence: d.required_incidence.unwrap_or(USUAL_INCIDENCE),
            accuracy: d.required_accuracy,
        });
        let position = Vec3::from(d.position);
        if matches!(kind, "area" | "floor") {
            plan.outlines.push((id, line.clone()));
        }
        match kind {
            "walk" => plan.walks.push(super::planned_walks::WalkItem {
                id,
                name: d.name,
                unit: d.unit.unwrap_or_default(),
                line,
                floor: d.base,
                pace: d.pace,
            }),
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
                plan.surfaces[0].push((id, d.name));
            }
            "floor" => {
                plan.site.slabs.push(Slab { outline: line, height: d.base, demand });
                plan.surfaces[1].push((id, d.name));
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
            "area" if d.area.as_deref() == Some("limits") => {
                let PlanData { name, horizontal95, vertical95, spatial95, .. } = d;
                plan.areas.push((AreaLimits { name, horizontal95, vertical95, spatial95 }, line));
            }
            "area" => plan.hazards.push((d.name, line)),
            "station" => {
                let station = Station {
                    step: d.step,
                    repeats: d.repeats.unwrap_or(1),
                    photographs: d.photographs,
                    ..Station::at(&d.name, position)
                };
                self.stations.push((d.order.unwrap_or(u32::MAX), id, station, d));
            }
            _ => {
                self.distances.extend(d.distances.iter().map(|x| (id, x.clone())));
                let kind = match d.target.as_deref() {
                    Some("checker") => PlannedKind::Checker(d.facing.map(|a| Vec3::new(a.sin(), a.cos(), 0.0))),
                    Some("mark") => PlannedKind::Mark,
                    _ => PlannedKind::Sphere,
                };
                plan.targets.push((
                    id,
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

    /// Puts together what speaks of other items, when all are there.
    fn join(&mut self) {
        let plan = &mut self.plan;
        for (from, x) in std::mem::take(&mut self.distances) {
            // a target that is no longer there is measured to no more
            let of = |id: Uuid| plan.targets.iter().position(|t| t.0 == id);
            if let (Some(from), Some(to)) = (of(from), of(x.to)) {
                plan.distances.push((PlannedDistance { from, to, sigma: x.sigma }, x.measured));
            }
        }
        self.stations.sort_by_key(|s| (s.0, s.1));
        plan.walks.sort_by(|a, b| a.name.cmp(&b.name));
        for (_, id, mut station, d) in std::mem::take(&mut self.stations) {
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
    }
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
    /// Outline of an area or a floor.
    pub(crate) fn outline(&self, item: Uuid) -> Option<Vec<Vector2<f64>>> {
        self.outlines.iter().find(|o| o.0 == item).map(|o| o.1.clone())
    }

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

    /// The area with limits of its own that a place lies in: of several the smallest.
    pub(crate) fn area_at(&self, p: &Vec3) -> Option<usize> {
        let twice =
            |o: &[Vector2<f64>]| -> f64 { (0..o.len()).map(|k| o[k].perp(&o[(k + 1) % o.len()])).sum::<f64>().abs() };
        let holding = self.areas.iter().enumerate().filter(|(_, a)| inside(&a.1, &p.xy()));
        holding.min_by(|a, b| twice(&a.1.1).total_cmp(&twice(&b.1.1))).map(|a| a.0)
    }

    /// What the error in space is held against at a place.
    pub(crate) fn limit_at(&self, brief: &Brief, p: &Vec3) -> Option<f64> {
        self.area_at(p).and_then(|k| self.areas[k].0.spatial95).or(brief.requirement.spatial95)
    }

    /// The area that the middle of a surface lies in, by its name.
    pub(crate) fn area_of_surface(&self, name: &str) -> Option<usize> {
        let middle = |line: &[Vector2<f64>]| line.iter().sum::<Vector2<f64>>() / line.len().max(1) as f64;
        let walls = self.surfaces[0].iter().zip(&self.site.walls).map(|(s, w)| {
            let at = w.point_at(w.length() / 2.0).map_or_else(|| middle(&w.line), |p| p.0);
            (s, at)
        });
        let slabs = self.surfaces[1].iter().zip(&self.site.slabs).map(|(s, f)| (s, middle(&f.outline)));
        let at = walls.chain(slabs).find(|(s, _)| s.1 == name)?.1;
        self.area_at(&at.push(0.0))
    }

    /// Of a surface its kind, length along it, and heights, metres.
    pub(crate) fn face(&self, s: Surface) -> (&'static str, f64, f64, f64) {
        match s {
            Surface::Wall(k) => {
                let w = &self.site.walls[k];
                ("wall", w.length(), w.base, w.top)
            }
            Surface::Slab(k) => ("floor", 0.0, self.site.slabs[k].height, self.site.slabs[k].height),
        }
    }

    /// Name of a surface of the site.
    pub(crate) fn surface(&self, s: Surface) -> &(Uuid, String) {
        match s {
            Surface::Wall(k) => &self.surfaces[0][k],
            Surface::Slab(k) => &self.surfaces[1][k],
        }
    }
}
