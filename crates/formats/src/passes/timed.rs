use super::{TimedCloud, timed_e57};
use crate::error::FormatError;
use crate::las_read;
use crate::options::ReadOptions;
use crate::ply_read::Vertices;
use crate::source::{GoOn, MOST_POINTS, SourceKind};
use crate::xyz_read::TextRows;
use las::PointDataBuilder;
use std::path::Path;

/// What times are called in files.
const TIMES: [&str; 8] =
    ["time", "timestamp", "gps_time", "gpstime", "t", "scalar_gpstime", "scalar_time", "scalar_timestamp"];

/// Reads a cloud whose points have times: LAS and LAZ with GPS times, PLY with a property `time`, text with a heading that
/// names a column `time`. Points are kept in the order of time, about a middle of their own where they lie far off.
///
/// # Errors
/// [`FormatError`]; a cloud without times is told so, with what would be expected.
pub fn read_timed(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<TimedCloud, FormatError> {
    let kind = SourceKind::of(path)?;
    let read = std::panic::AssertUnwindSafe(|| match kind {
        SourceKind::Las => las(path, options, go_on),
        SourceKind::Ply => ply(path, options, go_on),
        SourceKind::Xyz => text(path, options, go_on),
        SourceKind::E57 => timed_e57::read(path, options, go_on),
    });
    let mut got = std::panic::catch_unwind(read)
        .unwrap_or_else(|_| Err(FormatError::Damaged("its decoder cannot make sense of it".into())))?;
    if got.times.is_empty() {
        return Err(FormatError::Damaged("it holds no point with a time".into()));
    }
    got.in_order();
    if got.times[0] >= got.times[got.times.len() - 1] {
        return Err(FormatError::Damaged(format!("all its points have one time, {}", got.times[0])));
    }
    Ok(got)
}

/// A point of the file on its way.
pub(super) struct Taken {
    pub(super) time: f64,
    pub(super) at: [f64; 3],
    pub(super) intensity: f64,
    pub(super) colour: Option<[u8; 3]>,
}

impl TimedCloud {
    pub(super) fn push(&mut self, options: &ReadOptions, p: &Taken) {
        let at = options.place(p.at);
        if !p.time.is_finite() || p.at == [0.0; 3] || at.iter().any(|v| !v.is_finite()) {
            self.skipped += 1;
            return;
        }
        if self.points.is_empty() {
            // whole decametres, so that coordinates stay easy to compare
            let far = at.iter().any(|v| v.abs() > 500.0);
            self.origin = at.map(|v| if far { (v / 10.0).round() * 10.0 } else { 0.0 });
        }
        self.times.push(p.time);
        self.points.push(std::array::from_fn(|k| (at[k] - self.origin[k]) as f32));
        self.intensity.push((p.intensity.clamp(0.0, 1.0) * 65_535.0) as u16);
        self.colour.extend(p.colour);
    }
}

fn las(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<TimedCloud, FormatError> {
    let (mut reader, options, _) = las_read::open(path, options)?;
    let format = *reader.header().point_format();
    if !format.has_gps_time {
        return Err(FormatError::Damaged(format!(
            "its points (record format {}) have no times; expected a format with GPS times (1, 3, 6 and later)",
            format.to_u8().unwrap_or_default()
        )));
    }
    let announced = reader.header().number_of_points();
    // Table 8 and 10 of LAS 1.4 R15
    let time_at = if format.is_extended { 22 } else { 20 };
    let colour_at = las_read::colour_at(&format);
    let mut got = TimedCloud::default();
    got.reserve(announced.min(std::fs::metadata(path)?.len()) as usize, colour_at.is_some());
    let batch = (64 << 20) / u64::from(format.len().max(20));
    let mut data = PointDataBuilder::new().for_header(reader.header()).build();
    let mut shift = None;
    while reader.fill_points(batch, &mut data)? > 0 {
        if !go_on(got.times.len() as u64) {
            return Err(FormatError::Stopped);
        }
        let shift = *shift.get_or_insert_with(|| {
            if data.rgb().is_some_and(|mut c| c.all(|c| c.0.max(c.1).max(c.2) < 256)) { 0 } else { 8 }
        });
        let (record, bytes, t) = (data.record_len(), data.raw_bytes(), data.transforms());
        for own in bytes.chunks_exact(record).take(data.len()) {
            let whole = |at: usize| i32::from_le_bytes([own[at], own[at + 1], own[at + 2], own[at + 3]]);
            let half = |at: usize| u16::from_le_bytes([own[at], own[at + 1]]);
            let mut time = [0; 8];
            time.copy_from_slice(&own[time_at..time_at + 8]);
            got.push(
                &options,
                &Taken {
                    time: f64::from_le_bytes(time),
                    at: [t.x.direct(whole(0)), t.y.direct(whole(4)), t.z.direct(whole(8))],
                    intensity: f64::from(half(12)) / 65_535.0,
                    colour: colour_at.map(|at| [0, 2, 4].map(|c| (half(at + c) >> shift) as u8)),
                },
            );
        }
    }
    let found = got.times.len() as u64 + got.skipped;
    if found < announced {
        return Err(FormatError::Damaged(format!("{announced} points are announced, {found} could be read")));
    }
    Ok(got)
}

fn ply(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<TimedCloud, FormatError> {
    let mut vertices = Vertices::open(path)?;
    let [x, y, z] = vertices.xyz()?;
    let time = vertices.place(&TIMES).ok_or_else(|| {
        FormatError::Damaged("the vertices of this PLY have no times; expected a property “time”".into())
    })?;
    let (light, rgb) = (vertices.light(), vertices.rgb());
    let mut got = TimedCloud::default();
    while let Some(v) = vertices.next()? {
        let taken = Taken {
            time: v.values[time],
            at: [v.values[x], v.values[y], v.values[z]],
            intensity: light.map_or(0.0, |k| v.share(k)),
            colour: rgb.map(|c| c.map(|k| (v.share(k) * 255.0).clamp(0.0, 255.0) as u8)),
        };
        got.push(options, &taken);
        if got.times.len().is_multiple_of(1 << 18) && !go_on(got.times.len() as u64) {
            return Err(FormatError::Stopped);
        }
    }
    Ok(got)
}

fn text(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<TimedCloud, FormatError> {
    let mut rows = TextRows::open(path)?;
    let named = |names: &[&str]| {
        let clean = |w: &String| w.trim_matches(['"', '[', ']', '#']).to_lowercase();
        rows.preview.heading.as_ref().and_then(|h| h.iter().position(|w| names.contains(&clean(w).as_str())))
    };
    let time = named(&TIMES).ok_or_else(|| {
        FormatError::Damaged(
            "no column is called “time”: expected a heading that names the columns, such as “time x y z intensity”"
                .into(),
        )
    })?;
    let columns = rows.preview.columns;
    let white = rows.preview.white;
    let mut got = TimedCloud::default();
    while rows.next()? {
        let taken = Taken {
            time: rows.value(time, "a time")?,
            at: [
                rows.value(columns.xyz[0], "a number")?,
                rows.value(columns.xyz[1], "a number")?,
                rows.value(columns.xyz[2], "a number")?,
            ],
            intensity: columns.intensity.map_or(Ok(0.0), |k| rows.value(k, "an intensity"))? / white,
            colour: None,
        };
        got.push(options, &taken);
        let n = got.times.len() as u64;
        if n > MOST_POINTS {
            return Err(FormatError::TooLarge { found: n, limit: MOST_POINTS });
        }
        if n.is_multiple_of(1 << 18) && !go_on(n) {
            return Err(FormatError::Stopped);
        }
    }
    Ok(got)
}

/// What is to be put on the times of a cloud so that they are those of its path, and why.
#[derive(Clone, Copy, Debug, PartialEq)]
pub enum ClockShift {
    /// Nothing.
    None,
    /// The cloud counts from 10⁹ seconds (adjusted standard GPS time), the path does not.
    Adjusted(f64),
    /// The one counts seconds of the week, the other from the beginning of GPS time.
    Weeks(f64),
    /// The cloud counts from when it was begun, the path by GPS time.
    Began(f64),
}

impl ClockShift {
    /// Seconds to be put on the times of the cloud.
    pub fn seconds(self) -> f64 {
        match self {
            Self::None => 0.0,
            Self::Adjusted(s) | Self::Weeks(s) | Self::Began(s) => s,
        }
    }
}

/// Seconds of a week.
const WEEK: f64 = 604_800.0;
/// GPS times in LAS are those less so much (LAS 1.4 R15, global encoding).
const ADJUSTED: f64 = 1e9;

/// How the clock of a cloud lies to that of its path, from the spans of both, and when the cloud was begun in GPS time where it says
/// so, seconds. `None` where no usual relation brings them together: half of the cloud's time at least must lie on the path.
pub fn clock_shift(cloud: [f64; 2], path: [f64; 2], began: Option<f64>) -> Option<ClockShift> {
    let meets = |s: f64| {
        let shared = (cloud[1] + s).min(path[1]) - (cloud[0] + s).max(path[0]);
        shared > 0.5 * (cloud[1] - cloud[0])
    };
    let weeks = |from: f64| WEEK * ((path[0] - (cloud[0] + from)) / WEEK).round();
    // the path may count as the week does, or from 10⁹ seconds
    let since = began.into_iter().flat_map(|b| [b, b - ADJUSTED, b + weeks(b)]).map(ClockShift::Began);
    [
        ClockShift::None,
        ClockShift::Adjusted(ADJUSTED),
        ClockShift::Adjusted(-ADJUSTED),
        ClockShift::Weeks(weeks(0.0)),
        ClockShift::Weeks(ADJUSTED + weeks(ADJUSTED)),
    ]
    .into_iter()
    .chain(since)
    .find(|s| meets(s.seconds()))
}
