//! The ground as files: a surface of triangles as LandXML 1.2, its contours and triangles as DXF, a raster of heights as
//! GeoTIFF. Coordinates are on the grid, metres, until they are written in the unit of the job.

use crate::error::FormatError;
use dxf::entities::{Entity, EntityType, Face3D, Polyline, Text, Vertex};
use dxf::enums::{AcadVersion, Units};
use dxf::tables::Layer;
use dxf::{Color, Drawing, Point};
use std::fmt::Write as _;
use std::io::{Seek, Write};
use tiff::encoder::{TiffEncoder, colortype::Gray32Float};
use tiff::tags::Tag;

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
}

/// A surface as LandXML 1.2: points as northing, easting, height.
///
/// ```
/// use vistazo_formats::ground_files::{About, landxml};
/// let about = About { name: "Yard", epsg: None, unit: ("m", 1.0), note: "" };
/// let corners = [[500000.0, 4000000.0, 87.0], [500001.0, 4000000.0, 87.1], [500000.0, 4000001.0, 87.2]];
/// let text = landxml(&about, &corners, &[[0, 1, 2]]);
/// assert!(text.contains("<P id=\"1\">4000000.0000 500000.0000 87.0000</P>") && text.contains("<F>1 2 3</F>"));
/// ```
pub fn landxml(about: &About, corners: &[[f64; 3]], faces: &[[usize; 3]]) -> String {
    let (code, metres) = about.unit;
    let mut out = String::from("<?xml version=\"1.0\" encoding=\"UTF-8\"?>\n");
    out.push_str("<LandXML xmlns=\"http://www.landxml.org/schema/LandXML-1.2\" version=\"1.2\" date=\"2000-01-01\" time=\"00:00:00\" readOnly=\"false\" language=\"English\">\n");
    let units = match code {
        "ft" => "<Imperial linearUnit=\"foot\" areaUnit=\"squareFoot\" volumeUnit=\"cubicFeet\" temperatureUnit=\"fahrenheit\" pressureUnit=\"inHG\"/>",
        "ftUS" => "<Imperial linearUnit=\"USSurveyFoot\" areaUnit=\"squareFoot\" volumeUnit=\"cubicFeet\" temperatureUnit=\"fahrenheit\" pressureUnit=\"inHG\"/>",
        _ => "<Metric linearUnit=\"meter\" areaUnit=\"squareMeter\" volumeUnit=\"cubicMeter\" temperatureUnit=\"celsius\" pressureUnit=\"HPA\"/>",
    };
    let _ = writeln!(out, " <Units>{units}</Units>");
    if let Some(epsg) = about.epsg {
        let _ = writeln!(out, " <CoordinateSystem epsgCode=\"{epsg}\"/>");
    }
    let _ = writeln!(out, " <Surfaces><Surface name=\"{}\" desc=\"{}\"><Definition surfType=\"TIN\">", escaped(about.name), escaped(about.note));
    out.push_str("  <Pnts>\n");
    for (k, [e, n, h]) in corners.iter().enumerate() {
        let _ = writeln!(out, "   <P id=\"{}\">{:.4} {:.4} {:.4}</P>", k + 1, n / metres, e / metres, h / metres);
    }
    out.push_str("  </Pnts>\n  <Faces>\n");
    for [a, b, c] in faces {
        let _ = writeln!(out, "   <F>{} {} {}</F>", a + 1, b + 1, c + 1);
    }
    out.push_str("  </Faces>\n </Definition></Surface></Surfaces>\n</LandXML>\n");
    out
}

fn escaped(text: &str) -> String {
    text.replace('&', "&amp;").replace('<', "&lt;").replace('>', "&gt;").replace('"', "&quot;")
}

/// Contours (every fifth on a layer of its own, with its height) and triangles as DXF.
///
/// # Errors
/// When the drawing cannot be written.
pub fn dxf(
    about: &About,
    contours: &[(f64, Vec<[f64; 2]>)],
    apart: f64,
    corners: &[[f64; 3]],
    faces: &[[usize; 3]],
) -> Result<Vec<u8>, FormatError> {
    let (code, metres) = about.unit;
    let mut drawing = Drawing::new();
    drawing.header.version = AcadVersion::R2000;
    drawing.header.default_drawing_units = match code {
        "ft" => Units::Feet,
        "ftUS" => Units::USSurveyFeet,
        _ => Units::Meters,
    };
    for (name, colour) in [("CONTOUR", 8), ("CONTOUR_INDEX", 7), ("CONTOUR_TEXT", 5), ("TRIANGLES", 9)] {
        drawing.add_layer(Layer { name: name.into(), color: Color::from_index(colour), ..Layer::default() });
    }
    let at = |[x, y, z]: [f64; 3]| Point::new(x / metres, y / metres, z / metres);
    for (height, line) in contours {
        let index = ((height / apart).round() as i64) % 5 == 0;
        let mut p = Polyline::default();
        p.set_is_3d_polyline(true);
        for [x, y] in line {
            p.add_vertex(&mut drawing, Vertex { location: at([*x, *y, *height]), ..Vertex::default() });
        }
        add(&mut drawing, if index { "CONTOUR_INDEX" } else { "CONTOUR" }, EntityType::Polyline(p));
        if let (true, Some([x, y])) = (index && line.len() > 12, line.get(line.len() / 2)) {
            let value = format!("{:.2}", height / metres);
            let text = Text { location: at([*x, *y, *height]), text_height: 0.25 / metres, value, ..Text::default() };
            add(&mut drawing, "CONTOUR_TEXT", EntityType::Text(text));
        }
    }
    for f in faces {
        let [a, b, c] = f.map(|k| at(corners[k]));
        add(&mut drawing, "TRIANGLES", EntityType::Face3D(Face3D::new(a, b, c.clone(), c)));
    }
    let mut bytes = Vec::new();
    drawing.save(&mut bytes).map_err(|e| FormatError::Damaged(format!("the drawing could not be written: {e}")))?;
    Ok(bytes)
}

fn add(drawing: &mut Drawing, layer: &str, specific: EntityType) {
    let mut e = Entity::new(specific);
    e.common.layer = layer.into();
    drawing.add_entity(e);
}

/// Heights as GeoTIFF (32-bit floats, north up, no data −9999). `corner` is the lower left of the first cell; rows from the
/// south. Metres, whatever the unit of the job.
///
/// # Errors
/// When it cannot be written.
pub fn geotiff(
    to: impl Write + Seek,
    about: &About,
    corner: [f64; 2],
    cell: f64,
    size: [usize; 2],
    heights: &[Option<f64>],
) -> Result<(), FormatError> {
    let broken = |e: tiff::TiffError| FormatError::Damaged(format!("the picture could not be written: {e}"));
    let [w, h] = size;
    let mut rows = Vec::with_capacity(w * h);
    for y in (0..h).rev() {
        rows.extend(heights[y * w..(y + 1) * w].iter().map(|z| z.map_or(-9999.0, |z| z as f32)));
    }
    let mut file = TiffEncoder::new(to).map_err(broken)?;
    let mut image = file.new_image::<Gray32Float>(w as u32, h as u32).map_err(broken)?;
    let tags = image.encoder();
    tags.write_tag(Tag::ModelPixelScaleTag, &[cell, cell, 0.0][..]).map_err(broken)?;
    let top = corner[1] + cell * h as f64;
    tags.write_tag(Tag::ModelTiepointTag, &[0.0, 0.0, 0.0, corner[0], top, 0.0][..]).map_err(broken)?;
    // version, revision, number of keys; then model type (projected), raster type (a pixel is an area), reference
    let reference = about.epsg.unwrap_or(32767);
    let keys: [u16; 16] = [1, 1, 0, 3, 1024, 0, 1, 1, 1025, 0, 1, 1, 3072, 0, 1, reference];
    tags.write_tag(Tag::GeoKeyDirectoryTag, &keys[..]).map_err(broken)?;
    tags.write_tag(Tag::GdalNodata, "-9999").map_err(broken)?;
    image.write_data(&rows).map_err(broken)
}
