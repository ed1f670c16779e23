use crate::error::FormatError;
use crate::source::{Collector, MOST_POINTS, SourceScan};
use std::io::BufRead;
use std::path::Path;
use vistazo_core::geometry::Vec3;
use vistazo_core::scan::Scan;

/// Lines of `x y z [intensity …]`, separated by blanks, commas, semicolons or tabs. Lines that
/// start with `#` or `//` are skipped, and one heading line. Intensities above 1 are scaled by
/// their largest value.
pub(crate) fn read(path: &Path, scanner: Vec3) -> Result<SourceScan, FormatError> {
    let file = std::io::BufReader::with_capacity(1 << 20, std::fs::File::open(path)?);
    let mut rows: Vec<(f64, f64, f64, f32)> = Vec::new();
    for (number, line) in file.lines().enumerate() {
        let line = line.map_err(|e| FormatError::Damaged(format!("line {}: {e}", number + 1)))?;
        let text = line.trim();
        if text.is_empty() || text.starts_with('#') || text.starts_with("//") {
            continue;
        }
        let mut fields = text.split([' ', '\t', ',', ';']).filter(|f| !f.is_empty());
        let mut values = [0.0; 4];
        let mut count = 0;
        for (k, value) in values.iter_mut().enumerate() {
            let Some(field) = fields.next() else { break };
            match field.parse::<f64>() {
                Ok(v) => *value = v,
                Err(_) if rows.is_empty() && k == 0 => break,
                Err(_) => {
                    return Err(FormatError::Line {
                        line: number + 1,
                        column: k + 1,
                        found: format!("“{field}”"),
                        expected: "a number".into(),
                    });
                }
            }
            count = k + 1;
        }
        if count == 0 && rows.is_empty() {
            continue;
        }
        if count < 3 {
            return Err(FormatError::Line {
                line: number + 1,
                column: count + 1,
                found: "the end of the line".into(),
                expected: "x, y and z".into(),
            });
        }
        rows.push((values[0], values[1], values[2], values[3] as f32));
        if rows.len() as u64 > MOST_POINTS {
            return Err(FormatError::TooLarge { found: rows.len() as u64, limit: MOST_POINTS });
        }
    }
    let top = rows.iter().map(|r| r.3).filter(|v| v.is_finite()).fold(1.0_f32, f32::max);
    let mut got = Collector::default();
    for (x, y, z, i) in rows {
        got.push(x - scanner.x, y - scanner.y, z - scanner.z, i / top);
    }
    let skipped = got.skipped;
    Ok(SourceScan {
        name: None,
        scan: Scan::from_unordered(got.points, got.intensity)?,
        pose: None,
        gridded: false,
        skipped,
    })
}
