//! Control point files: a name and three coordinates a line, in the usual column orders.

use crate::error::FormatError;
use vistazo_core::geometry::Vec3;

/// Order of the coordinate columns after the name.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum ColumnOrder {
    /// Easting, northing, height.
    Enh,
    /// Northing, easting, height.
    Neh,
}

/// What separates the columns.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Separator {
    /// `,`
    Comma,
    /// `;`
    Semicolon,
    /// Tab.
    Tab,
    /// Blanks.
    Space,
}

/// One point as read: still in the file's unit.
#[derive(Clone, Debug, PartialEq)]
pub struct ControlLine {
    /// Line in the file, from 1.
    pub line: usize,
    /// Name.
    pub name: String,
    /// Easting, northing, height, in the unit of the file.
    pub position: Vec3,
}

/// What was understood.
#[derive(Clone, Debug, PartialEq)]
pub struct ControlFile {
    /// Separator found.
    pub separator: Separator,
    /// Order used.
    pub order: ColumnOrder,
    /// The heading line said so (otherwise the order is what was asked for or assumed).
    pub order_from_heading: bool,
    /// The heading line, when there is one.
    pub heading: Option<String>,
    /// The points.
    pub points: Vec<ControlLine>,
}

/// Reads a control file. `order` overrides what the heading says; without either, E N H is taken.
///
/// Blank lines and lines starting with `#` are skipped. A decimal comma is understood where the
/// comma does not separate columns.
///
/// # Errors
/// [`FormatError::Line`] with line, column, what was found and what was expected: a missing or
/// bad number, a missing name, a name that came before.
///
/// ```
/// let f = vistazo_formats::control::read("name;N;E;H\nA1;5000,5;100,25;12\n", None).unwrap();
/// assert_eq!(f.points[0].position.x, 100.25);
/// ```
pub fn read(text: &str, order: Option<ColumnOrder>) -> Result<ControlFile, FormatError> {
    let text = text.strip_prefix('\u{feff}').unwrap_or(text);
    let lines: Vec<(usize, &str)> = text
        .lines()
        .enumerate()
        .map(|(i, l)| (i + 1, l.trim()))
        .filter(|(_, l)| !l.is_empty() && !l.starts_with('#'))
        .collect();
    let Some(&(_, first)) = lines.first() else { return Err(FormatError::Empty) };
    let separator = separator_of(first, lines.last().map_or(first, |l| l.1));
    let split = |l: &str| -> Vec<String> {
        let parts: Vec<&str> = match separator {
            Separator::Comma => l.split(',').collect(),
            Separator::Semicolon => l.split(';').collect(),
            Separator::Tab => l.split('\t').collect(),
            Separator::Space => l.split_whitespace().collect(),
        };
        parts.into_iter().map(|p| p.trim().trim_matches('"').to_owned()).collect()
    };
    let number = |s: &str| {
        let s = if separator == Separator::Comma { s.to_owned() } else { s.replace(',', ".") };
        s.parse::<f64>().ok().filter(|v| v.is_finite())
    };
    let head = split(first);
    let is_heading = head.len() >= 4 && head[1..4].iter().all(|f| number(f).is_none());
    let said = if is_heading { order_of(&head) } else { None };
    let order_used = order.or(said).unwrap_or(ColumnOrder::Enh);
    let mut points: Vec<ControlLine> = Vec::new();
    for &(line, text) in lines.iter().skip(usize::from(is_heading)) {
        let fields = split(text);
        let name = fields.first().filter(|n| !n.is_empty()).ok_or_else(|| FormatError::Line {
            line,
            column: 1,
            found: "nothing".into(),
            expected: "the name of the point".into(),
        })?;
        if let Some(old) = points.iter().find(|p| p.name.eq_ignore_ascii_case(name)) {
            return Err(FormatError::Line {
                line,
                column: 1,
                found: format!("the name “{name}” again (first on line {})", old.line),
                expected: "a name that is used once".into(),
            });
        }
        let mut v = [0.0; 3];
        for (k, value) in v.iter_mut().enumerate() {
            let expected = match (order_used, k) {
                (ColumnOrder::Enh, 0) | (ColumnOrder::Neh, 1) => "an easting",
                (_, 2) => "a height",
                _ => "a northing",
            };
            let field = fields.get(k + 1).map_or("", String::as_str);
            *value = number(field).ok_or_else(|| FormatError::Line {
                line,
                column: k + 2,
                found: if field.is_empty() { "nothing".into() } else { format!("“{field}”") },
                expected: format!("{expected} (a number)"),
            })?;
        }
        let position =
            if order_used == ColumnOrder::Enh { Vec3::new(v[0], v[1], v[2]) } else { Vec3::new(v[1], v[0], v[2]) };
        points.push(ControlLine { line, name: name.clone(), position });
    }
    if points.is_empty() {
        return Err(FormatError::Line {
            line: 2,
            column: 1,
            found: "no points after the heading".into(),
            expected: "name and three coordinates a line".into(),
        });
    }
    Ok(ControlFile {
        separator,
        order: order_used,
        order_from_heading: said.is_some() && order.is_none(),
        heading: is_heading.then(|| first.to_owned()),
        points,
    })
}

fn separator_of(first: &str, last: &str) -> Separator {
    let enough = |c: char| first.matches(c).count() >= 3 || last.matches(c).count() >= 3;
    // four words between blanks, none ending in a comma: the commas are decimal ones
    let decimal_commas = last.split_whitespace().count() >= 4 && !last.split_whitespace().any(|w| w.ends_with(','));
    if enough(';') {
        Separator::Semicolon
    } else if enough('\t') {
        Separator::Tab
    } else if enough(',') && !decimal_commas {
        Separator::Comma
    } else {
        Separator::Space
    }
}

fn order_of(head: &[String]) -> Option<ColumnOrder> {
    let place =
        |starts: &[&str]| head.iter().skip(1).position(|h| starts.iter().any(|s| h.to_lowercase().starts_with(s)));
    let (e, n) = (place(&["e", "x", "ost", "rechts"])?, place(&["n", "y", "hoch"])?);
    Some(if e < n { ColumnOrder::Enh } else { ColumnOrder::Neh })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_usual_shapes_are_understood() {
        for (text, order, separator) in [
            ("A,100.5,200.25,7\nB,101,201,8", ColumnOrder::Enh, Separator::Comma),
            ("point\tnorthing\teasting\tz\nA\t200.25\t100.5\t7\n", ColumnOrder::Neh, Separator::Tab),
            (
                "\u{feff}Name; E; N; H\r\n\r\n# made up\r\nA; 100,5; 200,25; 7\r\n",
                ColumnOrder::Enh,
                Separator::Semicolon,
            ),
            ("A  100.5 200.25   7\n", ColumnOrder::Enh, Separator::Space),
            ("A, 100.5, 200.25, 7\n", ColumnOrder::Enh, Separator::Comma),
            ("A 100,5 200,25 7,0\n", ColumnOrder::Enh, Separator::Space),
        ] {
            let f = read(text, None).unwrap_or_else(|e| panic!("{text}: {e}"));
            assert_eq!((f.order, f.separator), (order, separator), "{text}");
            assert_eq!(f.points[0].position, Vec3::new(100.5, 200.25, 7.0), "{text}");
        }
    }

    #[test]
    fn a_bad_line_is_named_with_line_column_found_and_expected() {
        for (text, message) in [
            ("A,1,2,3\nB,1,x,3", "line 2, column 3: found “x”, expected a northing (a number)"),
            (
                "A,1,2,3\n\nA,4,5,6",
                "line 3, column 1: found the name “A” again (first on line 1), expected a name that is used once",
            ),
            ("A,1,2,3\nB,1,2", "line 2, column 4: found nothing, expected a height (a number)"),
            ("A,1,2,inf\nB,1,2,3", "line 1, column 4: found “inf”, expected a height (a number)"),
        ] {
            assert_eq!(read(text, None).unwrap_err().to_string(), message);
        }
        assert!(matches!(read("\n# nothing\n", None), Err(FormatError::Empty)));
    }
}
