use crate::error::FormatError;
use crate::source::SourceImage;
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

    /// Adds the points of one scan that `take` takes. Coordinates are stored to a tenth of a millimetre.
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
        take: &dyn Fn(usize) -> bool,
    ) -> Result<(), FormatError> {
        let reach = scan.points.iter().flatten().fold(1.0_f32, |m, v| m.max(v.abs()));
        let limit = (f64::from(reach) / 1e-4).ceil() as i64 + 1;
        let xyz = |name| Record {
            name,
            data_type: RecordDataType::ScaledInteger { min: -limit, max: limit, scale: 1e-4, offset: 0.0 },
        };
        let integer = |name, max| Record { name, data_type: RecordDataType::Integer { min: 0, max } };
        let mut prototype = vec![
            xyz(RecordName::CartesianX),
            xyz(RecordName::CartesianY),
            xyz(RecordName::CartesianZ),
            integer(RecordName::Intensity, 65_535),
        ];
        let coloured = !scan.colour.is_empty();
        if coloured {
            prototype
                .extend([RecordName::ColorRed, RecordName::ColorGreen, RecordName::ColorBlue].map(|n| integer(n, 255)));
        }
        if gridded {
            prototype.push(integer(RecordName::RowIndex, i64::from(scan.rows) - 1));
            prototype.push(integer(RecordName::ColumnIndex, i64::from(scan.cols) - 1));
        }
        let mut cloud = self.writer.add_pointcloud(guid, prototype)?;
        cloud.set_name(Some(name.to_owned()));
        cloud.set_intensity_limits(Some(IntensityLimits {
            intensity_min: Some(RecordValue::Integer(0)),
            intensity_max: Some(RecordValue::Integer(65_535)),
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
            let mut v =
                vec![scaled(p[0]), scaled(p[1]), scaled(p[2]), RecordValue::Integer(i64::from(scan.intensity[i]))];
            if coloured {
                v.extend(scan.colour[i].map(|c| RecordValue::Integer(i64::from(c))));
            }
            v
        };
        if gridded {
            for (cell, &i) in scan.grid.iter().enumerate() {
                if i != vistazo_core::scan::NO_POINT && take(i as usize) {
                    let mut v = values(i as usize);
                    v.push(RecordValue::Integer((cell / scan.cols as usize) as i64));
                    v.push(RecordValue::Integer((cell % scan.cols as usize) as i64));
                    cloud.add_point(v)?;
                }
            }
        } else {
            for i in (0..scan.points.len()).filter(|&i| take(i)) {
                cloud.add_point(values(i))?;
            }
        }
        cloud.finalize()?;
        Ok(())
    }

    /// Adds a picture that came with a scan, under the scan's new `guid`.
    ///
    /// # Errors
    /// When writing fails.
    pub fn add_image(&mut self, picture: &SourceImage, guid: &str, scan_guid: &str) -> Result<(), FormatError> {
        let mut writer = self.writer.add_image(guid)?;
        let image = &picture.image;
        writer.set_pointcloud_guid(scan_guid);
        if let Some(name) = &image.name {
            writer.set_name(name);
        }
        if let Some(t) = &image.transform {
            writer.set_transform(t.clone());
        }
        let bytes = &mut picture.bytes.as_slice();
        match (&image.projection, &image.visual_reference) {
            (Some(e57::Projection::Pinhole(i)), _) => {
                writer.add_pinhole(i.blob.format.clone(), bytes, i.properties.clone(), None)?;
            }
            (Some(e57::Projection::Spherical(i)), _) => {
                writer.add_spherical(i.blob.format.clone(), bytes, i.properties.clone(), None)?;
            }
            (Some(e57::Projection::Cylindrical(i)), _) => {
                writer.add_cylindrical(i.blob.format.clone(), bytes, i.properties.clone(), None)?;
            }
            (None, Some(v)) => writer.add_visual_reference(v.blob.format.clone(), bytes, v.properties.clone(), None)?,
            (None, None) => return Ok(()),
        }
        writer.finalize()?;
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
