//! The simulated mobile unit: a stand-in for one that is carried through a demo site. It hands over a cloud with times and the
//! path that it believes in, which then come in as files do. What was true does not leave this file.

use super::{Progress, Stop, Work, blocking, queue};
use crate::App;
use crate::dto::PassMarkDto;
use std::io::Write;
use uuid::Uuid;
use vistazo_core::geometry::Vec3;
use vistazo_sim::{Walk, Walker};
use vistazo_store::passes::{Part, SaidOfPass, add_pass, file_of_pass, passes};
use vistazo_store::tasks::Task;
use vistazo_store::uploads::put_file;

/// The site that can be walked.
pub(crate) const WALKED: &str = "roundhouse";

pub(super) async fn run(
    app: &App,
    task: &Task,
    (name, unit, way): (String, String, Vec<[f64; 3]>),
    progress: &Progress,
) -> Result<String, Stop> {
    let (job, _) = crate::work::brief(app, task.job_id).await?;
    if job.simulated.as_deref() != Some(WALKED) || way.len() < 2 {
        return Err(Stop::Failed("only the demo's site is walked by the simulated unit".into()));
    }
    progress.at(0.05, &format!("{name}: walking"))?;
    let seed = name.bytes().fold(1897_u64, |s, b| s.wrapping_mul(131).wrapping_add(b.into()));
    // an old unit: short walks that bend enough to be seen
    let worn = Walker { gyro: [6e-4, 1e-4], ..Walker::hand_held() };
    let walker = if unit == "Phone-grade" { Walker::phone_grade() } else { worn };
    let (cloud, path) = (tempfile::NamedTempFile::new()?, tempfile::NamedTempFile::new()?);
    let (cloud, path, marks) = blocking(move || {
        let house = vistazo_sim::roundhouse();
        let way: Vec<Vec3> = way.into_iter().map(Vec3::from).collect();
        let (way, stands) = house.set_down(&way, seed);
        let walk = vistazo_sim::walk(&house.scene, &walker, &way, house.stations.len(), seed);
        write_cloud(&walk, cloud.path())?;
        write_path(&walk, path.path())?;
        let noted = |(&time, (point, height)): (&f64, (String, f64))| PassMarkDto { time, place: None, point, height };
        let marks: Vec<PassMarkDto> = walk.stood.iter().zip(stands).map(noted).collect();
        Ok((cloud, path, marks))
    })
    .await?;
    progress.at(0.8, &format!("{name}: storing"))?;
    // begun again, it is still one pass
    let there = passes(&app.db, task.job_id).await?.into_iter().find(|p| p.name == name);
    // with what its operator noted
    let marks = serde_json::json!(marks);
    let said = SaidOfPass { name: &name, unit: &unit, marks: &marks, whole: false, drawn: true };
    let id = match &there {
        Some(p) => p.id,
        None => add_pass(&app.db, task.job_id, task.created_by, said, true).await?,
    };
    for (k, (part, file, ending)) in [(Part::Path, &path, "txt"), (Part::Cloud, &cloud, "ply")].into_iter().enumerate()
    {
        // the uploads have identifiers of the task: done twice, they are still two
        let upload = Uuid::from_u128(task.id.as_u128() ^ (k as u128 + 1));
        let called = format!("{}.{ending}", name.to_lowercase().replace(' ', "-"));
        put_file(&app.db, &app.objects, task.job_id, upload, &called, file.path()).await?;
        file_of_pass(&app.db, task.job_id, id, part, upload).await?;
    }
    queue(app, task.job_id, &Work::Pass { pass: id, name: name.clone() }, task.created_by).await?;
    Ok(format!("{name}: walked"))
}

fn write_cloud(walk: &Walk, to: &std::path::Path) -> Result<(), Stop> {
    let mut out = std::io::BufWriter::with_capacity(1 << 20, std::fs::File::create(to)?);
    write!(
        out,
        "ply\nformat binary_little_endian 1.0\ncomment SIMULATED\nelement vertex {}\nproperty double time\nproperty float x\n\
         property float y\nproperty float z\nproperty float intensity\nend_header\n",
        walk.points.len()
    )?;
    for p in &walk.points {
        out.write_all(&p.time.to_le_bytes())?;
        for v in p.at.into_iter().chain([p.intensity]) {
            out.write_all(&v.to_le_bytes())?;
        }
    }
    Ok(out.flush()?)
}

fn write_path(walk: &Walk, to: &std::path::Path) -> Result<(), Stop> {
    let mut out = std::io::BufWriter::new(std::fs::File::create(to)?);
    writeln!(out, "# SIMULATED\n# time x y z qx qy qz qw")?;
    for (time, p) in &walk.path {
        let (t, q) = (p.translation, p.rotation);
        writeln!(out, "{time:.4} {:.5} {:.5} {:.5} {:.7} {:.7} {:.7} {:.7}", t.x, t.y, t.z, q.i, q.j, q.k, q.w)?;
    }
    Ok(out.flush()?)
}
