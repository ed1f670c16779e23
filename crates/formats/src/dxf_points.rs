//! Points and lines of a survey that came as a drawing: points as they are, lines by their vertices and between them.

use crate::error::FormatError;
use crate::plan_dxf::open;
use dxf::entities::EntityType;

/// A surveyed place, metres.
#[derive(Clone, Debug, PartialEq)]
pub struct DrawnPoint {
    /// Its layer, and its number there.
    pub name: String,
    /// Easting, northing, height.
    pub position: [f64; 3],
}

/// Places on a line are no farther apart, metres.
const APART: f64 = 1.0;
/// Places at most.
const MOST: usize = 100_000;

/// Whether a text is a drawing.
pub fn is_dxf(text: &str) -> bool {
    let head: Vec<&str> = text.trim_start_matches('\u{feff}').split_whitespace().take(2).collect();
    head == ["0", "SECTION"] || head.first() == Some(&"999")
}

/// Points, and lines and polylines in space, of a drawing; `unit` is metres in a unit of one that does not say its own.
///
/// # Errors
/// [`FormatError::Damaged`] when it is no drawing, or nothing in it is a point or a line.
///
/// ```
/// let text = "0\nSECTION\n2\nENTITIES\n0\nPOINT\n8\nKERB\n10\n5.0\n20\n2.0\n30\n0.5\n0\nENDSEC\n0\nEOF\n";
/// let all = vistazo_formats::dxf_points::points(text, 0.3048).unwrap();
/// assert_eq!((all[0].name.as_str(), all[0].position[0]), ("KERB 1", 5.0 * 0.3048));
/// ```
pub fn points(text: &str, unit: f64) -> Result<Vec<DrawnPoint>, FormatError> {
    let (drawing, scale) = open(text, None).or_else(|_| open(text, Some(unit)))?;
    let mut out: Vec<DrawnPoint> = Vec::new();
    let mut count: std::collections::HashMap<String, usize> = std::collections::HashMap::new();
    for e in drawing.entities() {
        let at = |p: &dxf::Point| [p.x * scale, p.y * scale, p.z * scale];
        let places: Vec<[f64; 3]> = match &e.specific {
            EntityType::ModelPoint(p) => vec![at(&p.location)],
            EntityType::Line(l) => between(&[at(&l.p1), at(&l.p2)]),
            EntityType::Polyline(p) => between(&p.vertices().map(|v| at(&v.location)).collect::<Vec<_>>()),
            _ => Vec::new(),
        };
        let n = count.entry(e.common.layer.clone()).or_default();
        for position in places {
            *n += 1;
            if out.len() >= MOST {
                return Err(FormatError::Damaged(format!("more than {MOST} places in the drawing")));
            }
            if let Some(far) = position.iter().find(|v| !v.is_finite() || v.abs() > 1e8) {
                return Err(FormatError::Damaged(format!(
                    "a coordinate of {far} m is not sensible: is the unit right?"
                )));
            }
            out.push(DrawnPoint { name: format!("{} {n}", e.common.layer), position });
        }
    }
    if out.is_empty() {
        return Err(FormatError::Damaged(
            "found no points, lines or polylines in space: expected POINT, LINE or POLYLINE with heights".into(),
        ));
    }
    Ok(out)
}

/// The vertices of a line, and places between them.
fn between(line: &[[f64; 3]]) -> Vec<[f64; 3]> {
    let mut out: Vec<[f64; 3]> = line.first().copied().into_iter().collect();
    for p in line.windows(2) {
        let length = (0..3).map(|k| (p[1][k] - p[0][k]).powi(2)).sum::<f64>().sqrt();
        let parts = (length / APART).ceil().clamp(1.0, MOST as f64);
        out.extend((1..=parts as usize).map(|i| {
            let t = i as f64 / parts;
            std::array::from_fn(|k| p[0][k] + t * (p[1][k] - p[0][k]))
        }));
    }
    out
}
