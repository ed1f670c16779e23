use crate::collector::{Collector, ReadPoint};
use crate::error::FormatError;
use crate::options::ReadOptions;
use crate::source::{GoOn, MOST_POINTS, SourceImage, SourceScan};
use nalgebra::{Quaternion, UnitQuaternion};
use std::path::Path;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::{Scan, ScanError};

/// Largest picture kept, bytes.
const LARGEST_IMAGE: u64 = 200 << 20;

pub(crate) fn read(
    path: &Path,
    go_on: &GoOn,
    each: &mut dyn FnMut(SourceScan) -> Result<(), FormatError>,
) -> Result<(), FormatError> {
    let size = std::fs::metadata(path)?.len();
    let mut reader = e57::E57Reader::from_file(path)?;
    let clouds = reader.pointclouds();
    if clouds.is_empty() {
        return Err(FormatError::Damaged("the E57 holds no scans".into()));
    }
    for (part, cloud) in clouds.iter().enumerate() {
        if cloud.records > MOST_POINTS {
            return Err(FormatError::TooLarge { found: cloud.records, limit: MOST_POINTS });
        }
        // even one bit a record would not fit: the count is false
        if cloud.records / 8 > size {
            return Err(FormatError::Damaged(format!(
                "{} records are announced in a file of {size} bytes",
                cloud.records
            )));
        }
        let gridded = cloud.has_row_column();
        let mut got = Collector::new(&ReadOptions::default(), go_on);
        let likely = cloud.records.min(size) as usize;
        got.reserve(likely, false);
        if gridded {
            got.cells.reserve_exact(likely);
        }
        // limits that are missing are taken from the points
        let light = if has_limits(cloud) { None } else { Some(light(&mut reader, cloud, go_on)?) };
        let mut points = reader.pointcloud_simple(cloud)?;
        points.apply_pose(false);
        points.intensity_to_color(false);
        points.cartesian_to_spherical(false);
        points.normalize_intensity(light.is_none());
        let coloured = cloud.has_color();
        let read = points.filter_map(|p| {
            let p = match p {
                Ok(p) => p,
                Err(e) => return Some(Err(e.into())),
            };
            let e57::CartesianCoordinate::Valid { x, y, z } = p.cartesian else { return None };
            let shade = p
                .intensity
                .filter(|i| i.is_finite())
                .map_or(0.0, |i| light.as_ref().map_or(f64::from(i), |l| (f64::from(i) - l.start) / (l.end - l.start)));
            let black = e57::Color { red: 0.0, green: 0.0, blue: 0.0 };
            let colour = coloured.then(|| p.color.unwrap_or(black)).map(|c| [c.red, c.green, c.blue].map(byte));
            let cell = gridded.then(|| (clamp(p.row), clamp(p.column)));
            Some(Ok(ReadPoint { at: [x, y, z], intensity: shade, colour, cell }))
        });
        collect(read, &mut got, go_on)?;
        let pose = cloud.transform.as_ref().and_then(|t| {
            let q = &t.rotation;
            let q = Quaternion::new(q.w, q.x, q.y, q.z);
            let translation = Vec3::new(t.translation.x, t.translation.y, t.translation.z);
            // a rotation that is none, or no place: not a starting pose
            ((0.5..2.0).contains(&q.norm()) && translation.iter().all(|v| v.is_finite()))
                .then(|| Pose { rotation: UnitQuaternion::from_quaternion(q), translation })
        });
        let source = got.finish(|got| if gridded { build(got) } else { None })?;
        let images = reader.images().iter().filter(|i| is_of(i, cloud, part)).count();
        // a cloud without a scanner lies where its own middle is, in the frame that the file gives it
        let pose = match (pose, source.pose) {
            (Some(frame), Some(middle)) => Some(frame.compose(&middle)),
            (frame, middle) => frame.or(middle),
        };
        each(SourceScan { name: cloud.name.clone(), pose, images, ..source })?;
    }
    Ok(())
}

/// Takes points from the decoder while it goes on decoding: one core reads, the others keep.
fn collect(
    points: impl Iterator<Item = Result<ReadPoint, FormatError>>,
    got: &mut Collector<'_>,
    go_on: &GoOn,
) -> Result<(), FormatError> {
    const BATCH: usize = 1 << 16;
    std::thread::scope(|s| {
        let (give, take) = std::sync::mpsc::sync_channel::<Vec<ReadPoint>>(4);
        s.spawn(move || take.into_iter().for_each(|batch| got.extend(batch.len(), |k| batch[k])));
        let (mut batch, mut read) = (Vec::with_capacity(BATCH), 0);
        for p in points {
            batch.push(p?);
            if batch.len() == BATCH {
                read += BATCH as u64;
                if !go_on(read) {
                    return Err(FormatError::Stopped);
                }
                // the other end stays until this one is gone
                let _ = give.send(std::mem::replace(&mut batch, Vec::with_capacity(BATCH)));
            }
        }
        let _ = give.send(batch);
        Ok(())
    })
}

pub(crate) fn byte(share: f32) -> u8 {
    (share * 255.0).round() as u8
}

/// Whether the file says between what its intensities lie: as limits, or by a type that holds no more than 16 bits.
pub(crate) fn has_limits(cloud: &e57::PointCloud) -> bool {
    use e57::RecordDataType::{Double, Integer, ScaledInteger, Single};
    use e57::RecordValue;
    let Some(intensity) = cloud.prototype.iter().find(|r| r.name == e57::RecordName::Intensity) else { return true };
    let stated = cloud.intensity_limits.as_ref().is_some_and(|l| match (&l.intensity_min, &l.intensity_max) {
        (Some(RecordValue::Single(a)), Some(RecordValue::Single(b))) => a < b,
        (Some(RecordValue::Double(a)), Some(RecordValue::Double(b))) => a < b,
        (Some(RecordValue::Integer(a)), Some(RecordValue::Integer(b))) => a < b,
        _ => false,
    });
    stated
        || match intensity.data_type {
            Single { min, max } => min.is_some() && max.is_some(),
            Double { min, max } => min.is_some() && max.is_some(),
            Integer { min, max } | ScaledInteger { min, max, .. } => max.saturating_sub(min) <= i64::from(u16::MAX),
        }
}

/// Between what the intensities of a scan lie, from every 61st point: from dark, or from zero where that is near, to
/// what only one in a thousand exceeds.
pub(crate) fn light(
    reader: &mut e57::E57Reader<std::io::BufReader<std::fs::File>>,
    cloud: &e57::PointCloud,
    go_on: &GoOn,
) -> Result<std::ops::Range<f64>, FormatError> {
    let mut points = reader.pointcloud_simple(cloud)?;
    points.apply_pose(false);
    points.spherical_to_cartesian(false);
    points.normalize_intensity(false);
    let mut seen = Vec::new();
    for (k, p) in points.enumerate() {
        let p = p?;
        if k.is_multiple_of(1 << 18) && !go_on(0) {
            return Err(FormatError::Stopped);
        }
        if k.is_multiple_of(61) {
            seen.extend(p.intensity.filter(|i| i.is_finite()).map(f64::from));
        }
    }
    seen.sort_unstable_by(f64::total_cmp);
    let (few, n) = (seen.len() / 1000, seen.len());
    let (Some(&dark), Some(&bright)) = (seen.get(few), seen.get(n.saturating_sub(few + 1))) else {
        return Ok(0.0..1.0);
    };
    let from = if dark >= 0.0 && dark < 0.5 * bright { 0.0 } else { dark };
    Ok(if bright > from { from..bright } else { from..from + 1.0 })
}

fn clamp(v: i64) -> i32 {
    v.clamp(i64::from(i32::MIN), i64::from(i32::MAX)) as i32
}

/// Whether a picture belongs to a scan: it names it, or names none and the scan is the first.
fn is_of(image: &e57::Image, cloud: &e57::PointCloud, part: usize) -> bool {
    match &image.pointcloud_guid {
        Some(g) => Some(g) == cloud.guid.as_ref(),
        None => part == 0,
    }
}

/// Reads the pictures of one scan of an E57 file, as they were stored.
///
/// # Errors
/// [`FormatError`] when the file is none or is damaged.
pub fn read_images(path: &Path, part: usize) -> Result<Vec<SourceImage>, FormatError> {
    let mut reader = e57::E57Reader::from_file(path)?;
    let clouds = reader.pointclouds();
    let Some(cloud) = clouds.get(part) else { return Ok(Vec::new()) };
    let mut out = Vec::new();
    for image in reader.images().into_iter().filter(|i| is_of(i, cloud, part)) {
        let blob = match (&image.projection, &image.visual_reference) {
            (Some(e57::Projection::Pinhole(i)), _) => &i.blob,
            (Some(e57::Projection::Spherical(i)), _) => &i.blob,
            (Some(e57::Projection::Cylindrical(i)), _) => &i.blob,
            (None, Some(v)) => &v.blob,
            (None, None) => continue,
        };
        if blob.data.length > LARGEST_IMAGE {
            return Err(FormatError::Damaged(format!(
                "a picture of {} bytes is announced; at most {LARGEST_IMAGE} are accepted",
                blob.data.length
            )));
        }
        let mut bytes = Vec::new();
        reader.blob(&blob.data.clone(), &mut bytes)?;
        out.push(SourceImage { bytes, image });
    }
    Ok(out)
}

/// Cells of a grid at most: three times those of the largest scan that is taken, 1.6 GB.
const LARGEST_GRID: u64 = 400_000_000;

/// A grid with sensible bounds becomes one; anything else is binned by direction.
fn build(got: &mut Collector<'_>) -> Option<Result<Scan, ScanError>> {
    let cells = std::mem::take(&mut got.cells);
    let (r0, c0) = cells.iter().fold((i32::MAX, i32::MAX), |a, c| (a.0.min(c.0), a.1.min(c.1)));
    let (r1, c1) = cells.iter().fold((i32::MIN, i32::MIN), |a, c| (a.0.max(c.0), a.1.max(c.1)));
    let (rows, cols) = (i64::from(r1) - i64::from(r0) + 1, i64::from(c1) - i64::from(c0) + 1);
    let area = rows.saturating_mul(cols) as u64;
    // a grid far larger than its points is a false one
    let sensible =
        rows > 1 && cols > 1 && area <= (cells.len() as u64).saturating_mul(40).clamp(1_000_000, LARGEST_GRID);
    sensible.then(|| {
        let shifted =
            cells.iter().map(|c| ((i64::from(c.0) - i64::from(r0)) as u32, (i64::from(c.1) - i64::from(c0)) as u32));
        let (points, intensity) = (std::mem::take(&mut got.points), std::mem::take(&mut got.intensity));
        Scan::from_grid(rows as u32, cols as u32, shifted, points, intensity)
    })
}
