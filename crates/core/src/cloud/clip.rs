use crate::geometry::Vec3;

/// A box along the axes of the grid; open on the sides that are infinite.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct ClipBox {
    /// Lowest corner, metres.
    pub min: Vec3,
    /// Highest corner, metres.
    pub max: Vec3,
}

impl Default for ClipBox {
    fn default() -> Self {
        Self { min: Vec3::repeat(f64::NEG_INFINITY), max: Vec3::repeat(f64::INFINITY) }
    }
}

impl ClipBox {
    /// Whether a point lies inside or on the box.
    ///
    /// ```
    /// use vistazo_core::{cloud::ClipBox, geometry::Vec3};
    /// let slab = ClipBox { min: Vec3::new(f64::NEG_INFINITY, f64::NEG_INFINITY, 1.0), ..ClipBox::default() };
    /// assert!(slab.contains(&Vec3::new(9e6, 0.0, 1.0)) && !slab.contains(&Vec3::zeros()));
    /// ```
    pub fn contains(&self, p: &Vec3) -> bool {
        (0..3).all(|k| p[k] >= self.min[k] && p[k] <= self.max[k])
    }

    /// Whether anything could lie inside.
    pub fn is_valid(&self) -> bool {
        (0..3).all(|k| self.min[k] <= self.max[k])
    }
}
