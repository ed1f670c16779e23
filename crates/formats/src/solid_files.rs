//! Simple solids as files: DXF (faces on a layer for each shape), OBJ (an object each) and binary glTF (a node each, metres
//! about an origin on the grid). Coordinates are on the grid, metres, until they are written in the unit of the job; glTF
//! stays in metres, as its standard has it.

use crate::error::FormatError;
use crate::ground_files::{About, begun, place};
use dxf::entities::{Entity, EntityType, Face3D};
use dxf::tables::AppId;
use dxf::{XData, XDataItem};
use serde_json::json;
use std::fmt::Write as _;

/// A solid as flat faces.
#[derive(Clone, Debug, Default)]
pub struct Mesh {
    /// What it is called.
    pub name: String,
    /// Layer that it is drawn on: `WALL`, `PILLAR`, `CYLINDER`, with `_FOUND` behind where nobody agreed with it yet.
    pub layer: String,
    /// Corners: easting, northing, height.
    pub corners: Vec<[f64; 3]>,
    /// Three corners each, anticlockwise from outside.
    pub faces: Vec<[usize; 3]>,
    /// What is known of it, in words.
    pub says: String,
}

/// Sides that a round surface is drawn with: 5 mm out of round at a radius of one metre.
const SIDES: usize = 32;
/// Whose extended data it is.
const OURS: &str = "VISTAZO";

/// Corners and faces of a cylinder with both of its ends.
///
/// ```
/// use vistazo_formats::solid_files::cylinder;
/// let (corners, faces) = cylinder([[0.0, 0.0, 0.0], [0.0, 0.0, 3.0]], 0.2);
/// assert_eq!((corners.len(), faces.len()), (66, 128));
/// assert!(corners.iter().all(|c| c[0].hypot(c[1]) < 0.2 + 1e-12));
/// ```
pub fn cylinder(ends: [[f64; 3]; 2], radius: f64) -> (Vec<[f64; 3]>, Vec<[usize; 3]>) {
    let [a, b] = ends;
    let d: [f64; 3] = std::array::from_fn(|k| b[k] - a[k]);
    let long = d.iter().map(|v| v * v).sum::<f64>().sqrt().max(1e-9);
    let w = d.map(|v| v / long);
    let cross =
        |p: [f64; 3], q: [f64; 3]| [p[1] * q[2] - p[2] * q[1], p[2] * q[0] - p[0] * q[2], p[0] * q[1] - p[1] * q[0]];
    let u = cross(w, if w[2].abs() < 0.8 { [0.0, 0.0, 1.0] } else { [1.0, 0.0, 0.0] });
    let size = u.iter().map(|v| v * v).sum::<f64>().sqrt();
    let u = u.map(|v| v / size);
    let v = cross(w, u);
    let mut corners = vec![a, b];
    for k in 0..SIDES {
        let (s, c) = (k as f64 / SIDES as f64 * std::f64::consts::TAU).sin_cos();
        for end in [a, b] {
            corners.push(std::array::from_fn(|i| end[i] + radius * (c * u[i] + s * v[i])));
        }
    }
    let of = |k: usize, end: usize| 2 + 2 * (k % SIDES) + end;
    let faces = (0..SIDES).flat_map(|k| {
        let [p, q, r, s] = [of(k, 0), of(k + 1, 0), of(k + 1, 1), of(k, 1)];
        [[p, q, r], [p, r, s], [0, q, p], [1, s, r]]
    });
    (corners, faces.collect())
}

/// Corners and faces of an outline between two heights.
///
/// ```
/// use vistazo_formats::solid_files::block;
/// let corner = [[0.0, 0.0], [2.0, 0.0], [2.0, 1.0], [1.0, 1.0], [1.0, 2.0], [0.0, 2.0]];
/// let (corners, faces) = block(&corner, [0.0, 3.0]);
/// assert_eq!((corners.len(), faces.len()), (12, 12 + 2 * 4));
/// ```
pub fn block(outline: &[[f64; 2]], heights: [f64; 2]) -> (Vec<[f64; 3]>, Vec<[usize; 3]>) {
    let area: f64 = outline.iter().zip(outline.iter().cycle().skip(1)).map(|(a, b)| a[0] * b[1] - b[0] * a[1]).sum();
    let mut outline = outline.to_vec();
    if area < 0.0 {
        outline.reverse();
    }
    let n = outline.len();
    let corners = heights.iter().flat_map(|h| outline.iter().map(|p| [p[0], p[1], *h])).collect();
    let mut faces: Vec<[usize; 3]> =
        (0..n).flat_map(|k| [[k, (k + 1) % n, n + (k + 1) % n], [k, n + (k + 1) % n, n + k]]).collect();
    for [a, b, c] in ears(&outline) {
        faces.push([n + a, n + b, n + c]);
        faces.push([c, b, a]);
    }
    (corners, faces)
}

/// Triangles of an anticlockwise outline: ears are cut off one by one (Meisters 1975).
fn ears(outline: &[[f64; 2]]) -> Vec<[usize; 3]> {
    let turn = |a: usize, b: usize, c: usize| {
        let [p, q, r] = [outline[a], outline[b], outline[c]];
        (q[0] - p[0]) * (r[1] - p[1]) - (q[1] - p[1]) * (r[0] - p[0])
    };
    let mut left: Vec<usize> = (0..outline.len()).collect();
    let mut out = Vec::new();
    while left.len() > 3 {
        let n = left.len();
        let is_ear = |k: usize| {
            let [a, b, c] = [left[(k + n - 1) % n], left[k], left[(k + 1) % n]];
            turn(a, b, c) > 0.0
                && left
                    .iter()
                    .filter(|p| ![a, b, c].contains(p))
                    .all(|&p| turn(a, b, p) < 0.0 || turn(b, c, p) < 0.0 || turn(c, a, p) < 0.0)
        };
        // an outline that crosses itself has none: cut where it is
        let k = (0..n).find(|k| is_ear(*k)).unwrap_or(0);
        out.push([left[(k + n - 1) % n], left[k], left[(k + 1) % n]]);
        left.remove(k);
    }
    if let [a, b, c] = left[..] {
        out.push([a, b, c]);
    }
    out
}

/// Solids as DXF: faces on a layer for each shape, what is known of each as extended data.
///
/// # Errors
/// When the drawing cannot be written.
pub fn write_dxf(about: &About<'_>, solids: &[Mesh]) -> Result<Vec<u8>, FormatError> {
    let metres = about.unit.1;
    let mut layers: Vec<&str> = solids.iter().map(|s| s.layer.as_str()).collect();
    layers.sort_unstable();
    layers.dedup();
    let mut drawing = begun(about, layers.iter().enumerate().map(|(k, l)| (*l, [8, 30, 5, 3, 6, 4][k % 6])));
    drawing.add_app_id(AppId { name: OURS.into(), ..AppId::default() });
    for s in solids {
        let mut says = format!("{}: {}", s.name, s.says);
        // readers hold 255 bytes
        while says.len() > 240 {
            says.pop();
        }
        for f in &s.faces {
            let [a, b, c] = f.map(|k| place(s.corners[k], metres));
            let mut e = Entity::new(EntityType::Face3D(Face3D::new(a, b, c.clone(), c)));
            e.common.layer.clone_from(&s.layer);
            let items = vec![XDataItem::Str(says.clone())];
            e.common.x_data.push(XData { application_name: OURS.into(), items });
            drawing.add_entity(e);
        }
    }
    let mut bytes = Vec::new();
    drawing.save(&mut bytes).map_err(|e| FormatError::Damaged(format!("the drawing could not be written: {e}")))?;
    Ok(bytes)
}

/// Solids as OBJ: z up, in the unit of the job, a group for each layer and an object for each solid.
///
/// ```
/// use vistazo_formats::ground_files::About;
/// use vistazo_formats::solid_files::{Mesh, block, obj};
/// let (corners, faces) = block(&[[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]], [2.0, 3.0]);
/// let wall = Mesh { name: "Wall 1".into(), layer: "WALL".into(), corners, faces, says: String::new() };
/// let about = About { name: "Shed", epsg: None, unit: ("ft", 0.3048), note: "", at: Default::default() };
/// let text = obj(&about, &[wall]);
/// assert!(text.contains("o Wall_1") && text.contains("v 3.2808 0.0000 6.5617") && text.contains("# unit ft"));
/// ```
pub fn obj(about: &About<'_>, solids: &[Mesh]) -> String {
    let (unit, metres) = about.unit;
    let line = |t: &str| t.replace(['\r', '\n'], " ");
    let mut out = format!("# {}\n# unit {unit}, easting, northing, height (z up)\n", line(about.name));
    if let Some(epsg) = about.epsg {
        let _ = writeln!(out, "# EPSG:{epsg}");
    }
    if !about.note.is_empty() {
        let _ = writeln!(out, "# {}", line(about.note));
    }
    let mut first = 1;
    for s in solids {
        let _ = writeln!(out, "# {}\ng {}\no {}", line(&s.says), s.layer, s.name.replace(char::is_whitespace, "_"));
        for c in &s.corners {
            let [x, y, z] = c.map(|v| v / metres);
            let _ = writeln!(out, "v {x:.4} {y:.4} {z:.4}");
        }
        for f in &s.faces {
            let [a, b, c] = f.map(|k| k + first);
            let _ = writeln!(out, "f {a} {b} {c}");
        }
        first += s.corners.len();
    }
    out
}

/// Solids as a binary glTF 2.0: metres about an origin on the grid that the asset's extras say; turned into the y-up of glTF.
pub fn glb(about: &About<'_>, solids: &[Mesh]) -> Vec<u8> {
    let origin = solids.iter().flat_map(|s| &s.corners).next().map_or([0.0; 3], |c| c.map(f64::round));
    let (mut data, mut views, mut accessors) = (Vec::<u8>::new(), Vec::new(), Vec::new());
    let (mut meshes, mut nodes) = (Vec::new(), Vec::new());
    for s in solids {
        // flat faces have corners of their own
        let corners: Vec<[f32; 3]> = (s.faces.iter().flatten())
            .map(|k| std::array::from_fn(|i| (s.corners[*k][i] - origin[i]) as f32))
            .collect();
        let limit = |pick: fn(f32, f32) -> f32| -> [f32; 3] {
            std::array::from_fn(|i| corners.iter().map(|c| c[i]).reduce(pick).unwrap_or(0.0))
        };
        views.push(json!({ "buffer": 0, "byteOffset": data.len(), "byteLength": corners.len() * 12, "target": 34962 }));
        accessors.push(json!({
            "bufferView": views.len() - 1, "componentType": 5126, "count": corners.len(), "type": "VEC3",
            "min": limit(f32::min), "max": limit(f32::max),
        }));
        data.extend(corners.iter().flatten().flat_map(|v| v.to_le_bytes()));
        let at = accessors.len() - 1;
        let material = usize::from(s.layer.ends_with("_FOUND"));
        meshes.push(json!({ "primitives": [{ "mode": 4, "attributes": { "POSITION": at }, "material": material }] }));
        nodes.push(json!({ "name": s.name, "mesh": at, "extras": { "layer": s.layer, "known": s.says } }));
    }
    let all: Vec<usize> = (0..nodes.len()).collect();
    // z up to y up, once for all of them
    nodes.push(json!({ "matrix": [1, 0, 0, 0, 0, 0, -1, 0, 0, 1, 0, 0, 0, 0, 0, 1], "children": all }));
    let material = |name: &str, [r, g, b]: [f64; 3]| json!({ "name": name, "doubleSided": true, "pbrMetallicRoughness": { "baseColorFactor": [r, g, b, 1.0], "metallicFactor": 0.0, "roughnessFactor": 0.9 } });
    let mut document = json!({
        "asset": { "version": "2.0", "generator": "Vistazo", "extras": {
            "name": about.name, "epsg": about.epsg, "origin": origin, "unit": "m", "note": about.note } },
        "scene": 0,
        "scenes": [{ "nodes": [nodes.len() - 1] }],
        "nodes": nodes,
    });
    if !solids.is_empty() {
        document["materials"] = json!([material("agreed", [0.55, 0.6, 0.62]), material("found", [0.8, 0.62, 0.3])]);
        document["meshes"] = json!(meshes);
        document["accessors"] = json!(accessors);
        document["bufferViews"] = json!(views);
        document["buffers"] = json!([{ "byteLength": data.len() }]);
    } else {
        document["nodes"] = json!([{ "name": "nothing" }]);
        document["scenes"] = json!([{ "nodes": [0] }]);
    }
    crate::tiles_write::container(&document, &[&data])
}
