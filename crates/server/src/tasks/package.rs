//! Makes the package that is handed over.

use super::export::{Export, Setting};
use super::{Progress, Stop, blocking};
use crate::App;
use crate::dto::PackageOptions;
use crate::work::files;
use crate::work::verdict::State;
use sha2::{Digest, Sha256};
use std::fmt::Write as _;
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_formats::{E57Writer, SourceImage, crs, read_images};
use vistazo_store::tasks::Task;
use vistazo_store::{field, results};

pub(super) async fn run(app: &App, task: &Task, progress: &Progress) -> Result<String, Stop> {
    let state = State::load_whole(app, task.job_id).await?;
    let inputs = state.package_inputs().ok_or("the block is not on the grid, or out of date: georeference it first")?;
    let Some((_, georef)) = &state.georef else { return Err(Stop::Failed("the block is not on the grid".into())) };
    let job = vistazo_store::jobs::get(&app.db, task.job_id).await?;
    let whole: i64 = field::scans(&app.db, task.job_id).await?.iter().map(|s| s.bytes).sum();
    crate::work::room::check(app, "the package", whole.unsigned_abs()).map_err(Stop::Failed)?;
    let revision = results::next_package_revision(&app.db, task.job_id).await?;
    let folder = tempfile::tempdir()?;
    let base = file_name(&job.name);
    let reference = state.brief.epsg.map(crs::lookup).transpose().map_err(Stop::Failed)?;
    let unit = state.brief.unit();

    let scans: Vec<_> = field::scans(&app.db, task.job_id)
        .await?
        .into_iter()
        .filter_map(|s| georef.result.stations.iter().find(|g| g.scan == s.id).map(|g| (s, Pose::from(&g.pose))))
        .collect();
    let options: PackageOptions = serde_json::from_value(task.payload.clone()).unwrap_or_default();
    let setting = Setting {
        folder: folder.path().to_owned(),
        base: base.clone(),
        wkt: reference.as_ref().map(|r| r.wkt.clone()),
        coloured: scans.iter().any(|s| s.0.coloured),
        unit: unit.metres(),
        offset: scans.first().map_or(Vec3::zeros(), |s| s.1.translation.map(f64::round)),
        clip: options.clip().map_err(|e| Stop::Failed(e.to_string()))?,
        options: options.clone(),
    };
    let mut e57 = E57Writer::create(&folder.path().join(format!("{base}.e57")), &task.id.to_string())?;
    e57.set_reference(setting.wkt.clone());
    let mut export = blocking(move || Export::begin(setting)).await?;
    for (i, (row, pose)) in scans.iter().enumerate() {
        progress.at(0.05 + 0.75 * i as f64 / scans.len() as f64, &format!("writing {} as LAZ and E57", row.name))?;
        let scan = files::scan(app, row).await?;
        let pictures = pictures(app, task.job_id, row).await?;
        let (row, pose, number) = (row.clone(), *pose, i as u16 + 1);
        (export, e57) = blocking(move || {
            let taken = export.add(&scan, &pose, &file_name(&row.name), number)?;
            let id = row.id.to_string();
            e57.add(&row.name, &id, &scan, Some(&pose), row.gridded, &|k| taken[k])?;
            for (k, p) in pictures.iter().enumerate() {
                e57.add_image(p, &format!("{id}-picture-{k}"), &id)?;
            }
            Ok((export, e57))
        })
        .await?;
    }
    let total = blocking(move || {
        e57.finish()?;
        export.finish()
    })
    .await?;

    progress.at(0.82, "writing coordinates and transforms")?;
    std::fs::write(folder.path().join("coordinates.csv"), coordinates(&state))?;
    std::fs::write(folder.path().join("transforms.csv"), transforms(&scans, georef.result.stations.as_slice()))?;
    std::fs::write(folder.path().join("control.csv"), control_csv(&georef.result))?;
    progress.at(0.85, "typesetting the report")?;
    let report = crate::pages::report_data(
        app,
        task.job_id,
        &job.name,
        &state,
        revision,
        &scans.iter().map(|s| s.0.clone()).collect::<Vec<_>>(),
        reference.as_ref(),
    )
    .await?;
    let pdf = blocking(move || Ok(vistazo_report::typeset(&report)?)).await?;
    std::fs::write(folder.path().join("report.pdf"), pdf)?;

    progress.at(0.95, "checksums and archive")?;
    let zip_path = folder.path().join("package.zip");
    let unit_words = format!("LAZ in {}, E57 in m", unit.code());
    let head = serde_json::json!({
        "job": job.name, "revision": revision, "points": total, "units": unit_words,
        "clouds": options.words(),
        "reference": reference.map_or_else(|| "local grid".to_owned(), |r| r.name),
        "fingerprint": inputs,
    });
    let (dir, zip_to) = (folder.path().to_owned(), zip_path.clone());
    let manifest = blocking(move || archive(&dir, &zip_to, head)).await?;
    let key = format!("jobs/{}/packages/{}.zip", task.job_id, task.id);
    let (bytes, _) = app.objects.put_file(&key, &zip_path).await?;
    if progress.stopped() {
        return Err(Stop::Cancelled);
    }
    results::put_package(&app.db, task.job_id, task.id, revision, &inputs, &key, bytes as i64, &manifest).await?;
    Ok(format!("package {revision}: {:.0} MB", bytes as f64 / 1e6))
}

/// The pictures that came with a scan, out of the file that it came in.
async fn pictures(app: &App, job: uuid::Uuid, row: &field::ScanRow) -> Result<Vec<SourceImage>, Stop> {
    if row.images == 0 {
        return Ok(Vec::new());
    }
    let upload = vistazo_store::uploads::get(&app.db, job, row.upload_id).await?;
    let file = tempfile::NamedTempFile::new()?;
    vistazo_store::uploads::fetch(&app.db, &app.objects, &upload, file.path(), &|_| true).await?;
    let part = row.part as usize;
    blocking(move || Ok(read_images(file.path(), part)?)).await
}

/// A name that every file system takes.
fn file_name(name: &str) -> String {
    let s: String =
        name.chars().map(|c| if c.is_ascii_alphanumeric() { c.to_ascii_lowercase() } else { '-' }).collect();
    s.split('-').filter(|p| !p.is_empty()).collect::<Vec<_>>().join("-")
}

fn coordinates(state: &State) -> String {
    let Some((_, g)) = &state.georef else { return String::new() };
    let u = state.brief.unit();
    let mut out = format!(
        "name,kind,E [{0}],N [{0}],H [{0}],horizontal 95 % [{0}],vertical 95 % [{0}],3-D 95 % [{0}],scans\n",
        u.code()
    );
    for t in &g.result.targets {
        let [e, n, h] = t.position.map(|v| v / u.metres());
        let x = t.error;
        let _ = writeln!(
            out,
            "{},{},{e:.4},{n:.4},{h:.4},{:.4},{:.4},{:.4},{}",
            t.name,
            t.kind,
            x.horizontal / u.metres(),
            x.vertical / u.metres(),
            x.spatial / u.metres(),
            t.scans
        );
    }
    for s in &g.result.stations {
        let [e, n, h] = s.pose.translation.map(|v| v / u.metres());
        let x = s.error;
        let _ = writeln!(
            out,
            "{},station,{e:.4},{n:.4},{h:.4},{:.4},{:.4},{:.4},1",
            s.name,
            x.horizontal / u.metres(),
            x.vertical / u.metres(),
            x.spatial / u.metres()
        );
    }
    out
}

/// Always metres: a transform applies to E57 coordinates, which are metres by the standard.
fn transforms(scans: &[(field::ScanRow, Pose)], stations: &[crate::dto::StationDto]) -> String {
    let mut out = "scan,r11,r12,r13,r21,r22,r23,r31,r32,r33,tx [m],ty [m],tz [m]\n".to_owned();
    for (scan, pose) in scans {
        debug_assert!(stations.iter().any(|s| s.scan == scan.id));
        let r = pose.matrix();
        let _ = write!(out, "{}", scan.name);
        for k in 0..9 {
            let _ = write!(out, ",{:.12}", r[(k / 3, k % 3)]);
        }
        let t = pose.translation;
        let _ = writeln!(out, ",{:.5},{:.5},{:.5}", t.x, t.y, t.z);
    }
    out
}

fn control_csv(g: &crate::dto::GeorefResult) -> String {
    let mut out =
        "point,target,use,dE [m],dN [m],dH [m],expected E 95 % [m],expected N 95 % [m],expected H 95 % [m],p\n"
            .to_owned();
    for (list, word) in [(&g.residuals, "control"), (&g.checks, "check")] {
        for r in list {
            let ([a, b, c], [d, e, f]) = (r.residual, r.expected);
            let _ = writeln!(
                out,
                "{},{},{word},{a:.5},{b:.5},{c:.5},{d:.5},{e:.5},{f:.5},{:.5}",
                r.name, r.target, r.p_value
            );
        }
    }
    out
}

/// Sums every file, writes the manifest and puts all into one archive.
fn archive(folder: &Path, to: &Path, mut manifest: serde_json::Value) -> Result<serde_json::Value, Stop> {
    let mut files: Vec<PathBuf> =
        std::fs::read_dir(folder)?.filter_map(|e| e.ok().map(|e| e.path())).filter(|p| p != to).collect();
    files.sort();
    let mut list = Vec::new();
    let mut zip = zip::ZipWriter::new(std::io::BufWriter::new(std::fs::File::create(to)?));
    for path in &files {
        let name = path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default();
        // scans are compressed already
        let packed = !(name.ends_with("laz") || name.ends_with("e57"));
        let method = if packed { zip::CompressionMethod::Deflated } else { zip::CompressionMethod::Stored };
        zip.start_file(&name, zip::write::SimpleFileOptions::default().compression_method(method).large_file(true))?;
        let (mut sum, mut size, mut buffer) = (Sha256::new(), 0u64, vec![0; 1 << 20]);
        let mut file = std::fs::File::open(path)?;
        loop {
            let n = file.read(&mut buffer)?;
            if n == 0 {
                break;
            }
            sum.update(&buffer[..n]);
            size += n as u64;
            zip.write_all(&buffer[..n])?;
        }
        list.push(
            serde_json::json!({ "name": name, "bytes": size, "sha256": vistazo_store::objects::hex(&sum.finalize()) }),
        );
    }
    manifest["files"] = list.into();
    zip.start_file("manifest.json", zip::write::SimpleFileOptions::default())?;
    zip.write_all(&serde_json::to_vec_pretty(&manifest)?)?;
    zip.finish()?.flush()?;
    Ok(manifest)
}
