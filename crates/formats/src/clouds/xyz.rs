use super::{CloudLayout, CloudPoint, CloudWriter};
use crate::error::FormatError;
use std::fs::File;
use std::io::{BufWriter, Write};
use std::path::Path;

/// Writes a line of text a point; the first line says what stands where.
pub struct XyzWriter {
    file: BufWriter<File>,
    coloured: bool,
    errors: bool,
}

impl XyzWriter {
    /// Starts a file.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn create(path: &Path, layout: &CloudLayout) -> Result<Self, FormatError> {
        let mut file = BufWriter::with_capacity(1 << 20, File::create(path)?);
        let colours = if layout.coloured { " red green blue" } else { "" };
        let errors = if layout.errors { " error95_plan error95_height" } else { "" };
        writeln!(
            file,
            "# x y z intensity{colours} scan class{errors}; {}, units of {} m",
            layout.software, layout.unit
        )?;
        Ok(Self { file, coloured: layout.coloured, errors: layout.errors })
    }
}

impl CloudWriter for XyzWriter {
    fn put(&mut self, p: &CloudPoint) -> Result<(), FormatError> {
        write!(self.file, "{:.4} {:.4} {:.4} {}", p.at.x, p.at.y, p.at.z, p.intensity)?;
        if self.coloured {
            write!(self.file, " {} {} {}", p.colour[0], p.colour[1], p.colour[2])?;
        }
        write!(self.file, " {} {}", p.scan, p.class)?;
        if self.errors {
            write!(self.file, " {:.4} {:.4}", p.error95[0], p.error95[1])?;
        }
        self.file.write_all(b"\n")?;
        Ok(())
    }

    fn end(mut self: Box<Self>) -> Result<(), FormatError> {
        self.file.flush()?;
        Ok(())
    }
}
