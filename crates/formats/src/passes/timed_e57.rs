//! Passes in E57: points with `timeStamp`, in one section or several, each counting from when it was begun.

use super::TimedCloud;
use super::timed::Taken;
use crate::e57_read::{byte, has_limits, light};
use crate::error::FormatError;
use crate::options::ReadOptions;
use crate::source::{GoOn, MOST_POINTS};
use std::path::Path;

pub(super) fn read(path: &Path, options: &ReadOptions, go_on: &GoOn) -> Result<TimedCloud, FormatError> {
    let size = std::fs::metadata(path)?.len();
    let mut reader = e57::E57Reader::from_file(path)?;
    // the points as they are meant, and their times, which the reader of those leaves out
    let mut beside = e57::E57Reader::from_file(path)?;
    let clouds = reader.pointclouds();
    let records: u64 = clouds.iter().map(|c| c.records).sum();
    if records > MOST_POINTS {
        return Err(FormatError::TooLarge { found: records, limit: MOST_POINTS });
    }
    let began = |c: &e57::PointCloud| c.acquisition_start.as_ref().map(|d| d.gps_time);
    let mut got = TimedCloud { began: clouds.iter().find_map(began), ..TimedCloud::default() };
    got.reserve(records.min(size) as usize, clouds.iter().all(e57::PointCloud::has_color));
    for (k, cloud) in clouds.iter().enumerate() {
        let found = |name| cloud.prototype.iter().position(|r| r.name == name);
        let Some(time) = found(e57::RecordName::TimeStamp) else {
            return Err(FormatError::Damaged(format!(
                "section {} of this E57 (“{}”) has no times; expected a field timeStamp at every point",
                k + 1,
                cloud.name.as_deref().unwrap_or_default()
            )));
        };
        let invalid = found(e57::RecordName::IsTimeStampInvalid);
        let kind = &cloud.prototype[time].data_type;
        let later = began(cloud).zip(got.began).map_or(0.0, |(own, first)| own - first);
        let light = if has_limits(cloud) { None } else { Some(light(&mut reader, cloud, go_on)?) };
        let mut points = reader.pointcloud_simple(cloud)?;
        points.intensity_to_color(false);
        points.normalize_intensity(light.is_none());
        let coloured = cloud.has_color();
        for (p, raw) in points.zip(beside.pointcloud_raw(cloud)?) {
            let (p, raw) = (p?, raw?);
            let known = invalid.is_none_or(|k| !matches!(raw[k], e57::RecordValue::Integer(1..)));
            let e57::CartesianCoordinate::Valid { x, y, z } = p.cartesian else {
                got.skipped += 1;
                continue;
            };
            let shade = p.intensity.filter(|i| i.is_finite()).map_or(0.0, f64::from);
            let colour = coloured.then(|| p.color.map_or([0; 3], |c| [c.red, c.green, c.blue].map(byte)));
            let taken = Taken {
                time: if known { later + raw[time].to_f64(kind)? } else { f64::NAN },
                at: [x, y, z],
                intensity: light.as_ref().map_or(shade, |l| (shade - l.start) / (l.end - l.start)),
                colour,
            };
            got.push(options, &taken);
            if got.times.len().is_multiple_of(1 << 18) && !go_on(got.times.len() as u64) {
                return Err(FormatError::Stopped);
            }
        }
    }
    Ok(got)
}
