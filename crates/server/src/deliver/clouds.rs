//! Clouds on the grid as LAZ: one scan at a time in memory, however many there are.

use crate::dto::PackageOptions;
use crate::tasks::Stop;
use std::collections::HashMap;
use std::io::{BufReader, BufWriter, Read, Write};
use std::path::{Path, PathBuf};
use vistazo_core::clean::Class;
use vistazo_core::cloud::{ClipBox, Thinner};
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::georef::GridMap;
use vistazo_core::scan::Scan;
use vistazo_formats::LazWriter;

/// What every file of an export has in common.
#[derive(Clone)]
pub(crate) struct Setting {
    pub folder: PathBuf,
    pub base: String,
    pub wkt: Option<String>,
    pub coloured: bool,
    /// Metres in one unit of the files.
    pub unit: f64,
    /// Near the points, grid, metres.
    pub offset: Vec3,
    /// From the local frame of true metres, in which poses are, to the grid.
    pub map: GridMap,
    /// What wrote the files, for their headers.
    pub software: String,
    pub clip: ClipBox,
    pub options: PackageOptions,
}

/// Writes LAZ files scan by scan.
pub(crate) struct Export {
    set: Setting,
    /// The one file of a merged export.
    merged: Option<LazWriter>,
    /// A merged export that is thinned collects by blocks first: neighbours from different scans
    /// must meet before one of them is kept.
    blocks: Option<Blocks>,
    pub written: u64,
}

impl Export {
    pub(crate) fn begin(set: Setting) -> Result<Self, Stop> {
        let merged = if set.options.per_scan { None } else { Some(set.file(&set.base)?) };
        let blocks = match (&merged, set.options.thin) {
            (Some(_), Some(_)) => Some(Blocks::new(&set.folder)?),
            _ => None,
        };
        Ok(Self { set, merged, blocks, written: 0 })
    }

    /// Adds a scan under its pose in the local frame; `number` counts from 1. Every point goes through the map
    /// to the grid, so that clouds are scaled as coordinates are. Returns which of its points
    /// were taken: a file of another format takes the same.
    pub(crate) fn add(
        &mut self,
        (scan, classes): (&Scan, &[Class]),
        pose: &Pose,
        name: &str,
        number: u16,
    ) -> Result<Vec<bool>, Stop> {
        let mut thin = self.set.options.thin.map(Thinner::new);
        let mut own =
            if self.set.options.per_scan { Some(self.set.file(&format!("{}-{name}", self.set.base))?) } else { None };
        let mut taken = vec![false; scan.points.len()];
        for (k, took) in taken.iter_mut().enumerate() {
            let class = classes.get(k).copied();
            if self.set.options.leave_out && class.is_some_and(|c| c != Class::Kept) {
                continue;
            }
            // a scan that was not cleaned says so: created, never classified
            let class = class.map_or(0, Class::las);
            let p = self.set.map.apply(&pose.apply(&scan.at(k)));
            if !self.set.clip.contains(&p) || thin.as_mut().is_some_and(|t| !t.keep(&(p - self.set.offset))) {
                continue;
            }
            *took = true;
            let colour = scan.colour.get(k).copied();
            if let Some(blocks) = &mut self.blocks {
                blocks.put(&(p - self.set.offset), scan.intensity[k], colour.unwrap_or_default(), (number, class))?;
            } else if let Some(laz) = own.as_mut().or(self.merged.as_mut()) {
                laz.add(&(p / self.set.unit), scan.intensity[k], colour, number, class)?;
                self.written += 1;
            }
        }
        if let Some(laz) = own {
            laz.finish()?;
        }
        Ok(taken)
    }

    /// Ends the files; returns how many points were written.
    pub(crate) fn finish(mut self) -> Result<u64, Stop> {
        if let (Some(blocks), Some(laz), Some(side)) = (self.blocks.take(), &mut self.merged, self.set.options.thin) {
            self.written += blocks.drain(side, &mut |p, intensity, colour, (number, class)| {
                Ok(laz.add(
                    &((p + self.set.offset) / self.set.unit),
                    intensity,
                    self.set.coloured.then_some(colour),
                    number,
                    class,
                )?)
            })?;
        }
        if let Some(laz) = self.merged {
            laz.finish()?;
        }
        Ok(self.written)
    }
}

impl Setting {
    fn file(&self, name: &str) -> Result<LazWriter, Stop> {
        let path = self.folder.join(format!("{name}.laz"));
        let offset = (self.offset / self.unit).map(f64::round);
        Ok(LazWriter::create_as(&path, offset, self.wkt.as_deref(), self.coloured, &self.software)?)
    }
}

/// Side of a block, metres.
const BLOCK: f64 = 16.0;
const RECORD: usize = 24 + 2 + 3 + 2 + 1;

/// Takes a point: place, intensity, colour, number of its scan and its class.
type Take<'a> = dyn FnMut(Vec3, u16, [u8; 3], (u16, u8)) -> Result<(), Stop> + 'a;

/// Points set down on disk by blocks of ground, so that one block at a time is enough in memory.
struct Blocks {
    folder: tempfile::TempDir,
    open: HashMap<(i32, i32), BufWriter<std::fs::File>>,
}

impl Blocks {
    fn new(near: &Path) -> Result<Self, Stop> {
        Ok(Self { folder: tempfile::tempdir_in(near.parent().unwrap_or(near))?, open: HashMap::new() })
    }

    fn put(&mut self, p: &Vec3, intensity: u16, colour: [u8; 3], (number, class): (u16, u8)) -> Result<(), Stop> {
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
        record[24..26].copy_from_slice(&intensity.to_le_bytes());
        record[26..29].copy_from_slice(&colour);
        record[29..31].copy_from_slice(&number.to_le_bytes());
        record[31] = class;
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
                let p = Vec3::new(f(0), f(1), f(2));
                if thin.keep(&p) {
                    take(
                        p,
                        u16::from_le_bytes([b[24], b[25]]),
                        [b[26], b[27], b[28]],
                        (u16::from_le_bytes([b[29], b[30]]), b[31]),
                    )?;
                    kept += 1;
                }
            }
        }
        Ok(kept)
    }
}
