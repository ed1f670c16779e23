//! Plans as DXF. Entities that a file of our own says more of (as extended data) come back as the items they were; of
//! others, lines and polylines become walls, closed ones obstacles, circles columns.

use crate::error::FormatError;
use crate::plan::{ItemSaid, MOST_SHAPES, PlanShape, too_many};
use dxf::entities::{Circle, Entity, EntityType, Line, LwPolyline, Text};
use dxf::enums::Units;
use dxf::tables::AppId;
use dxf::{Drawing, LwPolylineVertex, Point, XData, XDataItem};

/// Whose extended data is read.
const OURS: &str = "VISTAZO";
/// Bytes of one string of extended data at most.
const LONGEST: usize = 240;

/// A drawing, and metres in its unit.
pub(crate) fn open(text: &str, unit: Option<f64>) -> Result<(Drawing, f64), FormatError> {
    let damaged = |e: String| FormatError::Damaged(format!("not a DXF drawing that can be read: {e}"));
    let drawing = Drawing::load(&mut text.as_bytes()).map_err(|e| damaged(e.to_string()))?;
    let scale = match (unit, drawing.header.default_drawing_units) {
        (Some(u), _) => u,
        (None, Units::Meters) => 1.0,
        (None, Units::Millimeters) => 1e-3,
        (None, Units::Centimeters) => 1e-2,
        (None, Units::Decimeters) => 0.1,
        (None, Units::Kilometers) => 1e3,
        (None, Units::Inches) => 0.0254,
        (None, Units::Feet) => 0.3048,
        (None, Units::USSurveyFeet) => 1200.0 / 3937.0,
        (None, other) => {
            return Err(FormatError::Damaged(format!(
                "the drawing says “{other:?}” for its unit, expected metres, millimetres, feet or inches: choose the unit"
            )));
        }
    };
    Ok((drawing, scale))
}

/// Reads a DXF text. `unit` is the length of a drawing unit in metres, where the drawing does not
/// say (or says wrong); walls get 3 m where they have no thickness.
///
/// # Errors
/// [`FormatError::Damaged`] when it is no DXF, holds nothing that can be used, or neither it nor
/// the caller says the unit.
pub fn read_dxf(text: &str, unit: Option<f64>) -> Result<Vec<PlanShape>, FormatError> {
    let (drawing, scale) = open(text, unit)?;
    let mut out = Vec::new();
    for e in drawing.entities() {
        if out.len() > MOST_SHAPES {
            return Err(too_many());
        }
        let name = (e.common.layer != "0").then(|| e.common.layer.clone());
        let shape = |points: Vec<[f64; 2]>, z: f64, height: f64, closed: bool| PlanShape {
            closed: closed && points.len() > 2,
            line: points.into_iter().map(|p| p.map(|v| v * scale)).collect(),
            radius: None,
            base: z * scale,
            top: z * scale + if height.abs() > 1e-9 { height.abs() * scale } else { 3.0 },
            name: name.clone(),
            item: said(&e.common.x_data),
        };
        match &e.specific {
            EntityType::Line(l) => {
                let line = vec![[l.p1.x, l.p1.y], [l.p2.x, l.p2.y]];
                out.push(shape(line, l.p1.z.min(l.p2.z), l.thickness, false));
            }
            EntityType::LwPolyline(p) => {
                let points = p.vertices.iter().map(|v| [v.x, v.y]).collect();
                out.push(shape(points, 0.0, p.thickness, p.is_closed()));
            }
            EntityType::Polyline(p) => {
                let points: Vec<[f64; 2]> = p.vertices().map(|v| [v.location.x, v.location.y]).collect();
                let z = p.vertices().map(|v| v.location.z).fold(f64::INFINITY, f64::min);
                out.push(shape(points, if z.is_finite() { z } else { 0.0 }, p.thickness, p.is_closed()));
            }
            EntityType::Arc(a) => {
                let span = (a.end_angle - a.start_angle).rem_euclid(360.0);
                let n = (span / 10.0).ceil().max(2.0);
                let at = |k: f64| (a.start_angle + span * k / n).to_radians();
                let points = (0..=n as usize)
                    .map(|k| at(k as f64))
                    .map(|t| [a.center.x + a.radius * t.cos(), a.center.y + a.radius * t.sin()])
                    .collect();
                out.push(shape(points, a.center.z, a.thickness, false));
            }
            EntityType::Circle(c) => out.push(PlanShape {
                radius: Some(c.radius * scale),
                ..shape(vec![[c.center.x, c.center.y]], c.center.z, c.thickness, false)
            }),
            _ => {}
        }
    }
    out.retain(|s| s.item.is_some() || s.radius.is_some_and(|r| r > 1e-4) || s.line.len() > 1);
    if out.is_empty() {
        return Err(FormatError::Damaged("found no lines, polylines, arcs or circles".into()));
    }
    if let Some(far) = out.iter().flat_map(|s| s.line.iter().flatten()).find(|v| !v.is_finite() || v.abs() > 1e7) {
        return Err(FormatError::Damaged(format!("a coordinate of {far} m is not sensible: is the unit right?")));
    }
    Ok(out)
}

/// What our own extended data says of an entity.
fn said(data: &[XData]) -> Option<ItemSaid> {
    let ours = data.iter().find(|d| d.application_name == OURS)?;
    let text: String =
        ours.items.iter().filter_map(|i| if let XDataItem::Str(s) = i { Some(s.as_str()) } else { None }).collect();
    ItemSaid::of(serde_json::from_str(&plain(&text)?).ok()?)
}

/// Text as strings of a drawing keep it: what readers take for an escape or trim away, and what is not ASCII, becomes
/// `%` and four hexadecimal digits of UTF-16, so that it may be cut anywhere.
fn safe(text: &str) -> String {
    let mut out = String::with_capacity(text.len());
    for unit in text.encode_utf16() {
        match char::from_u32(u32::from(unit)) {
            Some(c) if c.is_ascii_graphic() && !matches!(c, '\\' | '^' | '%') => out.push(c),
            _ => out.push_str(&format!("%{unit:04x}")),
        }
    }
    out
}

/// The text again; `None` where it is none of ours.
fn plain(safe: &str) -> Option<String> {
    let mut units = Vec::with_capacity(safe.len());
    let mut parts = safe.split('%');
    units.extend(parts.next()?.encode_utf16());
    for part in parts {
        units.push(u16::from_str_radix(part.get(..4)?, 16).ok()?);
        units.extend(part.get(4..)?.encode_utf16());
    }
    String::from_utf16(&units).ok()
}

/// The same as extended data: ASCII, in strings that are short enough.
fn say(item: &ItemSaid) -> XData {
    let mut properties = item.properties.clone();
    properties.insert("kind".into(), item.kind.clone().into());
    item.id.iter().for_each(|id| drop(properties.insert("id".into(), id.clone().into())));
    let text = safe(&serde_json::Value::Object(properties).to_string());
    let pieces = text.as_bytes().chunks(LONGEST).map(|c| XDataItem::Str(String::from_utf8_lossy(c).into_owned()));
    XData { application_name: OURS.into(), items: pieces.collect() }
}

/// Writes a plan as DXF in metres, one layer a kind; stations and targets are small circles with
/// their names.
///
/// # Errors
/// [`FormatError::Damaged`] when the drawing cannot be written.
pub fn write_dxf(shapes: &[PlanShape]) -> Result<String, FormatError> {
    let mut drawing = Drawing::new();
    drawing.header.version = dxf::enums::AcadVersion::R2000;
    drawing.header.default_drawing_units = Units::Meters;
    drawing.add_app_id(AppId { name: OURS.into(), ..AppId::default() });
    for s in shapes {
        let layer = s.item.as_ref().map_or_else(|| "0".into(), |i| i.kind.to_uppercase());
        let mut add = |specific: EntityType, item: Option<&ItemSaid>| {
            let mut e = Entity::new(specific);
            e.common.layer.clone_from(&layer);
            e.common.x_data.extend(item.map(say));
            drawing.add_entity(e);
        };
        let Some(first) = s.line.first() else { continue };
        let (item, height) = (s.item.as_ref(), s.top - s.base);
        if s.line.len() == 1 {
            let centre = Point::new(first[0], first[1], s.base);
            let radius = s.radius.unwrap_or(0.15);
            add(EntityType::Circle(Circle { thickness: height, ..Circle::new(centre.clone(), radius) }), item);
            let value = s.name.clone().unwrap_or_default();
            add(EntityType::Text(Text { location: centre, text_height: 0.3, value, ..Text::default() }), None);
        } else if s.line.len() == 2 && !s.closed {
            let at = |p: [f64; 2]| Point::new(p[0], p[1], s.base);
            add(EntityType::Line(Line { thickness: height, ..Line::new(at(s.line[0]), at(s.line[1])) }), item);
        } else {
            let vertices = s.line.iter().map(|p| LwPolylineVertex { x: p[0], y: p[1], ..Default::default() }).collect();
            let mut p = LwPolyline { vertices, thickness: height, ..Default::default() };
            p.set_is_closed(s.closed);
            add(EntityType::LwPolyline(p), item);
        }
    }
    let mut bytes = Vec::new();
    drawing.save(&mut bytes).map_err(|e| FormatError::Damaged(format!("the drawing could not be written: {e}")))?;
    String::from_utf8(bytes).map_err(|e| FormatError::Damaged(e.to_string()))
}
