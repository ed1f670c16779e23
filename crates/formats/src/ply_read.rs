use crate::collector::{Collector, ReadPoint};
use crate::error::FormatError;
use crate::options::ReadOptions;
use crate::source::{GoOn, MOST_POINTS, SourceScan};
use std::io::{BufRead, BufReader, Read};
use std::path::Path;

/// How the values of a vertex are written.
#[derive(Clone, Copy, PartialEq)]
enum Encoding {
    Ascii,
    Little,
    Big,
}

#[derive(Clone, Copy)]
enum Kind {
    I8,
    U8,
    I16,
    U16,
    I32,
    U32,
    F32,
    F64,
}

impl Kind {
    fn of(word: &str) -> Option<Self> {
        Some(match word {
            "char" | "int8" => Self::I8,
            "uchar" | "uint8" => Self::U8,
            "short" | "int16" => Self::I16,
            "ushort" | "uint16" => Self::U16,
            "int" | "int32" => Self::I32,
            "uint" | "uint32" => Self::U32,
            "float" | "float32" => Self::F32,
            "double" | "float64" => Self::F64,
            _ => return None,
        })
    }

    const fn size(self) -> usize {
        match self {
            Self::I8 | Self::U8 => 1,
            Self::I16 | Self::U16 => 2,
            Self::I32 | Self::U32 | Self::F32 => 4,
            Self::F64 => 8,
        }
    }

    /// The value in `b`, which holds [`Kind::size`] bytes.
    fn value(self, b: &[u8], little: bool) -> f64 {
        let mut w = [0_u8; 8];
        w[..b.len()].copy_from_slice(b);
        if !little {
            w[..b.len()].reverse();
        }
        match self {
            Self::I8 => f64::from(w[0] as i8),
            Self::U8 => f64::from(w[0]),
            Self::I16 => f64::from(i16::from_le_bytes([w[0], w[1]])),
            Self::U16 => f64::from(u16::from_le_bytes([w[0], w[1]])),
            Self::I32 => f64::from(i32::from_le_bytes([w[0], w[1], w[2], w[3]])),
            Self::U32 => f64::from(u32::from_le_bytes([w[0], w[1], w[2], w[3]])),
            Self::F32 => f64::from(f32::from_le_bytes([w[0], w[1], w[2], w[3]])),
            Self::F64 => f64::from_le_bytes(w),
        }
    }

    /// The largest value, for intensities and colours.
    fn top(self) -> f64 {
        match self {
            Self::I8 => 127.0,
            Self::U8 => 255.0,
            Self::I16 => 32_767.0,
            Self::U16 => 65_535.0,
            _ => 1.0,
        }
    }
}

struct Header {
    encoding: Encoding,
    count: u64,
    properties: Vec<(String, Kind)>,
    lines: usize,
}

/// Longest header read, bytes: a hostile file must not fill memory with comments.
const LONGEST: u64 = 64 << 10;

fn header(file: &mut impl BufRead) -> Result<Header, FormatError> {
    let mut h = Header { encoding: Encoding::Ascii, count: 0, properties: Vec::new(), lines: 0 };
    let (mut encoding, mut element, mut before, mut read) = (None, String::new(), false, 0);
    loop {
        let mut line = Vec::new();
        read += file.by_ref().take(LONGEST).read_until(b'\n', &mut line)? as u64;
        h.lines += 1;
        if line.is_empty() || read > LONGEST {
            return Err(FormatError::Damaged("the PLY header does not end with end_header".into()));
        }
        let text = String::from_utf8_lossy(&line);
        let words: Vec<&str> = text.split_whitespace().collect();
        let wrong = |column: usize, expected: &str| FormatError::Line {
            line: h.lines,
            column,
            found: format!("“{}”", text.trim()),
            expected: expected.into(),
        };
        match words.as_slice() {
            ["end_header"] => break,
            ["format", word, ..] => {
                encoding = Some(match *word {
                    "ascii" => Encoding::Ascii,
                    "binary_little_endian" => Encoding::Little,
                    "binary_big_endian" => Encoding::Big,
                    _ => return Err(wrong(2, "ascii, binary_little_endian or binary_big_endian")),
                });
            }
            ["element", name, count] => {
                let n: u64 = count.parse().map_err(|_| wrong(3, "a number of elements"))?;
                if *name == "vertex" {
                    h.count = n;
                } else if h.count == 0 && n > 0 {
                    before = true;
                }
                (*name).clone_into(&mut element);
            }
            ["property", "list", ..] if element == "vertex" => return Err(wrong(2, "no lists within vertices")),
            ["property", kind, name] if element == "vertex" => {
                let kind = Kind::of(kind).ok_or_else(|| wrong(2, "a number type such as float or uchar"))?;
                h.properties.push(((*name).to_lowercase(), kind));
            }
            _ => {}
        }
    }
    h.encoding = encoding.ok_or_else(|| FormatError::Damaged("the PLY header names no format".into()))?;
    if before {
        return Err(FormatError::Damaged(
            "other elements stand before the vertices of this PLY; expected vertices first".into(),
        ));
    }
    if h.count == 0 {
        return Err(FormatError::Damaged("the PLY holds no vertices".into()));
    }
    if h.count > MOST_POINTS {
        return Err(FormatError::TooLarge { found: h.count, limit: MOST_POINTS });
    }
    Ok(h)
}

/// The vertices of a PLY file, one after the other.
pub(crate) struct Vertices {
    header: Header,
    file: BufReader<std::fs::File>,
    values: Vec<f64>,
    row: Vec<u8>,
    text: Vec<u8>,
    taken: u64,
}

/// A vertex as it stands in the file.
pub(crate) struct Vertex<'a> {
    pub values: &'a [f64],
    properties: &'a [(String, Kind)],
}

impl Vertex<'_> {
    /// An intensity or a colour, 0..1.
    pub(crate) fn share(&self, k: usize) -> f64 {
        self.values[k] / self.properties[k].1.top()
    }
}

impl Vertices {
    pub(crate) fn open(path: &Path) -> Result<Self, FormatError> {
        let mut file = BufReader::with_capacity(1 << 20, std::fs::File::open(path)?);
        let header = header(&mut file)?;
        let values = vec![0.0; header.properties.len()];
        let row = vec![0; header.properties.iter().map(|p| p.1.size()).sum()];
        Ok(Self { header, file, values, row, text: Vec::new(), taken: 0 })
    }

    /// The property that has one of these names.
    pub(crate) fn place(&self, names: &[&str]) -> Option<usize> {
        self.header.properties.iter().position(|p| names.contains(&p.0.as_str()))
    }

    pub(crate) fn xyz(&self) -> Result<[usize; 3], FormatError> {
        let axis = |n: &str| {
            self.place(&[n]).ok_or_else(|| {
                FormatError::Damaged(format!("the vertices of this PLY have no property “{n}”; expected x, y and z"))
            })
        };
        Ok([axis("x")?, axis("y")?, axis("z")?])
    }

    pub(crate) fn light(&self) -> Option<usize> {
        self.place(&["intensity", "scalar_intensity", "reflectance"])
    }

    pub(crate) fn rgb(&self) -> Option<[usize; 3]> {
        Some([self.place(&["red", "r"])?, self.place(&["green", "g"])?, self.place(&["blue", "b"])?])
    }

    /// The next one; `None` after the last.
    pub(crate) fn next(&mut self) -> Result<Option<Vertex<'_>>, FormatError> {
        let h = &self.header;
        if self.taken == h.count {
            return Ok(None);
        }
        let n = self.taken;
        if h.encoding == Encoding::Ascii {
            self.text.clear();
            let line = h.lines + n as usize + 1;
            self.file.by_ref().take(LONGEST).read_until(b'\n', &mut self.text)?;
            let words = String::from_utf8_lossy(&self.text);
            let mut words = words.split_whitespace();
            for (k, v) in self.values.iter_mut().enumerate() {
                let word = words.next();
                *v = word.and_then(|w| w.parse().ok()).ok_or_else(|| FormatError::Line {
                    line,
                    column: k + 1,
                    found: word.map_or_else(|| "the end of the line".into(), |w| format!("“{w}”")),
                    expected: format!("a number ({})", h.properties[k].0),
                })?;
            }
        } else {
            self.file
                .read_exact(&mut self.row)
                .map_err(|_| FormatError::Damaged(format!("{} vertices are announced, {n} could be read", h.count)))?;
            let mut at = 0;
            for (v, (_, kind)) in self.values.iter_mut().zip(&h.properties) {
                *v = kind.value(&self.row[at..at + kind.size()], h.encoding == Encoding::Little);
                at += kind.size();
            }
        }
        self.taken += 1;
        Ok(Some(Vertex { values: &self.values, properties: &self.header.properties }))
    }
}

/// Reads the vertices of a PLY file, ascii or binary; faces and other elements are passed over.
pub(crate) fn read(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<SourceScan, FormatError> {
    let mut vertices = Vertices::open(path)?;
    let [x, y, z] = vertices.xyz()?;
    let (light, rgb) = (vertices.light(), vertices.rgb());
    let mut got = Collector::new(options, go_on);
    while let Some(v) = vertices.next()? {
        let colour = rgb.map(|c| c.map(|k| (v.share(k) * 255.0).clamp(0.0, 255.0) as u8));
        let at = [v.values[x], v.values[y], v.values[z]];
        got.push(ReadPoint { at, intensity: light.map_or(0.0, |k| v.share(k)), colour, cell: None });
        got.check()?;
    }
    got.into_unordered()
}
