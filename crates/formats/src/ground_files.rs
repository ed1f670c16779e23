//! The ground as files: a surface of triangles as LandXML 1.2, its contours and triangles as DXF. Coordinates are on the
//! grid, metres, until they are written in the unit of the job.

use crate::error::FormatError;
use dxf::entities::{Entity, EntityType, Face3D, ModelPoint, Polyline, Text, Vertex};
use dxf::enums::{AcadVersion, Units};
use dxf::tables::Layer;
use dxf::{Color, Drawing, Point};
use std::fmt::Write as _;

/// What a file says of itself.
#[derive(Clone, Debug)]
pub struct About<'a> {
    /// Name of the job.
    pub name: &'a str,
    /// EPSG code of the reference, where it has one.
    pub epsg: Option<u16>,
    /// Code of the unit (`m`, `ft`, `ftUS`) and metres in one.
    pub unit: (&'a str, f64),
    /// What a reader has to know: simulated, ground or grid.
    pub note: &'a str,
    /// Date and time that it was found: `2026-11-29`, `08:30:00`.
    pub at: [String; 2],
}

/// The ground as it is drawn. Easting, northing and height, metres.
#[derive(Clone, Copy, Debug, Default)]
pub struct Surveyed<'a> {
    /// Lines of equal height, and how far they are apart in height.
    pub contours: &'a [(f64, Vec<[f64; 2]>)],
    /// Metres of height.
    pub apart: f64,
    /// Corners of triangles.
    pub corners: &'a [[f64; 3]],
    /// Three corners each.
    pub faces: &'a [[usize; 3]],
    /// Lines that triangles do not cross.
    pub breaklines: &'a [Vec<[f64; 3]>],
    /// Spots with what is said of them.
    pub spots: &'a [([f64; 3], String)],
    /// Outlines of areas.
    pub outlines: &'a [Vec<[f64; 2]>],
}

/// A surface as LandXML 1.2: points as northing, easting, height.
///
/// ```
/// use vistazo_formats::ground_files::{About, landxml};
/// let about = About { name: "Yard", epsg: None, unit: ("m", 1.0), note: "", at: Default::default() };
/// let corners = [[500000.0, 4000000.0, 87.0], [500001.0, 4000000.0, 87.1], [500000.0, 4000001.0, 87.2]];
/// let text = landxml(&about, &corners, &[[0, 1, 2]], &[]);
/// assert!(text.contains("<P id=\"1\">4000000.0000 500000.0000 87.0000</P>") && text.contains("<F>1 2 3</F>"));
/// ```
pub fn landxml(about: &About<'_>, corners: &[[f64; 3]], faces: &[[usize; 3]], breaklines: &[Vec<[f64; 3]>]) -> String {
    let place = |p: &[f64; 3]| northing_first(p, about.unit.1);
    let mut out = head(about);
    let (name, note) = (escaped(about.name), escaped(about.note));
    let _ = writeln!(out, " <Surfaces>\n  <Surface name=\"{name}\" desc=\"{note}\">");
    if breaklines.iter().any(|l| l.len() > 1) {
        out.push_str("   <SourceData>\n    <Breaklines>\n");
        for line in breaklines.iter().filter(|l| l.len() > 1) {
            let places: Vec<String> = line.iter().map(place).collect();
            let _ = writeln!(
                out,
                "     <Breakline brkType=\"standard\"><PntList3D>{}</PntList3D></Breakline>",
                places.join(" ")
            );
        }
        out.push_str("    </Breaklines>\n   </SourceData>\n");
    }
    out.push_str("   <Definition surfType=\"TIN\">\n    <Pnts>\n");
    for (k, c) in corners.iter().enumerate() {
        let _ = writeln!(out, "     <P id=\"{}\">{}</P>", k + 1, place(c));
    }
    out.push_str("    </Pnts>\n    <Faces>\n");
    for [a, b, c] in faces {
        let _ = writeln!(out, "     <F>{} {} {}</F>", a + 1, b + 1, c + 1);
    }
    out.push_str("    </Faces>\n   </Definition>\n  </Surface>\n </Surfaces>\n</LandXML>\n");
    out
}

/// Northing, easting and height as the standard orders them, in a unit of so many metres.
pub(crate) fn northing_first([e, n, h]: &[f64; 3], metres: f64) -> String {
    format!("{:.4} {:.4} {:.4}", n / metres, e / metres, h / metres)
}

/// The begin of a LandXML file: its unit and its reference.
pub(crate) fn head(about: &About<'_>) -> String {
    let [date, time] = &about.at;
    let imperial = |unit: &str| {
        format!(
            "<Imperial areaUnit=\"squareFoot\" linearUnit=\"{unit}\" volumeUnit=\"cubicFeet\" \
             temperatureUnit=\"fahrenheit\" pressureUnit=\"inHG\"/>"
        )
    };
    let units = match about.unit.0 {
        "ft" => imperial("foot"),
        "ftUS" => imperial("USSurveyFoot"),
        _ => "<Metric areaUnit=\"squareMeter\" linearUnit=\"meter\" volumeUnit=\"cubicMeter\" \
              temperatureUnit=\"celsius\" pressureUnit=\"HPA\"/>"
            .into(),
    };
    let mut out = format!(
        "<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n\
         <LandXML xmlns=\"http://www.landxml.org/schema/LandXML-1.2\" version=\"1.2\" date=\"{date}\" time=\"{time}\" \
         readOnly=\"false\" language=\"English\">\n <Units>{units}</Units>\n"
    );
    if let Some(epsg) = about.epsg {
        let _ = writeln!(out, " <CoordinateSystem epsgCode=\"{epsg}\"/>");
    }
    out
}

pub(crate) fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

const LAYERS: [(&str, u8); 7] = [
    ("CONTOUR", 8),
    ("CONTOUR_INDEX", 7),
    ("CONTOUR_TEXT", 5),
    ("TRIANGLES", 9),
    ("BREAKLINE", 3),
    ("SPOT", 1),
    ("AREA", 6),
];

/// Contours (every fifth on a layer of its own, with its height), triangles, lines, spots and areas as DXF.
///
/// # Errors
/// When the drawing cannot be written.
pub fn write_dxf(about: &About<'_>, all: &Surveyed<'_>) -> Result<Vec<u8>, FormatError> {
    let (_, metres) = about.unit;
    let mut drawing = begun(about, LAYERS);
    let at = |p: [f64; 3]| place(p, metres);
    let text = |p: [f64; 3], value: String| {
        EntityType::Text(Text { location: at(p), text_height: 0.25 / metres, value, ..Text::default() })
    };
    let polyline = |drawing: &mut Drawing, layer: &str, line: &[[f64; 3]], closed: bool| {
        let p = polyline(drawing, line, closed, metres);
        add(drawing, layer, EntityType::Polyline(p));
    };
    for (height, line) in all.contours {
        let index = ((height / all.apart).round() as i64) % 5 == 0;
        let places: Vec<[f64; 3]> = line.iter().map(|[x, y]| [*x, *y, *height]).collect();
        polyline(&mut drawing, if index { "CONTOUR_INDEX" } else { "CONTOUR" }, &places, false);
        if let (true, Some(p)) = (index && line.len() > 12, places.get(line.len() / 2)) {
            add(&mut drawing, "CONTOUR_TEXT", text(*p, format!("{:.2}", height / metres)));
        }
    }
    for f in all.faces {
        let [a, b, c] = f.map(|k| at(all.corners[k]));
        add(&mut drawing, "TRIANGLES", EntityType::Face3D(Face3D::new(a, b, c.clone(), c)));
    }
    for line in all.breaklines {
        polyline(&mut drawing, "BREAKLINE", line, false);
    }
    for line in all.outlines {
        let flat: Vec<[f64; 3]> = line.iter().map(|[x, y]| [*x, *y, 0.0]).collect();
        polyline(&mut drawing, "AREA", &flat, true);
    }
    for (p, says) in all.spots {
        add(&mut drawing, "SPOT", EntityType::ModelPoint(ModelPoint { location: at(*p), ..ModelPoint::default() }));
        add(&mut drawing, "SPOT", text(*p, says.clone()));
    }
    let mut bytes = Vec::new();
    drawing.save(&mut bytes).map_err(|e| FormatError::Damaged(format!("the drawing could not be written: {e}")))?;
    Ok(bytes)
}

/// An empty drawing in the unit of the job, with layers by name and colour.
pub(crate) fn begun<'n>(about: &About<'_>, layers: impl IntoIterator<Item = (&'n str, u8)>) -> Drawing {
    let mut drawing = Drawing::new();
    drawing.header.version = AcadVersion::R2000;
    drawing.header.default_drawing_units = match about.unit.0 {
        "ft" => Units::Feet,
        "ftUS" => Units::USSurveyFeet,
        _ => Units::Meters,
    };
    for (name, colour) in layers {
        drawing.add_layer(Layer { name: name.into(), color: Color::from_index(colour), ..Layer::default() });
    }
    drawing
}

/// A place in a unit of so many metres.
pub(crate) fn place([x, y, z]: [f64; 3], metres: f64) -> Point {
    Point::new(x / metres, y / metres, z / metres)
}

/// A line in space.
pub(crate) fn polyline(drawing: &mut Drawing, line: &[[f64; 3]], closed: bool, metres: f64) -> Polyline {
    let mut p = Polyline::default();
    p.set_is_3d_polyline(true);
    p.set_is_closed(closed);
    for v in line {
        p.add_vertex(drawing, Vertex { location: place(*v, metres), ..Vertex::default() });
    }
    p
}

fn add(drawing: &mut Drawing, layer: &str, specific: EntityType) {
    let mut e = Entity::new(specific);
    e.common.layer = layer.into();
    drawing.add_entity(e);
}
