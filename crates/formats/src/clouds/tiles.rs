use super::las_file::{Records, STEP};
use super::octree::{Cube, Key, Octree};
use super::{CloudLayout, CloudPoint, CloudWriter};
use crate::error::FormatError;
use crate::tiles_write::glb;
use serde_json::{Value, json};
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use vistazo_core::cloud::TilePoints;

/// Writes a folder of OGC 3D Tiles 1.1: a `tileset.json`, and a binary glTF of points for each node of an octree. Metres about
/// the offset of the layout, z up; where that lies on the grid, and the reference, stand in the asset's extras.
pub struct TilesWriter {
    folder: PathBuf,
    layout: CloudLayout,
    records: Records,
    tree: Octree,
    record: Vec<u8>,
}

/// The box of a node's points, metres.
type Bounds = ([f64; 3], [f64; 3]);

impl TilesWriter {
    /// Starts a folder; its points lie in `scratch` until it ends.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn create(folder: &Path, layout: &CloudLayout, scratch: &Path) -> Result<Self, FormatError> {
        std::fs::create_dir_all(folder)?;
        let records = Records::new(&CloudLayout { errors: false, ..layout.clone() });
        let tree = Octree::new(records.len(), scratch)?;
        Ok(Self { folder: folder.to_owned(), layout: layout.clone(), records, tree, record: Vec::new() })
    }
}

impl CloudWriter for TilesWriter {
    fn put(&mut self, p: &CloudPoint) -> Result<(), FormatError> {
        let stored = self.records.stored(p)?;
        self.record.clear();
        self.records.push(p, stored, &mut self.record);
        self.tree.put(stored, &self.record)
    }

    fn end(self: Box<Self>) -> Result<(), FormatError> {
        let Self { folder, layout, records, tree, .. } = *self;
        let size = records.len();
        let mut nodes: HashMap<Key, Bounds> = HashMap::new();
        let cube = tree.finish(&mut |key, bytes| {
            let tile = tile(&bytes, size, &layout);
            let corner = |of: fn(f64, f64) -> f64, start: f64| -> [f64; 3] {
                std::array::from_fn(|k| {
                    tile.positions.iter().fold(start, |v, p| of(v, tile.centre[k] + f64::from(p[k])))
                })
            };
            nodes.insert(key, (corner(f64::min, f64::MAX), corner(f64::max, f64::MIN)));
            std::fs::write(folder.join(name(key)), glb(&tile))?;
            Ok(())
        })?;
        let side = (1_i64 << cube.side) as f64 * STEP * layout.unit;
        let offset = layout.offset.map(f64::round) * layout.unit;
        let root = node(Key::ROOT, &nodes, &cube, layout.unit);
        let root = root.map_or_else(
            || json!({ "boundingVolume": { "sphere": [0, 0, 0, 1] }, "geometricError": 0 }),
            |(value, _)| value,
        );
        let document = json!({
            "asset": {
                "version": "1.1",
                "extras": { "origin": [offset.x, offset.y, offset.z], "unit": "m", "reference": layout.wkt, "software": layout.software },
            },
            "geometricError": side,
            "root": root,
        });
        std::fs::write(folder.join("tileset.json"), serde_json::to_vec(&document).map_err(std::io::Error::from)?)?;
        Ok(())
    }
}

fn name(key: Key) -> String {
    format!("{}-{}-{}-{}.glb", key.level, key.at[0], key.at[1], key.at[2])
}

/// A node with all below it, and the box of all their points; `None` where there are none.
fn node(key: Key, nodes: &HashMap<Key, Bounds>, cube: &Cube, unit: f64) -> Option<(Value, Bounds)> {
    let own = nodes.get(&key)?;
    let below: Vec<(Value, Bounds)> = (0..8).filter_map(|k| node(key.child(k), nodes, cube, unit)).collect();
    let mut bounds = *own;
    for (_, b) in &below {
        for k in 0..3 {
            bounds.0[k] = bounds.0[k].min(b.0[k]);
            bounds.1[k] = bounds.1[k].max(b.1[k]);
        }
    }
    let middle: [f64; 3] = std::array::from_fn(|k| f64::midpoint(bounds.0[k], bounds.1[k]));
    let half: [f64; 3] = std::array::from_fn(|k| ((bounds.1[k] - bounds.0[k]) / 2.0).max(0.001));
    let apart = (1_i64 << (cube.side - key.level)) as f64 * STEP * unit / 64.0;
    let mut out = json!({
        "boundingVolume": { "box": [middle[0], middle[1], middle[2], half[0], 0, 0, 0, half[1], 0, 0, 0, half[2]] },
        "geometricError": if below.is_empty() { 0.0 } else { apart },
        "refine": "ADD",
        "content": { "uri": name(key) },
    });
    if !below.is_empty() {
        out["children"] = below.into_iter().map(|b| b.0).collect();
    }
    Some((out, bounds))
}

/// The points of a node as they are drawn: brightness, colour, class.
fn tile(bytes: &[u8], size: usize, layout: &CloudLayout) -> TilePoints {
    let whole = |r: &[u8], k: usize| i32::from_le_bytes([r[4 * k], r[4 * k + 1], r[4 * k + 2], r[4 * k + 3]]);
    let at = |r: &[u8]| -> [f64; 3] { std::array::from_fn(|k| f64::from(whole(r, k)) * STEP * layout.unit) };
    let mut out = TilePoints::default();
    let n = (bytes.len() / size).max(1) as f64;
    let sum = bytes.chunks_exact(size).fold([0.0; 3], |s, r| {
        let p = at(r);
        std::array::from_fn(|k| s[k] + p[k])
    });
    out.centre = sum.map(|s: f64| (s / n).round());
    for r in bytes.chunks_exact(size) {
        let p = at(r);
        out.positions.push(std::array::from_fn(|k| (p[k] - out.centre[k]) as f32));
        // the upper halves of what is stored in two bytes; incidence is not known here
        out.shades.push([r[13], 0, r[16]]);
        out.colours.push(if layout.coloured { [r[31], r[33], r[35]] } else { [r[13]; 3] });
    }
    out
}
