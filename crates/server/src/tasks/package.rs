//! Makes the package that is handed over.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::deliver::clouds::{Export, Setting};
use crate::deliver::{self, Package};
use crate::dto::PackageOptions;
use crate::work::slices::Sliced;
use crate::work::verdict::State;
use crate::work::{cleaning, colouring, files};
use sha2::{Digest, Sha256};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use vistazo_core::georef::GridMap;
use vistazo_formats::{E57Writer, SourceImage, count_points, crs, read_images};
use vistazo_store::tasks::Task;
use vistazo_store::{field, results};

pub(super) async fn run(app: &App, task: &Task, options: &PackageOptions, progress: &Progress) -> Result<String, Stop> {
    let package = prepare(app, task).await?;
    let inputs = package.state.package_inputs().ok_or(NOT_ON_GRID)?;
    let whole: i64 = package.scans.iter().map(|s| s.0.bytes).sum();
    crate::work::room::check(app, "the package", whole.unsigned_abs()).map_err(Stop::Failed)?;
    let folder = tempfile::tempdir()?;
    let total = clouds(app, task, progress, &package, folder.path(), options).await?;

    for (k, d) in deliver::DOCUMENTS.iter().enumerate() {
        progress.at(0.82 + 0.02 * k as f64, &format!("writing {}", d.name()))?;
    }
    let (dir, package) = blocking({
        let dir = folder.path().to_owned();
        move || {
            for d in deliver::DOCUMENTS {
                std::fs::write(dir.join(d.name()), d.write(&package)?)?;
            }
            let names = file_names(package.drawings.iter().map(|d| d.sheet.name.as_str()));
            for (drawing, name) in package.drawings.iter().zip(names) {
                for kind in deliver::drawing::KINDS {
                    std::fs::write(dir.join(format!("{name}-{}", kind.name)), (kind.write)(drawing)?)?;
                }
            }
            let names = file_names(package.elevations.iter().map(|e| e.data.name.as_str()));
            for (elevation, name) in package.elevations.iter().zip(names) {
                for kind in deliver::elevation::KINDS {
                    std::fs::write(dir.join(format!("{name}-{}", kind.name)), (kind.write)(elevation)?)?;
                }
            }
            if let Some(ground) = &package.ground {
                for kind in deliver::ground::KINDS {
                    std::fs::write(dir.join(kind.name), (kind.write)(ground)?)?;
                }
            }
            Ok((dir, package))
        }
    })
    .await?;

    progress.at(0.95, "checksums and archive")?;
    let zip_path = folder.path().join("package.zip");
    let head = serde_json::json!({
        "job": package.name, "revision": package.revision, "points": total,
        "units": format!("LAZ in {}, E57 in m", package.state.brief.unit().code()),
        "clouds": options.words(),
        "reference": package.reference_words(),
        "heights": package.grid.grid.vertical,
        "coordinates": package.grid_words(),
        "simulated": package.state.simulated(),
        "fingerprint": inputs,
    });
    let zip_to = zip_path.clone();
    let manifest = blocking(move || archive(&dir, &zip_to, head)).await?;
    // the attempt is in the key: one that fell silent never writes over the archive of the one after it
    let key = format!("jobs/{}/packages/{}-{}.zip", task.job_id, task.id, task.attempts);
    let (bytes, sum) = app.objects.put_file(&key, &zip_path).await?;
    if progress.stopped() {
        return Err(Stop::Cancelled);
    }
    let revision = package.revision;
    let put = results::put_package(&app.db, task, revision, &inputs, &key, (bytes as i64, &sum), &manifest).await;
    if put.is_err() {
        app.objects.remove(&key).await.ok();
    }
    put?;
    Ok(format!("package {revision}: {:.0} MB", bytes as f64 / 1e6))
}

const NOT_ON_GRID: &str = "the block is not on the grid, or out of date: georeference it first";

/// Everything the package is made from, each read once.
async fn prepare(app: &App, task: &Task) -> Result<Package, Stop> {
    let state = State::load(app, task.job_id).await?;
    let job = vistazo_store::jobs::get(&app.db, task.job_id).await?;
    let reference = state.brief.epsg.map(crs::lookup).transpose()?;
    let (Some(georef), Some(block)) = (state.on_grid(), &state.adjustment) else {
        return Err(Stop::Failed(NOT_ON_GRID.into()));
    };
    let detail = crate::work::registration::detail(app, block.row.id).await?;
    let adjustment = crate::work::registration::to_dto(&state.brief, block, Some(&detail));
    let grid = crate::work::grid::to_dto(&state.brief, georef).result;
    let map = GridMap::from(&georef.record.map);
    let scans = state.scans.iter().filter_map(|s| Some((s.clone(), georef.record.local_pose(s.id)?))).collect();
    Ok(Package {
        name: job.name,
        revision: results::next_package_revision(&app.db, task.job_id).await?,
        members: vistazo_store::jobs::members(&app.db, task.job_id).await?,
        log: vistazo_store::jobs::log(&app.db, task.job_id).await?,
        notes: crate::work::record::for_report(app, task.job_id).await?,
        verdicts: state.verdicts(),
        drawings: crate::work::drawing::drawings(app, task.job_id).await?,
        elevations: crate::work::elevation::made(app, task.job_id, None).await?,
        ground: crate::work::ground::Site::load(app, task.job_id).await?,
        slices: Sliced::load(app, task.job_id).await?.figures(app).await?,
        state,
        adjustment,
        grid,
        map,
        scans,
        reference,
    })
}

/// Writes the clouds, one scan at a time; returns how many points.
async fn clouds(
    app: &App,
    task: &Task,
    progress: &Progress,
    package: &Package,
    folder: &Path,
    options: &PackageOptions,
) -> Result<u64, Stop> {
    let base = file_name(&package.name);
    let simulated = package.state.simulated();
    let software = if simulated { "Vistazo (SIMULATED scans)" } else { "Vistazo" };
    let colours = vistazo_store::photos::scan_colours(&app.db, task.job_id).await?;
    let setting = Setting {
        folder: folder.to_owned(),
        base: base.clone(),
        wkt: package.reference.as_ref().map(|r| r.wkt.clone()),
        coloured: !colours.is_empty() || package.scans.iter().any(|s| s.0.coloured),
        unit: package.state.brief.unit().metres(),
        offset: package.map.origin.map(f64::round),
        map: package.map.clone(),
        software: software.into(),
        clip: options.clip().map_err(|e| Stop::Failed(e.to_string()))?,
        options: options.clone(),
    };
    let mut e57 = E57Writer::create(&folder.join(format!("{base}.e57")), &task.id.to_string())?;
    // metres by its standard, so the reference is written in metres too
    e57.set_reference(package.reference.as_ref().map(crs::Reference::wkt_in_metres));
    let mut export = blocking(move || Export::begin(setting)).await?;
    let cleaned = cleaning::Cleaning::load(app, task.job_id).await?;
    if !cleaned.to_do().is_empty() {
        return Err(Stop::Failed(
            "scans or their places changed since what does not belong was looked for: look again on Check, or undo it there"
                .into(),
        ));
    }
    let count = package.scans.len() as f64;
    let names = file_names(package.scans.iter().map(|s| s.0.name.as_str()));
    for (i, (row, pose)) in package.scans.iter().enumerate() {
        progress.at(0.05 + 0.75 * i as f64 / count, &format!("writing {} as LAZ and E57", row.name))?;
        let mut scan = files::scan(app, row).await?;
        let classes = match cleaned.kept.get(&row.id) {
            Some(c) => cleaning::classes(app, c).await?,
            None => Vec::new(),
        };
        if let Some(c) = colours.iter().find(|c| c.scan_id == row.id) {
            colouring::put_on(app, c, &mut scan).await?;
        }
        let pictures = pictures(app, task.job_id, row).await?;
        let (row, pose, number, map) = (row.clone(), *pose, i as u16 + 1, package.map.clone());
        let file = names[i].clone();
        (export, e57) = blocking(move || {
            let taken = export.add((&scan, &classes), &pose, &file, number)?;
            let id = row.id.to_string();
            // a rigid pose cannot say the scale of the grid: the points are put where it brings them out right
            let rigid = map.pose(&pose);
            for k in 0..scan.points.len() {
                let p = map.in_scan(&pose, &rigid, &scan.at(k));
                scan.points[k] = [p.x as f32, p.y as f32, p.z as f32];
            }
            let name = if row.simulated { format!("{} (simulated)", row.name) } else { row.name.clone() };
            e57.add(&name, &id, &scan, Some(&rigid), row.gridded, &|k| taken[k])?;
            for (k, p) in pictures.iter().enumerate() {
                e57.add_image(p, &format!("{id}-picture-{k}"), &id)?;
            }
            Ok((export, e57))
        })
        .await?;
    }
    blocking(move || {
        e57.finish()?;
        export.finish()
    })
    .await
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

/// Longest name of a file without its ending, characters: with three bytes a character file systems still take it.
const LONGEST: usize = 60;

/// A name that every file system takes: letters and digits of any script, in lower case, with hyphens between.
fn file_name(name: &str) -> String {
    let lower = name.to_lowercase();
    let words = lower.split(|c: char| !c.is_alphanumeric()).filter(|w| !w.is_empty());
    let joined = words.collect::<Vec<_>>().join("-");
    if joined.is_empty() { "unnamed".into() } else { joined.chars().take(LONGEST).collect() }
}

/// The same of several, no two alike: what would be written over another gets a number.
fn file_names<'a>(names: impl IntoIterator<Item = &'a str>) -> Vec<String> {
    let mut taken = std::collections::HashSet::new();
    let free = |name: &'a str| {
        let base = file_name(name);
        let numbered = (2..).map(|n| format!("{base}-{n}"));
        let free = std::iter::once(base.clone()).chain(numbered).find(|n| taken.insert(n.clone()));
        free.unwrap_or(base)
    };
    names.into_iter().map(free).collect()
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
        let mut file = serde_json::json!({
            "name": name, "bytes": size, "sha256": vistazo_store::objects::hex(&sum.finalize())
        });
        if let Some(points) = count_points(path)? {
            file["points"] = points.into();
        }
        list.push(file);
    }
    // what was meant to be written is in the files: a name that two scans shared would show here
    let clouds = list.iter().filter(|f| f["name"].as_str().is_some_and(|n| n.ends_with(".laz")));
    let there: u64 = clouds.filter_map(|f| f["points"].as_u64()).sum();
    if manifest["points"].as_u64() != Some(there) {
        return Err(Stop::Failed(format!(
            "the LAZ files hold {there} points, expected {}: no package was made",
            manifest["points"]
        )));
    }
    manifest["files"] = list.into();
    zip.start_file("manifest.json", zip::write::SimpleFileOptions::default())?;
    zip.write_all(&serde_json::to_vec_pretty(&manifest)?)?;
    zip.finish()?.flush()?;
    Ok(manifest)
}

#[cfg(test)]
mod tests {
    use super::{LONGEST, file_name, file_names};

    #[test]
    fn files_of_scans_never_write_over_each_other() {
        let names = ["Hall 1", "Hall-1", "hall 1", "Насосная", "ポンプ室", "!!!", "???", "Hall 1-2", "é/../è"];
        let files = file_names(names);
        assert_eq!(files[..4], ["hall-1", "hall-1-2", "hall-1-3", "насосная"]);
        let unique: std::collections::HashSet<&String> = files.iter().collect();
        assert_eq!(unique.len(), names.len(), "{files:?}");
        assert!(files.iter().all(|f| !f.is_empty() && !f.contains(['/', '.', ' ', '\\'])), "{files:?}");
        assert_eq!(file_name(&"x".repeat(500)).len(), LONGEST);
    }
}
