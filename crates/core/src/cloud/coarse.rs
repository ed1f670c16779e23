use crate::geometry::Vec3;
use std::collections::HashMap;

/// A cloud of no more than so many points, however many come: one a cell, whose side doubles when there are too many.
///
/// ```
/// use vistazo_core::{cloud::Coarse, geometry::Vec3};
/// let mut c = Coarse::new(0.05, 100);
/// (0..10_000).for_each(|k| c.put(&Vec3::new(f64::from(k) * 0.01, 0.0, 0.0), [9; 3]));
/// assert!(c.side() == 1.6 && (50..=100).contains(&c.points().len()));
/// ```
#[derive(Debug)]
pub struct Coarse {
    side: f64,
    most: usize,
    cells: HashMap<[i32; 3], ([f32; 3], [u8; 3])>,
}

impl Coarse {
    /// At most `most` points, one a cell of `side` metres as long as that is enough.
    pub fn new(side: f64, most: usize) -> Self {
        Self { side, most: most.max(1), cells: HashMap::new() }
    }

    /// A point about a place near it, metres, and its colour.
    pub fn put(&mut self, p: &Vec3, colour: [u8; 3]) {
        let at = p.map(|v| v as f32).into();
        self.cells.entry(self.cell(&at)).or_insert((at, colour));
        while self.cells.len() > self.most {
            self.side *= 2.0;
            let old = std::mem::take(&mut self.cells);
            // in an order of their own, so that the same points stay each time
            let mut all: Vec<_> = old.into_iter().collect();
            all.sort_unstable_by_key(|p| p.0);
            for (_, point) in all {
                self.cells.entry(self.cell(&point.0)).or_insert(point);
            }
        }
    }

    fn cell(&self, p: &[f32; 3]) -> [i32; 3] {
        p.map(|v| (f64::from(v) / self.side).floor() as i32)
    }

    /// Side of a cell, metres.
    pub fn side(&self) -> f64 {
        self.side
    }

    /// What is kept, metres, with colours.
    pub fn points(&self) -> Vec<([f32; 3], [u8; 3])> {
        let mut all: Vec<_> = self.cells.iter().collect();
        all.sort_unstable_by_key(|p| *p.0);
        all.into_iter().map(|p| *p.1).collect()
    }
}
