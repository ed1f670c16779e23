use super::{PlanDocument, PlanPackage};
use crate::ApiError;
use crate::work::planning::Plan;
use serde_json::{Value, json};
use vistazo_formats::plan_dxf::{DrawnShape, write_dxf};

fn shapes(plan: &Plan) -> Vec<DrawnShape> {
    let s = &plan.site;
    let line = |l: &[nalgebra::Vector2<f64>]| l.iter().map(|p| [p.x, p.y]).collect::<Vec<_>>();
    let mut out = Vec::new();
    let mut add =
        |layer: &str, name: &str, line: Vec<[f64; 2]>, closed: bool, radius: Option<f64>, base: f64, height: f64| {
            out.push(DrawnShape { layer: layer.into(), line, closed, radius, base, height, name: name.into() });
        };
    for (w, (_, name)) in s.walls.iter().zip(&plan.surfaces[0]) {
        add("WALL", name, line(&w.line), false, None, w.base, w.top - w.base);
    }
    for (f, (_, name)) in s.slabs.iter().zip(&plan.surfaces[1]) {
        add("FLOOR", name, line(&f.outline), true, None, f.height, 0.0);
    }
    for o in &s.obstacles {
        add("OBSTACLE", "", line(&o.outline), true, None, o.base, o.top - o.base);
    }
    for c in &s.columns {
        add("COLUMN", "", vec![[c.centre.x, c.centre.y]], true, Some(c.radius), c.base, c.top - c.base);
    }
    for a in &s.no_go {
        add("NO_GO", "", line(&a.outline), true, None, 0.0, 0.0);
    }
    for e in &s.edges {
        add("EDGE", "", line(&e.line), false, None, e.foot, e.crest - e.foot);
    }
    for (name, p) in &plan.heights {
        add("HEIGHT", name, vec![[p.x, p.y]], false, None, p.z, 0.0);
    }
    for (name, outline) in &plan.hazards {
        add("HAZARD", name, line(outline), true, None, 0.0, 0.0);
    }
    for (_, st) in &plan.stations {
        add("STATION", &st.name, vec![[st.position.x, st.position.y]], false, None, st.position.z, 0.0);
    }
    for (_, t) in &plan.targets {
        let layer = if t.control_sigma.is_some() { "CONTROL" } else { "TARGET" };
        add(layer, &t.name, vec![[t.position.x, t.position.y]], false, None, t.position.z, 0.0);
    }
    out
}

/// The plan as DXF, metres.
pub(super) struct Dxf;

impl PlanDocument for Dxf {
    fn name(&self) -> &'static str {
        "plan.dxf"
    }

    fn media_type(&self) -> &'static str {
        "image/vnd.dxf"
    }

    fn write(&self, p: &PlanPackage) -> Result<Vec<u8>, ApiError> {
        write_dxf(&shapes(&p.plan)).map(String::into_bytes).map_err(|e| ApiError::conflict(e.to_string()))
    }
}

/// The plan as GeoJSON in plan coordinates, metres; what it holds comes in again by the import.
pub(super) struct GeoJson;

impl PlanDocument for GeoJson {
    fn name(&self) -> &'static str {
        "plan.geojson"
    }

    fn media_type(&self) -> &'static str {
        "application/geo+json"
    }

    fn write(&self, p: &PlanPackage) -> Result<Vec<u8>, ApiError> {
        let features: Vec<Value> = shapes(&p.plan).into_iter().map(feature).collect();
        Ok(json!({ "type": "FeatureCollection", "features": features }).to_string().into_bytes())
    }
}

fn feature(s: DrawnShape) -> Value {
    let geometry = match (s.line.len(), s.closed) {
        (1, _) => json!({ "type": "Point", "coordinates": [s.line[0][0], s.line[0][1], s.base] }),
        (_, false) => json!({ "type": "LineString", "coordinates": s.line }),
        (_, true) => {
            let ring: Vec<[f64; 2]> = s.line.iter().chain(s.line.first()).copied().collect();
            json!({ "type": "Polygon", "coordinates": [ring] })
        }
    };
    let mut properties = json!({ "kind": s.layer.to_lowercase(), "name": s.name });
    if s.height > 0.0 {
        properties["base"] = s.base.into();
        properties["top"] = (s.base + s.height).into();
    }
    if let Some(r) = s.radius {
        properties["radius"] = r.into();
    }
    json!({ "type": "Feature", "properties": properties, "geometry": geometry })
}
