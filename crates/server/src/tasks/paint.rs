//! Colours the clouds from photographs: what each camera saw first, then scan by scan, each kept when it is done.

use super::derive::coloured;
use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::PaintDto;
use crate::work::colouring::Colouring;
use crate::work::{cleaning, files};
use nalgebra::Vector3;
use rayon::prelude::*;
use std::collections::HashMap;
use vistazo_core::cloud::WorkingCloud;
use vistazo_core::colour::{Depth, Exposure, Photo, paint};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::Scan;
use vistazo_formats::working_cloud;
use vistazo_store::photos::{COLOURED, ColoursRow, photo_key, put_colours};
use vistazo_store::tasks::Task;

/// Side of a voxel of a working cloud, metres.
const VOXEL: f64 = 0.05;
/// Places of each scan that tell the light of the photographs.
const SAMPLED: usize = 40_000;
/// Points coloured at once.
const BLOCK: usize = 1 << 20;

/// A photograph in memory.
struct Open {
    depth: Depth,
    from: Vec3,
    size: [usize; 2],
    pixels: Vec<[u8; 3]>,
    masks: Vec<[f64; 4]>,
    gain: [f64; 3],
}

impl Open {
    fn photo(&self) -> Photo<'_> {
        let Self { depth, from, size, pixels, masks, gain } = self;
        Photo { depth, from: *from, size: *size, pixels, masks, gain: *gain }
    }
}

pub(super) async fn run(app: &App, task: &Task, asked: PaintDto, progress: &Progress) -> Result<String, Stop> {
    let all = Colouring::load(app, task.job_id).await?;
    let mut open = Vec::new();
    for p in &all.photos {
        let Some(camera) = p.camera() else { continue };
        progress.at(0.0, &format!("reading {}", p.row.name))?;
        let bytes = app.objects.bytes(&photo_key(task.job_id, p.row.id)).await?;
        let (name, masks, size) = (p.row.name.clone(), p.masks.clone(), p.size());
        open.push(
            blocking(move || {
                let image =
                    image::load_from_memory(&bytes).map_err(|e| Stop::Failed(format!("{name}: {e}")))?.into_rgb8();
                let own = [image.width() as usize, image.height() as usize];
                let pixels = image.pixels().map(|p| p.0).collect();
                Ok(Open {
                    depth: Depth::new(camera, size),
                    from: camera.pose.translation,
                    size: own,
                    pixels,
                    masks,
                    gain: [1.0; 3],
                })
            })
            .await?,
        );
    }
    if open.is_empty() {
        return Err(Stop::Failed("no photograph has a place yet: pick at least six pairs in one".into()));
    }
    // what stands before what, from all scans
    let placed: Vec<_> = all.scans.iter().filter_map(|s| Some((s, all.stands.of_scan(s.id)?.1))).collect();
    for (k, (row, pose)) in placed.iter().enumerate() {
        progress.at(0.05 + 0.15 * k as f64 / placed.len() as f64, &format!("what stands before what: {}", row.name))?;
        let bytes = app.objects.bytes(&format!("{}/cloud", row.key)).await?;
        let pose = *pose;
        open = blocking(move || {
            let cloud = working_cloud::read(&bytes)?;
            open.par_iter_mut().for_each(|o| {
                o.depth.add(cloud.placed(&pose), cloud.voxel());
            });
            Ok(open)
        })
        .await?;
    }
    // and what light each was taken in, where several see the same
    let mut exposure = Exposure::new(open.len());
    let several = open.len() > 1;
    for (k, (row, pose)) in placed.iter().enumerate().filter(|_| several) {
        progress
            .at(0.2 + 0.1 * k as f64 / placed.len() as f64, &format!("the light of the photographs: {}", row.name))?;
        let bytes = app.objects.bytes(&format!("{}/cloud", row.key)).await?;
        let pose = *pose;
        (open, exposure) = blocking(move || {
            let cloud = working_cloud::read(&bytes)?;
            let step = (cloud.points.len() / SAMPLED).max(1);
            let places: Vec<Vec3> = cloud.placed(&pose).step_by(step).map(|p| p.0).collect();
            exposure.add(&places, &open.iter().map(Open::photo).collect::<Vec<_>>());
            Ok((open, exposure))
        })
        .await?;
    }
    for (o, gain) in open.iter_mut().zip(exposure.gains()) {
        o.gain = gain;
    }
    let todo: Vec<_> = all.to_do().into_iter().filter(|s| asked.scan.is_none_or(|a| a == s.id)).collect();
    let (mut done, mut left) = (0, 0);
    for (k, row) in todo.iter().enumerate() {
        let share = |part: f64| 0.3 + 0.7 * (k as f64 + part) / todo.len() as f64;
        progress.at(share(0.0), &format!("colouring {}", row.name))?;
        let (Some(inputs), Some((_, pose, _))) = (all.inputs(row), all.stands.of_scan(row.id)) else { continue };
        let scan = files::scan(app, row).await?;
        let cloud = app.objects.bytes(&format!("{}/cloud", row.key)).await?;
        let classes = match all.classes.get(&row.id) {
            Some(c) => cleaning::classes(app, c).await?,
            None => Vec::new(),
        };
        let p = progress.clone();
        let (made, seen, again) = blocking(move || {
            let (scan, seen) = colour(scan, &working_cloud::read(&cloud)?, &pose, &open, &p)?;
            Ok((coloured(&scan, &classes, &p)?, seen, open))
        })
        .await?;
        open = again;
        let key = format!("{}/{}", row.key.rsplit_once('/').map_or(row.key.as_str(), |k| k.0), made.tiles.build);
        progress.at(share(0.8), &format!("keeping {}", row.name))?;
        for name in COLOURED {
            app.objects.put_file(&format!("{key}/{name}"), &made.path(name)).await?;
        }
        let [coloured, unseen] = seen;
        (done, left) = (done + coloured, left + unseen);
        let row = ColoursRow {
            scan_id: row.id,
            inputs,
            classes: all.classes_of(row.id),
            key,
            tiles: serde_json::json!(made.tiles),
            coloured,
            unseen,
        };
        put_colours(&app.db, task.job_id, &row).await?;
    }
    let (done, left) = (super::ingest::grouped(done as u64), super::ingest::grouped(left as u64));
    Ok(format!("{} scans coloured: {done} points; {left} that no photograph saw stay as they came", todo.len()))
}

/// The scan with its colours, and how many points have one and how many have none.
fn colour(
    mut scan: Scan,
    cloud: &WorkingCloud,
    pose: &Pose,
    open: &[Open],
    progress: &Progress,
) -> Result<(Scan, [i64; 2]), Stop> {
    let photos: Vec<Photo<'_>> = open.iter().map(Open::photo).collect();
    let key = |p: &Vec3| -> [i32; 3] { (p / VOXEL).map(|v| v.floor() as i32).into() };
    let normals: HashMap<[i32; 3], [i8; 3]> =
        cloud.points.iter().zip(&cloud.normals).map(|(p, n)| (key(&Vec3::from(p.map(f64::from))), *n)).collect();
    let count = scan.points.len();
    let (mut colours, mut seen) = (Vec::with_capacity(count), 0_i64);
    for first in (0..count).step_by(BLOCK) {
        if progress.stopped() {
            return Err(Stop::Cancelled);
        }
        let points: Vec<(Vec3, Vec3)> = (first..(first + BLOCK).min(count))
            .into_par_iter()
            .map(|k| {
                let p = scan.at(k);
                let n = normals.get(&key(&p)).map_or_else(Vector3::zeros, |n| Vec3::from(n.map(f64::from)) / 127.0);
                (pose.apply(&p), pose.rotation * n)
            })
            .collect();
        let painted = paint(&points, &photos);
        seen += painted.colours.iter().flatten().count() as i64;
        // what no photograph saw keeps the colour that it came with, if any
        let came = |k: usize| scan.colour.get(first + k).copied().unwrap_or_default();
        colours.extend(painted.colours.into_iter().enumerate().map(|(k, c)| c.unwrap_or_else(|| came(k))));
    }
    scan.colour = colours;
    Ok((scan, [seen, count as i64 - seen]))
}
