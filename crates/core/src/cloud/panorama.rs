use super::tiles::brightest;
use crate::scan::Scan;

/// What the scanner saw all round, as a picture: columns are azimuths anticlockwise from −180°,
/// rows elevations from +90° down.
#[derive(Clone, Debug)]
pub struct Panorama {
    /// Pixels across; half as many down.
    pub width: usize,
    /// Red, green, blue of each pixel; grey from intensity where the scan has no colours; paper
    /// white where nothing was measured.
    pub pixels: Vec<[u8; 3]>,
}

/// Colour of directions without a return.
const NOTHING: [u8; 3] = [238, 234, 226];

/// Draws the panorama of a scan, `width` pixels across. The nearest point of each pixel is shown;
/// gaps of up to three pixels between points are closed.
pub fn panorama(scan: &Scan, width: usize) -> Panorama {
    let (w, h) = (width.max(16), width.max(16) / 2);
    let mut depth = vec![f32::MAX; w * h];
    let mut pixels = vec![NOTHING; w * h];
    let bright = brightest(scan);
    // four points a pixel are enough
    let step = (scan.points.len() / (w * h * 4)).max(1);
    let per = w as f32 / std::f32::consts::TAU;
    for i in (0..scan.points.len()).step_by(step) {
        let [x, y, z] = scan.points[i];
        let flat = x.hypot(y);
        let col = ((y.atan2(x) + std::f32::consts::PI) * per) as usize;
        let row = ((std::f32::consts::FRAC_PI_2 - z.atan2(flat)) * per) as usize;
        let at = row.min(h - 1) * w + col.min(w - 1);
        let range = flat.hypot(z);
        if range < depth[at] {
            depth[at] = range;
            pixels[at] = scan.colour.get(i).copied().unwrap_or_else(|| {
                let v = (f64::from(scan.intensity[i]) / bright).min(1.0).sqrt();
                [(v * 235.0) as u8 + 10; 3]
            });
        }
    }
    for _ in 0..3 {
        close(&mut depth, &mut pixels, w, h);
    }
    Panorama { width: w, pixels }
}

/// Fills each empty pixel that has filled ones on two opposite sides.
fn close(depth: &mut [f32], pixels: &mut [[u8; 3]], w: usize, h: usize) {
    let before = depth.to_vec();
    let full = |at: usize| before[at] < f32::MAX;
    for row in 1..h - 1 {
        for col in 0..w {
            let at = row * w + col;
            if full(at) {
                continue;
            }
            let (left, right) = (row * w + (col + w - 1) % w, row * w + (col + 1) % w);
            let pair = if full(left) && full(right) {
                Some((left, right))
            } else if full(at - w) && full(at + w) {
                Some((at - w, at + w))
            } else {
                None
            };
            if let Some((a, b)) = pair {
                depth[at] = before[a].min(before[b]);
                pixels[at] = if before[a] < before[b] { pixels[a] } else { pixels[b] };
            }
        }
    }
}
