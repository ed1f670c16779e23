//! Looks for solids: the clouds are counted into cells in which cylinders are found, then what lies near each solid is read
//! and measured.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::{DrawnFrom, SolidShape, SolidsRequest};
use crate::work::drawing;
use crate::work::solids::{self, Measured, Wanted};
use crate::work::sources::Sources;
use nalgebra::Vector2;
use rayon::prelude::*;
use vistazo_core::draw::solid::{Block, Cylinder, Kept, Near, Start, Voxels, block, cylinder, rods};
use vistazo_core::geometry::Vec3;
use vistazo_core::instrument::Instrument;
use vistazo_store::tasks::Task;

/// So far about a plan, or about the scanners where nothing is drawn, and below its floor solids are looked for, metres.
const ABOUT: f64 = 1.0;
const ABOUT_SCANS: f64 = 15.0;
const BELOW: f64 = 0.3;
/// Sides of what is looked through at most, metres.
const WIDEST: f64 = 400.0;

/// Pieces of a pass that are looked at together: a face is seen from one side of all of it.
const STRETCH: usize = 2;

enum Found {
    Cylinder(Cylinder),
    Block(Block),
}

pub(super) async fn run(app: &App, task: &Task, asked: SolidsRequest, progress: &Progress) -> Result<String, Stop> {
    let Some(mut sources) = Sources::load(app, task.job_id, STRETCH).await? else {
        return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
    };
    let rows = drawing::rows(app, task.job_id).await?;
    let Some((_, sheet)) = rows.iter().find(|(i, _)| i.id == asked.sheet && i.kind == "sheet") else {
        return Err(Stop::Failed("the sheet is not there any more".into()));
    };
    let all = &sources.all;
    let stands = sources.stands();
    let places: Vec<Vec3> = stands.iter().map(|s| s.pose.translation).collect();
    let Some(level) = drawing::level(sheet, &all.stands, &places) else {
        return Err(Stop::Failed("the sheet does not say where it is cut".into()));
    };
    let top = level.floor + asked.up;
    let from: Vec<_> = sources.of.iter().map(|s| (s.name.clone(), s.stand.pose.translation)).collect();
    let heights = [level.floor, level.cut, top];
    let mut wanted = solids::blocks(&rows, asked.sheet, &all.stands, &from, heights);
    let at = |p: &[f64; 2]| all.stands.inverse(&Vec3::new(p[0], p[1], 0.0)).xy();
    let drawn: Vec<Vector2<f64>> = (rows.iter())
        .filter(|(i, d)| i.kind == "line" && d.sheet == Some(asked.sheet))
        .flat_map(|(_, d)| d.line.iter().map(at))
        .collect();
    let [low, high] = extent(&drawn, &places, [level.floor - BELOW, top])?;
    let mut cells = Voxels::new(low, high);
    for (k, stand) in stands.iter().enumerate() {
        progress.at(0.4 * k as f64 / stands.len() as f64, &format!("what {} shows", sources.said(k)))?;
        let scan = sources.points(app, k).await?;
        let pose = stand.pose;
        cells = blocking(move || {
            let part = |points: &mut dyn Iterator<Item = Vec3>| {
                let mut part = Voxels::new(low, high);
                points.for_each(|p| part.add(&pose.apply(&p), &pose.translation));
                part
            };
            let join = |mut a: Voxels, b: Voxels| {
                a.merge(b);
                a
            };
            if let Some(counted) = scan.counted(part, join) {
                cells.merge(counted);
            }
            Ok(cells)
        })
        .await?;
    }
    progress.at(0.4, "looking for what is round")?;
    let asks = progress.clone();
    let round =
        blocking(move || rods(&cells, &mut |share| asks.share(0.4 + 0.1 * share)).ok_or(Stop::Cancelled)).await?;
    wanted.extend(round.into_iter().map(|start| Wanted {
        start,
        shape: SolidShape::Cylinder,
        over_opening: false,
        one_face: false,
        of: None,
    }));
    let starts: std::sync::Arc<Vec<Start>> = std::sync::Arc::new(wanted.iter().map(|w| w.start.clone()).collect());
    let mut kept: Vec<Vec<Kept>> = Vec::new();
    for (k, stand) in stands.iter().enumerate() {
        let said = format!("what {} shows of {} solids", sources.said(k), starts.len());
        progress.at(0.5 + 0.4 * k as f64 / stands.len() as f64, &said)?;
        let scan = sources.points(app, k).await?;
        let (pose, starts) = (stand.pose, starts.clone());
        let near = blocking(move || {
            let near = Near::new(&starts);
            let part = |points: &mut dyn Iterator<Item = Vec3>| near.collect(points.map(|p| pose.apply(&p)));
            let join = |mut a: Vec<Kept>, b: Vec<Kept>| {
                a.iter_mut().zip(b).for_each(|(a, b)| a.merge(b));
                a
            };
            Ok(scan.counted(part, join).unwrap_or_else(|| vec![Kept::default(); starts.len()]))
        })
        .await?;
        kept.push(near);
    }
    progress.at(0.9, "measuring")?;
    let beside = sources.relations(app).await?;
    let instrument = Instrument::from(&sources.brief().instrument);
    let names = sources.names();
    let hanging: Vec<bool> = wanted.iter().map(|w| w.over_opening).collect();
    let found = blocking(move || {
        let relation = |a: usize, b: usize| beside.of(a, b);
        let one = |(k, start): (usize, &Start)| {
            let near: Vec<&Kept> = kept.iter().map(|of| &of[k]).collect();
            match start {
                Start::Rod(ends, radius) => {
                    cylinder((*ends, *radius), &near, &stands, &relation, &instrument).map(Found::Cylinder)
                }
                Start::Block(outline, _) => block(outline, !hanging[k], &near, &stands, &instrument).map(Found::Block),
            }
        };
        Ok(starts.par_iter().enumerate().map(one).collect::<Vec<_>>())
    })
    .await?;
    progress.at(0.98, "keeping them")?;
    let drawn = DrawnFrom { inputs: sources.inputs.clone(), at: chrono::Utc::now(), squared: Vec::new() };
    let measured = Measured { stands: &sources.all.stands, names: &names, sheet: asked.sheet, drawn };
    let (mut new, mut again, mut counts) = (Vec::new(), Vec::new(), [0; 3]);
    let round: Vec<Cylinder> = (found.iter().flatten())
        .filter_map(|f| if let Found::Cylinder(c) = f { Some(c.clone()) } else { None })
        .collect();
    for (w, f) in wanted.iter().zip(found) {
        let Some(f) = f else { continue };
        if round.iter().any(|c| solids::is_of_round(w, c)) {
            continue;
        }
        let old = w.of.map(|k| &rows[k]);
        let data = match f {
            Found::Cylinder(c) => measured.cylinder(&c),
            Found::Block(b) => measured.block(w, &b, old.map(|o| &o.1)),
        };
        counts[w.shape as usize] += 1;
        match old {
            Some((row, _)) => again.push((row.id, data)),
            None => new.push(data),
        }
    }
    let count = solids::put(app, task.job_id, asked.sheet, new, again).await?;
    let [walls, pillars, cylinders] = counts;
    Ok(format!(
        "{walls} walls, {pillars} outlines, {cylinders} cylinders; {count} of them new, from {}",
        sources.in_words()
    ))
}

/// What is looked through: about the plan, or about the scanners where nothing is drawn.
fn extent(drawn: &[Vector2<f64>], places: &[Vec3], [low, high]: [f64; 2]) -> Result<[Vec3; 2], Stop> {
    let (about, of): (f64, Vec<Vector2<f64>>) =
        if drawn.is_empty() { (ABOUT_SCANS, places.iter().map(|p| p.xy()).collect()) } else { (ABOUT, drawn.to_vec()) };
    let limit = |pick: fn(f64, f64) -> f64, k: usize| of.iter().map(|p| p[k]).reduce(pick).unwrap_or(0.0);
    let a = Vec3::new(limit(f64::min, 0) - about, limit(f64::min, 1) - about, low);
    let b = Vec3::new(limit(f64::max, 0) + about, limit(f64::max, 1) + about, high);
    let wide = (b - a).xy().max();
    if wide > WIDEST {
        return Err(Stop::Failed(format!(
            "the plan is {wide:.0} m wide, expected at most {WIDEST:.0} m: draw a sheet for each part of it"
        )));
    }
    Ok([a, b])
}
