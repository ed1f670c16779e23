//! The simulated scanner: a stand-in for an instrument on the network. It takes a planned station
//! and delivers a gridded E57, which then comes in as an upload does.

use super::ingest::{Entry, grouped, store};
use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::Brief;
use crate::work::planning;
use std::time::Duration;
use uuid::Uuid;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::instrument::Instrument;
use vistazo_core::plan::PlannedKind;
use vistazo_formats::{E57Writer, ReadOptions};
use vistazo_sim::{Board, Scanner, Scene, Sphere};
use vistazo_store::tasks::Task;
use vistazo_store::uploads;

/// What the scanner really stands in. The pose is the truth and does not leave this file.
struct Setup {
    scene: Scene,
    pose: Pose,
    epoch: usize,
}

pub(super) async fn run(
    app: &App,
    task: &Task,
    (station, log): (Uuid, serde_json::Value),
    progress: &Progress,
) -> Result<String, Stop> {
    let (job, brief) = crate::work::brief(app, task.job_id).await?;
    let plan = planning::load(app, task.job_id).await?;
    let Some(epoch) = plan.stations.iter().position(|s| s.0 == station) else {
        return Err(Stop::Failed("the station is no longer on the plan".into()));
    };
    let (name, photographs) = (plan.stations[epoch].1.name.clone(), plan.stations[epoch].1.photographs);
    let instrument = Instrument::from(&brief.instrument);
    let speed = app.settings.scan_speed.max(1.0);
    phase(progress, 0.0, 0.05, &format!("{name}: power on"), 20.0 / speed).await?;
    phase(
        progress,
        0.05,
        0.15,
        &format!("{name}: warming up ({:.0} min on site)", instrument.warm_up / 60.0),
        instrument.warm_up / speed,
    )
    .await?;
    let setup = set_up(&plan, &brief, job.simulated.as_deref(), epoch);
    progress.at(0.15, &format!("{name}: scanning"))?;
    let p = progress.clone();
    let seed = epoch as u64 + 4711;
    let scanner = Scanner::drawn(&instrument, 4711);
    let scanned = blocking(move || {
        let raw =
            vistazo_sim::scan(&setup.scene, &scanner, &setup.pose, setup.epoch, seed, &|s| p.share(0.15 + 0.55 * s))
                .ok_or(Stop::Cancelled)?;
        let colour = if photographs {
            vistazo_sim::photograph(&setup.scene, &setup.pose, setup.epoch, &raw.points, &raw.intensity)
        } else {
            Vec::new()
        };
        Ok(vistazo_core::scan::Scan { colour, ..raw.into_scan()? })
    })
    .await?;
    progress.at(0.72, &format!("{name}: transferring {} points", grouped(scanned.points.len() as u64)))?;
    let file = tempfile::NamedTempFile::new()?;
    let (path, scan_name) = (file.path().to_owned(), name.clone());
    blocking(move || {
        let mut writer = E57Writer::create(&path, &Uuid::now_v7().to_string())?;
        writer.add(&scan_name, &Uuid::now_v7().to_string(), &scanned, None, true, &|_| true)?;
        Ok(writer.finish()?)
    })
    .await?;
    progress.at(0.85, &format!("{name}: storing"))?;
    // the upload has the identifier of the task: done twice, it is still one
    let upload =
        uploads::put_file(&app.db, &app.objects, task.job_id, task.id, &format!("{name}.e57"), file.path()).await?;
    let entry = Entry {
        name: Some(name.clone()),
        station: Some(station),
        levelled: brief.instrument.compensator_sigma.is_some(),
        log,
        simulated: true,
    };
    let (_, points) = store(app, task, &upload, file.path(), &ReadOptions::default(), progress, &entry).await?;
    Ok(format!("{name}: {} points", grouped(points)))
}

/// Waits while reporting; the simulated scanner's minutes run faster than life.
async fn phase(progress: &Progress, from: f64, to: f64, message: &str, seconds: f64) -> Result<(), Stop> {
    let steps = (seconds / 0.1).ceil().max(1.0);
    for k in 0..steps as usize {
        progress.at(from + (to - from) * k as f64 / steps, message)?;
        tokio::time::sleep(Duration::from_secs_f64(seconds / steps)).await;
    }
    Ok(())
}

/// The demo job has a scene of its own; for any other job the plan is taken for the truth, set up
/// some centimetres off and turned anyhow.
fn set_up(plan: &planning::Plan, brief: &Brief, simulated: Option<&str>, epoch: usize) -> Setup {
    let planned = plan.stations[epoch].1.position;
    if simulated == Some("roundhouse") {
        let house = vistazo_sim::roundhouse();
        // stations keep their hidden set-up while they stand where the demo planned them
        if let Some(k) = house.stations.iter().position(|s| (s.1 - planned).norm() < 0.5) {
            return Setup { pose: house.truth.poses[k], epoch: k, scene: house.scene };
        }
        return Setup {
            scene: house.scene,
            pose: vistazo_sim::set_up_near(planned, &house.instrument, epoch as u64),
            epoch,
        };
    }
    let mut scene = Scene { site: plan.site.clone(), ..Scene::default() };
    let kit = planning::kit(brief);
    for (_, t) in &plan.targets {
        let facing = match t.kind {
            PlannedKind::Checker(facing) => facing,
            PlannedKind::Sphere => {
                scene.spheres.push(Sphere { centre: t.position, radius: kit.sphere_radius, knocked: None });
                continue;
            }
            PlannedKind::Mark => continue,
        };
        // boards on a pivot face the middle of the stations; all are turned by 20° in their plane
        let middle = plan.stations.iter().map(|s| s.1.position).sum::<Vec3>() / plan.stations.len().max(1) as f64;
        let mut normal = facing.unwrap_or(middle - t.position);
        normal.z = 0.0;
        let normal = normal.try_normalize(1e-6).unwrap_or_else(Vec3::x);
        scene.boards.push(Board { centre: t.position, normal, half: kit.checker_half, turn: 0.35 });
    }
    let instrument = Instrument::from(&brief.instrument);
    let mut pose = vistazo_sim::set_up_near(planned, &instrument, epoch as u64);
    if plan.stations[epoch].1.over.is_some() {
        // who stands over a mark stands over it, at the height that was planned; what the level leaves stays
        pose.translation = planned;
    }
    Setup { scene, pose, epoch }
}
