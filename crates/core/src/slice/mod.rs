//! Slices through the clouds: what lies in a thin slab, seen along its normal, and how far the surfaces of scans lie apart
//! in it ([`offsets`]). Where slices are worth looking at is chosen by [`doubtful`].

mod doubt;
mod offset;

pub use doubt::{Choice, Compared, Doubt, doubtful};
pub use offset::{Offset, Offsets, offsets};

use crate::geometry::{Pose, Vec3};

/// A slab: a plane with a thickness and an extent.
///
/// ```
/// use vistazo_core::geometry::Vec3;
/// use vistazo_core::slice::Cut;
/// // from above, east to the right
/// let cut = Cut::new(Vec3::new(0.0, 0.0, 1.2), 90.0_f64.to_radians(), 0.0, [10.0, 5.0], 0.02);
/// let [u, v] = cut.place(&Vec3::new(3.0, 2.0, 1.205)).unwrap();
/// assert!((u - 3.0).abs() < 1e-12 && (v - 2.0).abs() < 1e-12);
/// assert_eq!(cut.place(&Vec3::new(3.0, 2.0, 1.22)), None);
/// ```
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Cut {
    /// Middle, metres.
    pub at: Vec3,
    /// Unit vector that is drawn to the right.
    pub across: Vec3,
    /// Unit vector that is drawn upwards.
    pub up: Vec3,
    /// Width and height of what is drawn, metres.
    pub size: [f64; 2],
    /// How much on both sides of the plane together is drawn, metres.
    pub thickness: f64,
}

/// So many points side by side are drawn across the width: closer ones are not told apart.
const ACROSS: f64 = 2500.0;
/// Points are looked for so much closer than the slab is thick: those of a coarser sample would mostly lie outside.
const WITHIN: f64 = 6.0;

impl Cut {
    /// A slab by where its picture points: `bearing` of the right-hand side, clockwise from y (north), and `tilt`, 0 for a
    /// plane seen from above and a right angle for an upright one; radians.
    pub fn new(at: Vec3, bearing: f64, tilt: f64, size: [f64; 2], thickness: f64) -> Self {
        let across = Vec3::new(bearing.sin(), bearing.cos(), 0.0);
        let left = Vec3::new(-across.y, across.x, 0.0);
        Self { at, across, up: left * tilt.cos() + Vec3::z() * tilt.sin(), size, thickness }
    }

    /// Unit normal, towards who looks at the picture.
    pub fn normal(&self) -> Vec3 {
        self.across.cross(&self.up)
    }

    /// The same slab as a scan with this pose has it in its own frame.
    #[must_use]
    pub fn seen_by(&self, pose: &Pose) -> Self {
        let back = pose.inverse();
        let turn = |v: &Vec3| back.rotation * v;
        Self { at: back.apply(&self.at), across: turn(&self.across), up: turn(&self.up), ..*self }
    }

    /// Whether a box (middle, half extents) may reach into the slab; one that does is never missed.
    pub fn touches(&self, middle: &Vec3, half: &Vec3) -> bool {
        let off = middle - self.at;
        let within = |axis: &Vec3, half_width: f64| axis.dot(&off).abs() <= half_width + axis.abs().dot(half);
        within(&self.normal(), self.thickness / 2.0)
            && within(&self.across, self.size[0] / 2.0)
            && within(&self.up, self.size[1] / 2.0)
    }

    /// Where a point lies in the picture, from its middle to the right and upwards, metres; none outside the slab.
    pub fn place(&self, p: &Vec3) -> Option<[f64; 2]> {
        let off = p - self.at;
        let [u, v] = [self.across.dot(&off), self.up.dot(&off)];
        let inside = self.normal().dot(&off).abs() <= self.thickness / 2.0
            && u.abs() <= self.size[0] / 2.0
            && v.abs() <= self.size[1] / 2.0;
        inside.then_some([u, v])
    }

    /// A place of the picture in space.
    pub fn point(&self, [u, v]: [f64; 2]) -> Vec3 {
        self.at + self.across * u + self.up * v
    }

    /// Points that lie closer to one another than this are not needed, metres.
    pub fn spacing(&self) -> f64 {
        (self.size[0] / ACROSS).max(self.thickness / WITHIN)
    }
}
