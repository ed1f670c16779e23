//! The files of a pass are read: a cloud with times, and the path it was taken along.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::{PassFacts, UploadOptions};
use crate::work::{passes, room};
use uuid::Uuid;
use vistazo_core::mobile::{self, Trajectory};
use vistazo_core::stats::median;
use vistazo_formats::passes::{
    KeptPath, KeptPieces, PathOptions, TimedCloud, Turns, clock_shift, read_path, read_timed,
};
use vistazo_store::tasks::Task;
use vistazo_store::uploads::{self, Upload};

/// Longest path read, bytes.
const LONGEST: i64 = 512 << 20;

/// What was read, on its way to be kept.
struct Read {
    kept: KeptPath,
    cloud: TimedCloud,
    pieces: KeptPieces,
    facts: PassFacts,
}

pub(super) async fn run(app: &App, task: &Task, id: Uuid, progress: &Progress) -> Result<String, Stop> {
    let row = vistazo_store::passes::pass(&app.db, task.job_id, id).await?;
    let (Some(cloud_id), Some(path_id)) = (row.cloud_id, row.path_id) else {
        let lacks = if row.cloud_id.is_none() { "cloud" } else { "path" };
        return Ok(format!("{}: waits for its {lacks}", row.name));
    };
    let cloud = uploads::get(&app.db, task.job_id, cloud_id).await?;
    let path = uploads::get(&app.db, task.job_id, path_id).await?;
    if cloud.state != "whole" || path.state != "whole" {
        return Ok(format!("{}: waits for the rest of its files", row.name));
    }
    if path.bytes > LONGEST {
        return Err(Stop::Failed(format!(
            "{}: found {} MB, expected a path of at most {} MB",
            path.file_name,
            path.bytes >> 20,
            LONGEST >> 20
        )));
    }
    room::check(app, &cloud.file_name, cloud.bytes as u64 * room::growth(&cloud.file_name)).map_err(Stop::Failed)?;
    let reach = passes::unit(&row).max_range;
    let files = tempfile::tempdir()?;
    for (upload, name) in [(&path, "path"), (&cloud, "cloud")] {
        progress.at(0.0, &format!("{}: fetching the file", upload.file_name))?;
        uploads::fetch(&app.db, &app.objects, upload, &files.path().join(name), &|s| progress.share(0.1 * s)).await?;
    }
    let named = |of: &Upload| {
        let name = of.file_name.clone();
        move |e: &dyn std::fmt::Display| Stop::Failed(format!("{name}: {e}"))
    };
    let (of_cloud, of_path) = (named(&cloud), named(&path));
    let [options, path_options] = [&cloud, &path].map(|u| serde_json::from_value::<UploadOptions>(u.options.clone()));
    let (options, unit) = (options?.read()?, path_options?.read()?.unit);
    let watch = progress.clone();
    let names = [cloud.file_name.clone(), path.file_name.clone()];
    let read = blocking(move || {
        let text = std::fs::read(files.path().join("path"))?;
        let text = String::from_utf8_lossy(&text);
        let told = read_path(&text, &PathOptions { unit, columns: None }).map_err(|e| of_path(&e))?;
        drop(text);
        let kept = KeptPath(told.samples.clone());
        let path = Trajectory::new(told.samples).map_err(|e| of_path(&e))?;
        let go_on = |n: u64| {
            watch.note(&format!("{}: {} points read", names[0], super::ingest::grouped(n)));
            !watch.stopped()
        };
        let cloud = read_timed(&files.path().join("cloud"), &options, &go_on).map_err(|e| of_cloud(&e))?;
        let spans = ([cloud.times[0], cloud.times[cloud.times.len() - 1]], path.span());
        let Some(clock) = clock_shift(spans.0, spans.1, cloud.began).map(|c| c.seconds()) else {
            return Err(Stop::Failed(format!(
                "{} was measured from {:.3} to {:.3} s, and {} goes from {:.3} to {:.3} s: they are of two walks, or of two clocks",
                names[0], spans.0[0], spans.0[1], names[1], spans.1[0], spans.1[1]
            )));
        };
        watch.at(0.6, &format!("{}: cutting it into pieces", names[0]))?;
        let points = cloud.about(&path.origin(), clock);
        let [from, to] = path.span();
        let beside = points.iter().filter(|p| p.time < from || p.time > to).count() as u64;
        let mut ranges: Vec<f64> = points
            .iter()
            .step_by((points.len() / 20_000).max(1))
            .map(|p| (p.place() - path.place(p.time)).norm())
            .collect();
        let range = median(&mut ranges).unwrap_or_default();
        // about where the unit was, or the two lie in two frames
        if range > 3.0 * reach.max(30.0) {
            return Err(Stop::Failed(format!(
                "the points of {} lie {range:.0} m from the path of {} on the median: they are in two frames, or in two units",
                names[0], names[1]
            )));
        }
        let pieces = KeptPieces(mobile::pieces(&path, &points, reach));
        let turns = match told.columns.turns {
            Turns::None => "none",
            Turns::Quaternion(_) => "quaternion",
            Turns::Angles { degrees: true, .. } => "angles in degrees",
            Turns::Angles { degrees: false, .. } => "angles in radians",
        };
        let facts = PassFacts {
            points: cloud.points.len() as u64,
            skipped: cloud.skipped,
            beside,
            span: path.span(),
            metres: path.walked(f64::INFINITY),
            lines: path.samples().len(),
            pieces: pieces.0.len(),
            clock,
            turns: turns.into(),
            range,
        };
        Ok(Read { kept, cloud, pieces, facts })
    })
    .await?;
    progress.at(0.85, "keeping it")?;
    let key = format!("jobs/{}/passes/{id}/{}-{}", task.job_id, task.id, task.attempts);
    let Read { kept, cloud: points, pieces, facts } = read;
    let file = tempfile::NamedTempFile::new()?;
    let file = blocking(move || {
        let mut out = std::io::BufWriter::with_capacity(1 << 20, std::fs::File::create(file.path())?);
        points.write(&mut out)?;
        std::io::Write::flush(&mut out)?;
        Ok(file)
    })
    .await?;
    app.objects.put_file(&format!("{key}/points"), file.path()).await?;
    app.objects.put(&format!("{key}/path"), kept.to_bytes()).await?;
    app.objects.put(&format!("{key}/pieces"), pieces.to_bytes()).await?;
    if progress.stopped() {
        return Err(Stop::Cancelled);
    }
    vistazo_store::passes::put_read(&app.db, task, (id, cloud_id, path_id), &key, &serde_json::json!(facts)).await?;
    Ok(format!(
        "{}: {} points along {:.0} m in {:.0} s",
        row.name,
        super::ingest::grouped(facts.points),
        facts.metres,
        facts.span[1] - facts.span[0]
    ))
}
