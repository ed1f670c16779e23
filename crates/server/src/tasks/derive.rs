//! What is made from a scan so that it can be worked with and looked at. All of it can be thrown
//! away and made again from the file as it came: `vistazo rebuild` does.

use super::{Progress, Stop};
use crate::App;
use crate::dto::TilesDto;
use std::path::{Path, PathBuf};
use uuid::Uuid;
use vistazo_core::clean::Class;
use vistazo_core::cloud::{self, Order, TileNode};
use vistazo_core::scan::Scan;
use vistazo_core::tie::{PlanView, Sight};
use vistazo_formats::{Extent, FormatError, TilePack, canonical, working_cloud};
use vistazo_store::DERIVED;

/// Width of a panorama, pixels.
const PANORAMA: usize = 2048;

/// What was made of a scan, in a local folder.
pub(super) struct Derived {
    folder: tempfile::TempDir,
    pub tiles: TilesDto,
    pub bytes: u64,
}

/// Where the files of a scan begin in the object store.
pub(crate) fn prefix(job: Uuid, upload: Uuid, part: i32) -> String {
    format!("jobs/{job}/scans/{upload}-{part}")
}

/// Makes everything from a scan; `progress` goes from `from` to `to`.
pub(super) fn derive(scan: &Scan, progress: &Progress, words: &str, (from, to): (f64, f64)) -> Result<Derived, Stop> {
    let folder = tempfile::tempdir()?;
    let at = |share: f64, what: &str| progress.at(from + (to - from) * share, &format!("{words}: {what}"));
    let path = |name: &str| folder.path().join(name);
    at(0.0, "keeping the scan")?;
    let mut file = std::io::BufWriter::with_capacity(1 << 20, std::fs::File::create(path("scan"))?);
    canonical::write(scan, &mut file)?;
    std::io::Write::flush(&mut file)?;
    at(0.2, "drawing the panorama")?;
    write_png(&path("panorama.png"), &cloud::panorama(scan, PANORAMA))?;
    at(0.25, "sorting")?;
    let order = Order::of(scan);
    at(0.45, "making the working cloud")?;
    let (working, incidence) = cloud::working(scan, &order);
    std::fs::write(path("cloud"), working_cloud::write(&working))?;
    std::fs::write(path("sight"), Sight::of(scan).to_bytes())?;
    let voxels = working.points.len();
    let walls = PlanView::of(&working).main_direction();
    drop(working);
    at(0.6, "making view tiles")?;
    let tiles =
        TilesDto { voxels, walls: Some(walls), ..tiles(scan, &order, &incidence, &[], progress, &path("tiles"))? };
    at(1.0, "storing")?;
    let bytes = DERIVED.iter().map(|f| std::fs::metadata(path(f)).map_or(0, |m| m.len())).sum();
    Ok(Derived { folder, tiles, bytes })
}

/// The files of a scan whose points have classes.
pub(super) const CLASSED_WITH: [&str; 2] = vistazo_store::cleaning::CLASSED;

/// What was made of a scan with classes, in a local folder.
pub(super) struct Classed {
    folder: tempfile::TempDir,
    pub tiles: TilesDto,
}

impl Classed {
    pub(super) fn path(&self, name: &str) -> PathBuf {
        self.folder.path().join(name)
    }
}

/// Tiles that know what each point is taken for, and the classes themselves, a byte a point.
pub(super) fn classed(scan: &Scan, classes: &[Class], progress: &Progress) -> Result<Classed, Stop> {
    let folder = tempfile::tempdir()?;
    let bytes: Vec<u8> = classes.iter().map(|c| *c as u8).collect();
    std::fs::write(folder.path().join("classes"), bytes)?;
    let order = Order::of(scan);
    let (working, incidence) = cloud::working(scan, &order);
    let voxels = working.points.len();
    drop(working);
    let made = tiles(scan, &order, &incidence, classes, progress, &folder.path().join("tiles"))?;
    Ok(Classed { tiles: TilesDto { voxels, ..made }, folder })
}

/// The files of a scan whose points have colours from photographs.
pub(super) fn coloured(scan: &Scan, classes: &[Class], progress: &Progress) -> Result<Classed, Stop> {
    let made = classed(scan, classes, progress)?;
    std::fs::write(made.path("colours"), scan.colour.as_flattened())?;
    Ok(made)
}

/// Tiles of a cloud that was put together from many places: on which side its surfaces were seen from is not kept.
pub(super) fn merged(scan: &Scan, classes: &[Class], progress: &Progress) -> Result<Classed, Stop> {
    let folder = tempfile::tempdir()?;
    let order = Order::of(scan);
    let incidence = vec![0; order.len()];
    let tiles = tiles(scan, &order, &incidence, classes, progress, &folder.path().join("tiles"))?;
    Ok(Classed { tiles, folder })
}

fn tiles(
    scan: &Scan,
    order: &Order,
    incidence: &[u8],
    classes: &[Class],
    progress: &Progress,
    to: &Path,
) -> Result<TilesDto, Stop> {
    let pack = TilePack::create(to)?;
    let root = cloud::tiles(scan, order, incidence, classes, &|points| {
        if progress.stopped() { Err(FormatError::Stopped) } else { pack.add(&points) }
    })?;
    let document = pack.finish(&root)?;
    Ok(TilesDto {
        build: vistazo_store::new_id(),
        root: document.name("json"),
        middle: root.middle,
        half: root.half,
        tiles: count(&root),
        voxels: 0,
        walls: None,
    })
}

fn count(node: &TileNode<Extent>) -> usize {
    1 + node.children.iter().map(count).sum::<usize>()
}

impl Derived {
    /// Copies everything into the object store; returns the key that [`crate::work::files`] finds it by.
    pub(super) async fn store(&self, app: &App, prefix: &str) -> Result<String, Stop> {
        let key = format!("{prefix}/{}", self.tiles.build);
        for name in DERIVED {
            let file: PathBuf = self.folder.path().join(name);
            app.objects.put_file(&format!("{key}/{name}"), &file).await?;
        }
        Ok(key)
    }
}

fn write_png(path: &Path, picture: &cloud::Panorama) -> Result<(), Stop> {
    let file = std::io::BufWriter::new(std::fs::File::create(path)?);
    let mut encoder = png::Encoder::new(file, picture.width as u32, (picture.pixels.len() / picture.width) as u32);
    encoder.set_color(png::ColorType::Rgb);
    encoder.set_compression(png::Compression::Fast);
    encoder.write_header()?.write_image_data(&picture.pixels.concat())?;
    Ok(())
}
