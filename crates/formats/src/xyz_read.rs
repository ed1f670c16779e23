use crate::collector::{Collector, ReadPoint};
use crate::error::FormatError;
use crate::options::{Columns, ReadOptions};
use crate::source::{GoOn, MOST_POINTS, SourceScan};
use std::io::{BufRead, Read};
use std::path::Path;

/// Lines looked at to guess the columns and the scale of intensities.
const LOOKED_AT: usize = 2000;
/// Longest line read, bytes: a hostile file must not fill memory with one line.
const LONGEST: u64 = 4096;

/// What was understood of a text file.
#[derive(Clone, Debug, PartialEq)]
pub struct XyzPreview {
    /// The heading, when there is one.
    pub heading: Option<Vec<String>>,
    /// The first rows, field by field.
    pub rows: Vec<Vec<String>>,
    /// What the columns are taken for.
    pub columns: Columns,
    /// The intensity of the file that is taken for white.
    pub white: f64,
    /// Numbers have a decimal comma.
    pub decimal_comma: bool,
}

/// What separates fields: a comma does too where it is not the decimal sign.
fn fields(line: &str, decimal_comma: bool) -> impl Iterator<Item = &str> {
    line.split(move |c| matches!(c, ' ' | '\t' | ';') || c == ',' && !decimal_comma).filter(|f| !f.is_empty())
}

fn number(field: &str, decimal_comma: bool) -> Option<f64> {
    if decimal_comma { field.replacen(',', ".", 1).parse().ok() } else { field.parse().ok() }
}

/// Whether a comma is the decimal sign: it stands between digits in fields that something else separates, once in each,
/// and no point does. Taken for a separator it would turn three coordinates into six without a word.
fn has_decimal_comma(lines: &str) -> bool {
    let mut seen = false;
    for line in lines.lines().map(str::trim).filter(|l| !is_remark(l)).take(LOOKED_AT) {
        let row: Vec<&str> = fields(line, true).collect();
        // a heading, or the number of points
        if !line.contains(',') && !seen {
            continue;
        }
        let plain = |f: &str| {
            let mut parts = f.trim_start_matches(['-', '+']).split(',');
            let digits = |p: &str| !p.is_empty() && p.bytes().all(|b| b.is_ascii_digit());
            parts.next().is_some_and(digits) && parts.next().is_none_or(digits) && parts.next().is_none()
        };
        if row.len() < 3 || !row.iter().all(|f| plain(f)) {
            return false;
        }
        seen = true;
    }
    seen
}

fn is_remark(text: &str) -> bool {
    text.is_empty() || text.starts_with('#') || text.starts_with("//")
}

/// Looks at the start of a text file: separators are blanks, tabs, commas or semicolons, and a comma between digits of
/// fields that others separate is the decimal sign; lines that begin with `#` or `//` are remarks; one heading line and one line with nothing but the number of
/// points may stand first.
///
/// # Errors
/// [`FormatError::Line`] when a row has fewer than three numbers.
///
/// ```
/// let p = vistazo_formats::xyz_preview("x y z i\n1 2 3 0.5\n").unwrap();
/// assert_eq!(p.columns.intensity, Some(3));
/// ```
pub fn xyz_preview(text: &str) -> Result<XyzPreview, FormatError> {
    let decimal_comma = has_decimal_comma(text);
    let mut heading = None;
    let mut rows: Vec<Vec<String>> = Vec::new();
    for (k, line) in text.lines().enumerate() {
        let line = line.trim();
        if is_remark(line) {
            continue;
        }
        let row: Vec<String> = fields(line, decimal_comma).map(str::to_owned).collect();
        if rows.is_empty() && heading.is_none() && row.iter().all(|f| number(f, decimal_comma).is_none()) {
            heading = Some(row);
            continue;
        }
        if rows.is_empty() && row.len() == 1 && row[0].parse::<u64>().is_ok() {
            continue;
        }
        if row.len() < 3 {
            return Err(FormatError::Line {
                line: k + 1,
                column: row.len() + 1,
                found: "the end of the line".into(),
                expected: "x, y and z".into(),
            });
        }
        rows.push(row);
        if rows.len() >= LOOKED_AT {
            break;
        }
    }
    let Some(first) = rows.first() else { return Err(FormatError::Damaged("no line holds x, y and z".into())) };
    let columns = guess(heading.as_deref(), &rows, first.len());
    let top = |k: usize| rows.iter().filter_map(|r| number(r.get(k)?, decimal_comma)).fold(0.0, f64::max);
    let white = columns.intensity.map_or(1.0, |k| match top(k) {
        t if t <= 1.0 => 1.0,
        t if t <= 255.0 => 255.0,
        t if t <= 4095.0 => 4095.0,
        _ => 65_535.0,
    });
    Ok(XyzPreview { heading, rows: rows.into_iter().take(8).collect(), columns, white, decimal_comma })
}

/// From the heading, else from the number of columns: x y z, x y z i, x y z r g b, x y z i r g b.
fn guess(heading: Option<&[String]>, rows: &[Vec<String>], count: usize) -> Columns {
    if let Some(h) = heading {
        let find = |names: &[&str]| {
            h.iter().position(|w| names.contains(&w.trim_matches(['"', '[', ']']).to_lowercase().as_str()))
        };
        if let (Some(x), Some(y), Some(z)) =
            (find(&["x", "e", "east", "easting"]), find(&["y", "n", "north", "northing"]), find(&["z", "h", "height"]))
        {
            return Columns {
                xyz: [x, y, z],
                intensity: find(&["i", "intensity", "reflectance"]),
                rgb: find(&["r", "red"]).filter(|r| r + 2 < count),
            };
        }
    }
    let colours = |from: usize| {
        from + 3 <= count
            && rows.iter().all(|r| (from..from + 3).all(|k| r.get(k).is_some_and(|f| f.parse::<u8>().is_ok())))
    };
    let xyz = [0, 1, 2];
    match count {
        6.. if colours(3) => Columns { xyz, intensity: (count > 6).then_some(6), rgb: Some(3) },
        7.. if colours(4) => Columns { xyz, intensity: Some(3), rgb: Some(4) },
        4.. => Columns { xyz, intensity: Some(3), rgb: None },
        _ => Columns { xyz, intensity: None, rgb: None },
    }
}

/// The rows of a text file, one after the other.
pub(crate) struct TextRows {
    pub preview: XyzPreview,
    file: std::io::Chain<std::io::Cursor<Vec<u8>>, std::io::BufReader<std::fs::File>>,
    row: Vec<String>,
    line: usize,
    begun: bool,
}

impl TextRows {
    pub(crate) fn open(path: &Path) -> Result<Self, FormatError> {
        let mut file = std::io::BufReader::with_capacity(1 << 20, std::fs::File::open(path)?);
        let mut head = vec![0; 256 << 10];
        let mut n = 0;
        while n < head.len() {
            let k = file.read(&mut head[n..])?;
            if k == 0 {
                break;
            }
            n += k;
        }
        let whole = n < head.len();
        head.truncate(n);
        // the last line may be cut by the end of the look, so it is left out of it
        let text = String::from_utf8_lossy(&head);
        let looked = if whole { &text[..] } else { text.rfind('\n').map_or(&text[..], |k| &text[..k]) };
        let preview = xyz_preview(looked)?;
        let file = std::io::Cursor::new(head.clone()).chain(file);
        Ok(Self { preview, file, row: Vec::new(), line: 0, begun: false })
    }

    /// Goes to the next row with values; whether there is one.
    pub(crate) fn next(&mut self) -> Result<bool, FormatError> {
        let comma = self.preview.decimal_comma;
        let mut bytes = Vec::new();
        loop {
            bytes.clear();
            if self.file.by_ref().take(LONGEST).read_until(b'\n', &mut bytes)? == 0 {
                return Ok(false);
            }
            self.line += 1;
            let line = String::from_utf8_lossy(&bytes);
            let line = line.trim();
            if is_remark(line) {
                continue;
            }
            // fields in the room of those before: there are millions of rows
            let mut count = 0;
            for f in fields(line, comma) {
                if count == self.row.len() {
                    self.row.push(String::new());
                }
                self.row[count].clear();
                self.row[count].push_str(f);
                count += 1;
            }
            self.row.truncate(count);
            if !self.begun {
                let is_heading = self.row.iter().all(|f| number(f, comma).is_none());
                if (is_heading && self.preview.heading.is_some()) || (count == 1 && self.row[0].parse::<u64>().is_ok())
                {
                    continue;
                }
            }
            self.begun = true;
            return Ok(true);
        }
    }

    /// A value of the row.
    pub(crate) fn value(&self, k: usize, expected: &str) -> Result<f64, FormatError> {
        let found = self.row.get(k);
        found.and_then(|f| number(f, self.preview.decimal_comma)).ok_or_else(|| FormatError::Line {
            line: self.line,
            column: k + 1,
            found: found.map_or_else(|| "the end of the line".into(), |f| format!("“{f}”")),
            expected: expected.into(),
        })
    }
}

pub(crate) fn read(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<SourceScan, FormatError> {
    let mut rows = TextRows::open(path)?;
    let (columns, white) = (options.columns.unwrap_or(rows.preview.columns), rows.preview.white);
    let mut got = Collector::new(options, go_on);
    while rows.next()? {
        got.check()?;
        let p = [
            rows.value(columns.xyz[0], "a number")?,
            rows.value(columns.xyz[1], "a number")?,
            rows.value(columns.xyz[2], "a number")?,
        ];
        let shade = columns.intensity.map_or(Ok(0.0), |k| rows.value(k, "an intensity"))? / white;
        let colour = match columns.rgb {
            Some(k) => {
                let mut c = [0; 3];
                for (j, v) in c.iter_mut().enumerate() {
                    *v = rows.value(k + j, "a colour from 0 to 255")? as u8;
                }
                Some(c)
            }
            None => None,
        };
        got.push(ReadPoint { at: p, intensity: shade, colour, cell: None });
        if got.len() as u64 > MOST_POINTS {
            return Err(FormatError::TooLarge { found: got.len() as u64, limit: MOST_POINTS });
        }
    }
    got.into_unordered()
}
