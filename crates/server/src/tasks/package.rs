//! Makes the package that is handed over.

use super::{Progress, Stop, blocking};
use crate::App;
use crate::deliver::clouds::{Export, Placed, Setting, format};
use crate::deliver::{self, Package};
use crate::dto::{PackageOptions, PassFacts};
use crate::record::georeference::Source;
use crate::work::slices::Sliced;
use crate::work::verdict::State;
use crate::work::{cleaning, colouring, files, passes};
use nalgebra::Matrix6;
use sha2::{Digest, Sha256};
use std::io::{Read, Write};
use std::path::{Path, PathBuf};
use std::sync::Arc;
use vistazo_core::deliver::Deliverable;
use vistazo_core::geometry::{Error95, Mat3, Pose, Vec3};
use vistazo_core::georef::GridMap;
use vistazo_core::instrument::Instrument;
use vistazo_core::mobile;
use vistazo_formats::{CloudLayout, E57Writer, SourceImage, count_points, crs, read_images};
use vistazo_store::tasks::Task;
use vistazo_store::{field, results};

pub(super) async fn run(app: &App, task: &Task, options: &PackageOptions, progress: &Progress) -> Result<String, Stop> {
    let package = Arc::new(prepare(app, task).await?);
    let inputs = package.state.package_inputs().ok_or(NOT_ON_GRID)?;
    let needed = package.state.room_for(&options.formats(&package.state.brief));
    crate::work::room::check(app, "the package", needed).map_err(Stop::Failed)?;
    let folder = tempfile::tempdir()?;
    let files = folder.path().join("files");
    std::fs::create_dir(&files)?;
    let total = clouds(app, task, progress, &package, &files, options).await?;

    for (k, d) in deliver::DOCUMENTS.iter().enumerate() {
        progress.at(0.82 + 0.02 * k as f64, &format!("writing {}", d.name()))?;
    }
    let mut paths = Vec::new();
    for (row, _) in package.passes.placed() {
        paths.extend(deliver::passes::path(app, &package.passes, row.id).await?);
    }
    let (dir, package) = blocking({
        let dir = files;
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
                for kind in deliver::elevation::kinds(elevation) {
                    std::fs::write(dir.join(format!("{name}-{}", kind.name)), (kind.write)(elevation)?)?;
                }
            }
            if let Some(ground) = &package.ground {
                for kind in deliver::ground::KINDS {
                    std::fs::write(dir.join(kind.name), (kind.write)(ground)?)?;
                }
            }
            if let Some(solids) = &package.solids {
                for kind in deliver::solids::KINDS {
                    std::fs::write(dir.join(kind.name), (kind.write)(solids)?)?;
                }
            }
            let walked = package.passes.placed().map(|(row, _)| row.name.as_str());
            for (name, bytes) in file_names(walked).into_iter().zip(&paths) {
                std::fs::write(dir.join(format!("{name}-path.csv")), bytes)?;
            }
            if let Some(features) = &package.features {
                for kind in deliver::features::KINDS {
                    std::fs::write(dir.join(kind.name), (kind.write)(features)?)?;
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
        "units": format!("clouds in {}, E57 and 3D Tiles in m", package.state.brief.unit().code()),
        "clouds": options.words(&options.formats(&package.state.brief)),
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

fn letterhead(of: vistazo_store::letterheads::Letterhead) -> vistazo_report::Letterhead {
    let lines = of.lines.lines().map(str::to_owned).collect();
    vistazo_report::Letterhead { lines, colour: of.colour, logo: of.logo }
}

/// Everything the package is made from, each read once.
async fn prepare(app: &App, task: &Task) -> Result<Package, Stop> {
    let state = State::load(app, task.job_id).await?;
    let job = vistazo_store::jobs::get(&app.db, task.job_id).await?;
    let reference = state.brief.epsg.map(crs::lookup).transpose()?;
    let Some(georef) = state.on_grid() else { return Err(Stop::Failed(NOT_ON_GRID.into())) };
    let adjustment = match &state.adjustment {
        Some(block) if georef.record.source != Source::Walked => {
            let detail = crate::work::registration::detail(app, block.row.id).await?;
            Some(crate::work::registration::to_dto(&state.brief, block, Some(&detail)))
        }
        _ => None,
    };
    let grid = crate::work::grid::to_dto(&state.brief, georef).result;
    let map = GridMap::from(&georef.record.map);
    let scans = state.scans.iter().filter_map(|s| Some((s.clone(), georef.record.local_pose(s.id)?))).collect();
    let of = |s: &crate::record::georeference::Station| (s.scan, Matrix6::from_row_slice(&s.covariance));
    let covariances = georef.record.stations.iter().filter(|s| s.covariance.len() == 36).map(of).collect();
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
        features: crate::work::features::coded(app, task.job_id).await?,
        solids: crate::work::solids::solids(app, task.job_id).await?,
        letterhead: vistazo_store::letterheads::get(&app.db, task.job_id).await?.map(letterhead).unwrap_or_default(),
        passes: passes::Walked::load(app, task.job_id).await?,
        slices: Sliced::load(app, task.job_id).await?.figures(app).await?,
        state,
        adjustment,
        grid,
        map,
        scans,
        covariances,
        reference,
    })
}

/// Writes the clouds, one scan at a time; returns how many points.
async fn clouds(
    app: &App,
    task: &Task,
    progress: &Progress,
    package: &Arc<Package>,
    folder: &Path,
    options: &PackageOptions,
) -> Result<u64, Stop> {
    let base = file_name(&package.name);
    let wanted = options.formats(&package.state.brief);
    let colours = vistazo_store::photos::scan_colours(&app.db, task.job_id).await?;
    let unit = package.state.brief.unit().metres();
    let setting = Setting {
        folder: folder.to_owned(),
        base: base.clone(),
        formats: wanted.iter().filter_map(|d| format(*d)).collect(),
        layout: CloudLayout {
            offset: package.map.origin.map(f64::round) / unit,
            wkt: package.reference.as_ref().map(|r| r.wkt.clone()),
            coloured: !colours.is_empty() || package.scans.iter().any(|s| s.0.coloured),
            errors: options.errors,
            software: if package.state.simulated() { "Vistazo (SIMULATED scans)" } else { "Vistazo" }.into(),
            unit,
        },
        map: package.map.clone(),
        instrument: Instrument::from(&package.state.brief.instrument),
        clip: options.clip().map_err(|e| Stop::Failed(e.to_string()))?,
        options: options.clone(),
    };
    let mut e57 = match wanted.contains(&Deliverable::E57) {
        true => Some(E57Writer::create(&folder.join(format!("{base}.e57")), &task.id.to_string())?),
        false => None,
    };
    if let Some(e57) = &mut e57 {
        // metres by its standard, so the reference is written in metres too
        e57.set_reference(package.reference.as_ref().map(crs::Reference::wkt_in_metres));
    }
    let (mut walk, mut stops) = (None, Vec::new());
    if wanted.contains(&Deliverable::WalkThrough) {
        stops = deliver::passes::stops(app, package).await?;
        walk = Some(deliver::walk::Walk::begin(folder, package, stops.iter().flatten().map(|s| s.at))?);
    }
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
        progress.at(0.05 + 0.75 * i as f64 / count, &format!("writing {}", row.name))?;
        let mut scan = files::scan(app, row).await?;
        let classes = match cleaned.kept.get(&row.id) {
            Some(c) => cleaning::classes(app, c).await?,
            None => Vec::new(),
        };
        if let Some(c) = colours.iter().find(|c| c.scan_id == row.id) {
            colouring::put_on(app, c, &mut scan).await?;
        }
        let pictures = if e57.is_some() { pictures(app, task.job_id, row).await? } else { Vec::new() };
        let (row, pose, number, map) = (row.clone(), *pose, i as u16 + 1, package.map.clone());
        let covariance = package.pose_covariance(row.id);
        let file = names[i].clone();
        let error95 = deliver::walk::station_error(package, row.id);
        (export, e57, walk) = blocking(move || {
            let placed = Placed { scan: &scan, classes: &classes, pose, covariance, name: &file, number, along: None };
            let taken = export.add(&placed)?;
            if let Some(walk) = &mut walk {
                walk.look(&row.name, &scan, error95)?;
                walk.show(&scan, &pose, &taken);
            }
            let Some(mut e57) = e57 else { return Ok((export, None, walk)) };
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
            Ok((export, Some(e57), walk))
        })
        .await?;
    }
    (export, e57, walk) = walked(app, progress, package, &stops, (export, e57, walk)).await?;
    progress.at(0.8, "ending the clouds")?;
    if let Some(walk) = walk {
        blocking({
            let package = package.clone();
            move || walk.finish(&package)
        })
        .await?;
    }
    blocking(move || {
        if let Some(e57) = e57 {
            e57.finish()?;
        }
        export.finish()
    })
    .await
}

/// What points are written to.
type Written = (Export, Option<E57Writer>, Option<deliver::walk::Walk>);

/// Writes the passes that have their place, along their corrected paths.
async fn walked(
    app: &App,
    progress: &Progress,
    package: &Arc<Package>,
    stops: &[Vec<mobile::Stop>],
    (mut export, mut e57, mut walk): Written,
) -> Result<Written, Stop> {
    let taken: Vec<String> = package.scans.iter().map(|s| s.0.name.clone()).collect();
    for (n, (row, place)) in package.passes.placed().enumerate() {
        progress.at(0.78, &format!("writing {}", row.name))?;
        let key = row.key.clone().unwrap_or_default();
        let (cloud, path) = (passes::cloud(app, &key).await?, passes::path(app, &key).await?);
        let facts: PassFacts = serde_json::from_value(row.facts.clone().unwrap_or_default())?;
        let classes = passes::classes(app, row).await?;
        let (c, unit, map) = (place.correction(), passes::unit(row), package.map.clone());
        let names = file_names(taken.iter().map(String::as_str).chain([row.name.as_str()]));
        let file = names.last().cloned().unwrap_or_default();
        let number = (package.scans.len() + n) as u16 + 1;
        let (row, simulated) = (row.clone(), row.simulated);
        let stops = stops.get(n).cloned().unwrap_or_default();
        (export, e57, walk) = blocking(move || {
            let mut walked = passes::corrected(&cloud, &path, &c, facts.clock);
            drop(cloud);
            let pose = Pose { translation: walked.origin, ..Pose::identity() };
            let along = |k: usize, at: &Vec3| {
                let range = (c.apply(walked.times[k], &path.place(walked.times[k])) - at).norm();
                c.covariance(walked.times[k], at) + Mat3::identity() * unit.point_variance(range)
            };
            let taken = export.add(&Placed {
                scan: &walked.scan,
                classes: &classes,
                pose,
                covariance: Matrix6::zeros(),
                name: &file,
                number,
                along: Some(&along),
            })?;
            if let Some(walk) = &mut walk {
                for stop in &stops {
                    let name = format!("{}, {:.0} s", row.name, stop.time - path.span()[0]);
                    let error95 = Error95::plan_and_height(&c.covariance(stop.time, &stop.at));
                    walk.look(&name, &walked.seen_from(&stop.at, unit.max_range, &taken), Some(error95))?;
                }
                walk.show(&walked.scan, &pose, &taken);
            }
            let Some(mut e57) = e57 else { return Ok((export, None, walk)) };
            let rigid = map.pose(&pose);
            for k in 0..walked.scan.points.len() {
                let p = map.in_scan(&pose, &rigid, &walked.scan.at(k));
                walked.scan.points[k] = [p.x as f32, p.y as f32, p.z as f32];
            }
            let name = if simulated { format!("{} (simulated)", row.name) } else { row.name.clone() };
            e57.add(&name, &row.id.to_string(), &walked.scan, Some(&rigid), false, &|k| taken[k])?;
            Ok((export, Some(e57), walk))
        })
        .await?;
    }
    Ok((export, e57, walk))
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
    let mut list = Vec::new();
    let mut zip = zip::ZipWriter::new(std::io::BufWriter::new(std::fs::File::create(to)?));
    for path in entries(folder)? {
        let name = name_of(&path);
        if !path.is_dir() {
            let mut sum = Sha256::new();
            let bytes = pack(&mut zip, &path, &name, &mut sum)?;
            let mut file = serde_json::json!({
                "name": name, "bytes": bytes, "sha256": vistazo_store::objects::hex(&sum.finalize())
            });
            if let Some(points) = count_points(&path)? {
                file["points"] = points.into();
            }
            list.push(file);
            continue;
        }
        // one line for all of its files: their sum is over all, in the order of their names
        let (mut sum, mut bytes, inside) = (Sha256::new(), 0, entries(&path)?);
        for file in &inside {
            bytes += pack(&mut zip, file, &format!("{name}/{}", name_of(file)), &mut sum)?;
        }
        list.push(serde_json::json!({
            "name": format!("{name}/"), "bytes": bytes, "files": inside.len(),
            "sha256": vistazo_store::objects::hex(&sum.finalize())
        }));
    }
    // what was meant to be written is in the files: a name that two scans shared would show here
    for format in [".copc.laz", ".laz"] {
        let of = |f: &&serde_json::Value| {
            let name = f["name"].as_str().unwrap_or_default();
            name.ends_with(format) && (format == ".copc.laz" || !name.ends_with(".copc.laz"))
        };
        let counts: Vec<u64> = list.iter().filter(of).filter_map(|f| f["points"].as_u64()).collect();
        let there: u64 = counts.iter().sum();
        if !counts.is_empty() && manifest["points"].as_u64() != Some(there) {
            return Err(Stop::Failed(format!(
                "the files {format} hold {there} points, expected {}: no package was made",
                manifest["points"]
            )));
        }
    }
    manifest["files"] = list.into();
    zip.start_file("manifest.json", zip::write::SimpleFileOptions::default())?;
    zip.write_all(&serde_json::to_vec_pretty(&manifest)?)?;
    zip.finish()?.flush()?;
    Ok(manifest)
}

/// What lies in a folder, by name.
fn entries(folder: &Path) -> Result<Vec<PathBuf>, Stop> {
    let mut out: Vec<PathBuf> = std::fs::read_dir(folder)?.filter_map(|e| e.ok().map(|e| e.path())).collect();
    out.sort();
    Ok(out)
}

fn name_of(path: &Path) -> String {
    path.file_name().map(|n| n.to_string_lossy().into_owned()).unwrap_or_default()
}

/// Puts a file into the archive and its bytes into the sum; returns how many.
fn pack<W: Write + std::io::Seek>(
    zip: &mut zip::ZipWriter<W>,
    path: &Path,
    name: &str,
    sum: &mut Sha256,
) -> Result<u64, Stop> {
    // clouds are compressed already, or hardly get smaller; text does, and there may be gigabytes of it
    let as_it_is = [".laz", ".e57", ".ply", ".glb"].iter().any(|e| name.ends_with(e));
    let method = if as_it_is { zip::CompressionMethod::Stored } else { zip::CompressionMethod::Deflated };
    let level = name.ends_with(".xyz").then_some(1);
    let options = zip::write::SimpleFileOptions::default().compression_method(method).compression_level(level);
    zip.start_file(name, options.large_file(true))?;
    let (mut size, mut buffer) = (0, vec![0; 1 << 20]);
    let mut file = std::fs::File::open(path)?;
    loop {
        let n = file.read(&mut buffer)?;
        if n == 0 {
            return Ok(size);
        }
        sum.update(&buffer[..n]);
        size += n as u64;
        zip.write_all(&buffer[..n])?;
    }
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
