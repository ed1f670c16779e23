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
    let table = laz::laszip::ChunkTable::read_from(std::io::BufReader::new(&file), vlr)
        .map_err(|e| FormatError::Damaged(format!("the table of chunks: {e}")))?;
    // the points begin with the place of the table
    let mut begin = u64::from(u32::from_le_bytes(at)) + 8;
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
        let layers = layers(&mut file, begin, size, vlr)?;
        if layers > chunk.byte_count {
            return Err(FormatError::Damaged(format!(
                "the layers of chunk {} are said to hold {layers} bytes, and the chunk {}",
                k + 1,
                chunk.byte_count
            )));
        }
        begin += chunk.byte_count;
    }
    Ok(())
}

/// Bytes that the layers of a chunk are said to hold; 0 where points are not stored in layers. Such a
/// chunk begins with its first point as it is, the number of points, and the size of each layer.
fn layers(file: &mut File, begin: u64, size: u64, vlr: &laz::LazVlr) -> Result<u64, FormatError> {
    use laz::LazItemType as Item;
    let of = |item: &laz::LazItem| match item.item_type() {
        Item::Point14 => 9,
        Item::RGB14 | Item::WavePacket14 => 1,
        Item::RGBNIR14 => 2,
        // a layer for each of the extra bytes
        Item::Byte14(count) => usize::from(count),
        _ => 0,
    };
    let count: usize = vlr.items().iter().map(of).sum();
    let at = begin.saturating_add(vlr.items_size() + 4);
    if count == 0 || at + 4 * count as u64 > size {
        return Ok(0);
    }
    let mut sizes = vec![0_u8; 4 * count];
    file.seek(SeekFrom::Start(at))?;
    file.read_exact(&mut sizes)?;
    Ok(sizes.chunks_exact(4).map(|b| u64::from(u32::from_le_bytes([b[0], b[1], b[2], b[3]]))).sum())
}

#[cfg(test)]
mod tests {
    use crate::{LazWriter, ReadOptions, read_source};

    /// A layer that is said to hold gigabytes is refused before the decoder reserves them.
    #[test]
    fn false_layers_are_refused() {
        let file = tempfile::NamedTempFile::new().unwrap();
        let mut w = LazWriter::create(file.path(), nalgebra::Vector3::zeros(), None, false).unwrap();
        for k in 0..500 {
            let p = nalgebra::Vector3::new(f64::from(k) * 0.01, f64::from(k % 7), 1.0);
            w.add(&p, k as u16, None, 1, 0).unwrap();
        }
        w.finish().unwrap();
        let read = || read_source(file.path(), &ReadOptions::default(), &|_| true, &mut |_| Ok(()));
        read().unwrap();
        let mut bytes = std::fs::read(file.path()).unwrap();
        let data = u32::from_le_bytes(bytes[96..100].try_into().unwrap()) as usize;
        let record = usize::from(u16::from_le_bytes(bytes[105..107].try_into().unwrap()));
        bytes[data + 8 + record + 4..][..4].copy_from_slice(&3_000_000_000_u32.to_le_bytes());
        std::fs::write(file.path(), bytes).unwrap();
        let said = read().unwrap_err().to_string();
        assert!(said.contains("the layers of chunk 1 are said to hold 3000"), "{said}");
    }
}
