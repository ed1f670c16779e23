//! The working cloud as bytes: `VWC1`, the count (u32), then per voxel 3 × f32, 3 × i8, u16, all
//! little-endian.

use crate::error::FormatError;
use vistazo_core::cloud::WorkingCloud;

const MAGIC: &[u8; 4] = b"VWC1";
const EACH: usize = 17;

/// The bytes of a working cloud.
pub fn write(cloud: &WorkingCloud) -> Vec<u8> {
    let mut out = Vec::with_capacity(8 + cloud.points.len() * EACH);
    out.extend_from_slice(MAGIC);
    out.extend_from_slice(&(cloud.points.len() as u32).to_le_bytes());
    for ((p, n), c) in cloud.points.iter().zip(&cloud.normals).zip(&cloud.counts) {
        p.iter().for_each(|v| out.extend_from_slice(&v.to_le_bytes()));
        n.iter().for_each(|v| out.extend_from_slice(&v.to_le_bytes()));
        out.extend_from_slice(&c.to_le_bytes());
    }
    out
}

/// The working cloud from its bytes.
///
/// # Errors
/// [`FormatError::Damaged`] when they are none.
pub fn read(bytes: &[u8]) -> Result<WorkingCloud, FormatError> {
    let damaged = |what: &str| FormatError::Damaged(format!("working cloud: {what}"));
    if bytes.len() < 8 || &bytes[..4] != MAGIC {
        return Err(damaged("wrong start"));
    }
    let n = u32::from_le_bytes([bytes[4], bytes[5], bytes[6], bytes[7]]) as usize;
    if bytes.len() - 8 != n * EACH {
        return Err(damaged("its length does not match its count"));
    }
    let mut out = WorkingCloud::default();
    for b in bytes[8..].chunks_exact(EACH) {
        out.points
            .push(std::array::from_fn(|k| f32::from_le_bytes([b[4 * k], b[4 * k + 1], b[4 * k + 2], b[4 * k + 3]])));
        out.normals.push(std::array::from_fn(|k| b[12 + k] as i8));
        out.counts.push(u16::from_le_bytes([b[15], b[16]]));
    }
    Ok(out)
}
