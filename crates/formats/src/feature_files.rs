//! Features on coded layers as files: points and lines in space as DXF, GeoJSON and LandXML 1.2. Coordinates are on the
//! grid, metres, until they are written in the unit of the job; GeoJSON stays in metres and says so.

use crate::error::FormatError;
use crate::ground_files::{About, begun, escaped, head, northing_first, place, polyline};
use dxf::entities::{Entity, EntityType, ModelPoint, Text};
use dxf::tables::AppId;
use dxf::{Drawing, XData, XDataItem};
use std::fmt::Write as _;

/// A code that features are drawn by.
#[derive(Clone, Debug)]
pub struct Code {
    /// As files have it, a layer of its own: capitals.
    pub code: String,
    /// In words.
    pub name: String,
}

/// Something that was measured and coded: a point, or a line through its corners.
#[derive(Clone, Debug, Default)]
pub struct Feature {
    /// What it is called; may be empty.
    pub name: String,
    /// Its code.
    pub code: String,
    /// Corners: easting, northing, height.
    pub corners: Vec<[f64; 3]>,
    /// 95 % of each in plan and in height, metres; none where nothing was measured.
    pub error95: Vec<Option<[f64; 2]>>,
    /// How it was measured, in words.
    pub says: String,
}

/// Whose extended data it is.
const OURS: &str = "VISTAZO";

fn words(f: &Feature, about: &About<'_>) -> String {
    let (unit, metres) = about.unit;
    let worst = f.error95.iter().flatten().fold([0.0_f64; 2], |a, e| [a[0].max(e[0]), a[1].max(e[1])]);
    let known = f.error95.iter().all(Option::is_some);
    let within = if known {
        // a place that was given has no error of its own: none is stated
        let plan =
            if worst[0] > 0.0 { format!("{:.4} {unit} in plan", worst[0] / metres) } else { "plan as drawn".into() };
        format!("95 % {plan}, {:.4} {unit} in height; ", worst[1] / metres)
    } else {
        "not all of it was measured; ".into()
    };
    let mut text = format!("{within}{}", f.says);
    // readers hold 255 bytes
    while text.len() > 240 {
        text.pop();
    }
    text
}

/// Features as DXF: a layer for each code that is used, what is known of each as extended data, heights written beside points.
///
/// # Errors
/// When the drawing cannot be written.
pub fn write_dxf(about: &About<'_>, codes: &[Code], features: &[Feature]) -> Result<Vec<u8>, FormatError> {
    let metres = about.unit.1;
    let used = codes.iter().filter(|c| features.iter().any(|f| f.code == c.code));
    // colours of the format go round: neighbours in the table differ
    let layers = used.enumerate().map(|(k, c)| (c.code.as_str(), [7, 1, 3, 5, 6, 4, 30, 92, 140][k % 9]));
    let mut drawing = begun(about, layers);
    drawing.add_app_id(AppId { name: OURS.into(), ..AppId::default() });
    for f in features {
        let says = words(f, about);
        let add = |drawing: &mut Drawing, of: EntityType| {
            let mut e = Entity::new(of);
            e.common.layer = f.code.clone();
            let items = vec![XDataItem::Str(says.clone())];
            e.common.x_data.push(XData { application_name: OURS.into(), items });
            drawing.add_entity(e);
        };
        if let [at] = f.corners[..] {
            let location = place(at, metres);
            let point = ModelPoint { location: location.clone(), ..ModelPoint::default() };
            add(&mut drawing, EntityType::ModelPoint(point));
            let value = format!("{} {:.3}", f.name, at[2] / metres).trim().to_owned();
            add(
                &mut drawing,
                EntityType::Text(Text { location, text_height: 0.15 / metres, value, ..Text::default() }),
            );
        } else {
            let line = polyline(&mut drawing, &f.corners, false, metres);
            add(&mut drawing, EntityType::Polyline(line));
        }
    }
    let mut bytes = Vec::new();
    drawing.save(&mut bytes).map_err(|e| FormatError::Damaged(format!("the drawing could not be written: {e}")))?;
    Ok(bytes)
}

/// Points and lines as LandXML 1.2: coded points, and plan features through their corners.
///
/// ```
/// use vistazo_formats::feature_files::{Code, Feature, landxml};
/// use vistazo_formats::ground_files::About;
/// let about = About { name: "Yard", epsg: Some(25832), unit: ("m", 1.0), note: "", at: Default::default() };
/// let door = Feature { name: "Door 1".into(), code: "FLOOR".into(), corners: vec![[5e5, 4e6, 87.5]], ..Feature::default() };
/// let text = landxml(&about, &[door]);
/// assert!(text.contains("code=\"FLOOR\"") && text.contains(">4000000.0000 500000.0000 87.5000</CgPoint>"));
/// ```
pub fn landxml(about: &About<'_>, features: &[Feature]) -> String {
    let metres = about.unit.1;
    let at = |p: &[f64; 3]| northing_first(p, metres);
    let mut out = head(about);
    let named = |k: usize, f: &Feature| {
        if f.name.is_empty() { format!("{} {}", f.code, k + 1) } else { f.name.clone() }
    };
    out.push_str(" <CgPoints>\n");
    for (k, f) in features.iter().enumerate() {
        if let [p] = &f.corners[..] {
            let (name, code, says) = (escaped(&named(k, f)), escaped(&f.code), escaped(&words(f, about)));
            let _ = writeln!(out, "  <CgPoint name=\"{name}\" code=\"{code}\" desc=\"{says}\">{}</CgPoint>", at(p));
        }
    }
    out.push_str(" </CgPoints>\n <PlanFeatures>\n");
    for (k, f) in features.iter().enumerate() {
        if let [first, .., last] = &f.corners[..] {
            let (name, says) = (escaped(&named(k, f)), escaped(&format!("{}; {}", f.code, words(f, about))));
            let all: Vec<String> = f.corners.iter().map(at).collect();
            let _ = writeln!(
                out,
                "  <PlanFeature name=\"{name}\" desc=\"{says}\"><CoordGeom><IrregularLine><Start>{}</Start><End>{}</End>\
                 <PntList3D>{}</PntList3D></IrregularLine></CoordGeom></PlanFeature>",
                at(first),
                at(last),
                all.join(" ")
            );
        }
    }
    out.push_str(" </PlanFeatures>\n</LandXML>\n");
    out
}

/// Features as GeoJSON in metres on the grid: properties say code, name, the 95 % of every corner and the reference.
pub fn geojson(about: &About<'_>, codes: &[Code], features: &[Feature]) -> Vec<u8> {
    let one = |f: &Feature| {
        let geometry = match &f.corners[..] {
            [p] => serde_json::json!({ "type": "Point", "coordinates": p }),
            all => serde_json::json!({ "type": "LineString", "coordinates": all }),
        };
        let of = codes.iter().find(|c| c.code == f.code).map(|c| c.name.as_str());
        let stated = |e: &Option<[f64; 2]>| e.map(|e| e.map(|v| (v > 0.0).then_some(v)));
        let error95: Vec<_> = f.error95.iter().map(stated).collect();
        let properties =
            serde_json::json!({ "code": f.code, "of": of, "name": f.name, "error95": error95, "measured": f.says });
        serde_json::json!({ "type": "Feature", "geometry": geometry, "properties": properties })
    };
    let all: Vec<_> = features.iter().map(one).collect();
    let about = serde_json::json!({ "name": about.name, "epsg": about.epsg, "unit": "m", "note": about.note });
    let out = serde_json::json!({ "type": "FeatureCollection", "about": about, "features": all });
    format!("{out:#}").into_bytes()
}
