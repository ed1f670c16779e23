use crate::geometry::Vec3;
use nalgebra::Vector2;
use std::collections::HashMap;

/// The slab that a floor plan is drawn from, and two that tell what its lines belong to.
#[derive(Clone, Copy, Debug, PartialEq)]
pub struct Level {
    /// Height of the floor, metres.
    pub floor: f64,
    /// How far above it the plan is cut, metres.
    pub cut: f64,
    /// Thickness of the slab, metres.
    pub thickness: f64,
}

/// Points of one scan in a slab, cell by cell.
#[derive(Clone, Debug)]
pub struct Slab {
    level: Level,
    cells: [HashMap<(i32, i32), Sum>; 3],
}

#[derive(Clone, Copy, Debug, Default)]
struct Sum {
    count: u32,
    x: f64,
    y: f64,
}

/// What one scan shows at a level.
#[derive(Clone, Debug, Default)]
pub struct Layer {
    /// Near the floor: where there is no door.
    pub foot: Vec<Spot>,
    /// Where the plan is cut.
    pub cut: Vec<Spot>,
    /// Above most of what stands about.
    pub high: Vec<Spot>,
    /// Where the plan is cut, without most of its noise: what lines are looked for in, where it is there. They are fitted to `cut`.
    pub calmed: Vec<Spot>,
    /// What a single point is uncertain by at least, 1σ, metres; nil where its neighbours tell.
    pub noise: f64,
}

/// Points of a scan that lie together.
#[derive(Clone, Copy, Debug)]
pub struct Spot {
    /// Their mean, metres.
    pub at: Vector2<f64>,
    /// How many.
    pub count: u32,
}

/// Points of a scan in a cell of this size are one spot, metres.
const CELL: f64 = 0.01;
/// Heights over the floor of the slab at the foot of walls, and above the cut of that over what stands about, metres.
const FOOT: [f64; 2] = [0.12, 0.3];
const HIGH: [f64; 2] = [0.65, 0.85];

impl Slab {
    /// An empty one.
    pub fn new(level: Level) -> Self {
        Self { level, cells: Default::default() }
    }

    /// Counts a point, in the frame that the plan is drawn in, metres.
    pub fn add(&mut self, p: &Vec3) {
        let h = p.z - self.level.floor;
        let within = |[a, b]: [f64; 2]| (a..b).contains(&h);
        let (cut, half) = (self.level.cut, self.level.thickness / 2.0);
        let band = if (h - cut).abs() <= half {
            1
        } else if within(FOOT) {
            0
        } else if within(HIGH.map(|v| cut + v)) {
            2
        } else {
            return;
        };
        let key = ((p.x / CELL).floor() as i32, (p.y / CELL).floor() as i32);
        let sum = self.cells[band].entry(key).or_default();
        *sum = Sum { count: sum.count + 1, x: sum.x + p.x, y: sum.y + p.y };
    }

    /// Adds the points of another part of the same scan.
    pub fn merge(&mut self, other: Self) {
        for (mine, theirs) in self.cells.iter_mut().zip(other.cells) {
            for (key, s) in theirs {
                let sum = mine.entry(key).or_default();
                *sum = Sum { count: sum.count + s.count, x: sum.x + s.x, y: sum.y + s.y };
            }
        }
    }

    /// What the scan shows.
    pub fn finish(self) -> Layer {
        let [foot, cut, high] = self.cells.map(|cells| {
            let mut all: Vec<_> = cells.into_iter().collect();
            // the order of a map is not the same twice
            all.sort_unstable_by_key(|c| c.0);
            let spot = |(_, s): (_, Sum)| Spot { at: Vector2::new(s.x, s.y) / f64::from(s.count), count: s.count };
            all.into_iter().map(spot).collect()
        });
        Layer { foot, cut, high, calmed: Vec::new(), noise: 0.0 }
    }
}
