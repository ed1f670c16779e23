//! Where each scan stands by the control that it shows by itself: a free station of the scanner, said on site. The same
//! adjustment and the same fit to control as for a block, of a block of one scan.

use super::grid;
use super::journal::Journal;
use super::registration::Inputs;
use crate::dto::{ControlLeftDto, Error95Dto, FactDto, OwnStationDto};
use crate::words::field as words;
use crate::{ApiError, App};
use std::collections::HashMap;
use uuid::Uuid;
use vistazo_core::field::{Known, over_mark};
use vistazo_core::geometry::{FitModel, Mat3, Vec3};
use vistazo_core::georef::{Georeferenced, GridMap, Input, Weakness, georeference};
use vistazo_core::instrument::Instrument;
use vistazo_core::registration::{ScanInput, single};
use vistazo_formats::crs;
use vistazo_store::field::ScanRow;
use vistazo_store::results::{self, ControlRow};

/// Fewest targets that a scan must show before anything is said.
const LEAST: usize = 2;
/// Control points that one scan is compared with, at most.
const MOST: usize = 300;
/// A station this far from where it was planned is asked about, metres: tripods stand where there is room.
const ASTRAY: f64 = 3.0;

/// What a station was noted to stand over.
struct Over {
    mark: String,
    height: Option<f64>,
}

/// By scan; nothing of scans that show fewer than two targets, nor where fewer than two points are known.
pub(crate) async fn all(app: &App, job: Uuid, journal: &Journal) -> Result<HashMap<Uuid, OwnStationDto>, ApiError> {
    let control = results::control(&app.db, job).await?;
    if control.iter().filter(|c| c.e.is_some() && !c.is_check).count() < LEAST {
        return Ok(HashMap::new());
    }
    let inputs = Inputs::load(app, job).await?;
    if inputs.detections.is_empty() {
        return Ok(HashMap::new());
    }
    let over = noted(journal);
    let key = super::fingerprint(&(
        1,
        inputs.fingerprint(),
        &inputs.brief.unit,
        inputs.brief.epsg,
        inputs.brief.undulation,
        inputs.brief.output,
        inputs.control.iter().map(control_key).collect::<Vec<_>>(),
        inputs.scans.iter().map(|s| Some(planned(&inputs, s)?.1.position)).collect::<Vec<_>>(),
        inputs.scans.iter().map(|s| over.get(&s.station_id?).map(|o| (&o.mark, o.height))).collect::<Vec<_>>(),
    ));
    let _turn = app.kept.turn(job, "own stations", &key).await;
    if let Some(text) = app.kept.text(job, "own stations", &key) {
        return crate::record::read("stations of scans", serde_json::from_slice(&text).unwrap_or_default());
    }
    let found = super::blocking(move || -> Result<HashMap<Uuid, OwnStationDto>, ApiError> {
        let (input, _) = inputs.to_core()?;
        let scans = inputs.of_scanners().zip(&input.scans);
        let one = |(row, scan): (&ScanRow, &ScanInput)| {
            let over = row.station_id.and_then(|s| over.get(&s));
            Some((row.id, of_one(&inputs, row, scan, over)?))
        };
        Ok(scans.filter_map(one).collect())
    })
    .await??;
    app.kept.put_text(job, "own stations", &key, serde_json::json!(found).to_string());
    Ok(found)
}

fn control_key(c: &ControlRow) -> impl serde::Serialize + '_ {
    (&c.name, [c.e, c.n, c.h], [c.sigma_e, c.sigma_n, c.sigma_v], c.is_check, &c.target)
}

/// By station: the mark and the height that stand in the journal.
fn noted(journal: &Journal) -> HashMap<Uuid, Over> {
    let visits = journal.stands().filter_map(|(_, f)| match f {
        FactDto::Visit(v) if !v.mark.trim().is_empty() => Some(v),
        _ => None,
    });
    let over =
        |v: &crate::dto::VisitDto| Over { mark: v.mark.trim().to_owned(), height: v.height.and_then(|h| h.upright()) };
    visits.map(|v| (v.station, over(v))).collect()
}

fn of_one(inputs: &Inputs, row: &ScanRow, scan: &ScanInput, over: Option<&Over>) -> Option<OwnStationDto> {
    let brief = &inputs.brief;
    if scan.targets.len() < LEAST {
        return None;
    }
    let instrument = Instrument::from(&brief.instrument);
    let nothing =
        |said: String| OwnStationDto { position: None, error: None, by: Vec::new(), sound: false, said: vec![said] };
    let (placed, block) = single(scan, &instrument.systematic).ok()?;
    let names = vec![String::new(); placed.targets.len()];
    let reference = brief.epsg.map(crs::lookup).transpose().ok()?;
    // the mark stood over is compared with the result: it must not be part of it
    let away = |c: &&ControlRow| over.is_none_or(|o| !o.mark.eq_ignore_ascii_case(c.name.trim()));
    let mut rows: Vec<ControlRow> = inputs.control.iter().filter(away).cloned().collect();
    if rows.len() > MOST {
        // of a list for a whole town, what is near: where this scan is planned
        let at = planned(inputs, row)?.1.position + brief.origin();
        let off = |c: &ControlRow| c.e.zip(c.n).map_or(f64::MAX, |(e, n)| (e - at.x).hypot(n - at.y));
        rows.sort_by(|a, b| off(a).total_cmp(&off(b)));
        rows.truncate(MOST);
    }
    let fitted = georeference(&Input {
        network: &placed.network,
        block: &block,
        names: &names,
        control: grid::points(&rows, &names),
        model: if scan.compensator.is_some() { FitModel::Levelled } else { FitModel::Rigid },
        levelled: scan.compensator.is_some(),
        map_at: &|at| grid::map_at(brief, reference.as_ref(), at).unwrap_or_else(|_| GridMap::local(*at)),
    });
    let fitted = match fitted {
        Ok(f) => f,
        Err(f) if f.ambiguous => return Some(nothing(words::own_station_in_two_ways())),
        // scans that show no control say nothing of themselves
        Err(_) => return None,
    };
    Some(as_sent(inputs, row, &rows, &fitted, over))
}

fn as_sent(
    inputs: &Inputs,
    row: &ScanRow,
    rows: &[ControlRow],
    f: &Georeferenced,
    over: Option<&Over>,
) -> OwnStationDto {
    let brief = &inputs.brief;
    let at = f.map.apply(&f.poses[0].translation);
    let covariance: Mat3 = f.pose_covariances[0].fixed_view::<3, 3>(0, 0).into_owned();
    let error = f.station_error(0);
    let by: Vec<ControlLeftDto> = (f.free.residuals.iter())
        .map(|r| ControlLeftDto { name: rows[r.control].name.clone(), residual: r.residual.into() })
        .collect();
    let mut doubts: Vec<String> = (f.weaknesses.iter())
        .filter_map(|w| match w {
            Weakness::ControlOff { control, off, .. } => {
                Some(words::own_station_off(brief, &rows[*control].name, *off))
            }
            Weakness::FitPoor(_) => Some(words::own_station_torn()),
            Weakness::ControlInLine => Some(words::own_station_in_line()),
            _ => None,
        })
        .collect();
    if f.free.dof == 0 {
        doubts.push(words::own_station_unchecked());
    }
    let mark = over.and_then(|o| Some((o, known(&inputs.control, &o.mark)?)));
    if let Some((o, mark)) = &mark {
        let instrument = Instrument::from(&brief.instrument);
        let said = over_mark(&at, &covariance, mark, o.height, instrument.centring_sigma, instrument.height_sigma);
        doubts.extend(said.iter().map(|r| words::over_mark(brief, &mark.name, r)));
    }
    doubts.extend(astray(inputs, row, &at));
    let names: Vec<&str> = by.iter().map(|b| b.name.as_str()).collect();
    let sound = doubts.is_empty();
    doubts.insert(0, words::own_station(brief, &names, &error));
    OwnStationDto { position: Some(at.into()), error: Some(Error95Dto::from(error)), by, sound, said: doubts }
}

fn known(control: &[ControlRow], name: &str) -> Option<Known> {
    let c = control.iter().find(|c| c.name.trim().eq_ignore_ascii_case(name))?;
    Some(Known {
        name: c.name.clone(),
        position: Vec3::new(c.e?, c.n?, c.h?),
        sigma: Vec3::new(c.sigma_e, c.sigma_n, c.sigma_v),
    })
}

/// The station that a scan is of, as planned.
fn planned<'a>(inputs: &'a Inputs, row: &ScanRow) -> Option<&'a (Uuid, vistazo_core::plan::Station)> {
    inputs.plan.stations.iter().find(|s| Some(s.0) == row.station_id)
}

/// A scan that stands far from where its station was planned, and the planned one that it is nearest to.
fn astray(inputs: &Inputs, row: &ScanRow, at: &Vec3) -> Option<String> {
    let own = planned(inputs, row)?;
    let on_plan = at - inputs.brief.origin();
    let off = |s: &vistazo_core::plan::Station| (s.position - on_plan).xy().norm();
    let nearest = inputs.plan.stations.iter().min_by(|a, b| off(&a.1).total_cmp(&off(&b.1)))?;
    (off(&own.1) > ASTRAY).then(|| {
        let other = (nearest.0 != own.0 && off(&nearest.1) < ASTRAY).then_some(nearest.1.name.as_str());
        words::astray(&inputs.brief, &own.1.name, off(&own.1), other)
    })
}
