//! A level slice of the clouds of a job, drawn as a picture from above.

use super::cloud::cloud;
use crate::dto::Brief;
use crate::{ApiError, App};
use rayon::prelude::*;
use uuid::Uuid;
use vistazo_core::geometry::{Pose, Vec3};
use vistazo_formats::working_cloud;
use vistazo_store::field;

/// Finest pixel, metres: the working cloud has a point every 5 cm.
const FINEST: f64 = 0.025;
/// Most pixels a side.
const MOST: f64 = 6000.0;

/// A slice as a picture.
pub(crate) struct Slice {
    pub png: Vec<u8>,
    pub pixels: [u32; 2],
    /// Lower left corner on the plan, metres.
    pub corner: [f64; 2],
    /// Metres a pixel.
    pub scale: f64,
}

/// Draws what the scans of `source` show within half a thickness of a height, both in the frame of
/// the plan that `brief` belongs to: the grid less the plan's origin, or the frame of the block as it
/// is when that is not on the grid.
///
/// # Errors
/// When the job has no cloud, or nothing lies at that height; says between which heights something does.
pub(crate) async fn of_cloud(
    app: &App,
    source: Uuid,
    brief: &Brief,
    height: f64,
    thickness: f64,
) -> Result<Slice, ApiError> {
    let placed = cloud(app, source, None).await?;
    let rows = field::scans(&app.db, source).await?;
    let mut shift = Vec3::from(placed.origin);
    if placed.frame == "grid" {
        shift -= brief.origin();
    }
    let (mut points, mut low, mut high) = (Vec::<[f64; 2]>::new(), f64::INFINITY, f64::NEG_INFINITY);
    for s in placed.scans.iter().filter(|s| s.tiles.is_some()) {
        let Some(row) = rows.iter().find(|r| r.id == s.id) else { continue };
        let bytes = app.objects.bytes(&format!("{}/cloud", row.key)).await?;
        let pose = Pose::from(&s.pose);
        let (near, lowest, highest) = super::blocking(move || {
            let working = working_cloud::read(&bytes).map_err(|e| ApiError::bad(e.to_string()))?;
            let placed: Vec<Vec3> =
                working.points.par_iter().map(|p| pose.apply(&Vec3::from(p.map(f64::from))) + shift).collect();
            let heights = placed.iter().map(|p| p.z);
            let ends = heights.fold((f64::INFINITY, f64::NEG_INFINITY), |e, z| (e.0.min(z), e.1.max(z)));
            let near = placed.iter().filter(|p| (p.z - height).abs() <= thickness / 2.0).map(|p| [p.x, p.y]);
            Ok::<_, ApiError>((near.collect::<Vec<_>>(), ends.0, ends.1))
        })
        .await??;
        (low, high) = (low.min(lowest), high.max(highest));
        points.extend(near);
    }
    if low > high {
        return Err(ApiError::field(
            "source",
            "this job has no scans with a place yet: register them, or take another job",
        ));
    }
    if points.is_empty() {
        return Err(ApiError::field(
            "height",
            format!(
                "nothing lies at {}; the cloud reaches from {} to {}",
                brief.length(height),
                brief.length(low),
                brief.length(high)
            ),
        ));
    }
    super::blocking(move || draw(&points)).await?
}

fn draw(points: &[[f64; 2]]) -> Result<Slice, ApiError> {
    // single far points would make the picture huge: what one in two hundred lies beyond is cut
    let span = |k: usize| {
        let mut v: Vec<f64> = points.iter().map(|p| p[k]).collect();
        v.sort_by(f64::total_cmp);
        let cut = v.len() / 200;
        (v[cut] - 1.0, v[v.len() - 1 - cut] + 1.0)
    };
    let ((x0, x1), (y0, y1)) = (span(0), span(1));
    let scale = FINEST.max((x1 - x0).max(y1 - y0) / MOST);
    let (w, h) = (((x1 - x0) / scale).ceil() as usize, ((y1 - y0) / scale).ceil() as usize);
    let mut alpha = vec![0_u8; w * h];
    for p in points {
        let (i, j) = (((p[0] - x0) / scale).floor(), ((p[1] - y0) / scale).floor());
        if i >= 0.0 && j >= 0.0 && (i as usize) < w && (j as usize) < h {
            // rows go down from the top
            let (i, j) = (i as usize, h - 1 - j as usize);
            // a voxel is two pixels wide: its neighbours are shaded so that walls close
            for (di, dj, add) in [(0, 0, 200_u8), (1, 0, 90), (0, 1, 90)] {
                if let Some(a) = (i + di < w && j + dj < h).then(|| &mut alpha[(j + dj) * w + i + di]) {
                    *a = a.saturating_add(add);
                }
            }
        }
    }
    // ink, as dark as there are points
    let rgba: Vec<u8> = alpha.iter().flat_map(|a| [0x22, 0x30, 0x3c, *a]).collect();
    let failed = |e: png::EncodingError| ApiError::bad(format!("the picture could not be made: {e}"));
    let mut out = Vec::new();
    let mut encoder = png::Encoder::new(&mut out, w as u32, h as u32);
    encoder.set_color(png::ColorType::Rgba);
    encoder.set_compression(png::Compression::Fast);
    encoder.write_header().and_then(|mut w| w.write_image_data(&rgba)).map_err(failed)?;
    Ok(Slice { png: out, pixels: [w as u32, h as u32], corner: [x0, y0], scale })
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_wall_is_drawn_where_it_stands() {
        let wall = (0..400).map(|k| [100.0 + 0.05 * f64::from(k), 50.0]);
        let far = [[9e4, 9e4]];
        let s = draw(&wall.chain(far).collect::<Vec<_>>()).unwrap();
        let mut reader = png::Decoder::new(std::io::Cursor::new(&s.png)).read_info().unwrap();
        let mut pixels = vec![0; reader.output_buffer_size().unwrap()];
        reader.next_frame(&mut pixels).unwrap();
        let inked = |x: f64, y: f64| {
            let i = ((x - s.corner[0]) / s.scale) as usize;
            let j = s.pixels[1] as usize - 1 - ((y - s.corner[1]) / s.scale) as usize;
            pixels[4 * (j * s.pixels[0] as usize + i) + 3] > 0
        };
        assert!(inked(110.0, 50.0) && !inked(110.0, 50.5) && !inked(110.0, 49.5));
        assert!(f64::from(s.pixels[0]) * s.scale < 23.0, "one far point does not stretch the picture");
    }
}
