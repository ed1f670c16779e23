//! Clouds on the grid, in as many formats as were asked for: one scan at a time in memory, however many there are.

use crate::dto::PackageOptions;
use crate::tasks::Stop;
use nalgebra::Matrix6;
use std::collections::HashMap;
use std::io::{BufReader, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use vistazo_core::clean::Class;
use vistazo_core::cloud::{ClipBox, Measured, Thinner};
use vistazo_core::deliver::Deliverable;
use vistazo_core::geometry::{Error95, Mat3, Pose, Vec3};
use vistazo_core::georef::GridMap;
use vistazo_core::instrument::Instrument;
use vistazo_core::scan::Scan;
use vistazo_formats::{CloudFormat, CloudLayout, CloudPoint, CloudWriter};

/// The format of what is asked for, where it is written point by point.
pub(crate) fn format(d: Deliverable) -> Option<CloudFormat> {
    Some(match d {
        Deliverable::Laz => CloudFormat::Laz,
        Deliverable::Copc => CloudFormat::Copc,
        Deliverable::Ply => CloudFormat::Ply,
        Deliverable::Xyz => CloudFormat::Xyz,
        Deliverable::Tiles => CloudFormat::Tiles,
        Deliverable::E57
        | Deliverable::WalkThrough
        | Deliverable::FloorPlans
        | Deliverable::Elevations
        | Deliverable::Ground
        | Deliverable::Features
        | Deliverable::Solids => return None,
    })
}

/// What every file of an export has in common.
#[derive(Clone)]
pub(crate) struct Setting {
    pub folder: PathBuf,
    pub base: String,
    pub formats: Vec<CloudFormat>,
    /// Near the points, grid, in the unit of the files; reference, colours, what wrote them.
    pub layout: CloudLayout,
    /// From the local frame of true metres, in which poses are, to the grid.
    pub map: GridMap,
    pub instrument: Instrument,
    pub clip: ClipBox,
    pub options: PackageOptions,
}

/// What is known of a point of a pass: by its index and its place in the local frame, m².
pub(crate) type Along<'a> = dyn Fn(usize, &Vec3) -> Mat3 + Sync + 'a;

/// A scan on its way into the files.
pub(crate) struct Placed<'a> {
    pub scan: &'a Scan,
    pub classes: &'a [Class],
    /// In the local frame.
    pub pose: Pose,
    /// Of the pose, by left increments.
    pub covariance: Matrix6<f64>,
    pub name: &'a str,
    /// From 1.
    pub number: u16,
    /// Of a pass: covariance of where each of its points is (local frame, m²), by its index and place; else the pose says it.
    pub along: Option<&'a Along<'a>>,
}

/// Files of the same points, each of its format.
type Files = Vec<Box<dyn CloudWriter>>;

/// Writes clouds scan by scan.
pub(crate) struct Export {
    set: Setting,
    /// The files of a merged export.
    merged: Files,
    /// A merged export that is thinned collects by blocks first: neighbours from different scans
    /// must meet before one of them is kept.
    blocks: Option<Blocks>,
    pub written: u64,
}

impl Export {
    pub(crate) fn begin(set: Setting) -> Result<Self, Stop> {
        let merged = if set.options.per_scan { Vec::new() } else { set.files(&set.base)? };
        let blocks = match (set.options.per_scan, set.options.thin) {
            (false, Some(_)) => Some(Blocks::new(&set.folder)?),
            _ => None,
        };
        Ok(Self { set, merged, blocks, written: 0 })
    }

    /// Adds a scan. Every point goes through the map to the grid, so that clouds are scaled as coordinates are. Returns which
    /// of its points were taken: a file that is not written point by point takes the same.
    pub(crate) fn add(&mut self, of: &Placed<'_>) -> Result<Vec<bool>, Stop> {
        let Placed { scan, classes, pose, number, .. } = of;
        let unit = self.set.layout.unit;
        let near = self.set.layout.offset * unit;
        let mut thin = self.set.options.thin.map(Thinner::new);
        let mut own = match self.set.options.per_scan {
            true => self.set.files(&format!("{}-{}", self.set.base, of.name))?,
            false => Vec::new(),
        };
        let mut taken = vec![false; scan.points.len()];
        for (k, took) in taken.iter_mut().enumerate() {
            let class = classes.get(k).copied();
            if self.set.options.leave_out && class.is_some_and(|c| c != Class::Kept) {
                continue;
            }
            let at = scan.at(k);
            let p = self.set.map.apply(&pose.apply(&at));
            if !self.set.clip.contains(&p) || thin.as_mut().is_some_and(|t| !t.keep(&(p - near))) {
                continue;
            }
            *took = true;
            let error95 = if self.set.layout.errors {
                let known = match of.along {
                    Some(along) => along(k, &pose.apply(&at)),
                    None => Measured::of(pose, &of.covariance, &at, &self.set.instrument).covariance,
                };
                Error95::plan_and_height(&known).map(|e| e / unit)
            } else {
                [0.0; 2]
            };
            let mut point = CloudPoint {
                at: p / unit,
                intensity: scan.intensity[k],
                colour: scan.colour.get(k).copied().unwrap_or_default(),
                scan: *number,
                // a scan that was not cleaned says so: created, never classified
                class: class.map_or(0, Class::las),
                error95,
            };
            if let Some(blocks) = &mut self.blocks {
                point.at = p - near;
                blocks.put(&point)?;
            } else {
                put(if own.is_empty() { &mut self.merged } else { &mut own }, &point)?;
                self.written += 1;
            }
        }
        end(own)?;
        Ok(taken)
    }

    /// Ends the files; returns how many points were written.
    pub(crate) fn finish(mut self) -> Result<u64, Stop> {
        if let (Some(blocks), Some(side)) = (self.blocks.take(), self.set.options.thin) {
            let (unit, offset) = (self.set.layout.unit, self.set.layout.offset);
            let merged = &mut self.merged;
            self.written += blocks.drain(side, &mut |mut p| {
                p.at = p.at / unit + offset;
                put(merged, &p)
            })?;
        }
        end(self.merged)?;
        Ok(self.written)
    }
}

fn put(files: &mut Files, p: &CloudPoint) -> Result<(), Stop> {
    Ok(files.iter_mut().try_for_each(|f| f.put(p))?)
}

fn end(files: Files) -> Result<(), Stop> {
    Ok(files.into_iter().try_for_each(|f| f.end())?)
}

impl Setting {
    fn files(&self, stem: &str) -> Result<Files, Stop> {
        let scratch = self.folder.parent().unwrap_or(&self.folder);
        let make = |f: &CloudFormat| f.create(&self.folder, stem, &self.layout, scratch);
        Ok(self.formats.iter().map(make).collect::<Result<_, _>>()?)
    }
}

/// Side of a block, metres.
const BLOCK: f64 = 16.0;
const RECORD: usize = 24 + 2 + 3 + 2 + 1 + 8;

/// Takes a point.
type Take<'a> = dyn FnMut(CloudPoint) -> Result<(), Stop> + 'a;

/// Points set down on disk by blocks of ground, so that one block at a time is enough in memory.
struct Blocks {
    folder: tempfile::TempDir,
    open: HashMap<(i32, i32), BufWriter<std::fs::File>>,
}

impl Blocks {
    fn new(near: &Path) -> Result<Self, Stop> {
        Ok(Self { folder: tempfile::tempdir_in(near.parent().unwrap_or(near))?, open: HashMap::new() })
    }

    /// Metres about the offset.
    fn put(&mut self, point: &CloudPoint) -> Result<(), Stop> {
        let p = point.at;
        let key = ((p.x / BLOCK).floor() as i32, (p.y / BLOCK).floor() as i32);
        // few files at a time: closed ones are opened again to append
        if self.open.len() > 200 && !self.open.contains_key(&key) {
            for (_, mut file) in self.open.drain() {
                file.flush()?;
            }
        }
        let file = match self.open.entry(key) {
            std::collections::hash_map::Entry::Occupied(e) => e.into_mut(),
            std::collections::hash_map::Entry::Vacant(e) => {
                let path = self.folder.path().join(format!("{}_{}", key.0, key.1));
                e.insert(BufWriter::new(std::fs::OpenOptions::new().create(true).append(true).open(path)?))
            }
        };
        let mut record = [0_u8; RECORD];
        for k in 0..3 {
            record[8 * k..8 * k + 8].copy_from_slice(&p[k].to_le_bytes());
        }
        record[24..26].copy_from_slice(&point.intensity.to_le_bytes());
        record[26..29].copy_from_slice(&point.colour);
        record[29..31].copy_from_slice(&point.scan.to_le_bytes());
        record[31] = point.class;
        for k in 0..2 {
            record[32 + 4 * k..36 + 4 * k].copy_from_slice(&(point.error95[k] as f32).to_le_bytes());
        }
        file.write_all(&record)?;
        Ok(())
    }

    /// Hands over one point a cell of `side`, block by block; returns how many.
    fn drain(mut self, side: f64, take: &mut Take<'_>) -> Result<u64, Stop> {
        for (_, mut file) in self.open.drain() {
            file.flush()?;
        }
        let mut files: Vec<PathBuf> =
            std::fs::read_dir(self.folder.path())?.filter_map(|e| e.ok().map(|e| e.path())).collect();
        files.sort();
        let (mut thin, mut kept) = (Thinner::new(side), 0);
        for path in files {
            thin.clear();
            let count = std::fs::metadata(&path)?.len() as usize / RECORD;
            let mut file = BufReader::with_capacity(1 << 20, std::fs::File::open(path)?);
            let mut b = [0_u8; RECORD];
            for _ in 0..count {
                file.read_exact(&mut b)?;
                let f = |k: usize| {
                    let mut w = [0; 8];
                    w.copy_from_slice(&b[8 * k..8 * k + 8]);
                    f64::from_le_bytes(w)
                };
                let at = Vec3::new(f(0), f(1), f(2));
                if thin.keep(&at) {
                    let e = |k: usize| f64::from(f32::from_le_bytes([b[k], b[k + 1], b[k + 2], b[k + 3]]));
                    take(CloudPoint {
                        at,
                        intensity: u16::from_le_bytes([b[24], b[25]]),
                        colour: [b[26], b[27], b[28]],
                        scan: u16::from_le_bytes([b[29], b[30]]),
                        class: b[31],
                        error95: [e(32), e(36)],
                    })?;
                    kept += 1;
                }
            }
        }
        Ok(kept)
    }
}
