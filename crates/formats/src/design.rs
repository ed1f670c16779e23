//! What is to be built, as text: a line an element, its kind, its name, and its measures.
//!
//! ```text
//! # kind; name; measures, coordinates on the grid
//! wall;    W1; foot; top; thickness; E1; N1; E2; N2; …
//! opening; D1; sill; head; E1; N1; E2; N2
//! pipe;    P1; diameter; E1; N1; H1; E2; N2; H2; …
//! ```
//!
//! Fields are separated by `;`, tabs or commas. Of a DXF drawing, lines and polylines become walls (their thickness is the
//! height), circles round columns; what stands on a layer whose name begins with `OPENING` or `DOOR` becomes an opening.

use crate::error::FormatError;
use crate::plan::PlanShape;
use crate::plan_dxf::read_dxf;

/// An element as it is written, in the unit of the file.
#[derive(Clone, Debug, PartialEq)]
pub struct DesignLine {
    /// Its name.
    pub name: String,
    /// What it is.
    pub shape: DesignShape,
}

/// What an element is.
#[derive(Clone, Debug, PartialEq)]
pub enum DesignShape {
    /// Axis on the plan, foot, top, thickness.
    Wall {
        /// Axis.
        line: Vec<[f64; 2]>,
        /// Foot.
        base: f64,
        /// Top.
        top: f64,
        /// Thickness, 0 where the axis is the face.
        thickness: f64,
    },
    /// Both ends on the plan, sill and head.
    Opening {
        /// Both ends.
        ends: [[f64; 2]; 2],
        /// Sill.
        sill: f64,
        /// Head.
        head: f64,
    },
    /// Axis and diameter.
    Pipe {
        /// Axis.
        line: Vec<[f64; 3]>,
        /// Diameter.
        diameter: f64,
    },
}

/// Elements of a design at most.
pub const MOST_ELEMENTS: usize = 2000;

/// Reads a design, as text or DXF; `unit` is metres in a unit of a drawing that does not say its own.
///
/// # Errors
/// Names the line and field of a text that is not understood, or what is wrong with a drawing.
///
/// ```
/// use vistazo_formats::design::{DesignShape, read};
/// let all = read("wall;W1;0;3;0.12;0;0;5;0\npipe;P1;0.11;0;0;2.6;4;0;2.6\n", 1.0).unwrap();
/// assert_eq!(all.len(), 2);
/// let e = read("wall;W1;0;3;0.12;0;0\n", 1.0).unwrap_err().to_string();
/// assert!(e.contains("line 1") && e.contains("two or more"), "{e}");
/// ```
pub fn read(text: &str, unit: f64) -> Result<Vec<DesignLine>, FormatError> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let head: Vec<&str> = text.split_whitespace().take(2).collect();
    if head == ["0", "SECTION"] || head.first() == Some(&"999") {
        return drawing(text, unit);
    }
    let mut out: Vec<DesignLine> = Vec::new();
    for (k, line) in text.lines().enumerate() {
        let line = line.trim();
        if line.is_empty() || line.starts_with('#') {
            continue;
        }
        if out.len() >= MOST_ELEMENTS {
            return Err(FormatError::Damaged(format!("a design of more than {MOST_ELEMENTS} elements")));
        }
        out.push(element(k + 1, line)?);
    }
    if out.is_empty() {
        return Err(FormatError::Damaged(
            "no element found: expected lines such as wall;W1;foot;top;thickness;E1;N1;E2;N2".into(),
        ));
    }
    Ok(out)
}

fn element(number: usize, line: &str) -> Result<DesignLine, FormatError> {
    let separator = [';', '\t', ','].into_iter().find(|s| line.contains(*s)).unwrap_or(';');
    let fields: Vec<&str> = line.split(separator).map(str::trim).collect();
    let wrong = |column: usize, expected: &str| FormatError::Line {
        line: number,
        column: column + 1,
        found: fields.get(column).map_or_else(|| "nothing".to_owned(), |f| format!("“{f:.40}”")),
        expected: expected.into(),
    };
    let name = fields.get(1).filter(|n| !n.is_empty()).ok_or_else(|| wrong(1, "a name"))?;
    let mut numbers = Vec::new();
    for (column, field) in fields.iter().enumerate().skip(2) {
        let v: f64 = field.parse().map_err(|_| wrong(column, "a number with a decimal point"))?;
        if !v.is_finite() || v.abs() > 1e9 {
            return Err(wrong(column, "a number of less than a thousand million"));
        }
        numbers.push(v);
    }
    let measures = |count: usize, words: &str| {
        if numbers.len() < count { Err(wrong(numbers.len() + 2, words)) } else { Ok(&numbers[..count]) }
    };
    let places = |from: usize, by: usize, words: &str| {
        let rest = numbers.get(from..).unwrap_or_default();
        let whole = rest.len() % by == 0 && rest.len() >= 2 * by;
        whole.then_some(rest).ok_or_else(|| wrong(numbers.len() + 2, words))
    };
    let upwards =
        |low: f64, high: f64| if high > low { Ok(()) } else { Err(wrong(3, "a height above that of field 3")) };
    let shape = match fields[0].to_lowercase().as_str() {
        "wall" => {
            let m = measures(3, "foot, top and thickness")?;
            upwards(m[0], m[1])?;
            if m[2] < 0.0 {
                return Err(wrong(4, "a thickness, 0 where the line is the face"));
            }
            let line = places(3, 2, "two or more places, easting and northing of each")?;
            let line = line.chunks_exact(2).map(|p| [p[0], p[1]]).collect();
            DesignShape::Wall { line, base: m[0], top: m[1], thickness: m[2] }
        }
        "opening" => {
            let m = measures(6, "sill, head, and easting and northing of both ends")?;
            upwards(m[0], m[1])?;
            DesignShape::Opening { ends: [[m[2], m[3]], [m[4], m[5]]], sill: m[0], head: m[1] }
        }
        "pipe" => {
            let m = measures(1, "a diameter")?;
            if m[0] <= 0.0 {
                return Err(wrong(2, "a diameter of more than 0"));
            }
            let line = places(1, 3, "two or more places, easting, northing and height of each")?;
            DesignShape::Pipe { line: line.chunks_exact(3).map(|p| [p[0], p[1], p[2]]).collect(), diameter: m[0] }
        }
        _ => return Err(wrong(0, "wall, opening or pipe")),
    };
    Ok(DesignLine { name: (*name).to_owned(), shape })
}

/// A drawing: what [`crate::plan_dxf::read_dxf`] makes of it, in the unit of the file again.
fn drawing(text: &str, unit: f64) -> Result<Vec<DesignLine>, FormatError> {
    let shapes = match read_dxf(text, None) {
        Ok(s) => s,
        Err(_) => read_dxf(text, Some(unit))?,
    };
    if shapes.len() > MOST_ELEMENTS {
        return Err(FormatError::Damaged(format!("a design of more than {MOST_ELEMENTS} elements")));
    }
    let of = |v: f64| v / unit;
    let element = |(k, s): (usize, PlanShape)| {
        let layer = s.name.unwrap_or_default();
        let is_opening = ["OPENING", "DOOR"].iter().any(|n| layer.to_uppercase().starts_with(n));
        let mut line: Vec<[f64; 2]> = s.line.iter().map(|p| p.map(of)).collect();
        let (base, top) = (of(s.base), of(s.top));
        let shape = match (s.radius, is_opening) {
            (Some(r), _) => {
                let [x, y] = line.first().copied().unwrap_or_default();
                DesignShape::Pipe { line: vec![[x, y, base], [x, y, top]], diameter: 2.0 * of(r) }
            }
            (None, true) if line.len() >= 2 => {
                DesignShape::Opening { ends: [line[0], line[line.len() - 1]], sill: base, head: top }
            }
            _ => {
                if s.closed {
                    line.extend(line.first().copied());
                }
                DesignShape::Wall { line, base, top, thickness: 0.0 }
            }
        };
        DesignLine { name: format!("{} {}", if layer.is_empty() { "element" } else { &layer }, k + 1), shape }
    };
    Ok(shapes.into_iter().enumerate().map(element).collect())
}
