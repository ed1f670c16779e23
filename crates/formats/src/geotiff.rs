//! Rasters of numbers and pictures as GeoTIFF 1.1: deflated, north (or up) at the top, with the reference in words and by
//! its number.

use crate::error::FormatError;
use std::io::{Seek, Write};
use tiff::encoder::colortype::{ColorType, RGBA8};
use tiff::encoder::compression::DeflateLevel;
use tiff::encoder::{Compression, ImageEncoder, TiffEncoder, TiffKindStandard};
use tiff::tags::{PhotometricInterpretation, SampleFormat, Tag};

/// No height.
pub const NOTHING: f32 = -9999.0;

/// Where a raster lies.
#[derive(Clone, Debug)]
pub struct Lying<'a> {
    /// Lower left corner of the first cell, and the side of one, metres.
    pub corner: [f64; 2],
    /// Side of a cell, metres.
    pub cell: f64,
    /// Cells across and up.
    pub size: [usize; 2],
    /// EPSG code of the reference, where it has one.
    pub epsg: Option<u16>,
    /// What it is, in words.
    pub says: &'a str,
}

/// Two numbers of 32 bits.
struct Numbers;

impl ColorType for Numbers {
    type Inner = f32;
    const TIFF_VALUE: PhotometricInterpretation = PhotometricInterpretation::BlackIsZero;
    const BITS_PER_SAMPLE: &'static [u16] = &[32, 32];
    const SAMPLE_FORMAT: &'static [SampleFormat] = &[SampleFormat::IEEEFP; 2];

    fn horizontal_predict(_: &[f32], _: &mut Vec<f32>) {}
}

fn broken(e: impl std::fmt::Display) -> FormatError {
    FormatError::Damaged(format!("the raster could not be written: {e}"))
}

/// Heights with their 95 % (two bands, metres; −9999 where nothing is known), rows from the south.
///
/// # Errors
/// When it cannot be written.
///
/// ```
/// use vistazo_formats::geotiff::{Lying, heights};
/// let lying = Lying { corner: [500.0, 900.0], cell: 0.5, size: [2, 1], epsg: Some(25832), says: "a yard" };
/// let mut out = std::io::Cursor::new(Vec::new());
/// heights(&mut out, &lying, &[Some([87.25, 0.004]), None]).unwrap();
/// assert_eq!(&out.get_ref()[..4], b"II*\0");
/// ```
pub fn heights(to: impl Write + Seek, lying: &Lying<'_>, cells: &[Option<[f64; 2]>]) -> Result<(), FormatError> {
    let [w, h] = lying.size;
    let mut rows = Vec::with_capacity(2 * w * h);
    for y in (0..h).rev() {
        for c in &cells[y * w..(y + 1) * w] {
            rows.extend(c.map_or([NOTHING; 2], |c| c.map(|v| v as f32)));
        }
    }
    let mut file = encoder(to)?;
    let mut image = file.new_image::<Numbers>(w as u32, h as u32).map_err(broken)?;
    place(&mut image, lying)?;
    // the second band is no colour and no mask
    image.encoder().write_tag(Tag::ExtraSamples, &[0_u16][..]).map_err(broken)?;
    image.encoder().write_tag(Tag::GdalNodata, "-9999").map_err(broken)?;
    image.write_data(&rows).map_err(broken)
}

/// A picture, red, green, blue and how much of it is there, rows from the top.
///
/// # Errors
/// When it cannot be written.
pub fn picture(to: impl Write + Seek, lying: &Lying<'_>, pixels: &[u8]) -> Result<(), FormatError> {
    let [w, h] = lying.size;
    let mut file = encoder(to)?;
    let mut image = file.new_image::<RGBA8>(w as u32, h as u32).map_err(broken)?;
    // the fourth is a mask
    image.encoder().write_tag(Tag::ExtraSamples, &[2_u16][..]).map_err(broken)?;
    place(&mut image, lying)?;
    image.write_data(pixels).map_err(broken)
}

/// A file of six lines that lies beside a picture: cell across, two turns, cell down, and the middle of the first pixel,
/// which is at the top left; in the unit that one is `metres` of.
pub fn world_file(lying: &Lying<'_>, metres: f64) -> String {
    let top = lying.corner[1] + (lying.size[1] as f64 - 0.5) * lying.cell;
    let left = lying.corner[0] + 0.5 * lying.cell;
    let [c, x, y] = [lying.cell, left, top].map(|v| v / metres);
    format!("{c:.10}\n0.0\n0.0\n{:.10}\n{x:.6}\n{y:.6}\n", -c)
}

fn encoder<W: Write + Seek>(to: W) -> Result<TiffEncoder<W, TiffKindStandard>, FormatError> {
    Ok(TiffEncoder::new(to).map_err(broken)?.with_compression(Compression::Deflate(DeflateLevel::Balanced)))
}

/// Says where it lies.
fn place<C: ColorType, W: Write + Seek>(
    image: &mut ImageEncoder<'_, W, C, TiffKindStandard>,
    lying: &Lying<'_>,
) -> Result<(), FormatError> {
    let tags = image.encoder();
    tags.write_tag(Tag::ModelPixelScaleTag, &[lying.cell, lying.cell, 0.0][..]).map_err(broken)?;
    let top = lying.corner[1] + lying.cell * lying.size[1] as f64;
    tags.write_tag(Tag::ModelTiepointTag, &[0.0, 0.0, 0.0, lying.corner[0], top, 0.0][..]).map_err(broken)?;
    // names end in a bar
    let says: String = lying.says.chars().filter(|c| c.is_ascii() && *c != '|').chain(['|']).collect();
    let words = says.len() as u16;
    // version, revision, number of keys; model (projected, or of its own), a pixel is an area, what it is called
    let mut keys: Vec<u16> = vec![1, 1, 1, 0];
    let model = if lying.epsg.is_some() { 1 } else { 32767 };
    keys.extend([1024, 0, 1, model, 1025, 0, 1, 1, 1026, 34737, words, 0]);
    if let Some(epsg) = lying.epsg {
        keys.extend([3072, 0, 1, epsg]);
    }
    // metres, whatever the unit of the job
    keys.extend([3076, 0, 1, 9001]);
    keys[3] = (keys.len() as u16 - 4) / 4;
    tags.write_tag(Tag::GeoKeyDirectoryTag, &keys[..]).map_err(broken)?;
    tags.write_tag(Tag::GeoAsciiParamsTag, says.as_str()).map_err(broken)
}
