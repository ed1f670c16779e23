//! Header, variable length records and points of LAS 1.4 (R15), as bytes: formats 6 and 7, with the 95 % of each point as
//! extra bytes.

use super::{CloudLayout, CloudPoint};
use crate::error::FormatError;
use chrono::{Datelike, Utc};
use std::io::{Seek, SeekFrom, Write};

/// Bytes of a header of LAS 1.4.
pub(super) const HEADER: u64 = 375;
/// Size of a stored step, in the unit of the file.
pub(super) const STEP: f64 = 1e-4;
/// Largest 95 % that the extra bytes say, in the unit of the file; what is worse is said to be this.
const WORST: f64 = 65_535.0 * STEP;

/// How the points of a file are stored.
#[derive(Clone)]
pub(super) struct Records {
    layout: CloudLayout,
    offset: [f64; 3],
}

impl Records {
    pub(super) fn new(layout: &CloudLayout) -> Self {
        Self { offset: layout.offset.map(f64::round).into(), layout: layout.clone() }
    }

    /// Bytes of a point.
    pub(super) fn len(&self) -> usize {
        30 + if self.layout.coloured { 6 } else { 0 } + self.extra()
    }

    fn extra(&self) -> usize {
        if self.layout.errors { 4 } else { 0 }
    }

    fn format(&self) -> u8 {
        if self.layout.coloured { 7 } else { 6 }
    }

    /// A coordinate from what is stored of it.
    pub(super) fn coordinate(&self, axis: usize, stored: i64) -> f64 {
        stored as f64 * STEP + self.offset[axis]
    }

    /// What is stored of a place.
    pub(super) fn stored(&self, p: &CloudPoint) -> Result<[i32; 3], FormatError> {
        let mut out = [0; 3];
        for (k, v) in out.iter_mut().enumerate() {
            let steps = ((p.at[k] - self.offset[k]) / STEP).round();
            if !(f64::from(i32::MIN)..=f64::from(i32::MAX)).contains(&steps) {
                return Err(FormatError::Damaged(format!(
                    "a point at {:.3}, {:.3}, {:.3} lies too far from {:.0}, {:.0}, {:.0} to be stored to {STEP}",
                    p.at.x, p.at.y, p.at.z, self.offset[0], self.offset[1], self.offset[2]
                )));
            }
            *v = steps as i32;
        }
        Ok(out)
    }

    /// Appends a point.
    pub(super) fn push(&self, p: &CloudPoint, stored: [i32; 3], out: &mut Vec<u8>) {
        for v in stored {
            out.extend_from_slice(&v.to_le_bytes());
        }
        out.extend_from_slice(&p.intensity.to_le_bytes());
        // first of one return, no flags
        out.extend_from_slice(&[0x11, 0, p.class, 0, 0, 0]);
        out.extend_from_slice(&p.scan.to_le_bytes());
        out.extend_from_slice(&0_f64.to_le_bytes());
        if self.layout.coloured {
            for c in p.colour {
                out.extend_from_slice(&(u16::from(c) * 257).to_le_bytes());
            }
        }
        if self.layout.errors {
            for e in p.error95 {
                out.extend_from_slice(&((e.clamp(0.0, WORST) / STEP).round() as u16).to_le_bytes());
            }
        }
    }

    /// How the points are to be compressed.
    pub(super) fn compression(&self) -> Result<laz::LazVlrBuilder, FormatError> {
        laz::LazVlrBuilder::default()
            .with_point_format(self.format(), self.extra() as u16)
            .map_err(|e| FormatError::Damaged(e.to_string()))
    }

    /// The records that follow the header, after those given.
    pub(super) fn records(&self, first: Vec<Vec<u8>>, vlr: &laz::LazVlr) -> Result<Vec<Vec<u8>>, FormatError> {
        let mut out = first;
        let mut packed = Vec::new();
        vlr.write_to(&mut packed)?;
        out.push(record("laszip encoded", 22204, "LAZ", &packed));
        if let Some(wkt) = &self.layout.wkt {
            let mut text = wkt.clone().into_bytes();
            text.push(0);
            out.push(record("LASF_Projection", 2112, "WKT", &text));
        }
        if self.layout.errors {
            let mut fields = field("error95_plan", "95 %, longest semi-axis in plan");
            fields.extend(field("error95_height", "95 %, height"));
            out.push(record("LASF_Spec", 4, "Extra bytes", &fields));
        }
        Ok(out)
    }

    /// Writes the header over what stands at the beginning.
    pub(super) fn write_header<W: Write + Seek>(
        &self,
        to: &mut W,
        tally: &Tally,
        place: &Place,
    ) -> std::io::Result<()> {
        let mut h = Vec::with_capacity(HEADER as usize);
        let text = |h: &mut Vec<u8>, s: &str, n: usize| h.extend(padded(s, n));
        h.extend_from_slice(b"LASF");
        h.extend_from_slice(&0_u16.to_le_bytes());
        // the reference is WKT, as it must be from format 6 on
        h.extend_from_slice(&16_u16.to_le_bytes());
        h.extend_from_slice(&[0; 16]);
        h.extend_from_slice(&[1, 4]);
        text(&mut h, "Vistazo", 32);
        text(&mut h, &self.layout.software, 32);
        let today = Utc::now();
        h.extend_from_slice(&(today.ordinal() as u16).to_le_bytes());
        h.extend_from_slice(&(today.year() as u16).to_le_bytes());
        h.extend_from_slice(&(HEADER as u16).to_le_bytes());
        h.extend_from_slice(&(place.points as u32).to_le_bytes());
        h.extend_from_slice(&(place.records as u32).to_le_bytes());
        h.push(self.format() | 0x80);
        h.extend_from_slice(&(self.len() as u16).to_le_bytes());
        // counts of older versions: none
        h.extend_from_slice(&[0; 24]);
        (0..3).for_each(|_| h.extend_from_slice(&STEP.to_le_bytes()));
        self.offset.iter().for_each(|o| h.extend_from_slice(&o.to_le_bytes()));
        for k in 0..3 {
            let (low, high) = tally.bounds.map_or((0, 0), |b| (b.0[k], b.1[k]));
            h.extend_from_slice(&self.coordinate(k, i64::from(high)).to_le_bytes());
            h.extend_from_slice(&self.coordinate(k, i64::from(low)).to_le_bytes());
        }
        h.extend_from_slice(&0_u64.to_le_bytes());
        h.extend_from_slice(&place.extended.unwrap_or(0).to_le_bytes());
        h.extend_from_slice(&u32::from(place.extended.is_some()).to_le_bytes());
        h.extend_from_slice(&tally.points.to_le_bytes());
        h.extend_from_slice(&tally.points.to_le_bytes());
        h.extend_from_slice(&[0; 14 * 8]);
        to.seek(SeekFrom::Start(0))?;
        to.write_all(&h)
    }
}

/// What was counted while points were written.
#[derive(Clone, Copy, Default)]
pub(super) struct Tally {
    pub points: u64,
    pub bounds: Option<([i32; 3], [i32; 3])>,
}

impl Tally {
    pub(super) fn add(&mut self, p: [i32; 3]) {
        self.points += 1;
        let (low, high) = self.bounds.get_or_insert((p, p));
        for k in 0..3 {
            low[k] = low[k].min(p[k]);
            high[k] = high[k].max(p[k]);
        }
    }
}

/// Where things stand in a file.
pub(super) struct Place {
    /// First byte of the points.
    pub points: u64,
    /// Number of records before them.
    pub records: usize,
    /// First byte of the record that follows them.
    pub extended: Option<u64>,
}

/// A variable length record with its header.
pub(super) fn record(user: &str, id: u16, about: &str, data: &[u8]) -> Vec<u8> {
    let mut out = vec![0; 2];
    out.extend(padded(user, 16));
    out.extend_from_slice(&id.to_le_bytes());
    out.extend_from_slice(&(data.len() as u16).to_le_bytes());
    out.extend(padded(about, 32));
    out.extend_from_slice(data);
    out
}

/// The header of a record after the points.
pub(super) fn extended(user: &str, id: u16, about: &str, length: u64) -> Vec<u8> {
    let mut out = vec![0; 2];
    out.extend(padded(user, 16));
    out.extend_from_slice(&id.to_le_bytes());
    out.extend_from_slice(&length.to_le_bytes());
    out.extend(padded(about, 32));
    out
}

/// Describes two of the extra bytes: whole numbers of steps.
fn field(name: &str, about: &str) -> Vec<u8> {
    // unsigned short, with a scale
    let mut out = vec![0, 0, 3, 8];
    out.extend(padded(name, 32));
    // unused, no data, least, greatest
    out.extend_from_slice(&[0; 4 + 3 * 24]);
    out.extend_from_slice(&STEP.to_le_bytes());
    out.extend_from_slice(&[0; 16 + 24]);
    out.extend(padded(about, 32));
    out
}

fn padded(text: &str, length: usize) -> Vec<u8> {
    let mut out: Vec<u8> = text.bytes().take(length).collect();
    out.resize(length, 0);
    out
}
