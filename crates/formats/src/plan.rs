//! Plans as GeoJSON. Features that say what kind of item they are come back as that, with all their properties; of
//! others, lines become walls, polygons obstacles, points with a radius columns; other points are left to the user.

use crate::error::FormatError;
use geojson::{FeatureCollection, GeoJson, JsonObject};
use serde_json::json;

/// A shape read from a plan.
#[derive(Clone, Debug, PartialEq)]
pub struct PlanShape {
    /// A closed outline (an obstacle) or a line (a wall).
    pub closed: bool,
    /// Vertices, metres.
    pub line: Vec<[f64; 2]>,
    /// A round column of this radius about the only vertex, metres.
    pub radius: Option<f64>,
    /// Foot, metres (`base`), 0 without.
    pub base: f64,
    /// Top, metres (`top`, or `base + height`), 3 m above the foot without.
    pub top: f64,
    /// `name`.
    pub name: Option<String>,
    /// What the feature says that it is.
    pub item: Option<ItemSaid>,
}

/// An item of a plan as a file of our own carries it, its outline or place apart.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct ItemSaid {
    /// Kind: `wall`, `floor`, `station` …
    pub kind: String,
    /// Identifier that other items of the file name it by.
    pub id: Option<String>,
    /// Everything else that it holds, by the names of the API.
    pub properties: JsonObject,
}

impl ItemSaid {
    /// Of properties that name a `kind`.
    pub(crate) fn of(mut properties: JsonObject) -> Option<Self> {
        let kind = properties.remove("kind")?.as_str().filter(|k| !k.is_empty())?.to_owned();
        let id = properties.remove("id").and_then(|v| v.as_str().map(str::to_owned));
        Some(Self { kind, id, properties })
    }
}

/// Writes a plan as GeoJSON in plan coordinates, metres.
#[must_use]
pub fn write_geojson(shapes: &[PlanShape]) -> String {
    let feature = |s: &PlanShape| {
        let geometry = match (s.line.len(), s.closed) {
            (1, _) => json!({ "type": "Point", "coordinates": [s.line[0][0], s.line[0][1], s.base] }),
            (_, false) => json!({ "type": "LineString", "coordinates": s.line }),
            (_, true) => {
                let ring: Vec<[f64; 2]> = s.line.iter().chain(s.line.first()).copied().collect();
                json!({ "type": "Polygon", "coordinates": [ring] })
            }
        };
        let mut properties = JsonObject::new();
        if let Some(item) = &s.item {
            properties.clone_from(&item.properties);
            properties.insert("kind".into(), item.kind.clone().into());
            item.id.iter().for_each(|id| drop(properties.insert("id".into(), id.clone().into())));
        }
        json!({ "type": "Feature", "properties": properties, "geometry": geometry })
    };
    json!({ "type": "FeatureCollection", "features": shapes.iter().map(feature).collect::<Vec<_>>() }).to_string()
}

/// Shapes of one file at most: what blocks a view, not every dimension line of a drawing.
pub const MOST_SHAPES: usize = 5000;

pub(crate) fn too_many() -> FormatError {
    FormatError::Damaged(format!("found more than {MOST_SHAPES} shapes: take out layers that block no view"))
}

/// Reads the shapes of a GeoJSON text.
///
/// # Errors
/// [`FormatError::Damaged`] when it is not GeoJSON, names the feature that is wrong, or says that
/// there are no lines or polygons.
pub fn read_geojson(text: &str) -> Result<Vec<PlanShape>, FormatError> {
    let json: GeoJson = text.parse().map_err(|e: geojson::Error| FormatError::Damaged(format!("not GeoJSON: {e}")))?;
    let features = match json {
        GeoJson::FeatureCollection(FeatureCollection { features, .. }) => features,
        GeoJson::Feature(f) => vec![f],
        GeoJson::Geometry(_) => {
            return Err(FormatError::Damaged("found a bare geometry, expected features with lines or polygons".into()));
        }
    };
    let mut out = Vec::new();
    for (i, feature) in features.iter().enumerate() {
        let bad = |what: &str| FormatError::Damaged(format!("feature {}: {what}", i + 1));
        if out.len() > MOST_SHAPES {
            return Err(too_many());
        }
        let item = feature.properties.clone().and_then(ItemSaid::of);
        let number = |key: &str| feature.property(key).and_then(geojson::JsonValue::as_f64);
        let base = number("base").unwrap_or(0.0);
        let top = number("top").or_else(|| number("height").map(|h| base + h)).unwrap_or(base + 3.0);
        if top <= base && item.is_none() {
            return Err(bad(&format!("top {top} m is not above base {base} m")));
        }
        let name =
            feature.property("name").and_then(|v| v.as_str()).filter(|n| !n.trim().is_empty()).map(str::to_owned);
        let radius = number("radius");
        let Some(geometry) = &feature.geometry else { continue };
        // a point of ours stands at the height of its third coordinate
        let json = geojson::JsonValue::from(&geometry.value);
        let third = json["coordinates"].get(2).and_then(geojson::JsonValue::as_f64);
        let stands = third.filter(|_| item.is_some() && json["type"] == "Point");
        let (base, top) = stands.map_or((base, top), |z| (z, z));
        let mut add = |closed: bool, line: Vec<[f64; 2]>| -> Result<(), FormatError> {
            let least = if radius.is_some() || item.is_some() { 1 } else { 2 + usize::from(closed) };
            if line.len() < least {
                return Err(bad("too few vertices"));
            }
            if line.iter().flatten().any(|v| !v.is_finite() || v.abs() > 1e7) {
                return Err(bad("a coordinate is not a sensible number of metres"));
            }
            let radius = radius.filter(|_| line.len() == 1);
            let item = item.clone();
            out.push(PlanShape { closed, line, radius, base, top, name: name.clone(), item });
            Ok(())
        };
        let value = lines_of(geometry);
        for (closed, line) in value.into_iter().filter(|v| v.1.len() > 1 || radius.is_some() || item.is_some()) {
            add(closed, line)?;
        }
    }
    if out.is_empty() {
        return Err(FormatError::Damaged(format!("{} features, but no lines or polygons among them", features.len())));
    }
    Ok(out)
}

/// Lines and outer rings of a geometry, through its JSON form.
fn lines_of(geometry: &geojson::Geometry) -> Vec<(bool, Vec<[f64; 2]>)> {
    let json = geojson::JsonValue::from(&geometry.value);
    let kind = json.get("type").and_then(|t| t.as_str()).unwrap_or("").to_owned();
    let Some(c) = json.get("coordinates") else { return Vec::new() };
    let list = |v: &geojson::JsonValue| -> Vec<geojson::JsonValue> { v.as_array().cloned().unwrap_or_default() };
    let line = |v: &geojson::JsonValue| -> Vec<[f64; 2]> {
        list(v).iter().filter_map(|p| Some([p.get(0)?.as_f64()?, p.get(1)?.as_f64()?])).collect()
    };
    // a ring repeats its first vertex at the end
    let ring = |v: &geojson::JsonValue| -> Vec<[f64; 2]> {
        let mut l = line(v);
        if l.len() > 1 && l.first() == l.last() {
            l.pop();
        }
        l
    };
    match kind.as_str() {
        "Point" => c.get(0).and_then(|x| Some((true, vec![[x.as_f64()?, c.get(1)?.as_f64()?]]))).into_iter().collect(),
        "LineString" => vec![(false, line(c))],
        "MultiLineString" => list(c).iter().map(|l| (false, line(l))).collect(),
        "Polygon" => list(c).first().map(|r| (true, ring(r))).into_iter().collect(),
        "MultiPolygon" => list(c).iter().filter_map(|p| list(p).first().map(|r| (true, ring(r)))).collect(),
        _ => Vec::new(),
    }
}
