//! The plan as the core takes it.

use crate::dto::{Brief, CoverDto, PlanData, PointDto, PredictionDto, StationCoverDto};
use crate::{ApiError, App};
use nalgebra::Vector2;
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::geometry::{Error95, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Cover, NotCovered, Obstacle, PlannedTarget, Prediction, Site, Station, Wall, cover, predict};
use vistazo_store::{jobs, views};

/// Size of the pieces that walls are cut into, metres.
pub(crate) const GRID: f64 = 0.25;

/// A plan taken apart.
#[derive(Clone, Default)]
pub(crate) struct Plan {
    pub site: Site,
    pub stations: Vec<(Uuid, Station)>,
    pub targets: Vec<(Uuid, PlannedTarget, bool)>,
    /// Changes whenever an item does.
    inputs: String,
}

pub(crate) async fn load(app: &App, job: Uuid) -> Result<Plan, ApiError> {
    let mut plan = Plan::default();
    let items = jobs::plan(&app.db, job).await?;
    plan.inputs = super::fingerprint(&items.iter().map(|i| (i.id, i.version)).collect::<Vec<_>>());
    for item in items {
        let Ok(d) = PlanData::parse(&item.kind, &item.data) else { continue };
        let line: Vec<Vector2<f64>> = d.line.iter().map(|p| Vector2::new(p[0], p[1])).collect();
        match item.kind.as_str() {
            "wall" => plan.site.walls.push(Wall {
                id: plan.site.walls.len(),
                line,
                base: d.base,
                top: d.top,
                required_spacing: d.required_spacing,
            }),
            "obstacle" => plan.site.obstacles.push(Obstacle { outline: line, base: d.base, top: d.top }),
            "station" => plan.stations.push((item.id, Station { name: d.name, position: Vec3::from(d.position) })),
            _ => {
                let sphere = d.target.as_deref() != Some("checker");
                let control_sigma = d.control_sigma.map(|s| Vec3::new(s[0], s[0], s[1]));
                plan.targets.push((
                    item.id,
                    PlannedTarget { name: d.name, position: Vec3::from(d.position), control_sigma },
                    sphere,
                ));
            }
        }
    }
    Ok(plan)
}

impl Plan {
    pub(crate) fn stations(&self) -> Vec<Station> {
        self.stations.iter().map(|s| s.1.clone()).collect()
    }

    pub(crate) fn cover(&self, instrument: &Instrument) -> Cover {
        cover(&self.site, &self.stations(), instrument, GRID)
    }

    pub(crate) fn predict(&self, brief: &Brief) -> Prediction {
        let targets: Vec<PlannedTarget> = self.targets.iter().map(|t| t.1.clone()).collect();
        let radius = brief.sphere_diameter.unwrap_or(0.2) / 2.0;
        predict(&self.site, &self.stations(), &targets, radius, &Instrument::from(&brief.instrument))
    }

    /// The names and 95 % errors that the plan will come out at; `true` when on control.
    pub(crate) fn predicted_errors(&self, p: &Prediction) -> (bool, Vec<(String, Error95)>) {
        let name = |k: usize| self.targets[p.used[k]].1.name.clone();
        if let Some(g) = &p.on_grid {
            return (true, (0..p.used.len()).map(|k| (name(k), g.target_error(k))).collect());
        }
        match &p.block {
            Ok(b) => (false, (0..p.used.len()).map(|k| (name(k), b.target_error(k))).collect()),
            Err(_) => (false, Vec::new()),
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
    super::fingerprint(&(&plan.inputs, &brief.instrument, brief.sphere_diameter))
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
    let c = plan.cover(&instrument);
    let p = plan.predict(brief);
    let stations = plan
        .stations
        .iter()
        .enumerate()
        .map(|(s, (id, station))| {
            let mut missing: HashMap<String, f64> = HashMap::new();
            for (sample, seen) in c.samples.iter().zip(&c.stations[s].samples) {
                if let Err(why) = seen {
                    let word = match why {
                        NotCovered::Range => "out of range",
                        NotCovered::BlindCone => "outside the field of view",
                        NotCovered::Oblique => "too oblique",
                        NotCovered::Hidden => "hidden",
                        NotCovered::Coarse => "too coarse",
                    };
                    *missing.entry(word.into()).or_default() += sample.area;
                }
            }
            StationCoverDto {
                station: *id,
                name: station.name.clone(),
                area: c.stations[s].area,
                targets: p.sees[s].iter().map(|&t| plan.targets[t].0).collect(),
                missing,
                seen: seen_from_above(&c, s),
            }
        })
        .collect();
    CoverDto { stations, overlap: c.overlap.clone(), once: c.once, twice: c.twice, prediction: prediction(plan, &p) }
}

/// The covered pieces of wall merged over their height.
fn seen_from_above(c: &Cover, station: usize) -> Vec<[f64; 5]> {
    let mut columns: HashMap<(i64, i64), (Vec3, Vec3, f64, f64)> = HashMap::new();
    for (sample, seen) in c.samples.iter().zip(&c.stations[station].samples) {
        let key = ((sample.position.x * 1000.0).round() as i64, (sample.position.y * 1000.0).round() as i64);
        let along = Vec3::new(-sample.normal.y, sample.normal.x, 0.0) * (GRID / 2.0);
        let e = columns.entry(key).or_insert((sample.position, along, 0.0, 0.0));
        e.3 += sample.area;
        if seen.is_ok() {
            e.2 += sample.area;
        }
    }
    columns
        .values()
        .filter(|c| c.2 > 0.0)
        .map(|(p, a, seen, all)| [p.x - a.x, p.y - a.y, p.x + a.x, p.y + a.y, seen / all])
        .collect()
}

fn prediction(plan: &Plan, p: &Prediction) -> PredictionDto {
    let (on_grid, errors) = plan.predicted_errors(p);
    let refused = match &p.block {
        Err(e) => Some(e.to_string()),
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
            let error = match (&p.on_grid, &p.block) {
                (Some(g), _) => Error95::from_covariance(&g.pose_covariances[k].fixed_view::<3, 3>(0, 0).into_owned()),
                (None, Ok(b)) => b.station_error(k),
                _ => return None,
            };
            Some(PointDto { name: s.name.clone(), position: s.position.into(), error: error.into() })
        })
        .collect();
    PredictionDto { refused, on_grid, targets, stations }
}
