//! Makes the picture of an elevation: every scan puts its points in, the nearest is seen.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::PictureDto;
use crate::work::cleaning::{self, Cleaning};
use crate::work::compare::Compared;
use crate::work::{colouring, elevation, files};
use rayon::prelude::*;
use uuid::Uuid;
use vistazo_core::clean::Class;
use vistazo_core::draw::{Elevation, Section, Slab, Stand};
use vistazo_core::geometry::Pose;
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;
use vistazo_store::photos::scan_colours;
use vistazo_store::tasks::Task;

/// Scans that show less of a picture do not say how well it is known.
const PART: f64 = 0.01;
/// At most so many parts of a scan at once: each holds a picture.
const PARTS: usize = 4;
/// What is cut by the plane is so thick, metres.
const THICK: f64 = 0.05;
/// The brightest of so many in a hundred points is white.
const WHITE: usize = 98;

pub(super) async fn run(app: &App, task: &Task, item: Uuid, progress: &Progress) -> Result<String, Stop> {
    let all = Compared::load(app, task.job_id).await?;
    let Some((row, data)) = elevation::row(app, task.job_id, item).await? else {
        return Err(Stop::Failed("the elevation is not there any more".into()));
    };
    let Some(facing) = elevation::facing(&data) else {
        return Err(Stop::Failed("the elevation does not say where it is".into()));
    };
    let Some(inputs) = elevation::inputs(&data, &all.stands, &all.scans) else {
        return Err(Stop::Failed("the block is not on the grid: fit it to control first".into()));
    };
    let (map, colours) = (all.stands.map(), scan_colours(&app.db, task.job_id).await?);
    let cleaned = Cleaning::load(app, task.job_id).await?;
    let placed: Vec<_> = all.scans.iter().filter_map(|s| Some((s, all.stands.of_scan(s.id)?))).collect();
    let mut picture = Elevation::new(facing);
    let mut showing = Vec::new();
    let section = Section::new(&facing, THICK);
    let (mut layers, mut stands) = (Vec::new(), Vec::new());
    for (k, (scan_row, (_, pose, covariance))) in placed.iter().enumerate() {
        progress.at(0.9 * k as f64 / placed.len() as f64, &format!("what {} sees of it", scan_row.name))?;
        let mut scan = files::scan(app, scan_row).await?;
        if let Some(c) = colours.iter().find(|c| c.scan_id == scan_row.id) {
            colouring::put_on(app, c, &mut scan).await?;
        }
        let classes = match cleaned.kept.get(&scan_row.id) {
            Some(c) => cleaning::classes(app, c).await?,
            None => Vec::new(),
        };
        let (pose, map) = (*pose, map.clone());
        let section = section.clone();
        let (merged, layer, seen) = blocking(move || {
            let white = white(&scan);
            let chunk = scan.points.len().div_ceil(rayon::current_num_threads().min(PARTS)).max(1);
            let parts: Vec<(Elevation, Slab, u64)> = (0..scan.points.len())
                .into_par_iter()
                .chunks(chunk)
                .map(|indices| {
                    let (mut part, mut slab, mut seen) = (Elevation::new(facing), section.slab(), 0);
                    for k in indices {
                        if classes.get(k).is_some_and(|c| *c != Class::Kept) {
                            continue;
                        }
                        let p = pose.apply(&scan.at(k));
                        let p = map.as_ref().map_or(p, |m| m.apply(&p));
                        seen += u64::from(part.add(&p, colour(&scan, k, white)));
                        section.add(&mut slab, &p);
                    }
                    (part, slab, seen)
                })
                .collect();
            let (mut seen, mut cut) = (0, section.slab());
            for (part, slab, n) in parts {
                picture.merge(&part);
                cut.merge(slab);
                seen += n;
            }
            Ok((picture, cut.finish(), seen))
        })
        .await?;
        picture = merged;
        let pose = Pose { translation: all.stands.position(&pose.translation).into(), ..pose };
        let stand = Stand { pose, covariance: *covariance };
        showing.push((scan_row.name.clone(), seen, facing.error95(&stand)));
        layers.push(layer);
        stands.push(stand);
    }
    progress.at(0.9, "closing what lies between points")?;
    let (done, png) = blocking(move || {
        let done = picture.finish();
        let png = encoded(done.size, &done.pixels)?;
        Ok((done, png))
    })
    .await?;
    if done.own == 0 {
        return Err(Stop::Failed(
            "no scan sees anything of it: look where its line lies, at its heights, and from which side".into(),
        ));
    }
    progress.at(0.95, "finding lines in what is cut")?;
    let relations = all.relations(app).await?;
    let instrument = Instrument::from(&all.brief.instrument);
    let ids: Vec<Uuid> = placed.iter().map(|p| p.0.id).collect();
    let low = facing.corner.z;
    let cut = blocking(move || {
        let relation = |a: usize, b: usize| relations.of(ids[a], ids[b]);
        Ok(elevation::section(&section.lines(&layers, &stands, &relation, &instrument), low, THICK))
    })
    .await?;
    let lines = cut.as_ref().map_or(0, |c| c.lines.len());
    let seen: u64 = showing.iter().map(|s| s.1).sum();
    showing.retain(|s| s.1 as f64 >= PART * seen as f64);
    let key = format!("jobs/{}/pictures/{}-{}", task.job_id, task.id, task.attempts);
    app.objects.put(&key, png).await?;
    let made = PictureDto {
        inputs,
        at: chrono::Utc::now(),
        key: key.clone(),
        size: done.size.map(|v| v as u32),
        share: done.share(),
        error95: showing.iter().map(|s| s.2).fold(0.0, f64::max),
        scans: showing.into_iter().map(|s| s.0).collect(),
    };
    let says = format!(
        "{}: {} × {} pixels, {:.0} % shown; {lines} lines cut",
        data.name,
        made.size[0],
        made.size[1],
        100.0 * made.share
    );
    if let Err(e) = elevation::put(app, task.job_id, (row, data), (made, cut)).await {
        app.objects.remove(&key).await.ok();
        return Err(e.into());
    }
    Ok(says)
}

fn colour(scan: &Scan, k: usize, white: f64) -> [u8; 3] {
    match scan.colour.get(k) {
        // what no photograph saw is black
        Some(c) if *c != [0; 3] => *c,
        _ => {
            let share = f64::from(scan.intensity.get(k).copied().unwrap_or(0)) / white;
            [(255.0 * share.min(1.0).powf(0.6)) as u8; 3]
        }
    }
}

/// What intensity is white in a picture.
fn white(scan: &Scan) -> f64 {
    let step = (scan.intensity.len() / 20_000).max(1);
    let mut some: Vec<u16> = scan.intensity.iter().step_by(step).copied().collect();
    let k = some.len() * WHITE / 100;
    if k >= some.len() {
        return 65535.0;
    }
    f64::from(*some.select_nth_unstable(k).1).max(1.0)
}

fn encoded(size: [usize; 2], pixels: &[[u8; 4]]) -> Result<Vec<u8>, Stop> {
    let wrong = |e: png::EncodingError| Stop::Failed(format!("the picture could not be written: {e}"));
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, size[0] as u32, size[1] as u32);
    encoder.set_color(png::ColorType::Rgba);
    encoder.write_header().and_then(|mut w| w.write_image_data(pixels.as_flattened())).map_err(wrong)?;
    Ok(out)
}
