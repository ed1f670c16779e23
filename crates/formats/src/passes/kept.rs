use crate::error::FormatError;
use crate::working_cloud;
use std::io::{Read, Write};
use vistazo_core::geometry::Vec3;
use vistazo_core::mobile::{Piece, Sample, TimedPoint};

/// A cloud whose points have times, in the order of time.
#[derive(Clone, Debug, Default)]
pub struct TimedCloud {
    /// Seconds.
    pub times: Vec<f64>,
    /// Metres about the origin.
    pub points: Vec<[f32; 3]>,
    /// 65 535 for 1.
    pub intensity: Vec<u16>,
    /// Red, green, blue; empty where the file has none.
    pub colour: Vec<[u8; 3]>,
    /// What was taken off the coordinates of the file, metres.
    pub origin: [f64; 3],
    /// Points left out because a value was not finite.
    pub skipped: u64,
    /// When it was begun, GPS seconds, where the times of the file count from then; not kept.
    pub began: Option<f64>,
}

const MAGIC: &[u8; 4] = b"VPS1";
const HEAD: usize = 4 + 8 + 8 + 24;
/// Of one point: time, place, intensity, colour.
const EACH: usize = 8 + 12 + 2 + 3;

impl TimedCloud {
    pub(super) fn reserve(&mut self, points: usize, coloured: bool) {
        self.times.reserve_exact(points);
        self.points.reserve_exact(points);
        self.intensity.reserve_exact(points);
        if coloured {
            self.colour.reserve_exact(points);
        }
    }

    /// Puts the points into the order of time.
    pub(super) fn in_order(&mut self) {
        if self.times.is_sorted() {
            return;
        }
        let mut order: Vec<u32> = (0..self.times.len() as u32).collect();
        order.sort_by(|a, b| self.times[*a as usize].total_cmp(&self.times[*b as usize]));
        self.times = order.iter().map(|k| self.times[*k as usize]).collect();
        self.points = order.iter().map(|k| self.points[*k as usize]).collect();
        self.intensity = order.iter().map(|k| self.intensity[*k as usize]).collect();
        if self.colour.len() == order.len() {
            self.colour = order.iter().map(|k| self.colour[*k as usize]).collect();
        }
    }

    /// Its points about another origin, metres, on another clock.
    pub fn about(&self, origin: &Vec3, shift: f64) -> Vec<TimedPoint> {
        let by = (Vec3::from(self.origin) - origin).map(|v| v as f32);
        let point =
            |(p, t): (&[f32; 3], &f64)| TimedPoint { time: t + shift, at: [p[0] + by.x, p[1] + by.y, p[2] + by.z] };
        self.points.iter().zip(&self.times).map(point).collect()
    }

    /// `VPS1`, points (u64), 1 with colours else 0 (u64), origin (3 × f64), then a record a point: time (f64), place (3 × f32),
    /// intensity (u16), colour (3 × u8); all little-endian.
    ///
    /// # Errors
    /// When writing fails.
    pub fn write(&self, out: &mut impl Write) -> Result<(), FormatError> {
        out.write_all(MAGIC)?;
        let coloured = self.colour.len() == self.points.len();
        for v in [self.points.len() as u64, u64::from(coloured)] {
            out.write_all(&v.to_le_bytes())?;
        }
        for v in self.origin {
            out.write_all(&v.to_le_bytes())?;
        }
        let mut b = [0; EACH];
        for k in 0..self.points.len() {
            b[..8].copy_from_slice(&self.times[k].to_le_bytes());
            for (axis, v) in self.points[k].iter().enumerate() {
                b[8 + 4 * axis..12 + 4 * axis].copy_from_slice(&v.to_le_bytes());
            }
            b[20..22].copy_from_slice(&self.intensity[k].to_le_bytes());
            b[22..].copy_from_slice(if coloured { &self.colour[k] } else { &[0; 3] });
            out.write_all(&b)?;
        }
        Ok(())
    }

    /// Reads what [`Self::write`] wrote, of `size` bytes.
    ///
    /// # Errors
    /// [`FormatError::Damaged`] when the bytes are none.
    pub fn read(input: &mut impl Read, size: u64) -> Result<Self, FormatError> {
        let damaged = |what: &str| FormatError::Damaged(format!("kept pass: {what}"));
        let mut head = [0; HEAD];
        input.read_exact(&mut head).map_err(|_| damaged("it is cut short"))?;
        if &head[..4] != MAGIC {
            return Err(damaged("wrong start"));
        }
        let word = |at: usize| {
            let mut w = [0; 8];
            w.copy_from_slice(&head[at..at + 8]);
            w
        };
        let (n, coloured) = (u64::from_le_bytes(word(4)), u64::from_le_bytes(word(12)) == 1);
        if n.checked_mul(EACH as u64).and_then(|b| b.checked_add(HEAD as u64)) != Some(size) {
            return Err(damaged("its length does not match its count"));
        }
        let mut out = Self { origin: [20, 28, 36].map(|at| f64::from_le_bytes(word(at))), ..Self::default() };
        out.reserve(n as usize, coloured);
        let mut b = [0; EACH];
        for _ in 0..n {
            input.read_exact(&mut b).map_err(|_| damaged("it is cut short"))?;
            let mut time = [0; 8];
            time.copy_from_slice(&b[..8]);
            let f = |at: usize| f32::from_le_bytes([b[at], b[at + 1], b[at + 2], b[at + 3]]);
            out.times.push(f64::from_le_bytes(time));
            out.points.push([f(8), f(12), f(16)]);
            out.intensity.push(u16::from_le_bytes([b[20], b[21]]));
            if coloured {
                out.colour.push([b[22], b[23], b[24]]);
            }
        }
        Ok(out)
    }
}

/// A path as it is kept: eight f64 a line, time, place, quaternion x, y, z, w (nil where the file has none).
#[derive(Clone, Debug, PartialEq)]
pub struct KeptPath(pub Vec<Sample>);

impl KeptPath {
    /// As bytes.
    pub fn to_bytes(&self) -> Vec<u8> {
        let line = |s: &Sample| {
            let q = s.turn.map_or([0.0; 4], |q| [q.i, q.j, q.k, q.w]);
            [s.time, s.place.x, s.place.y, s.place.z, q[0], q[1], q[2], q[3]]
        };
        self.0.iter().flat_map(line).flat_map(f64::to_le_bytes).collect()
    }

    /// From bytes; `None` when they are none.
    pub fn from_bytes(bytes: &[u8]) -> Option<Self> {
        if bytes.is_empty() || !bytes.len().is_multiple_of(64) {
            return None;
        }
        let of = |line: &[u8]| {
            let v: Vec<f64> = line
                .chunks_exact(8)
                .map(|b| f64::from_le_bytes([b[0], b[1], b[2], b[3], b[4], b[5], b[6], b[7]]))
                .collect();
            let q = nalgebra::Quaternion::new(v[7], v[4], v[5], v[6]);
            let turn = (q.norm() > 0.5).then(|| nalgebra::UnitQuaternion::from_quaternion(q));
            Sample { time: v[0], place: Vec3::new(v[1], v[2], v[3]), turn }
        };
        Some(Self(bytes.chunks_exact(64).map(of).collect()))
    }
}

/// The pieces of a pass as they are kept: `VPP1`, how many (u64), then of each its span and time, its place, its points (f64 each),
/// the length of its working cloud (u64) and that.
#[derive(Clone, Debug)]
pub struct KeptPieces(pub Vec<Piece>);

impl KeptPieces {
    const MAGIC: &'static [u8; 4] = b"VPP1";

    /// As bytes.
    pub fn to_bytes(&self) -> Vec<u8> {
        let mut out = Self::MAGIC.to_vec();
        out.extend((self.0.len() as u64).to_le_bytes());
        for p in &self.0 {
            let head = [p.span[0], p.span[1], p.time, p.place.x, p.place.y, p.place.z, p.points as f64];
            head.iter().for_each(|v| out.extend(v.to_le_bytes()));
            let cloud = working_cloud::write(&p.cloud);
            out.extend((cloud.len() as u64).to_le_bytes());
            out.extend(cloud);
        }
        out
    }

    /// From bytes.
    ///
    /// # Errors
    /// [`FormatError::Damaged`] when they are none.
    pub fn from_bytes(bytes: &[u8]) -> Result<Self, FormatError> {
        let damaged = || FormatError::Damaged("kept pieces of a pass: they are cut short, or none".into());
        let mut rest = bytes.strip_prefix(Self::MAGIC).ok_or_else(damaged)?;
        let mut take = |n: usize| -> Result<&[u8], FormatError> {
            let (a, b) = rest.split_at_checked(n).ok_or_else(damaged)?;
            rest = b;
            Ok(a)
        };
        let word = |b: &[u8]| -> [u8; 8] {
            let mut w = [0; 8];
            w.copy_from_slice(b);
            w
        };
        let n = u64::from_le_bytes(word(take(8)?));
        let mut out = Vec::new();
        for _ in 0..n {
            let head: Vec<f64> = take(56)?.chunks_exact(8).map(|b| f64::from_le_bytes(word(b))).collect();
            let length = u64::from_le_bytes(word(take(8)?)) as usize;
            out.push(Piece {
                span: [head[0], head[1]],
                time: head[2],
                place: Vec3::new(head[3], head[4], head[5]),
                points: head[6] as usize,
                cloud: working_cloud::read(take(length)?)?,
            });
        }
        Ok(Self(out))
    }
}
