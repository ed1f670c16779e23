use super::tiles::{brightest, shown};
use crate::geometry::Vec3;
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
    /// Distance to what each pixel shows, metres; infinite where nothing was measured.
    pub ranges: Vec<f32>,
}

/// By how much something must be nearer than a place to hide it, metres.
const IN_FRONT: f64 = 0.3;

impl Panorama {
    /// Whether nothing stands before a place (scanner frame, metres): most of the pixels around its direction show what is
    /// farther, or nothing.
    pub fn is_open_to(&self, place: &Vec3) -> bool {
        let (w, h) = (self.width as isize, self.width as isize / 2);
        let (col, row) = pixel(&place.map(|v| v as f32).into(), self.width);
        let around = (-1..=1).flat_map(|r| (-1..=1).map(move |c| (row as isize + r, col as isize + c)));
        let far = around.filter(|(r, c)| {
            let at = r.clamp(&0, &(h - 1)) * w + c.rem_euclid(w);
            f64::from(self.ranges[at as usize]) > place.norm() - IN_FRONT
        });
        far.count() >= 5
    }
}

/// Column and row of a direction.
fn pixel([x, y, z]: &[f32; 3], width: usize) -> (usize, usize) {
    let per = width as f32 / std::f32::consts::TAU;
    let col = ((y.atan2(*x) + std::f32::consts::PI) * per) as usize;
    let row = ((std::f32::consts::FRAC_PI_2 - z.atan2(x.hypot(*y))) * per) as usize;
    (col.min(width - 1), row.min(width / 2 - 1))
}

/// Colour of directions without a return.
const NOTHING: [u8; 3] = [238, 234, 226];

/// Draws the panorama of a scan, `width` pixels across. The nearest point of each pixel is shown;
/// gaps of up to three pixels between points are closed.
pub fn panorama(scan: &Scan, width: usize) -> Panorama {
    let (w, h) = (width.max(16), width.max(16) / 2);
    let mut depth = vec![f32::INFINITY; w * h];
    let mut pixels = vec![NOTHING; w * h];
    let bright = brightest(scan);
    // four points a pixel are enough
    let step = (scan.points.len() / (w * h * 4)).max(1);
    for i in (0..scan.points.len()).step_by(step) {
        let p = &scan.points[i];
        let (col, row) = pixel(p, w);
        let at = row * w + col;
        let range = p[0].hypot(p[1]).hypot(p[2]);
        if range < depth[at] {
            depth[at] = range;
            pixels[at] = shown(scan, i, bright);
        }
    }
    for _ in 0..3 {
        close(&mut depth, &mut pixels, w, h);
    }
    Panorama { width: w, pixels, ranges: depth }
}

/// Fills each empty pixel that has filled ones on two opposite sides.
fn close(depth: &mut [f32], pixels: &mut [[u8; 3]], w: usize, h: usize) {
    let before = depth.to_vec();
    let full = |at: usize| before[at].is_finite();
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

#[cfg(test)]
mod tests {
    use super::*;

    const WIDTH: usize = 360;

    /// A point of colour `c` in a direction (degrees) at a range.
    fn add(scan: &mut Scan, azimuth: f32, elevation: f32, range: f32, c: [u8; 3]) {
        let (a, e) = (azimuth.to_radians(), elevation.to_radians());
        scan.points.push([range * e.cos() * a.cos(), range * e.cos() * a.sin(), range * e.sin()]);
        scan.intensity.push(30_000);
        scan.colour.push(c);
    }

    fn seen(p: &Panorama, azimuth: f32, elevation: f32) -> [u8; 3] {
        assert_eq!(p.pixels.len(), p.width * p.width / 2);
        p.pixels[(90.0 - elevation) as usize * p.width + (azimuth + 180.0) as usize]
    }

    /// What is seen in a direction is drawn there, the nearest over what is behind it, on both sides of the seam.
    #[test]
    fn directions_are_drawn_where_they_are() {
        let (red, green, blue) = ([200, 0, 0], [0, 200, 0], [0, 0, 200]);
        let mut scan = Scan::default();
        add(&mut scan, 30.5, 10.5, 5.0, red);
        add(&mut scan, 30.5, 10.5, 9.0, green);
        add(&mut scan, -179.5, -20.5, 3.0, green);
        add(&mut scan, 179.5, -20.5, 3.0, blue);
        add(&mut scan, -90.5, 89.5, 3.0, blue);
        let p = panorama(&scan, WIDTH);
        assert_eq!(seen(&p, 30.5, 10.5), red);
        assert_eq!((seen(&p, -179.5, -20.5), seen(&p, 179.5, -20.5)), (green, blue));
        assert_eq!(seen(&p, -90.5, 89.5), blue);
        assert_eq!(p.pixels.iter().filter(|c| **c != NOTHING).count(), 4);
    }

    /// A place behind something is hidden, one before it and one where nothing was measured are not; over the seam too.
    #[test]
    fn what_stands_before_a_place_hides_it() {
        let mut scan = Scan::default();
        for azimuth in 170..190 {
            for elevation in -4..4 {
                add(&mut scan, azimuth as f32 + 0.5, elevation as f32 + 0.5, 5.0, [200; 3]);
            }
        }
        let p = panorama(&scan, WIDTH);
        assert!(!p.is_open_to(&Vec3::new(-8.0, 0.01, 0.1)) && !p.is_open_to(&Vec3::new(-8.0, -0.01, 0.1)));
        assert!(p.is_open_to(&Vec3::new(-4.0, 0.01, 0.1)) && p.is_open_to(&Vec3::new(8.0, 0.0, 0.0)));
    }

    /// Small gaps are closed with the nearer side, also over the seam; the sky stays empty.
    #[test]
    fn small_gaps_are_closed_and_the_sky_is_not() {
        let (near, far) = ([10, 20, 30], [90, 80, 70]);
        let mut scan = Scan::default();
        for (azimuth, range, c) in [(-179.5, 2.0, near), (178.5, 8.0, far), (40.5, 8.0, far), (60.5, 8.0, far)] {
            add(&mut scan, azimuth, 0.5, range, c);
        }
        let p = panorama(&scan, WIDTH);
        assert_eq!(seen(&p, 179.5, 0.5), near);
        assert_eq!((seen(&p, 50.5, 0.5), seen(&p, 0.5, 60.5)), (NOTHING, NOTHING));
        // without colours, the brighter the lighter
        scan.colour.clear();
        scan.intensity[2] = 300;
        let p = panorama(&scan, WIDTH);
        assert!(seen(&p, 40.5, 0.5)[0] < seen(&p, 60.5, 0.5)[0]);
    }
}
