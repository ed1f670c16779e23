use crate::error::FormatError;
use crate::source::{Collector, MOST_POINTS, SourceScan};
use nalgebra::{Quaternion, UnitQuaternion};
use std::path::Path;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_core::scan::Scan;

pub(crate) fn read(
    path: &Path,
    each: &mut dyn FnMut(SourceScan) -> Result<(), FormatError>,
) -> Result<(), FormatError> {
    let size = std::fs::metadata(path)?.len();
    let mut reader = e57::E57Reader::from_file(path)?;
    let clouds = reader.pointclouds();
    if clouds.is_empty() {
        return Err(FormatError::Damaged("the E57 holds no scans".into()));
    }
    for cloud in &clouds {
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
        let mut got = Collector::default();
        let mut cells: Vec<(i64, i64)> = Vec::new();
        let mut points = reader.pointcloud_simple(cloud)?;
        points.apply_pose(false);
        points.intensity_to_color(false);
        for p in points {
            let p = p?;
            let e57::CartesianCoordinate::Valid { x, y, z } = p.cartesian else { continue };
            if got.push(x, y, z, p.intensity.unwrap_or(0.0)) && gridded {
                cells.push((p.row, p.column));
            }
        }
        let pose = cloud.transform.as_ref().map(|t| {
            let q = &t.rotation;
            Pose {
                rotation: UnitQuaternion::from_quaternion(Quaternion::new(q.w, q.x, q.y, q.z)),
                translation: Vec3::new(t.translation.x, t.translation.y, t.translation.z),
            }
        });
        let skipped = got.skipped;
        let (scan, gridded) = build(got, &cells, gridded)?;
        each(SourceScan { name: cloud.name.clone(), scan, pose, gridded, skipped })?;
    }
    Ok(())
}

/// A grid with sensible bounds becomes one; anything else is binned by direction.
fn build(got: Collector, cells: &[(i64, i64)], gridded: bool) -> Result<(Scan, bool), FormatError> {
    if gridded && !cells.is_empty() {
        let (r0, c0) = cells.iter().fold((i64::MAX, i64::MAX), |a, c| (a.0.min(c.0), a.1.min(c.1)));
        let (r1, c1) = cells.iter().fold((i64::MIN, i64::MIN), |a, c| (a.0.max(c.0), a.1.max(c.1)));
        let (rows, cols) = (r1.saturating_sub(r0).saturating_add(1), c1.saturating_sub(c0).saturating_add(1));
        let area = rows.saturating_mul(cols) as u64;
        // a grid far larger than its points is a false one
        if rows > 1
            && cols > 1
            && area <= (cells.len() as u64).saturating_mul(40).max(1_000_000)
            && area < u64::from(u32::MAX)
        {
            let shifted: Vec<(u32, u32)> = cells.iter().map(|c| ((c.0 - r0) as u32, (c.1 - c0) as u32)).collect();
            return Ok((Scan::from_grid(rows as u32, cols as u32, &shifted, got.points, got.intensity)?, true));
        }
    }
    Ok((Scan::from_unordered(got.points, got.intensity)?, false))
}
