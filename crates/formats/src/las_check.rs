use crate::error::FormatError;
use std::fs::File;
use std::io::{Read, Seek, SeekFrom};

/// Most bytes in one point record: the largest of the standard has 67, extra bytes come on top.
const LONGEST_RECORD: u16 = 1024;

/// Checks what the header and the chunk table of a LAS or LAZ file announce against the size of the
/// file. The decoder reserves memory by these counts, so a false one must not reach it.
///
/// # Errors
/// [`FormatError::Damaged`] with what was announced.
pub(crate) fn check(file: &mut File, size: u64) -> Result<(), FormatError> {
    let damaged = |what: String| Err(FormatError::Damaged(what));
    let mut h = vec![0_u8; 375.min(size as usize)];
    file.seek(SeekFrom::Start(0))?;
    file.read_exact(&mut h)?;
    let word = |at: usize, n: usize| -> u64 {
        h.get(at..at + n).map_or(0, |b| b.iter().rev().fold(0, |v, x| v << 8 | u64::from(*x)))
    };
    if h.len() < 227 {
        return damaged(format!("the header is cut short: {size} bytes, at least 227 were expected"));
    }
    let (header, data, vlrs) = (word(94, 2), word(96, 4), word(100, 4));
    let (format, record) = (h[104], word(105, 2) as u16);
    if header < 227 || data < header || data > size {
        return damaged(format!("the points are said to begin at byte {data} of {size}"));
    }
    if vlrs > (data - header) / 54 {
        return damaged(format!("{vlrs} header records are announced before byte {data}"));
    }
    if !(20..=LONGEST_RECORD).contains(&record) {
        return damaged(format!("a point is said to have {record} bytes; 20 to {LONGEST_RECORD} are expected"));
    }
    if h[25] >= 4 && header >= 375 {
        let (mut at, count) = (word(235, 8), word(243, 4));
        if count > size / 60 {
            return damaged(format!("{count} trailing records are announced in a file of {size} bytes"));
        }
        for _ in 0..count {
            let mut e = [0_u8; 60];
            if at.checked_add(60).is_none_or(|end| end > size) {
                return damaged(format!("a trailing record is said to stand at byte {at} of {size}"));
            }
            file.seek(SeekFrom::Start(at))?;
            file.read_exact(&mut e)?;
            let len = e[20..28].iter().rev().fold(0_u64, |v, x| v << 8 | u64::from(*x));
            match at.checked_add(60).and_then(|a| a.checked_add(len)) {
                Some(end) if end <= size => at = end,
                _ => return damaged(format!("a trailing record of {len} bytes is announced at byte {at} of {size}")),
            }
        }
    }
    // the two high bits mark compression
    if format & 0xc0 != 0 {
        chunks(file, size, data)?;
    }
    file.seek(SeekFrom::Start(0))?;
    Ok(())
}

/// The chunk table: its place stands where the points begin, or in the last 8 bytes of the file.
fn chunks(file: &mut File, size: u64, data: u64) -> Result<(), FormatError> {
    let damaged = |what: String| Err(FormatError::Damaged(what));
    let mut b = [0_u8; 8];
    if data + 8 > size {
        return damaged("the compressed points are cut short".into());
    }
    file.seek(SeekFrom::Start(data))?;
    file.read_exact(&mut b)?;
    let mut table = i64::from_le_bytes(b);
    if table <= data as i64 {
        file.seek(SeekFrom::End(-8))?;
        file.read_exact(&mut b)?;
        table = i64::from_le_bytes(b);
    }
    let Ok(table) = u64::try_from(table) else { return damaged("the table of chunks has no place".into()) };
    if table < data || table.checked_add(8).is_none_or(|end| end > size) {
        return damaged(format!("the table of chunks is said to stand at byte {table} of {size}"));
    }
    file.seek(SeekFrom::Start(table))?;
    file.read_exact(&mut b)?;
    let count = u64::from(u32::from_le_bytes([b[4], b[5], b[6], b[7]]));
    // a chunk holds at least one whole first point
    if count > size / 20 {
        return damaged(format!("{count} compressed chunks are announced in a file of {size} bytes"));
    }
    Ok(())
}

/// Most bytes that one chunk may take when it is unpacked.
const LARGEST_CHUNK: u64 = 256 << 20;

/// What the chunk table says of each chunk: a chunk is unpacked as a whole.
///
/// # Errors
/// [`FormatError::Damaged`] with the chunk that is larger than the file or than can be unpacked.
pub(crate) fn chunk_table(
    path: &std::path::Path,
    size: u64,
    vlr: &laz::LazVlr,
    record: u16,
) -> Result<(), FormatError> {
    let mut file = File::open(path)?;
    let mut at = [0_u8; 4];
    file.seek(SeekFrom::Start(96))?;
    file.read_exact(&mut at)?;
    file.seek(SeekFrom::Start(u64::from(u32::from_le_bytes(at))))?;
    let table = laz::laszip::ChunkTable::read_from(std::io::BufReader::new(file), vlr)
        .map_err(|e| FormatError::Damaged(format!("the table of chunks: {e}")))?;
    for (k, chunk) in table.as_ref().iter().enumerate() {
        let unpacked = chunk.point_count.saturating_mul(u64::from(record));
        if chunk.byte_count > size || unpacked > LARGEST_CHUNK {
            return Err(FormatError::Damaged(format!(
                "chunk {} is said to hold {} points in {} bytes",
                k + 1,
                chunk.point_count,
                chunk.byte_count
            )));
        }
    }
    Ok(())
}
