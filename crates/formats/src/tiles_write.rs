use crate::error::FormatError;
use serde_json::{Value, json};
use std::io::Write;
use std::path::Path;
use std::sync::Mutex;
use vistazo_core::cloud::{TileNode, TilePoints};

/// Levels of tiles described in one tileset document; deeper ones have documents of their own.
const DEPTH: usize = 3;

/// Where something stands in a pack: first byte and length.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct Extent {
    /// First byte.
    pub start: u64,
    /// Number of bytes.
    pub len: u64,
}

impl Extent {
    /// The name a tileset refers to it by, as `start-len.ending`.
    pub fn name(&self, ending: &str) -> String {
        format!("{}-{}.{ending}", self.start, self.len)
    }

    /// The extent from its name, and whether it is points (`glb`) or a document (`json`).
    ///
    /// ```
    /// use vistazo_formats::Extent;
    /// let e = Extent { start: 10, len: 5 };
    /// assert_eq!(Extent::parse(&e.name("glb")), Some((e, true)));
    /// assert_eq!(Extent::parse("../1-2.glb"), None);
    /// ```
    pub fn parse(name: &str) -> Option<(Self, bool)> {
        let (range, ending) = name.split_once('.')?;
        let (start, len) = range.split_once('-')?;
        let digits = |s: &str| s.bytes().all(|b| b.is_ascii_digit()).then(|| s.parse().ok()).flatten();
        let points = match ending {
            "glb" => true,
            "json" => false,
            _ => return None,
        };
        Some((Self { start: digits(start)?, len: digits(len)? }, points))
    }
}

/// One file that holds all tiles of a scan, one after the other: OGC 3D Tiles 1.1 whose contents
/// are glTF 2.0 points, and the tileset documents that refer to them by their place in the file.
#[derive(Debug)]
pub struct TilePack {
    file: Mutex<(std::io::BufWriter<std::fs::File>, u64)>,
}

impl TilePack {
    /// Starts a pack.
    ///
    /// # Errors
    /// When the file cannot be made.
    pub fn create(path: &Path) -> Result<Self, FormatError> {
        let file = std::io::BufWriter::with_capacity(1 << 20, std::fs::File::create(path)?);
        Ok(Self { file: Mutex::new((file, 0)) })
    }

    /// Adds the points of a tile; several threads may do so at once.
    ///
    /// # Errors
    /// When writing fails.
    pub fn add(&self, points: &TilePoints) -> Result<Extent, FormatError> {
        self.append(&glb(points))
    }

    fn append(&self, bytes: &[u8]) -> Result<Extent, FormatError> {
        let mut file = self.file.lock().map_err(|_| FormatError::Damaged("writing tiles was interrupted".into()))?;
        file.0.write_all(bytes)?;
        let start = file.1;
        file.1 += bytes.len() as u64;
        Ok(Extent { start, len: bytes.len() as u64 })
    }

    /// Writes the tileset documents and ends the pack; returns where the first document stands.
    ///
    /// # Errors
    /// When writing fails.
    pub fn finish(self, root: &TileNode<Extent>) -> Result<Extent, FormatError> {
        let first = self.document(root)?;
        let mut file =
            self.file.into_inner().map_err(|_| FormatError::Damaged("writing tiles was interrupted".into()))?;
        file.0.flush()?;
        Ok(first)
    }

    fn document(&self, root: &TileNode<Extent>) -> Result<Extent, FormatError> {
        let document = json!({
            "asset": { "version": "1.1" },
            "geometricError": root.error.max(0.01) * 4.0,
            "root": self.tile(root, DEPTH)?,
        });
        self.append(document.to_string().as_bytes())
    }

    fn tile(&self, node: &TileNode<Extent>, depth: usize) -> Result<Value, FormatError> {
        if depth == 0 && !node.children.is_empty() {
            let inner = self.document(node)?;
            return Ok(json!({
                "boundingVolume": { "box": bounding(node) },
                "geometricError": node.error * 4.0,
                "content": { "uri": inner.name("json") },
            }));
        }
        let children = node.children.iter().map(|c| self.tile(c, depth - 1)).collect::<Result<Vec<_>, _>>()?;
        let mut tile = json!({
            "boundingVolume": { "box": bounding(node) },
            "geometricError": node.error,
            "refine": "ADD",
            "content": { "uri": node.content.name("glb") },
        });
        if !children.is_empty() {
            tile["children"] = children.into();
        }
        Ok(tile)
    }
}

/// A box as 3D Tiles writes it: middle, then the three half axes.
pub fn bounding<T>(node: &TileNode<T>) -> [f64; 12] {
    let ([x, y, z], [a, b, c]) = (node.middle, node.half);
    [x, y, z, a, 0.0, 0.0, 0.0, b, 0.0, 0.0, 0.0, c]
}

/// The points as a binary glTF. Positions stay z-up about the middle of the tile, exactly as they
/// were measured; the matrix of the node shifts them and turns them into the y-up of glTF.
pub(crate) fn glb(p: &TilePoints) -> Vec<u8> {
    let n = p.positions.len();
    let colour = !p.colours.is_empty();
    let (positions, shades) = (n * 12, n * 4);
    let total = positions + shades + if colour { n * 4 } else { 0 };
    let (mut lo, mut hi) = ([f32::MAX; 3], [f32::MIN; 3]);
    for q in &p.positions {
        for k in 0..3 {
            lo[k] = lo[k].min(q[k]);
            hi[k] = hi[k].max(q[k]);
        }
    }
    let bytes = |view: usize| json!({ "bufferView": view, "componentType": 5121, "normalized": true, "count": n, "type": "VEC4" });
    let view =
        |offset: usize, len: usize| json!({ "buffer": 0, "byteOffset": offset, "byteLength": len, "target": 34962 });
    let mut accessors = vec![
        json!({ "bufferView": 0, "componentType": 5126, "count": n, "type": "VEC3", "min": lo, "max": hi }),
        bytes(1),
    ];
    let mut views = vec![view(0, positions), view(positions, shades)];
    let mut attributes = json!({ "POSITION": 0, "_SHADE": 1 });
    if colour {
        accessors.push(bytes(2));
        views.push(view(positions + shades, n * 4));
        attributes["COLOR_0"] = 2.into();
    }
    let [x, y, z] = p.centre;
    let document = json!({
        "asset": { "version": "2.0", "generator": "Vistazo" },
        "scene": 0,
        "scenes": [{ "nodes": [0] }],
        "nodes": [{ "mesh": 0, "matrix": [1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, x, z, -y, 1] }],
        "meshes": [{ "primitives": [{ "mode": 0, "attributes": attributes }] }],
        "accessors": accessors,
        "bufferViews": views,
        "buffers": [{ "byteLength": total }],
    });
    let plain = |of: &[[u8; 3]]| of.iter().flat_map(|s| [s[0], s[1], s[2], 255]).collect::<Vec<u8>>();
    let places: Vec<u8> = p.positions.iter().flatten().flat_map(|v| v.to_le_bytes()).collect();
    container(&document, &[&places, &plain(&p.shades), &plain(&p.colours)])
}

/// A binary glTF: its document, and a buffer out of parts that are whole numbers of words.
pub(crate) fn container(document: &serde_json::Value, parts: &[&[u8]]) -> Vec<u8> {
    let total: usize = parts.iter().map(|p| p.len()).sum();
    let mut text = document.to_string().into_bytes();
    text.resize(text.len().next_multiple_of(4), b' ');
    let mut out = Vec::with_capacity(28 + text.len() + total);
    let word = |out: &mut Vec<u8>, v: usize| out.extend_from_slice(&(v as u32).to_le_bytes());
    out.extend_from_slice(b"glTF");
    word(&mut out, 2);
    word(&mut out, 28 + text.len() + total);
    word(&mut out, text.len());
    out.extend_from_slice(b"JSON");
    out.extend_from_slice(&text);
    word(&mut out, total);
    out.extend_from_slice(b"BIN\0");
    parts.iter().for_each(|p| out.extend_from_slice(p));
    out
}
