//! What is drawn for a client as DXF: layers with their own line types, every line with what is known about it as extended
//! data, lengths in the unit of the job.

use crate::error::FormatError;
use dxf::entities::{Circle, Entity, EntityType, Line, Text};
use dxf::enums::{AcadVersion, HorizontalTextJustification, Units, VerticalTextJustification};
use dxf::tables::{AppId, Layer, LineType};
use dxf::{Color, Drawing, Point, XData, XDataItem};

/// Whose extended data it is.
const OURS: &str = "VISTAZO";

/// A layer: its name, its colour by number, and whether its lines are dashed.
#[derive(Clone, Copy, Debug)]
pub struct DrawingLayer {
    /// Name, in capitals.
    pub name: &'static str,
    /// Number of a colour of the format, 1 to 255; 7 is black on white.
    pub colour: u8,
    /// Dashed.
    pub dashed: bool,
}

/// Something drawn.
#[derive(Clone, Debug)]
pub enum Mark {
    /// A line between two places, metres.
    Line([[f64; 2]; 2]),
    /// A circle, metres.
    Circle([f64; 2], f64),
    /// A text about a place, its height (metres) and turn (degrees anticlockwise).
    Text([f64; 2], String, f64, f64),
}

/// A mark on a layer, with what is known about it in words.
#[derive(Clone, Debug)]
pub struct Drawn {
    /// Name of its layer.
    pub layer: &'static str,
    /// What is drawn.
    pub mark: Mark,
    /// In words, for whoever opens it; empty for nothing.
    pub says: String,
}

/// Writes a drawing. `unit` is its code (`m`, `ft`, `ftUS`), `metres` what one is, `height` that of the plane, metres.
///
/// ```
/// use vistazo_formats::drawing_dxf::{Drawn, DrawingLayer, Mark, write_drawing};
/// let layer = DrawingLayer { name: "WALL", colour: 7, dashed: false };
/// let wall = Drawn { layer: "WALL", mark: Mark::Line([[0.0, 0.0], [4.0, 0.0]]), says: "95 % 2.1 mm".into() };
/// let text = write_drawing(&[layer], &[wall], ("m", 1.0), 0.0).unwrap();
/// assert!(text.contains("WALL") && text.contains("95 % 2.1 mm"));
/// ```
///
/// # Errors
/// [`FormatError::Damaged`] when the drawing cannot be written.
pub fn write_drawing(
    layers: &[DrawingLayer],
    drawn: &[Drawn],
    (unit, metres): (&str, f64),
    height: f64,
) -> Result<String, FormatError> {
    let mut drawing = Drawing::new();
    drawing.header.version = AcadVersion::R2000;
    drawing.header.default_drawing_units = match unit {
        "ft" => Units::Feet,
        "ftUS" => Units::USSurveyFeet,
        _ => Units::Meters,
    };
    drawing.add_app_id(AppId { name: OURS.into(), ..AppId::default() });
    drawing.add_line_type(LineType {
        name: "DASHED".into(),
        description: "__ __ __".into(),
        total_pattern_length: 0.45 / metres,
        element_count: 2,
        dash_dot_space_lengths: vec![0.3 / metres, -0.15 / metres],
        ..LineType::default()
    });
    for l in layers {
        drawing.add_layer(Layer {
            name: l.name.into(),
            color: Color::from_index(l.colour),
            line_type_name: if l.dashed { "DASHED" } else { "CONTINUOUS" }.into(),
            ..Layer::default()
        });
    }
    let at = |[x, y]: [f64; 2]| Point::new(x / metres, y / metres, height / metres);
    for d in drawn {
        let specific = match &d.mark {
            Mark::Line([a, b]) => EntityType::Line(Line::new(at(*a), at(*b))),
            Mark::Circle(centre, radius) => EntityType::Circle(Circle::new(at(*centre), radius / metres)),
            Mark::Text(place, value, high, turn) => EntityType::Text(Text {
                location: at(*place),
                second_alignment_point: at(*place),
                text_height: high / metres,
                value: value.clone(),
                rotation: *turn,
                horizontal_text_justification: HorizontalTextJustification::Center,
                vertical_text_justification: VerticalTextJustification::Middle,
                ..Text::default()
            }),
        };
        let mut e = Entity::new(specific);
        e.common.layer = d.layer.into();
        if !d.says.is_empty() {
            let says = XDataItem::Str(d.says.clone());
            e.common.x_data.push(XData { application_name: OURS.into(), items: vec![says] });
        }
        drawing.add_entity(e);
    }
    let mut bytes = Vec::new();
    drawing.save(&mut bytes).map_err(|e| FormatError::Damaged(format!("the drawing could not be written: {e}")))?;
    String::from_utf8(bytes).map_err(|e| FormatError::Damaged(e.to_string()))
}
