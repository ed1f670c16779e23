//! An elevation: what is seen square on to a vertical plane, as a picture in which lengths are true.

use super::Stand;
use crate::geometry::Vec3;
use crate::stats::K95_1D;
use nalgebra::{Matrix2, Vector2, Vector6};

/// A vertical plane that is looked at square on, and what is taken of what stands before and behind it.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Facing {
    /// Lower left corner of the picture as it is seen, metres.
    pub corner: Vec3,
    /// To the right, level, of length 1.
    pub along: Vec3,
    /// To who looks, level, of length 1.
    pub towards: Vec3,
    /// Width and height, metres.
    pub size: [f64; 2],
    /// What is taken before the plane and behind it, metres.
    pub depth: [f64; 2],
    /// Side of a pixel, metres.
    pub pixel: f64,
}

impl Facing {
    /// Over a line on the plan, between two heights. The first end is on the left of who looks.
    ///
    /// ```
    /// use nalgebra::Vector2;
    /// use vistazo_core::draw::Facing;
    /// let f = Facing::new([Vector2::new(0.0, 5.0), Vector2::new(4.0, 5.0)], [0.0, 3.0], [1.0, 0.2], 0.01);
    /// // the left end is in the west: who looks stands in the south
    /// assert!((f.towards.y + 1.0).abs() < 1e-12);
    /// assert_eq!(f.pixels(), [400, 300]);
    /// ```
    pub fn new(ends: [Vector2<f64>; 2], heights: [f64; 2], depth: [f64; 2], pixel: f64) -> Self {
        let d = ends[1] - ends[0];
        let along = d.normalize().push(0.0);
        let towards = along.cross(&Vec3::z());
        let size = [d.norm(), heights[1] - heights[0]];
        Self { corner: ends[0].push(heights[0]), along, towards, size, depth, pixel }
    }

    /// Pixels across and up.
    pub fn pixels(&self) -> [usize; 2] {
        self.size.map(|s| (s / self.pixel - 1e-6).ceil().max(1.0) as usize)
    }

    /// Within what a place in the picture lies where it was, 95 % in the direction that is known worst, metres: by where
    /// the scan stands that shows it, and by the pixels. In the middle of the picture.
    pub fn error95(&self, stand: &Stand) -> f64 {
        let middle = self.corner + self.along * (self.size[0] / 2.0) + Vec3::z() * (self.size[1] / 2.0);
        let row = |d: &Vec3| {
            let turn = (middle - stand.pose.translation).cross(d);
            Vector6::new(d.x, d.y, d.z, turn.x, turn.y, turn.z)
        };
        let rows = [row(&self.along), row(&Vec3::z())];
        let known = Matrix2::from_fn(|i, j| rows[i].dot(&(stand.covariance * rows[j])));
        let worst = known.symmetric_eigenvalues().max().max(0.0);
        K95_1D * (worst + self.pixel * self.pixel / 12.0).sqrt()
    }

    /// Where a point is seen: metres from the left, metres over the foot, and how far it stands before the plane.
    pub fn seen(&self, p: &Vec3) -> [f64; 3] {
        let v = p - self.corner;
        [v.dot(&self.along), v.z, v.dot(&self.towards)]
    }
}

/// What is seen in a pixel: the nearest, and colours of all that lie as near.
#[derive(Clone, Copy, Debug)]
struct Seen {
    before: f32,
    sums: [u16; 3],
    count: u8,
}

const NOTHING: Seen = Seen { before: f32::MIN, sums: [0; 3], count: 0 };
/// What lies within this of the nearest is of the same surface, metres.
const SAME: f32 = 0.02;
/// Holes are closed by a pixel from all sides, time after time, where so many of the eight about it are of one surface:
/// between points first, and never along straight edges.
const ABOUT: [usize; 3] = [4, 4, 5];

/// A picture on its way.
#[derive(Clone, Debug)]
pub struct Elevation {
    facing: Facing,
    size: [usize; 2],
    pixels: Vec<Seen>,
}

/// A picture, rows from the top.
#[derive(Clone, Debug, Default, PartialEq)]
pub struct Orthophoto {
    /// Pixels across and down.
    pub size: [usize; 2],
    /// Red, green, blue, and 255 where something was seen.
    pub pixels: Vec<[u8; 4]>,
    /// Of that, seen by points of their own: the rest was closed from what is about it.
    pub own: usize,
}

impl Orthophoto {
    /// The share of the picture that shows something.
    pub fn share(&self) -> f64 {
        self.pixels.iter().filter(|p| p[3] > 0).count() as f64 / self.pixels.len().max(1) as f64
    }
}

impl Elevation {
    /// Nothing seen yet.
    pub fn new(facing: Facing) -> Self {
        let size = facing.pixels();
        Self { facing, size, pixels: vec![NOTHING; size[0] * size[1]] }
    }

    /// Puts a point in; whether it is seen in the picture, before others or as near.
    pub fn add(&mut self, p: &Vec3, colour: [u8; 3]) -> bool {
        let [x, y, before] = self.facing.seen(p);
        if before > self.facing.depth[0] || before < -self.facing.depth[1] || x < 0.0 || y < 0.0 {
            return false;
        }
        let (i, j) = ((x / self.facing.pixel) as usize, (y / self.facing.pixel) as usize);
        if i >= self.size[0] || j >= self.size[1] {
            return false;
        }
        self.pixels[j * self.size[0] + i].add(&Seen { before: before as f32, sums: colour.map(u16::from), count: 1 })
    }

    /// Adds what others see in the same picture.
    pub fn merge(&mut self, other: &Self) {
        for (mine, theirs) in self.pixels.iter_mut().zip(&other.pixels) {
            mine.add(theirs);
        }
    }

    /// The picture. Holes between points are closed, also where something farther shines through them.
    pub fn finish(mut self) -> Orthophoto {
        let own = self.pixels.iter().filter(|s| s.count > 0).count();
        let [w, h] = self.size;
        for about in ABOUT {
            let before = self.pixels.clone();
            for j in 0..h {
                for i in 0..w {
                    if let Some(closed) = closed(&before, [w, h], [i, j], about) {
                        self.pixels[j * w + i] = closed;
                    }
                }
            }
        }
        let colour = |s: &Seen| match s.count {
            0 => [0; 4],
            n => {
                let [r, g, b] = s.sums.map(|v| (v / u16::from(n)) as u8);
                [r, g, b, 255]
            }
        };
        let pixels = (0..h).rev().flat_map(|j| self.pixels[j * w..(j + 1) * w].iter().map(colour)).collect();
        Orthophoto { size: self.size, pixels, own }
    }
}

impl Seen {
    fn add(&mut self, o: &Self) -> bool {
        if o.count == 0 || o.before < self.before - SAME {
            return false;
        }
        if o.before > self.before + SAME {
            *self = *o;
            return true;
        }
        if let Some(count) = self.count.checked_add(o.count) {
            let sums = std::array::from_fn(|k| self.sums[k] + o.sums[k]);
            *self = Self { before: self.before.max(o.before), sums, count };
        }
        true
    }
}

/// What a hole shows when it is closed: where nothing is seen, or something farther than all about it.
fn closed(of: &[Seen], [w, h]: [usize; 2], [i, j]: [usize; 2], least: usize) -> Option<Seen> {
    let here = of[j * w + i];
    let mut near = Seen { before: 0.0, ..NOTHING };
    let (mut sums, mut depth, mut n) = ([0_u32; 3], 0.0, 0_u32);
    let mut front = f32::MIN;
    let about = || {
        let (i, j) = (i as isize, j as isize);
        (-1..=1).flat_map(move |b| (-1..=1).map(move |a| (i + a, j + b))).filter(move |q| *q != (i, j))
    };
    let at = |(a, b): (isize, isize)| {
        let inside = a >= 0 && b >= 0 && (a as usize) < w && (b as usize) < h;
        inside.then(|| of[b as usize * w + a as usize]).filter(|s| s.count > 0)
    };
    for s in about().filter_map(at) {
        front = front.max(s.before);
    }
    if here.count > 0 && here.before > front - 2.0 * SAME {
        return None;
    }
    for s in about().filter_map(at).filter(|s| s.before > front - SAME) {
        for (sum, v) in sums.iter_mut().zip(s.sums) {
            *sum += u32::from(v) / u32::from(s.count);
        }
        depth += s.before;
        n += 1;
    }
    if (n as usize) < least {
        return None;
    }
    near.before = depth / n as f32;
    near.sums = sums.map(|v| (v / n) as u16);
    near.count = 1;
    Some(near)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn wall() -> Facing {
        Facing::new([Vector2::new(2.0, 1.0), Vector2::new(2.0, 5.0)], [10.0, 12.0], [0.5, 1.0], 0.02)
    }

    /// A place as the picture has it: metres from the left, over the foot, before the plane.
    fn at(f: &Facing, x: f64, y: f64, before: f64) -> Vec3 {
        f.corner + f.along * x + Vec3::z() * y + f.towards * before
    }

    #[test]
    fn the_nearest_is_seen_and_lengths_are_true() {
        let f = wall();
        // who has the south on the left looks from the east
        assert!((f.towards - Vec3::x()).norm() < 1e-12);
        let mut e = Elevation::new(f);
        assert!(e.add(&at(&f, 1.01, 0.51, -0.8), [9, 9, 9]));
        assert!(e.add(&at(&f, 1.01, 0.51, 0.0), [100, 0, 0]));
        assert!(e.add(&at(&f, 1.01, 0.51, 0.01), [200, 0, 0]));
        // farther, or outside
        assert!(!e.add(&at(&f, 1.01, 0.51, -0.3), [9, 9, 9]));
        for p in [at(&f, -0.01, 0.5, 0.0), at(&f, 1.0, 2.01, 0.0), at(&f, 1.0, 0.5, 0.6), at(&f, 1.0, 0.5, -1.1)] {
            assert!(!e.add(&p, [9, 9, 9]));
        }
        let picture = e.finish();
        assert_eq!((picture.size, picture.own), ([200, 100], 1));
        let k = picture.pixels.iter().position(|p| p[3] > 0).unwrap();
        assert_eq!((k % 200, k / 200), (50, 99 - 25));
        assert_eq!(picture.pixels[k], [150, 0, 0, 255]);
    }

    #[test]
    fn a_scan_that_leans_is_known_worse_the_higher_one_looks() {
        use crate::geometry::Pose;
        use nalgebra::{Matrix6, Vector6};
        let f = wall();
        let at = f.corner + f.along * 2.0 + Vec3::z();
        // 2 mm along the wall, 1 mm in height; a turn about the wall's normal moves what is 10 m away by 3 mm
        let mut covariance = Matrix6::from_diagonal(&Vector6::new(1e-3, 2e-3, 1e-3, 0.0, 0.0, 0.0).map(|s| s * s));
        let stand = |covariance, from| Stand { pose: Pose::levelled(0.0, from), covariance };
        let near = stand(covariance, at);
        let pixel = f.pixel / 12.0_f64.sqrt();
        assert!((f.error95(&near) - K95_1D * 2e-3_f64.hypot(pixel)).abs() < 1e-9);
        covariance[(3, 3)] = 9e-8;
        let far = stand(covariance, at - f.along * 10.0);
        assert!((f.error95(&far) - K95_1D * 1e-3_f64.hypot(3e-3).max(2e-3).hypot(pixel)).abs() < 1e-9);
    }

    #[test]
    fn holes_between_points_close_and_windows_stay_open() {
        let f = wall();
        // every other point of a wall with a window, and something behind all of it
        let mut parts: Vec<Elevation> = (0..2).map(|_| Elevation::new(f)).collect();
        let window = |x: f64, y: f64| (1.0..2.0).contains(&x) && (0.6..1.4).contains(&y);
        for i in 0..200 {
            for j in 0..100 {
                let (x, y) = ((f64::from(i) + 0.5) * 0.02, (f64::from(j) + 0.5) * 0.02);
                if (i + j) % 2 == 0 && !window(x, y) {
                    parts[i as usize % 2].add(&at(&f, x, y, 0.0), [200, 180, 160]);
                }
                parts[j as usize % 2].add(&at(&f, x, y, -0.9), [10, 20, 30]);
            }
        }
        let (mut all, other) = (parts.remove(0), parts.remove(0));
        all.merge(&other);
        let picture = all.finish();
        for (k, p) in picture.pixels.iter().enumerate() {
            let (x, y) = ((k % 200) as f64 * 0.02 + 0.01, (99 - k / 200) as f64 * 0.02 + 0.01);
            let rim =
                [0.03, -0.03].iter().any(|d| window(x + d, y) != window(x, y) || window(x, y + d) != window(x, y));
            let edge = !(0.03..3.97).contains(&x) || !(0.03..1.97).contains(&y);
            if !rim && !edge {
                assert_eq!(p[0], if window(x, y) { 10 } else { 200 }, "{x} {y}");
            }
        }
        assert!((picture.share() - 1.0).abs() < 1e-12);
    }
}
