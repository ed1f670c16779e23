use crate::error::FormatError;
use e57::{IntensityLimits, Record, RecordDataType, RecordName, RecordValue};
use std::path::Path;
use vistazo_core::geometry::Pose;
use vistazo_core::scan::Scan;

/// Writes scans in their own frames with a pose each, gridded where the source was.
pub struct E57Writer {
    writer: e57::E57Writer<std::fs::File>,
}

impl E57Writer {
    /// Starts a file. `guid` must be unique.
    ///
    /// # Errors
    /// When the file cannot be made.
    pub fn create(path: &Path, guid: &str) -> Result<Self, FormatError> {
        Ok(Self { writer: e57::E57Writer::from_file(path, guid)? })
    }

    /// The coordinate reference of the poses, as WKT.
    pub fn set_reference(&mut self, wkt: Option<String>) {
        self.writer.set_coordinate_metadata(wkt);
    }

    /// Adds one scan. Coordinates are stored to a tenth of a millimetre.
    ///
    /// # Errors
    /// When writing fails.
    pub fn add(
        &mut self,
        name: &str,
        guid: &str,
        scan: &Scan,
        pose: Option<&Pose>,
        gridded: bool,
    ) -> Result<(), FormatError> {
        let reach = scan.points.iter().flatten().fold(1.0_f32, |m, v| m.max(v.abs()));
        let limit = (f64::from(reach) / 1e-4).ceil() as i64 + 1;
        let xyz = |name| Record {
            name,
            data_type: RecordDataType::ScaledInteger { min: -limit, max: limit, scale: 1e-4, offset: 0.0 },
        };
        let mut prototype = vec![
            xyz(RecordName::CartesianX),
            xyz(RecordName::CartesianY),
            xyz(RecordName::CartesianZ),
            Record { name: RecordName::Intensity, data_type: RecordDataType::Integer { min: 0, max: 4095 } },
        ];
        if gridded {
            prototype.push(Record {
                name: RecordName::RowIndex,
                data_type: RecordDataType::Integer { min: 0, max: i64::from(scan.rows) - 1 },
            });
            prototype.push(Record {
                name: RecordName::ColumnIndex,
                data_type: RecordDataType::Integer { min: 0, max: i64::from(scan.cols) - 1 },
            });
        }
        let mut cloud = self.writer.add_pointcloud(guid, prototype)?;
        cloud.set_name(Some(name.to_owned()));
        cloud.set_intensity_limits(Some(IntensityLimits {
            intensity_min: Some(RecordValue::Integer(0)),
            intensity_max: Some(RecordValue::Integer(4095)),
        }));
        if let Some(p) = pose {
            // the standard asks for a scalar part that is not negative
            let q = if p.rotation.w < 0.0 { -p.rotation.into_inner() } else { p.rotation.into_inner() };
            cloud.set_transform(Some(e57::Transform {
                rotation: e57::Quaternion { w: q.w, x: q.i, y: q.j, z: q.k },
                translation: e57::Translation { x: p.translation.x, y: p.translation.y, z: p.translation.z },
            }));
        }
        let scaled = |v: f32| RecordValue::ScaledInteger((f64::from(v) / 1e-4).round() as i64);
        let values = |i: usize| {
            let p = scan.points[i];
            vec![
                scaled(p[0]),
                scaled(p[1]),
                scaled(p[2]),
                RecordValue::Integer((scan.intensity[i] * 4095.0).round() as i64),
            ]
        };
        if gridded {
            for (cell, &i) in scan.grid.iter().enumerate() {
                if i != vistazo_core::scan::NO_POINT {
                    let mut v = values(i as usize);
                    v.push(RecordValue::Integer((cell / scan.cols as usize) as i64));
                    v.push(RecordValue::Integer((cell % scan.cols as usize) as i64));
                    cloud.add_point(v)?;
                }
            }
        } else {
            for i in 0..scan.points.len() {
                cloud.add_point(values(i))?;
            }
        }
        cloud.finalize()?;
        Ok(())
    }

    /// Finishes the file. Without this it cannot be read.
    ///
    /// # Errors
    /// When writing fails.
    pub fn finish(mut self) -> Result<(), FormatError> {
        Ok(self.writer.finalize()?)
    }
}
