use crate::error::FormatError;
use crate::tiles_write::Extent;
use serde::Deserialize;

/// A tile as a tileset document describes it.
#[derive(Clone, Debug)]
pub struct Tile {
    /// Box of all points in and below it: middle and half extents, scanner frame, metres.
    pub middle: [f64; 3],
    /// Half extents, metres.
    pub half: [f64; 3],
    /// Distance between its points where it has children, metres; 0 where it has none.
    pub error: f64,
    /// Where its content stands, and whether that is points; otherwise a document about the same tile.
    pub content: (Extent, bool),
    /// What adds to it.
    pub children: Vec<Tile>,
}

#[derive(Deserialize)]
#[serde(rename_all = "camelCase")]
struct Written {
    bounding_volume: Bounds,
    geometric_error: f64,
    content: Content,
    #[serde(default)]
    children: Vec<Written>,
}
#[derive(Deserialize)]
struct Bounds {
    r#box: [f64; 12],
}
#[derive(Deserialize)]
struct Content {
    uri: String,
}
#[derive(Deserialize)]
struct Document {
    root: Written,
}

fn damaged(what: &str) -> FormatError {
    FormatError::Damaged(format!("view tiles: {what}"))
}

/// The tile that a document of a pack describes.
///
/// # Errors
/// When it is not a document that [`crate::TilePack`] wrote.
pub fn tile_document(bytes: &[u8]) -> Result<Tile, FormatError> {
    let d: Document = serde_json::from_slice(bytes).map_err(|e| damaged(&e.to_string()))?;
    tile(&d.root)
}

fn tile(w: &Written) -> Result<Tile, FormatError> {
    let b = &w.bounding_volume.r#box;
    Ok(Tile {
        middle: [b[0], b[1], b[2]],
        half: [b[3], b[7], b[11]],
        error: w.geometric_error,
        content: Extent::parse(&w.content.uri).ok_or_else(|| damaged("a content has no place in the pack"))?,
        children: w.children.iter().map(tile).collect::<Result<_, _>>()?,
    })
}

#[derive(Deserialize)]
struct Gltf {
    nodes: [Node; 1],
    accessors: Vec<Accessor>,
}
#[derive(Deserialize)]
struct Node {
    matrix: [f64; 16],
}
#[derive(Deserialize)]
struct Accessor {
    count: usize,
}

/// The points of a tile, scanner frame, metres, each with what it is taken for (a [`vistazo_core::clean::Class`] by its
/// number).
///
/// # Errors
/// When it is not a tile that [`crate::TilePack`] wrote.
pub fn tile_points(glb: &[u8]) -> Result<Vec<([f64; 3], u8)>, FormatError> {
    let word = |at: usize| glb.get(at..at + 4).and_then(|b| b.try_into().ok()).map(u32::from_le_bytes);
    let text = word(12).ok_or_else(|| damaged("a tile is cut short"))? as usize;
    let json = glb.get(20..20 + text).ok_or_else(|| damaged("a tile is cut short"))?;
    let d: Gltf = serde_json::from_slice(json).map_err(|e| damaged(&e.to_string()))?;
    let n = d.accessors.first().map_or(0, |a| a.count);
    let data = glb.get(28 + text..).unwrap_or_default();
    let (Some(positions), Some(shades)) = (data.get(..n * 12), data.get(n * 12..n * 16)) else {
        return Err(damaged("a tile has fewer points than it says"));
    };
    // the matrix turns z up into y up: see `glb` beside
    let m = &d.nodes[0].matrix;
    let centre = [m[12], -m[14], m[13]];
    let point = |(p, s): (&[u8], &[u8])| {
        let at = |k: usize| f64::from(f32::from_le_bytes([p[4 * k], p[4 * k + 1], p[4 * k + 2], p[4 * k + 3]]));
        ([0, 1, 2].map(|k| centre[k] + at(k)), s[2])
    };
    Ok(positions.chunks_exact(12).zip(shades.chunks_exact(4)).map(point).collect())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::TilePack;
    use std::convert::Infallible;
    use vistazo_core::cloud::{Order, tiles, working};
    use vistazo_core::scan::Scan;

    #[test]
    fn every_point_comes_back_once_and_inside_its_box() {
        // a bent sheet of 80 000 points far from the scanner: several levels; in steps of which f32 holds every sum
        let points: Vec<[f32; 3]> = (0..80_000)
            .map(|k| {
                let (u, v) = ((k % 400) as f32 * 0.046_875, (k / 400) as f32 * 0.046_875);
                [u + 40.0, v - 5.0, ((u * 0.3).sin() * 64.0).round() / 64.0]
            })
            .collect();
        let scan = Scan { intensity: vec![7; points.len()], points, ..Scan::default() };
        let order = Order::of(&scan);
        let (_, incidence) = working(&scan, &order);
        let file = tempfile::NamedTempFile::new().unwrap();
        let pack = TilePack::create(file.path()).unwrap();
        let root = tiles(&scan, &order, &incidence, &[], &|t| Ok::<_, Infallible>(pack.add(&t).unwrap())).unwrap();
        let first = pack.finish(&root).unwrap();
        let bytes = std::fs::read(file.path()).unwrap();
        let part = |e: Extent| &bytes[e.start as usize..(e.start + e.len) as usize];
        let mut open = vec![tile_document(part(first)).unwrap()];
        let mut found: Vec<[u32; 3]> = Vec::new();
        while let Some(t) = open.pop() {
            let (at, is_points) = t.content;
            if !is_points {
                open.push(tile_document(part(at)).unwrap());
                continue;
            }
            for (p, class) in tile_points(part(at)).unwrap() {
                assert_eq!(class, 0);
                assert!((0..3).all(|k| (p[k] - t.middle[k]).abs() <= t.half[k] + 1e-3), "{p:?} outside {t:?}");
                found.push(p.map(|v| (v as f32 + 0.0).to_bits()));
            }
            open.extend(t.children);
        }
        let mut given: Vec<[u32; 3]> = scan.points.iter().map(|p| p.map(|v| (v + 0.0).to_bits())).collect();
        given.sort_unstable();
        found.sort_unstable();
        assert!(found == given, "{} of {}", found.len(), given.len());
        assert!(tile_points(&part(root.content)[..60]).is_err() && tile_document(b"{}").is_err());
    }
}
