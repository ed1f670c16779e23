//! The canonical scan: how a scan is kept after it was read, whatever it came as.
//!
//! `VSC1`, then rows, cols, points (u32 each) and the two steps (f64), then coordinates
//! (3 × f32 a point), intensities (u16 a point) and the grid (u32 a cell), little-endian.

use crate::error::FormatError;
use vistazo_core::scan::Scan;

const MAGIC: &[u8; 4] = b"VSC1";
const HEAD: usize = 4 + 12 + 16;

/// The bytes of a scan.
pub fn write(scan: &Scan) -> Vec<u8> {
    let n = scan.points.len();
    let mut out = Vec::with_capacity(HEAD + n * 14 + scan.grid.len() * 4);
    out.extend_from_slice(MAGIC);
    for v in [scan.rows, scan.cols, n as u32] {
        out.extend_from_slice(&v.to_le_bytes());
    }
    out.extend_from_slice(&scan.row_step.to_le_bytes());
    out.extend_from_slice(&scan.col_step.to_le_bytes());
    for p in &scan.points {
        for v in p {
            out.extend_from_slice(&v.to_le_bytes());
        }
    }
    for i in &scan.intensity {
        out.extend_from_slice(&((i * 65535.0) as u16).to_le_bytes());
    }
    for g in &scan.grid {
        out.extend_from_slice(&g.to_le_bytes());
    }
    out
}

/// The scan from its bytes.
///
/// # Errors
/// [`FormatError::Damaged`] when the bytes are not such a scan.
pub fn read(bytes: &[u8]) -> Result<Scan, FormatError> {
    let damaged = |what: &str| FormatError::Damaged(format!("canonical scan: {what}"));
    if bytes.len() < HEAD || &bytes[..4] != MAGIC {
        return Err(damaged("wrong start"));
    }
    let u = |at: usize| u32::from_le_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]]);
    let f = |at: usize| {
        let mut b = [0; 8];
        b.copy_from_slice(&bytes[at..at + 8]);
        f64::from_le_bytes(b)
    };
    let (rows, cols, n) = (u(4), u(8), u(12) as usize);
    let cells = rows as usize * cols as usize;
    if bytes.len() != HEAD + n * 14 + cells * 4 {
        return Err(damaged("its length does not match its counts"));
    }
    let (p_end, i_end) = (HEAD + n * 12, HEAD + n * 14);
    let f32_at = |b: &[u8]| f32::from_le_bytes([b[0], b[1], b[2], b[3]]);
    let points = bytes[HEAD..p_end].chunks_exact(12).map(|b| [f32_at(b), f32_at(&b[4..]), f32_at(&b[8..])]).collect();
    let intensity =
        bytes[p_end..i_end].chunks_exact(2).map(|b| f32::from(u16::from_le_bytes([b[0], b[1]])) / 65535.0).collect();
    let grid: Vec<u32> = bytes[i_end..].chunks_exact(4).map(|b| u32::from_le_bytes([b[0], b[1], b[2], b[3]])).collect();
    if grid.iter().any(|&g| g != vistazo_core::scan::NO_POINT && g as usize >= n) {
        return Err(damaged("a cell points past the points"));
    }
    Ok(Scan { points, intensity, rows, cols, grid, row_step: f(16), col_step: f(24) })
}
