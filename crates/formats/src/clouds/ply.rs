use super::{CloudLayout, CloudPoint, CloudWriter};
use crate::error::FormatError;
use std::fs::File;
use std::io::{BufWriter, Seek, SeekFrom, Write};
use std::path::Path;

/// Writes binary PLY with coordinates as doubles. Intensity, scan, class and the 95 % are further properties.
pub struct PlyWriter {
    file: BufWriter<File>,
    coloured: bool,
    errors: bool,
    /// Where the number of points stands in the header.
    count_at: u64,
    count: u64,
}

/// Characters that are left free for the number of points.
const DIGITS: usize = 12;

impl PlyWriter {
    /// Starts a file.
    ///
    /// # Errors
    /// When it cannot be made.
    pub fn create(path: &Path, layout: &CloudLayout) -> Result<Self, FormatError> {
        let mut file = BufWriter::with_capacity(1 << 20, File::create(path)?);
        let mut head = format!("ply\nformat binary_little_endian 1.0\ncomment {}\n", layout.software);
        head += &format!("comment coordinates in units of {} m\n", layout.unit);
        if let Some(wkt) = &layout.wkt {
            head += &format!("comment reference {}\n", wkt.replace(['\n', '\r'], " "));
        }
        head += "element vertex ";
        let count_at = head.len() as u64;
        head += &format!("{:DIGITS$}\n", 0);
        head += "property double x\nproperty double y\nproperty double z\nproperty ushort intensity\n";
        if layout.coloured {
            head += "property uchar red\nproperty uchar green\nproperty uchar blue\n";
        }
        head += "property ushort scan\nproperty uchar classification\n";
        if layout.errors {
            head += "property float error95_plan\nproperty float error95_height\n";
        }
        head += "end_header\n";
        file.write_all(head.as_bytes())?;
        Ok(Self { file, coloured: layout.coloured, errors: layout.errors, count_at, count: 0 })
    }
}

impl CloudWriter for PlyWriter {
    fn put(&mut self, p: &CloudPoint) -> Result<(), FormatError> {
        let mut record = [0_u8; 40];
        let mut n = 0;
        let mut put = |bytes: &[u8]| {
            record[n..n + bytes.len()].copy_from_slice(bytes);
            n += bytes.len();
        };
        p.at.iter().for_each(|v| put(&v.to_le_bytes()));
        put(&p.intensity.to_le_bytes());
        if self.coloured {
            put(&p.colour);
        }
        put(&p.scan.to_le_bytes());
        put(&[p.class]);
        if self.errors {
            p.error95.iter().for_each(|e| put(&(*e as f32).to_le_bytes()));
        }
        self.file.write_all(&record[..n])?;
        self.count += 1;
        Ok(())
    }

    fn end(mut self: Box<Self>) -> Result<(), FormatError> {
        self.file.seek(SeekFrom::Start(self.count_at))?;
        write!(self.file, "{:DIGITS$}", self.count)?;
        self.file.flush()?;
        Ok(())
    }
}
