//! The canonical scan: how a scan is kept after it was read, whatever it came as.
//!
//! `VSC2`, then rows, cols, points (u32 each), 1 with colours else 0 (u32) and the two steps (f64),
//! then coordinates (3 × f32 a point), intensities (u16 a point), colours (3 × u8 a point, if any)
//! and the grid (u32 a cell), little-endian. Written and read through a small buffer: a scan of
//! fifty million points is held once, not twice.

use crate::error::FormatError;
use std::io::{Read, Write};
use vistazo_core::scan::{NO_POINT, Scan};

const MAGIC: &[u8; 4] = b"VSC2";
const HEAD: usize = 4 + 16 + 16;

/// Length of a scan in bytes.
pub fn length(scan: &Scan) -> u64 {
    (HEAD + scan.points.len() * 14 + scan.colour.len() * 3 + scan.grid.len() * 4) as u64
}

/// Writes a scan.
///
/// # Errors
/// When writing fails.
pub fn write(scan: &Scan, out: &mut impl Write) -> Result<(), FormatError> {
    out.write_all(MAGIC)?;
    for v in [scan.rows, scan.cols, scan.points.len() as u32, u32::from(!scan.colour.is_empty())] {
        out.write_all(&v.to_le_bytes())?;
    }
    out.write_all(&scan.row_step.to_le_bytes())?;
    out.write_all(&scan.col_step.to_le_bytes())?;
    put(out, &scan.points, |b, p| p.iter().for_each(|v| b.extend_from_slice(&v.to_le_bytes())))?;
    put(out, &scan.intensity, |b, i| b.extend_from_slice(&i.to_le_bytes()))?;
    put(out, &scan.colour, |b, c| b.extend_from_slice(c))?;
    put(out, &scan.grid, |b, g| b.extend_from_slice(&g.to_le_bytes()))
}

fn put<T>(out: &mut impl Write, items: &[T], add: impl Fn(&mut Vec<u8>, &T)) -> Result<(), FormatError> {
    let mut buffer = Vec::with_capacity(1 << 17);
    for part in items.chunks(8192) {
        buffer.clear();
        part.iter().for_each(|i| add(&mut buffer, i));
        out.write_all(&buffer)?;
    }
    Ok(())
}

/// Reads a scan of `size` bytes.
///
/// # Errors
/// [`FormatError::Damaged`] when the bytes are not such a scan.
pub fn read(input: &mut impl Read, size: u64) -> Result<Scan, FormatError> {
    let damaged = |what: &str| FormatError::Damaged(format!("canonical scan: {what}"));
    let mut head = [0; HEAD];
    input.read_exact(&mut head).map_err(|_| damaged("it is cut short"))?;
    if &head[..4] != MAGIC {
        return Err(damaged("wrong start"));
    }
    let u = |at: usize| u32::from_le_bytes([head[at], head[at + 1], head[at + 2], head[at + 3]]);
    let f = |at: usize| {
        let mut b = [0; 8];
        b.copy_from_slice(&head[at..at + 8]);
        f64::from_le_bytes(b)
    };
    let (rows, cols, n, coloured) = (u(4), u(8), u64::from(u(12)), u(16) == 1);
    let cells = u64::from(rows) * u64::from(cols);
    let wanted =
        cells.checked_mul(4).and_then(|c| c.checked_add(HEAD as u64 + n * (14 + if coloured { 3 } else { 0 })));
    if wanted != Some(size) {
        return Err(damaged("its length does not match its counts"));
    }
    let f32_at = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
    let points = take(input, n, 12, |b| [f32_at(b), f32_at(&b[4..]), f32_at(&b[8..])])?;
    let intensity = take(input, n, 2, |b| u16::from_le_bytes([b[0], b[1]]))?;
    let colour = take(input, if coloured { n } else { 0 }, 3, |b| [b[0], b[1], b[2]])?;
    let grid = take(input, cells, 4, |b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]))?;
    if grid.iter().any(|&g| g != NO_POINT && u64::from(g) >= n) {
        return Err(damaged("a cell points past the points"));
    }
    Ok(Scan { points, intensity, colour, rows, cols, grid, row_step: f(20), col_step: f(28) })
}

/// Reads `n` items of `size` bytes each.
fn take<T>(input: &mut impl Read, n: u64, size: usize, item: impl Fn(&[u8]) -> T) -> Result<Vec<T>, FormatError> {
    let n = n as usize;
    let mut out = Vec::with_capacity(n);
    let mut buffer = vec![0; 8192 * size];
    while out.len() < n {
        let part = &mut buffer[..(n - out.len()).min(8192) * size];
        input.read_exact(part).map_err(|_| FormatError::Damaged("canonical scan: it is cut short".into()))?;
        out.extend(part.chunks_exact(size).map(&item));
    }
    Ok(out)
}
