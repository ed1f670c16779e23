//! From an adjusted block to the grid.

use super::{planning, registration};
use crate::dto::{
    Brief, CheckSummaryDto, ControlResidualDto, Error95Dto, GeorefDto, GeorefResult, GridDto, PoseDto, StationDto,
    SurfaceErrorDto, TargetDto,
};
use crate::record::georeference::{self as record, Georeferencing, Names, Pairing, PointResidual};
use crate::record::registration::Registration;
use crate::{ApiError, App, words};
use uuid::Uuid;
use vistazo_core::adjust::kinds::KnownPoint;
use vistazo_core::adjust::{Network, Scaling, Solution, precision};
use vistazo_core::geometry::{Error95, FitModel, Pose, Vec3};
use vistazo_core::georef::{ControlPoint, Failure, GridMap, Input, Output, Weakness, georeference};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::{Station, carried, cover};
use vistazo_core::stats::K95_1D;
use vistazo_formats::crs;
use vistazo_store::results::{self, ControlRow};

/// What georeferencing depends on.
fn fingerprint(adjustment: &results::Adjustment, control: &[ControlRow], brief: &Brief) -> String {
    let control: Vec<_> = control
        .iter()
        .map(|c| (&c.name, [c.e, c.n, c.h], [c.sigma_e, c.sigma_n, c.sigma_v], c.is_check, &c.target))
        .collect();
    super::fingerprint(&(3, adjustment.id, control, brief.epsg, brief.undulation, brief.output))
}

/// A stored georeferencing, and whether it is still of what is there.
pub(crate) struct Current {
    pub inputs: String,
    pub stale: bool,
    pub record: Georeferencing,
}

/// The last georeferencing, given the registration that is there now.
pub(crate) async fn current_of(
    app: &App,
    job: Uuid,
    brief: &Brief,
    block: Option<&registration::Current>,
) -> Result<Option<Current>, ApiError> {
    let Some(stored) = results::georef(&app.db, job).await? else { return Ok(None) };
    match stored.result.get("version").and_then(serde_json::Value::as_u64) {
        Some(2) => {}
        // of an earlier program: to be fitted again, which takes a second
        None => return Ok(None),
        Some(n) => {
            return Err(ApiError::bad(format!(
                "the stored georeferencing has version {n}, expected at most 2: it was written by a newer program"
            )));
        }
    }
    let record: Georeferencing = crate::record::read("georeferencing", stored.result)?;
    let walked = record.source == record::Source::Walked;
    let stale = match block.filter(|b| !walked || !b.record.scans.is_empty()) {
        // held by passes, until a block of scans is there
        None if walked => super::walked_grid::fingerprint(app, job, brief).await? != stored.inputs,
        Some(b) => b.stale || fingerprint(&b.row, &results::control(&app.db, job).await?, brief) != stored.inputs,
        None => true,
    };
    Ok(Some(Current { inputs: stored.inputs, stale, record }))
}

pub(crate) async fn current(app: &App, job: Uuid) -> Result<Option<Current>, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    let block = registration::current_of(app, job, &brief).await?;
    current_of(app, job, &brief, block.as_ref()).await
}

/// Fits the block to control, or keeps it in the system that it was adjusted in, and stores the result.
pub(crate) async fn run(app: &App, job: Uuid, to: To) -> Result<GeorefDto, ApiError> {
    let (_, brief) = super::brief(app, job).await?;
    if to != To::Own && super::walked_grid::is_for(app, job).await? {
        let (inputs, record) = super::walked_grid::hold(app, job).await?;
        return kept(app, job, &brief, inputs, record).await;
    }
    let Some(block) = registration::current_of(app, job, &brief).await? else {
        return Err(ApiError::conflict(
            "the block is not adjusted yet: run the registration first, control only goes on an adjusted network",
        ));
    };
    if let Some(reason) = &block.record.refused {
        return Err(ApiError::conflict(format!("the block is not adjusted: {}", words::registration::refusal(reason))));
    }
    if block.stale {
        return Err(ApiError::conflict(
            "scans or observations changed since the block was adjusted: run the registration again first",
        ));
    }
    let control = results::control(&app.db, job).await?;
    if to == To::Own {
        may_stay(&brief, &control)?;
    }
    let inputs = fingerprint(&block.row, &control, &brief);
    let detail = registration::detail(app, block.row.id).await?;
    let plan = planning::load(app, job).await?;
    let b = brief.clone();
    let record = super::blocking(move || {
        let network = crate::record::registration::network(&block.record, &detail);
        // the stored state is the solution: its statistics follow without another iteration
        let solution = precision(&network, Scaling::Estimated).map_err(|e| ApiError::conflict(e.to_string()))?;
        let To::Control(model) = to else { return Ok(record::in_own_system(&solution, &block.record)) };
        let mut record = compute(&b, &block.record, (&network, &solution), &control, model)?;
        record.surfaces = surfaces(&b, &plan, &record);
        Ok::<_, ApiError>(record)
    })
    .await??;
    kept(app, job, &brief, inputs, record).await
}

async fn kept(
    app: &App,
    job: Uuid,
    brief: &Brief,
    inputs: String,
    record: Georeferencing,
) -> Result<GeorefDto, ApiError> {
    results::put_georef(&app.db, job, &inputs, &serde_json::json!(record)).await?;
    Ok(to_dto(brief, &Current { inputs, stale: false, record }))
}

/// What a block is brought to.
#[derive(Clone, Copy, PartialEq)]
pub(crate) enum To {
    /// Control, by a fit in which so much may turn and stretch.
    Control(FitModel),
    /// Nothing: the system that it was adjusted in.
    Own,
}

/// A block stays in a system of its own where nobody says that it lies on another.
fn may_stay(brief: &Brief, control: &[ControlRow]) -> Result<(), ApiError> {
    if let Some(epsg) = brief.epsg {
        return Err(ApiError::conflict(format!(
            "the brief asks for {}: without control the block does not lie there. Store control, or set the reference of the brief to a local grid",
            reference_words(Some(epsg))
        )));
    }
    match control.len() {
        0 => Ok(()),
        n => Err(ApiError::conflict(format!(
            "found {n} control points, expected none: a block in a system of its own ignores them. Fit to them, or take them out"
        ))),
    }
}

/// Control as the core takes it: what is not known is left free.
pub(super) fn points(control: &[ControlRow], names: &[String]) -> Vec<ControlPoint> {
    let free = KnownPoint::FREE;
    control
        .iter()
        .map(|c| ControlPoint {
            name: c.name.clone(),
            position: Vec3::new(c.e.unwrap_or(0.0), c.n.unwrap_or(0.0), c.h.unwrap_or(0.0)),
            sigma: Vec3::new(
                if c.e.is_some() { c.sigma_e } else { free },
                if c.n.is_some() { c.sigma_n } else { free },
                if c.h.is_some() { c.sigma_v } else { free },
            ),
            check: c.is_check,
            target: c.target.as_ref().and_then(|t| names.iter().position(|n| n.eq_ignore_ascii_case(t))),
        })
        .collect()
}

/// The map from local metres to the grid at a place, as the brief wants it.
pub(super) fn map_at(brief: &Brief, reference: Option<&crs::Reference>, at: &Vec3) -> Result<GridMap, crs::CrsError> {
    let Some(reference) = reference else { return Ok(GridMap::local(*at)) };
    let map = reference.map_at(at, brief.undulation.unwrap_or(0.0))?;
    Ok(if brief.output() == Output::Ground { map.ground() } else { map })
}

/// The map to the grid about the middle of a list of control; none where no point has three coordinates.
pub(super) fn map_of_control(brief: &Brief, control: &[ControlRow]) -> Result<Option<GridMap>, ApiError> {
    let whole: Vec<Vec3> = control.iter().filter_map(|c| Some(Vec3::new(c.e?, c.n?, c.h?))).collect();
    if whole.is_empty() {
        return Ok(None);
    }
    let middle = whole.iter().sum::<Vec3>() / whole.len() as f64;
    let reference = brief.epsg.map(crs::lookup).transpose().map_err(|e| ApiError::conflict(e.to_string()))?;
    map_at(brief, reference.as_ref(), &middle).map(Some).map_err(|e| ApiError::conflict(e.to_string()))
}

fn compute(
    brief: &Brief,
    block: &Registration,
    (network, solution): (&Network, &Solution),
    control: &[ControlRow],
    model: FitModel,
) -> Result<Georeferencing, ApiError> {
    let targets: Vec<String> = block.targets.iter().map(|t| t.name.clone()).collect();
    let rows: Vec<(Uuid, String)> = control.iter().map(|c| (c.id, c.name.clone())).collect();
    let names = Names { control: &rows, targets: &targets };
    let reference = brief.epsg.map(crs::lookup).transpose().map_err(|e| ApiError::conflict(e.to_string()))?;
    let control = points(control, &targets);
    // a place the projection does not know: what was done wrong is better said by what would fit
    let outside = control
        .iter()
        .filter(|c| c.has_plan())
        .find_map(|c| map_at(brief, reference.as_ref(), &c.position).err().map(|e| format!("{}: {e}", c.name)));
    let input = Input {
        network,
        block: solution,
        names: &targets,
        control,
        model,
        levelled: block.groups.contains(&crate::record::Group::Levelling),
        map_at: &|at| map_at(brief, reference.as_ref(), at).unwrap_or_else(|_| GridMap::local(*at)),
    };
    let mut fitted = georeference(&input).map_err(|f| {
        let more = outside.as_ref().map_or_else(String::new, |o| format!(". {o}"));
        ApiError::conflict(failure(brief, &f, &names) + &more)
    })?;
    if let Some(reason) = outside {
        return Err(ApiError::conflict(reason));
    }
    if reference.is_some() && fitted.map.factors.is_none() {
        fitted.weaknesses.push(Weakness::NoFactor);
    }
    Ok(record::store(&fitted, block, &names, brief.epsg))
}

fn failure(brief: &Brief, f: &Failure, names: &Names<'_>) -> String {
    let mut out = f.error.to_string();
    for m in &f.mistakes {
        out += &format!(". {}", words::control::mistake(brief, &record::mistake(m, names)));
    }
    if f.mistakes.is_empty() && f.ambiguous {
        out += ". The layout fits in more than one way: name the targets";
    }
    out
}

/// The worst error on each required surface, by the placed scan that shows each piece best.
fn surfaces(brief: &Brief, plan: &planning::Plan, g: &Georeferencing) -> Vec<record::Surface> {
    if plan.site.walls.iter().all(|w| w.demand.is_none()) && plan.site.slabs.iter().all(|s| s.demand.is_none()) {
        return Vec::new();
    }
    let instrument = Instrument::from(&brief.instrument);
    let stations: Vec<Station> =
        g.stations.iter().map(|s| Station::at(&s.name, Pose::from(&s.grid).translation - brief.origin())).collect();
    let cover = cover(&plan.site, &stations, &instrument, 2.0 * planning::GRID);
    let mut out: Vec<(vistazo_core::plan::Surface, f64, f64, [f64; 3])> = Vec::new();
    for (i, s) in cover.samples.iter().enumerate().filter(|(_, s)| s.demand.is_some()) {
        let best = (0..stations.len())
            .filter(|&k| cover.stations[k].samples[i].is_ok())
            .map(|k| {
                let pose = nalgebra::Matrix6::from_row_slice(&g.stations[k].covariance);
                let ray = s.position - stations[k].position;
                let e = Error95::from_covariance(&(carried(&pose, &ray) + instrument.systematic.of_range(&ray)));
                [e.horizontal, e.vertical, e.spatial]
            })
            .min_by(|a, b| a[2].total_cmp(&b[2]));
        let at = out.iter().position(|o| o.0 == s.surface).unwrap_or_else(|| {
            out.push((s.surface, 0.0, 0.0, [0.0; 3]));
            out.len() - 1
        });
        out[at].1 += s.area();
        if let Some(e) = best {
            out[at].2 += s.area();
            for (worst, e) in out[at].3.iter_mut().zip(e) {
                *worst = worst.max(e);
            }
        }
    }
    out.into_iter()
        .map(|(surface, all, shown, worst)| record::Surface {
            name: plan.surface(surface).1.clone(),
            // a surface of which less than half is shown cannot be judged by what is
            error: (shown >= 0.5 * all).then_some(worst),
        })
        .collect()
}

/// As it is sent.
pub(crate) fn to_dto(brief: &Brief, c: &Current) -> GeorefDto {
    let g = &c.record;
    let factors = g.map.factors;
    let checks = &g.checks;
    GeorefDto {
        stale: c.stale,
        result: GeorefResult {
            model: g.model,
            source: g.source,
            grid: GridDto {
                origin: g.map.origin,
                point_scale: factors.map(|f| f[0]),
                height_factor: factors.map(|f| f[1]),
                combined: factors.map(|f| f[0] * f[1]),
                convergence: factors.map(|f| f[2]),
                output: g.map.output,
                reference: if g.by_control() { reference_words(g.epsg) } else { OWN_SYSTEM.into() },
                vertical: if g.by_control() {
                    brief.vertical_words()
                } else {
                    "those of the block (no control)".into()
                },
            },
            scale: g.scale,
            scale_sigma: g.scale_sigma,
            parameter_sigma: g.parameter_sigma,
            stations: g.stations.iter().map(station).collect(),
            targets: g
                .targets
                .iter()
                .map(|t| TargetDto {
                    name: t.name.clone(),
                    kind: t.kind,
                    position: t.position,
                    error: Error95Dto::from(crate::record::error95(&t.covariance)),
                    scans: t.scans,
                    used: t.used,
                    difference: t.difference,
                    sources: registration::sources(&t.budget),
                })
                .collect(),
            residuals: g.residuals.iter().map(residual).collect(),
            checks: checks.points.iter().map(residual).collect(),
            check_summary: CheckSummaryDto {
                rmse: checks.rmse,
                horizontal: checks.horizontal,
                spatial: checks.spatial,
                bound: checks.bound,
                bias: checks.bias,
                bias95: checks.bias95,
                quadrants: checks.quadrants,
                p_value: checks.p_value,
                missing: checks.missing.clone(),
            },
            unmatched: g.unmatched.clone(),
            surfaces: g.surfaces.iter().map(|s| SurfaceErrorDto { name: s.name.clone(), error: s.error }).collect(),
            sum: g.sum,
            dof: g.dof,
            global_p: g.global_p,
            variance_factor: g.variance[3],
            variance_estimate: g.variance[0],
            warnings: g.weaknesses.iter().map(|w| words::control::weakness(brief, w)).collect(),
        },
    }
}

/// The reference of a block that no control holds.
pub(crate) const OWN_SYSTEM: &str = "a system of its own (no control)";

/// The reference in words.
pub(crate) fn reference_words(epsg: Option<u16>) -> String {
    match epsg.map(crs::lookup) {
        Some(Ok(r)) => format!("{} (EPSG:{})", r.name, r.code),
        Some(Err(e)) => e.to_string(),
        None => "local grid".into(),
    }
}

fn station(s: &record::Station) -> StationDto {
    StationDto {
        scan: s.scan,
        name: s.name.clone(),
        pose: PoseDto::from(&Pose::from(&s.grid)),
        error: Error95Dto::from(Error95::from_covariance(&record::position(&s.covariance))),
        heading95: s.covariance.get(35).copied().unwrap_or(0.0).max(0.0).sqrt() * K95_1D,
        targets: s.targets,
        covariance: s.covariance.clone(),
    }
}

fn residual(r: &PointResidual) -> ControlResidualDto {
    ControlResidualDto {
        control: r.control,
        name: r.name.clone(),
        target: r.target.clone(),
        pairing: r.pairing,
        residual: r.residual,
        expected: r.expected,
        p_value: r.p_value,
        p_family: r.p_family,
        detectable: r.detectable,
        from_control: r.from_control,
        by_name: r.pairing == Pairing::Name,
    }
}
