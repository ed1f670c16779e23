//! Points put into an octree in which every point stands in exactly one node: a node that is divided keeps one point for each
//! of 64 × 64 × 64 cells of its own and hands the rest down.
//!
//! Points lie on disk by blocks of some 13 m first; blocks are read one after the other in the order of the tree, so that only
//! the nodes above the one at hand are in memory. A block with more points than fit is divided on disk.

use crate::error::FormatError;
use std::collections::{BTreeMap, HashMap};
use std::fs::{File, OpenOptions};
use std::io::{BufWriter, Read, Write};
use std::path::{Path, PathBuf};

/// Steps in the side of a block, as a power of two.
const BLOCK: u32 = 17;
/// Cells in the side of a node, as a power of two.
const CELLS: u32 = 6;
/// A node with no more points than this is not divided.
const LEAF: usize = 50_000;
/// Points of a block that are held in memory.
const MOST: u64 = 8_000_000;
/// Files that are open at a time; others are opened again to append.
const OPEN: usize = 200;

/// A node: level (0 is the root) and place among the nodes of its level.
#[derive(Clone, Copy, Debug, PartialEq, Eq, Hash, PartialOrd, Ord)]
pub(super) struct Key {
    pub level: u32,
    pub at: [i64; 3],
}

impl Key {
    pub(super) const ROOT: Self = Self { level: 0, at: [0; 3] };

    pub(super) fn child(self, k: usize) -> Self {
        Self { level: self.level + 1, at: std::array::from_fn(|a| 2 * self.at[a] + ((k >> a) & 1) as i64) }
    }
}

/// The cube of the tree in stored steps: lowest corner, and its side as a power of two.
#[derive(Clone, Copy, Debug)]
pub(super) struct Cube {
    pub low: [i64; 3],
    pub side: u32,
}

/// Takes the nodes as they become whole; one of no points is not handed over.
pub(super) type Sink<'a> = dyn FnMut(Key, Vec<u8>) -> Result<(), FormatError> + 'a;

/// Records that begin with three coordinates as 32-bit steps, on their way into a tree.
pub(super) struct Octree {
    record: usize,
    folder: tempfile::TempDir,
    open: HashMap<[i64; 3], BufWriter<File>>,
    counts: BTreeMap<[i64; 3], u64>,
}

/// A node above those at hand, with the cells that have their point.
struct Above {
    key: Key,
    filled: Vec<u64>,
    bytes: Vec<u8>,
}

/// What was laid down of a cell of the tree: a file of records.
struct Laid {
    path: PathBuf,
    points: u64,
}

impl Octree {
    pub(super) fn new(record: usize, scratch: &Path) -> Result<Self, FormatError> {
        let folder = tempfile::tempdir_in(scratch)?;
        Ok(Self { record, folder, open: HashMap::new(), counts: BTreeMap::new() })
    }

    pub(super) fn put(&mut self, at: [i32; 3], record: &[u8]) -> Result<(), FormatError> {
        let block = at.map(|v| i64::from(v) >> BLOCK);
        *self.counts.entry(block).or_insert(0) += 1;
        if self.open.len() >= OPEN && !self.open.contains_key(&block) {
            for (_, mut file) in self.open.drain() {
                file.flush()?;
            }
        }
        let path = self.path(&block);
        let file = match self.open.entry(block) {
            std::collections::hash_map::Entry::Occupied(e) => e.into_mut(),
            std::collections::hash_map::Entry::Vacant(e) => e.insert(append(&path)?),
        };
        file.write_all(record)?;
        Ok(())
    }

    fn path(&self, block: &[i64; 3]) -> PathBuf {
        self.folder.path().join(format!("{}_{}_{}", block[0], block[1], block[2]))
    }

    /// Builds the tree and hands over its nodes, children before parents; returns its cube.
    pub(super) fn finish(mut self, sink: &mut Sink<'_>) -> Result<Cube, FormatError> {
        for (_, mut file) in self.open.drain() {
            file.flush()?;
        }
        let (mut low, mut high) = ([0; 3], [0; 3]);
        for (i, key) in self.counts.keys().enumerate() {
            for k in 0..3 {
                low[k] = if i == 0 { key[k] } else { low[k].min(key[k]) };
                high[k] = if i == 0 { key[k] } else { high[k].max(key[k]) };
            }
        }
        let widest = (0..3).map(|k| high[k] - low[k] + 1).max().unwrap_or(1) as u64;
        let levels = widest.next_power_of_two().trailing_zeros();
        let cube = Cube { low: low.map(|v| v << BLOCK), side: BLOCK + levels };
        let blocks: Vec<([i64; 3], Laid)> = self
            .counts
            .iter()
            .map(|(key, &points)| (std::array::from_fn(|k| key[k] - low[k]), Laid { path: self.path(key), points }))
            .collect();
        let mut build = Build { cube, record: self.record, above: Vec::new(), sink, next: 0 };
        build.branch(Key::ROOT, levels, blocks, self.folder.path())?;
        Ok(cube)
    }
}

struct Build<'a, 'b> {
    cube: Cube,
    record: usize,
    above: Vec<Above>,
    sink: &'a mut Sink<'b>,
    next: usize,
}

impl Build<'_, '_> {
    /// A node above blocks: `levels` more until a node is a block.
    fn branch(
        &mut self,
        key: Key,
        levels: u32,
        blocks: Vec<([i64; 3], Laid)>,
        folder: &Path,
    ) -> Result<(), FormatError> {
        if levels == 0 {
            return blocks.into_iter().try_for_each(|(_, laid)| self.block(key, laid, folder));
        }
        self.enter(key);
        let mut parts: [Vec<([i64; 3], Laid)>; 8] = Default::default();
        for (at, laid) in blocks {
            let k = (0..3).fold(0, |k, a| k | (((at[a] >> (levels - 1)) & 1) as usize) << a);
            parts[k].push((at, laid));
        }
        for (k, part) in parts.into_iter().enumerate().filter(|(_, p)| !p.is_empty()) {
            self.branch(key.child(k), levels - 1, part, folder)?;
        }
        self.leave()
    }

    /// What lies in a file: in memory if it fits, else in eight files.
    fn block(&mut self, key: Key, laid: Laid, folder: &Path) -> Result<(), FormatError> {
        let below = self.cube.side - key.level;
        if laid.points <= MOST || below <= CELLS + 1 {
            let mut bytes = Vec::with_capacity(laid.points as usize * self.record);
            File::open(&laid.path)?.read_to_end(&mut bytes)?;
            std::fs::remove_file(&laid.path)?;
            let rest = self.hand_up(&bytes);
            return self.within(key, &bytes, rest);
        }
        self.enter(key);
        let mut parts = Vec::new();
        for _ in 0..8 {
            self.next += 1;
            let path = folder.join(format!("part_{}", self.next));
            parts.push((append(&path)?, Laid { path, points: 0 }));
        }
        let mut file = File::open(&laid.path)?;
        let mut buffer = vec![0; self.record * 100_000];
        let mut left = laid.points as usize;
        while left > 0 {
            let n = left.min(100_000);
            file.read_exact(&mut buffer[..n * self.record])?;
            for record in buffer[..n * self.record].chunks_exact(self.record) {
                let (file, part) = &mut parts[self.octant(record, key.level)];
                file.write_all(record)?;
                part.points += 1;
            }
            left -= n;
        }
        drop(file);
        std::fs::remove_file(&laid.path)?;
        for (k, (mut file, part)) in parts.into_iter().enumerate() {
            file.flush()?;
            drop(file);
            if part.points > 0 {
                self.block(key.child(k), part, folder)?;
            }
        }
        self.leave()
    }

    /// A node whose points are in memory: those of `bytes` that no node above took.
    fn within(&mut self, key: Key, bytes: &[u8], points: Vec<u32>) -> Result<(), FormatError> {
        let below = self.cube.side - key.level;
        let record = |k: u32| &bytes[k as usize * self.record..][..self.record];
        if points.len() <= LEAF || below <= CELLS {
            let all: Vec<u8> = points.iter().flat_map(|k| record(*k)).copied().collect();
            return self.give(key, all);
        }
        let mut filled = vec![0_u64; 1 << (3 * CELLS - 6)];
        let mut own = Vec::new();
        let mut parts: [Vec<u32>; 8] = Default::default();
        for k in points {
            let r = record(k);
            if take(&mut filled, self.cell(r, key.level)) {
                own.extend_from_slice(r);
            } else {
                parts[self.octant(r, key.level)].push(k);
            }
        }
        for (k, part) in parts.into_iter().enumerate().filter(|(_, p)| !p.is_empty()) {
            self.within(key.child(k), bytes, part)?;
        }
        self.give(key, own)
    }

    /// Lets the nodes above take their points; returns what is left.
    fn hand_up(&mut self, bytes: &[u8]) -> Vec<u32> {
        let mut above = std::mem::take(&mut self.above);
        let mut rest = Vec::with_capacity(bytes.len() / self.record);
        for (k, r) in bytes.chunks_exact(self.record).enumerate() {
            match above.iter_mut().find_map(|a| take(&mut a.filled, self.cell(r, a.key.level)).then_some(a)) {
                Some(a) => a.bytes.extend_from_slice(r),
                None => rest.push(k as u32),
            }
        }
        self.above = above;
        rest
    }

    fn enter(&mut self, key: Key) {
        self.above.push(Above { key, filled: vec![0; 1 << (3 * CELLS - 6)], bytes: Vec::new() });
    }

    fn leave(&mut self) -> Result<(), FormatError> {
        self.above.pop().map_or(Ok(()), |a| self.give(a.key, a.bytes))
    }

    fn give(&mut self, key: Key, bytes: Vec<u8>) -> Result<(), FormatError> {
        if bytes.is_empty() { Ok(()) } else { (self.sink)(key, bytes) }
    }

    /// Steps from the corner of the cube.
    fn steps(&self, record: &[u8]) -> [u64; 3] {
        std::array::from_fn(|k| {
            let v = i32::from_le_bytes([record[4 * k], record[4 * k + 1], record[4 * k + 2], record[4 * k + 3]]);
            (i64::from(v) - self.cube.low[k]) as u64
        })
    }

    /// Which of its node's cells a point lies in.
    fn cell(&self, record: &[u8], level: u32) -> usize {
        let shift = self.cube.side - level - CELLS;
        let mask = (1 << CELLS) - 1;
        self.steps(record).iter().fold(0, |c, v| (c << CELLS) | ((v >> shift) & mask) as usize)
    }

    /// Which of the children of its node at `level` a point belongs to.
    fn octant(&self, record: &[u8], level: u32) -> usize {
        let shift = self.cube.side - level - 1;
        self.steps(record).iter().enumerate().fold(0, |k, (a, v)| k | (((v >> shift) & 1) as usize) << a)
    }
}

/// Marks a cell; true when it was free.
fn take(filled: &mut [u64], cell: usize) -> bool {
    let (word, bit) = (&mut filled[cell / 64], 1 << (cell % 64));
    let free = *word & bit == 0;
    *word |= bit;
    free
}

fn append(path: &Path) -> Result<BufWriter<File>, FormatError> {
    Ok(BufWriter::new(OpenOptions::new().create(true).append(true).open(path)?))
}
