//! The walk-through: a folder whose page opens without a server and without a network. Pictures and cloud lie beside it as
//! scripts, since a page that is opened from a folder may read nothing else.

use super::Package;
use crate::tasks::Stop;
use base64::Engine;
use base64::prelude::BASE64_STANDARD;
use serde::Serialize;
use std::path::{Path, PathBuf};
use vistazo_core::cloud::{Coarse, panorama};
use vistazo_core::geometry::{Error95, Pose, Vec3};
use vistazo_core::georef::GridMap;
use vistazo_core::scan::Scan;

/// Pixels across a picture.
const WIDTH: usize = 2048;
const QUALITY: u8 = 82;
/// Points of the cloud at most, and of a scan that are looked at for it.
const POINTS: usize = 300_000;
const OF_A_SCAN: usize = 400_000;
/// Sides of its cells at first, metres.
const CELL: f64 = 0.04;
/// Stations that one may go to from another: the nearest that can be seen, metres.
const FARTHEST: f64 = 45.0;
const MOST_LINKS: usize = 8;

/// The pages as they were built.
#[derive(rust_embed::RustEmbed)]
#[folder = "../../web/dist/walk"]
struct Built;

/// A folder that is being filled, scan by scan.
pub(crate) struct Walk {
    folder: PathBuf,
    map: GridMap,
    near: Vec3,
    /// Where the scans stand, in their order, then the places of the walks; local frame.
    poses: Vec<Pose>,
    stations: Vec<Station>,
    cloud: Coarse,
}

#[derive(Serialize)]
struct Station {
    name: String,
    at: [f64; 3],
    grid: [f64; 3],
    rotation: Vec<f64>,
    error95: Option<[f64; 2]>,
    links: Vec<usize>,
    file: String,
}

#[derive(Serialize)]
struct Data<'a> {
    job: &'a str,
    revision: i32,
    simulated: bool,
    reference: String,
    heights: &'a str,
    unit: (&'static str, f64),
    origin: [f64; 3],
    stations: &'a [Station],
    lines: Vec<Vec<[f64; 2]>>,
    verdict: Vec<(&'a str, &'static str)>,
    notes: &'a [[String; 4]],
}

impl Walk {
    /// Of the scans of a package, and of places of its passes.
    pub(crate) fn begin(folder: &Path, package: &Package, walked: impl Iterator<Item = Vec3>) -> Result<Self, Stop> {
        let folder = folder.join("walk-through");
        std::fs::create_dir(&folder)?;
        Ok(Self {
            folder,
            map: package.map.clone(),
            near: package.map.origin.map(f64::round),
            poses: (package.scans.iter().map(|s| s.1))
                .chain(walked.map(|at| Pose { translation: at, ..Pose::identity() }))
                .collect(),
            stations: Vec::new(),
            cloud: Coarse::new(CELL, POINTS),
        })
    }

    /// Adds what is seen from the next place: points in its frame.
    pub(crate) fn look(&mut self, name: &str, scan: &Scan, error95: Option<[f64; 2]>) -> Result<(), Stop> {
        let k = self.stations.len();
        let pose = self.poses[k];
        let seen = panorama(scan, WIDTH);
        let mut links: Vec<(f64, usize)> = (self.poses.iter().enumerate())
            .filter(|(other, _)| *other != k)
            .map(|(other, p)| (other, pose.inverse().apply(&p.translation)))
            .filter(|(_, p)| (0.5..FARTHEST).contains(&p.norm()) && seen.is_open_to(p))
            .map(|(other, p)| (p.norm(), other))
            .collect();
        links.sort_by(|a, b| a.0.total_cmp(&b.0));
        links.truncate(MOST_LINKS);

        let mut jpeg = Vec::new();
        let height = (WIDTH / 2) as u32;
        image::codecs::jpeg::JpegEncoder::new_with_quality(&mut jpeg, QUALITY)
            .encode(seen.pixels.as_flattened(), WIDTH as u32, height, image::ExtendedColorType::Rgb8)
            .map_err(|e| Stop::Failed(format!("the picture of {name}: {e}")))?;
        let file = format!("scan-{}.js", k + 1);
        let picture = BASE64_STANDARD.encode(&jpeg);
        let script = format!("(window.WALK_PICTURES ??= {{}})[{file:?}] = \"data:image/jpeg;base64,{picture}\";\n");
        std::fs::write(self.folder.join(&file), script)?;

        let grid = self.map.apply(&pose.translation);
        self.stations.push(Station {
            name: name.to_owned(),
            at: (grid - self.near).into(),
            grid: grid.into(),
            rotation: self.map.pose(&pose).matrix().transpose().iter().copied().collect(),
            error95,
            links: links.into_iter().map(|l| l.1).collect(),
            file,
        });
        Ok(())
    }

    /// Adds points of a cloud that stands in a pose: those that the package takes.
    pub(crate) fn show(&mut self, scan: &Scan, pose: &Pose, taken: &[bool]) {
        let there: Vec<usize> = (0..scan.points.len()).filter(|i| taken[*i]).collect();
        let bright = scan.intensity.iter().copied().max().unwrap_or(1).max(1);
        for &i in there.iter().step_by((there.len() / OF_A_SCAN).max(1)) {
            let grey = (f64::from(scan.intensity[i]) / f64::from(bright)).sqrt();
            let colour = scan.colour.get(i).copied().filter(|c| *c != [0; 3]).unwrap_or([(grey * 255.0) as u8; 3]);
            self.cloud.put(&(self.map.apply(&pose.apply(&scan.at(i))) - self.near), colour);
        }
    }

    /// Writes the page and what it reads.
    pub(crate) fn finish(self, package: &Package) -> Result<(), Stop> {
        for name in ["index.html", "walk.js", "walk.css"] {
            let file = Built::get(name).ok_or_else(|| {
                Stop::Failed("the walk-through was not built into this program: run npm run build".into())
            })?;
            std::fs::write(self.folder.join(name), file.data)?;
        }
        let points = self.cloud.points();
        let mut bytes = Vec::with_capacity(points.len() * 15);
        for (p, colour) in points {
            p.iter().for_each(|v| bytes.extend_from_slice(&v.to_le_bytes()));
            bytes.extend_from_slice(&colour);
        }
        let cloud = format!("window.WALK_CLOUD = \"{}\";\n", BASE64_STANDARD.encode(bytes));
        std::fs::write(self.folder.join("cloud.js"), cloud)?;
        let unit = package.state.brief.unit();
        let data = Data {
            job: &package.name,
            revision: package.revision,
            simulated: package.state.simulated(),
            reference: package.reference_words(),
            heights: &package.grid.grid.vertical,
            unit: (unit.code(), unit.metres()),
            origin: self.near.into(),
            stations: &self.stations,
            lines: lines(package, &self.near),
            verdict: package.verdicts.iter().map(|v| (v.requirement.as_str(), v.verdict.word())).collect(),
            notes: &package.notes,
        };
        let text = serde_json::to_string(&data).map_err(std::io::Error::from)?;
        std::fs::write(self.folder.join("data.js"), format!("window.WALK = {text};\n"))?;
        Ok(())
    }
}

/// What is drawn of the place: the first floor plan, else the walls of the plan. Metres about `near`.
fn lines(package: &Package, near: &Vec3) -> Vec<Vec<[f64; 2]>> {
    let about = |[e, n]: &[f64; 2]| [e - near.x, n - near.y];
    let drawn = package.drawings.first().into_iter().flat_map(|d| &d.items);
    let drawn: Vec<Vec<[f64; 2]>> = drawn
        .filter(|(kind, d)| kind != "unseen" && d.line.len() > 1)
        .map(|(_, d)| d.line.iter().map(about).collect())
        .collect();
    if !drawn.is_empty() {
        return drawn;
    }
    let origin = package.state.brief.origin();
    let walls = package.state.plan.site.walls.iter();
    walls.map(|w| w.line.iter().map(|p| about(&[p.x + origin.x, p.y + origin.y])).collect()).collect()
}

/// What is known of where a scan stands: 95 % in plan and in height.
pub(crate) fn station_error(package: &Package, scan: uuid::Uuid) -> Option<[f64; 2]> {
    let c = package.covariances.get(&scan)?;
    Some(Error95::plan_and_height(&c.fixed_view::<3, 3>(0, 0).into()))
}
