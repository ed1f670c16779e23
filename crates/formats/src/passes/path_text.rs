use crate::error::FormatError;
use nalgebra::{Quaternion, UnitQuaternion};
use vistazo_core::geometry::Vec3;
use vistazo_core::mobile::Sample;

/// How a path says how the unit was held, with the columns from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub enum Turns {
    /// It does not.
    None,
    /// x, y, z, w.
    Quaternion([usize; 4]),
    /// Roll, pitch and heading.
    Angles {
        /// Their columns.
        columns: [usize; 3],
        /// In degrees; else radians.
        degrees: bool,
    },
}

/// Which columns of a path hold what, from 0.
#[derive(Clone, Copy, Debug, PartialEq, Eq)]
pub struct PathColumns {
    /// Time.
    pub time: usize,
    /// x, y, z.
    pub xyz: [usize; 3],
    /// How the unit was held.
    pub turns: Turns,
}

/// What a path does not say by itself.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct PathOptions {
    /// Metres in one unit of the file.
    pub unit: f64,
    /// Columns; `None` lets them be found out.
    pub columns: Option<PathColumns>,
}

impl Default for PathOptions {
    fn default() -> Self {
        Self { unit: 1.0, columns: None }
    }
}

/// A path as it was read.
#[derive(Clone, Debug)]
pub struct PathRead {
    /// In the order of the file, seconds and metres.
    pub samples: Vec<Sample>,
    /// What the columns were taken for.
    pub columns: PathColumns,
    /// The heading, where there is one.
    pub heading: Option<Vec<String>>,
    /// The first rows, field by field.
    pub rows: Vec<Vec<String>>,
    /// Seconds in one unit of the file's times.
    pub tick: f64,
}

/// Rows kept for a look.
const LOOK: usize = 6;
/// Walks are no slower and no faster than this on the whole, metres a second: it tells seconds from thousandths.
const WALKS: std::ops::Range<f64> = 0.02..15.0;

/// Reads a path: lines of time, place and how the unit was held, separated by blanks, commas, tabs or semicolons.
///
/// Lines that begin with `#`, `%` or `//` are remarks; a heading may stand first, also as a remark. Without a heading eight
/// columns are time, x, y, z and a quaternion x, y, z, w; seven are time, x, y, z, roll, pitch, heading; four are time and place.
/// Times may be seconds, or thousandths, millionths or billionths of them: whichever makes it a walk.
///
/// # Errors
/// [`FormatError::Line`] with the line, what was found and what was expected.
///
/// ```
/// use vistazo_formats::passes::{PathOptions, Turns, read_path};
/// let lines: String = (0..20).map(|k| format!("{k}.0 {k}.5 0 1.4 0 0 0 1\n")).collect();
/// let path = read_path(&lines, &PathOptions::default()).unwrap();
/// assert_eq!(path.columns.turns, Turns::Quaternion([4, 5, 6, 7]));
/// assert_eq!(path.samples[3].place.x, 3.5);
/// ```
pub fn read_path(text: &str, options: &PathOptions) -> Result<PathRead, FormatError> {
    let mut heading: Option<Vec<String>> = None;
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut values: Vec<Vec<f64>> = Vec::new();
    let mut lines = Vec::new();
    for (k, line) in text.lines().enumerate() {
        let line = line.trim().trim_start_matches('\u{feff}');
        let bare = line.trim_start_matches(['#', '%', '/']).trim();
        let words = split(bare);
        if bare.len() < line.len() || words.is_empty() {
            // the heading as a remark, the last one before the numbers
            if values.is_empty() && found(&words.iter().map(|w| (*w).to_owned()).collect::<Vec<_>>()).is_some() {
                heading = Some(words.into_iter().map(str::to_owned).collect());
            }
            continue;
        }
        if values.is_empty() && words.iter().filter(|w| w.parse::<f64>().is_err()).count() * 2 > words.len() {
            heading = Some(words.into_iter().map(str::to_owned).collect());
            continue;
        }
        let row: Result<Vec<f64>, FormatError> = words
            .iter()
            .enumerate()
            // a name or a remark at the end of a line is no number, and nobody needs it
            .map(|(c, w)| match w.parse::<f64>() {
                Ok(v) if v.is_finite() => Ok(v),
                _ if c >= 4 && options.columns.is_some_and(|p| !p.uses(c)) => Ok(f64::NAN),
                _ => Err(FormatError::Line {
                    line: k + 1,
                    column: c + 1,
                    found: format!("“{w}”"),
                    expected: "a number".into(),
                }),
            })
            .collect();
        let row = row?;
        if rows.len() < LOOK {
            rows.push(words.into_iter().map(str::to_owned).collect());
        }
        values.push(row);
        lines.push(k + 1);
    }
    let Some(first) = values.first() else {
        return Err(FormatError::Damaged("no line of the path holds a time and a place".into()));
    };
    let guessed = || heading.as_deref().and_then(found).or_else(|| by_count(first.len(), &values));
    let columns = options.columns.or_else(guessed).ok_or_else(|| FormatError::Line {
        line: lines[0],
        column: first.len(),
        found: format!("{} columns", first.len()),
        expected: "time, x, y, z and perhaps a quaternion or three angles, or a heading that names them".into(),
    })?;
    let mut samples = Vec::with_capacity(values.len());
    for (row, line) in values.iter().zip(&lines) {
        let value = |c: usize, of: &str| {
            row.get(c).copied().filter(|v| v.is_finite()).ok_or_else(|| FormatError::Line {
                line: *line,
                column: c + 1,
                found: "the end of the line".into(),
                expected: format!("a number ({of})"),
            })
        };
        let [x, y, z] = columns.xyz;
        let place = Vec3::new(value(x, "x")?, value(y, "y")?, value(z, "z")?) * options.unit;
        let turn = match columns.turns {
            Turns::None => None,
            Turns::Quaternion([a, b, c, d]) => {
                let q = Quaternion::new(value(d, "qw")?, value(a, "qx")?, value(b, "qy")?, value(c, "qz")?);
                if (q.norm() - 1.0).abs() > 0.05 {
                    return Err(FormatError::Line {
                        line: *line,
                        column: a + 1,
                        found: format!("a quaternion of length {:.3}", q.norm()),
                        expected: "one of length 1".into(),
                    });
                }
                Some(UnitQuaternion::from_quaternion(q))
            }
            Turns::Angles { columns: [r, p, h], degrees } => {
                let of = |v: f64| if degrees { v.to_radians() } else { v };
                let (r, p, h) = (of(value(r, "roll")?), of(value(p, "pitch")?), of(value(h, "heading")?));
                Some(UnitQuaternion::from_euler_angles(r, p, h))
            }
        };
        samples.push(Sample { time: value(columns.time, "time")?, place, turn });
    }
    let tick = tick(&samples);
    for s in &mut samples {
        s.time *= tick;
    }
    Ok(PathRead { samples, columns, heading, rows, tick })
}

impl PathColumns {
    fn uses(&self, c: usize) -> bool {
        let of = match self.turns {
            Turns::None => vec![],
            Turns::Quaternion(q) => q.to_vec(),
            Turns::Angles { columns, .. } => columns.to_vec(),
        };
        c == self.time || self.xyz.contains(&c) || of.contains(&c)
    }
}

/// Fields between semicolons, commas or tabs where there are such, else between blanks.
fn split(line: &str) -> Vec<&str> {
    let mark = [';', ',', '\t'].into_iter().find(|m| line.contains(*m));
    let Some(mark) = mark else { return line.split_whitespace().collect() };
    let mut out: Vec<&str> = line.split(mark).map(str::trim).collect();
    while out.last().is_some_and(|f| f.is_empty()) {
        out.pop();
    }
    out
}

/// From what a heading calls its columns.
fn found(heading: &[String]) -> Option<PathColumns> {
    let names: Vec<String> = heading
        .iter()
        .map(|w| {
            let w = w.to_lowercase();
            let w = w.trim_matches(['"', '\'', ':']);
            // a unit in brackets, and all that is no letter, say nothing here
            let w = w.split(['[', '(']).next().unwrap_or_default();
            w.chars().filter(char::is_ascii_alphanumeric).collect()
        })
        .collect();
    let find = |of: &[&str]| names.iter().position(|n| of.contains(&n.as_str()));
    let time =
        find(&["time", "t", "timestamp", "stamp", "seconds", "sec", "times", "gpstime", "sow", "tow", "gpssow"])?;
    let xyz = [
        find(&["x", "px", "tx", "posx", "positionx", "e", "east", "easting", "xm"])?,
        find(&["y", "py", "ty", "posy", "positiony", "n", "north", "northing", "ym"])?,
        find(&["z", "pz", "tz", "posz", "positionz", "u", "up", "h", "height", "zm", "altitude"])?,
    ];
    let all = |of: [&[&str]; 4]| Some([find(of[0])?, find(of[1])?, find(of[2])?, find(of[3])?]);
    let quaternion = all([
        &["qx", "quatx", "orientationx", "rotx", "q1"],
        &["qy", "quaty", "orientationy", "roty", "q2"],
        &["qz", "quatz", "orientationz", "rotz", "q3"],
        &["qw", "quatw", "orientationw", "rotw", "q0"],
    ]);
    let angles = || {
        let columns = [
            find(&["roll", "rolldeg", "rollrad", "omega"])?,
            find(&["pitch", "pitchdeg", "pitchrad", "phi"])?,
            find(&["heading", "yaw", "yawdeg", "yawrad", "headingdeg", "headingrad", "kappa"])?,
        ];
        let degrees = !heading.iter().any(|w| w.to_lowercase().contains("rad"));
        Some(Turns::Angles { columns, degrees })
    };
    let turns = quaternion.map(Turns::Quaternion).or_else(angles).unwrap_or(Turns::None);
    Some(PathColumns { time, xyz, turns })
}

fn by_count(count: usize, values: &[Vec<f64>]) -> Option<PathColumns> {
    let (time, xyz) = (0, [1, 2, 3]);
    let unit = |row: &Vec<f64>| {
        row.get(4..8).is_some_and(|q| (q.iter().map(|v| v * v).sum::<f64>().sqrt() - 1.0).abs() < 0.02)
    };
    match count {
        8.. if values.iter().take(50).all(unit) => {
            Some(PathColumns { time, xyz, turns: Turns::Quaternion([4, 5, 6, 7]) })
        }
        7.. => {
            let most = values.iter().filter_map(|r| r.get(4..7)).flatten().fold(0.0_f64, |m, v| m.max(v.abs()));
            let degrees = most > std::f64::consts::TAU + 0.01;
            Some(PathColumns { time, xyz, turns: Turns::Angles { columns: [4, 5, 6], degrees } })
        }
        4.. => Some(PathColumns { time, xyz, turns: Turns::None }),
        _ => None,
    }
}

/// Seconds in one unit of the times.
fn tick(samples: &[Sample]) -> f64 {
    let (Some(first), Some(last)) = (samples.first(), samples.last()) else { return 1.0 };
    // steps as they come, so that who stands still at the end has walked nonetheless; jitter is not walking
    let metres: f64 = samples.windows(2).map(|w| (w[1].place - w[0].place).norm()).filter(|d| *d < 50.0).sum();
    let speed = |tick: f64| metres / ((last.time - first.time) * tick).abs().max(1e-9);
    [1.0, 1e-3, 1e-6, 1e-9].into_iter().find(|t| WALKS.contains(&speed(*t))).unwrap_or(1.0)
}
