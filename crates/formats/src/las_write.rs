use crate::error::FormatError;
use std::path::Path;
use vistazo_core::geometry::Vec3;

/// Writes one LAZ 1.4 file (point format 6, or 7 with colours) point by point.
pub struct LazWriter {
    writer: las::Writer<std::io::BufWriter<std::fs::File>>,
    coloured: bool,
}

impl LazWriter {
    /// Starts a file. Coordinates are stored to 0.1 mm (of the unit given) about `offset`, which
    /// should lie near the points; `wkt` is the coordinate reference, when there is one.
    ///
    /// # Errors
    /// When the file cannot be made.
    pub fn create(path: &Path, offset: Vec3, wkt: Option<&str>, coloured: bool) -> Result<Self, FormatError> {
        Self::create_as(path, offset, wkt, coloured, "Vistazo")
    }

    /// The same with other words for the software in the header (32 characters).
    ///
    /// # Errors
    /// When the file cannot be made.
    pub fn create_as(
        path: &Path,
        offset: Vec3,
        wkt: Option<&str>,
        coloured: bool,
        software: &str,
    ) -> Result<Self, FormatError> {
        let mut builder = las::Builder::from((1, 4));
        builder.point_format = las::point::Format::new(if coloured { 7 } else { 6 })?;
        builder.point_format.is_compressed = true;
        builder.generating_software = software.chars().take(32).collect();
        let t = |offset| las::Transform { scale: 1e-4, offset };
        builder.transforms = las::Vector { x: t(offset.x), y: t(offset.y), z: t(offset.z) };
        let mut header = builder.into_header()?;
        if let Some(wkt) = wkt {
            header.set_wkt_crs(wkt.as_bytes().to_vec())?;
        }
        let file = std::io::BufWriter::with_capacity(1 << 20, std::fs::File::create(path)?);
        Ok(Self { writer: las::Writer::new(file, header)?, coloured })
    }

    /// Adds a point: grid coordinates, intensity, colour, the number of its scan (point source), and its class by the codes of
    /// the standard.
    ///
    /// # Errors
    /// When the point lies farther than 214 km from the offset, or writing fails.
    pub fn add(
        &mut self,
        p: &Vec3,
        intensity: u16,
        colour: Option<[u8; 3]>,
        scan: u16,
        class: u8,
    ) -> Result<(), FormatError> {
        self.writer.write_point(las::Point {
            x: p.x,
            y: p.y,
            z: p.z,
            intensity,
            color: self.coloured.then(|| {
                let [red, green, blue] = colour.unwrap_or_default().map(|v| u16::from(v) * 257);
                las::Color { red, green, blue }
            }),
            return_number: 1,
            number_of_returns: 1,
            classification: las::point::Classification::new(class)?,
            point_source_id: scan,
            gps_time: Some(0.0),
            ..las::Point::default()
        })?;
        Ok(())
    }

    /// Finishes the file.
    ///
    /// # Errors
    /// When writing fails.
    pub fn finish(mut self) -> Result<(), FormatError> {
        self.writer.close()?;
        Ok(())
    }
}
