use super::las_file::{Records, STEP, Tally, extended, record};
use super::laz::{begin, packing};
use super::octree::{Cube, Key, Octree};
use super::{CloudLayout, CloudPoint, CloudWriter};
use crate::error::FormatError;
use laz::ParLasZipCompressor;
use laz::laszip::ChunkTable;
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufReader, BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// Bytes of nodes that wait until all cores compress them.
const BATCH: usize = 48 << 20;
/// Bytes of the record that says where the index stands.
const INFO: usize = 160;

/// Writes one file of COPC 1.0: LAZ 1.4 whose chunks are the nodes of an octree, with an index after them. Every reader of LAZ
/// reads it; one that knows the index reads what it shows.
pub struct CopcWriter {
    path: PathBuf,
    records: Records,
    tree: Octree,
    tally: Tally,
    record: Vec<u8>,
}

impl CopcWriter {
    /// Starts a file; its points lie in `scratch` until it ends.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn create(path: &Path, layout: &CloudLayout, scratch: &Path) -> Result<Self, FormatError> {
        let records = Records::new(layout);
        let tree = Octree::new(records.len(), scratch)?;
        File::create(path)?;
        Ok(Self { path: path.to_owned(), records, tree, tally: Tally::default(), record: Vec::new() })
    }
}

impl CloudWriter for CopcWriter {
    fn put(&mut self, p: &CloudPoint) -> Result<(), FormatError> {
        let stored = self.records.stored(p)?;
        self.tally.add(stored);
        self.record.clear();
        self.records.push(p, stored, &mut self.record);
        self.tree.put(stored, &self.record)
    }

    fn end(self: Box<Self>) -> Result<(), FormatError> {
        let Self { path, records, tree, tally, .. } = *self;
        let size = records.len();
        let vlr = records.compression()?.with_variable_chunk_size().build();
        // the place of the index is known at the end only
        let before = records.records(vec![record("copc", 1, "COPC info", &[0; INFO])], &vlr)?;
        let mut file = BufWriter::with_capacity(1 << 20, File::create(&path)?);
        let mut place = begin(&mut file, &before)?;
        let mut packed = ParLasZipCompressor::new(file, vlr.clone()).map_err(packing)?;
        let mut keys: Vec<(Key, usize)> = Vec::new();
        let (mut waiting, mut bytes) = (Vec::new(), 0);
        let cube = tree.finish(&mut |key, node| {
            keys.push((key, node.len() / size));
            bytes += node.len();
            waiting.push(node);
            if bytes >= BATCH {
                bytes = 0;
                packed.compress_chunks(std::mem::take(&mut waiting))?;
            }
            Ok(())
        })?;
        packed.compress_chunks(waiting)?;
        packed.done().map_err(packing)?;
        let mut file = packed.into_inner();
        let end = file.seek(SeekFrom::End(0))?;
        file.flush()?;

        let mut written = BufReader::new(File::open(&path)?);
        written.seek(SeekFrom::Start(place.points))?;
        let table = ChunkTable::read_from(&mut written, &vlr).map_err(packing)?;
        let index = hierarchy(&keys, table.as_ref().iter().map(|c| c.byte_count), place.points + 8);
        place.extended = Some(end);
        file.write_all(&extended("copc", 1000, "EPT hierarchy", index.len() as u64))?;
        file.write_all(&index)?;
        records.write_header(&mut file, &tally, &place)?;
        file.seek(SeekFrom::Start(super::las_file::HEADER + 54))?;
        file.write_all(&info(&records, &cube, end + 60, index.len() as u64))?;
        file.flush()?;
        Ok(())
    }
}

/// A row of the index for each node, and for each empty one on the way to it.
fn hierarchy(keys: &[(Key, usize)], sizes: impl Iterator<Item = u64>, first: u64) -> Vec<u8> {
    let mut rows: HashMap<Key, (u64, u64, usize)> = HashMap::new();
    let mut at = first;
    for ((key, points), bytes) in keys.iter().zip(sizes) {
        rows.insert(*key, (at, bytes, *points));
        at += bytes;
        let mut up = *key;
        while up.level > 0 {
            up = Key { level: up.level - 1, at: up.at.map(|v| v >> 1) };
            rows.entry(up).or_insert((0, 0, 0));
        }
    }
    let mut rows: Vec<_> = rows.into_iter().collect();
    rows.sort_unstable();
    let mut out = Vec::with_capacity(32 * rows.len());
    for (key, (at, bytes, points)) in rows {
        let place = key.at.map(|v| v as i32);
        for v in [key.level as i32, place[0], place[1], place[2]] {
            out.extend_from_slice(&v.to_le_bytes());
        }
        out.extend_from_slice(&at.to_le_bytes());
        out.extend_from_slice(&(bytes as i32).to_le_bytes());
        out.extend_from_slice(&(points as i32).to_le_bytes());
    }
    out
}

/// Where the tree lies, how far its first points are apart, and where its index stands.
fn info(records: &Records, cube: &Cube, index: u64, length: u64) -> Vec<u8> {
    let mut out = Vec::with_capacity(INFO);
    let half = 1_i64 << (cube.side - 1);
    (0..3).for_each(|k| out.extend_from_slice(&records.coordinate(k, cube.low[k] + half).to_le_bytes()));
    let side = (2 * half) as f64 * STEP;
    for v in [side / 2.0, side / 64.0] {
        out.extend_from_slice(&v.to_le_bytes());
    }
    out.extend_from_slice(&index.to_le_bytes());
    out.extend_from_slice(&length.to_le_bytes());
    out.resize(INFO, 0);
    out
}
