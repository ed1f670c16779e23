use crate::geometry::Vec3;
use std::collections::HashSet;

/// Keeps one point a cell of a grid: the first that comes. The spacing of what is left is about
/// the cell's side.
#[derive(Debug)]
pub struct Thinner {
    side: f64,
    taken: HashSet<[i32; 3]>,
}

impl Thinner {
    /// With cells of `side` metres.
    pub fn new(side: f64) -> Self {
        Self { side, taken: HashSet::new() }
    }

    /// Whether this point is the first of its cell. `p` in metres, within some 10 million cells
    /// of the origin: give it about a local one.
    ///
    /// ```
    /// use vistazo_core::{cloud::Thinner, geometry::Vec3};
    /// let mut t = Thinner::new(0.01);
    /// assert!(t.keep(&Vec3::new(0.001, 0.0, 0.0)) && !t.keep(&Vec3::new(0.009, 0.0, 0.0)));
    /// assert!(t.keep(&Vec3::new(0.011, 0.0, 0.0)));
    /// ```
    pub fn keep(&mut self, p: &Vec3) -> bool {
        self.taken.insert([p.x, p.y, p.z].map(|v| (v / self.side).floor() as i32))
    }

    /// Forgets what was kept.
    pub fn clear(&mut self) {
        self.taken.clear();
    }
}
