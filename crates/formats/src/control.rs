//! Control point files: a name and three coordinates a line, in the usual column orders.

use crate::error::FormatError;
use std::collections::HashMap;

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
    /// Easting, northing, height, in the unit of the file; none where the line has none: a point known
    /// in height only, or in plan only.
    pub position: [Option<f64>; 3],
    /// Standard deviations of the three, in the unit of the file, where the line has them.
    pub sigma: [Option<f64>; 3],
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

/// Points of a control file at most: what is longer is a cloud, or another file.
pub const MOST_POINTS: usize = 20_000;

/// Reads a control file. `order` overrides what the heading says; without either, E N H is taken.
///
/// Blank lines and lines starting with `#` are skipped. A decimal comma is understood where the
/// comma does not separate columns. An empty field or a dash says that a coordinate is not known.
/// Standard deviations are read from columns that the heading calls σ, `s`, `sd`, `std` or `sigma` of an
/// axis (`sE`, `sigma N`, `std_H`), or of plan and height (`sigma plan`, `sigma height`).
///
/// # Errors
/// [`FormatError::Line`] with line, column, what was found and what was expected: a missing or
/// bad number, a missing name, a name that came before.
///
/// ```
/// let f = vistazo_formats::control::read("name;N;E;H\nA1;5000,5;100,25;12\n", None).unwrap();
/// assert_eq!(f.points[0].position, [Some(100.25), Some(5000.5), Some(12.0)]);
/// let f = vistazo_formats::control::read("name,E,N,H,sE,sN,sH\nB1,,,12.5,,,0.001\n", None).unwrap();
/// assert_eq!((f.points[0].position[2], f.points[0].sigma[2]), (Some(12.5), Some(0.001)));
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
    let head = separator.split(first);
    let is_heading = head.len() >= 4 && head[1..4].iter().all(|f| separator.number(f).is_none());
    let said = if is_heading { order_of(&head) } else { None };
    let order_used = order.or(said).unwrap_or(ColumnOrder::Enh);
    let sigmas = if is_heading { sigma_columns(&head) } else { Vec::new() };
    let columns = Columns { separator, order: order_used, sigmas };
    if lines.len() > MOST_POINTS + 1 {
        return Err(FormatError::Line {
            line: lines[MOST_POINTS + 1].0,
            column: 1,
            found: format!("{} lines", lines.len()),
            expected: format!("at most {MOST_POINTS} control points"),
        });
    }
    let mut points: Vec<ControlLine> = Vec::new();
    let mut names: HashMap<String, usize> = HashMap::new();
    for &(line, text) in lines.iter().skip(usize::from(is_heading)) {
        let point = columns.point(line, &separator.split(text))?;
        if let Some(old) = names.insert(point.name.to_lowercase(), line) {
            return Err(FormatError::Line {
                line,
                column: 1,
                found: format!("the name “{}” again (first on line {old})", point.name),
                expected: "a name that is used once".into(),
            });
        }
        points.push(point);
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

impl Separator {
    /// The fields of a line, without quotes.
    fn split(self, line: &str) -> Vec<String> {
        let parts: Vec<&str> = match self {
            Self::Comma => line.split(',').collect(),
            Self::Semicolon => line.split(';').collect(),
            Self::Tab => line.split('\t').collect(),
            Self::Space => line.split_whitespace().collect(),
        };
        parts.into_iter().map(|p| p.trim().trim_matches('"').to_owned()).collect()
    }

    /// A finite number; a decimal comma counts where commas do not separate.
    fn number(self, s: &str) -> Option<f64> {
        let s = if self == Self::Comma { s.to_owned() } else { s.replace(',', ".") };
        s.parse::<f64>().ok().filter(|v| v.is_finite())
    }
}

/// What stands where in a line.
struct Columns {
    separator: Separator,
    order: ColumnOrder,
    /// Columns of standard deviations, with the axes that each is of.
    sigmas: Vec<(usize, Vec<usize>)>,
}

impl Columns {
    fn point(&self, line: usize, fields: &[String]) -> Result<ControlLine, FormatError> {
        let wrong = |column: usize, found: &str, expected: &str| FormatError::Line {
            line,
            column,
            found: found.into(),
            expected: expected.into(),
        };
        let name = fields.first().filter(|n| !n.is_empty());
        let name = name.ok_or_else(|| wrong(1, "nothing", "the name of the point"))?.clone();
        let mut position = [None; 3];
        for (k, value) in position.iter_mut().enumerate() {
            let expected = match (self.order, k) {
                (ColumnOrder::Enh, 0) | (ColumnOrder::Neh, 1) => "an easting",
                (_, 2) => "a height",
                _ => "a northing",
            };
            let field = fields.get(k + 1).map(String::as_str);
            *value = coordinate(field, line, k + 2, expected, &|s: &str| self.separator.number(s))?;
        }
        if self.order == ColumnOrder::Neh {
            position.swap(0, 1);
        }
        match position {
            [None, None, None] => {
                let expected = "easting and northing, a height, or all three";
                return Err(wrong(2, "neither plan coordinates nor a height", expected));
            }
            [Some(_), None, _] | [None, Some(_), _] => {
                return Err(wrong(2, "one plan coordinate", "easting and northing, or neither"));
            }
            _ => {}
        }
        let mut sigma = [None; 3];
        for (column, axes) in &self.sigmas {
            let field = fields.get(*column).map(|f| f.trim()).filter(|f| !f.is_empty() && *f != "-");
            let Some(field) = field else { continue };
            let value = self.separator.number(field).filter(|s| *s > 0.0);
            let value = value
                .ok_or_else(|| wrong(column + 1, &format!("“{field}”"), "a standard deviation (a number above 0)"))?;
            axes.iter().for_each(|&a| sigma[a] = Some(value));
        }
        Ok(ControlLine { line, name, position, sigma })
    }
}

/// A coordinate: a number, or nothing where the field is empty or a dash. A field that is not there at
/// all is missing, not unknown.
fn coordinate(
    field: Option<&str>,
    line: usize,
    column: usize,
    expected: &str,
    number: &dyn Fn(&str) -> Option<f64>,
) -> Result<Option<f64>, FormatError> {
    match field {
        Some("" | "-" | "–") => Ok(None),
        field => number(field.unwrap_or("")).map(Some).ok_or_else(|| FormatError::Line {
            line,
            column,
            found: field.map_or_else(|| "nothing".into(), |f| format!("“{f}”")),
            expected: format!("{expected} (a number)"),
        }),
    }
}

/// Columns (from 0) of standard deviations, and the axes (E, N, H) each is for.
fn sigma_columns(head: &[String]) -> Vec<(usize, Vec<usize>)> {
    let axes = |rest: &str| -> Option<Vec<usize>> {
        match rest.trim_matches(|c: char| !c.is_alphanumeric()) {
            "e" | "x" | "easting" => Some(vec![0]),
            "n" | "y" | "northing" => Some(vec![1]),
            "h" | "z" | "v" | "height" | "elevation" | "vertical" => Some(vec![2]),
            "plan" | "en" | "xy" | "horizontal" | "hz" => Some(vec![0, 1]),
            _ => None,
        }
    };
    head.iter()
        .enumerate()
        .skip(4)
        .filter_map(|(k, h)| {
            let h = h.to_lowercase();
            // the unit in brackets says nothing about the axis
            let h = h.split(['[', '(']).next().unwrap_or("").trim();
            ["sigma", "σ", "std", "sd", "s"].iter().find_map(|p| axes(h.strip_prefix(p)?)).map(|a| (k, a))
        })
        .collect()
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
            assert_eq!(f.points[0].position, [Some(100.5), Some(200.25), Some(7.0)], "{text}");
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
            (
                "A,1,,3\nB,1,2,3",
                "line 1, column 2: found one plan coordinate, expected easting and northing, or neither",
            ),
            (
                "n,E,N,H,sE\nA,1,2,3,-1",
                "line 2, column 5: found “-1”, expected a standard deviation (a number above 0)",
            ),
            ("A,1,2,inf\nB,1,2,3", "line 1, column 4: found “inf”, expected a height (a number)"),
        ] {
            assert_eq!(read(text, None).unwrap_err().to_string(), message);
        }
        assert!(matches!(read("\n# nothing\n", None), Err(FormatError::Empty)));
    }
}
